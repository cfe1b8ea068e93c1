/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial/trial.h>

#include <math.h>
#include <stddef.h>

/* Of the way that is gone after a time constant: 1 - 1/e. */
#define PART_63 0.63212055882855767
#define BAND 0.02

/* When PV, moving in `sign`, first reaches a level; NaN: never. */
static double reach(const rk_trial *t, double level, double sign)
{
    const double *pv = rk_trial_pv(t);
    size_t i;

    for (i = 1; i < rk_trial_points(t); i++) {
        if (sign * pv[i] >= sign * level) {
            const double part = (level - pv[i - 1]) / (pv[i] - pv[i - 1]);

            return rk_trial_step(t) * ((double)(i - 1) + part);
        }
    }
    return nan("");
}

static double steepest(const rk_trial *t, double sign)
{
    const double *pv = rk_trial_pv(t);
    double most = 0;
    size_t i;

    for (i = 1; i < rk_trial_points(t); i++) {
        most = fmax(most, sign * (pv[i] - pv[i - 1]));
    }
    return sign * most / rk_trial_step(t);
}

/* The last entry into the band about the end. */
static double settled(const rk_trial *t, double end, double half)
{
    const double *pv = rk_trial_pv(t);
    size_t i = rk_trial_points(t);

    while (i > 0 && fabs(pv[i - 1] - end) <= half) {
        i--;
    }
    return i == rk_trial_points(t) ? nan("") : rk_trial_step(t) * (double)i;
}

rk_status rk_open_step_compute(const rk_model *model, double ts, double out_step,
                               rk_trial **trial, rk_open_step *found, rk_diag *diag)
{
    const double none = nan("");
    rk_open_step made = {.out_step = out_step};
    rk_trial_case c = {
        .name = "open loop", .manual = true, .limits = rk_limits_none(), .ts = ts};
    rk_trial_plan plan = {.band = BAND};
    double sign, way;
    rk_trial *t = NULL;
    rk_status status;

    rk_diag_clear(diag);
    if (model == NULL || trial == NULL || found == NULL) return RK_ERR_ARG;
    if (out_step == 0 || !isfinite(out_step)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a step of %g: give one that is not 0",
                           out_step);
    }
    c.plant = *model;
    c.manual_out = model->out0 + out_step;
    plan.duration = rk_trial_time_to_settle(&c);
    if (rk_model_kind_integrates(model->kind)) {
        plan.duration = 10.0 * fmax(rk_model_slowest(model) + model->dead_time, ts);
    }
    status = rk_trial_create(&c, &plan, &t, diag);
    if (status != RK_OK) return status;
    sign = model->gain * out_step < 0 ? -1.0 : 1.0;
    way = model->gain * out_step;
    made.dead_time = model->dead_time;
    made.slope = steepest(t, sign);
    made.pv_end = made.at_63 = made.rise = made.settling = none;
    if (!rk_model_kind_integrates(model->kind)) {
        made.pv_end = model->pv0 + way;
        made.at_63 = reach(t, model->pv0 + (PART_63 * way), sign);
        made.rise =
            reach(t, model->pv0 + (0.9 * way), sign) - reach(t, model->pv0 + (0.1 * way), sign);
        made.settling = settled(t, made.pv_end, BAND * fabs(way));
    }
    *found = made;
    *trial = t;
    return RK_OK;
}
