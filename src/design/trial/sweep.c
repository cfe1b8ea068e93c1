/* SPDX-License-Identifier: MIT */
/*
 * Many settings on one plant at once, in lanes side by side (sweep_lanes.c); groups of lanes are
 * shared among the processors. A sweep gives a trial's bits at the scans.
 *
 * Of each run only sums are kept: the criteria, the highest and lowest PV, the times of 10 and 90 %
 * of the way and of the last entry into the band, OUT's moves. PV is seen between the scans too
 * where the process moves within one, and is a straight line from point to point, as in a trial.
 * Noise: the loop is linear without limits, so that one scan's noise of 1, followed through it,
 * gives the sum of the squares of OUT's response, which is what white noise makes of OUT's variance.
 *
 * What the lanes do not know (a predictor, a deadband, a setpoint's rate, other schemes, the
 * velocity algorithm) is run by the blocks themselves and counted in the same way.
 */
#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/design/trial/sweep.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>

#include "design/base/parallel.h"
#include "sweep_lanes.h"
#include "trial_metrics.h"

/* What the controller knows of the plant. */
static const rk_model *model_of(const rk_sweep_plan *plan)
{
    return plan->model.gain != 0 ? &plan->model : &plan->plant;
}

/* Lanes from settings; false for one that this scan cannot run: its lane is another's copy. */
static bool load_lane(rki_lanes *v, const rk_settings *s, const rk_sweep_plan *plan, int l)
{
    rk_pid_params params;
    rk_pid pid;
    int i;

    if (rk_settings_pid_params(s, &plan->limits, model_of(plan), plan->ts, &params, NULL) !=
        RK_OK)
        return false;
    if (rk_pid_init(&pid, &params, plan->plant.out0) != RK_OK ||
        rk_pid_reset(&pid, plan->plant.pv0, plan->plant.pv0, plan->plant.out0) != RK_OK) {
        return false;
    }
    v->kc[l] = params.kc;
    v->b[l] = params.sp_weight;
    v->c[l] = params.d_sp_weight;
    v->fade[l] = pid.fade;
    v->bias[l] = params.bias;
    v->ki[l] = pid.ki_ts;
    v->kt[l] = pid.kt_ts;
    v->ad[l] = pid.ad;
    v->kd[l] = pid.kd;
    v->part[l] = s->pv_filter > 0 ? plan->ts / (s->pv_filter + plan->ts) : 1.0;
    v->filtered[l] = plan->plant.pv0;
    v->conditional[l] = params.anti_windup == RK_ANTI_WINDUP_CONDITIONAL ? 1.0 : 0.0;
    v->i[l] = pid.i;
    v->d[l] = pid.d;
    v->g[l] = (params.d_sp_weight * pid.sp_now) - pid.y;
    v->out[l] = pid.out;
    for (i = 0; i < RK_PLANT_STATES; i++) {
        v->x[i][l] = 0.0;
    }
    v->pv[l] = plan->plant.pv0;
    return true;
}

static void take_run(const rki_course *c, const rki_lanes *v, const rki_tally *t, int l,
                     double way, rk_sweep_run *run)
{
    const double entry = t->entry.time[l];
    const double edge = v->rest[l] + (t->entry.from[l] > v->rest[l] ? c->band : -c->band);

    run->iae = t->iae[l];
    run->ise = t->ise[l];
    run->itae = t->itae[l];
    run->beyond = way != 0 ? fmax(t->high[l] - fabs(way - v->rest[l]), 0.0)
                           : fmax(t->high[l], -t->low[l]);
    run->rise = rki_lanes_passed(&t->ninety, c, l, v->ninety[l]) -
                rki_lanes_passed(&t->ten, c, l, v->ten[l]);
    run->settling = entry < 0 ? 0.0 : fmax(rki_lanes_passed(&t->entry, c, l, edge), 0.0);
    run->settling = isinf(entry) && entry > 0 ? nan("") : run->settling;
    run->steady_error = c->sp - v->pv[l];
    run->travel = t->travel[l];
    run->effort = t->effort[l];
    run->energy = c->ts * t->square[l];
    run->largest_move = t->largest[l];
}

