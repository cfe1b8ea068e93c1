/* SPDX-License-Identifier: MIT */
#include <redkettle/device/pid.h>

#include <stddef.h>

/* What the build has beyond backward differences and the position algorithm. */
enum { SCHEMES = RK_CFG_PID_SCHEMES };

rk_pid_params rk_pid_params_make(void)
{
    const rk_pid_params made = {
        .sp_weight = RK_C(1.0),
        .anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION,
        .out_hi = RK_C(100.0),
        .out_rate = RK_REAL_MAX,
        .i_lo = -RK_REAL_MAX,
        .i_hi = RK_REAL_MAX,
        .sp_lo = -RK_REAL_MAX,
        .sp_hi = RK_REAL_MAX,
        .sp_rate = RK_REAL_MAX,
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
    if (p->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION && p->tt != 0 && !tt_known)
        return RK_PARAM_ERROR_TT;
    if (!has_sound_scheme(p)) return RK_PARAM_ERROR_SCHEME;
    if (p->biased && !(rk_is_finite(p->bias) && tt_known)) return RK_PARAM_ERROR_BIAS;
    if (p->bad_to_safe && !within(p->out_safe, p->out_lo, p->out_hi))
        return RK_PARAM_ERROR_OUT_SAFE;
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
    const rk_real to_track = p->ts / (p->tt == 0 ? p->ti : p->tt);

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
        pid->kt_ts = to_track;
    }
    if (!integral && p->biased) {
        pid->fade = to_track;
    }
    pid->out_step = p->out_rate * p->ts;
    pid->sp_step = p->sp_rate * p->ts;
}

static rk_status status_of(rk_param_error error)
{
    if (error == RK_PARAM_ERROR_NONE) return RK_OK;
    return error == RK_PARAM_ERROR_ANTI_WINDUP ? RK_ERR_ARG : RK_ERR_RANGE;
}

rk_status rk_pid_init(rk_pid *pid, const rk_pid_params *params, rk_real out_now)
{
    rk_status status;

    if (pid == NULL || params == NULL) return RK_ERR_ARG;
    status = status_of(rk_pid_param_error(params, out_now));
    if (status != RK_OK) return status;

    take_params(pid, params);
    pid->manual_out = out_now;
    pid->track_out = out_now;
    pid->ff = RK_C(0.0);
    pid->sp_now = RK_C(0.0);
    pid->i = out_now;
    pid->d = RK_C(0.0);
    pid->g_last = RK_C(0.0);
    pid->e_last = RK_C(0.0);
    pid->p_last = RK_C(0.0);
    pid->out = out_now;
    pid->mode = RK_PID_AUTO;
    pid->bad = false;
    pid->fresh = true;
    pid->at_pv = true;
    return RK_OK;
}

rk_status rk_pid_set_params(rk_pid *pid, const rk_pid_params *params)
{
    rk_status status;

    if (pid == NULL || params == NULL) return RK_ERR_ARG;
    status = status_of(params_error(params));
    if (status != RK_OK) return status;

    take_params(pid, params);
    pid->fresh = true;
    return RK_OK;
}

rk_status rk_pid_reset(rk_pid *pid, rk_real sp, rk_real pv, rk_real out)
{
    if (pid == NULL) return RK_ERR_ARG;
    if (!rk_is_finite(sp) || !rk_is_finite(pv)) return RK_ERR_RANGE;
    if (!within(out, pid->params.out_lo, pid->params.out_hi)) return RK_ERR_RANGE;

    pid->sp_now = sp;
    pid->i = (out - (pid->params.kc * ((pid->params.sp_weight * sp) - pv))) - pid->ff;
    pid->d = RK_C(0.0);
    pid->g_last = (pid->params.d_sp_weight * sp) - pv;
    pid->e_last = sp - pv;
    pid->p_last = (pid->params.kc * ((pid->params.sp_weight * sp) - pv)) + pid->ff;
    pid->out = out;
    pid->fresh = false;
    pid->at_pv = false;
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
    if (rk_is_finite(out)) {
        pid->out = out;
        pid->fresh = true;
    }
}

