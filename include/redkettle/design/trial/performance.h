/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_TRIAL_PERFORMANCE_H
#define REDKETTLE_DESIGN_TRIAL_PERFORMANCE_H

#include <redkettle/design/loop/requirements.h>
#include <redkettle/design/margins/margins.h>
#include <redkettle/design/trial/sweep.h>
#include <redkettle/design/trial/trial.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What settings do on a model whose valve has no limits; NaN where a thing does not exist. */
typedef struct rk_performance {
    rk_margins margins; /* as it is sampled, or continuous */
    double overshoot;   /* of a setpoint step, percent */
    double settling;    /* of it, to 2 %, s */
    double travel;      /* of OUT for a setpoint step of 1 pv-EU, out-EU */
    double load_iae;    /* for a load of 1 out-EU at the plant's input, pv-EU s */
    double peak;        /* its largest deviation, pv-EU */
} rk_performance;

/** What settings that cannot be used do: all NaN. */
rk_performance rk_performance_none(void);

/** A scan to try with where none is given, s: fast enough not to matter. */
double rk_scan_fast(const rk_model *model, const rk_settings *settings);

/** Margins as figures in the order of rk_require; those that need a trial are NaN. */
void rk_margins_figures(const rk_margins *margins, double figure[RK_REQUIRE_COUNT]);

/** The run that shows what PV's noise makes of OUT under these conditions, long enough for
 * these settings: for rk_sweep_compute. */
rk_sweep_plan rk_noise_sweep_plan(const rk_model *model, const rk_settings *settings,
                                  const rk_conditions *conditions);

/**
 * The figures of a stable loop, in the order of rk_require; those that need a trial only if one
 * of them is asked, else NaN.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_trial_create, or for out-noise asked
 *         without a scan or the noise; RK_ERR_MEMORY.
 */
rk_status rk_figures_compute(const rk_requirements *asked, const rk_model *model,
                             const rk_settings *settings, const rk_conditions *conditions,
                             const rk_margins *margins, double figure[RK_REQUIRE_COUNT],
                             rk_diag *diag);

/**
 * Margins, a setpoint step and a load step. An unstable loop has margins only; settings that the
 * scan cannot run have no trials.
 *
 * Units   sampling NULL: continuous margins, and steps scanned by rk_scan_fast.
 * Errors  RK_ERR_ARG for another NULL; RK_ERR_RANGE as rk_loop_margins_compute; RK_ERR_MEMORY.
 */
rk_status rk_performance_compute(const rk_model *model, const rk_settings *settings,
                                 const rk_sampling *sampling, rk_performance *measures,
                                 rk_diag *diag);

/** The same of settings on a loop's process, as the loop is scanned. Errors  as above. */
rk_status rk_design_performance_compute(const rk_design *loop, const rk_settings *settings,
                                        rk_performance *measures, rk_diag *diag);

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
rk_status rk_windup_compute(const rk_model *model, const rk_settings *settings,
                            const rk_conditions *conditions, double sp_step, rk_windup *windup,
                            rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
