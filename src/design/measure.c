/* SPDX-License-Identifier: MIT */
#include <redkettle/design/measure.h>

#include <math.h>

/* Steps of a time constant, an integral time or a dead time. */
#define STEPS 100.0
/* A load's tail counts too. */
#define LONG_ENOUGH 2.0
/* Limits that are none. */
#define FAR 1e12

double rk_scan_fast(const rk_model *model, const rk_settings *settings)
{
    double least = fmin(rk_model_quickest(model), settings->ti);

    if (model->dead_time > 0) {
        least = fmin(least, model->dead_time);
    }
    if (isinf(least)) {
        least = 1.0 / fabs(settings->kc * model->gain);
    }
    return least / STEPS;
}

static rk_status try(const rk_model *model, const rk_settings *settings, double ts,
                     double sp_step, double load_step, rk_trial_metrics *metrics)
{
    const rk_trial_case c = {.name = "measure",
                             .plant = *model,
                             .settings = *settings,
                             .limits = {-FAR, FAR, HUGE_VAL},
                             .ts = ts};
    rk_trial_plan plan = {.band = 0.02};
    rk_trial *trial = NULL;
    rk_status status;

    plan.sp_step = sp_step;
    plan.load_step = load_step;
    plan.duration = LONG_ENOUGH * rk_trial_time_to_settle(&c);
    status = rk_trial_create(&c, &plan, &trial, NULL);
    if (status == RK_OK) {
        *metrics = *rk_trial_results(trial);
    }
    rk_trial_free(trial);
    return status;
}

rk_status rk_measure(const rk_model *model, const rk_settings *settings, double ts,
                     rk_measures *measures, rk_diag *diag)
{
    const double none = nan("");
    rk_measures made = {
        .overshoot = none, .settling = none, .travel = none, .load_iae = none, .peak = none};
    rk_trial_metrics m;
    rk_status status = rk_margins_check(model, settings, &made.margins, diag);
    double scan;

    if (status != RK_OK) return status;
    if (measures == NULL) return RK_ERR_ARG;
    *measures = made;
    if (!made.margins.stable) return RK_OK;
    scan = isnan(ts) ? rk_scan_fast(model, settings) : ts;
    status = try(model, settings, scan, 1.0, 0.0, &m);
    if (status == RK_OK) {
        made.overshoot = m.setpoint.overshoot_percent;
        made.settling = m.setpoint.settling_time;
        made.travel = m.travel;
        status = try(model, settings, scan, 0.0, 1.0, &m);
    }
    if (status == RK_ERR_MEMORY) return rk_diag_set(diag, status, "out of memory for a trial");
    if (status == RK_OK) {
        made.load_iae = m.load.iae;
        made.peak = m.load.peak_deviation;
    }
    *measures = made;
    return RK_OK;
}
