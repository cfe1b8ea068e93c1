/* SPDX-License-Identifier: MIT */
#include <redkettle/design/search.h>

#include <math.h>
#include <pthread.h>
#include <string.h>
#include <unistd.h>

#include <redkettle/design/tune.h>

#include "words.h"

static const char *const cost_words[] = {
    "ms",       "setpoint-iae", "setpoint-ise", "setpoint-itae",
    "load-iae", "load-ise",     "load-itae",    NULL};

const char *rk_cost_to_text(rk_cost cost)
{
    return rki_word(cost_words, (int)cost);
}

rk_status rk_cost_from_text(const char *text, rk_cost *cost, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    if (text == NULL || cost == NULL) return RK_ERR_ARG;
    status = rki_word_find(cost_words, "cost", text, &found, diag);
    if (status == RK_OK) {
        *cost = (rk_cost)found;
    }
    return status;
}

rk_search_plan rk_search_plan_make(const rk_model *model)
{
    rk_search_plan made = {.model = *model,
                           .limits = {-1e12, 1e12, HUGE_VAL},
                           .ts = nan(""),
                           .sp_step = 1.0,
                           .load_step = 1.0,
                           .mode = "PI",
                           .filter_ratio = 10.0,
                           .cost = RK_COST_LOAD_IAE,
                           .requirements = rk_requirements_default()};

    made.requirements.limit[RK_REQUIRE_MS] = 1.6;
    return made;
}

/* Settings, and how good they are: what is missing of the requirements first, then the cost. */
typedef struct point {
    rk_settings settings;
    double missing, cost;
    rk_sweep_result run;
    rk_margins margins;
    rk_status status;
} point;

/* A search under way. */
typedef struct search {
    const rk_search_plan *plan;
    rk_sweep_plan sweep;
    bool integral, derivative;
    int threads;
    size_t tried;
    double part;
    bool stopped;
} search;

/* The runs last so many of the process's own times, and are seen so often in its shortest. */
#define LONG 40.0
#define STEPS 20.0
#define SCANS_MOST 40000.0

static void plan_sweep(search *s)
{
    const rk_search_plan *p = s->plan;
    const double slow = rk_model_slowest(&p->model) + p->model.dead_time;
    double quick = fmin(rk_model_quickest(&p->model), slow);

    if (p->model.dead_time > 0) {
        quick = fmin(quick, p->model.dead_time);
    }
    s->sweep = (rk_sweep_plan){.plant = p->model,
                               .limits = p->limits,
                               .ts = isnan(p->ts) ? quick / STEPS : p->ts,
                               .sp_step = p->sp_step,
                               .load_step = p->load_step,
                               .duration = LONG * slow,
                               .band = 0.02};
    if (s->sweep.duration / s->sweep.ts > SCANS_MOST && isnan(p->ts)) {
        s->sweep.ts = s->sweep.duration / SCANS_MOST;
    }
}

/* How much of a limit is missing: 0 if it is met, 1 if half or twice of it. */
static double shortfall(double figure, double limit, bool least)
{
    if (!isfinite(figure)) return least && figure > 0 ? 0.0 : 10.0;
    if (least) return figure >= limit ? 0.0 : fmin((limit / fmax(figure, 1e-9)) - 1.0, 10.0);
    if (figure <= limit) return 0.0;
    return fmin((figure - limit) / fmax(limit, 1.0), 10.0);
}

static void figures_of(const search *s, const point *p, double figure[RK_REQUIRE_COUNT])
{
    figure[RK_REQUIRE_GAIN_MARGIN] = p->margins.gain_margin;
    figure[RK_REQUIRE_PHASE_MARGIN] = p->margins.phase_margin;
    figure[RK_REQUIRE_DELAY_MARGIN] = p->margins.delay_margin;
    figure[RK_REQUIRE_MS] = p->margins.ms;
    figure[RK_REQUIRE_OVERSHOOT] = 100.0 * p->run.setpoint.beyond / fabs(s->plan->sp_step);
    figure[RK_REQUIRE_SETTLING] = p->run.setpoint.settling;
    figure[RK_REQUIRE_RISE] = p->run.setpoint.rise;
}

static double cost_of(const search *s, const point *p)
{
    const rk_sweep_run *sp = &p->run.setpoint, *load = &p->run.load;
    const double costs[RK_COSTS] = {p->margins.ms, sp->iae,   sp->ise,   sp->itae,
                                    load->iae,     load->ise, load->itae};
    const rk_sweep_run *moved = s->plan->cost >= RK_COST_LOAD_IAE ? load : sp;

    return costs[s->plan->cost] +
           (s->plan->weigh_effort > 0 ? s->plan->weigh_effort * moved->effort : 0.0);
}

/* An unstable loop misses everything, and the more the higher its gain. */
#define UNSTABLE 1e3

