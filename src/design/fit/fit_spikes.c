/* SPDX-License-Identifier: MIT */
/*
 * Rows that stand far off the line between their neighbours in the residual, and off both
 * neighbours to the same side: bad readings, one or a few in a row. The yardstick is a high quantile of that
 * deviation, which spikes do not move. More than a few in a hundred are no spikes but noise.
 */
#include <math.h>

#include "design/base/quantile.h"
#include "fit_stages.h"

/* A spike stands off the line between its neighbours, and off each of them, by so many
   deviations of that noise. */
#define FAR 7.0
/* Rows behind a move of OUT. */
#define AT_MOVE 1.5
/* Behind a run of them PV is back where it was, to this part of how far they are off. */
#define BACK 0.5
/* More of them are no spikes but the noise that there is. */
#define FEW 0.03

static double off_line(const rki_fit_work *b, size_t i)
{
    return b->residual[i] - (0.5 * (b->residual[i - 1] + b->residual[i + 1]));
}

/* Values that a deviation is estimated from: enough of them, evenly taken. */
enum { LOOKED_AT = 1000 };

/* Deviation of what stands off the line, spikes not counted. */
static double usual_off(const rki_fit_work *b)
{
    double work[LOOKED_AT];
    const size_t inner = b->series.samples - 2;
    const size_t step = (inner / LOOKED_AT) + 1;
    size_t count = 0, i;

    for (i = 0; i < inner; i += step) {
        work[count++] = fabs(off_line(b, i + 1));
    }
    /* A coarse PV stands still between its steps: look higher up than the median. */
    return fmax(rki_quantile(work, count, 0.5) / RKI_MEDIAN_OF_NORMAL,
                rki_quantile(work, count, 0.9) / 1.645);
}

/* Rows in a row that may be bad together: fewer than OUT stands between two of its moves, for what
   follows a short pulse of OUT is no spike. */
enum { RUN_MOST = 5 };

static size_t longest_run(const rki_series *s)
{
    double least = HUGE_VAL;
    size_t e;

    for (e = 1; e < s->events; e++) {
        least = fmin(least, s->event_time[e] - s->event_time[e - 1]);
    }
    return least > (RUN_MOST + 1) * s->interval ? RUN_MOST
                                                : (size_t)fmax(least / s->interval - 1.0, 1.0);
}

/* Are rows i to i + run - 1 all far off the line from the row before to the row behind, to one side,
   and those two much closer to each other? */
static bool is_spike(const rki_fit_work *b, size_t i, size_t run, double far)
{
    const double *r = b->residual, before = r[i - 1], behind = r[i + run];
    double least = HUGE_VAL;
    size_t k;

    for (k = 0; k < run; k++) {
        const double line = before + ((behind - before) * (double)(k + 1) / (double)(run + 1));
        const double up = r[i + k] - before, down = r[i + k] - behind;

        if (!(fabs(up) > far && fabs(down) > far && up * down > 0)) return false;
        if (!((r[i + k] - before) * (r[i] - before) > 0)) return false;
        least = fmin(least, fabs(r[i + k] - line));
    }
    return least > far && (run == 1 || fabs(behind - before) < BACK * least);
}

/* Right behind a move of OUT that no dead time hides PV may jump as the model does not yet know. */
static bool is_at_move(const rki_fit_work *b, size_t i)
{
    const rki_series *s = &b->series;
    size_t low = 0, high = s->events;

    while (low < high) {
        const size_t middle = low + ((high - low) / 2);

        if (s->event_time[middle] < s->time[i] - (AT_MOVE * s->interval)) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return low < s->events && s->event_time[low] <= s->time[i] + (0.5 * s->interval);
}

/* How many rows from i on are a spike; 0: none. */
static size_t spike_at(const rki_fit_work *b, size_t i, size_t longest, double far,
                       bool of_model)
{
    size_t run;

    if (!(fabs(b->residual[i] - b->residual[i - 1]) > far) || !(b->series.weight[i] > 0))
        return 0;
    if (of_model && is_at_move(b, i)) return 0;
    for (run = 1; run <= longest && i + run < b->series.samples; run++) {
        if (is_spike(b, i, run, far)) return run;
    }
    return 0;
}

size_t rki_leave_out_spikes(rki_fit_work *b, bool of_model)
{
    const size_t samples = b->series.samples, longest = longest_run(&b->series);
    const size_t before = b->left_out;
    size_t count = 0, told = 0, i, k, run;
    double far;

    if (samples < 20) return 0;
    far = FAR * usual_off(b);
    if (!(far > 0)) return 0;
    for (i = 1; i + 1 < samples; i += run > 0 ? run : 1) {
        run = spike_at(b, i, longest, far, of_model);
        count += run;
    }
    if (count == 0 || (double)count > FEW * (double)samples) return 0;
    for (i = 1; i + 1 < samples; i += run > 0 ? run : 1) {
        run = spike_at(b, i, longest, far, of_model);
        for (k = i; k < i + run; k++) {
            b->series.weight[k] = 0.0;
            if (before + told < RK_FIT_LEFT_OUT) {
                b->left_out_at[before + told++] = b->series.time[k];
            }
        }
    }
    return count;
}
