/* SPDX-License-Identifier: MIT */
#include "port_side.h"

#include <math.h>
#include <string.h>

static int find(const rki_reference *r, const char *word)
{
    int i;

    for (i = 0; i < r->variables; i++) {
        if (strcmp(r->list[i].word, word) == 0) return i;
    }
    return -1;
}

static double get(const rki_port_side *s, const rki_reference *r, int word)
{
    return s->place[word] >= 0 ? r->variable[s->place[word]] : 0.0;
}

static void put(const rki_port_side *s, rki_reference *r, int word, double value)
{
    if (s->place[word] >= 0) {
        r->variable[s->place[word]] = value;
    }
}

static int quiet_scans(const rk_design *loop)
{
    return (int)fmax(ceil((loop->program.heartbeat_time / loop->ts) - 1e-9), 1.0);
}

rki_port_side rki_port_side_make(const rki_reference *r)
{
    static const char *const words[] = {
        [RKI_REMOTE] = "remote",
        [RKI_REMOTE_LOST] = "remote_lost",
        [RKI_PORT_PV] = "port_pv",
        [RKI_PORT_OUT] = "port_out",
        [RKI_PORT_OUT_NOW] = "port_stands",
        [RKI_PORT_PV_GOOD] = "port_good",
        [RKI_PORT_ENABLE] = "port_enable",
        [RKI_PORT_HEARTBEAT] = "port_beat",
        [RKI_PV_BAD] = "pv_bad",
    };
    rki_port_side s = {.dice = {41}};
    int i;

    for (i = 0; i < RKI_PORT_WORDS; i++) {
        s.place[i] = find(r, words[i]);
    }
    s.there = s.place[RKI_PORT_PV] >= 0;
    rki_port_side_restart(&s, r);
    return s;
}

void rki_port_side_restart(rki_port_side *s, const rki_reference *r)
{
    s->begun = s->was_remote = false;
    s->beat = 0;
    s->quiet = quiet_scans(r->loop);
}

/* A raw number of OUT's register, its ends and what is beyond its raw range among them. */
static double a_count(rki_port_side *s, const rk_register *r)
{
    double low = -1e6, high = 1e6;

    if (!rk_register_type_range(r->type, &low, &high) && rki_happens(&s->dice, 200)) {
        return rki_happens(&s->dice, 500) ? nan("") : HUGE_VAL;
    }
    if (!isnan(r->raw[0]) && !rki_happens(&s->dice, 100)) {
        low = r->raw[0];
        high = r->raw[1];
    }
    if (rki_happens(&s->dice, 100)) return rki_happens(&s->dice, 500) ? low : high;
    return r->type == RK_REGISTER_FLOAT32 ? (double)(float)rki_between(&s->dice, low, high)
                                          : nearbyint(rki_between(&s->dice, low, high));
}

int rki_port_side_hand(rki_port_side *s, const rki_reference *r, int turn, double *value)
{
    enum { BEATS = 65536 };

    if (!s->there) return -1;
    if (turn == 0) {
        s->beats = rki_happens(&s->dice, s->beats ? 15 : 60) ? !s->beats : s->beats;
        *value = fmod(get(s, r, RKI_PORT_HEARTBEAT) +
                          (s->beats ? 1.0 + (rki_happens(&s->dice, 5) ? 65530.0 : 0.0) : 0.0),
                      BEATS);
        return s->place[RKI_PORT_HEARTBEAT] >= 0 ? s->place[RKI_PORT_HEARTBEAT]
                                                 : s->place[RKI_PORT_PV_GOOD];
    }
    if (turn == 1) {
        *value = rki_happens(&s->dice, 30) ? rki_happens(&s->dice, 700) : get(s, r, RKI_REMOTE);
        return s->place[RKI_REMOTE];
    }
    if (turn == 2 && rki_happens(&s->dice, 300)) {
        *value = a_count(s, &r->loop->port.out);
        return s->place[RKI_PORT_OUT];
    }
    return -1;
}

/* One operation as the program's numbers have it. */
static double of(const rki_reference *r, double value)
{
    return rki_in_text(r, value);
}

