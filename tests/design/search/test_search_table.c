/* SPDX-License-Identifier: MIT */
/*
 * Searches beside dense grids of the same sweep, refined about several of their best points. A few
 * cells of the table run in make test; RK_SEARCH_CELLS says how many of it to run.
 */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "../../support/support.h"

enum { KINDS = 5, RATIOS = 5, MODES = 2, COSTS = 4, LIMITS = 3, WITH = 3 };
enum { CELLS = KINDS * RATIOS * MODES * COSTS * LIMITS * WITH, SHORT = 2 };

/* Cell number `at`: dead time over lag, mode, cost, Ms, and OUT limits or requirements. */
static rk_search_plan cell(int at)
{
    static const double ratio[RATIOS] = {0.02, 0.1, 0.5, 1.5, 5}, ms[LIMITS] = {1.4, 1.6, 2};
    static const rk_cost cost[COSTS] = {RK_COST_LOAD_IAE, RK_COST_SETPOINT_IAE,
                                        RK_COST_SETPOINT_ITAE, RK_COST_BOTH_ISE};
    const double r = ratio[(at / KINDS) % RATIOS];
    const rk_model models[KINDS] = {
        {RK_MODEL_FOPDT, 2, {20, 0}, 0, 20 * r, 0, 0},
        {RK_MODEL_SOPDT, -1, {20, 9}, 0, 20 * r, 0, 0},
        {RK_MODEL_SOPDT_OSC, 1, {20, 0}, 0.5, 20 * r, 0, 0},
        {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 20 * r, 0, 0},
        {RK_MODEL_IPDT_LAG, 0.05, {20, 0}, 0, 20 * r, 0, 0},
    };
    const rk_model m = models[at % KINDS];
    const int rest = at / (KINDS * RATIOS), with = (rest / (MODES * COSTS * LIMITS)) % WITH;
    rk_search_plan plan = rk_search_plan_make(&m);

    plan.mode = rest % MODES == 0 ? "PI" : "PID";
    plan.cost = cost[(rest / MODES) % COSTS];
    plan.requirements.limit[RK_REQUIRE_MS] = ms[(rest / (MODES * COSTS)) % LIMITS];
    plan.ts = fmin(m.dead_time, 20) / 10;
    if (with == 1) {
        plan.limits.low = -2;
        plan.limits.high = 2;
    } else if (with == 2) {
        ck_assert_int_eq(rk_requirements_set(&plan.requirements, RK_REQUIRE_OVERSHOOT, 5, NULL),
                         RK_OK);
    }
    return plan;
}

/* A grid about settings, over a factor to both sides, seven times refined. */
static double grid_cost(const rk_search_plan *plan, const rk_settings *about, double factor,
                        rk_settings *at)
{
    const bool pid = strcmp(plan->mode, "PID") == 0;
    const double low = fmin(about->kc / factor, about->kc * factor);
    const double high = fmax(about->kc / factor, about->kc * factor);
    rk_grid grid = {{low, high, 11}, {about->ti / factor, about->ti * factor, 11}, {0, 0, 1}};
    rk_search_result found;
    rk_grid_runs runs;
    double cost = HUGE_VAL;

    if (pid) {
        grid.derivative = (rk_grid_axis){about->td / factor, about->td * factor, 7};
    }
    if (rk_search_grid_refine(plan, 7, &grid, &runs, &found, NULL) == RK_OK) {
        cost = found.met ? found.cost : HUGE_VAL;
        *at = found.settings;
        rk_grid_runs_free(&runs);
    }
    return cost;
}

/* From what was found, from the process's own times with three derivative times, and wider. */
static double grid_optimum(const rk_search_plan *plan, const rk_settings *found)
{
    static const double part[] = {0.05, 0.25, 0.6};
    const double own = rk_model_slowest(&plan->model) + plan->model.dead_time;
    double best;
    rk_settings at = *found, start = *found;
    size_t k;

    best = grid_cost(plan, found, 1.3, &at);
    for (k = 0; k < COUNT(part); k++) {
        start = *found;
        start.ti = own;
        start.td = part[k] * own;
        start.tf = start.td / plan->filter_ratio;
        best = fmin(best, grid_cost(plan, &start, 4, &at));
    }
    return best;
}

static int cells(void)
{
    const char *asked = getenv("RK_SEARCH_CELLS");

    return asked != NULL ? (int)fmin(fmax(atof(asked), 1), CELLS) : SHORT;
}

START_TEST(a_search_is_within_a_percent_of_the_best_there_is)
{
    /* a stride that is prime to the table's sizes visits all of it evenly */
    rk_search_plan plan = cell((int)(((long)_i * 617) % CELLS));
    rk_search_result found;
    double best;

    ck_assert_int_eq(rk_search_compute(&plan, &found, NULL), RK_OK);
    if (found.idle) return; /* a P is what is asked for */
    plan.duration = found.duration;
    if (!found.met) { /* nor is there anything beside it that meets all */
        ck_assert(isinf(grid_optimum(&plan, &found.settings)));
        return;
    }
    best = grid_optimum(&plan, &found.settings);
    ck_assert_msg(
        found.cost <= best * 1.003,
        "%s %s cost %d, theta %g, Ms %g, low %g: %g at kc %g ti %g td %g, grid %g (%.2f %%)",
        rk_model_kind_to_text(plan.model.kind), plan.mode, (int)plan.cost, plan.model.dead_time,
        plan.requirements.limit[RK_REQUIRE_MS], plan.limits.low, found.cost, found.settings.kc,
        found.settings.ti, found.settings.td, best, 100 * (found.cost / best - 1));
    ck_assert_uint_le(found.tried, 6000);
}
END_TEST

Suite *suite_search_table(void)
{
    Suite *suite = suite_create("design/search table");
    TCase *t = tcase_create("beside grids");

    tcase_set_tags(t, "statistics");
    tcase_set_timeout(t, 60);
    tcase_add_loop_test(t, a_search_is_within_a_percent_of_the_best_there_is, 0, cells());
    suite_add_tcase(suite, t);
    return suite;
}
