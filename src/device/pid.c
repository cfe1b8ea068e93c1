/* SPDX-License-Identifier: MIT */
#include <redkettle/device/pid.h>

#include <stddef.h>

rk_pid_params rk_pid_params_make(void)
{
    const rk_pid_params made = {
        .sp_weight = RK_C(1.0),
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

static bool is_time(rk_real t)
{
    return (t >= 0) && rk_is_finite(t);
}

static rk_flaw settings_flaw(const rk_pid_params *p)
{
    if (!(p->ts > 0) || !rk_is_finite(p->ts)) return RK_FLAW_TS;
    if (!rk_is_finite(p->kc) || p->kc == 0) return RK_FLAW_KC;
    if (!(p->ti >= p->ts)) return RK_FLAW_TI;
    if (!is_time(p->td)) return RK_FLAW_TD;
    if (!is_time(p->tf)) return RK_FLAW_TF;
    if (!(p->sp_weight >= 0) || !(p->sp_weight <= 1)) return RK_FLAW_WEIGHT;
    if (!(p->d_sp_weight >= 0) || !(p->d_sp_weight <= 1)) return RK_FLAW_WEIGHT;
    if (!is_time(p->deadband)) return RK_FLAW_DEADBAND;
    if (p->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION && !(p->tt >= p->ts)) {
        return RK_FLAW_TT;
    }
    if (p->biased && !(rk_is_finite(p->bias) && p->tt >= p->ts)) return RK_FLAW_BIAS;
    return RK_FLAW_NONE;
}

static rk_flaw limits_flaw(const rk_pid_params *p)
{
    if (!rk_is_finite(p->out_lo) || !rk_is_finite(p->out_hi) || !(p->out_lo < p->out_hi)) {
        return RK_FLAW_OUT_LIMITS;
    }
    if (!(p->out_rate > 0)) return RK_FLAW_OUT_RATE;
    if (!(p->i_lo < p->i_hi)) return RK_FLAW_I_LIMITS;
    if (!(p->sp_lo < p->sp_hi)) return RK_FLAW_SP_LIMITS;
    if (!(p->sp_rate > 0)) return RK_FLAW_SP_RATE;
    if (!(p->pv_lo < p->pv_hi)) return RK_FLAW_PV_RANGE;
    if (p->bad_to_safe && !(p->out_safe >= p->out_lo && p->out_safe <= p->out_hi)) {
        return RK_FLAW_OUT_SAFE;
    }
    return RK_FLAW_NONE;
}

static bool anti_windup_known(rk_anti_windup way)
{
    return way == RK_ANTI_WINDUP_NONE || way == RK_ANTI_WINDUP_CONDITIONAL ||
           way == RK_ANTI_WINDUP_BACK_CALCULATION;
}

/* All but the output it starts from. */
static rk_flaw params_flaw(const rk_pid_params *p)
{
    const rk_flaw flaw = settings_flaw(p);

    if (!anti_windup_known(p->anti_windup)) return RK_FLAW_ANTI_WINDUP;
    return flaw != RK_FLAW_NONE ? flaw : limits_flaw(p);
}

rk_flaw rk_pid_flaw(const rk_pid_params *params, rk_real out_now)
{
    const rk_flaw flaw = params_flaw(params);

    if (flaw != RK_FLAW_NONE) return flaw;
    return out_now >= params->out_lo && out_now <= params->out_hi ? RK_FLAW_NONE
                                                                  : RK_FLAW_OUT_NOW;
}

/* The fields that the parameters determine. */
static void take_params(rk_pid *pid, const rk_pid_params *p)
{
    pid->kc = p->kc;
    pid->b = p->sp_weight;
    pid->c = p->d_sp_weight;
    pid->ki_ts = p->kc * (p->ts / p->ti);
    pid->ad = p->tf / (p->tf + p->ts);
    pid->kd = p->kc * (p->td / (p->tf + p->ts));
    /* Without an integral there is nothing to wind up, and paying back would move the bias. */
    pid->kt_ts = RK_C(0.0);
    if (p->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION && p->ti <= RK_REAL_MAX) {
        pid->kt_ts = p->ts / p->tt;
    }
    pid->fade = p->biased && !(p->ti <= RK_REAL_MAX) ? p->ts / p->tt : RK_C(0.0);
    pid->bias = p->bias;
    pid->conditional = p->anti_windup == RK_ANTI_WINDUP_CONDITIONAL;
    pid->deadband = p->deadband;
    pid->out_lo = p->out_lo;
    pid->out_hi = p->out_hi;
    pid->out_step = p->out_rate * p->ts;
    pid->i_lo = p->i_lo;
    pid->i_hi = p->i_hi;
    pid->sp_lo = p->sp_lo;
    pid->sp_hi = p->sp_hi;
    pid->sp_step = p->sp_rate * p->ts;
    pid->pv_lo = p->pv_lo;
    pid->pv_hi = p->pv_hi;
    pid->bad_to_safe = p->bad_to_safe;
    pid->out_safe = p->out_safe;
}

rk_status rk_pid_init(rk_pid *pid, const rk_pid_params *params, rk_real out_now)
{
    rk_flaw flaw;

    if (pid == NULL || params == NULL) return RK_ERR_ARG;
    flaw = rk_pid_flaw(params, out_now);
    if (flaw == RK_FLAW_ANTI_WINDUP) return RK_ERR_ARG;
    if (flaw != RK_FLAW_NONE) return RK_ERR_RANGE;

    take_params(pid, params);
    pid->manual_out = out_now;
    pid->track_out = out_now;
    pid->ff = RK_C(0.0);
    pid->sp_now = RK_C(0.0);
    pid->i = out_now;
    pid->d = RK_C(0.0);
    pid->g_last = RK_C(0.0);
    pid->out = out_now;
    pid->mode = RK_PID_AUTO;
    pid->bad = false;
    pid->fresh = true;
    pid->at_pv = true;
    return RK_OK;
}

rk_status rk_pid_set_params(rk_pid *pid, const rk_pid_params *params)
{
    rk_flaw flaw;

    if (pid == NULL || params == NULL) return RK_ERR_ARG;
    flaw = params_flaw(params);
    if (flaw == RK_FLAW_ANTI_WINDUP) return RK_ERR_ARG;
    if (flaw != RK_FLAW_NONE) return RK_ERR_RANGE;

    take_params(pid, params);
    pid->manual_out = rk_clamp(pid->manual_out, pid->out_lo, pid->out_hi);
    pid->track_out = rk_clamp(pid->track_out, pid->out_lo, pid->out_hi);
    pid->fresh = true;
    return RK_OK;
}

rk_status rk_pid_reset(rk_pid *pid, rk_real sp, rk_real pv, rk_real out)
{
    if (pid == NULL) return RK_ERR_ARG;
    if (!rk_is_finite(sp) || !rk_is_finite(pv)) return RK_ERR_RANGE;
    if (!(out >= pid->out_lo) || !(out <= pid->out_hi)) return RK_ERR_RANGE;

    pid->sp_now = sp;
    pid->i = (out - (pid->kc * ((pid->b * sp) - pv))) - pid->ff;
    pid->d = RK_C(0.0);
    pid->g_last = (pid->c * sp) - pv;
    pid->out = out;
    pid->fresh = false;
    pid->at_pv = false;
    return RK_OK;
}

void rk_pid_set_manual(rk_pid *pid, rk_real manual_out)
{
    pid->manual_out = pid->out;
    if (rk_is_finite(manual_out)) {
        pid->manual_out = rk_clamp(manual_out, pid->out_lo, pid->out_hi);
    }
    pid->mode = RK_PID_MANUAL;
}

void rk_pid_set_tracking(rk_pid *pid, rk_real track_out)
{
    if (rk_is_finite(track_out)) {
        pid->track_out = rk_clamp(track_out, pid->out_lo, pid->out_hi);
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
    const rk_real out = rk_clamp(wanted, pid->out_lo, pid->out_hi);

    return rk_clamp(out, pid->out - pid->out_step, pid->out + pid->out_step);
}

/* The output where no setpoint is followed; automatic goes to `otherwise`. */
static rk_real led(const rk_pid *pid, rk_real otherwise)
{
    if (pid->mode == RK_PID_MANUAL) return limited(pid, pid->manual_out);
    if (pid->mode == RK_PID_TRACKING) return pid->track_out;
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
    return without_pv(pid, limited(pid, pid->out_safe));
}

static rk_real on_bad(rk_pid *pid)
{
    return pid->bad_to_safe ? rk_pid_fail(pid) : rk_pid_hold(pid);
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

    if (sum > pid->i_hi && inc > 0) return i > pid->i_hi ? i : pid->i_hi;
    if (sum < pid->i_lo && inc < 0) return i < pid->i_lo ? i : pid->i_lo;
    return sum;
}

rk_real rk_pid_scan(rk_pid *pid, rk_real sp, rk_real pv)
{
    const rk_real ramp = pid->at_pv ? pv : pid->sp_now;
    const rk_real s = rk_clamp(rk_clamp(sp, pid->sp_lo, pid->sp_hi), ramp - pid->sp_step,
                               ramp + pid->sp_step);
    const rk_real y = pid->deadband > 0 ? closer(s, pv, pid->deadband) : pv;
    const rk_real g = (pid->c * s) - y;
    const rk_real p = pid->kc * ((pid->b * s) - y);
    const rk_real g_last = pid->fresh ? g : pid->g_last;
    const rk_real d_last = pid->fresh ? RK_C(0.0) : pid->d;
    const rk_real d = (pid->ad * d_last) + (pid->kd * (g - g_last));
    rk_real out, i;

    if (!(pv >= pid->pv_lo && pv <= pid->pv_hi) || !rk_is_finite(sp)) return on_bad(pid);
    if (pid->mode != RK_PID_AUTO) {
        out = led(pid, pid->out);
        i = ((out - p) - d) - pid->ff;
    } else {
        const rk_real i_last = pid->fresh ? ((pid->out - p) - d) - pid->ff : pid->i;
        const rk_real inc =
            pid->fade > 0 ? pid->fade * (pid->bias - i_last) : pid->ki_ts * (s - y);
        rk_real sum = integrated(pid, i_last, inc);
        rk_real v = ((p + sum) + d) + pid->ff;

        if (pid->conditional &&
            ((v > pid->out_hi && inc > 0) || (v < pid->out_lo && inc < 0))) {
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
    pid->out = out;
    pid->bad = false;
    pid->fresh = false;
    pid->at_pv = pid->mode != RK_PID_AUTO;
    return out;
}
