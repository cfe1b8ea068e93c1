/* SPDX-License-Identifier: MIT */
/*
 * What settings are worth in a search: the sweep's figures over one model or a set of them,
 * worst or mean, the shortfall against the requirements (the largest of how far each limit is
 * missed, of the margins and of the others), and the cost with its weights. Robustness comes first,
 * then all requirements but the one that is furthest from being met, then that one, then the
 * cost.
 */
#include "search_points.h"

#include <math.h>
#include <string.h>

#include "design/base/parallel.h"
#include "design/base/words.h"
#include "design/margins/brief.h"

/* The runs last so many of the process's own times, and are seen so often in its shortest. */
#define LONG 40.0
#define STEPS 20.0
#define SCANS_MOST 40000.0

double rki_own_time(const rk_model *model)
{
    return rk_model_slowest(model) + model->dead_time;
}

void rki_search_plan_sweep(rki_search_run *s, double least)
{
    const rk_search_plan *p = s->plan;
    const double slow = rk_model_slowest(&p->process) + p->process.dead_time + p->delay;
    double quick = fmin(rk_model_quickest(&p->process), slow);

    if (p->process.dead_time > 0) {
        quick = fmin(quick, p->process.dead_time);
    }
    s->sweep = (rk_sweep_plan){.plant = p->process,
                               .model = p->model,
                               .delay = p->delay,
                               .limits = p->limits,
                               .ts = isnan(p->ts) ? quick / STEPS : p->ts,
                               .sp_step = p->sp_step,
                               .load_step = p->load_step,
                               .duration = fmax(fmax(LONG * slow, least), p->duration),
                               .to_rest = true,
                               .band = 0.02,
                               .noise = p->noise,
                               .threads = 1};
    if (s->sweep.duration / s->sweep.ts > SCANS_MOST && isnan(p->ts)) {
        s->sweep.ts = s->sweep.duration / SCANS_MOST;
    }
}

rk_settings rki_search_settings(const rki_search_run *s, double kc, double ti, double td)
{
    const double derivative = s->derivative ? td : 0.0;
    const rk_settings numbers = rk_settings_make(kc, s->integral ? ti : HUGE_VAL, derivative,
                                                 derivative / s->plan->filter_ratio);
    rk_settings made = s->plan->beside;

    rk_settings_take_numbers(&made, &numbers);
    return made;
}

const rk_sampling *rki_search_sampling(const rki_search_run *s, const rk_settings *settings,
                                       rk_sampling *room)
{
    const rk_conditions c = {
        .ts = s->plan->ts, .delay = s->plan->delay, .known = &s->plan->model};

    return rk_conditions_sampling(&c, settings, room);
}

bool rki_search_may_go_on(rki_search_run *s)
{
    if (s->plan->go_on != NULL && !s->plan->go_on(s->plan->user, s->part)) {
        s->stopped = true;
    }
    return !s->stopped;
}

double rki_shortfall(double figure, double limit, rk_require what)
{
    const bool least = rk_require_is_least(what);

    if (isnan(figure)) return RKI_FAR_OFF;
    if (isinf(figure)) return least == (figure > 0) ? -RKI_FAR_OFF : RKI_FAR_OFF;
    if (rk_require_quantity(what) == RK_QUANTITY_PERCENT) { /* 0 may be asked */
        return fmin((figure - limit) / fmax(limit, 1.0), RKI_FAR_OFF);
    }
    if (!(limit > 0)) return figure > limit ? RKI_FAR_OFF : 0.0;
    if (!(figure > 0)) return least ? RKI_FAR_OFF : -RKI_FAR_OFF;
    return fmax(fmin(least ? log(limit / figure) : log(figure / limit), RKI_FAR_OFF),
                -RKI_FAR_OFF);
}

bool rki_is_margin(rk_require what)
{
    return what <= RK_REQUIRE_MS;
}