rk_sweep_result rk_sweep_result_none(void)
{
    const double none = nan("");
    const rk_sweep_run run = {none, none, none, none, none, none, none, none, none, none, none};

    return (rk_sweep_result){run, run, {none, none}, none, none};
}

/* A sweep under way: who runs what. */
typedef struct sweep {
    const rk_sweep_plan *plan;
    const rk_settings *settings;
    rk_sweep_result *results;
    rki_course c;
} sweep;

/* Is only the first lane wanted? */
static bool is_alone(const bool *runs)
{
    int l;

    for (l = 1; l < RKI_LANES && !runs[l]; l++) {
        continue;
    }
    return l == RKI_LANES;
}

/* OUT where PV stands at a value; of an integrator, where it takes up the load. */
static double out_at(const rk_sweep_plan *plan, const rki_course *c, double value)
{
    const rk_model *m = &plan->plant;
    const double moved = rk_model_kind_integrates(m->kind) ? 0.0 : (value - m->pv0) / m->gain;

    return rk_clamp(m->out0 + moved - c->load, plan->limits.low, plan->limits.high);
}

/* Where each lane is bound for, after a load where it came from. NaN, nowhere, makes every scan
   one outside. */
static void aim(const rk_sweep_plan *plan, const rki_course *c, const rk_settings *settings,
                const bool *runs, rki_lanes *v)
{
    int l;

    for (l = 0; l < RKI_LANES; l++) {
        const rk_trial_case one = {.plant = plan->plant,
                                   .limits = plan->limits,
                                   .settings = settings[runs[l] ? l : 0]};
        const double value = runs[l] ? rki_settled_pv(&one, c->sp, 0.0, 0.0) : c->sp;
        const double way = fabs(value - plan->plant.pv0);

        v->out_rest[l] = out_at(plan, c, value);
        v->rest[l] = isnan(value) ? HUGE_VAL : c->sp - value;
        v->ten[l] = 0.1 * way;
        v->ninety[l] = 0.9 * way;
    }
}

/* What is stepped, and the band that is settled into. */
static void take_step(const rk_sweep_plan *plan, bool setpoint, rki_course *c)
{
    c->sp = plan->plant.pv0 + (setpoint ? plan->sp_step : 0.0);
    c->load = setpoint ? 0.0 : plan->load_step;
    c->late = setpoint ? 0.0 : plan->delay;
    c->band = plan->band * fabs(plan->sp_step);
}

/* One group of lanes through one of the two steps. */
static void run_step(const rk_sweep_plan *plan, rki_course c, const rki_lanes *start,
                     bool setpoint, const rk_settings *settings, const bool *runs,
                     rk_sweep_result *results)
{
    const double way = setpoint ? plan->sp_step : 0.0;
    rki_lanes v = *start;
    rki_tally t;
    int l;

    take_step(plan, setpoint, &c);
    aim(plan, &c, settings, runs, &v);
    rki_lanes_run(&v, &c, &t, is_alone(runs));
    for (l = 0; l < RKI_LANES; l++) {
        if (!runs[l]) continue;
        take_run(&c, &v, &t, l, way, setpoint ? &results[l].setpoint : &results[l].load);
        results[l].last_pv = v.pv[l];
        results[l].last_out = v.out[l];
    }
}

/* Noise of 1 in the first scan alone, no limit being met. */
static void run_noise(const rk_sweep_plan *plan, rki_course c, const rki_lanes *start,
                      const bool *runs, rk_sweep_result *results)
{
    const rk_limits none = rk_limits_none();
    rki_lanes v = *start;
    rki_tally t;
    int l;

    c.sp = plan->plant.pv0;
    c.load = c.band = 0.0;
    c.low = none.low;
    c.high = none.high;
    c.step = none.rate;
    for (l = 0; l < RKI_LANES; l++) {
        v.pv[l] += 1.0;
        v.out_rest[l] = plan->plant.out0;
    }
    rki_lanes_run(&v, &c, &t, is_alone(runs));
    for (l = 0; l < RKI_LANES; l++) {
        if (!runs[l]) continue;
        results[l].noise =
            (rk_sweep_noise){plan->noise * sqrt(t.square[l]), plan->noise * sqrt(t.effort[l])};
    }
}

