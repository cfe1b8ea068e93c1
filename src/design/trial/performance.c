/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial/performance.h>

#include <math.h>

/* Steps of a time constant, an integral time or a dead time. */
#define STEPS 100.0
/* A load's tail counts too. */
#define LONG_ENOUGH 2.0
/* Of settling and recovery. */
#define BAND 0.02

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

/* One step of the setpoint, or of the load at the plant's input, from rest. */
typedef struct step {
    const rk_limits *limits;
    double ts;             /* NaN: fast enough not to matter */
    double delay;          /* of OUT, s */
    double sp, load;       /* one of them is 0 */
    double load_band;      /* of the recovery, pv-EU */
    const rk_model *known; /* that the controller has; NULL: the process */
} step;

static rk_model known_of(const rk_model *known, const rk_model *process)
{
    return known != NULL ? *known : *process;
}

static rk_status run_step(const rk_model *model, const rk_settings *settings, const step *s,
                          rk_trial_metrics *metrics, rk_diag *diag)
{
    const rk_trial_case c = {.name = "step",
                             .plant = *model,
                             .delay = s->delay,
                             .model = known_of(s->known, model),
                             .settings = *settings,
                             .limits = *s->limits,
                             .ts = isnan(s->ts) ? rk_scan_fast(model, settings) : s->ts};
    const rk_trial_plan plan = {.sp_step = s->sp,
                                .load_step = s->load,
                                .duration = LONG_ENOUGH * rk_trial_time_to_settle(&c),
                                .band = BAND,
                                .load_band = s->load_band};
    rk_trial *trial = NULL;
    const rk_status status = rk_trial_create(&c, &plan, &trial, diag);

    if (status == RK_OK) {
        *metrics = *rk_trial_results(trial);
    }
    rk_trial_free(trial);
    return status;
}

void rk_margins_figures(const rk_margins *margins, double figure[RK_REQUIRE_COUNT])
{
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        figure[i] = nan("");
    }
    figure[RK_REQUIRE_GAIN_MARGIN] = margins->gain_margin;
    figure[RK_REQUIRE_PHASE_MARGIN] = margins->phase_margin;
    figure[RK_REQUIRE_DELAY_MARGIN] = margins->delay_margin;
    figure[RK_REQUIRE_MS] = margins->ms;
}

rk_sweep_plan rk_noise_sweep_plan(const rk_model *model, const rk_settings *settings,
                                  const rk_conditions *conditions)
{
    const rk_trial_case settling = {
        .plant = *model, .settings = *settings, .delay = conditions->delay};

    return (rk_sweep_plan){.plant = *model,
                           .model = known_of(conditions->known, model),
                           .delay = conditions->delay,
                           .limits = conditions->limits,
                           .ts = conditions->ts,
                           .duration = rk_trial_time_to_settle(&settling),
                           .band = BAND,
                           .noise = conditions->noise,
                           .threads = 1};
}

/* What PV's noise makes of OUT. */
static rk_status measure_noise(const rk_model *model, const rk_settings *settings,
                               const rk_conditions *c, double *out, rk_diag *diag)
{
    const rk_sweep_plan plan = rk_noise_sweep_plan(model, settings, c);
    rk_sweep_result result;
    rk_status status;

    if (isnan(c->ts) || !(c->noise > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "out-noise is asked, but %s is not known: give it",
                           isnan(c->ts) ? "the scan" : "PV's noise");
    }
    status = rk_sweep_compute(&plan, settings, 1, &result, diag);
    if (status == RK_OK) {
        *out = result.noise.out;
    }
    return status;
}

