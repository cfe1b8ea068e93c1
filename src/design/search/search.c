/* SPDX-License-Identifier: MIT */
/*
 * Settings that meet all requirements at the lowest cost.
 *
 * Points are ordered by how much of the limits is missing, then by cost (search_points.c).
 * Starts are the published rules and the process's own times. The gain matters most and is
 * searched afresh for each pair of times: GAINS values over a factor, several times, ever
 * closer. The times are walked by steps in ln ti, ln td and both, the step shortened when no
 * neighbour is better: a pattern search, which needs no derivatives of figures that jump
 * (settling, limits). It ends in a local optimum; against the best of all rules it is never
 * worse. A search runs some thousands of sweeps.
 *
 * Source  R. Hooke, T. A. Jeeves, "Direct search" solution of numerical and statistical
 *         problems, 1961, J. ACM 8(2), 212-229.
 */
#include <redkettle/design/search/search.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/tune/tune.h>

#include "design/base/words.h"
#include "search_points.h"

static const char *const cost_words[] = {
    "ms",        "setpoint-iae", "setpoint-ise", "setpoint-itae", "load-iae", "load-ise",
    "load-itae", "both-iae",     "both-ise",     "both-itae",     NULL};

static const char *const effort_words[] = {"squares", "travel", NULL};

const char *rk_cost_to_text(rk_cost cost)
{
    return rki_word(cost_words, (int)cost);
}

rk_status rk_cost_from_text(const char *text, rk_cost *cost, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || cost == NULL) return RK_ERR_ARG;
    status = rki_word_find(cost_words, "cost", text, &found, diag);
    if (status == RK_OK) {
        *cost = (rk_cost)found;
    }
    return status;
}

const char *rk_effort_to_text(rk_effort effort)
{
    return rki_word(effort_words, (int)effort);
}

rk_status rk_effort_from_text(const char *text, rk_effort *effort, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || effort == NULL) return RK_ERR_ARG;
    status = rki_word_find(effort_words, "effort", text, &found, diag);
    if (status == RK_OK) {
        *effort = (rk_effort)found;
    }
    return status;
}

rk_search_plan rk_search_plan_make(const rk_model *model)
{
    return (rk_search_plan){.model = *model,
                            .limits = rk_limits_none(),
                            .ts = nan(""),
                            .sp_step = 1.0,
                            .load_step = 1.0,
                            .mode = "PI",
                            .filter_ratio = 10.0,
                            .beside = rk_settings_make(1.0, HUGE_VAL, 0.0, 0.0),
                            .cost = RK_COST_LOAD_IAE,
                            .weigh_error = 1.0,
                            .requirements = rk_requirements_default()};
}

rk_search_plan rk_search_plan_for(const rk_design *loop)
{
    /* These need control to be active: without one of them robustness alone would be none. */
    static const rk_require active[] = {RK_REQUIRE_SETTLING, RK_REQUIRE_RISE, RK_REQUIRE_PEAK,
                                        RK_REQUIRE_RECOVERY};
    const rk_conditions c = rk_design_conditions(loop);
    rk_search_plan made = rk_search_plan_make(&loop->model);
    const rk_requirements asked = rk_design_requirements(loop);
    size_t i;

    for (i = 0; i < sizeof active / sizeof active[0]; i++) {
        if (!isnan(asked.limit[active[i]])) {
            made.cost = RK_COST_MS;
        }
    }
    made.requirements = asked;
    made.beside = loop->settings;
    made.ts = c.ts;
    made.delay = c.delay;
    made.limits = c.limits;
    made.sp_step = c.sp_step;
    made.load_step = c.load_step;
    made.noise = isnan(c.noise) ? 0.0 : c.noise;
    return made;
}

/* Gains tried at once. */
enum { GAINS = 16 };

/* The first look at the gain goes this far to both sides, each next one this much less. */
#define FIRST_REACH 8.0
enum { LOOKS = 4, FIRST_LOOKS = 5 };

/* The best gain at the times of *from, which is put in its place. */
static rk_status best_gain(rki_search_run *s, rki_point *from, int looks, double reach)
{
    rki_point points[GAINS], best = *from;
    rk_status status = RK_OK;
    int look, i;

    best.missing = HUGE_VAL;
    for (look = 0; look < looks && status == RK_OK; look++) {
        for (i = 0; i < GAINS; i++) {
            const double part = ((2.0 * i) / (GAINS - 1)) - 1.0;

            points[i] = *from;
            points[i].settings.kc = from->settings.kc * pow(reach, part);
        }
        status = rki_points_evaluate(s, points, GAINS);
        for (i = 0; i < GAINS && status == RK_OK; i++) {
            if (rki_point_is_better(&points[i], &best)) {
                best = points[i];
            }
        }
        *from = best;
        reach = pow(reach, 2.5 / (GAINS - 1));
    }
    return status;
}

/* Steps of the times, as factors: from the first to the last. */
#define FIRST_STEP 0.5
#define LAST_STEP 0.004