/* Do the lanes know all that these settings have? */
static bool fits_lanes(const rk_settings *s)
{
    return s->integral == RK_SCHEME_BACKWARD && s->algorithm == RK_ALGORITHM_POSITION &&
           (s->derivative == RK_SCHEME_BACKWARD || s->td == 0) && !s->predictor &&
           s->deadband == 0 && isinf(s->sp_rate) && !rk_settings_is_on_off(s);
}

/* A scan's count in lane 0, as scan_lanes does it; the plant stands as the scan began. */
static void count_out(rki_lanes *v, rki_tally *t, double out)
{
    const double move = fabs(out - v->out[0]), off = out - v->out_rest[0];

    t->travel[0] += move;
    t->effort[0] += move * move;
    t->square[0] += off * off;
    t->largest[0] = fmax(t->largest[0], move);
    v->out[0] = out;
}

/* A run by the blocks; `impulse` is added to the PV that is seen first. */
static rk_status run_blocks(rk_controller *k, rk_model_plant *plant, rki_course *c,
                            double impulse, rki_lanes *v, rki_tally *t)
{
    const double pv0 = c->plant->pv0, out0 = c->plant->out0;
    size_t scan, here = 0;

    rki_lanes_clear(c, t);
    rk_model_plant_reset(plant);
    v->pv[0] = pv0 + impulse;
    v->out[0] = out0;
    if (rk_controller_reset(k, pv0, out0) != RK_OK) return RK_ERR_RANGE;
    for (scan = 0; scan < c->scans; scan++) {
        const double out = rk_controller_scan(k, c->sp, v->pv[0]);
        const size_t there = here == c->plant->delay ? 0 : here + 1;
        const double later[RKI_LANES] = {c->ring[here][0]};
        double x[RK_PLANT_STATES][RKI_LANES], late[RKI_LANES] = {0}, pv;
        int i;

        for (i = 0; i < c->states; i++) {
            x[i][0] = plant->plant.x[i];
        }
        c->ring[here][0] = (out + c->load) - out0;
        late[0] = c->ring[there][0];
        count_out(v, t, out);
        pv = rk_plant_scan(&plant->plant, out + c->load);
        rki_lanes_watch(v, c, t, (const double(*)[RKI_LANES])x, late, later, (double)scan);
        v->pv[0] = pv;
        here = there;
    }
    return RK_OK;
}

/* One of the two steps. */
static void step_blocks(const rk_sweep_plan *plan, rki_course c, const rk_settings *settings,
                        bool setpoint, rk_controller *k, rk_model_plant *plant,
                        rk_sweep_result *result)
{
    const double way = setpoint ? plan->sp_step : 0.0;
    bool runs[RKI_LANES] = {true};
    rki_lanes v;
    rki_tally t;

    memset(&v, 0, sizeof v);
    take_step(plan, setpoint, &c);
    aim(plan, &c, settings, runs, &v);
    if (!setpoint) {
        c.band += settings->deadband;
    }
    if (run_blocks(k, plant, &c, 0.0, &v, &t) != RK_OK) return;
    if (setpoint && settings->deadband > 0) { /* within which PV rests, only the end tells */
        const double end = fabs(v.pv[0] - plan->plant.pv0);

        v.rest[0] = c.sp - v.pv[0];
        v.ten[0] = 0.1 * end;
        v.ninety[0] = 0.9 * end;
        if (run_blocks(k, plant, &c, 0.0, &v, &t) != RK_OK) return;
    }
    take_run(&c, &v, &t, 0, way, setpoint ? &result->setpoint : &result->load);
    result->last_pv = v.pv[0];
    result->last_out = v.out[0];
}

