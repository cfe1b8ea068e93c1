/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_SEARCH_SEARCH_POINTS_H
#define RKI_DESIGN_SEARCH_SEARCH_POINTS_H

#include <redkettle/design/search/search.h>

/** Settings, and how good they are: what is missing of the requirements first, then the cost.
 */
typedef struct rki_point {
    rk_settings settings;
    bool stable; /* on every model */
    double missing, cost;
    double figure[RK_REQUIRE_COUNT];
    rk_sweep_result run; /* on the first model */
    rk_status status;
} rki_point;

/** A search under way. */
typedef struct rki_search_run {
    const rk_search_plan *plan;
    rk_sweep_plan sweep;
    bool integral, derivative;
    int threads;
    size_t tried;
    double part; /* how far it is */
    bool stopped;
} rki_search_run;

/** Is the plan one? Sets mode and threads of *s. Errors  as rk_search_compute. */
rk_status rki_search_check(const rk_search_plan *plan, rki_search_run *s, rk_diag *diag);

/** Settings as the plan's mode and filter ratio have them: ti and td where there are any. */
rk_settings rki_search_settings(const rki_search_run *s, double kc, double ti, double td);

/** How settings are sampled in this search, in *room; NULL: continuous. */
const rk_sampling *rki_search_sampling(const rki_search_run *s, const rk_settings *settings,
                                       rk_sampling *room);

/** Tell how far it is; false, and s->stopped, if it is to end. */
bool rki_search_may_go_on(rki_search_run *s);

/** How long the runs last, and how often they look. */
void rki_search_plan_sweep(rki_search_run *s);

bool rki_point_is_better(const rki_point *a, const rki_point *b);

/** What was found, by its best point: the verdict line by line, and what it does. */
rk_status rki_search_result(const rki_search_run *s, const rki_point *best,
                            rk_search_result *result, rk_diag *diag);

/** Run points, each by its settings, by all threads: the same numbers whoever computes them. */
rk_status rki_points_evaluate(rki_search_run *s, rki_point *points, int count);

/** At most so many at once. */
enum { RKI_POINTS_MOST = 64 };

#endif