static void judge(const search *s, point *p)
{
    const rk_requirements *r = &s->plan->requirements;
    double figure[RK_REQUIRE_COUNT];
    int i;

    p->missing = 0;
    p->cost = HUGE_VAL;
    if (!p->margins.stable || isnan(p->run.setpoint.iae)) {
        p->missing = UNSTABLE * (1.0 + fabs(p->settings.kc * s->plan->model.gain));
        return;
    }
    figures_of(s, p, figure);
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (!isnan(r->limit[i])) {
            p->missing += shortfall(figure[i], r->limit[i], rk_require_is_least((rk_require)i));
        }
    }
    p->cost = cost_of(s, p);
}

static bool is_better(const point *a, const point *b)
{
    if (a->missing != b->missing) return a->missing < b->missing;
    return a->cost < b->cost;
}

/* The gains tried at once, and each thread's share of them. */
enum { GAINS = 16, THREADS_MOST = 64 };

typedef struct share {
    const search *s;
    point *points;
    int first, last;
} share;

/* Every point by itself: the same numbers whoever computes them. */
static void *work(void *given)
{
    share *mine = given;
    rk_settings settings[GAINS];
    rk_sweep_result results[GAINS];
    const int count = mine->last - mine->first;
    rk_status status;
    int i;

    memset(settings, 0, sizeof settings);
    for (i = 0; i < count; i++) {
        settings[i] = mine->points[mine->first + i].settings;
    }
    status = rk_sweep(&mine->s->sweep, settings, (size_t)count, results, NULL);
    for (i = 0; i < count; i++) {
        point *p = &mine->points[mine->first + i];

        p->run = results[i];
        p->status = status;
        if (status == RK_OK) {
            p->status =
                rk_margins_check(&mine->s->plan->model, &p->settings, &p->margins, NULL);
        }
        if (p->status == RK_ERR_RANGE) { /* settings that are none */
            p->margins.stable = false;
            p->status = RK_OK;
        }
        judge(mine->s, p);
    }
    return NULL;
}

static rk_status evaluate(search *s, point *points, int count)
{
    share shares[THREADS_MOST];
    pthread_t threads[THREADS_MOST];
    bool started[THREADS_MOST];
    const int many = s->threads < count ? s->threads : count;
    int i;

    for (i = 0; i < many; i++) {
        shares[i] = (share){s, points, count * i / many, count * (i + 1) / many};
        started[i] = i > 0 && pthread_create(&threads[i], NULL, work, &shares[i]) == 0;
    }
    for (i = 0; i < many; i++) {
        if (!started[i]) {
            (void)work(&shares[i]);
        }
    }
    for (i = 0; i < many; i++) {
        if (started[i]) {
            (void)pthread_join(threads[i], NULL);
        }
    }
    s->tried += (size_t)count;
    for (i = 0; i < count; i++) {
        if (points[i].status != RK_OK) return points[i].status;
    }
    return RK_OK;
}

/* The first look at the gain goes this far to both sides, each next one this much less. */
#define FIRST_REACH 8.0
enum { LOOKS = 4, FIRST_LOOKS = 5 };