rk_status rk_figures_compute(const rk_requirements *asked, const rk_model *model,
                             const rk_settings *settings, const rk_conditions *conditions,
                             const rk_margins *margins, double figure[RK_REQUIRE_COUNT],
                             rk_diag *diag)
{
    const rk_conditions *c = conditions;
    rk_trial_metrics sp, load;
    step sp_step, load_step;
    rk_status status;

    rk_diag_clear(diag);
    if (asked == NULL || model == NULL || settings == NULL || c == NULL || margins == NULL ||
        figure == NULL) {
        return RK_ERR_ARG;
    }
    sp_step = (step){&c->limits, c->ts, c->delay, c->sp_step, 0.0, 0.0, c->known};
    load_step = (step){&c->limits, c->ts, c->delay, 0.0, c->load_step, BAND * fabs(c->sp_step),
                       c->known};
    rk_margins_figures(margins, figure);
    if (!margins->stable || !rk_requirements_need_trial(asked)) return RK_OK;
    status = run_step(model, settings, &sp_step, &sp, diag);
    if (status == RK_OK) {
        status = run_step(model, settings, &load_step, &load, diag);
    }
    if (status == RK_OK && !isnan(asked->limit[RK_REQUIRE_OUT_NOISE])) {
        status = measure_noise(model, settings, c, &figure[RK_REQUIRE_OUT_NOISE], diag);
    }
    if (status != RK_OK) return status;
    figure[RK_REQUIRE_OVERSHOOT] = sp.setpoint.overshoot_percent;
    figure[RK_REQUIRE_SETTLING] = sp.setpoint.settling_time;
    figure[RK_REQUIRE_RISE] = sp.setpoint.rise_time;
    figure[RK_REQUIRE_STEADY_ERROR] = fabs(sp.setpoint.steady_error);
    figure[RK_REQUIRE_PEAK] = load.load.peak_deviation;
    figure[RK_REQUIRE_RECOVERY] = load.load.recovery_time;
    figure[RK_REQUIRE_TRAVEL] = fmax(sp.travel, load.travel);
    figure[RK_REQUIRE_LARGEST_MOVE] = fmax(sp.largest_move, load.largest_move);
    return RK_OK;
}

rk_performance rk_performance_none(void)
{
    const double none = nan("");
    const rk_performance made = {.margins = rk_margins_none(),
                                 .overshoot = none,
                                 .settling = none,
                                 .travel = none,
                                 .load_iae = none,
                                 .peak = none};

    return made;
}

rk_status rk_performance_compute(const rk_model *model, const rk_settings *settings,
                                 const rk_sampling *sampling, rk_performance *measures,
                                 rk_diag *diag)
{
    const rk_limits none = rk_limits_none();
    const double ts = sampling != NULL ? sampling->ts : nan("");
    const double delay = sampling != NULL ? sampling->delay : 0.0;
    const rk_model *known = sampling != NULL ? sampling->known : NULL;
    const step sp = {&none, ts, delay, 1.0, 0.0, 0.0, known};
    const step load = {&none, ts, delay, 0.0, 1.0, 0.0, known};
    rk_performance made = rk_performance_none();
    rk_trial_metrics m;
    rk_status status;

    rk_diag_clear(diag);
    if (measures == NULL) return RK_ERR_ARG;
    status = rk_loop_margins_compute(model, known != NULL ? known : model, settings, sampling,
                                     &made.margins, diag);
    if (status != RK_OK) return status;
    *measures = made;
    if (!made.margins.stable) return RK_OK;
    status = run_step(model, settings, &sp, &m, NULL);
    if (status == RK_OK) {
        made.overshoot = m.setpoint.overshoot_percent;
        made.settling = m.setpoint.settling_time;
        made.travel = m.travel;
        status = run_step(model, settings, &load, &m, NULL);
    }
    if (status == RK_ERR_MEMORY) return rk_diag_set(diag, status, "out of memory for a trial");
    if (status == RK_OK) {
        made.load_iae = m.load.iae;
        made.peak = m.load.peak_deviation;
    }
    *measures = made;
    return RK_OK;
}

rk_status rk_design_performance_compute(const rk_design *loop, const rk_settings *settings,
                                        rk_performance *measures, rk_diag *diag)
{
    rk_conditions conditions;
    rk_sampling room;

    rk_diag_clear(diag);
    if (loop == NULL || settings == NULL) return RK_ERR_ARG;
    conditions = rk_design_conditions(loop);
    return rk_performance_compute(rk_design_process(loop), settings,
                                  rk_conditions_sampling(&conditions, settings, &room),
                                  measures, diag);
}
