/* SPDX-License-Identifier: MIT */
/*
 * What a large setpoint step does to the integral: the loop is run with most of the room that
 * OUT has as the step, without limits, with each way against windup, with tracking times a
 * factor apart and with setpoint ramps of doubling length. The runs are those of a trial's
 * blocks, at a scan that keeps them under SCANS_MOST.
 */
#include <redkettle/design/trial/performance.h>

#include <math.h>
#include <stddef.h>

#include <redkettle/design/loop/closed_loop.h>
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
    const rk_model *model; /* that the controller knows; the plant's has OUT's delay too */
    double ts, duration, step;
    rk_model_plant *plant;
} bench;

static rk_status run(const bench *b, const rk_settings *settings, const rk_limits *limits,
                     double ramp_time, rk_windup_run *result)
{
    const rk_model *m = b->model;
    const double goal = m->pv0 + b->step, sign = b->step < 0 ? -1.0 : 1.0;
    const size_t scans = (size_t)ceil(b->duration / b->ts);
    rk_windup_run made = {0, 0, 0, 0};
    rk_controller controller = {.memory = NULL};
    rk_plant *plant = &b->plant->plant;
    rk_ramp ramp;
    size_t i;
    rk_status status = rk_controller_create(settings, limits, m, b->ts, &controller, NULL);

    rk_model_plant_reset(b->plant);
    if (status == RK_OK) {
        status = rk_controller_reset(&controller, m->pv0, m->out0);
    }
    if (status == RK_OK) {
        const double rate = ramp_time > 0 ? fabs(b->step) / ramp_time : HUGE_VAL;

        status = rk_ramp_init(&ramp, rate, rate, b->ts, m->pv0);
    }
    for (i = 0; i < scans && status == RK_OK; i++) {
        const double pv = rk_plant_pv(plant);
        const double out = rk_controller_scan(&controller, rk_ramp_scan(&ramp, goal), pv);

        made.overshoot = fmax(made.overshoot, sign * (pv - goal));
        made.iae += b->ts * fabs(goal - pv);
        made.stuck += out <= limits->low || out >= limits->high ? b->ts : 0.0;
        if (fabs(goal - pv) > BAND * fabs(b->step)) {
            made.settling = b->ts * (double)(i + 1);
        }
        (void)rk_plant_scan(plant, out);
    }
    made.overshoot *= 100.0 / fabs(b->step);
    if (made.settling >= b->ts * (double)scans) {
        made.settling = nan("");
    }
    *result = made;
    rk_controller_free(&controller);
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

        s.tt = fmax(rk_settings_tracking_time(settings) * pow(TRACKING_FAR, part), b->ts);
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
    rk_model_plant plant = {.memory = NULL};
    bench b = {.model =
                   conditions != NULL && conditions->known != NULL ? conditions->known : model,
               .step = sp_step,
               .plant = &plant};
    rk_model delayed;
    rk_status status;

    rk_diag_clear(diag);
    if (model == NULL || settings == NULL || conditions == NULL || windup == NULL) {
        return RK_ERR_ARG;
    }
    if (sp_step == 0 || !isfinite(sp_step)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "setpoint step %g: give one that is not 0",
                           sp_step);
    }
    delayed = rk_model_delayed(model, conditions->delay);
    {
        const rk_trial_case settling = {.plant = delayed, .settings = *settings};

        b.duration = LONG * rk_trial_time_to_settle(&settling);
        b.ts = isnan(conditions->ts) ? rk_scan_fast(model, settings) : conditions->ts;
        b.ts = fmax(b.ts, b.duration / SCANS_MOST);
    }
    status = rk_model_plant_create(&delayed, b.ts, &plant, diag);
    if (status != RK_OK) return status;
    status = try_all(&b, settings, &conditions->limits, &made);
    rk_model_plant_free(&plant);
    if (status != RK_OK) {
        return rk_diag_set(diag, status, "a scan of %g s cannot run these settings or limits",
                           b.ts);
    }
    *windup = made;
    return RK_OK;
}
