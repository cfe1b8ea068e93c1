/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial/trial.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/device/noise.h>
#include <redkettle/device/valve.h>

#include "design/margins/brief.h"
#include "trial_metrics.h"

/* PV is computed at least this often in a time constant and in a scan: linear between the
   points, a curve is then right to about a part in a million. */
#define POINTS_A_TAU 400.0
#define POINTS_A_SCAN 8.0
#define POINTS_A_SCAN_MAX 2000.0
/* A time within this part of a scan of it is that scan's. */
#define SAME_SCAN 1e-6
/* A run of more points than this is a mistake in its units. */
#define POINTS_MAX 50e6

struct rk_trial {
    char name[48];
    rki_curves curves;
    rk_trial_metrics metrics;
    double out_start;
};

double rk_trial_time_to_settle(const rk_trial_case *trial_case)
{
    const rk_model *m = &trial_case->plant;
    const rk_settings *s = &trial_case->settings;
    const bool acts = !trial_case->manual && !rk_settings_is_on_off(s);
    double slowest = rk_model_slowest(m);

    if (acts && isfinite(s->ti)) {
        slowest = fmax(slowest, s->ti);
        if (!rk_model_kind_integrates(m->kind)) {
            slowest = fmax(slowest, s->ti / fabs(s->kc * m->gain));
        }
    }
    if (acts && rk_model_kind_integrates(m->kind)) {
        slowest = fmax(slowest, 1.0 / fabs(s->kc * m->gain));
    }
    return (6.0 * slowest) + (8.0 * (m->dead_time + trial_case->delay));
}

static rk_status check_plan(const rk_trial_case *c, const rk_trial_plan *p, rk_diag *diag)
{
    if (!isfinite(p->sp_step) || !isfinite(p->load_step)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "setpoint step %g, load step %g: give finite steps", p->sp_step,
                           p->load_step);
    }
    if (!(p->duration > 0) || isinf(p->duration)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a trial of %g s: give a time above 0",
                           p->duration);
    }
    if (!(p->sp_at >= 0 && p->sp_at < p->duration)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "setpoint step at %g s: give a time within the trial of %g s",
                           p->sp_at, p->duration);
    }
    if (p->load_step != 0 && !(p->load_at >= 0 && p->load_at < p->duration)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "load step at %g s: give a time within the trial of %g s",
                           p->load_at, p->duration);
    }
    if (!(p->load_band >= 0) || isinf(p->load_band)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "recovery band %g: give 0 or more",
                           p->load_band);
    }
    if (!(p->band > 0 && p->band < 1)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "settling band %g %%: give 0 to 100 %%",
                           100.0 * p->band);
    }
    if (!(c->plant.out0 >= c->limits.low && c->plant.out0 <= c->limits.high)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "the trial would start at OUT %g, outside the limits %g to %g: give an "
            "operating point (out0, pv0) within them",
            c->plant.out0, c->limits.low, c->limits.high);
    }
    if ((int)p->shape < 0 || p->shape > RK_SETPOINT_SHAPE_SINE ||
        (p->shape != RK_SETPOINT_SHAPE_STEP && (!(p->sp_time > 0) || isinf(p->sp_time)))) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a setpoint %s of %g s: give a time above 0",
                           rk_setpoint_shape_to_text(p->shape), p->sp_time);
    }
    if (!(p->noise >= 0) || isinf(p->noise)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "noise %g: give 0 or more", p->noise);
    }
    return RK_OK;
}

static rk_status check_case(const rk_trial_case *c, rk_diag *diag)
{
    if (!(c->ts > 0) || isinf(c->ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "scan %g s: give a scan interval above 0",
                           c->ts);
    }
    if (!(c->delay >= 0) || isinf(c->delay)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a delay of %g s: give 0 or more", c->delay);
    }
    if (c->manual && !isfinite(c->manual_out)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "manual output %g: give a finite value",
                           c->manual_out);
    }
    if (!(c->valve_rate >= 0) || !(c->backlash >= 0) || !(c->stiction >= 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "valve rate %g, backlash %g, stiction %g: give 0 or more",
                           c->valve_rate, c->backlash, c->stiction);
    }
    return RK_OK;
}

