/* SPDX-License-Identifier: MIT */
/*
 * A process of lags, zeros and dead time reduced to first or second order plus dead time by the
 * half rule: the largest lag that is dropped goes half to the smallest that is kept and half to
 * the dead time, all smaller ones to the dead time; an inverse response (a negative zero) adds
 * to the dead time, a positive zero is cancelled against the next larger lag. Both step
 * responses are then compared.
 *
 * Source  S. Skogestad, Simple analytic rules for model reduction and PID controller tuning,
 *         2003, J. Process Control 13(4), 291-309.
 */
#include <redkettle/design/fit/fit.h>

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

/* Points of the step response, over so many of its longest times. */
enum { POINTS = 400, SUBSTEPS = 20 };
#define SPAN 8.0

static int falling(const void *left, const void *right)
{
    const double a = *(const double *)left, b = *(const double *)right;

    return (a < b) - (a > b);
}

static rk_status check(const rk_process *p, rk_model_kind kind, rk_diag *diag)
{
    size_t i;

    if (kind != RK_MODEL_FOPDT && kind != RK_MODEL_SOPDT) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a process is reduced to fopdt or sopdt, not to %s",
                           rk_model_kind_to_text(kind));
    }
    if (!isfinite(p->gain) || p->gain == 0) {
        return rk_diag_set(diag, RK_ERR_RANGE, "gain %g: give a finite gain that is not 0",
                           p->gain);
    }
    if (p->lags < 1 || p->lags > RK_LAGS_MAX || p->zeros >= p->lags) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "%zu lags and %zu zeros: give 1 to %d lags, and fewer zeros",
                           p->lags, p->zeros, RK_LAGS_MAX);
    }
    for (i = 0; i < p->lags; i++) {
        if (p->lag[i] > 0 && isfinite(p->lag[i])) continue;
        return rk_diag_set(diag, RK_ERR_RANGE, "lag %zu is %g s: give a time above 0", i + 1,
                           p->lag[i]);
    }
    for (i = 0; i < p->zeros; i++) {
        if (isfinite(p->zero[i])) continue;
        return rk_diag_set(diag, RK_ERR_RANGE, "zero %zu is %g s: give a finite time", i + 1,
                           p->zero[i]);
    }
    if (p->dead_time >= 0 && isfinite(p->dead_time)) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE, "dead time %g s: give a time of 0 or more",
                       p->dead_time);
}

/* Take a zero off the smallest lag that is not below it, or off the largest. */
static void cancel_zero(double *lag, size_t *lags, double zero)
{
    size_t at = *lags, i;

    for (i = 0; i < *lags; i++) {
        if (lag[i] >= zero && (at == *lags || lag[i] < lag[at])) {
            at = i;
        }
    }
    if (at == *lags) {
        for (at = 0, i = 1; i < *lags; i++) {
            at = lag[i] > lag[at] ? i : at;
        }
    }
    lag[at] -= zero;
    if (!(lag[at] > 0)) {
        lag[at] = lag[--*lags];
    }
}

static void half_rule(const rk_process *p, rk_model_kind kind, rk_model *m)
{
    const size_t kept = kind == RK_MODEL_FOPDT ? 1 : 2;
    double lag[RK_LAGS_MAX], theta = p->dead_time;
    size_t lags = p->lags, i;

    memcpy(lag, p->lag, sizeof lag);
    for (i = 0; i < p->zeros; i++) {
        if (p->zero[i] < 0) {
            theta -= p->zero[i];
        } else if (p->zero[i] > 0 && lags > 1) {
            cancel_zero(lag, &lags, p->zero[i]);
        }
    }
    qsort(lag, lags, sizeof *lag, falling);
    memset(m, 0, sizeof *m);
    m->kind = lags < kept ? RK_MODEL_FOPDT : kind;
    m->gain = p->gain;
    for (i = 0; i < kept && i < lags; i++) {
        m->time_constant[i] = lag[i];
    }
    if (lags > kept) {
        m->time_constant[kept - 1] += 0.5 * lag[kept];
        theta += 0.5 * lag[kept];
    }
    for (i = kept + 1; i < lags; i++) {
        theta += lag[i];
    }
    if (m->time_constant[1] > m->time_constant[0]) {
        const double quick = m->time_constant[0];

        m->time_constant[0] = m->time_constant[1];
        m->time_constant[1] = quick;
    }
    m->dead_time = theta;
}

