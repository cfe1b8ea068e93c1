/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_REDUCE_H
#define REDKETTLE_DESIGN_REDUCE_H

#include <stddef.h>

#include <redkettle/design/model.h>

enum { RK_LAGS_MAX = 16 };

/** A process as it is known from first principles: lags, zeros and dead times in series. */
typedef struct rk_process {
    double gain;             /* pv-EU per out-EU, not 0 */
    size_t lags;             /* 1 to RK_LAGS_MAX */
    double lag[RK_LAGS_MAX]; /* time constants, s, > 0 */
    size_t zeros;            /* fewer than lags */
    double
        zero[RK_LAGS_MAX]; /* T of a factor T s + 1, s; below 0: PV first goes the wrong way */
    double dead_time;      /* all of them together, s, >= 0 */
} rk_process;

/** A simpler model, and what was lost. */
typedef struct rk_reduction {
    rk_model half_rule;                   /* by the half rule */
    rk_model fitted;                      /* by fitting the step response */
    double half_rule_error, fitted_error; /* largest difference of the step responses, percent
                                             of the whole way */
} rk_reduction;

/**
 * Reduce a process to fopdt or sopdt, by the half rule and by fitting its step response.
 *
 * Half rule: half of the largest lag that is neglected goes to the lag before it, the other
 * half and all smaller lags to the dead time; so does -T of a zero below 0. A zero above 0 is
 * taken off the nearest larger lag (T1 s + 1) / (T s + 1) about 1 / ((T - T1) s + 1), or
 * cancels one.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a number out of range or another kind, and
 * diag names it; RK_ERR_MEMORY. Source  S. Skogestad, Simple analytic rules for model reduction
 * and PID controller tuning, 2003, J. Process Control 13(4), 291-309.
 */
rk_status rk_model_reduce(const rk_process *process, rk_model_kind kind,
                          rk_reduction *reduction, rk_diag *diag);

#endif