/* The larger of what a setpoint and a load step show. */
static void find_figures(const rki_search_run *s, const rk_sweep_result *run,
                         const rk_margins *margins, double figure[RK_REQUIRE_COUNT])
{
    const rk_sweep_run *sp = &run->setpoint, *load = &run->load;

    rk_margins_figures(margins, figure);
    figure[RK_REQUIRE_OVERSHOOT] = 100.0 * sp->beyond / fabs(s->plan->sp_step);
    figure[RK_REQUIRE_SETTLING] = sp->settling;
    figure[RK_REQUIRE_RISE] = sp->rise;
    figure[RK_REQUIRE_STEADY_ERROR] = fabs(sp->steady_error);
    figure[RK_REQUIRE_PEAK] = load->beyond;
    figure[RK_REQUIRE_RECOVERY] = load->settling;
    figure[RK_REQUIRE_TRAVEL] = fmax(sp->travel, load->travel);
    figure[RK_REQUIRE_LARGEST_MOVE] = fmax(sp->largest_move, load->largest_move);
    figure[RK_REQUIRE_OUT_NOISE] = run->noise.out;
}

/* Which steps a cost looks at. */
static bool counts_setpoint(rk_cost cost)
{
    return cost < RK_COST_LOAD_IAE || cost >= RK_COST_BOTH_IAE;
}

static bool counts_load(rk_cost cost)
{
    return cost >= RK_COST_LOAD_IAE;
}

/* What OUT did in a step, and what noise adds to it in its time: the expected size of a change
   that is normal with deviation s is sqrt(2 / pi) s. */
static double effort_of_step(const rki_search_run *s, const rk_sweep_run *step,
                             const rk_sweep_noise *noise)
{
    const bool noisy = s->plan->noise > 0;
    const double out = noisy ? noise->out : 0.0, move = noisy ? noise->move : 0.0;
    const double scans = s->sweep.duration / s->sweep.ts;

    switch (s->plan->effort) {
    case RK_EFFORT_TRAVEL:
        return step->travel + (scans * sqrt(2.0 / acos(-1.0)) * move);
    case RK_EFFORT_ENERGY:
        return step->energy + (s->sweep.duration * out * out);
    default:
        return step->effort + (scans * move * move);
    }
}

static double effort_of(const rki_search_run *s, const rk_sweep_result *run)
{
    double sum = 0;

    if (counts_setpoint(s->plan->cost)) {
        sum += effort_of_step(s, &run->setpoint, &run->noise);
    }
    if (counts_load(s->plan->cost)) {
        sum += effort_of_step(s, &run->load, &run->noise);
    }
    return sum;
}

static double error_of(const rki_search_run *s, const rk_sweep_result *run,
                       const rk_margins *margins)
{
    const rk_sweep_run *sp = &run->setpoint, *load = &run->load;
    const double costs[RK_COSTS] = {margins->ms,
                                    sp->iae,
                                    sp->ise,
                                    sp->itae,
                                    load->iae,
                                    load->ise,
                                    load->itae,
                                    sp->iae + load->iae,
                                    sp->ise + load->ise,
                                    sp->itae + load->itae};

    return costs[s->plan->cost];
}

/* An unstable loop misses everything, and the more the higher its gain. */
#define UNSTABLE 1e3

static void judge(const rki_search_run *s, rki_point *p)
{
    const rk_requirements *r = &s->plan->requirements;
    int i;

    p->unsafe = p->missing = p->others = 0;
    p->line = RK_REQUIRE_COUNT;
    if (!p->stable) {
        p->cost = HUGE_VAL;
        p->unsafe = UNSTABLE * (1.0 + fabs(p->settings.kc * s->plan->model.gain));
        return;
    }
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        double off;

        if (isnan(r->limit[i])) continue;
        off = rki_shortfall(p->figure[i], r->limit[i], (rk_require)i);
        if (rki_is_margin((rk_require)i)) {
            p->unsafe = fmax(p->unsafe, off);
        } else if (off > p->missing) {
            p->others = p->missing;
            p->missing = off;
            p->line = i;
        } else {
            p->others = fmax(p->others, off);
        }
    }
}

bool rki_point_is_better(const rki_point *a, const rki_point *b)
{
    if (a->unsafe != b->unsafe) return a->unsafe < b->unsafe;
    if (a->others != b->others) return a->others < b->others;
    if (a->missing != b->missing) return a->missing < b->missing;
    return a->cost < b->cost;
}

