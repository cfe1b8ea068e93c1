/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_MEND_H
#define REDKETTLE_DESIGN_MEND_H

#include <redkettle/design/measure.h>

/** What would mend a requirement that is missed: one setting changed, the other kept. */
typedef struct rk_mend {
    bool by_kc, by_ti; /* which; neither: no change of one alone does */
    double value;      /* of it, as rk_settings counts it */
    bool all;          /* and then nothing else is missed */
} rk_mend;

/**
 * For each line that a verdict misses the nearest change of kc or ti alone, to an eighth or
 * eight times of it, that meets the line; of all that do, one that mends everything first.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_search; RK_ERR_MEMORY. A loop of which
 *         no change is stable has no mend.
 */
rk_status rk_mend_find(const rk_requirements *asked, const rk_model *model,
                       const rk_settings *settings, const rk_conditions *conditions,
                       const rk_verdict *verdict, rk_mend mends[RK_REQUIRE_COUNT],
                       rk_diag *diag);

#endif
