/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/files/trial_case.h>

#include "parts.h"

static rk_status look_at_record(rki_page_work *w, rk_diag *diag)
{
    const rk_page *p = w->page;
    rk_inspect_plan plan = rk_inspect_plan_of(p->loop);
    rk_status status;

    if (p->record == NULL) return RK_OK;
    plan.dropped = p->import != NULL ? p->import->dropped : 0;
    plan.read = plan.dropped + rk_record_rows(p->record);
    status = rk_inspection_compute(p->record, &plan, &w->inspection, &w->seen, diag);
    w->has_inspection = status == RK_OK;
    if (status == RK_ERR_MEMORY) return status;
    rk_record_slips(p->record, &plan, &w->slips);
    return RK_OK;
}

/* Rounding, where the fit is surer than the digits that somebody typed. */
#define ROUNDED 1e-3

/* Is a number that somebody gave one that the fit allows for? */
static bool allowed(double given, double fitted, const double interval[2])
{
    return (given >= interval[0] && given <= interval[1]) ||
           fabs(given - fitted) <= ROUNDED * fabs(fitted);
}

/* Is the loop's model what the record gives? */
static bool is_of_record(const rk_model *given, const rk_fit *fit)
{
    const rk_model *m = &fit->model;
    const int times = rk_model_kind_times(m->kind);

    return given->kind == m->kind && allowed(given->gain, m->gain, fit->gain95) &&
           allowed(given->dead_time, m->dead_time, fit->dead_time95) &&
           (times < 1 ||
            allowed(given->time_constant[0], m->time_constant[0], fit->tau95[0])) &&
           (times < 2 || allowed(given->time_constant[1], m->time_constant[1], fit->tau95[1]));
}

/* The fit of the record; beside it the loop's own model where that is another. */
static rk_status fit_record(rki_page_work *w, rk_diag *diag)
{
    const rk_page *p = w->page;
    const rk_fit_plan plan = rk_fit_plan_make();
    const rk_lay_over still = {false, false};
    rk_diag why;
    rk_status status;

    if (p->record == NULL) return RK_OK;
    status = rk_fit_compute(p->record, &plan, &w->fit, &why);
    if (status == RK_OK) {
        status = rk_hand_fits_compute(p->record, &w->hand, &why);
    }
    if (status != RK_OK) {
        (void)snprintf(w->why_no_fit, sizeof w->why_no_fit, "%s", why.text);
        return status == RK_ERR_MEMORY ? rk_diag_set(diag, status, "%s", why.text) : RK_OK;
    }
    w->has_fit = true;
    if (!w->loop.has_model && rk_fit_level(&w->fit) != RK_LEVEL_UNFIT &&
        rk_findings_worst(&w->slips) != RK_LEVEL_UNFIT) {
        rk_fit_to_loop(&w->fit, &w->loop);
        w->fitted_model = true;
    } else if (w->loop.has_model && !is_of_record(&w->loop.model, &w->fit)) {
        w->has_rival =
            rk_fit_lay_over(p->record, &w->loop.model, still, &w->rival, NULL) == RK_OK;
    }
    if (p->validation != NULL) {
        w->has_validation =
            rk_validation_compute(&w->fit.model, p->validation, &w->validation, NULL) == RK_OK;
    }
    return RK_OK;
}

/* A mode to show rules in: the settings' own. */
static const char *mode_of(const rk_design *loop)
{
    if (!loop->has_settings || rk_settings_is_on_off(&loop->settings)) return "PI";
    return rk_settings_mode(&loop->settings);
}

static rk_status tune(rki_page_work *w, rk_diag *diag)
{
    const rk_design *loop = &w->loop;
    const rk_knobs knobs = rk_knobs_make();
    rk_status status;
    size_t i;

    if (!loop->has_model) return RK_OK;
    status = rk_tunings_compute(&loop->model, NULL, mode_of(loop), &knobs, w->rules,
                                &w->rule_count, diag);
    if (status != RK_OK) {
        w->rule_count = 0;
        return status == RK_ERR_MEMORY ? status : RK_OK;
    }
    for (i = 0; i < w->rule_count; i++) {
        rk_settings all = loop->settings;

        w->performance[i] = rk_performance_none();
        if (!w->rules[i].usable) continue;
        rk_tuning_apply(&w->rules[i], &all);
        w->rules[i].settings = all;
        status = rk_design_performance_compute(loop, &all, &w->performance[i], diag);
        if (status == RK_ERR_MEMORY) return status;
    }
    w->has_speeds =
        rk_tunings_compute_speeds(&loop->model, loop->lambda > 0 ? loop->rule : "simc", NULL,
                                  &knobs, w->speeds, NULL) == RK_OK;
    return RK_OK;
}

static rk_status check(rki_page_work *w, rk_diag *diag)
{
    rk_trial_case c;
    rk_diag why;
    rk_status status;

    if (!w->loop.has_model || !w->loop.has_settings) return RK_OK;
    w->plan = rk_check_plan_make();
    if (w->page->record != NULL) {
        w->plan.record_interval = rk_record_interval(w->page->record);
    }
    status = rk_check_compute(&w->loop, &w->plan, &w->check, &why);
    w->has_check = status == RK_OK;
    if (status != RK_OK) {
        (void)snprintf(w->why_no_check, sizeof w->why_no_check, "%s", why.text);
        return status == RK_ERR_MEMORY ? rk_diag_set(diag, status, "%s", why.text) : RK_OK;
    }
    if (isnan(w->loop.ts)) return RK_OK;
    c = rk_trial_case_of(&w->loop, false);
    w->trial_plan = rk_trial_plan_make();
    rk_trial_plan_complete(&w->trial_plan, &w->loop, &c, 1);
    status = rk_trial_create(&c, &w->trial_plan, &w->trial, diag);
    return status == RK_ERR_MEMORY ? status : RK_OK;
}

rk_status rki_page_work_compute(const rk_page *page, rki_page_work **work, rk_diag *diag)
{
    rki_page_work *made = rk_memory_create(1, sizeof *made);
    rk_status status;

    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a page");
    made->page = page;
    made->loop = *page->loop;
    status = look_at_record(made, diag);
    if (status == RK_OK) {
        status = fit_record(made, diag);
    }
    if (status == RK_OK) {
        status = tune(made, diag);
    }
    if (status == RK_OK) {
        status = check(made, diag);
    }
    if (status != RK_OK) {
        rki_page_work_free(made);
        return status;
    }
    *work = made;
    return RK_OK;
}

void rki_page_work_free(rki_page_work *work)
{
    if (work == NULL) return;
    rk_trial_free(work->trial);
    rk_memory_free(work);
}