/* A register's counts for a value. */
static double counts_of(const rki_reference *r, const rk_register *reg, double low, double high,
                        double value)
{
    const bool scaled = !isnan(reg->raw[0]);
    const double raw_0 = scaled ? reg->raw[0] : 0.0, value_0 = scaled ? low : 0.0;
    const double part = scaled ? (reg->raw[1] - reg->raw[0]) / (high - low) : 1.0;
    double counts = of(r, of(r, value - of(r, value_0)) * of(r, part)), least = raw_0,
           most = raw_0;

    counts = of(r, of(r, raw_0) + counts);
    if (scaled) {
        least = fmin(reg->raw[0], reg->raw[1]);
        most = fmax(reg->raw[0], reg->raw[1]);
    }
    if (scaled || rk_register_type_range(reg->type, &least, &most)) {
        counts = fmax(fmin(counts, of(r, most)), of(r, least));
    }
    return reg->type == RK_REGISTER_FLOAT32 ? (double)(float)counts : nearbyint(counts);
}

static double value_of(const rki_reference *r, double raw)
{
    const rk_register *reg = &r->loop->port.out;
    const double low = r->loop->out_low, high = r->loop->out_high;
    const bool scaled = !isnan(reg->raw[0]);
    const double raw_0 = scaled ? reg->raw[0] : 0.0, value_0 = scaled ? low : 0.0;
    const double part = scaled ? (high - low) / (reg->raw[1] - reg->raw[0]) : 1.0;

    if (!scaled) return of(r, raw);
    return of(r, of(r, value_0) + of(r, of(r, of(r, raw) - of(r, raw_0)) * of(r, part)));
}

static void watch(rki_port_side *s, rki_reference *r)
{
    const double beat = get(s, r, RKI_PORT_HEARTBEAT);
    const int most = quiet_scans(r->loop);

    if (s->place[RKI_PORT_HEARTBEAT] < 0) return;
    if (s->begun && beat != s->beat) {
        s->quiet = 0;
    } else if (s->quiet < most) {
        s->quiet++;
    }
    s->begun = true;
    s->beat = beat;
    if (get(s, r, RKI_REMOTE) != 0) {
        put(s, r, RKI_REMOTE_LOST, s->quiet >= most);
        put(s, r, RKI_REMOTE, s->quiet < most);
    }
}

static void follow(rki_port_side *s, rki_reference *r, bool remote)
{
    const rk_design *d = r->loop;

    if (remote) {
        const double value = value_of(r, get(s, r, RKI_PORT_OUT));

        if (isfinite(value)) {
            rki_reference_put(r, RKI_TRACK_OUT, value);
        }
        rki_reference_put(r, RKI_TRACKING, 1);
        return;
    }
    if (s->was_remote) {
        rki_reference_put(r, RKI_TRACKING, 0);
        rki_reference_put(r, RKI_AUTOMATIC, d->program.fallback == RK_FALLBACK_AUTOMATIC);
    }
    put(s, r, RKI_PORT_OUT,
        counts_of(r, &d->port.out, d->out_low, d->out_high, rki_reference_get(r, RKI_OUT)));
}

void rki_port_side_scan(rki_port_side *s, rki_reference *r)
{
    const rk_design *d = r->loop;
    const double pv = rki_reference_get(r, RKI_PV);
    bool remote;

    if (!s->there) return;
    watch(s, r);
    remote = get(s, r, RKI_REMOTE) != 0;
    follow(s, r, remote);
    s->was_remote = remote;
    if (isfinite(pv)) {
        put(s, r, RKI_PORT_PV, counts_of(r, &d->port.pv, d->pv_low, d->pv_high, pv));
    }
    put(s, r, RKI_PORT_OUT_NOW,
        counts_of(r, &d->port.out_now, d->out_low, d->out_high, rki_reference_get(r, RKI_OUT)));
    put(s, r, RKI_PORT_PV_GOOD, get(s, r, RKI_PV_BAD) == 0);
    put(s, r, RKI_PORT_ENABLE, remote);
}
