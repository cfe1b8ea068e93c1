/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_MEASURE_H
#define REDKETTLE_DESIGN_MEASURE_H

#include <redkettle/design/margins.h>
#include <redkettle/design/trial.h>

/** What settings do on a model whose valve has no limits; NaN where a thing does not exist. */
typedef struct rk_measures {
    rk_margins margins;
    double overshoot; /* of a setpoint step, percent */
    double settling;  /* of it, to 2 %, s */
    double travel;    /* of OUT for a setpoint step of 1 pv-EU, out-EU */
    double load_iae;  /* for a load of 1 out-EU at the plant's input, pv-EU s */
    double peak;      /* its largest deviation, pv-EU */
} rk_measures;

/** What settings that cannot be used do: all NaN. */
rk_measures rk_measures_none(void);

/** A scan to try with where none is given, s: fast enough not to matter. */
double rk_scan_fast(const rk_model *model, const rk_settings *settings);

/**
 * One step of the setpoint, or of the load at the plant's input, with a valve that has no
 * limits.
 *
 * Units   ts in s, NaN: rk_scan_fast; sp_step in pv-EU; load_step in out-EU.
 * Errors  as rk_trial_create.
 */
rk_status rk_measure_step(const rk_model *model, const rk_settings *settings, double ts,
                          double sp_step, double load_step, rk_trial_metrics *metrics,
                          rk_diag *diag);

/**
 * Margins, a setpoint step and a load step. An unstable loop has margins only; settings that a
 * scan of ts cannot run have no trials.
 *
 * Units   ts in s; NaN: rk_scan_fast.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_margins_check; RK_ERR_MEMORY.
 */
rk_status rk_measure(const rk_model *model, const rk_settings *settings, double ts,
                     rk_measures *measures, rk_diag *diag);

#endif
