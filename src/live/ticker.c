/* SPDX-License-Identifier: MIT */
#include "ticker.h"

#include <math.h>
#include <string.h>

/* Times are told to this, s. */
#define TICK 1e-6
/* The first step of lateness, s. */
#define STEP_0 1e-6
/* Of a scan: one that begins so much after its time is late; a deadline nearer than that is left out. */
#define LATE 0.5

rki_ticker rki_ticker_make(const rk_pace *pace, double ts)
{
    rki_ticker t;

    memset(&t, 0, sizeof t);
    t.pace = pace;
    t.ts = ts;
    return t;
}

static void count(rki_ticker *t, double late)
{
    const double place = late > STEP_0 ? RKI_TICKER_STEPS * log2(late / STEP_0) : 0.0;

    t->bins[place < RKI_TICKER_BINS - 1 ? (size_t)place : RKI_TICKER_BINS - 1]++;
    t->timing.latest = fmax(t->timing.latest, late);
    t->timing.late += late > LATE * t->ts;
}

double rki_ticker_begin(rki_ticker *t)
{
    const rk_pace *p = t->pace;
    const bool first = t->timing.scans++ == 0;
    const double now = p->now != NULL ? round(p->now(p->user) / TICK) * TICK : 0.0;
    const double elapsed = now - t->last;

    if (first) {
        t->began = now;
    }
    t->last = now;
    if (!p->keeps_time || p->now == NULL) return t->ts;
    count(t, fmax(now - (t->began + (t->due * t->ts)), 0.0));
    if (first) return t->ts;
    if (elapsed > t->timing.longest) {
        t->timing.longest = elapsed;
        t->timing.longest_at = now - t->began;
    }
    return elapsed;
}

void rki_ticker_wait(rki_ticker *t)
{
    const rk_pace *p = t->pace;
    const double passed = (t->last - t->began) / t->ts;

    if (p->wait_until == NULL) return;
    t->due += 1.0;
    if (t->due < passed + LATE) {
        t->due = ceil(passed + LATE);
    }
    p->wait_until(p->user, t->began + (t->due * t->ts));
}

size_t rki_ticker_missed(const rki_ticker *t, double elapsed)
{
    const double scans = round(elapsed / t->ts);

    return scans > 1.0 ? (size_t)(scans - 1.0) : 0;
}

rk_timing rki_ticker_timing(const rki_ticker *t)
{
    rk_timing made = t->timing;
    const double wanted = 0.999 * (double)made.scans;
    double seen = 0;
    size_t i = 0;

    for (; i < RKI_TICKER_BINS && seen + (double)t->bins[i] < wanted; i++) {
        seen += (double)t->bins[i];
    }
    made.usual = fmin(STEP_0 * exp2((double)(i + 1) / RKI_TICKER_STEPS), made.latest);
    return made;
}