/* What one model shows, added to what those before it showed: the worst of all, or the sum. */
static void add_model(const rki_search_run *s, const double figure[RK_REQUIRE_COUNT],
                      double error, double effort, bool first, rki_point *p)
{
    const double cost = (s->plan->weigh_error * error) + (s->plan->weigh_effort * effort);
    const bool worst = s->plan->set == NULL || s->plan->set->over == RK_OVER_WORST;
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const double sum = p->figure[i] + figure[i]; /* NaN if one of them never happens */

        if (first) {
            p->figure[i] = figure[i];
        } else if (!worst || isnan(sum)) {
            p->figure[i] = sum;
        } else if (rk_require_is_least((rk_require)i)) {
            p->figure[i] = fmin(p->figure[i], figure[i]);
        } else {
            p->figure[i] = fmax(p->figure[i], figure[i]);
        }
    }
    if (first || !worst) {
        p->error = first ? error : p->error + error;
        p->effort = first ? effort : p->effort + effort;
        p->cost = first ? cost : p->cost + cost;
    } else if (cost > p->cost) { /* both of the model that is the worst */
        p->error = error;
        p->effort = effort;
        p->cost = cost;
    }
}

/* The margins of a point on a model; what is not stable, or cannot be scanned, is not run. */
static rk_status find_margins(const rki_search_run *s, const rk_model *m, rki_point *p,
                              rk_margins *margins)
{
    rk_sampling sampling;
    const rk_status status =
        rki_loop_margins_brief(m, &s->plan->model, &p->settings,
                               rki_search_sampling(s, &p->settings, &sampling), margins);

    p->stable = status == RK_OK && margins->stable;
    return status == RK_ERR_RANGE ? RK_OK : status;
}

/* Points that a thread looks at, on one model. */
static void run_model(const rki_search_run *s, size_t model, rki_point *points, size_t count)
{
    const rk_model *m = s->plan->set != NULL ? &s->plan->set->model[model] : &s->plan->process;
    rk_sweep_plan sweep = s->sweep;
    rk_settings settings[RKI_POINTS_MOST];
    rk_sweep_result results[RKI_POINTS_MOST];
    rk_margins margins[RKI_POINTS_MOST];
    rki_point *run[RKI_POINTS_MOST];
    rk_status status = RK_OK;
    size_t stable = 0, i;

    for (i = 0; i < count; i++) {
        rki_point *p = &points[i];

        if (model == 0) {
            p->run = rk_sweep_result_none();
            p->status = RK_OK;
            p->stable = true;
        }
        if (!p->stable || p->status != RK_OK) continue;
        p->status = find_margins(s, m, p, &margins[stable]);
        if (!p->stable) continue;
        settings[stable] = p->settings;
        run[stable++] = p;
    }
    sweep.plant = *m;
    if (stable > 0) {
        status = rk_sweep_compute(&sweep, settings, stable, results, NULL);
    }
    for (i = 0; i < stable; i++) {
        rki_point *p = run[i];
        double figure[RK_REQUIRE_COUNT];

        p->status = status;
        if (status != RK_OK) continue;
        if (model == 0) {
            p->run = results[i];
        }
        if (isnan(results[i].setpoint.iae)) { /* settings that a scan cannot run */
            p->stable = false;
            continue;
        }
        find_figures(s, &results[i], &margins[i], figure);
        add_model(s, figure, error_of(s, &results[i], &margins[i]), effort_of(s, &results[i]),
                  model == 0, p);
    }
}

typedef struct job {
    const rki_search_run *s;
    rki_point *points;
} job;

/* Every point by itself: the same numbers whoever computes them. */
static void work(void *given, int part, size_t first, size_t last)
{
    const job *j = given;
    const rk_model_set *set = j->s->plan->set;
    const size_t models = set != NULL ? set->count : 1;
    const bool mean = set != NULL && set->over == RK_OVER_MEAN;
    size_t m, i;
    int k;

    (void)part;
    for (m = 0; m < models; m++) {
        run_model(j->s, m, j->points + first, last - first);
    }
    for (i = first; i < last; i++) {
        rki_point *p = &j->points[i];

        for (k = 0; k < RK_REQUIRE_COUNT && mean; k++) {
            p->figure[k] /= (double)models;
        }
        p->cost /= mean ? (double)models : 1.0;
        p->error /= mean ? (double)models : 1.0;
        p->effort /= mean ? (double)models : 1.0;
        judge(j->s, p);
    }
}

rk_status rki_points_evaluate(rki_search_run *s, rki_point *points, int count)
{
    job j = {s, points};
    int i;

    rki_parallel((size_t)count, 1, s->threads, work, &j);
    s->tried += (size_t)count;
    for (i = 0; i < count; i++) {
        if (points[i].status != RK_OK) return points[i].status;
    }
    return RK_OK;
}

