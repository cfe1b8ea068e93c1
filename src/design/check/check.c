/* SPDX-License-Identifier: MIT */
#include <redkettle/design/check/check.h>

#include <math.h>
#include <string.h>

#include "design/margins/brief.h"

#define MODEL_ERROR 0.2

rk_check_plan rk_check_plan_make(void)
{
    const double none = nan("");

    return (rk_check_plan){
        .task = none, .record_interval = none, .uncertain = true, .model_error = MODEL_ERROR};
}

static rk_status check_plan(const rk_check_plan *p, rk_diag *diag)
{
    size_t i;

    if (!isnan(p->task) && (!(p->task > 0) || isinf(p->task))) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a task every %g s: give a time above 0",
                           p->task);
    }
    if (!(p->model_error > 0 && p->model_error < 1)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a model wrong by %g %%: give above 0 and below 100 %%",
                           100.0 * p->model_error);
    }
    for (i = 0; i < p->setpoints && i < RK_CHECK_SETPOINTS; i++) {
        if (isfinite(p->setpoint[i])) continue;
        return rk_diag_set(diag, RK_ERR_RANGE, "setpoint %g: give a finite value",
                           p->setpoint[i]);
    }
    return RK_OK;
}

const rk_margins *rk_check_judged(const rk_check *check)
{
    return check->has_sampled ? &check->sampled : &check->margins;
}

/* The margins that are asked and that the continuous loop has; false: none. */
static bool margins_to_keep(const rk_check *c, rk_requirements *asked)
{
    double figure[RK_REQUIRE_COUNT];
    rk_verdict has;
    bool any = false;
    int i;

    *asked = c->requirements;
    rk_margins_figures(&c->margins, figure);
    has = rk_requirements_check(asked, c->margins.stable, figure);
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (i >= RK_REQUIRE_OVERSHOOT || !has.asked[i] || !has.line_met[i]) {
            asked->limit[i] = nan("");
        } else {
            any = true;
        }
    }
    return any;
}

/* Are these margins kept at this scan? */
static bool keeps(const rk_design *loop, const rk_requirements *asked, double ts,
                  rk_status *status)
{
    const rk_sampling sampling = {ts, loop->delay_scans * ts, loop->settings.integral,
                                  loop->has_process ? &loop->model : NULL};
    double figure[RK_REQUIRE_COUNT];
    rk_margins m;

    if (loop->settings.ti < ts || *status != RK_OK) return false;
    *status = rki_loop_margins_brief(rk_design_process(loop), &loop->model, &loop->settings,
                                     &sampling, &m);
    if (*status != RK_OK || !m.stable) return false;
    rk_margins_figures(&m, figure);
    return rk_requirements_check(asked, true, figure).met;
}

/* From the scan up or down in such steps, so far, then halved. */
#define SCAN_STEP 2.0
enum { SCAN_STEPS = 16, SCAN_HALVINGS = 8 };

static rk_status find_slowest(const rk_design *loop, const rk_requirements *asked, rk_check *c)
{
    rk_status status = RK_OK;
    const bool up = keeps(loop, asked, loop->ts, &status);
    double kept = up ? loop->ts : nan(""), lost = up ? nan("") : loop->ts, ts = loop->ts;
    int i;

    for (i = 0; i < SCAN_STEPS && status == RK_OK && (isnan(kept) || isnan(lost)); i++) {
        ts = up ? ts * SCAN_STEP : ts / SCAN_STEP;
        if (keeps(loop, asked, ts, &status)) {
            kept = ts;
        } else {
            lost = ts;
        }
    }
    for (i = 0; i < SCAN_HALVINGS && status == RK_OK && !isnan(kept) && !isnan(lost); i++) {
        const double middle = sqrt(kept * lost);

        if (keeps(loop, asked, middle, &status)) {
            kept = middle;
        } else {
            lost = middle;
        }
    }
    c->slowest_scan = kept;
    return status;
}

/* The margins, continuous and as the loop is scanned. */
static rk_status look_at_margins(const rk_design *loop, const rk_sampling *sampling,
                                 rk_check *c, rk_diag *diag)
{
    const rk_model *process = rk_design_process(loop);
    rk_status status = rk_loop_margins_compute(process, &loop->model, &loop->settings, NULL,
                                               &c->margins, diag);
    rk_requirements asked;

    if (status == RK_OK && loop->has_process) {
        status = rk_loop_margins_compute(&loop->model, &loop->model, &loop->settings, sampling,
                                         &c->on_model, diag);
        c->has_on_model = status == RK_OK;
    }
    if (status != RK_OK || sampling == NULL) return status;
    status = rk_loop_margins_compute(process, &loop->model, &loop->settings, sampling,
                                     &c->sampled, diag);
    if (status != RK_OK) return status;
    c->has_sampled = true;
    c->has_margins = margins_to_keep(c, &asked);
    if (c->has_margins) {
        status = find_slowest(loop, &asked, c);
    }
    return status == RK_OK ? RK_OK
                           : rk_diag_set(diag, status, "the slowest scan could not be found");
}