/* Is the loop unstable by itself? What cannot be judged is not said to be. */
static rk_status judge(const rk_trial_case *c, const rk_trial_plan *plan, rk_trial_metrics *m)
{
    const rk_sampling sampling = {c->ts, c->delay, c->settings.integral};
    rk_margins margins;
    rk_status status;

    if (plan->alone || c->manual || rk_settings_is_on_off(&c->settings)) return RK_OK;
    status = rki_loop_margins_brief(&c->plant, &c->model, &c->settings, &sampling, &margins);
    m->unstable = status == RK_OK && !margins.stable;
    if (m->unstable) { /* it never rests */
        m->setpoint.steady_error = m->setpoint.settling_time = nan("");
    }
    m->wrong_sign = m->unstable && c->settings.kc * c->plant.gain < 0;
    return status == RK_ERR_MEMORY ? status : RK_OK;
}

/* Everything the scans need, checked. */
typedef struct stage {
    const rk_trial_case *c;
    const rk_trial_plan *plan;
    rk_controller controller;
    rk_noise noise;
    rk_valve valve;
    rk_model_plant plant;
    rk_model_plant loaded; /* the load's part where OUT is late and the load is not */
    /* The same in steps of a scan: PV at the scans to the bits of a controller's own twin, if nothing
       happens within one. */
    bool by_scan;
    rk_model_plant scanned, scanned_load;
} stage;

static rk_status set_up_controller(stage *st, rk_diag *diag)
{
    const rk_trial_case *c = st->c;
    rk_settings settings = c->settings;
    rk_model model = c->model;
    rk_status status;

    model.out0 = c->plant.out0;
    model.pv0 = c->plant.pv0;
    if (c->manual) { /* nothing of it acts */
        settings = rk_settings_make(1.0, HUGE_VAL, 0.0, 0.0);
    }
    status = rk_controller_create(&settings, &c->limits, &model, c->ts, &st->controller, diag);
    if (status != RK_OK) return status;
    status = rk_controller_reset(&st->controller, c->plant.pv0, c->plant.out0);
    if (status != RK_OK) {
        return rk_diag_set(diag, status, "the controller refuses its settings");
    }
    if (c->manual) {
        rk_controller_mode(&st->controller, false, c->manual_out);
    }
    return RK_OK;
}

/* The valve strokes from point to point; the sensor is read once a scan. */
static rk_status set_up_hardware(stage *st, double step, double noise, rk_diag *diag)
{
    const rk_valve_params params = {st->c->valve_rate * step, st->c->backlash, st->c->stiction};

    if (rk_valve_init(&st->valve, &params, st->c->plant.out0) == RK_OK &&
        rk_noise_init(&st->noise, noise, 0.0, 1.0, st->plan->seed) == RK_OK) {
        return RK_OK;
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "the valve or the noise is out of range");
}

/* The setpoint's place above its start. A step of the error is one of PV, the other way. */
static double setpoint_at(const rk_trial_plan *plan, double time, double ts)
{
    const double since = time - plan->sp_at;

    if (plan->alone || since < -SAME_SCAN * ts) return 0.0;
    return rk_setpoint_shape_value(plan->shape, plan->sp_step, plan->sp_time, fmax(since, 0.0));
}

/* A controller without its process: PV stands where the error steps to. */
static void run_alone(stage *st, rki_curves *curves)
{
    const size_t per_scan = (curves->points - 1) / curves->scans;
    const double pv0 = st->c->plant.pv0;
    size_t scan, point;

    for (point = 0; point < curves->points; point++) {
        curves->pv[point] = point >= curves->sp_point ? pv0 - st->plan->sp_step : pv0;
    }
    for (scan = 0; scan < curves->scans; scan++) {
        curves->sp[scan] = pv0;
        curves->out[scan] =
            rk_controller_scan(&st->controller, pv0, curves->pv[scan * per_scan]);
    }
}

/* PV at the end of a scan, in place of what the smaller steps came to. */
static void scan_plant(stage *st, rki_curves *curves, size_t point, double stroke)
{
    const size_t per_scan = (curves->points - 1) / curves->scans;
    const bool loaded = point - per_scan >= curves->load_point;
    const double load = loaded ? st->plan->load_step : 0.0;
    const double in = st->plan->load_at_output ? 0.0 : load;
    const double pv = st->c->delay > 0 ? rk_plant_scan(&st->scanned.plant, stroke) +
                                             rk_plant_scan(&st->scanned_load.plant, in)
                                       : rk_plant_scan(&st->scanned.plant, stroke + in);

    curves->pv[point] = pv + (load - in);
}

