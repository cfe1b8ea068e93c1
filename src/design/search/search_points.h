/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_SEARCH_SEARCH_POINTS_H
#define RKI_DESIGN_SEARCH_SEARCH_POINTS_H

#include <redkettle/design/search/search.h>

/** Settings, and how good they are: first what is missing of robustness, then of the requirement
 * that is furthest from being met, then the cost. */
typedef struct rki_point {
    rk_settings settings;
    bool stable;    /* on every model */
    double unsafe;  /* the largest shortfall of the margins; 0: none */
    double missing; /* .. of the other requirements, */
    double others;  /* .. and the next largest of these: of all that could be met beside it */
    int line;       /* whose shortfall `missing` is */
    double cost, error, effort; /* the last two without their weights */
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

/** An integral time of so many of the process's own times has no name. */
#define RKI_IDLE 100.0

/** Its slowest time and its dead time together, s. */
double rki_own_time(const rk_model *model);

/** How long the runs last, at least so long, s, and how often they look. */
void rki_search_plan_sweep(rki_search_run *s, double least);

/** From starts, RKI_STARTS_MOST at most, to a minimum of the valley of each: rounds of a constrained
 * search without derivatives, of the model alone, the last of all models; among_all: the last alone. */
enum { RKI_STARTS_MOST = 4 };
rk_status rki_search_walk(rki_search_run *s, rki_point *points, int count, bool among_all);

/** From a point near the bottom of a valley to the bottom, by a cloud of points of this first size, in
 * logarithms: nothing is done where a requirement is not met. */
rk_status rki_search_polish(rki_search_run *s, double size, rki_point *best);

/** Settings as a place: ln of the size of kc, of ti and of td, those that there are; how many, and how
 * far a search may lead from a place. */
enum { RKI_SEARCH_NUMBERS = 3 }; /* at most */
int rki_search_numbers(const rki_search_run *s);
rk_settings rki_search_settings_at(const rki_search_run *s, const double *place);
void rki_search_place(const rki_search_run *s, const rk_settings *settings, double *place);
void rki_search_bounds(const rki_search_run *s, const double *place, double *low, double *high);

/** What does not exist, or is as far off as can be, is off by this. */
#define RKI_FAR_OFF 7.0

/** How far a figure is from its limit, in parts of it, by the logarithm where it has one: above 0 it
 * is missed. */
double rki_shortfall(double figure, double limit, rk_require what);

/** Is it a margin? */
bool rki_is_margin(rk_require what);

bool rki_point_is_better(const rki_point *a, const rki_point *b);

/** What was found, by its best point: the verdict line by line, and what it does. */
rk_status rki_search_result(const rki_search_run *s, const rki_point *best,
                            rk_search_result *result, rk_diag *diag);

/** Run points, each by its settings, by all threads: the same numbers whoever computes them. */
rk_status rki_points_evaluate(rki_search_run *s, rki_point *points, int count);

/** At most so many at once. */
enum { RKI_POINTS_MOST = 64 };

#endif
