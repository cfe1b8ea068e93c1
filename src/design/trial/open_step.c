/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial/trial.h>

#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

/* Of the way that is gone after a time constant: 1 - 1/e. */
#define PART_63 0.63212055882855767
/* Of that after a third of it: with the other the two points that tell a dead time. */
#define PART_28 0.28346868942621073
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
                               double duration, rk_trial **trial, rk_open_step *found,
                               rk_diag *diag)
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
    plan.duration = isnan(duration) ? plan.duration : duration;
    status = rk_trial_create(&c, &plan, &t, diag);
    if (status != RK_OK) return status;
    sign = model->gain * out_step < 0 ? -1.0 : 1.0;
    way = model->gain * out_step;
    made.dead_time = model->dead_time;
    made.slope = steepest(t, sign);
    made.pv_end = made.at_28 = made.at_63 = made.rise = made.settling = none;
    if (!rk_model_kind_integrates(model->kind)) {
        made.pv_end = model->pv0 + way;
        made.at_28 = reach(t, model->pv0 + (PART_28 * way), sign);
        made.at_63 = reach(t, model->pv0 + (PART_63 * way), sign);
        made.rise =
            reach(t, model->pv0 + (0.9 * way), sign) - reach(t, model->pv0 + (0.1 * way), sign);
        made.settling = settled(t, made.pv_end, BAND * fabs(way));
    }
    *found = made;
    *trial = t;
    return RK_OK;
}

/* One of the parts, as a model of its own. */
static rk_status run_part(rk_model part, double out_step, const rk_trial *whole,
                          const char *name, rk_trial **made, rk_diag *diag)
{
    const double ts = rk_trial_scan_interval(whole);
    rk_trial_case c = {.plant = part,
                       .manual = true,
                       .manual_out = part.out0 + out_step,
                       .limits = rk_limits_none(),
                       .ts = ts};
    const rk_trial_plan plan = {.band = BAND, .duration = ts * (double)rk_trial_scans(whole)};

    (void)snprintf(c.name, sizeof c.name, "%.40s", name);
    return rk_trial_create(&c, &plan, made, diag);
}

rk_status rk_open_parts_create(const rk_model *process, double out_step, const rk_trial *whole,
                               rk_trial *parts[RK_PARTS_MAX], size_t *count, rk_diag *diag)
{
    const rk_model *p = process;
    rk_model part;
    rk_status status = RK_OK;
    size_t made = 0;
    char name[48];
    int i;

    rk_diag_clear(diag);
    if (p == NULL || whole == NULL || parts == NULL || count == NULL) return RK_ERR_ARG;
    *count = 0;
    if (!rk_model_is_process(p)) return RK_OK;
    part = (rk_model){.gain = p->gain, .out0 = p->out0, .pv0 = p->pv0};
    if (rk_model_kind_integrates(p->kind)) {
        part.kind = RK_MODEL_IPDT;
        if (p->lags > 0) {
            status = run_part(part, out_step, whole, "integrator alone", &parts[made++], diag);
        }
    }
    for (i = 0; i < p->lags && p->lags > 1 && part.kind == RK_MODEL_FOPDT && status == RK_OK;
         i++) {
        part.time_constant[0] = p->lag[i];
        (void)snprintf(name, sizeof name, "lag %.4g s alone", p->lag[i]);
        status = run_part(part, out_step, whole, name, &parts[made++], diag);
    }
    if (status == RK_OK) {
        *count = made;
        return RK_OK;
    }
    while (made > 1) {
        rk_trial_free(parts[--made - 1]);
    }
    return status;
}
