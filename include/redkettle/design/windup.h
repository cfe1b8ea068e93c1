/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_WINDUP_H
#define REDKETTLE_DESIGN_WINDUP_H

#include <redkettle/design/measure.h>

/** What a large setpoint step does. */
typedef struct rk_windup_run {
    double overshoot; /* percent of the step */
    double stuck;     /* s with OUT on a limit */
    double settling;  /* s, to 2 % of the step; NaN: not within the run */
    double iae;       /* pv-EU s */
} rk_windup_run;

/** The same step with each way against windup. */
typedef struct rk_windup {
    double sp_step;        /* pv-EU */
    bool saturates;        /* OUT meets a limit */
    rk_windup_run ideal;   /* no limits */
    rk_windup_run ways[3]; /* in the order of rk_anti_windup; tracking time as set */
    double best_tt;        /* the tracking time with the least IAE, s */
    rk_windup_run best;    /* with it */
    double ramp_time;      /* a setpoint ramp that long meets no limit, s; NaN: none found */
    rk_windup_run ramp;    /* with the loop's own way */
} rk_windup;

/** A step that asks for 80 % of the room that OUT has on its wider side, pv-EU; NaN: the
 * limits or the operating point are not known, or an integrator holds any PV. */
double rk_windup_step(const rk_model *model, const rk_limits *limits);

/**
 * Try a step under the conditions' limits and scan.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a step of 0, an operating point beyond the
 *         limits or settings that the scan cannot run; RK_ERR_MEMORY.
 */
rk_status rk_windup_try(const rk_model *model, const rk_settings *settings,
                        const rk_conditions *conditions, double sp_step, rk_windup *windup,
                        rk_diag *diag);

#endif
