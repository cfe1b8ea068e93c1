/* SPDX-License-Identifier: MIT */
/*
 * Settings that meet all requirements at the lowest cost.
 *
 * Starts are the published rules and the process's own times, each with several derivative times;
 * the best of them have their gain searched. From those that lie well apart, and from one with a long
 * integral, the valleys are walked down (search_walk.c), all at once. Points are ordered by
 * robustness, then by the requirement that is furthest from being met, then by cost
 * (search_points.c). Runs last until the tail of what is found is in; against the best of all rules
 * it is never worse.
 */
#include <redkettle/design/search/search.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/tune/tune.h>

#include "design/base/words.h"
#include "search_points.h"

static const char *const cost_words[] = {
    "ms",        "setpoint-iae", "setpoint-ise", "setpoint-itae", "load-iae", "load-ise",
    "load-itae", "both-iae",     "both-ise",     "both-itae",     NULL};

static const char *const effort_words[] = {"squares", "travel", "energy", NULL};

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

void rk_cost_unit(const rk_search_plan *plan, const rk_design *loop,
                  char unit[RK_GAIN_UNIT_CHARS])
{
    static const char *const behind[] = {" s", "^2 s", " s^2"}; /* IAE, ISE, ITAE */
    const int kind = plan->cost == RK_COST_MS ? -1 : ((int)plan->cost - 1) % 3;

    unit[0] = '\0';
    if (kind >= 0) {
        (void)snprintf(unit, RK_GAIN_UNIT_CHARS, "%s%s", loop->pv_units, behind[kind]);
    }
}

void rk_effort_unit(const rk_search_plan *plan, const rk_design *loop,
                    char unit[RK_GAIN_UNIT_CHARS])
{
    static const char *const behind[] = {"^2", "", "^2 s"}; /* squares, travel, energy */

    (void)snprintf(unit, RK_GAIN_UNIT_CHARS, "%s%s", loop->out_units, behind[plan->effort]);
}