static rk_real limited(const rk_pid *pid, rk_real wanted)
{
    const rk_real out = rk_clamp(wanted, pid->params.out_lo, pid->params.out_hi);

    return rk_clamp(out, pid->out - pid->out_step, pid->out + pid->out_step);
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

static rk_real without_pv(rk_pid *pid, rk_real otherwise)
{
    pid->out = led(pid, otherwise);
    pid->bad = true;
    pid->fresh = true;
    pid->at_pv = pid->at_pv || pid->mode != RK_PID_AUTO;
    return pid->out;
}

rk_real rk_pid_hold(rk_pid *pid)
{
    return without_pv(pid, pid->out);
}

rk_real rk_pid_fail(rk_pid *pid)
{
    return without_pv(pid, limited(pid, pid->params.out_safe));
}

static rk_real on_bad(rk_pid *pid)
{
    return pid->params.bad_to_safe ? rk_pid_fail(pid) : rk_pid_hold(pid);
}

/* pv moved towards sp by the deadband, no further than it. */
static rk_real closer(rk_real sp, rk_real pv, rk_real deadband)
{
    if (pv < sp - deadband) return pv + deadband;
    if (pv > sp + deadband) return pv - deadband;
    return sp;
}

/* I one inc further, no further beyond its limits. */
static rk_real integrated(const rk_pid *pid, rk_real i, rk_real inc)
{
    const rk_real sum = i + inc;

    if (sum > pid->params.i_hi && inc > 0) return i > pid->params.i_hi ? i : pid->params.i_hi;
    if (sum < pid->params.i_lo && inc < 0) return i < pid->params.i_lo ? i : pid->params.i_lo;
    return sum;
}

/* What this scan adds to I, or takes from its distance to the bias. */
static rk_real increment(const rk_pid *pid, rk_real e, rk_real i_last)
{
    const rk_real e_last = pid->fresh ? e : pid->e_last;

    if (pid->fade > 0) return pid->fade * (pid->params.bias - i_last);
    if (!SCHEMES || pid->ki_last == 0) return pid->ki_ts * e;
    return (pid->ki_ts * e) + (pid->ki_last * e_last);
}

/* The velocity form: from the output that stands, by what each part has moved. */
static rk_real moved(const rk_pid *pid, rk_real p, rk_real inc, rk_real d_move)
{
    const rk_real p_last = pid->fresh ? p : pid->p_last;

    return pid->out + (((p - p_last) + inc) + d_move);
}

rk_real rk_pid_scan(rk_pid *pid, rk_real sp, rk_real pv)
{
    const rk_real ramp = pid->at_pv ? pv : pid->sp_now;
    const rk_real s = rk_clamp(rk_clamp(sp, pid->params.sp_lo, pid->params.sp_hi),
                               ramp - pid->sp_step, ramp + pid->sp_step);
    const rk_real y = pid->params.deadband > 0 ? closer(s, pv, pid->params.deadband) : pv;
    const rk_real g = (pid->params.d_sp_weight * s) - y;
    const rk_real p = pid->params.kc * ((pid->params.sp_weight * s) - y);
    const rk_real g_last = pid->fresh ? g : pid->g_last;
    const rk_real d_last = pid->fresh ? RK_C(0.0) : pid->d;
    const rk_real d = (pid->ad * d_last) + (pid->kd * (g - g_last));
    rk_real out, i;

    if (!(pv >= pid->params.pv_lo && pv <= pid->params.pv_hi) || !rk_is_finite(sp))
        return on_bad(pid);
    if (pid->mode != RK_PID_AUTO) {
        out = led(pid, pid->out);
        i = ((out - p) - d) - pid->ff;
    } else if (SCHEMES && pid->params.algorithm == RK_ALGORITHM_VELOCITY) {
        out = limited(pid, moved(pid, p + pid->ff, increment(pid, s - y, pid->i), d - d_last));
        i = ((out - p) - d) - pid->ff;
    } else {
        const rk_real i_last = pid->fresh ? ((pid->out - p) - d) - pid->ff : pid->i;
        const rk_real inc = increment(pid, s - y, i_last);
        rk_real sum = integrated(pid, i_last, inc);
        rk_real v = ((p + sum) + d) + pid->ff;

        if (pid->params.anti_windup == RK_ANTI_WINDUP_CONDITIONAL &&
            ((v > pid->params.out_hi && inc > 0) || (v < pid->params.out_lo && inc < 0))) {
            sum = i_last;
            v = ((p + sum) + d) + pid->ff;
        }
        out = limited(pid, v);
        i = sum + (pid->kt_ts * (out - v));
    }

    /* One check for every bad value above: a NaN kept in the state would never leave. */
    if (!rk_is_finite(i) || !rk_is_finite(d)) return on_bad(pid);

    pid->sp_now = s;
    pid->i = i;
    pid->d = d;
    pid->g_last = g;
    if (SCHEMES) {
        pid->e_last = s - y;
        pid->p_last = p + pid->ff;
    }
    pid->out = out;
    pid->bad = false;
    pid->fresh = false;
    pid->at_pv = pid->mode != RK_PID_AUTO;
    return out;
}
