/* SPDX-License-Identifier: MIT */
#include "search_points.h"

#include <math.h>
#include <pthread.h>
#include <string.h>
#include <unistd.h>

#include "words.h"

/* The runs last so many of the process's own times, and are seen so often in its shortest. */
#define LONG 40.0
#define STEPS 20.0
#define SCANS_MOST 40000.0

void rki_search_plan_sweep(rki_search_run *s)
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

rk_settings rki_search_settings(const rki_search_run *s, double kc, double ti, double td)
{
    const double derivative = s->derivative ? td : 0.0;

    return rk_settings_make(kc, s->integral ? ti : HUGE_VAL, derivative,
                            derivative / s->plan->filter_ratio);
}

bool rki_search_may_go_on(rki_search_run *s)
{
    if (s->plan->go_on != NULL && !s->plan->go_on(s->plan->user, s->part)) {
        s->stopped = true;
    }
    return !s->stopped;
}

/* How much of a limit is missing: 0 if it is met, 1 if half or twice of it. */
static double shortfall(double figure, double limit, bool least)
{
    if (!isfinite(figure)) return least && figure > 0 ? 0.0 : 10.0;
    if (least) return figure >= limit ? 0.0 : fmin((limit / fmax(figure, 1e-9)) - 1.0, 10.0);
    if (figure <= limit) return 0.0;
    return fmin((figure - limit) / fmax(limit, 1.0), 10.0);
}

void rki_point_figures(const rki_search_run *s, const rki_point *p,
                       double figure[RK_REQUIRE_COUNT])
{
    figure[RK_REQUIRE_GAIN_MARGIN] = p->margins.gain_margin;
    figure[RK_REQUIRE_PHASE_MARGIN] = p->margins.phase_margin;
    figure[RK_REQUIRE_DELAY_MARGIN] = p->margins.delay_margin;
    figure[RK_REQUIRE_MS] = p->margins.ms;
    figure[RK_REQUIRE_OVERSHOOT] = 100.0 * p->run.setpoint.beyond / fabs(s->plan->sp_step);
    figure[RK_REQUIRE_SETTLING] = p->run.setpoint.settling;
    figure[RK_REQUIRE_RISE] = p->run.setpoint.rise;
}

static double cost_of(const rki_search_run *s, const rki_point *p)
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

static void judge(const rki_search_run *s, rki_point *p)
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
    rki_point_figures(s, p, figure);
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (!isnan(r->limit[i])) {
            p->missing += shortfall(figure[i], r->limit[i], rk_require_is_least((rk_require)i));
        }
    }
    p->cost = cost_of(s, p);
}

bool rki_point_is_better(const rki_point *a, const rki_point *b)
{
    if (a->missing != b->missing) return a->missing < b->missing;
    return a->cost < b->cost;
}

/* Each thread's share of the points. */
enum { THREADS_MOST = 64 };

typedef struct share {
    const rki_search_run *s;
    rki_point *points;
    int first, last;
} share;

/* Every point by itself: the same numbers whoever computes them. */
static void *work(void *given)
{
    share *mine = given;
    rk_settings settings[RKI_POINTS_MOST];
    rk_sweep_result results[RKI_POINTS_MOST];
    const int count = mine->last - mine->first;
    rk_status status;
    int i;

    memset(settings, 0, sizeof settings);
    for (i = 0; i < count; i++) {
        settings[i] = mine->points[mine->first + i].settings;
    }
    status = rk_sweep(&mine->s->sweep, settings, (size_t)count, results, NULL);
    for (i = 0; i < count; i++) {
        rki_point *p = &mine->points[mine->first + i];

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

rk_status rki_points_evaluate(rki_search_run *s, rki_point *points, int count)
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

rk_status rki_search_check(const rk_search_plan *p, rki_search_run *s, rk_diag *diag)
{
    const char *mode = p->mode != NULL ? p->mode : "";
    rk_status status = rk_model_check(&p->model, diag);

    if (status == RK_OK) {
        status = rk_limits_check(&p->limits, diag);
    }
    if (status == RK_OK) {
        status = rki_mode_check(mode, diag);
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
    s->integral = strchr(mode, 'I') != NULL;
    s->derivative = strchr(mode, 'D') != NULL;
    s->threads = p->threads;
    if (s->threads <= 0) {
        s->threads = (int)sysconf(_SC_NPROCESSORS_ONLN);
    }
    s->threads = s->threads < 1 ? 1 : s->threads > THREADS_MOST ? THREADS_MOST : s->threads;
    return RK_OK;
}

/* The line whose shortfall is largest stands in the way. */
static void take_verdict(const rki_search_run *s, const rki_point *p, rk_search_result *result)
{
    const rk_requirements *r = &s->plan->requirements;
    double worst = 0;
    int i;

    rki_point_figures(s, p, result->verdict.figure);
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

rk_status rki_search_result(const rki_search_run *s, const rki_point *best,
                            rk_search_result *result, rk_diag *diag)
{
    rk_search_result made;
    rk_status status;

    memset(&made, 0, sizeof made);
    made.settings = best->settings;
    made.cost = best->cost;
    made.tried = s->tried;
    made.stopped = s->stopped;
    take_verdict(s, best, &made);
    status = rk_measure(&s->plan->model, &best->settings, s->plan->ts, &made.measures, diag);
    if (status == RK_OK) {
        *result = made;
    }
    return status;
}