/* As run_noise; a deadband would hide so small a move, and takes no part. */
static void noise_blocks(const rk_sweep_plan *plan, rki_course c, const rk_settings *settings,
                         rk_model_plant *plant, rk_sweep_result *result)
{
    const rk_limits none = rk_limits_none();
    rk_settings linear = *settings;
    rk_controller k;
    rki_lanes v;
    rki_tally t;

    memset(&v, 0, sizeof v);
    linear.deadband = 0.0;
    linear.sp_rate = HUGE_VAL;
    c.sp = plan->plant.pv0;
    c.load = c.band = 0.0;
    v.out_rest[0] = plan->plant.out0;
    if (rk_controller_create(&linear, &none, model_of(plan), plan->ts, &k, NULL) != RK_OK)
        return;
    if (run_blocks(&k, plant, &c, 1.0, &v, &t) == RK_OK) {
        result->noise =
            (rk_sweep_noise){plan->noise * sqrt(t.square[0]), plan->noise * sqrt(t.effort[0])};
    }
    rk_controller_free(&k);
}

static void sweep_blocks(const rk_sweep_plan *plan, const rki_course *c,
                         const rk_settings *settings, rk_sweep_result *result)
{
    const rk_model late = rk_model_delayed(&plan->plant, plan->delay);
    rk_controller k;
    rk_model_plant plant;

    if (rk_controller_create(settings, &plan->limits, model_of(plan), plan->ts, &k, NULL) !=
        RK_OK) {
        return;
    }
    if (rk_model_plant_create(&late, plan->ts, &plant, NULL) == RK_OK) {
        if (plan->sp_step != 0) {
            step_blocks(plan, *c, settings, true, &k, &plant, result);
        }
        if (plan->load_step != 0) {
            step_blocks(plan, *c, settings, false, &k, &plant, result);
        }
        if (plan->noise > 0) {
            noise_blocks(plan, *c, settings, &plant, result);
        }
        rk_model_plant_free(&plant);
    }
    rk_controller_free(&k);
}

static void sweep_group(const rk_sweep_plan *plan, const rki_course *c,
                        const rk_settings *settings, size_t count, rk_sweep_result *results)
{
    bool runs[RKI_LANES];
    rki_lanes start;
    size_t l, usable = RKI_LANES;

    memset(&start, 0, sizeof start);
    for (l = 0; l < RKI_LANES; l++) {
        runs[l] = l < count && fits_lanes(&settings[l]) &&
                  load_lane(&start, &settings[l], plan, (int)l);
        usable = runs[l] ? l : usable;
        if (l < count) {
            results[l] = rk_sweep_result_none();
        }
        if (l < count && !fits_lanes(&settings[l])) {
            sweep_blocks(plan, c, &settings[l], &results[l]);
        }
    }
    if (usable == RKI_LANES) return;
    for (l = 0; l < RKI_LANES; l++) {
        if (!runs[l]) {
            (void)load_lane(&start, &settings[usable], plan, (int)l);
        }
    }
    if (plan->sp_step != 0) {
        run_step(plan, *c, &start, true, settings, runs, results);
    }
    if (plan->load_step != 0) {
        run_step(plan, *c, &start, false, settings, runs, results);
    }
    if (plan->noise > 0) {
        run_noise(plan, *c, &start, runs, results);
    }
}

/* Each part has delay memory of its own. */
static void sweep_part(void *user, int part, size_t first, size_t last)
{
    const sweep *s = user;
    rki_course c = s->c;
    size_t i;

    c.ring += (size_t)part * (c.plant->delay + 1);
    for (i = first; i < last; i += RKI_LANES) {
        sweep_group(s->plan, &c, &s->settings[i], last - i < RKI_LANES ? last - i : RKI_LANES,
                    &s->results[i]);
    }
}

/* How quickly PV bends: of lags in series, the two largest tell. */
static double bend_of(const rk_model *m)
{
    double first = m->time_constant[0], second = m->time_constant[1];
    int i;

    for (i = 0; i < m->lags; i++) {
        second = fmax(second, fmin(first, m->lag[i]));
        first = fmax(first, m->lag[i]);
    }
    return second > 0 ? sqrt(first * second) : rk_model_quickest(m);
}

/* A point for each this part of it, at most so many a scan. */
#define POINT_PART 0.05

