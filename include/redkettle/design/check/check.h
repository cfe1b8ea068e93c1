/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_CHECK_CHECK_H
#define REDKETTLE_DESIGN_CHECK_CHECK_H

#include <redkettle/design/base/finding.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/settings.h>
#include <redkettle/design/margins/margins.h>
#include <redkettle/design/trial/performance.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * The smallest error that still moves an integral in single precision:
 *
 *   |kc| ts/ti |e| must be more than half the step between numbers of the size that OUT has.
 *
 * A smaller error is lost in the sum, and PV stays off the setpoint by it. Infinite without
 * integral action.
 *
 * Units   ts in s; out in out-EU, the largest that the integral holds; pv-EU returned.
 * Source  IEEE 754-2019, binary32: 24 digits, to nearest.
 */
double rk_stall_error(const rk_settings *settings, double ts, double out);

/** A cycle that a valve keeps up which moves in jumps, while the integral waits for the next.
 */
typedef struct rk_limit_cycle {
    bool exists;
    double period;    /* s */
    double amplitude; /* of PV about the setpoint, pv-EU */
} rk_limit_cycle;

/**
 * The cycle of a loop whose valve jumps by at least `jump` when OUT is so far from it: the
 * valve is a relay between two places then, and at its jump the sum over the odd harmonics n of
 * Im L(j n w)/n is -pi/4. Without integral action there is none. Fast scans, and no noise.
 *
 * Units   jump in out-EU, > 0: stiction or the resolution of OUT.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check and rk_settings_check, or for
 *         jump.
 * Source  Ya. Z. Tsypkin, Relay Control Systems, Cambridge University Press, 1984, ch. 3.
 */
rk_status rk_limit_cycle_compute(const rk_model *model, const rk_settings *settings,
                                 double jump, rk_limit_cycle *cycle, rk_diag *diag);

/** How far kc may go, the times being kept; all of them out-EU per pv-EU, with kc's sign. */
typedef struct rk_gain_limits {
    double at[RK_REQUIRE_COUNT]; /* a margin or OUT's noise is just at its limit here; NaN: not
                                    asked, or at no kc */
    double on_off;               /* from here on OUT only swings between its limits: the loop is
                                    unstable, or the noise alone fills OUT's range; NaN: never */
    bool by_noise;               /* that is the noise */
    double offset; /* without integral action: what a setpoint step of 1 leaves, of a
                      self-regulating process; 0 with it */
} rk_gain_limits;

/**
 * The kc at which each margin that is asked, and OUT's noise, reaches its limit: the nearest
 * one above a kc that meets it, or the nearest below or above a kc that misses it. Above 6
 * times OUT's deviation the noise fills a range.
 *
 * unstable_from: the end of the stable kc on kc's side, of the loop as it runs; NaN: none.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_margins_compute; RK_ERR_MEMORY.
 */
rk_status rk_gain_limits_compute(const rk_requirements *asked, const rk_model *model,
                                 const rk_settings *settings, const rk_conditions *conditions,
                                 double unstable_from, rk_gain_limits *limits, rk_diag *diag);

/** A remedy for a requirement that is not met: one setting changed, the other kept. */
typedef struct rk_remedy {
    bool by_kc, by_ti; /* which; neither: no change of one alone does */
    double value;      /* of it, as rk_settings counts it */
    bool all;          /* and then nothing else is missed */
} rk_remedy;

/**
 * For each line that a verdict misses the nearest change of kc or ti alone, to an eighth or
 * eight times of it, that meets the line; of all that do, one that meets all requirements first.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_search_compute; RK_ERR_MEMORY. A loop of
 * which no change is stable has no remedy.
 */
rk_status rk_remedies_compute(const rk_requirements *asked, const rk_model *model,
                              const rk_settings *settings, const rk_conditions *conditions,
                              const rk_verdict *verdict, rk_remedy remedies[RK_REQUIRE_COUNT],
                              rk_diag *diag);