rk_search_plan rk_search_plan_make(const rk_model *model)
{
    return (rk_search_plan){.model = *model,
                            .process = *model,
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
    made.process = *rk_design_process(loop);
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

/* Gains tried at once, over a factor to both sides; the second look is within two of the first's
   steps. */
enum { GAINS = 16, LOOKS = 2 };
#define REACH 8.0

/* The best gain at the times of *from, which is put in its place. */
static rk_status best_gain(rki_search_run *s, rki_point *from)
{
    rki_point points[GAINS], best = *from;
    double reach = REACH;
    rk_status status = RK_OK;
    int look, i;

    for (look = 0; look < LOOKS && status == RK_OK; look++) {
        for (i = 0; i < GAINS; i++) {
            const double part = ((2.0 * i) / (GAINS - 1)) - 1.0;

            points[i] = best;
            points[i].settings.kc = best.settings.kc * pow(reach, part);
        }
        status = rki_points_evaluate(s, points, GAINS);
        for (i = 0; i < GAINS && status == RK_OK; i++) {
            if (rki_point_is_better(&points[i], &best)) {
                best = points[i];
            }
        }
        reach = pow(reach, 2.0 * 2.0 / (GAINS - 1));
    }
    *from = best;
    return status;
}

/* What each rule's times are tried with, too: valleys lie apart in them. */
static const double derivatives[] = {1.0, 0.1, 3.0, 1.0}, integrals[] = {1.0, 1.0, 1.0, 3.0};

/* The process's own times, and every rule's settings; returns how many. */
static int list_starts(const rki_search_run *s, rki_point points[RKI_POINTS_MOST])
{
    const rk_search_plan *p = s->plan;
    const double time = rki_own_time(&p->model);
    const bool integrates = rk_model_kind_integrates(p->model.kind);
    const int ways = s->derivative ? 4 : 1;
    rk_tuning list[RK_TUNINGS_MAX];
    const rk_knobs knobs = rk_knobs_make();
    size_t rules = 0, i;
    int count = 0, k;

    memset(points, 0, RKI_POINTS_MOST * sizeof *points);
    for (k = 0; k < ways; k++) {
        points[count++].settings = rki_search_settings(
            s, integrates ? 0.5 / (p->model.gain * time) : 0.5 / p->model.gain,
            (integrates ? 8.0 : 1.0) * time * integrals[k], 0.25 * time * derivatives[k]);
    }
    if (rk_tunings_compute(&p->model, NULL, p->mode, &knobs, list, &rules, NULL) != RK_OK) {
        rules = 0;
    }
    for (i = 0; i < rules; i++) {
        if (!list[i].usable) continue;
        for (k = 0; k < ways && count < RKI_POINTS_MOST; k++) {
            points[count++].settings =
                rki_search_settings(s, list[i].settings.kc, list[i].settings.ti * integrals[k],
                                    list[i].settings.td * derivatives[k]);
        }
    }
    return count;
}

/* A long integral beside a high gain: where the dead time is short, it errs and overshoots least
   after a setpoint, far from all rules. */
static rki_point long_start(const rki_search_run *s)
{
    const rk_search_plan *p = s->plan;
    const double time = rki_own_time(&p->model);
    const double scan = isnan(p->ts) ? 0.0 : p->ts;
    const double dead = fmax(p->model.dead_time + p->delay + scan, 0.01 * time);
    const double gain =
        rk_model_kind_integrates(p->model.kind) ? p->model.gain * time : p->model.gain;

    return (rki_point){
        .settings = rki_search_settings(s, 0.3 * time / (gain * dead), 8.0 * time, 0.1 * time)};
}

/* So many of the best have their gain searched; of those that are walked from none is nearer to a
   better one than this, in the logarithms of the times. */
enum { LOOKED_AT = 10 };
#define APART 0.5

static void sort_best(rki_point *points, int count, int wanted)
{
    int turn, i;

    for (turn = 0; turn < wanted && turn < count; turn++) {
        for (i = turn + 1; i < count; i++) {
            if (rki_point_is_better(&points[i], &points[turn])) {
                const rki_point swap = points[turn];

                points[turn] = points[i];
                points[i] = swap;
            }
        }
    }
}

static double apart(const rki_search_run *s, const rki_point *a, const rki_point *b)
{
    const double ti = s->integral ? fabs(log(a->settings.ti / b->settings.ti)) : 0.0;
    const double td = s->derivative ? fabs(log(a->settings.td / b->settings.td)) : 0.0;

    return fmax(ti, td);
}

/* The starts to walk from, best first; how many. */
static rk_status choose_starts(rki_search_run *s, rki_point chosen[RKI_STARTS_MOST], int *count)
{
    rki_point points[RKI_POINTS_MOST];
    const int listed = list_starts(s, points);
    rki_point far = long_start(s);
    const int looked_at = listed < LOOKED_AT ? listed : LOOKED_AT;
    rk_status status = rki_points_evaluate(s, points, listed);
    int i, k;

    sort_best(points, listed, looked_at);
    for (i = 0; i < looked_at && status == RK_OK; i++) {
        status = best_gain(s, &points[i]);
    }
    sort_best(points, looked_at, looked_at);
    if (status == RK_OK) {
        status = rki_points_evaluate(s, &far, 1);
    }
    if (status == RK_OK) {
        status = best_gain(s, &far);
    }
    chosen[0] = far;
    *count = 1;
    for (i = 0; i < looked_at && *count < RKI_STARTS_MOST; i++) {
        for (k = 0; k < *count && apart(s, &points[i], &chosen[k]) > APART; k++) {
            continue;
        }
        if (k == *count) {
            chosen[(*count)++] = points[i];
        }
    }
    return status;
}

static const rki_point *best_of(const rki_point *points, int count)
{
    int best = 0, i;

    for (i = 1; i < count; i++) {
        if (rki_point_is_better(&points[i], &points[best])) {
            best = i;
        }
    }
    return &points[best];
}

/* The sizes of the clouds that a place is polished with, in logarithms. */
static const double polished[] = {0.3, 0.1, 0.03};

static rk_status polish(rki_search_run *s, rki_point *best)
{
    rk_status status = RK_OK;
    size_t i;

    for (i = 0; i < sizeof polished / sizeof polished[0] && status == RK_OK; i++) {
        status = rki_search_polish(s, polished[i], best);
    }
    return status;
}

/* Of several models, which take longer, a valley is walked again instead: for as long as that gains
   so much. */
enum { AGAIN_MOST = 3 };
#define WORTH_IT 1e-2

static rk_status walk_again(rki_search_run *s, rki_point *best)
{
    int turn;

    for (turn = 0; turn < AGAIN_MOST && best->stable && !s->stopped; turn++) {
        const rki_point before = *best;
        const rk_status status = rki_search_walk(s, best, 1, true);

        if (status != RK_OK) return status;
        if (!(best->cost < before.cost * (1.0 - WORTH_IT)) &&
            !(best->missing < before.missing)) {
            break;
        }
    }
    return RK_OK;
}

/* A run must show the tail of what it is judged by: so many integral times. */
#define TAIL 20.0
enum { LONGER_MOST = 3 };

static rk_status see_tail(rki_search_run *s, rki_point *best)
{
    int turn;

    for (turn = 0; turn < LONGER_MOST && s->integral && best->stable && !s->stopped; turn++) {
        const double needed = TAIL * best->settings.ti;
        rk_status status;

        if (needed <= s->sweep.duration ||
            best->settings.ti > 0.9 * RKI_IDLE * rki_own_time(&s->plan->model)) {
            break;
        }
        rki_search_plan_sweep(s, 1.5 * needed);
        status = rki_points_evaluate(s, best, 1);
        if (status == RK_OK) {
            status = rki_search_walk(s, best, 1, s->plan->set != NULL);
        }
        if (status != RK_OK) return status;
    }
    return RK_OK;
}

static rk_status search_all(rki_search_run *s, rki_point *best)
{
    rki_point points[RKI_STARTS_MOST];
    int count;
    rk_status status;

    rki_search_plan_sweep(s, 0.0);
    status = choose_starts(s, points, &count);
    if (status == RK_OK) {
        status = rki_search_walk(s, points, count, false);
    }
    if (status != RK_OK) return status;
    *best = *best_of(points, count);
    status = s->plan->set != NULL ? walk_again(s, best) : polish(s, best);
    return status == RK_OK ? see_tail(s, best) : status;
}

/* What the dead time alone forbids is not searched for. */
static rk_status check_possible(const rk_search_plan *p, rk_diag *diag)
{
    const double least = p->process.dead_time + p->delay;

    if (!(p->requirements.limit[RK_REQUIRE_SETTLING] < least)) return RK_OK;
    return rk_diag_set(
        diag, RK_ERR_RANGE,
        "settling %g s: give no less than %.4g s, the dead time, which no controller takes away",
        p->requirements.limit[RK_REQUIRE_SETTLING], least);
}

rk_status rk_search_compute(const rk_search_plan *plan, rk_search_result *result, rk_diag *diag)
{
    rki_search_run s = {.plan = plan};
    rki_point best;
    rk_status status;

    rk_diag_clear(diag);
    if (plan == NULL || result == NULL) return RK_ERR_ARG;
    status = rki_search_check(plan, &s, diag);
    if (status == RK_OK) {
        status = check_possible(plan, diag);
    }
    if (status != RK_OK) return status;
    memset(&best, 0, sizeof best);
    status = search_all(&s, &best);
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
