/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_CHECK_H
#define REDKETTLE_DESIGN_CHECK_H

#include <redkettle/design/finding.h>
#include <redkettle/design/loop_design.h>

/** What a loop's settings are worth on its model. */
typedef struct rk_check {
    rk_margins margins;
    rk_requirements requirements; /* the loop's, all said */
    rk_verdict verdict;
    rk_findings findings;
} rk_check;

/**
 * Margins, trials where a requirement needs them, the verdict against the loop's requirements,
 * and what else looks doubtful.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_loop_design_check, or for a loop without
 * model or settings; RK_ERR_MEMORY.
 */
rk_status rk_check_run(const rk_loop_design *loop, rk_check *check, rk_diag *diag);

#endif