/* The best gain at the times of *from, which is put in its place. */
static rk_status best_gain(search *s, point *from, int looks, double reach)
{
    point points[GAINS], best = *from;
    rk_status status = RK_OK;
    int look, i;

    best.missing = HUGE_VAL;
    for (look = 0; look < looks && status == RK_OK; look++) {
        for (i = 0; i < GAINS; i++) {
            const double part = ((2.0 * i) / (GAINS - 1)) - 1.0;

            points[i] = *from;
            points[i].settings.kc = from->settings.kc * pow(reach, part);
        }
        status = evaluate(s, points, GAINS);
        for (i = 0; i < GAINS && status == RK_OK; i++) {
            if (is_better(&points[i], &best)) {
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

static void set_times(const search *s, point *p, double ti, double td)
{
    p->settings.ti = s->integral ? ti : HUGE_VAL;
    p->settings.td = s->derivative ? td : 0.0;
    p->settings.tf = s->derivative ? td / s->plan->filter_ratio : 0.0;
}

static bool may_go_on(search *s)
{
    if (s->plan->go_on != NULL && !s->plan->go_on(s->plan->user, s->part)) {
        s->stopped = true;
    }
    return !s->stopped;
}

/* Steps in ti, in td and in both together, until none is better. */
static rk_status walk(search *s, point *best)
{
    static const int ways[8][2] = {{1, 0}, {-1, 0},  {0, 1},  {0, -1},
                                   {1, 1}, {-1, -1}, {1, -1}, {-1, 1}};
    double step = FIRST_STEP;
    rk_status status = RK_OK;

    while (step > LAST_STEP && status == RK_OK && may_go_on(s)) {
        bool moved = false;
        int i;

        for (i = 0; i < 8 && status == RK_OK; i++) {
            point next = *best;

            if ((ways[i][0] != 0 && !s->integral) || (ways[i][1] != 0 && !s->derivative))
                continue;
            set_times(s, &next, best->settings.ti * exp(step * ways[i][0]),
                      best->settings.td * exp(step * ways[i][1]));
            status = best_gain(s, &next, LOOKS, fmax(exp(2.0 * step), 1.1));
            if (status == RK_OK && is_better(&next, best)) {
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

/* Times to begin with: a rule's, or the process's own. */
static rk_status begin(search *s, point *best)
{
    const rk_search_plan *p = s->plan;
    const double time = rk_model_slowest(&p->model) + p->model.dead_time;
    rk_tuning list[RK_TUNINGS_MAX];
    const rk_knobs knobs = rk_knobs_make();
    int count = 0, i;
    rk_status status;

    best->missing = HUGE_VAL;
    best->cost = HUGE_VAL;
    if (rk_tune_all(&p->model, NULL, p->mode, &knobs, list, &count, NULL) != RK_OK) {
        count = 0;
    }
    for (i = -1; i < count; i++) {
        point next;

        memset(&next, 0, sizeof next);
        next.settings = rk_settings_make(1.0 / p->model.gain, time, 0.25 * time, 0.0);
        if (i >= 0 && !list[i].usable) continue;
        if (i >= 0) {
            next.settings = list[i].settings;
            next.settings.sp_weight = 1.0;
        } else if (rk_model_kind_integrates(p->model.kind)) {
            next.settings.kc = 0.5 / (p->model.gain * time);
            next.settings.ti = 8.0 * time;
        }
        set_times(s, &next, next.settings.ti, next.settings.td);
        status = best_gain(s, &next, FIRST_LOOKS, FIRST_REACH);
        if (status != RK_OK) return status;
        if (is_better(&next, best)) {
            *best = next;
        }
        if (!may_go_on(s)) break;
    }
    return RK_OK;
}

static rk_status check_plan(const rk_search_plan *p, search *s, rk_diag *diag)
{
    static const char *const modes[] = {"P", "PI", "PD", "PID", NULL};
    int found = 0;
    rk_status status = rk_model_check(&p->model, diag);

    if (status == RK_OK) {
        status = rk_limits_check(&p->limits, diag);
    }
    if (status == RK_OK) {
        status = rki_word_find(modes, "mode", p->mode != NULL ? p->mode : "", &found, diag);
    }
    if (status != RK_OK) return status;
    if (p->sp_step == 0 || p->load_step == 0 || !isfinite(p->sp_step) ||
        !isfinite(p->load_step)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "setpoint step %g, load step %g: give steps that are "
                           "not 0",
                           p->sp_step, p->load_step);
    }
    if (!(p->filter_ratio > 1) || !(p->weigh_effort >= 0) || (int)p->cost < 0 ||
        p->cost >= RK_COSTS) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "filter ratio %g, weight of effort %g: give above 1, and 0 or more",
                           p->filter_ratio, p->weigh_effort);
    }
    s->integral = strchr(p->mode, 'I') != NULL;
    s->derivative = strchr(p->mode, 'D') != NULL;
    s->threads = p->threads;
    if (s->threads <= 0) {
        s->threads = (int)sysconf(_SC_NPROCESSORS_ONLN);
    }
    s->threads = s->threads < 1 ? 1 : s->threads > THREADS_MOST ? THREADS_MOST : s->threads;
    return RK_OK;
}

/* The line whose shortfall is largest stands in the way. */
static void take_verdict(const search *s, const point *p, rk_search_result *result)
{
    const rk_requirements *r = &s->plan->requirements;
    double worst = 0;
    int i;

    figures_of(s, p, result->verdict.figure);
    result->in_the_way = RK_REQUIRE_COUNT;
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const double miss = isnan(r->limit[i])
                                ? 0.0
                                : shortfall(result->verdict.figure[i], r->limit[i],
                                            rk_require_is_least((rk_require)i));

        result->verdict.asked[i] = !isnan(r->limit[i]);
        result->verdict.line_met[i] = miss == 0;
        if (miss > worst) {
            worst = miss;
            result->in_the_way = (rk_require)i;
        }
    }
    result->verdict.met = worst == 0;
    result->met = result->verdict.met;
}

rk_status rk_search(const rk_search_plan *plan, rk_search_result *result, rk_diag *diag)
{
    rk_search_result made;
    search s = {.plan = plan};
    point best;
    rk_status status;

    if (plan == NULL || result == NULL) return RK_ERR_ARG;
    status = check_plan(plan, &s, diag);
    if (status != RK_OK) return status;
    memset(&made, 0, sizeof made);
    memset(&best, 0, sizeof best);
    plan_sweep(&s);
    status = begin(&s, &best);
    if (status == RK_OK) {
        status = walk(&s, &best);
    }
    if (status != RK_OK)
        return rk_diag_set(diag, status, "the search could not run its trials");
    if (!best.margins.stable || isinf(best.cost)) {
        return rk_diag_set(diag, RK_ERR_DATA,
                           "no stable %s settings were found for this process", plan->mode);
    }
    made.settings = best.settings;
    made.cost = best.cost;
    made.tried = s.tried;
    made.stopped = s.stopped;
    take_verdict(&s, &best, &made);
    status = rk_measure(&plan->model, &best.settings, plan->ts, &made.measures, diag);
    if (status == RK_OK) {
        *result = made;
    }
    return status;
}
