/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial/performance.h>

#include <math.h>
#include <stddef.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/device/filter.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>
#include <redkettle/device/ramp.h>

/* The step takes this part of the room. */
#define ROOM_PART 0.8
#define BAND 0.02
/* A run lasts so many settling times, and has at most so many scans: more are as good. */
#define LONG 3.0
#define SCANS_MOST 2000.0
/* Tracking times tried, to this many times the set one, and ramps in integral times. */
#define TRACKING_FAR 16.0
enum { TRACKINGS = 9, RAMPS = 6 };

double rk_windup_step(const rk_model *model, const rk_limits *limits)
{
    const double up = limits->high - model->out0, down = model->out0 - limits->low;

    if (rk_model_kind_integrates(model->kind) || !(up > 0 && down > 0) ||
        !(fmax(up, down) < rk_limits_none().high)) {
        return nan("");
    }
    return ROOM_PART * model->gain * (up >= down ? up : -down);
}

/* What all runs have in common. */
typedef struct bench {
    const rk_model *model;
    double ts, duration, step;
    rk_plant_params plant;
    double *memory;
} bench;

static double default_tracking(const rk_settings *s)
{
    if (s->tt > 0) return s->tt;
    return s->td > 0 ? sqrt(s->ti * s->td) : s->ti;
}

static rk_status run(const bench *b, const rk_settings *settings, const rk_limits *limits,
                     double ramp_time, rk_windup_run *result)
{
    const rk_model *m = b->model;
    const double goal = m->pv0 + b->step, sign = b->step < 0 ? -1.0 : 1.0;
    const size_t scans = (size_t)ceil(b->duration / b->ts);
    rk_windup_run made = {0, 0, 0, 0};
    rk_pid_params params;
    rk_filter filter;
    rk_plant plant;
    rk_ramp ramp;
    rk_pid pid;
    size_t i;
    rk_status status = rk_settings_pid_params(settings, limits, b->ts, &params, NULL);

    if (status == RK_OK) {
        status = rk_pid_init(&pid, &params, m->out0);
    }
    if (status == RK_OK) {
        status = rk_pid_reset(&pid, m->pv0, m->pv0, m->out0);
    }
    if (status == RK_OK) {
        status = rk_plant_init(&plant, &b->plant, b->memory, b->plant.delay + 1, m->out0);
    }
    if (status == RK_OK) {
        const double rate = ramp_time > 0 ? fabs(b->step) / ramp_time : HUGE_VAL;

        status = rk_ramp_init(&ramp, rate, rate, b->ts, m->pv0);
    }
    if (status == RK_OK) {
        status = rk_filter_init(&filter, settings->pv_filter, b->ts);
    }
    for (i = 0; i < scans && status == RK_OK; i++) {
        const double pv = rk_plant_pv(&plant);
        const double out =
            rk_pid_scan(&pid, rk_ramp_scan(&ramp, goal), rk_filter_scan(&filter, pv));

        made.overshoot = fmax(made.overshoot, sign * (pv - goal));
        made.iae += b->ts * fabs(goal - pv);
        made.stuck += out <= limits->low || out >= limits->high ? b->ts : 0.0;
        if (fabs(goal - pv) > BAND * fabs(b->step)) {
            made.settling = b->ts * (double)(i + 1);
        }
        (void)rk_plant_scan(&plant, out);
    }
    made.overshoot *= 100.0 / fabs(b->step);
    if (made.settling >= b->ts * (double)scans) {
        made.settling = nan("");
    }
    *result = made;
    return status;
}

static rk_status try_tracking(const bench *b, const rk_settings *settings,
                              const rk_limits *limits, rk_windup *w)
{
    rk_settings s = *settings;
    rk_status status = RK_OK;
    int i;

    s.anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION;
    w->best.iae = HUGE_VAL;
    for (i = 0; i < TRACKINGS && status == RK_OK; i++) {
        const double part = ((2.0 * i) / (TRACKINGS - 1)) - 1.0;
        rk_windup_run one;

        s.tt = fmax(default_tracking(settings) * pow(TRACKING_FAR, part), b->ts);
        status = run(b, &s, limits, 0.0, &one);
        if (status == RK_OK && one.iae < w->best.iae) {
            w->best = one;
            w->best_tt = s.tt;
        }
    }
    return status;
}

static rk_status try_ramps(const bench *b, const rk_settings *settings, const rk_limits *limits,
                           rk_windup *w)
{
    double time = 0.5 * settings->ti;
    rk_status status = RK_OK;
    int i;

    w->ramp_time = nan("");
    for (i = 0; i < RAMPS && status == RK_OK && isnan(w->ramp_time); i++) {
        status = run(b, settings, limits, time, &w->ramp);
        if (status == RK_OK && w->ramp.stuck == 0) {
            w->ramp_time = time;
        }
        time *= 2.0;
    }
    return status;
}

static rk_status try_all(const bench *b, const rk_settings *settings, const rk_limits *limits,
                         rk_windup *w)
{
    const rk_limits none = rk_limits_none();
    rk_settings s = *settings;
    rk_status status = run(b, settings, &none, 0.0, &w->ideal);
    int way;

    for (way = 0; way < 3 && status == RK_OK; way++) {
        s.anti_windup = (rk_anti_windup)way;
        status = run(b, &s, limits, 0.0, &w->ways[way]);
    }
    w->saturates = status == RK_OK && w->ways[settings->anti_windup].stuck > 0;
    if (w->saturates && isfinite(settings->ti)) {
        status = try_tracking(b, settings, limits, w);
        if (status == RK_OK) {
            status = try_ramps(b, settings, limits, w);
        }
    }
    return status;
}

rk_status rk_windup_compute(const rk_model *model, const rk_settings *settings,
                            const rk_conditions *conditions, double sp_step, rk_windup *windup,
                            rk_diag *diag)
{
    const double none = nan("");
    rk_windup made = {.sp_step = sp_step, .best_tt = none, .ramp_time = none};
    bench b = {.model = model, .step = sp_step};
    rk_status status;

    rk_diag_clear(diag);
    if (model == NULL || settings == NULL || conditions == NULL || windup == NULL) {
        return RK_ERR_ARG;
    }
    if (sp_step == 0 || !isfinite(sp_step)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "setpoint step %g: give one that is not 0",
                           sp_step);
    }
    {
        const rk_trial_case settling = {.plant = *model, .settings = *settings};

        b.duration = LONG * rk_trial_time_to_settle(&settling);
        b.ts = isnan(conditions->ts) ? rk_scan_fast(model, settings) : conditions->ts;
        b.ts = fmax(b.ts, b.duration / SCANS_MOST);
    }
    status = rk_plant_params_from_model(model, b.ts, &b.plant, diag);
    if (status != RK_OK) return status;
    b.memory = rk_memory_create(b.plant.delay + 1, sizeof *b.memory);
    if (b.memory == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a trial");
    status = try_all(&b, settings, &conditions->limits, &made);
    rk_memory_free(b.memory);
    if (status != RK_OK) {
        return rk_diag_set(diag, status, "a scan of %g s cannot run these settings or limits",
                           b.ts);
    }
    *windup = made;
    return RK_OK;
}
