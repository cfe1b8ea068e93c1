/* SPDX-License-Identifier: MIT */
#include <redkettle/device/pid.h>

#include <stddef.h>

#include "pid_track.h"

/* What the build has beyond backward differences and the position algorithm. */
enum { SCHEMES = RK_CFG_PID_SCHEMES };

rk_pid_params rk_pid_params_make(void)
{
    const rk_pid_params made = {
        .sp_weight = RK_C(1.0),
        .anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION,
        .out_hi = RK_C(100.0),
        .out_rate = RK_INFINITY,
        .i_lo = -RK_INFINITY,
        .i_hi = RK_INFINITY,
        .sp_lo = -RK_REAL_MAX,
        .sp_hi = RK_REAL_MAX,
        .sp_rate = RK_INFINITY,
        .pv_lo = -RK_REAL_MAX,
        .pv_hi = RK_REAL_MAX,
    };

    return made;
}

/* False for a NaN. */
static bool within(rk_real x, rk_real lo, rk_real hi)
{
    return x >= lo && x <= hi;
}

/* What a parameter must be: a number, one from 0 to 1, one from 0 on, above 0 (infinite too),
   or less than the parameter after it. */
typedef enum demand { NUMBER, WEIGHT, NOT_NEGATIVE, POSITIVE, ORDERED } demand;

#define DEMAND(field, what, error)                                                             \
    {                                                                                          \
        offsetof(rk_pid_params, field), what, error                                            \
    }
static const struct {
    unsigned char offset, demand, error;
} demands[] = {
    DEMAND(ts, POSITIVE, RK_PARAM_ERROR_TS),
    DEMAND(ts, NUMBER, RK_PARAM_ERROR_TS),
    DEMAND(kc, NUMBER, RK_PARAM_ERROR_KC),
    DEMAND(td, NOT_NEGATIVE, RK_PARAM_ERROR_TD),
    DEMAND(tf, NOT_NEGATIVE, RK_PARAM_ERROR_TF),
    DEMAND(sp_weight, WEIGHT, RK_PARAM_ERROR_WEIGHT),
    DEMAND(d_sp_weight, WEIGHT, RK_PARAM_ERROR_WEIGHT),
    DEMAND(deadband, NOT_NEGATIVE, RK_PARAM_ERROR_DEADBAND),
    DEMAND(out_lo, NUMBER, RK_PARAM_ERROR_OUT_LIMITS),
    DEMAND(out_hi, NUMBER, RK_PARAM_ERROR_OUT_LIMITS),
    DEMAND(out_lo, ORDERED, RK_PARAM_ERROR_OUT_LIMITS),
    DEMAND(out_rate, POSITIVE, RK_PARAM_ERROR_OUT_RATE),
    DEMAND(i_lo, ORDERED, RK_PARAM_ERROR_I_LIMITS),
    DEMAND(sp_lo, ORDERED, RK_PARAM_ERROR_SP_LIMITS),
    DEMAND(sp_rate, POSITIVE, RK_PARAM_ERROR_SP_RATE),
    DEMAND(pv_lo, ORDERED, RK_PARAM_ERROR_PV_RANGE),
};

static bool is_met(const rk_real *x, demand what)
{
    if (what == ORDERED) return x[0] < x[1];
    if (what == POSITIVE) return *x > 0;
    return within(*x, what == NUMBER ? -RK_REAL_MAX : RK_C(0.0),
                  what == WEIGHT ? RK_C(1.0) : RK_REAL_MAX);
}

/* A filter shorter than half a scan would make the trapezoid's derivative swing. */
static bool has_sound_scheme(const rk_pid_params *p)
{
    if (!SCHEMES)
        return ((unsigned)p->integral | (unsigned)p->derivative | (unsigned)p->algorithm) == 0;
    if ((unsigned)p->integral > RK_SCHEME_FORWARD) return false;
    if ((unsigned)p->derivative > RK_SCHEME_TRAPEZOID) return false;
    if (p->derivative && p->td > 0 && p->tf + p->tf < p->ts) return false;
    return p->algorithm == RK_ALGORITHM_POSITION || p->ti <= RK_REAL_MAX;
}