/* The chain of lags answering a unit step, by the midpoint rule in steps far below the shortest
   response that shows; a zero adds its part of a lag's rate. */
static void simulate(const rk_process *p, double step, double *pv)
{
    double x[RK_LAGS_MAX] = {0};
    size_t point, sub, i;

    for (point = 0; point < POINTS; point++) {
        double y = 1.0;

        for (i = 0; i < p->lags; i++) {
            const double rate = (y - x[i]) / p->lag[i];

            y = x[i] + (i < p->zeros ? p->zero[i] * rate : 0.0);
        }
        pv[point] = p->gain * y;
        for (sub = 0; sub < SUBSTEPS; sub++) {
            const double h = step / SUBSTEPS;

            y = 1.0;
            for (i = 0; i < p->lags; i++) {
                /* Exact for the input it had; the next lag sees its mean over the step. */
                const double before = x[i];
                double rate;

                x[i] = y + ((x[i] - y) * exp(-h / p->lag[i]));
                rate = (x[i] - before) / h;
                y = (0.5 * (x[i] + before)) + (i < p->zeros ? p->zero[i] * rate : 0.0);
            }
        }
    }
}

static double largest_error(const rk_model *m, const rk_record *record, double *pv)
{
    double largest = 0;
    size_t i;

    if (rk_model_response_compute(m, record, pv, NULL) != RK_OK) return HUGE_VAL;
    for (i = 0; i < rk_record_rows(record); i++) {
        largest = fmax(largest, fabs(pv[i] - rk_record_pv(record)[i]));
    }
    return 100.0 * largest / fabs(m->gain);
}

static rk_status fit_response(const rk_process *p, rk_model_kind kind, rk_reduction *made,
                              rk_diag *diag)
{
    double longest = p->dead_time, *pv = rk_memory_create(POINTS + 2, sizeof *pv);
    rk_fit_plan plan = rk_fit_plan_make();
    rk_record *record = NULL;
    rk_fit *fit = rk_memory_create(1, sizeof *fit);
    rk_status status;
    double step;
    size_t i;

    plan.any_kind = false;
    plan.plain = true;
    plan.kind = kind;
    for (i = 0; i < p->lags; i++) {
        longest += p->lag[i];
    }
    step = SPAN * longest / POINTS;
    if (pv == NULL || fit == NULL) {
        status = RK_ERR_MEMORY;
        (void)rk_diag_set(diag, status, "out of memory to reduce");
    } else {
        status = rk_record_create(&record, diag);
    }
    if (status == RK_OK) {
        simulate(p, step, pv);
        status = rk_record_add(record, -step, 0, 0, diag);
    }
    for (i = 0; i < POINTS && status == RK_OK; i++) {
        /* The dead time is put on behind: the response begins at once. */
        status = rk_record_add(record, (double)i * step, 1, pv[i], diag);
    }
    if (status == RK_OK) {
        rk_model shifted = made->half_rule;

        status = rk_fit_compute(record, &plan, fit, diag);
        made->fitted = fit->model;
        shifted.dead_time -= p->dead_time;
        made->half_rule_error = largest_error(&shifted, record, pv);
        made->fitted_error = largest_error(&fit->model, record, pv);
        made->fitted.dead_time += p->dead_time;
        made->fitted.out0 = made->fitted.pv0 = 0;
    }
    rk_record_free(record);
    rk_memory_free(pv);
    rk_memory_free(fit);
    return status;
}

rk_status rk_reduction_compute(const rk_process *process, rk_model_kind kind,
                               rk_reduction *reduction, rk_diag *diag)
{
    rk_reduction made;
    rk_status status;

    rk_diag_clear(diag);
    if (process == NULL || reduction == NULL) return RK_ERR_ARG;
    status = check(process, kind, diag);
    if (status != RK_OK) return status;
    memset(&made, 0, sizeof made);
    half_rule(process, kind, &made.half_rule);
    status = fit_response(process, kind, &made, diag);
    if (status == RK_OK) {
        *reduction = made;
    }
    return status;
}
