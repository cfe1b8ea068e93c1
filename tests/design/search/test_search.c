/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/loops.h"
#include "../../support/support.h"

/* Thirty models: dead time / time constant 0 to 5, three families of them. */
static rk_model set(int at)
{
    static const double ratios[10] = {0.02, 0.05, 0.1, 0.2, 0.35, 0.6, 1, 1.8, 3, 5};
    const double r = ratios[at % 10];
    rk_model m = {RK_MODEL_FOPDT, -0.5, {20, 0}, 0, 20 * r, 0, 0};

    if (at >= 10 && at < 20) {
        m = (rk_model){RK_MODEL_IPDT, 0.03, {0, 0}, 0, 4 + (10 * r), 0, 0};
    } else if (at >= 20) {
        m = (rk_model){RK_MODEL_SOPDT, 3, {20, 8}, 0, 20 * r, 0, 0};
    }
    return m;
}

/* A twentieth of the shortest time. */
static double scan_of(const rk_model *model)
{
    return fmin(model->dead_time, rk_model_quickest(model)) / 20;
}

static rk_sampling sampling_of(const rk_model *model)
{
    return (rk_sampling){scan_of(model), 0, RK_SCHEME_BACKWARD};
}

static double best_rule(const rk_model *model, const char *mode, double ms)
{
    const rk_knobs knobs = rk_knobs_make();
    const rk_sampling sampling = sampling_of(model);
    rk_tuning list[RK_TUNINGS_MAX];
    double best = HUGE_VAL;
    size_t count, i;

    ck_assert_int_eq(rk_tunings_compute(model, NULL, mode, &knobs, list, &count, NULL), RK_OK);
    for (i = 0; i < count; i++) {
        rk_performance m;

        if (!list[i].usable) continue;
        ck_assert_int_eq(rk_performance_compute(model, &list[i].settings, &sampling, &m, NULL),
                         RK_OK);
        if (m.margins.stable && m.margins.ms <= ms && m.load_iae < best) {
            best = m.load_iae;
        }
    }
    return best;
}

/* No rule with the same Ms recovers from a load with less, and no neighbour does. */
START_TEST(search_is_never_worse_than_a_rule_and_ends_in_an_optimum)
{
    const rk_model model = set((_i * 7) % 30); /* evenly over all of them */
    const rk_sampling sampling = sampling_of(&model);
    rk_search_plan plan = rk_search_plan_make(&model);
    rk_search_result found;
    int i;

    plan.ts = scan_of(&model);
    plan.requirements.limit[RK_REQUIRE_MS] = 1.6;
    ck_assert_int_eq(rk_search_compute(&plan, &found, NULL), RK_OK);
    ck_assert(found.met);
    ck_assert_double_le(found.measures.margins.ms, 1.6 * (1 + 1e-9));
    ck_assert_double_le(found.measures.load_iae, best_rule(&model, "PI", 1.6) * (1 + 1e-3));
    for (i = 0; i < 9; i++) {
        rk_settings near = found.settings;
        rk_performance m;

        near.kc *= 1.0 + (0.01 * ((i % 3) - 1));
        near.ti *= 1.0 + (0.01 * ((i / 3) - 1));
        ck_assert_int_eq(rk_performance_compute(&model, &near, &sampling, &m, NULL), RK_OK);
        ck_assert_msg(!m.margins.stable || m.margins.ms > 1.6 * (1 + 1e-9) ||
                          m.load_iae >= found.measures.load_iae * (1 - 1e-3),
                      "kc %g ti %g gives %g, a neighbour %g", found.settings.kc,
                      found.settings.ti, found.measures.load_iae, m.load_iae);
    }
}
END_TEST

static rk_search_plan quick_plan(void)
{
    const rk_model model = fopdt(2, 10, 3);
    rk_search_plan plan = rk_search_plan_make(&model);

    plan.ts = 0.5;
    plan.requirements.limit[RK_REQUIRE_MS] = 1.6;
    return plan;
}