/* All but the output it starts from. */
static rk_param_error params_error(const rk_pid_params *p)
{
    const bool tt_known = p->tt >= p->ts;
    size_t i;

    for (i = 0; i < sizeof demands / sizeof demands[0]; i++) {
        const void *field = (const char *)p + demands[i].offset;

        if (!is_met(field, (demand)demands[i].demand)) return (rk_param_error)demands[i].error;
    }
    if (p->kc == 0) return RK_PARAM_ERROR_KC;
    if (!(p->ti >= p->ts)) return RK_PARAM_ERROR_TI;
    if ((unsigned)p->anti_windup > RK_ANTI_WINDUP_BACK_CALCULATION)
        return RK_PARAM_ERROR_ANTI_WINDUP;
    if (p->tt != 0 && !tt_known) return RK_PARAM_ERROR_TT;
    if (!has_sound_scheme(p)) return RK_PARAM_ERROR_SCHEME;
    if (p->biased && !(rk_is_finite(p->bias) && tt_known)) return RK_PARAM_ERROR_BIAS;
    if (!within(p->out_safe, p->out_lo, p->out_hi)) return RK_PARAM_ERROR_OUT_SAFE;
    return RK_PARAM_ERROR_NONE;
}

rk_param_error rk_pid_param_error(const rk_pid_params *params, rk_real out_now)
{
    const rk_param_error error = params_error(params);

    if (error != RK_PARAM_ERROR_NONE) return error;
    return out_now >= params->out_lo && out_now <= params->out_hi ? RK_PARAM_ERROR_NONE
                                                                  : RK_PARAM_ERROR_OUT_NOW;
}

static void take_backward(rk_pid *pid, const rk_pid_params *p)
{
    pid->ki_ts = p->kc * (p->ts / p->ti);
    pid->ki_last = RK_C(0.0);
    pid->ad = p->tf / (p->tf + p->ts);
    pid->kd = p->kc * (p->td / (p->tf + p->ts));
}

/* The same, of which backward differences are the case of no late part. */
static void take_scheme(rk_pid *pid, const rk_pid_params *p)
{
    const rk_real ki = p->kc * (p->ts / p->ti);
    /* A scan's part that the last value counts for: 0, a half, all. */
    const rk_real late_i = RK_C(0.5) * (rk_real)(int)p->integral;
    const rk_real late_d = p->ts * (RK_C(0.5) * (rk_real)(int)p->derivative);
    const rk_real below = p->tf + (p->ts - late_d);

    pid->ki_last = ki * late_i;
    pid->ki_ts = ki - pid->ki_last;
    pid->ad = (p->tf - late_d) / below;
    pid->kd = p->kc * (p->td / below);
}

/* The fields that the parameters determine. */
static void take_params(rk_pid *pid, const rk_pid_params *p)
{
    const bool integral = p->ti <= RK_REAL_MAX;
    const rk_real part = rki_pid_track(p);

    pid->params = *p;
    if (SCHEMES) {
        take_scheme(pid, p);
    } else {
        take_backward(pid, p);
    }
    /* Without an integral there is nothing to wind up, and paying back would move the bias. */
    pid->kt_ts = RK_C(0.0);
    pid->fade = RK_C(0.0);
    if (integral && p->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION) {
        pid->kt_ts = part;
    }
    if (!integral && p->biased) {
        pid->fade = part;
    }
    pid->out_step = p->out_rate * p->ts;
    pid->sp_step = p->sp_rate * p->ts;
}

/* The parameters, if they and an output to go on from are sound. */
static rk_status adopt(rk_pid *pid, const rk_pid_params *params, rk_real out_now)
{
    rk_param_error error;

    if (pid == NULL || params == NULL) return RK_ERR_ARG;
    error = rk_pid_param_error(params, out_now);
    if (error == RK_PARAM_ERROR_ANTI_WINDUP) return RK_ERR_ARG;
    if (error != RK_PARAM_ERROR_NONE) return RK_ERR_RANGE;
    take_params(pid, params);
    return RK_OK;
}

/* pv moved towards sp by the deadband, no further than it. */
static rk_real closer(rk_real sp, rk_real pv, rk_real deadband)
{
    if (!(deadband > 0)) return pv;
    if (pv < sp - deadband) return pv + deadband;
    if (pv > sp + deadband) return pv - deadband;
    return sp;
}

/* P of a setpoint and a measured value. */
static rk_real proportional(const rk_pid *pid, rk_real s, rk_real y)
{
    return pid->params.kc * ((pid->params.sp_weight * s) - y);
}

/* v at the last scan's s and y, by the parameters as they are now. */
static rk_real last_v(const rk_pid *pid)
{
    return ((proportional(pid, pid->sp_now, pid->y) + pid->i) + pid->d) + pid->ff_last;
}

