/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_CHECK_H
#define REDKETTLE_DESIGN_CHECK_H

#include <redkettle/design/finding.h>
#include <redkettle/design/gain_limits.h>
#include <redkettle/design/loop_design.h>
#include <redkettle/design/mend.h>
#include <redkettle/design/operating.h>
#include <redkettle/design/resolution.h>
#include <redkettle/design/sampled.h>
#include <redkettle/design/windup.h>
#include <redkettle/design/worst.h>

enum { RK_CHECK_SETPOINTS = 8 };

/** What to look at beside the margins and the requirements. */
typedef struct rk_check_plan {
    double delay_scans;     /* from PV's sample to OUT's change, scans, >= 0 */
    double task;            /* interval of the PLC's cyclic task, s, > 0; NaN: not known */
    double record_interval; /* of the record that the model is from, s; NaN: not known */
    bool uncertain;         /* the worst over what the model may be */
    double model_error;     /* by how large a part each of its numbers may be wrong, 0 to 1 */
    size_t setpoints;       /* to be held, pv-EU */
    double setpoint[RK_CHECK_SETPOINTS];
} rk_check_plan;

/** No delay, nothing known of task and record, the worst over the fit's 95 % region and 20 %.
 */
rk_check_plan rk_check_plan_make(void);

/** What a loop's settings are worth on its model. */
typedef struct rk_check {
    rk_margins margins;           /* continuous */
    rk_requirements requirements; /* the loop's, all said */
    rk_verdict verdict;           /* margins by the continuous ones */
    rk_mend mends[RK_REQUIRE_COUNT];
    rk_gain_limits gain;

    bool has_sampled; /* the scan is known */
    rk_margins sampled;
    double slowest_scan; /* that keeps the margins asked that the continuous loop has, s; NaN:
                            none does */

    bool has_operating;   /* OUT's range and the operating point are known */
    rk_operating start;   /* at the operating point */
    rk_operating stepped; /* after the setpoint step of the requirements */
    rk_operating held[RK_CHECK_SETPOINTS];

    double stall_error; /* in single precision, pv-EU; NaN: no scan or no integral action */
    rk_cycle cycle;     /* that [plant] stiction keeps up */
    bool has_windup;
    rk_windup windup;

    bool has_box, has_region; /* of the worst: 2nd if the fit's covariance is known */
    rk_worst box, region;
    double survived; /* by this part every number of the model may be wrong at once */

    rk_findings findings;
} rk_check;

/**
 * Margins, trials where a requirement needs them, the verdict against the loop's requirements,
 * and all else that may go wrong: gain limits, sampling, the valve's range, windup, arithmetic,
 * a wrong model.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_loop_design_check, for a loop without model
 * or settings, or a plan out of range; RK_ERR_MEMORY.
 */
rk_status rk_check_run(const rk_loop_design *loop, const rk_check_plan *plan, rk_check *check,
                       rk_diag *diag);

#endif