static void run(stage *st, rki_curves *curves)
{
    const size_t per_scan = (curves->points - 1) / curves->scans;
    const rk_trial_plan *plan = st->plan;
    const bool late =
        st->c->delay > 0; /* a process is linear: the parts of OUT and load add up */
    size_t scan, i, point = 0;

    st->by_scan = !(st->c->valve_rate > 0) && per_scan > 0 &&
                  (plan->load_step == 0 || curves->load_point % per_scan == 0);
    curves->pv[0] = rk_plant_pv(&st->plant.plant);
    for (scan = 0; scan < curves->scans; scan++) {
        const double sp =
            st->c->plant.pv0 + setpoint_at(plan, curves->ts * (double)scan, curves->ts);
        const double noise = st->noise.deviation > 0 ? rk_noise_scan(&st->noise) : 0.0;

        const double out = rk_controller_scan(&st->controller, sp, curves->pv[point] + noise);

        curves->sp[scan] = sp;
        curves->out[scan] = out;
        for (i = 0; i < per_scan; i++) {
            const double load = point >= curves->load_point ? plan->load_step : 0.0;
            const double in = plan->load_at_output ? 0.0 : load;
            const double stroke = rk_valve_scan(&st->valve, out);
            const double pv = late ? rk_plant_scan(&st->plant.plant, stroke) +
                                         rk_plant_scan(&st->loaded.plant, in)
                                   : rk_plant_scan(&st->plant.plant, stroke + in);

            curves->pv[++point] = pv + (load - in);
        }
        if (st->by_scan) {
            scan_plant(st, curves, point, rk_valve_scan(&st->valve, out));
        }
    }
}

/* The same from the start, with so much noise. */
static rk_status run_once(stage *st, double noise, rki_curves *curves,
                          rk_trial_metrics *metrics, rk_diag *diag)
{
    const rk_model plant = rk_model_delayed(&st->c->plant, st->c->delay);
    rk_model load = st->c->plant;
    rk_status status;

    load.out0 = load.pv0 = 0.0;
    rk_model_plant_free(&st->plant);
    rk_model_plant_free(&st->loaded);
    rk_model_plant_free(&st->scanned);
    rk_model_plant_free(&st->scanned_load);
    rk_controller_free(&st->controller);
    status = set_up_controller(st, diag);
    if (status == RK_OK) {
        status = rk_model_plant_create(&plant, curves->step, &st->plant, diag);
    }
    if (status == RK_OK) {
        status = rk_model_plant_create(&plant, curves->ts, &st->scanned, diag);
    }
    if (status == RK_OK && st->c->delay > 0) {
        status = rk_model_plant_create(&load, curves->step, &st->loaded, diag);
    }
    if (status == RK_OK && st->c->delay > 0) {
        status = rk_model_plant_create(&load, curves->ts, &st->scanned_load, diag);
    }
    if (status == RK_OK) {
        status = set_up_hardware(st, curves->step, noise, diag);
    }
    if (status != RK_OK) return status;
    if (st->plan->alone) {
        run_alone(st, curves);
    } else {
        run(st, curves);
    }
    rki_trial_measure(curves, st->c, st->plan, metrics);
    return RK_OK;
}

/* Noise would be taken for overshoot, and would never settle: what the loop does about the
   steps is seen without it. */
static rk_status run_all(stage *st, rki_curves *curves, rk_trial_metrics *metrics,
                         rk_diag *diag)
{
    rk_trial_metrics quiet;
    rk_status status = run_once(st, 0.0, curves, metrics, diag);

    if (status != RK_OK || st->plan->noise == 0) return status;
    quiet = *metrics;
    status = run_once(st, st->plan->noise, curves, metrics, diag);
    metrics->setpoint.cut_short = quiet.setpoint.cut_short;
    metrics->setpoint.rise_time = quiet.setpoint.rise_time;
    metrics->setpoint.overshoot_percent = quiet.setpoint.overshoot_percent;
    metrics->setpoint.settling_time = quiet.setpoint.settling_time;
    metrics->load.cut_short = quiet.load.cut_short;
    metrics->load.peak_deviation = quiet.load.peak_deviation;
    metrics->load.recovery_time = quiet.load.recovery_time;
    return status;
}

static double points_a_scan(const rk_trial_case *c)
{
    const double wanted = ceil(POINTS_A_TAU * c->ts / rk_model_quickest(&c->plant));

    return fmin(fmax(wanted, POINTS_A_SCAN), POINTS_A_SCAN_MAX);
}