/* Steps in ti, in td and in both together, until none is better. */
static rk_status walk(rki_search_run *s, rki_point *best)
{
    static const int ways[8][2] = {{1, 0}, {-1, 0},  {0, 1},  {0, -1},
                                   {1, 1}, {-1, -1}, {1, -1}, {-1, 1}};
    double step = FIRST_STEP;
    rk_status status = RK_OK;

    while (step > LAST_STEP && status == RK_OK && rki_search_may_go_on(s)) {
        bool moved = false;
        int i;

        for (i = 0; i < 8 && status == RK_OK; i++) {
            rki_point next = *best;

            if ((ways[i][0] != 0 && !s->integral) || (ways[i][1] != 0 && !s->derivative))
                continue;
            next.settings = rki_search_settings(s, best->settings.kc,
                                                best->settings.ti * exp(step * ways[i][0]),
                                                best->settings.td * exp(step * ways[i][1]));
            status = best_gain(s, &next, LOOKS, fmax(exp(2.0 * step), 1.1));
            if (status == RK_OK && rki_point_is_better(&next, best)) {
                *best = next;
                moved = true;
            }
        }
        if (!moved) {
            step *= 0.4;
        }
        s->part = fmin(1.0, log(FIRST_STEP / step) / log(FIRST_STEP / LAST_STEP));
    }
    return status;
}

/* The process's own times, and every rule's settings as they are; returns how many. */
static int list_starts(const rki_search_run *s, rki_point points[RKI_POINTS_MOST])
{
    const rk_search_plan *p = s->plan;
    const double time = rk_model_slowest(&p->model) + p->model.dead_time;
    const bool integrates = rk_model_kind_integrates(p->model.kind);
    rk_tuning list[RK_TUNINGS_MAX];
    const rk_knobs knobs = rk_knobs_make();
    size_t rules = 0, i;
    int count = 0;

    memset(points, 0, RKI_POINTS_MOST * sizeof *points);
    points[count++].settings =
        rki_search_settings(s, integrates ? 0.5 / (p->model.gain * time) : 0.5 / p->model.gain,
                            integrates ? 8.0 * time : time, 0.25 * time);
    if (rk_tunings_compute(&p->model, NULL, p->mode, &knobs, list, &rules, NULL) != RK_OK) {
        rules = 0;
    }
    for (i = 0; i < rules && count < RKI_POINTS_MOST; i++) {
        if (!list[i].usable) continue;
        points[count++].settings = rki_search_settings(
            s, list[i].settings.kc, list[i].settings.ti, list[i].settings.td);
    }
    return count;
}

/* So many of the best starts have their gain searched. */
enum { FOLLOWED = 3 };

static rk_status begin(rki_search_run *s, rki_point *best)
{
    rki_point points[RKI_POINTS_MOST];
    const int count = list_starts(s, points);
    rk_status status = rki_points_evaluate(s, points, count);
    int turn, i;

    best->missing = HUGE_VAL;
    best->cost = HUGE_VAL;
    for (turn = 0; turn < FOLLOWED && turn < count && status == RK_OK; turn++) {
        int next = turn;

        for (i = turn + 1; i < count; i++) {
            if (rki_point_is_better(&points[i], &points[next])) {
                next = i;
            }
        }
        {
            const rki_point swap = points[turn];

            points[turn] = points[next];
            points[next] = swap;
        }
        status = best_gain(s, &points[turn], FIRST_LOOKS, FIRST_REACH);
        if (status == RK_OK && rki_point_is_better(&points[turn], best)) {
            *best = points[turn];
        }
        if (!rki_search_may_go_on(s)) break;
    }
    return status;
}

rk_status rk_search_compute(const rk_search_plan *plan, rk_search_result *result, rk_diag *diag)
{
    rki_search_run s = {.plan = plan};
    rki_point best;
    rk_status status;

    rk_diag_clear(diag);
    if (plan == NULL || result == NULL) return RK_ERR_ARG;
    status = rki_search_check(plan, &s, diag);
    if (status != RK_OK) return status;
    memset(&best, 0, sizeof best);
    rki_search_plan_sweep(&s);
    status = begin(&s, &best);
    if (status == RK_OK) {
        status = walk(&s, &best);
    }
    if (status != RK_OK)
        return rk_diag_set(diag, status, "the search could not run its trials");
    if (!best.stable) {
        return rk_diag_set(diag, RK_ERR_DATA,
                           "no stable %s settings were found for this process", plan->mode);
    }
    return rki_search_result(&s, &best, result, diag);
}

rk_status rk_search_compute_without(const rk_search_plan *plan, const rk_search_result *found,
                                    rk_search_result *without, rk_diag *diag)
{
    rk_search_plan less;

    rk_diag_clear(diag);
    if (plan == NULL || found == NULL || without == NULL) return RK_ERR_ARG;
    if (found->met || found->limiting >= RK_REQUIRE_COUNT) {
        return rk_diag_set(diag, RK_ERR_DATA, "all requirements are met: none is limiting");
    }
    less = *plan;
    less.requirements.limit[found->limiting] = nan("");
    if (less.cost == RK_COST_MS) {
        less.cost = RK_COST_LOAD_IAE; /* robustness alone would be no control at all */
    }
    return rk_search_compute(&less, without, diag);
}