/** A setting that looks like the right number in the wrong unit, or for another quantity. */
typedef struct rk_slip {
    bool found;
    const char *setting;    /* "kc", "ti", "td"; of the parallel form "ki" */
    const char *looks_like; /* "minutes" */
    const char *advice;     /* how to type it */
    double typed, meant;    /* as rk_settings or the form counts it */
    rk_settings settings;   /* as they were meant */
} rk_slip;

/**
 * Look for one: a number far from what is usual for this model that comes near it, with margins,
 * when it is read in one of the ways that people type it: minutes, milliseconds, repeats, ki for
 * ti, percent of span, band, fraction. `stable`: is the loop, as it runs? In a loop of the wrong
 * sign nothing is looked for.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY.
 * Source  what is usual: S. Skogestad, Simple analytic rules for model reduction and PID
 *         controller tuning, 2003, J. Process Control 13.
 */
rk_status rk_slip_find(const rk_design *loop, bool stable, rk_slip *slip, rk_diag *diag);

enum { RK_CHECK_SETPOINTS = 8 };

/** What to look at beside the margins and the requirements. */
typedef struct rk_check_plan {
    double task;            /* interval of the PLC's cyclic task, s, > 0; NaN: not known */
    double record_interval; /* of the record that the model is from, s; NaN: not known */
    bool uncertain;         /* the worst over what the model may be */
    double model_error;     /* by how large a part each of its numbers may be wrong, 0 to 1 */
    size_t setpoints;       /* to be held, pv-EU */
    double setpoint[RK_CHECK_SETPOINTS];
} rk_check_plan;

/** Nothing known of task and record, the worst over the model's 95 % region and 20 %. */
rk_check_plan rk_check_plan_make(void);

/** What a loop's settings are worth on its model. */
typedef struct rk_check {
    rk_margins margins; /* continuous */
    rk_margins
        on_model; /* of a process made of parts: what its reduction, the model, would tell */
    bool has_on_model;
    rk_requirements requirements; /* the loop's, all said */
    rk_verdict verdict;           /* by the margins that the loop is judged by */
    rk_remedy remedies[RK_REQUIRE_COUNT];
    rk_slip slip;
    rk_gain_limits gain;

    bool has_sampled; /* the scan is known */
    rk_margins sampled;
    bool has_margins;    /* the continuous loop has one of the margins asked, or more .. */
    double slowest_scan; /* .. and the longest scan that keeps those, s; NaN: none does */

    bool has_operating;   /* OUT's range and the operating point are known */
    rk_operating start;   /* at the operating point */
    rk_operating stepped; /* after the setpoint step of the requirements */
    rk_operating held[RK_CHECK_SETPOINTS];

    double stall_error;   /* in single precision, pv-EU; NaN: no scan or no integral action */
    rk_limit_cycle cycle; /* that [plant] stiction keeps up */
    bool has_windup;
    rk_windup windup;

    bool has_box, has_region; /* of the worst: 2nd if the fit's covariance is known */
    rk_worst box, region;
    double survived; /* by this part every number of the model may be wrong at once */
} rk_check;

/** The margins that the loop is judged by: as it is scanned, or continuous without a scan. The
 * verdict, the gain limits and the worst over models are of the same loop. */
const rk_margins *rk_check_judged(const rk_check *check);

/** What a check found doubtful, and what to do about it; of the same loop and plan. */
rk_findings rk_check_findings(const rk_design *loop, const rk_check_plan *plan,
                              const rk_check *check);

/**
 * Margins, trials where a requirement needs them, the verdict against the loop's requirements,
 * and all else that may go wrong: gain limits, sampling, the valve's range, windup, arithmetic,
 * a wrong model.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_design_check, for a loop without model
 * or settings, or a plan out of range; RK_ERR_MEMORY.
 */
rk_status rk_check_compute(const rk_design *loop, const rk_check_plan *plan, rk_check *check,
                           rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
