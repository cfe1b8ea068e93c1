/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_TRIAL_SWEEP_H
#define REDKETTLE_DESIGN_TRIAL_SWEEP_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/settings.h>

#ifdef __cplusplus
extern "C" {
#endif

/** The same runs for many settings, each from rest: a setpoint step, a load step, and PV's
 * noise. */
typedef struct rk_sweep_plan {
    rk_model plant;
    rk_model
        model; /* of a predictor and of a bias that is not given; gain 0: the plant itself */
    rk_limits limits;
    double ts;        /* scan, s */
    double delay;     /* from PV's sample to OUT's change, s, >= 0 */
    double sp_step;   /* pv-EU; 0: no such run */
    double load_step; /* out-EU, at the plant's input; 0: no such run */
    double duration;  /* of each run, s */
    bool to_rest;     /* a run may end once nothing moves: what the error at rest adds until the
                         duration is added */
    double band;      /* settling band, part of the setpoint step: 0.02 */
    double noise;     /* of PV, white: its standard deviation, pv-EU; 0: no such run */
    int threads;      /* 0: one a processor; the results do not depend on it */
} rk_sweep_plan;

/** What a step did, seen once a scan; NaN: it did not happen, or there was no such run. */
typedef struct rk_sweep_run {
    double iae, ise, itae; /* pv-EU s, pv-EU^2 s, pv-EU s^2 */
    double beyond;   /* largest deviation beyond what PV settles at, of a load from where it was
                        to either side, pv-EU */
    double rise;     /* s, 10 to 90 % of the way to it */
    double settling; /* s, last entry into the band about it; after a load too */
    double steady_error; /* at the end, pv-EU */
    double travel;       /* sum of |change of OUT|, out-EU */
    double effort;       /* sum of the squares of those changes, out-EU^2 */
    double energy;       /* integral of the square of OUT less where it rests, out-EU^2 s */
    double largest_move; /* out-EU */
} rk_sweep_run;

/** What PV's noise does to OUT, its limits out of the way: standard deviations, out-EU. The
 * noise being white, their squares are the sums of the squares of what one scan's noise does.
 */
typedef struct rk_sweep_noise {
    double out;  /* of OUT about its rest */
    double move; /* of its change from a scan to the next */
} rk_sweep_noise;

typedef struct rk_sweep_result {
    rk_sweep_run setpoint, load;
    rk_sweep_noise noise;
    double last_pv, last_out; /* where the last step's run ended: to compare with the blocks */
} rk_sweep_result;

/** No run: NaN everywhere. */
rk_sweep_result rk_sweep_result_none(void);

/**
 * Run all of them, several at a time in each processor; every number of a run is what rk_pid
 * and rk_plant would compute, bit for bit. Settings that a scan of ts cannot run give NaN
 * everywhere.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a model, limits, a scan or a duration out of
 *         range; RK_ERR_MEMORY.
 */
rk_status rk_sweep_compute(const rk_sweep_plan *plan, const rk_settings *settings, size_t count,
                           rk_sweep_result *results, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