static rk_status look_at_valve(const rk_design *loop, const rk_check_plan *plan,
                               const rk_conditions *conditions, rk_check *c, rk_diag *diag)
{
    const rk_limits limits = rk_design_limits(loop);
    const rk_model *m = rk_design_process(loop);
    rk_status status;
    double step;
    size_t i;

    c->has_operating = rk_design_has_out_range(loop) && conditions->limits.low == limits.low;
    if (!c->has_operating) return RK_OK;
    status = rk_operating_compute(m, &limits, m->pv0, &c->start, diag);
    if (status == RK_OK) {
        status = rk_operating_compute(m, &limits, m->pv0 + c->requirements.sp_step, &c->stepped,
                                      diag);
    }
    for (i = 0; i < plan->setpoints && status == RK_OK; i++) {
        status = rk_operating_compute(m, &limits, plan->setpoint[i], &c->held[i], diag);
    }
    step = rk_windup_step(m, &limits);
    if (status != RK_OK || isnan(step) || !rk_check_judged(c)->stable ||
        loop->settings.ti < loop->ts) {
        return status;
    }
    status = rk_windup_compute(m, &loop->settings, conditions, step, &c->windup, diag);
    c->has_windup = status == RK_OK;
    return status;
}

static rk_status look_at_arithmetic(const rk_design *loop, rk_check *c, rk_diag *diag)
{
    const double largest = rk_design_has_out_range(loop)
                               ? fmax(fabs(loop->out_low), fabs(loop->out_high))
                               : fmax(fabs(loop->model.out0), 1.0);

    c->stall_error = nan("");
    if (isfinite(loop->settings.ti) && !isnan(loop->ts)) {
        c->stall_error = rk_stall_error(&loop->settings, loop->ts, largest);
    }
    if (!(loop->plant.stiction > 0) || !c->margins.stable) return RK_OK;
    return rk_limit_cycle_compute(rk_design_process(loop), &loop->settings,
                                  loop->plant.stiction, &c->cycle, diag);
}

static rk_status look_at_models(const rk_design *loop, const rk_check_plan *plan,
                                const rk_sampling *sampling, rk_check *c, rk_diag *diag)
{
    rk_model_set set;
    rk_status status;

    if (!plan->uncertain || !rk_check_judged(c)->stable) return RK_OK;
    status = rk_model_set_from_part(rk_design_process(loop), plan->model_error, RK_OVER_WORST,
                                    &set, diag);
    if (status == RK_OK) {
        status = rk_worst_compute(&set, &loop->settings, sampling, &c->box, diag);
    }
    if (status == RK_OK) {
        status = rk_worst_survived_compute(rk_design_process(loop), &loop->settings, sampling,
                                           &c->survived, diag);
    }
    if (status != RK_OK) return status;
    c->has_box = true;
    if (rk_model_set_from_covariance(&loop->model, &loop->covariance, RK_OVER_WORST, &set,
                                     NULL) != RK_OK) {
        return RK_OK; /* not known */
    }
    c->has_region = true;
    if (loop->has_process) {
        rk_model_set_take_process(&set, &loop->model, &loop->process);
    }
    return rk_worst_compute(&set, &loop->settings, sampling, &c->region, diag);
}

static rk_status judge(const rk_design *loop, const rk_conditions *conditions, rk_check *c,
                       rk_diag *diag)
{
    const rk_margins *judged = rk_check_judged(c);
    double figure[RK_REQUIRE_COUNT];
    rk_status status = rk_figures_compute(&c->requirements, rk_design_process(loop),
                                          &loop->settings, conditions, judged, figure, diag);

    if (status != RK_OK) return status;
    c->verdict = rk_requirements_check(&c->requirements, judged->stable, figure);
    if (!c->verdict.met) {
        status = rk_remedies_compute(&c->requirements, rk_design_process(loop), &loop->settings,
                                     conditions, &c->verdict, c->remedies, diag);
    }
    return status;
}

rk_status rk_check_compute(const rk_design *loop, const rk_check_plan *plan, rk_check *check,
                           rk_diag *diag)
{
    const rk_sampling *sampling;
    rk_conditions conditions;
    rk_sampling room;
    rk_check made;
    rk_findings found;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || plan == NULL || check == NULL) return RK_ERR_ARG;
    status = rk_design_check(loop, diag);
    if (status == RK_OK) {
        status = check_plan(plan, diag);
    }
    if (status != RK_OK) return status;
    if (!loop->has_model || !loop->has_settings) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a check needs a model and settings");
    }
    memset(&made, 0, sizeof made);
    made.requirements = rk_design_requirements(loop);
    conditions = rk_design_conditions(loop);
    sampling = rk_design_sampling(loop, &room);
    made.slowest_scan = nan("");
    status = look_at_margins(loop, sampling, &made, diag);
    if (status == RK_OK) {
        status = judge(loop, &conditions, &made, diag);
    }
    if (status == RK_OK) {
        status = rk_slip_find(loop, rk_check_judged(&made)->stable, &made.slip, diag);
    }
    if (status == RK_OK) {
        status = rk_gain_limits_compute(
            &made.requirements, rk_design_process(loop), &loop->settings, &conditions,
            rk_margins_unstable_from(rk_check_judged(&made), loop->settings.kc), &made.gain,
            diag);
    }
    if (status == RK_OK) {
        status = look_at_valve(loop, plan, &conditions, &made, diag);
    }
    if (status == RK_OK) {
        status = look_at_arithmetic(loop, &made, diag);
    }
    if (status == RK_OK) {
        status = look_at_models(loop, plan, sampling, &made, diag);
    }
    if (status != RK_OK) return status;
    found = rk_check_findings(loop, plan, &made);
    if (rk_findings_worst(&found) == RK_LEVEL_UNFIT) {
        made.verdict.met = false;
    }
    *check = made;
    return RK_OK;
}
