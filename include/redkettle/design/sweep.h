/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_SWEEP_H
#define REDKETTLE_DESIGN_SWEEP_H

#include <stddef.h>

#include <redkettle/design/model.h>
#include <redkettle/design/settings.h>

/** The same two runs for many settings: a setpoint step from rest, and a load step from rest.
 */
typedef struct rk_sweep_plan {
    rk_model plant;
    rk_limits limits;
    double ts;        /* scan, s */
    double sp_step;   /* pv-EU; 0: no such run */
    double load_step; /* out-EU, at the plant's input; 0: no such run */
    double duration;  /* of each run, s */
    double band;      /* settling band, part of the step: 0.02 */
} rk_sweep_plan;

/** What a step did, seen once a scan; NaN: it did not happen, or there was no such run. */
typedef struct rk_sweep_run {
    double iae, ise, itae; /* pv-EU s, pv-EU^2 s, pv-EU s^2 */
    double beyond; /* largest deviation beyond the setpoint, of a load to either side, pv-EU */
    double rise;   /* s, 10 to 90 % of the setpoint's way */
    double settling;     /* s, last entry into the band about the setpoint */
    double steady_error; /* at the end, pv-EU */
    double travel;       /* sum of |change of OUT|, out-EU */
    double effort;       /* sum of the squares of those changes, out-EU^2 */
    double largest_move; /* out-EU */
} rk_sweep_run;

typedef struct rk_sweep_result {
    rk_sweep_run setpoint, load;
    double last_pv, last_out; /* where the last run ended: to compare with the blocks */
} rk_sweep_result;

/**
 * Run all of them, several at a time in one processor; every number of a run is what rk_pid and
 * rk_plant would compute, bit for bit. Settings that a scan of ts cannot run give NaN
 * everywhere.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a model, limits, a scan or a duration out of
 *         range; RK_ERR_MEMORY.
 */
rk_status rk_sweep(const rk_sweep_plan *plan, const rk_settings *settings, size_t count,
                   rk_sweep_result *results, rk_diag *diag);

#endif
