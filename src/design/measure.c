/* SPDX-License-Identifier: MIT */
#include <redkettle/design/measure.h>

#include <math.h>

/* Steps of a time constant, an integral time or a dead time. */
#define STEPS 100.0
/* A load's tail counts too. */
#define LONG_ENOUGH 2.0

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

rk_status rk_measure_step(const rk_model *model, const rk_settings *settings, double ts,
                          double sp_step, double load_step, rk_trial_metrics *metrics,
                          rk_diag *diag)
{
    const rk_trial_case c = {.name = "step",
                             .plant = *model,
                             .settings = *settings,
                             .limits = rk_limits_none(),
                             .ts = isnan(ts) ? rk_scan_fast(model, settings) : ts};
    const rk_trial_plan plan = {.sp_step = sp_step,
                                .load_step = load_step,
                                .duration = LONG_ENOUGH * rk_trial_time_to_settle(&c),
                                .band = 0.02};
    rk_trial *trial = NULL;
    const rk_status status = rk_trial_create(&c, &plan, &trial, diag);

    if (status == RK_OK) {
        *metrics = *rk_trial_results(trial);
    }
    rk_trial_free(trial);
    return status;
}

rk_measures rk_measures_none(void)
{
    const double none = nan("");
    const rk_measures made = {
        .margins = {.gain_margin = none, .phase_margin = none, .ms = none},
        .overshoot = none,
        .settling = none,
        .travel = none,
        .load_iae = none,
        .peak = none};

    return made;
}

rk_status rk_measure(const rk_model *model, const rk_settings *settings, double ts,
                     rk_measures *measures, rk_diag *diag)
{
    rk_measures made = rk_measures_none();
    rk_trial_metrics m;
    rk_status status = rk_margins_check(model, settings, &made.margins, diag);

    if (status != RK_OK) return status;
    if (measures == NULL) return RK_ERR_ARG;
    *measures = made;
    if (!made.margins.stable) return RK_OK;
    status = rk_measure_step(model, settings, ts, 1.0, 0.0, &m, NULL);
    if (status == RK_OK) {
        made.overshoot = m.setpoint.overshoot_percent;
        made.settling = m.setpoint.settling_time;
        made.travel = m.travel;
        status = rk_measure_step(model, settings, ts, 0.0, 1.0, &m, NULL);
    }
    if (status == RK_ERR_MEMORY) return rk_diag_set(diag, status, "out of memory for a trial");
    if (status == RK_OK) {
        made.load_iae = m.load.iae;
        made.peak = m.load.peak_deviation;
    }
    *measures = made;
    return RK_OK;
}
