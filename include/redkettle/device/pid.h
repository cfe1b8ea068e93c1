/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_PID_H
#define REDKETTLE_DEVICE_PID_H

#include <stdbool.h>

#include <redkettle/device/param_error.h>
#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * P, PI, PD and PID controller, ideal form, backward Euler, once every ts:
 *
 *   s   = sp within sp_lo..sp_hi, and within sp_rate * ts of the last s
 *   y   = pv, or with a deadband: pv moved towards s by it, no further than s
 *   P   = kc * (b * s - y)                                   b: sp_weight
 *   D   = tf/(tf+ts) * D + kc * td/(tf+ts) * (g - g_last)    g = c * s - y,  c: d_sp_weight
 *   inc = kc * ts/ti * (s - y)                               this scan's error counts at once
 *   v   = P + (I + inc) + D + ff
 *   out = v within out_rate * ts of the last out, then within out_lo..out_hi, which always win
 *   I   = I + inc
 *
 * Action. kc > 0 is reverse action, out falls when pv rises; kc < 0 is direct action.
 *
 * Anti-windup. Conditional: while v is beyond what limits or rate allow and inc would push it
 * further, inc is 0. Back-calculation: I += ts/tt * (out - v), so that the integral follows what
 * the valve can do. Integral limits: I moves no further beyond i_lo or i_hi.
 *
 * Schemes. The above is by backward differences. By forward ones inc is kc * ts/ti times the
 * last scan's error, by the trapezoid the mean of both; the derivative by the trapezoid is D =
 * (2tf-ts)/(2tf+ts) * D + 2 kc td/(2tf+ts) * (g - g_last), for 2 tf >= ts.
 *
 * Velocity. v = out + (P - P_last) + inc + (D - D_last) + (ff - ff_last) from the last output,
 * the limited one: nothing can wind up, and anti-windup and limits of I do nothing. It needs
 * integral action: without it nothing would hold the output where it belongs.
 *
 * Without integral action I holds what the output was when the controller took over; with
 * `biased` it then goes to bias with the time constant tt, and a P controller's offset is that
 * of the textbook, 1 / (1 + kc * gain) of a setpoint step from there.
 *
 * Manual: out follows the manual output within the same limits. Tracking: out is what another
 * source says, within the output's limits. The first scan after them, the first of all and the
 * first after a bad PV take s and y as they are found: out moves by no more than one inc.
 *
 * Continuity. What happens between two scans changes no v by itself: new parameters, a valve
 * that stands elsewhere and a derivative that starts anew leave v as it was at the last scan's s
 * and y, since I takes up the difference. What s and y do in the next scan then acts in full.
 *
 * Source  K. J. Astrom, T. Hagglund, PID Controllers: Theory, Design, and Tuning, 2nd ed., ISA,
 *         1995, ch. 3.
 */
typedef enum rk_anti_windup {
    RK_ANTI_WINDUP_NONE = 0,
    RK_ANTI_WINDUP_CONDITIONAL = 1,
    RK_ANTI_WINDUP_BACK_CALCULATION = 2,
} rk_anti_windup;

/** How sums and differences from scan to scan stand for an integral or a derivative. */
typedef enum rk_scheme {
    RK_SCHEME_BACKWARD = 0,  /* this scan's value counts at once: the default */
    RK_SCHEME_TRAPEZOID = 1, /* half of this, half of the last */
    RK_SCHEME_FORWARD = 2,   /* the last scan's counts; of the integral only */
} rk_scheme;

/** What the controller adds up: where the output is to stand, or by how much it is to move. */
typedef enum rk_algorithm {
    RK_ALGORITHM_POSITION = 0,
    RK_ALGORITHM_VELOCITY = 1,
} rk_algorithm;

/** What decides the output. */
typedef enum rk_pid_mode {
    RK_PID_AUTO = 0,
    RK_PID_MANUAL = 1,
    RK_PID_TRACKING = 2,
} rk_pid_mode;

/** Set all fields: start from rk_pid_params_make(). */
typedef struct rk_pid_params {
    rk_real ts; /* scan interval, s, > 0 */
    rk_real kc; /* controller gain, out-EU per pv-EU, not 0; negative: out rises with pv */
    rk_real ti; /* integral time, s, >= ts; infinite: no integral action */
    rk_real td; /* derivative time, s, >= 0; 0: no derivative action */
    rk_real tf; /* derivative filter time, s, >= 0 */
    rk_real sp_weight;   /* b, no unit, 0..1; 1 is the plain controller */
    rk_real d_sp_weight; /* c, no unit, 0..1; 0 is the derivative on pv */
    rk_real deadband;    /* pv-EU, >= 0: errors within it count as none; 0: no deadband */
    rk_real out_lo;      /* out-EU, < out_hi */
    rk_real out_hi;      /* out-EU */
    rk_real out_rate;    /* out-EU per s, > 0; infinite: no rate limit */
    rk_real i_lo, i_hi;  /* of I, out-EU, i_lo < i_hi; infinite: no limit */
    rk_anti_windup anti_windup;
    rk_scheme integral, derivative; /* of I, and of D: backward or trapezoid */
    rk_algorithm algorithm;
    rk_real tt;       /* tracking time, s, >= ts, or 0: ti; for back-calculation and bias */
    bool biased;      /* without integral action: go to bias */
    rk_real bias;     /* out-EU; read if biased, which without integral action needs a tt */
    rk_real sp_lo;    /* pv-EU, < sp_hi */
    rk_real sp_hi;    /* pv-EU */
    rk_real sp_rate;  /* the setpoint's ramp, pv-EU per s, > 0; infinite: it steps */
    rk_real pv_lo;    /* a pv below this is bad, pv-EU, < pv_hi */
    rk_real pv_hi;    /* a pv above this is bad, pv-EU */
    bool bad_to_safe; /* without a good pv in automatic: go to out_safe; else hold out */
    rk_real out_safe; /* out-EU, within out_lo..out_hi: of rk_pid_fail, and of bad_to_safe */
} rk_pid_params;