/* Where between two scans PV is looked at. */
static rk_status plan_points(const rk_sweep_plan *plan, const rk_plant_params *whole,
                             rki_course *c)
{
    const rk_model *m = &plan->plant;
    const double quick = fmin(bend_of(m), rk_model_slowest(m) + m->dead_time);
    const double wanted = quick > 0 ? ceil(plan->ts / (POINT_PART * quick)) : 1.0;
    const double rest =
        fmax(m->dead_time + plan->delay - ((double)whole->delay * plan->ts), 0.0);
    int k;

    c->points = (int)fmin(fmax(wanted, 1.0), RKI_POINTS_A_SCAN);
    for (k = 0; k < c->points; k++) {
        const double until = plan->ts * (k + 1) / c->points;
        rk_model part = *m;
        rk_plant_params p = *whole;
        rk_status status = RK_OK;

        if (k + 1 < c->points) { /* the last is the scan's end */
            part.dead_time = fmin(rest, until);
            status = rk_plant_params_from_model(&part, until, &p, NULL);
        }
        if (status != RK_OK) return status;
        memcpy(c->between[k].x, p.a[0], sizeof c->between[k].x);
        c->between[k].late = p.b0[0];
        c->between[k].later = p.b1[0];
        if (k + 1 < c->points && p.delay > 0) { /* what OUT is does not act yet */
            c->between[k].late = 0.0;
            c->between[k].later = p.b0[0];
        }
    }
    return RK_OK;
}

/* A run of more scans than this is a mistake in its units. */
#define SCANS_MOST 1e7

static rk_status check_plan(const rk_sweep_plan *p, rk_diag *diag)
{
    rk_status status = rk_model_check(&p->plant, diag);

    if (status == RK_OK) {
        status = rk_limits_check(&p->limits, diag);
    }
    if (status != RK_OK) return status;
    if (!(p->ts > 0) || !(p->duration > 0) || !(p->duration / p->ts <= SCANS_MOST)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "a sweep of %g s at a scan of %g s: give times above 0, at most %g scans",
            p->duration, p->ts, SCANS_MOST);
    }
    if (!(p->delay >= 0) || isinf(p->delay)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a delay of %g s: give 0 or more", p->delay);
    }
    if (!isfinite(p->sp_step) || !isfinite(p->load_step) || !(p->band > 0) ||
        !(p->noise >= 0) || isinf(p->noise)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a sweep's steps, band and noise: give finite numbers, the last two "
                           "not negative");
    }
    if (!(p->plant.out0 >= p->limits.low && p->plant.out0 <= p->limits.high)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "OUT %g to start from is beyond its limits %g to %g", p->plant.out0,
                           p->limits.low, p->limits.high);
    }
    return RK_OK;
}

rk_status rk_sweep_compute(const rk_sweep_plan *plan, const rk_settings *settings, size_t count,
                           rk_sweep_result *results, rk_diag *diag)
{
    rk_plant_params params;
    sweep s = {.plan = plan, .settings = settings, .results = results};
    int threads;
    rk_status status;

    rk_diag_clear(diag);
    if (plan == NULL || settings == NULL || results == NULL) return RK_ERR_ARG;
    status = check_plan(plan, diag);
    if (status == RK_OK) {
        const rk_model late = rk_model_delayed(&plan->plant, plan->delay);

        status = rk_plant_params_from_model(&late, plan->ts, &params, diag);
    }
    if (status != RK_OK) return status;
    threads = rki_threads(plan->threads);
    s.c = (rki_course){.plant = &params,
                       .low = plan->limits.low,
                       .high = plan->limits.high,
                       .step = plan->limits.rate * plan->ts,
                       .ts = plan->ts,
                       .to_rest = plan->to_rest,
                       .states = params.states > 2 ? params.states : 2,
                       .scans = (size_t)ceil((plan->duration / plan->ts) - 1e-9)};
    status = plan_points(plan, &params, &s.c);
    if (status != RK_OK) return rk_diag_set(diag, status, "the sweep's points");
    s.c.ring = rk_memory_create((size_t)threads * (params.delay + 1), sizeof *s.c.ring);
    if (s.c.ring == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a sweep");
    rki_parallel(count, RKI_LANES, threads, sweep_part, &s);
    rk_memory_free(s.c.ring);
    return RK_OK;
}
