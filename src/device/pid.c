/* SPDX-License-Identifier: MIT */
#include <redkettle/device/pid.h>

#include <stddef.h>

static bool settings_in_range(const rk_pid_params *p)
{
    if (!(p->ts > 0) || !rk_is_finite(p->ts)) return false;
    if (!rk_is_finite(p->kc) || p->kc == 0) return false;
    if (!(p->ti >= p->ts)) return false;
    if (!(p->td >= 0) || !rk_is_finite(p->td)) return false;
    if (!(p->tf >= 0) || !rk_is_finite(p->tf)) return false;
    if (!(p->sp_weight >= 0) || !(p->sp_weight <= 1)) return false;
    if (!(p->d_sp_weight >= 0) || !(p->d_sp_weight <= 1)) return false;
    return true;
}

static bool limits_in_range(const rk_pid_params *p, rk_real out_now)
{
    if (!rk_is_finite(p->out_lo) || !rk_is_finite(p->out_hi)) return false;
    if (!(p->out_lo < p->out_hi)) return false;
    if (!(p->out_rate > 0)) return false;
    if (p->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION && !(p->tt >= p->ts)) return false;
    return out_now >= p->out_lo && out_now <= p->out_hi;
}

static bool anti_windup_known(rk_anti_windup way)
{
    return way == RK_ANTI_WINDUP_NONE || way == RK_ANTI_WINDUP_CONDITIONAL ||
           way == RK_ANTI_WINDUP_BACK_CALCULATION;
}

rk_status rk_pid_init(rk_pid *pid, const rk_pid_params *params, rk_real out_now)
{
    const rk_pid_params *p = params;
    rk_pid made;

    if (pid == NULL || p == NULL || !anti_windup_known(p->anti_windup)) return RK_ERR_ARG;
    if (!settings_in_range(p) || !limits_in_range(p, out_now)) return RK_ERR_RANGE;

    made.kc = p->kc;
    made.b = p->sp_weight;
    made.c = p->d_sp_weight;
    made.ki_ts = p->kc * (p->ts / p->ti);
    made.ad = p->tf / (p->tf + p->ts);
    made.kd = p->kc * (p->td / (p->tf + p->ts));
    /* Without an integral there is nothing to wind up, and paying back would move the bias. */
    made.kt_ts = RK_C(0.0);
    if (p->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION && rk_is_finite(p->ti)) {
        made.kt_ts = p->ts / p->tt;
    }
    made.conditional = p->anti_windup == RK_ANTI_WINDUP_CONDITIONAL;
    made.out_lo = p->out_lo;
    made.out_hi = p->out_hi;
    made.out_step = p->out_rate * p->ts;
    made.manual_out = out_now;
    made.i = out_now;
    made.d = RK_C(0.0);
    made.g_last = RK_C(0.0);
    made.out = out_now;
    made.manual = false;
    made.fresh = true;
    *pid = made;
    return RK_OK;
}

rk_status rk_pid_reset(rk_pid *pid, rk_real sp, rk_real pv, rk_real out)
{
    if (pid == NULL) return RK_ERR_ARG;
    if (!rk_is_finite(sp) || !rk_is_finite(pv)) return RK_ERR_RANGE;
    if (!(out >= pid->out_lo) || !(out <= pid->out_hi)) return RK_ERR_RANGE;

    pid->i = out - (pid->kc * ((pid->b * sp) - pv));
    pid->d = RK_C(0.0);
    pid->g_last = (pid->c * sp) - pv;
    pid->out = out;
    pid->fresh = false;
    return RK_OK;
}

void rk_pid_set_manual(rk_pid *pid, rk_real manual_out)
{
    pid->manual_out = pid->out;
    if (rk_is_finite(manual_out)) {
        pid->manual_out = rk_clamp(manual_out, pid->out_lo, pid->out_hi);
    }
    pid->manual = true;
}

void rk_pid_set_auto(rk_pid *pid)
{
    pid->manual = false;
}

static rk_real limited(const rk_pid *pid, rk_real wanted)
{
    const rk_real out = rk_clamp(wanted, pid->out_lo, pid->out_hi);

    return rk_clamp(out, pid->out - pid->out_step, pid->out + pid->out_step);
}

rk_real rk_pid_hold(rk_pid *pid)
{
    if (pid->manual) {
        pid->out = limited(pid, pid->manual_out);
    }
    pid->fresh = true;
    return pid->out;
}

rk_real rk_pid_scan(rk_pid *pid, rk_real sp, rk_real pv)
{
    const rk_real g = (pid->c * sp) - pv;
    const rk_real p = pid->kc * ((pid->b * sp) - pv);
    const rk_real g_last = pid->fresh ? g : pid->g_last;
    const rk_real d_last = pid->fresh ? RK_C(0.0) : pid->d;
    const rk_real d = (pid->ad * d_last) + (pid->kd * (g - g_last));
    rk_real out, i;

    if (pid->manual) {
        out = limited(pid, pid->manual_out);
        i = (out - p) - d;
    } else {
        const rk_real i_last = pid->fresh ? (pid->out - p) - d : pid->i;
        rk_real inc = pid->ki_ts * (sp - pv);
        rk_real v = (p + (i_last + inc)) + d;

        if (pid->conditional &&
            ((v > pid->out_hi && inc > 0) || (v < pid->out_lo && inc < 0))) {
            inc = RK_C(0.0);
            v = (p + (i_last + inc)) + d;
        }
        out = limited(pid, v);
        i = (i_last + inc) + (pid->kt_ts * (out - v));
    }

    /* One check for every bad value above: a NaN kept in the state would never leave. */
    if (!rk_is_finite(i) || !rk_is_finite(d)) return rk_pid_hold(pid);

    pid->i = i;
    pid->d = d;
    pid->g_last = g;
    pid->out = out;
    pid->fresh = false;
    return out;
}
