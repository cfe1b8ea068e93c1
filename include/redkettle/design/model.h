/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_MODEL_H
#define REDKETTLE_DESIGN_MODEL_H

#include <redkettle/design/diag.h>
#include <redkettle/device/plant.h>

/** The kinds of process model. */
typedef enum rk_model_kind {
    RK_MODEL_FOPDT = 0, /* gain * exp(-dead_time s) / (tau s + 1) */
} rk_model_kind;

/** "fopdt". */
const char *rk_model_kind_to_text(rk_model_kind kind);

/** Errors  RK_ERR_RANGE for a word that names no kind; diag lists the kinds. */
rk_status rk_model_kind_from_text(const char *text, rk_model_kind *kind, rk_diag *diag);

/** A process model about its operating point: pv - pv0 answers out - out0. */
typedef struct rk_model {
    rk_model_kind kind;
    double gain;             /* pv-EU per out-EU, not 0 */
    double time_constant[2]; /* tau, s, > 0; the second is 0 for fopdt */
    double dead_time;        /* theta, s, >= 0 */
    double out0;             /* operating point, out-EU */
    double pv0;              /* operating point, pv-EU: the PV that out0 holds */
} rk_model;

/**
 * Is the model usable?
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a value out of range, NaN or infinite, and
 * diag names it.
 */
rk_status rk_model_check(const rk_model *model, rk_diag *diag);

/**
 * The model sampled for an output held over each scan, exact for any dead time:
 *
 *   theta = d ts + delta, 0 <= delta < ts;   a = exp(-ts / tau),
 *   b0 = gain (1 - exp(-(ts - delta) / tau)),   b1 = gain (exp(-(ts - delta) / tau) - a)
 *
 * Units   ts in s.
 * Range   ts > 0, and dead_time / ts at most RK_PLANT_DELAY_MAX.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check or for ts.
 * Source  K. J. Astrom, B. Wittenmark, Computer-Controlled Systems, 3rd ed., Prentice Hall,
 * 1997, ch. 2.
 */
rk_status rk_plant_params_from_model(const rk_model *model, double ts, rk_plant_params *params,
                                     rk_diag *diag);

/** The longest dead time of a sampled plant, in scans: 80 MB of delay memory. */
#define RK_PLANT_DELAY_MAX 10000000.0

#endif