START_TEST(threads_do_not_change_the_result)
{
    rk_search_plan plan = quick_plan();
    rk_search_result one, many;

    plan.mode = "PID";
    plan.threads = 1;
    ck_assert_int_eq(rk_search_compute(&plan, &one, NULL), RK_OK);
    plan.threads = 5;
    ck_assert_int_eq(rk_search_compute(&plan, &many, NULL), RK_OK);
    ck_assert_double_eq(one.settings.kc, many.settings.kc);
    ck_assert_double_eq(one.settings.ti, many.settings.ti);
    ck_assert_double_eq(one.settings.td, many.settings.td);
    ck_assert_double_eq(one.cost, many.cost);
    ck_assert_uint_eq(one.tried, many.tried);
}
END_TEST

/* Each line asked for is met when it can be, and the robust end is kept. */
START_TEST(requirements_are_met_with_robustness_to_spare)
{
    rk_search_plan plan = quick_plan();
    rk_search_result calm, brisk;

    plan.cost = RK_COST_MS;
    ck_assert_int_eq(rk_requirements_set(&plan.requirements, RK_REQUIRE_SETTLING, 60, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_requirements_set(&plan.requirements, RK_REQUIRE_OVERSHOOT, 5, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_search_compute(&plan, &calm, NULL), RK_OK);
    ck_assert(calm.met);
    ck_assert_double_le(calm.measures.settling, 60.5);
    ck_assert_double_le(calm.measures.overshoot, 5.1);
    ck_assert_int_eq(rk_requirements_set(&plan.requirements, RK_REQUIRE_SETTLING, 20, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_search_compute(&plan, &brisk, NULL), RK_OK);
    ck_assert(brisk.met);
    ck_assert_double_gt(brisk.measures.margins.ms, calm.measures.margins.ms);
}
END_TEST

/* Nothing settles before its dead time: the nearest miss, and which line it is. */
START_TEST(an_impossible_requirement_is_named)
{
    rk_search_plan plan = quick_plan();
    rk_search_result r;

    rk_diag diag;

    ck_assert_int_eq(rk_requirements_set(&plan.requirements, RK_REQUIRE_SETTLING, 1, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_search_compute(&plan, &r, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "no less than 3 s"));
    ck_assert_int_eq(rk_requirements_set(&plan.requirements, RK_REQUIRE_SETTLING, 3.2, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_requirements_set(&plan.requirements, RK_REQUIRE_OVERSHOOT, 5, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_search_compute(&plan, &r, NULL), RK_OK);
    /* robustness and all else are held */
    ck_assert_double_le(r.measures.margins.ms, plan.requirements.limit[RK_REQUIRE_MS]);
    ck_assert(r.verdict.line_met[RK_REQUIRE_OVERSHOOT]);
    ck_assert(!r.met);
    ck_assert_int_eq(r.limiting, RK_REQUIRE_SETTLING);
    ck_assert(!r.verdict.line_met[RK_REQUIRE_SETTLING]);
    ck_assert(r.measures.margins.stable);
}
END_TEST

/* P alone leaves an error: it is brought as near as all else lets it, which a sweep of the gain tells,
   whatever the cost would rather have. */
START_TEST(what_cannot_be_met_is_brought_as_near_as_it_goes)
{
    static const rk_cost costs[] = {RK_COST_MS, RK_COST_SETPOINT_IAE, RK_COST_LOAD_IAE};
    rk_search_plan plan = quick_plan();
    rk_grid grid = {{0.02, 4, 400}, {0, 0, 1}, {0, 0, 1}};
    static rk_grid_point points[400];
    rk_search_result found, swept;
    double nearest = HUGE_VAL;
    size_t best, i;

    plan.mode = "P";
    plan.cost = costs[_i];
    ck_assert_int_eq(
        rk_requirements_set(&plan.requirements, RK_REQUIRE_STEADY_ERROR, 0.001, NULL), RK_OK);
    ck_assert_int_eq(rk_requirements_set(&plan.requirements, RK_REQUIRE_OVERSHOOT, 10, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_search_compute(&plan, &found, NULL), RK_OK);
    ck_assert(!found.met);
    ck_assert_int_eq(found.limiting, RK_REQUIRE_STEADY_ERROR);
    ck_assert_int_eq(rk_search_grid_compute(&plan, &grid, points, &best, &swept, NULL), RK_OK);
    for (i = 0; i < COUNT(points); i++) {
        const double *figure = points[i].figure;

        if (points[i].stable && figure[RK_REQUIRE_MS] <= 1.6 &&
            figure[RK_REQUIRE_OVERSHOOT] <= 10 && figure[RK_REQUIRE_GAIN_MARGIN] >= 2 &&
            figure[RK_REQUIRE_PHASE_MARGIN] >= 45) {
            nearest = fmin(nearest, figure[RK_REQUIRE_STEADY_ERROR]);
        }
    }
    ck_assert_double_le(found.verdict.figure[RK_REQUIRE_STEADY_ERROR], 1.03 * nearest);
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        ck_assert(i == RK_REQUIRE_STEADY_ERROR || !found.verdict.asked[i] ||
                  found.verdict.line_met[i]);
    }
}
END_TEST

/* About a best point at no derivative there is nothing below it. */
START_TEST(a_refined_sweep_stays_at_or_above_no_derivative)
{
    rk_search_plan plan = quick_plan();
    const rk_grid grids[] = {{{0.5, 2, 4}, {5, 15, 3}, {0, 2, 3}},
                             {{-2, -0.5, 4}, {-0.2, -0.05, 3}, {-1, 0, 3}, RK_FORM_PARALLEL}};
    rk_search_result found;
    rk_grid_runs runs;
    size_t i;

    plan.mode = "PID";
    plan.model.gain = plan.process.gain = _i == 0 ? plan.model.gain : -plan.model.gain;
    ck_assert_int_eq(rk_search_grid_refine(&plan, 3, &grids[_i], &runs, &found, NULL), RK_OK);
    ck_assert_uint_eq(runs.count, 4 * 36);
    ck_assert_uint_eq(runs.last, 3 * 36);
    ck_assert_uint_eq(found.tried, runs.count);
    for (i = 0; i < runs.count; i++) {
        ck_assert_int_eq(runs.point[i].turn, (int)(i / 36));
        ck_assert(runs.point[i].settings.td >= 0 && runs.point[i].settings.ti > 0);
    }
    rk_grid_runs_free(&runs);
}
END_TEST

/* More weight is never more effort nor less error, whatever the effort counts; the cost is what the
   weights make of both. */
START_TEST(more_weight_is_less_effort_for_more_error)
{
    static const double weights[] = {0, 1, 30, 300, 3000};
    rk_search_plan plan = quick_plan();
    rk_search_result found[COUNT(weights)];
    size_t i;

    plan.cost = RK_COST_LOAD_ISE;
    plan.effort = (rk_effort)_i;
    plan.weigh_error = 2;
    ck_assert_int_eq(rk_tradeoff_compute(&plan, weights, COUNT(weights), found, NULL), RK_OK);
    for (i = 0; i < COUNT(weights); i++) {
        ck_assert(found[i].met && found[i].error > 0 && found[i].effort > 0);
        ck_close(found[i].cost, (2 * found[i].error) + (weights[i] * found[i].effort), 1e-12);
        if (i == 0) continue;
        ck_assert_double_le(found[i].effort, found[i - 1].effort);
        ck_assert_double_ge(found[i].error, found[i - 1].error);
    }
    ck_assert_double_lt(found[COUNT(weights) - 1].effort,
                        (plan.effort == RK_EFFORT_SQUARES ? 0.9 : 1.0) * found[0].effort);
    ck_assert_int_eq(rk_tradeoff_compute(&plan, weights, 0, found, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_tradeoff_compute(&plan, weights, 33, found, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_tradeoff_compute(NULL, weights, 1, found, NULL), RK_ERR_ARG);
}
END_TEST

/* An integrating process comes to a setpoint without an integral: that is said, and runs are long
   enough that its tail does not look like nothing. */
START_TEST(an_integral_that_the_cost_does_not_want_is_named)
{
    const rk_model model = {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 10, 0, 0};
    rk_search_plan plan = rk_search_plan_make(&model);
    rk_search_result setpoint, load;

    plan.ts = 0.5;
    plan.cost = RK_COST_SETPOINT_IAE;
    ck_assert_int_eq(rk_search_compute(&plan, &setpoint, NULL), RK_OK);
    ck_assert(setpoint.idle);
    ck_assert_double_lt(setpoint.settings.ti, 1001 * 10);
    plan.cost = RK_COST_LOAD_IAE;
    ck_assert_int_eq(rk_search_compute(&plan, &load, NULL), RK_OK);
    ck_assert(!load.idle);
    ck_assert_double_ge(load.duration, 20 * load.settings.ti);
}
END_TEST

/* Weight on the valve's moves calms it; a slow valve is seen. */
START_TEST(effort_and_limits_count)
{
    rk_search_plan plan = quick_plan();
    rk_search_result free_valve, gentle, slow;

    plan.cost = RK_COST_SETPOINT_IAE;
    plan.requirements.limit[RK_REQUIRE_MS] = 2;
    ck_assert_int_eq(rk_search_compute(&plan, &free_valve, NULL), RK_OK);
    plan.weigh_effort = 100;
    ck_assert_int_eq(rk_search_compute(&plan, &gentle, NULL), RK_OK);
    ck_assert_double_lt(fabs(gentle.settings.kc), 0.8 * fabs(free_valve.settings.kc));
    plan.weigh_effort = 0;
    plan.limits.rate = 0.02;
    ck_assert_int_eq(rk_search_compute(&plan, &slow, NULL), RK_OK);
    ck_assert_double_gt(slow.cost, 1.2 * free_valve.cost);
}
END_TEST

/* A requirement of each sort. */
static const struct {
    rk_require what;
    double limit;
} asked[] = {
    {RK_REQUIRE_GAIN_MARGIN, 4},     {RK_REQUIRE_PHASE_MARGIN, 65},
    {RK_REQUIRE_DELAY_MARGIN, 8},    {RK_REQUIRE_OVERSHOOT, 1},
    {RK_REQUIRE_SETTLING, 12},       {RK_REQUIRE_RISE, 5},
    {RK_REQUIRE_STEADY_ERROR, 1e-9}, {RK_REQUIRE_PEAK, 0.75},
    {RK_REQUIRE_RECOVERY, 25},       {RK_REQUIRE_TRAVEL, 1.2},
    {RK_REQUIRE_LARGEST_MOVE, 1},    {RK_REQUIRE_OUT_NOISE, 0.11},
};

START_TEST(a_requirement_of_any_sort_is_met)
{
    const rk_require what = asked[_i].what;
    rk_search_plan plan = quick_plan();
    rk_conditions c = {
        .limits = rk_limits_none(), .ts = 0.5, .sp_step = 1, .load_step = 1, .noise = 0.1};
    double figure[RK_REQUIRE_COUNT];
    rk_search_result r;

    plan.noise = 0.1;
    plan.requirements.limit[RK_REQUIRE_MS] = 2.2;
    ck_assert_int_eq(rk_requirements_set(&plan.requirements, what, asked[_i].limit, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_search_compute(&plan, &r, NULL), RK_OK);
    ck_assert_msg(r.met, "%s is %g", rk_require_to_text(what), r.verdict.figure[what]);
    /* A trial, which sees what is between the scans, says the same to a scan or two. */
    ck_assert_int_eq(rk_figures_compute(&plan.requirements, &plan.model, &r.settings, &c,
                                        &r.measures.margins, figure, NULL),
                     RK_OK);
    ck_assert_double_eq_tol(figure[what], r.verdict.figure[what],
                            rk_require_quantity(what) == RK_QUANTITY_TIME ? 1.0 : 0.05);
}
END_TEST

/* The sum of both steps, and the valve's work by its travel. */
START_TEST(costs_add_up)
{
    const rk_grid one = {{1.2, 1.2, 1}, {9, 9, 1}, {0, 0, 1}};
    rk_search_plan plan = quick_plan();
    rk_grid_point p;
    rk_search_result r;
    size_t best;

    plan.cost = RK_COST_BOTH_ISE;
    plan.requirements.limit[RK_REQUIRE_MS] = 3;
    ck_assert_int_eq(rk_search_grid_compute(&plan, &one, &p, &best, &r, NULL), RK_OK);
    ck_close(r.cost, p.setpoint.ise + p.load.ise, 1e-12);
    plan.weigh_error = 2;
    plan.weigh_effort = 3;
    plan.effort = RK_EFFORT_TRAVEL;
    ck_assert_int_eq(rk_search_grid_compute(&plan, &one, &p, &best, &r, NULL), RK_OK);
    ck_close(r.cost,
             (2 * (p.setpoint.ise + p.load.ise)) + (3 * (p.setpoint.travel + p.load.travel)),
             1e-12);
    plan.cost = RK_COST_SETPOINT_IAE;
    plan.effort = RK_EFFORT_SQUARES;
    ck_assert_int_eq(rk_search_grid_compute(&plan, &one, &p, &best, &r, NULL), RK_OK);
    ck_close(r.cost, (2 * p.setpoint.iae) + (3 * p.setpoint.effort), 1e-12);
}
END_TEST

/* Noise calms derivative action once the valve's work counts. */
START_TEST(noise_counts)
{
    rk_search_plan plan = quick_plan();
    rk_search_result quiet, noisy;

    plan.mode = "PID";
    plan.weigh_effort = 0.5;
    ck_assert_int_eq(rk_search_compute(&plan, &quiet, NULL), RK_OK);
    plan.noise = 0.05;
    ck_assert_int_eq(rk_search_compute(&plan, &noisy, NULL), RK_OK);
    ck_assert_double_lt(noisy.settings.kc * (1 + (10 * (noisy.settings.td > 0))),
                        quiet.settings.kc * (1 + (10 * (quiet.settings.td > 0))));
    ck_assert_double_gt(noisy.cost, quiet.cost);
}
END_TEST

/* What holds at the worst holds on every model; on the nominal one there is some to spare. */
START_TEST(the_worst_model_counts)
{
    rk_search_plan plan = quick_plan();
    const rk_sampling sampling = {plan.ts, 0, RK_SCHEME_BACKWARD};
    rk_search_result nominal, worst, mean;
    rk_model_set set;
    double highest = 0;
    size_t i;

    ck_assert_int_eq(rk_search_compute(&plan, &nominal, NULL), RK_OK);
    ck_assert_int_eq(rk_model_set_from_part(&plan.model, 0.2, RK_OVER_WORST, &set, NULL),
                     RK_OK);
    plan.set = &set;
    ck_assert_int_eq(rk_search_compute(&plan, &worst, NULL), RK_OK);
    ck_assert(worst.met);
    for (i = 0; i < set.count; i++) {
        rk_margins m;

        ck_assert_int_eq(
            rk_sampled_margins_compute(&set.model[i], &worst.settings, &sampling, &m, NULL),
            RK_OK);
        ck_assert(m.stable);
        highest = fmax(highest, m.ms);
    }
    ck_close(worst.verdict.figure[RK_REQUIRE_MS], highest, 1e-12);
    ck_assert_double_le(highest, 1.6 * (1 + 1e-9));
    ck_assert_double_lt(worst.measures.margins.ms, 1.5);
    ck_assert_double_lt(worst.settings.kc, 0.9 * nominal.settings.kc);
    ck_assert_int_eq(rk_model_set_from_part(&plan.model, 0.2, RK_OVER_MEAN, &set, NULL), RK_OK);
    ck_assert_int_eq(rk_search_compute(&plan, &mean, NULL), RK_OK);
    ck_assert_double_gt(mean.settings.kc, worst.settings.kc);
    ck_close(mean.verdict.figure[RK_REQUIRE_MS], 1.6, 0.02);
}
END_TEST

static bool stop_soon(void *user, double part)
{
    int *calls = user;

    (void)part;
    return ++*calls < 3;
}

START_TEST(a_search_that_is_stopped_gives_the_best_so_far)
{
    rk_search_plan plan = quick_plan();
    rk_search_result whole, cut;
    int calls = 0;

    ck_assert_int_eq(rk_search_compute(&plan, &whole, NULL), RK_OK);
    plan.go_on = stop_soon;
    plan.user = &calls;
    ck_assert_int_eq(rk_search_compute(&plan, &cut, NULL), RK_OK);
    ck_assert(cut.stopped && !whole.stopped);
    ck_assert_uint_lt(cut.tried, whole.tried);
    ck_assert(cut.measures.margins.stable);
    ck_assert_double_ge(cut.cost, whole.cost);
}
END_TEST

/* Every point of a grid is what a sweep and the margins say of it alone. */
START_TEST(grid_holds_every_run_and_names_the_best)
{
    const rk_grid grid = {{0.5, 4, 8}, {4, 20, 9}, {0, 0, 1}};
    rk_search_plan plan = quick_plan();
    const rk_sampling sampling = {plan.ts, 0, RK_SCHEME_BACKWARD};
    rk_grid_point points[72];
    rk_search_result found;
    size_t best, i;

    ck_assert_int_eq(rk_search_grid_compute(&plan, &grid, points, &best, &found, NULL), RK_OK);
    ck_assert(points[best].met);
    ck_assert(found.met && found.verdict.met && found.limiting == RK_REQUIRE_COUNT);
    ck_assert_uint_eq(found.tried, 72);
    ck_assert_double_eq(found.settings.kc, points[best].settings.kc);
    ck_assert_double_eq(found.settings.ti, points[best].settings.ti);
    ck_assert_double_eq(found.cost, points[best].cost);
    for (i = 0; i < 72; i++) {
        const rk_settings *s = &points[i].settings;
        rk_margins m;

        ck_assert_double_eq(s->kc, rk_grid_value(&grid.gain, i % 8));
        ck_assert_double_eq(s->ti, rk_grid_value(&grid.integral, i / 8));
        ck_assert_int_eq(rk_sampled_margins_compute(&plan.model, s, &sampling, &m, NULL),
                         RK_OK);
        ck_assert_int_eq(points[i].stable, m.stable);
        if (!m.stable) continue;
        ck_assert_double_eq(points[i].figure[RK_REQUIRE_MS], m.ms);
        ck_assert(!points[i].met || points[i].cost >= points[best].cost);
        ck_assert_double_eq(points[i].cost, points[i].load.iae);
    }
}
END_TEST

START_TEST(grid_refuses_axes_that_are_none)
{
    const rk_grid wrong = {{4, 0.5, 8}, {4, 20, 9}, {0, 0, 1}},
                  none = {{1, 2, 0}, {4, 4, 1}, {0, 0, 1}};
    const rk_grid unstable = {{900, 1000, 2}, {4, 5, 2}, {0, 0, 1}};
    rk_search_plan plan = quick_plan();
    rk_grid_point points[72];
    rk_search_result found;
    size_t best;

    ck_assert_int_eq(rk_search_grid_compute(&plan, &wrong, points, &best, &found, NULL),
                     RK_ERR_RANGE);
    ck_assert_int_eq(rk_search_grid_compute(&plan, &none, points, &best, &found, NULL),
                     RK_ERR_RANGE);
    ck_assert_int_eq(rk_search_grid_compute(&plan, &unstable, points, &best, &found, NULL),
                     RK_ERR_DATA);
    ck_assert_int_eq(rk_search_grid_compute(&plan, NULL, points, &best, &found, NULL),
                     RK_ERR_ARG);
}
END_TEST

START_TEST(bad_plans_are_refused)
{
    rk_search_plan plan = quick_plan();
    rk_search_result r;
    rk_effort effort;
    rk_cost cost;
    int i;

    ck_assert_int_eq(rk_search_compute(NULL, &r, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_search_compute(&plan, NULL, NULL), RK_ERR_ARG);
    plan.mode = "I";
    ck_assert_int_eq(rk_search_compute(&plan, &r, NULL), RK_ERR_RANGE);
    plan = quick_plan();
    plan.sp_step = 0;
    ck_assert_int_eq(rk_search_compute(&plan, &r, NULL), RK_ERR_RANGE);
    plan = quick_plan();
    plan.filter_ratio = 0;
    ck_assert_int_eq(rk_search_compute(&plan, &r, NULL), RK_ERR_RANGE);
    plan = quick_plan();
    plan.model.gain = 0;
    ck_assert_int_eq(rk_search_compute(&plan, &r, NULL), RK_ERR_RANGE);
    for (i = 0; i < RK_COSTS; i++) {
        ck_assert_int_eq(rk_cost_from_text(rk_cost_to_text((rk_cost)i), &cost, NULL), RK_OK);
        ck_assert_int_eq(cost, i);
    }
    ck_assert_int_eq(rk_cost_from_text("beauty", &cost, NULL), RK_ERR_RANGE);
    for (i = 0; i < RK_EFFORTS; i++) {
        ck_assert_int_eq(rk_effort_from_text(rk_effort_to_text((rk_effort)i), &effort, NULL),
                         RK_OK);
        ck_assert_int_eq(effort, i);
    }
    ck_assert_int_eq(rk_effort_from_text("sweat", &effort, NULL), RK_ERR_RANGE);
    plan = quick_plan();
    plan.weigh_error = 0;
    ck_assert_int_eq(rk_search_compute(&plan, &r, NULL), RK_ERR_RANGE);
    plan = quick_plan();
    plan.requirements.limit[RK_REQUIRE_OUT_NOISE] = 1; /* of what noise? */
    ck_assert_int_eq(rk_search_compute(&plan, &r, NULL), RK_ERR_RANGE);
}
END_TEST

static const struct {
    const char *text;
    bool times, good;
    double low, high;
    size_t count;
} axes[] = {
    {"0.5:5:0.25", false, true, 0.5, 5, 19},  {"0.1:0.3:0.1", false, true, 0.1, 0.3, 3},
    {"-24:-1:1", false, true, -24, -1, 24},   {"4", false, true, 4, 4, 1},
    {"30s:2min:30s", true, true, 30, 120, 4}, {"1:1:1", false, false, 0, 0, 0},
    {"5:1:1", false, false, 0, 0, 0},         {"1:5:0", false, false, 0, 0, 0},
    {"1:5:-1", false, false, 0, 0, 0},        {"1:5", false, false, 0, 0, 0},
    {"0:1000:1", false, false, 0, 0, 0}, /* 1001 values */
    {"1:5:1:1", false, false, 0, 0, 0},
};

START_TEST(an_axis_is_what_its_words_say)
{
    rk_grid_axis axis = {9, 9, 9};

    ck_assert_int_eq(rk_grid_axis_parse(axes[_i].text, axes[_i].times, &axis), axes[_i].good);
    if (!axes[_i].good) return;
    ck_close(axis.low, axes[_i].low, 1e-12);
    ck_close(axis.high, axes[_i].high, 1e-12);
    ck_assert_uint_eq(axis.count, axes[_i].count);
}
END_TEST

START_TEST(refining_a_grid_finds_what_a_finer_grid_would)
{
    const rk_search_plan plan = quick_plan();
    const double step = 0.4;
    rk_grid grid = {{0.2, 2.6, 7}, {4, 16, 7}, {0, 0, 1}};
    rk_search_result coarse, fine;
    rk_grid_runs runs;

    ck_assert_int_eq(rk_search_grid_refine(&plan, 0, &grid, &runs, &coarse, NULL), RK_OK);
    rk_grid_runs_free(&runs);
    ck_assert_uint_eq(coarse.tried, 49);
    ck_assert_int_eq(rk_search_grid_refine(&plan, 2, &grid, &runs, &fine, NULL), RK_OK);
    ck_assert_uint_eq(fine.tried, 3 * 49);
    ck_assert(!coarse.met || fine.met);
    ck_assert(!fine.met || !coarse.met || fine.cost <= coarse.cost);
    ck_assert_double_lt(runs.grid.gain.high - runs.grid.gain.low, 3.1 * step);
    ck_assert_double_eq(runs.point[runs.last + runs.best].settings.kc, fine.settings.kc);
    rk_grid_runs_free(&runs);
    ck_assert_int_eq(rk_search_grid_refine(&plan, 0, NULL, &runs, &fine, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_search_grid_refine(&plan, -1, &grid, &runs, &fine, NULL), RK_ERR_RANGE);
    grid.gain.count = 0;
    ck_assert_int_eq(rk_search_grid_refine(&plan, 1, &grid, &runs, &fine, NULL), RK_ERR_RANGE);
}
END_TEST

START_TEST(the_edge_of_a_grid_is_where_an_axis_ends)
{
    const rk_grid grid = {{1, 3, 3}, {1, 2, 2}, {0, 0, 1}};

    ck_assert(rk_grid_is_edge(&grid, 0) && rk_grid_is_edge(&grid, 2));
    ck_assert(!rk_grid_is_edge(&grid, 1)); /* two values of ti have no inside */
    ck_assert(!rk_grid_is_edge(&grid, 4));
    ck_assert(rk_grid_is_edge(&grid, 5));
}
END_TEST

START_TEST(a_loop_tells_what_is_searched_for)
{
    rk_design d = brix_loop();
    rk_search_plan plan;

    d.settings.pv_filter = 2;
    d.pv_low = 0;
    d.pv_high = 20;
    plan = rk_search_plan_for(&d);
    ck_assert_int_eq(plan.cost, RK_COST_LOAD_IAE);
    ck_assert_double_eq(plan.requirements.limit[RK_REQUIRE_MS],
                        rk_requirements_default().limit[RK_REQUIRE_MS]); /* as check */
    ck_assert_double_eq(plan.sp_step, 1);                                /* 5 % of PV's range */
    ck_assert_double_eq(plan.beside.pv_filter, 2);
    ck_assert_double_eq(plan.ts, 1);
    ck_assert_double_eq(plan.noise, 0);
    ck_assert_int_eq(rk_requirements_set(&d.requirements, RK_REQUIRE_MS, 1.9, NULL), RK_OK);
    ck_assert_int_eq(rk_requirements_set(&d.requirements, RK_REQUIRE_RISE, 90, NULL), RK_OK);
    plan = rk_search_plan_for(&d);
    ck_assert_int_eq(plan.cost, RK_COST_MS); /* what is left over goes into robustness */
    ck_assert_double_eq(plan.requirements.limit[RK_REQUIRE_MS], 1.9);
}
END_TEST

Suite *suite_search(void)
{
    Suite *suite = suite_create("design/search");
    TCase *t = tcase_create("search"), *spread_case = tcase_create("spread");

    tcase_add_test(t, a_search_that_is_stopped_gives_the_best_so_far);
    tcase_add_test(t, costs_add_up);
    tcase_add_test(t, grid_holds_every_run_and_names_the_best);
    tcase_add_test(t, grid_refuses_axes_that_are_none);
    add_table(t, an_axis_is_what_its_words_say, axes);
    tcase_add_test(t, refining_a_grid_finds_what_a_finer_grid_would);
    tcase_add_test(t, the_edge_of_a_grid_is_where_an_axis_ends);
    tcase_add_test(t, a_loop_tells_what_is_searched_for);
    tcase_add_test(t, bad_plans_are_refused);
    suite_add_tcase(suite, t);
    /* Thousands of runs each: too slow for the sanitizers, which see the same code above. */
    tcase_set_tags(spread_case, "statistics");
    tcase_add_test(spread_case, threads_do_not_change_the_result);
    tcase_add_test(spread_case, requirements_are_met_with_robustness_to_spare);
    tcase_add_loop_test(spread_case, what_cannot_be_met_is_brought_as_near_as_it_goes, 0, 3);
    add_some(spread_case, more_weight_is_less_effort_for_more_error, RK_EFFORTS);
    tcase_add_loop_test(spread_case, a_refined_sweep_stays_at_or_above_no_derivative, 0, 2);
    tcase_add_test(spread_case, an_integral_that_the_cost_does_not_want_is_named);
    tcase_add_test(spread_case, an_impossible_requirement_is_named);
    add_some(spread_case, a_requirement_of_any_sort_is_met, COUNT(asked));
    tcase_add_test(spread_case, noise_counts);
    tcase_add_test(spread_case, the_worst_model_counts);
    tcase_add_test(spread_case, effort_and_limits_count);
    add_some(spread_case, search_is_never_worse_than_a_rule_and_ends_in_an_optimum, 9);
    suite_add_tcase(suite, spread_case);
    return suite;
}
