/* SPDX-License-Identifier: MIT */
#include <redkettle/device/relay.h>

#include <stddef.h>

#include "scans.h"

/* A cycle is even if it is like the one before to this part, and to a scan: noise tells them
   apart too. */
#define EVEN RK_C(0.2)
enum { CYCLES_MOST = 100 };
#define PI RK_C(3.14159265358979323846)

rk_param_error rk_relay_param_error(const rk_relay_params *p, rk_real out_now)
{
    if (!(p->ts > 0) || !rk_is_finite(p->ts)) return RK_PARAM_ERROR_TS;
    if (!rk_is_finite(p->sp)) return RK_PARAM_ERROR_SETPOINT;
    if (!(p->out_lo < p->out_hi)) return RK_PARAM_ERROR_OUT_LIMITS;
    if (!(out_now >= p->out_lo && out_now <= p->out_hi)) return RK_PARAM_ERROR_OUT_NOW;
    if (!(p->amplitude > 0) || !(out_now - p->amplitude >= p->out_lo) ||
        !(out_now + p->amplitude <= p->out_hi)) {
        return RK_PARAM_ERROR_AMPLITUDE;
    }
    if (!(p->hysteresis >= 0) || !rk_is_finite(p->hysteresis)) return RK_PARAM_ERROR_HYSTERESIS;
    if (p->cycles < 1 || p->cycles > CYCLES_MOST) return RK_PARAM_ERROR_CYCLES;
    if (!(p->patience > 0) || !(p->patience / p->ts <= RKI_SCANS_MOST))
        return RK_PARAM_ERROR_PATIENCE;
    if (!(p->pv_lo < p->pv_hi)) return RK_PARAM_ERROR_PV_RANGE;
    return RK_PARAM_ERROR_NONE;
}

static void start_cycle(rk_relay *relay, rk_real pv)
{
    relay->since = 0;
    relay->top = pv;
    relay->bottom = pv;
}

rk_status rk_relay_init(rk_relay *relay, const rk_relay_params *params, rk_real out_now)
{
    if (relay == NULL || params == NULL) return RK_ERR_ARG;
    if (rk_relay_param_error(params, out_now) != RK_PARAM_ERROR_NONE) return RK_ERR_RANGE;
    relay->params = *params;
    relay->out_start = out_now;
    relay->out = out_now;
    relay->high = false;
    relay->scans = 0;
    relay->patience = (long)(params->patience / params->ts);
    start_cycle(relay, params->sp);
    relay->last_period = RK_C(0.0);
    relay->last_swing = RK_C(0.0);
    relay->periods = RK_C(0.0);
    relay->swings = RK_C(0.0);
    relay->crossings = 0;
    relay->even = 0;
    relay->state = RK_RELAY_SWINGING;
    return RK_OK;
}

static rk_real distance(rk_real a, rk_real b)
{
    return a > b ? a - b : b - a;
}

/* A cycle is over: count it if it is like the one before. */
static void take_cycle(rk_relay *relay)
{
    const rk_real period = (rk_real)relay->since;
    const rk_real swing = relay->top - relay->bottom;
    const bool even = distance(period, relay->last_period) <= (EVEN * period) + RK_C(1.0) &&
                      distance(swing, relay->last_swing) <= EVEN * swing;

    relay->even = even ? relay->even + 1 : 0;
    relay->periods = even ? relay->periods + period : RK_C(0.0);
    relay->swings = even ? relay->swings + swing : RK_C(0.0);
    relay->last_period = period;
    relay->last_swing = swing;
    if (relay->even == relay->params.cycles) {
        relay->state = RK_RELAY_DONE;
    }
}

static void switch_over(rk_relay *relay, rk_real pv)
{
    const rk_relay_params *p = &relay->params;

    if (!relay->high && pv > p->sp + p->hysteresis) {
        relay->high = true;
        /* The first two begin with what was there before the swing. */
        if (relay->crossings >= 2) {
            take_cycle(relay);
        }
        relay->crossings++;
        start_cycle(relay, pv);
    } else if (relay->high && pv < p->sp - p->hysteresis) {
        relay->high = false;
    }
}

static bool is_out(const rk_relay_params *p, rk_real pv)
{
    return !(pv >= p->pv_lo && pv <= p->pv_hi);
}

rk_real rk_relay_scan(rk_relay *relay, rk_real pv)
{
    const rk_relay_params *p = &relay->params;

    if (relay->state == RK_RELAY_SWINGING) {
        relay->scans++;
        relay->since++;
        if (!rk_is_finite(pv)) {
            relay->state = RK_RELAY_PV_BAD;
        } else if (is_out(p, pv)) {
            relay->state = RK_RELAY_PV_OUT;
        } else {
            relay->top = pv > relay->top ? pv : relay->top;
            relay->bottom = pv < relay->bottom ? pv : relay->bottom;
            switch_over(relay, pv);
        }
        if (relay->state == RK_RELAY_SWINGING && relay->scans > relay->patience) {
            relay->state = RK_RELAY_TIMED_OUT;
        }
    }
    relay->out = relay->out_start;
    if (relay->state == RK_RELAY_SWINGING) {
        relay->out = relay->high == p->direct ? relay->out_start + p->amplitude
                                              : relay->out_start - p->amplitude;
    }
    return relay->out;
}

void rk_relay_stop(rk_relay *relay)
{
    if (relay->state == RK_RELAY_SWINGING) {
        relay->state = RK_RELAY_STOPPED;
    }
}

/* Newton's iteration from above: it falls until it is right. x > 0. */
static rk_real root(rk_real x)
{
    rk_real r = x > RK_C(1.0) ? x : RK_C(1.0), next;
    int i;

    for (i = 0; i < 2000; i++) {
        next = RK_C(0.5) * (r + (x / r));
        if (!(next < r)) break;
        r = next;
    }
    return r;
}

rk_status rk_relay_get_result(const rk_relay *relay, rk_relay_result *result)
{
    const rk_relay_params *p;
    rk_real a, square;

    if (relay == NULL || result == NULL) return RK_ERR_ARG;
    if (relay->state != RK_RELAY_DONE) return RK_ERR_DATA;
    p = &relay->params;
    a = RK_C(0.5) * (relay->swings / (rk_real)relay->even);
    square = (a * a) - (p->hysteresis * p->hysteresis);
    if (!(square > 0)) return RK_ERR_DATA;
    result->amplitude = a;
    result->ultimate_period = p->ts * (relay->periods / (rk_real)relay->even);
    result->ultimate_gain = (RK_C(4.0) * p->amplitude) / (PI * root(square));
    if (p->direct) {
        result->ultimate_gain = -result->ultimate_gain;
    }
    result->cycles = relay->even;
    return RK_OK;
}