rk_status rk_pid_reset(rk_pid *pid, rk_real sp, rk_real pv, rk_real out)
{
    if (pid == NULL) return RK_ERR_ARG;
    if (!rk_is_finite(sp) || !rk_is_finite(pv)) return RK_ERR_RANGE;
    if (!within(out, pid->params.out_lo, pid->params.out_hi)) return RK_ERR_RANGE;

    pid->sp_now = sp;
    pid->pv = pv;
    pid->y = closer(sp, pv, pid->params.deadband);
    pid->i = RK_C(0.0);
    pid->d = RK_C(0.0);
    pid->ff_last = pid->ff;
    pid->i = out - last_v(pid);
    pid->out = out;
    pid->wanted = out;
    pid->fresh = false;
    pid->d_fresh = false;
    pid->at_pv = false;
    return RK_OK;
}

rk_status rk_pid_init(rk_pid *pid, const rk_pid_params *params, rk_real out_now)
{
    const rk_status status = adopt(pid, params, out_now);

    if (status != RK_OK) return status;
    pid->manual_out = out_now;
    pid->track_out = out_now;
    pid->ff = RK_C(0.0);
    pid->mode = RK_PID_AUTO;
    pid->bad = false;
    (void)rk_pid_reset(pid, RK_C(0.0), RK_C(0.0), out_now);
    pid->fresh = true;
    pid->at_pv = true;
    return RK_OK;
}

rk_status rk_pid_set_params(rk_pid *pid, const rk_pid_params *params)
{
    rk_real v, kd;
    rk_status status;

    if (pid == NULL || params == NULL) return RK_ERR_ARG;
    v = last_v(pid);
    kd = pid->kd;
    status = adopt(pid, params, params->out_lo);
    if (status != RK_OK) return status;
    /* P and D as the new settings have them at the last scan's s and y; I takes up the rest. */
    pid->y = closer(pid->sp_now, pid->pv, params->deadband);
    if (kd != 0) {
        pid->d *= pid->kd / kd;
    }
    pid->i += v - last_v(pid);
    pid->out = rk_clamp(pid->out, params->out_lo, params->out_hi);
    return RK_OK;
}

void rk_pid_set_manual(rk_pid *pid, rk_real manual_out)
{
    pid->manual_out = rk_is_finite(manual_out) ? manual_out : pid->out;
    pid->mode = RK_PID_MANUAL;
}

void rk_pid_set_tracking(rk_pid *pid, rk_real track_out)
{
    if (rk_is_finite(track_out)) {
        pid->track_out = track_out;
    } else if (pid->mode != RK_PID_TRACKING) {
        pid->track_out = pid->out;
    }
    pid->mode = RK_PID_TRACKING;
}

void rk_pid_set_auto(rk_pid *pid)
{
    pid->mode = RK_PID_AUTO;
}

void rk_pid_set_feedforward(rk_pid *pid, rk_real ff)
{
    if (rk_is_finite(ff)) {
        pid->ff = ff;
    }
}

void rk_pid_take_out(rk_pid *pid, rk_real out)
{
    const rk_real stands = rk_clamp(out, pid->params.out_lo, pid->params.out_hi);

    if (!rk_is_finite(out) || stands == pid->out) return;
    pid->out = stands;
    pid->i += stands - last_v(pid);
}

void rk_pid_restart_derivative(rk_pid *pid)
{
    pid->i += pid->d;
    pid->d = RK_C(0.0);
    pid->d_fresh = true;
}

/* Within the rate, and then within the limits, which always win. */
static rk_real limited(const rk_pid *pid, rk_real wanted)
{
    return rk_clamp(rk_clamp(wanted, pid->out - pid->out_step, pid->out + pid->out_step),
                    pid->params.out_lo, pid->params.out_hi);
}

/* The output where no setpoint is followed; automatic goes to `otherwise`. */
static rk_real led(const rk_pid *pid, rk_real otherwise)
{
    if (pid->mode == RK_PID_MANUAL) return limited(pid, pid->manual_out);
    if (pid->mode == RK_PID_TRACKING) {
        return rk_clamp(pid->track_out, pid->params.out_lo, pid->params.out_hi);
    }
    return otherwise;
}

static rk_real without_pv(rk_pid *pid, bool safe)
{
    pid->out = led(pid, safe ? limited(pid, pid->params.out_safe) : pid->out);
    pid->wanted = pid->out;
    pid->bad = true;
    pid->fresh = true;
    pid->at_pv = pid->at_pv || pid->mode != RK_PID_AUTO;
    return pid->out;
}

rk_real rk_pid_hold(rk_pid *pid)
{
    return without_pv(pid, false);
}

rk_real rk_pid_fail(rk_pid *pid)
{
    return without_pv(pid, true);
}

/* I one inc further, no further beyond its limits than it is. */
static rk_real integrated(const rk_pid *pid, rk_real i, rk_real inc)
{
    return rk_clamp(i + inc, i < pid->params.i_lo ? i : pid->params.i_lo,
                    i > pid->params.i_hi ? i : pid->params.i_hi);
}