/** Plain storage; only the functions below write it. */
typedef struct rk_pid {
    rk_pid_params params;
    rk_real ki_ts;                 /* of this scan's error: kc * (ts / ti), out-EU per pv-EU */
    rk_real ki_last;               /* and of the last scan's; backward: 0 */
    rk_real kt_ts;                 /* ts / tt, no unit; 0: no back-calculation */
    rk_real fade;                  /* ts / tt of the way to bias; 0: not biased */
    rk_real ad, kd;                /* of D and of its move; backward: tf / (tf + ts), and
                                      kc * (td / (tf + ts)) */
    rk_real out_step, sp_step;     /* out_rate * ts, out-EU, and sp_rate * ts, pv-EU */
    rk_real manual_out, track_out; /* out-EU, as they were given */
    rk_real ff;                    /* feedforward, out-EU */
    rk_real sp_now;                /* s of the last scan: where the setpoint's ramp is, pv-EU */
    rk_real pv, y;                 /* pv of the last scan, and y */
    rk_real i, d, ff_last;         /* I, D, and ff as the last scan had it */
    rk_real wanted; /* v of the last scan; not out: a limit or the rate held it */
    rk_real out;    /* what is written */
    rk_pid_mode mode;
    bool bad;     /* the last scan had no good sp and pv */
    bool fresh;   /* the next good scan takes sp and pv as it finds them: no kick, no bump */
    bool d_fresh; /* the next scan's D takes them so */
    bool at_pv;   /* the setpoint's ramp starts from pv */
} rk_pid;

/**
 * Parameters of a plain PI: weights 1 and 0, anti-windup by back-calculation with a tracking
 * time of ti, out from 0 to 100, no other limit. The caller sets ts, kc and ti at least.
 */
rk_pid_params rk_pid_params_make(void);

/** What is wrong with *params to start from out_now; RK_PARAM_ERROR_NONE: nothing. */
rk_param_error rk_pid_param_error(const rk_pid_params *params, rk_real out_now);

/**
 * Check *params and start in automatic from the output that stands on the valve now. The first
 * scan takes sp and pv as it finds them and leaves out at out_now but for one inc, so nothing
 * bumps, wherever they are.
 *
 * Units   as the fields of rk_pid_params say; out_now in out-EU.
 * Range   as the fields say, and out_lo <= out_now <= out_hi.
 * Errors  RK_ERR_ARG for a NULL or an unknown anti_windup; RK_ERR_RANGE for what
 * rk_pid_param_error names. *pid is written with RK_OK only.
 */
rk_status rk_pid_init(rk_pid *pid, const rk_pid_params *params, rk_real out_now);

/**
 * Take on other parameters while running, without a bump: v at the last scan's s and y stays as
 * it was. Calling it every scan with the same ones changes nothing. An output beyond new limits
 * is moved into them at once.
 *
 * Errors  as rk_pid_init; the controller then runs on as it was.
 */
rk_status rk_pid_set_params(rk_pid *pid, const rk_pid_params *params);

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

/**
 * Go to tracking: out follows this, out-EU, at once and within out_lo..out_hi; call it with each
 * scan's value, not finite: it stays where it is. Another source leads this controller then. For
 * a selector of several controllers, and for a cascade, see rk_pid_applied.
 */
void rk_pid_set_tracking(rk_pid *pid, rk_real track_out);

/** Go to automatic, from the output that stands on the valve. */
void rk_pid_set_auto(rk_pid *pid);

/** Feedforward from the next scan on, out-EU; not finite: stays as it is. 0 after init. */
void rk_pid_set_feedforward(rk_pid *pid, rk_real ff);

/** The valve stands here, whatever was written, out-EU: go on from there without a bump. The
 * same as was written changes nothing; so it may be told every scan. */
void rk_pid_take_out(rk_pid *pid, rk_real out);

/**
 * After a scan in automatic: this was applied instead of out, out-EU (external reset). I is paid
 * back towards it with the tracking time tt, whatever the way against windup is, so that a
 * controller that is not in charge never winds up: at rest it stands at applied + kc * error *
 * tt/ti, and takes over as soon as its error changes sign. For an override, where a selector
 * takes one of several controllers' outputs, each is told what was taken; for the master of a
 * cascade whose slave is in manual, on a limit or on its rate, it is the slave's PV. A velocity
 * controller goes on from what was applied. Not finite: nothing was told.
 *
 * Source  K. J. Astrom, T. Hagglund, PID Controllers, 2nd ed., ISA, 1995, ch. 3.5.
 */
void rk_pid_applied(rk_pid *pid, rk_real applied);

/** The time since the last scan was not ts, so that a difference over it is no slope: D starts
 * anew with the next scan, and I takes up what it had. */
void rk_pid_restart_derivative(rk_pid *pid);

/**
 * One scan, every ts; returns out. Cannot fail: an sp or pv that is not finite, or a pv beyond
 * pv_lo..pv_hi, makes it a rk_pid_hold, or with bad_to_safe a rk_pid_fail.
 */
rk_real rk_pid_scan(rk_pid *pid, rk_real sp, rk_real pv);

/**
 * One scan without a good sp and pv: repeats the last out (manual and tracking still follow
 * theirs), and the next good scan goes on from there without a bump.
 */
rk_real rk_pid_hold(rk_pid *pid);

/** The same, but in automatic out goes to out_safe, at its rate. */
rk_real rk_pid_fail(rk_pid *pid);

#ifdef __cplusplus
}
#endif

#endif