double rki_trial_step(const rk_trial_case *c)
{
    return c->ts / points_a_scan(c);
}

static rk_status make_curves(const rk_trial_case *c, const rk_trial_plan *plan,
                             rki_curves *curves, rk_diag *diag)
{
    const double per_scan = points_a_scan(c);
    const double scans = ceil((plan->duration / c->ts) - 1e-9);

    if (!(scans * per_scan < POINTS_MAX)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "a trial of %g s is %.3g scans of %g s: shorten it or scan more slowly",
            plan->duration, scans, c->ts);
    }
    curves->ts = c->ts;
    curves->step = c->ts / per_scan;
    curves->scans = (size_t)scans;
    curves->points = (size_t)(scans * per_scan) + 1;
    curves->sp_point = (size_t)ceil((plan->sp_at / c->ts) - SAME_SCAN) * (size_t)per_scan;
    curves->load_point = curves->points;
    if (plan->load_step != 0) {
        curves->load_point = (size_t)ceil((plan->load_at / curves->step) - 1e-6);
    }
    curves->sp = rk_memory_create(curves->scans, sizeof(double));
    curves->out = rk_memory_create(curves->scans, sizeof(double));
    curves->pv = rk_memory_create(curves->points, sizeof(double));
    if (curves->sp == NULL || curves->out == NULL || curves->pv == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a trial of %zu scans",
                           curves->scans);
    }
    return RK_OK;
}

rk_status rk_trial_create(const rk_trial_case *trial_case, const rk_trial_plan *plan,
                          rk_trial **trial, rk_diag *diag)
{
    stage st = {.c = trial_case, .plan = plan};
    rk_trial *made;
    rk_status status;

    rk_diag_clear(diag);
    if (trial_case == NULL || plan == NULL || trial == NULL) return RK_ERR_ARG;
    status = rk_model_check(&trial_case->plant, diag);
    if (status == RK_OK) {
        status = rk_limits_check(&trial_case->limits, diag);
    }
    if (status == RK_OK) {
        status = check_plan(trial_case, plan, diag);
    }
    if (status == RK_OK) {
        status = check_case(trial_case, diag);
    }
    if (status != RK_OK) return status;

    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a trial");
    memcpy(made->name, trial_case->name, sizeof made->name);
    made->name[sizeof made->name - 1] = '\0';
    made->out_start = trial_case->plant.out0;
    status = make_curves(trial_case, plan, &made->curves, diag);
    if (status == RK_OK) {
        status = run_all(&st, &made->curves, &made->metrics, diag);
    }
    if (status == RK_OK && judge(trial_case, plan, &made->metrics) != RK_OK) {
        status = rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a trial");
    }
    if (status == RK_OK) {
        *trial = made;
    } else {
        rk_trial_free(made);
    }
    rk_model_plant_free(&st.plant);
    rk_model_plant_free(&st.loaded);
    rk_model_plant_free(&st.scanned);
    rk_model_plant_free(&st.scanned_load);
    rk_controller_free(&st.controller);
    return status;
}

const rk_trial_metrics *rk_trial_results(const rk_trial *trial)
{
    return &trial->metrics;
}

const char *rk_trial_name(const rk_trial *trial)
{
    return trial->name;
}

size_t rk_trial_scans(const rk_trial *trial)
{
    return trial->curves.scans;
}

double rk_trial_scan_interval(const rk_trial *trial)
{
    return trial->curves.ts;
}

const double *rk_trial_sp(const rk_trial *trial)
{
    return trial->curves.sp;
}

const double *rk_trial_out(const rk_trial *trial)
{
    return trial->curves.out;
}

double rk_trial_out_start(const rk_trial *trial)
{
    return trial->out_start;
}

size_t rk_trial_points(const rk_trial *trial)
{
    return trial->curves.points;
}

double rk_trial_step(const rk_trial *trial)
{
    return trial->curves.step;
}

const double *rk_trial_pv(const rk_trial *trial)
{
    return trial->curves.pv;
}

void rk_trial_free(rk_trial *trial)
{
    if (trial == NULL) return;
    rk_memory_free(trial->curves.sp);
    rk_memory_free(trial->curves.out);
    rk_memory_free(trial->curves.pv);
    rk_memory_free(trial);
}