rk_status rki_search_check(const rk_search_plan *p, rki_search_run *s, rk_diag *diag)
{
    const char *mode = p->mode != NULL ? p->mode : "";
    const rk_settings numbers = rk_settings_make(1.0, 1.0, 0.0, 0.0);
    rk_settings tried = p->beside;
    rk_status status = rk_model_check(&p->model, diag);

    if (status == RK_OK) {
        status = rk_model_check(&p->process, diag);
    }
    if (status == RK_OK) {
        status = rk_limits_check(&p->limits, diag);
    }
    if (status == RK_OK) {
        status = rki_mode_find(mode, &mode, diag);
    }
    if (status != RK_OK) return status;
    if (p->sp_step == 0 || p->load_step == 0 || !isfinite(p->sp_step) ||
        !isfinite(p->load_step)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "setpoint step %g, load step %g: give steps that are "
                           "not 0",
                           p->sp_step, p->load_step);
    }
    if (!(p->filter_ratio > 1) || !(p->weigh_effort >= 0) || isinf(p->weigh_effort) ||
        !(p->weigh_error > 0) || isinf(p->weigh_error)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "filter ratio %g, weight of the error %g, of the effort %g: give "
                           "above 1, above 0, and 0 or more",
                           p->filter_ratio, p->weigh_error, p->weigh_effort);
    }
    if (!(p->delay >= 0) || isinf(p->delay) || (p->delay > 0 && isnan(p->ts))) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a delay of %g s: give 0 or more, and a scan with it", p->delay);
    }
    if (!(p->noise >= 0) || isinf(p->noise)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "noise %g: give 0 or more", p->noise);
    }
    if (rk_settings_is_on_off(&p->beside)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "on-off is two-position control: there are no settings to search; "
                           "take on-off out of [settings]");
    }
    rk_settings_take_numbers(&tried, &numbers);
    status = rk_settings_check(&tried, diag);
    if (status != RK_OK) return status;
    if ((int)p->cost < 0 || p->cost >= RK_COSTS || (int)p->effort < 0 ||
        p->effort >= RK_EFFORTS || (p->set != NULL && p->set->count == 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "unknown cost, effort or way to judge models");
    }
    if (p->noise == 0 && !isnan(p->requirements.limit[RK_REQUIRE_OUT_NOISE])) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "out-noise is asked, but PV's noise is not known: give it");
    }
    s->integral = strchr(mode, 'I') != NULL;
    s->derivative = strchr(mode, 'D') != NULL;
    s->threads = rki_threads(p->threads);
    return RK_OK;
}

/* The limiting requirement is the one with the largest shortfall. */
static void take_verdict(const rki_search_run *s, const rki_point *p, rk_search_result *result)
{
    const rk_requirements *r = &s->plan->requirements;
    double worst = 0;
    int i;

    result->verdict = rk_requirements_check(r, p->stable, p->figure);
    result->met = result->verdict.met;
    result->limiting = RK_REQUIRE_COUNT;
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        double miss;

        if (!result->verdict.asked[i] || result->verdict.line_met[i]) continue;
        miss = rki_shortfall(p->figure[i], r->limit[i], (rk_require)i);
        if (miss > worst) {
            worst = miss;
            result->limiting = (rk_require)i;
        }
    }
}

rk_status rki_search_result(const rki_search_run *s, const rki_point *best,
                            rk_search_result *result, rk_diag *diag)
{
    rk_search_result made;
    rk_sampling sampling;
    rk_status status;

    memset(&made, 0, sizeof made);
    made.settings = best->settings;
    made.cost = best->cost;
    made.error = best->error;
    made.effort = best->effort;
    made.tried = s->tried;
    made.duration = s->sweep.duration;
    made.idle =
        s->integral && best->settings.ti > 0.9 * RKI_IDLE * rki_own_time(&s->plan->model);
    made.stopped = s->stopped;
    take_verdict(s, best, &made);
    status = rk_performance_compute(&s->plan->process, &best->settings,
                                    rki_search_sampling(s, &best->settings, &sampling),
                                    &made.measures, diag);
    if (status == RK_OK) {
        status = rk_loop_margins_compute(&s->plan->process, &s->plan->model, &best->settings,
                                         NULL, &made.continuous, diag);
    }
    if (status == RK_OK) {
        *result = made;
    }
    return status;
}
