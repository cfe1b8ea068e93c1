/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_OPEN_STEP_H
#define REDKETTLE_DESIGN_OPEN_STEP_H

#include <redkettle/design/trial.h>

/** What a step of OUT does to the process before there is a controller; times from the step, s.
 * NaN: an integrator has no such thing, or the run is too short for it. */
typedef struct rk_open_step {
    double out_step;  /* out-EU */
    double pv_end;    /* where PV comes to rest, pv-EU */
    double dead_time; /* until PV begins to move */
    double at_63;     /* when 63.2 % of the way is gone */
    double rise;      /* from 10 to 90 % */
    double settling;  /* last entry into +-2 % of the way */
    double slope;     /* the steepest, pv-EU per s */
} rk_open_step;

/**
 * Step OUT by hand and run until PV rests; an integrator, for ten dead times and lags. The
 * caller frees *trial.
 *
 * Errors  as rk_trial_create, and RK_ERR_RANGE for a step of 0.
 */
rk_status rk_open_step_run(const rk_model *model, double ts, double out_step, rk_trial **trial,
                           rk_open_step *found, rk_diag *diag);

#endif