/* What this scan adds to I, or takes from its distance to the bias. */
static rk_real increment(const rk_pid *pid, rk_real e, rk_real e_last, rk_real i_last)
{
    if (pid->fade > 0) return pid->fade * (pid->params.bias - i_last);
    if (!SCHEMES || pid->ki_last == 0) return pid->ki_ts * e;
    return (pid->ki_ts * e) + (pid->ki_last * e_last);
}

/* The parts of an output, and v, what they come to before the limits. */
typedef struct parts {
    rk_real p, i, d, v;
} parts;

static rk_real sum_of(const rk_pid *pid, const parts *x)
{
    return ((x->p + x->i) + x->d) + pid->ff;
}

/* The position algorithm: adds the parts up, and keeps I from what the valve cannot follow. */
static rk_real position(const rk_pid *pid, parts *x, rk_real inc)
{
    const rk_real lowest = limited(pid, -RK_REAL_MAX), highest = limited(pid, RK_REAL_MAX);
    const rk_real i_last = x->i;
    rk_real out;

    x->i = integrated(pid, i_last, inc);
    x->v = sum_of(pid, x);
    if (pid->params.anti_windup == RK_ANTI_WINDUP_CONDITIONAL &&
        (inc > 0 ? x->v > highest : x->v < lowest)) {
        x->i = i_last;
        x->v = sum_of(pid, x);
    }
    out = rk_clamp(x->v, lowest, highest);
    x->i = x->i + (pid->kt_ts * (out - x->v));
    return out;
}

/* The velocity algorithm: from the output that stands, by what each part has moved. */
static rk_real velocity(const rk_pid *pid, parts *x, rk_real inc, rk_real p_last,
                        rk_real d_last)
{
    const rk_real ff_last = pid->fresh ? pid->ff : pid->ff_last;
    rk_real out;

    x->v = pid->out + ((((x->p + pid->ff) - (p_last + ff_last)) + inc) + (x->d - d_last));
    out = limited(pid, x->v);
    x->i = ((out - x->p) - x->d) - pid->ff;
    return out;
}

/* Automatic; false: there is no such output, and nothing has changed. */
static bool follow(rk_pid *pid, rk_real s, rk_real y)
{
    const rk_real s_last = pid->fresh ? s : pid->sp_now, y_last = pid->fresh ? y : pid->y;
    const rk_real d_last = pid->fresh ? RK_C(0.0) : pid->d;
    const rk_real g = (pid->params.d_sp_weight * s) - y;
    const rk_real g_last = pid->d_fresh ? g : (pid->params.d_sp_weight * s_last) - y_last;
    parts x;
    rk_real out, inc;

    x.p = proportional(pid, s, y);
    x.d = pid->kd == 0 ? RK_C(0.0) : (pid->ad * d_last) + (pid->kd * (g - g_last));
    x.i = pid->fresh ? (pid->out - x.p) - pid->ff : pid->i;
    inc = increment(pid, s - y, s_last - y_last, x.i);
    if (SCHEMES && pid->params.algorithm == RK_ALGORITHM_VELOCITY) {
        out = velocity(pid, &x, inc, proportional(pid, s_last, y_last), d_last);
    } else {
        out = position(pid, &x, inc);
    }
    /* One check for every bad value above: a NaN kept in the state would never leave. */
    if (!rk_is_finite(x.i) || !rk_is_finite(x.d)) return false;

    pid->i = x.i;
    pid->d = x.d;
    pid->ff_last = pid->ff;
    pid->wanted = x.v;
    pid->out = out;
    return true;
}

rk_real rk_pid_scan(rk_pid *pid, rk_real sp, rk_real pv)
{
    const rk_pid_params *p = &pid->params;
    const bool automatic = pid->mode == RK_PID_AUTO;
    const rk_real ramp = pid->at_pv ? pv : pid->sp_now;
    const rk_real s =
        rk_clamp(rk_clamp(sp, p->sp_lo, p->sp_hi), ramp - pid->sp_step, ramp + pid->sp_step);
    const rk_real y = closer(s, pv, p->deadband);

    if (!within(pv, p->pv_lo, p->pv_hi) || !rk_is_finite(sp))
        return without_pv(pid, p->bad_to_safe);
    if (!automatic) {
        pid->out = led(pid, pid->out);
        pid->wanted = pid->out;
    } else if (!follow(pid, s, y)) {
        return without_pv(pid, p->bad_to_safe);
    }
    pid->sp_now = s;
    pid->pv = pv;
    pid->y = y;
    pid->bad = false;
    pid->fresh = pid->at_pv = !automatic;
    pid->d_fresh = false;
    return pid->out;
}
