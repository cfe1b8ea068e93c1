/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_CLOSED_LOOP_H
#define REDKETTLE_DESIGN_LOOP_CLOSED_LOOP_H

#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/settings.h>
#include <redkettle/device/filter.h>
#include <redkettle/device/on_off.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>
#include <redkettle/device/predictor.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * The parameters of the controller block for these settings at a scan interval. Without integral
 * action a model tells the bias that was not given, its operating point's OUT, and the tracking
 * time, its time constant (of an integrator the loop's, 1 / (kc gain)) plus its dead time. For
 * two-position control they are what the block needs for its modes and limits.
 *
 * Units   ts in s; model NULL: not known.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_settings_check, for limits, a scan not
 *         above 0, a ti or tt shorter than the scan, two-position control without limits to
 *         switch between, or settings without integral action of which neither a model nor they
 *         themselves tell bias and tracking time.
 */
rk_status rk_settings_pid_params(const rk_settings *settings, const rk_limits *limits,
                                 const rk_model *model, double ts, rk_pid_params *params,
                                 rk_diag *diag);

/**
 * The controller of a loop as its scan computes it: the PV filter, the predictor, then the PID
 * block, or two-position control in its place. Trials, the look at windup, test vectors and
 * proofs scan a loop by these calls.
 */
typedef struct rk_controller {
    rk_pid_params params;
    rk_pid pid;
    rk_filter filter;
    double pv_filter;             /* s */
    rk_plant_params whole, quick; /* of the predictor */
    rk_predictor predictor;
    double *memory; /* its; NULL: there is none */
    bool two_position;
    rk_on_off_params switching;
    rk_on_off on_off;
} rk_controller;

/**
 * A controller for these settings, not yet started; freed by rk_controller_free. On an error
 * nothing has to be freed.
 *
 * Units   ts in s; model NULL: not known.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_settings_pid_params, or for a predictor
 *         without a model or of an integrating one; RK_ERR_MEMORY.
 */
rk_status rk_controller_create(const rk_settings *settings, const rk_limits *limits,
                               const rk_model *model, double ts, rk_controller *c,
                               rk_diag *diag);

/**
 * Automatic, the output at `out`, the filter empty: the first scan takes sp and pv as it finds
 * them. out in out-EU. Errors  RK_ERR_RANGE for an output that is none or beyond the limits.
 */
rk_status rk_controller_start(rk_controller *c, double out);

/** At rest: sp, pv and out have stood long enough for nothing to move. Errors  as above, and for a
 * pv that is no number. */
rk_status rk_controller_reset(rk_controller *c, double pv, double out);

/** One scan; gives OUT. A pv that is no number goes past the filter, so that the block sees it. */
double rk_controller_scan(rk_controller *c, double sp, double pv);

/** Automatic, or manual with this output. */
void rk_controller_mode(rk_controller *c, bool automatic, double manual_out);

/** An empty one (all zero) is fine. */
void rk_controller_free(rk_controller *c);

/** A plant with the memory for its dead time. */
typedef struct rk_model_plant {
    rk_plant plant;
    double *memory;
} rk_model_plant;

/**
 * A model as a plant at rest at its operating point, scanned every `step` s; given back by
 * rk_model_plant_free. On an error nothing has to be given back.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_plant_params_from_model, or a model that
 *         cannot be simulated in such steps; RK_ERR_MEMORY.
 */
rk_status rk_model_plant_create(const rk_model *model, double step, rk_model_plant *plant,
                                rk_diag *diag);

/** At rest again. */
void rk_model_plant_reset(rk_model_plant *plant);

/** An empty one (all zero) is fine. */
void rk_model_plant_free(rk_model_plant *plant);

#ifdef __cplusplus
}
#endif

#endif
