/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_PID_H
#define REDKETTLE_DEVICE_PID_H

#include <stdbool.h>

#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

/**
 * P, PI, PD and PID controller, ideal form, backward Euler, once every ts:
 *
 *   P   = kc * (b * sp - pv)                                     b: sp_weight
 *   D   = tf/(tf+ts) * D + kc * td/(tf+ts) * (g - g_last)        g = c * sp - pv,  c:
 * d_sp_weight inc = kc * ts/ti * (sp - pv)                                 this scan's error
 * counts at once v   = P + (I + inc) + D out = v within out_lo..out_hi, and within out_rate *
 * ts of the last out I   = I + inc
 *
 * Anti-windup. Conditional: while v is beyond a limit and inc would push it further, inc is 0.
 * Back-calculation: I += ts/tt * (out - v), so that the integral follows what the valve can do.
 *
 * Manual: out follows the manual output within the same limits, and I is kept so that v = out;
 * therefore the change to automatic starts from the output that stands on the valve.
 *
 * Source  K. J. Astrom, T. Hagglund, PID Controllers: Theory, Design, and Tuning, 2nd ed., ISA,
 *         1995, ch. 3.
 */
typedef enum rk_anti_windup {
    RK_ANTI_WINDUP_NONE = 0,
    RK_ANTI_WINDUP_CONDITIONAL = 1,
    RK_ANTI_WINDUP_BACK_CALCULATION = 2,
} rk_anti_windup;

typedef struct rk_pid_params {
    rk_real ts; /* scan interval, s, > 0 */
    rk_real kc; /* controller gain, out-EU per pv-EU, not 0; negative: out rises with pv */
    rk_real ti; /* integral time, s, >= ts; infinite: no integral action */
    rk_real td; /* derivative time, s, >= 0; 0: no derivative action */
    rk_real tf; /* derivative filter time, s, >= 0 */
    rk_real sp_weight;   /* b, no unit, 0..1; 1 is the plain controller */
    rk_real d_sp_weight; /* c, no unit, 0..1; 0 is the derivative on pv */
    rk_real out_lo;      /* out-EU, < out_hi */
    rk_real out_hi;      /* out-EU */
    rk_real out_rate;    /* out-EU per s, > 0; infinite: no rate limit */
    rk_anti_windup anti_windup;
    rk_real
        tt; /* tracking time of back-calculation, s, >= ts; read for back-calculation only */
} rk_pid_params;

/** Plain storage; only the functions below write it. */
typedef struct rk_pid {
    rk_real kc, b, c;       /* as in the formulas */
    rk_real ki_ts;          /* kc * (ts / ti), out-EU per pv-EU */
    rk_real kt_ts;          /* ts / tt, no unit; 0: no back-calculation */
    rk_real ad, kd;         /* tf / (tf + ts), and kc * (td / (tf + ts)) in out-EU per pv-EU */
    rk_real out_lo, out_hi; /* out-EU */
    rk_real out_step;       /* out_rate * ts, out-EU */
    rk_real manual_out;     /* out-EU, within the limits */
    rk_real i, d, g_last, out; /* state: I, D, g of the scan before, the output */
    bool conditional;          /* anti-windup by conditional integration */
    bool manual;
    bool fresh; /* the next good scan takes pv as it finds it: no derivative kick, no bump */
} rk_pid;

/**
 * Check *params and start in automatic from the output that stands on the valve now. The first
 * scan takes sp and pv as it finds them and leaves out at out_now but for one inc, so nothing
 * bumps, wherever they are.
 *
 * Units   as the fields of rk_pid_params say; out_now in out-EU.
 * Range   as the fields say, and out_lo <= out_now <= out_hi.
 * Errors  RK_ERR_ARG for a NULL or an unknown anti_windup; RK_ERR_RANGE for a number out of
 * range, NaN, or infinite where that has no meaning. *pid is written with RK_OK only.
 */
rk_status rk_pid_init(rk_pid *pid, const rk_pid_params *params, rk_real out_now);

/**
 * Put the controller at rest at (sp, pv, out): the state it would have after standing there. A
 * setpoint step on the next scan then acts in full.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a value not finite or an out beyond the
 * limits.
 */
rk_status rk_pid_reset(rk_pid *pid, rk_real sp, rk_real pv, rk_real out);

/** Go to manual. out-EU; limited to out_lo..out_hi, and not finite: the output stays as it is.
 */
void rk_pid_set_manual(rk_pid *pid, rk_real manual_out);

/** Go to automatic, from the output that stands on the valve. */
void rk_pid_set_auto(rk_pid *pid);

/**
 * One scan, every ts; returns out. Cannot fail: an sp or pv that is not finite makes it a
 * rk_pid_hold.
 */
rk_real rk_pid_scan(rk_pid *pid, rk_real sp, rk_real pv);

/**
 * One scan without a good sp and pv: repeats the last out (manual still follows the manual
 * output), keeps the state, and the next good scan goes on from there without a bump.
 */
rk_real rk_pid_hold(rk_pid *pid);

#endif
