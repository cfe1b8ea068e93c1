/* SPDX-License-Identifier: MIT */
/*
 * A process of lags, an inverse response and dead time reduced to a model that the rules take: by the
 * half rule, and by least squares on the response to a step of OUT, from which the process's own dead
 * time is left out, since it adds to the model's as it is. The step responses are exact: that of the
 * process goes from point to point by its transition over one, those of the model are their formula.
 *
 * Source  S. Skogestad, Simple analytic rules for model reduction and PID controller tuning,
 *         2003, J. Process Control 13(4), 291-309.
 */
#include <redkettle/design/fit/fit.h>

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include <nlopt.h>

#include "design/loop/chain.h"
#include "design/loop/state_transition.h"

/* Points of the step response, over so many of the sum of its times. */
enum { POINTS = 300 };
#define SPAN 7.0
/* Integrators are followed for less: all that is to be seen is how their ramp begins. */
#define SPAN_INTEGRATING 4.0
/* Runs of the search for the best fit at most, and its first step and precision, in logarithms. */
enum { RUNS = 3000 };
/* A half rule that is off by no more, percent, is the process itself. */
#define EXACT 1e-9
#define FIRST_STEP 0.2
#define PRECISION 1e-9
/* A fitted time is no less than this part of the sum of the process's. */
#define LEAST 1e-6

typedef struct response {
    const rk_model *process;
    rk_model_kind kind;
    double step, unit; /* s between the points; the way that errors are parts of */
    double pv[POINTS];
} response;

static int falling(const void *left, const void *right)
{
    const double a = *(const double *)left, b = *(const double *)right;

    return (a < b) - (a > b);
}

static rk_status check(const rk_model *p, rk_model_kind kind, rk_diag *diag)
{
    const rk_status status = rk_model_check(p, diag);
    const bool integrates = rk_model_kind_integrates(p->kind);

    if (status != RK_OK) return status;
    if (!rk_model_is_process(p)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a %s model needs no reduction",
                           rk_model_kind_to_text(p->kind));
    }
    if ((int)kind >= RK_MODEL_KINDS || kind == RK_MODEL_SOPDT_OSC ||
        rk_model_kind_integrates(kind) != integrates) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%s process is reduced to %s, not to %s",
                           integrates ? "an integrating" : "this",
                           integrates ? "ipdt or ipdt-lag" : "fopdt or sopdt",
                           rk_model_kind_to_text(kind));
    }
    return RK_OK;
}

/* The lags kept, the largest first; what is dropped goes to them and to the dead time. */
static rk_model half_rule(const rk_model *p, rk_model_kind kind)
{
    const bool integrates = rk_model_kind_integrates(kind);
    const int times = rk_model_kind_times(kind), kept = p->lags < times ? p->lags : times;
    rk_model m = {.kind = kind, .gain = p->gain, .out0 = p->out0, .pv0 = p->pv0};
    double lag[RK_LAGS_MAX];
    int i;

    memcpy(lag, p->lag, sizeof lag);
    qsort(lag, (size_t)p->lags, sizeof *lag, falling);
    m.dead_time = p->dead_time + p->inverse;
    if (kept < times) { /* there is no second lag to keep */
        m.kind = integrates ? RK_MODEL_IPDT : RK_MODEL_FOPDT;
    }
    for (i = 0; i < kept; i++) {
        m.time_constant[i] = lag[i];
    }
    for (i = kept; i < p->lags; i++) {
        const bool largest = i == kept;

        m.dead_time += largest ? 0.5 * lag[i] : lag[i];
        if (largest && kept > 0) {
            m.time_constant[kept - 1] += 0.5 * lag[i];
        }
    }
    return rk_model_sorted(&m);
}

static void respond(response *r)
{
    rki_chain chain;
    double x[RKI_CHAIN_STATES] = {0};
    int point, i, j;

    rki_chain_of_process(r->process, r->step, &chain);
    for (point = 0; point < POINTS; point++) {
        r->pv[point] = x[0];
        for (i = 0; i < chain.states; i++) {
            double sum = chain.gamma[i];

            for (j = i; j < chain.states; j++) {
                sum += chain.phi[i][j] * x[j];
            }
            x[i] = sum;
        }
    }
}

/* What a model is off by at a point; its dead time stands behind the process's own. */
static double off_at(const response *r, const rk_model *m, int point)
{
    const double since = (r->step * point) - (m->dead_time - r->process->dead_time);

    if (!(since > 0)) return r->pv[point] / r->unit;
    return (r->pv[point] - rki_transition_of_model(m, since).gamma[0]) / r->unit;
}

static double largest_error(const response *r, const rk_model *m)
{
    double largest = 0;
    int point;

    for (point = 0; point < POINTS; point++) {
        largest = fmax(largest, fabs(off_at(r, m, point)));
    }
    return 100.0 * largest;
}

/* From logarithms of the times, and the part of the dead time beyond the process's own. */
static rk_model model_at(const response *r, const double *x)
{
    const int times = rk_model_kind_times(r->kind);
    rk_model m = {.kind = r->kind,
                  .gain = r->process->gain,
                  .out0 = r->process->out0,
                  .pv0 = r->process->pv0};
    int i;

    for (i = 0; i < times; i++) {
        m.time_constant[i] = exp(x[i]);
    }
    m.dead_time = r->process->dead_time + exp(x[times]);
    return rk_model_sorted(&m);
}

static double squares(unsigned n, const double *x, double *slope, void *user)
{
    const response *r = user;
    const rk_model m = model_at(r, x);
    double sum = 0;
    int point;

    (void)n;
    (void)slope;
    for (point = 0; point < POINTS; point++) {
        const double off = off_at(r, &m, point);

        sum += off * off;
    }
    return sum;
}

static rk_status fit_response(response *r, const rk_model *start, rk_model *fitted)
{
    const int times = rk_model_kind_times(r->kind);
    const double own = rk_model_slowest(r->process), least = log(LEAST * own);
    double x[3], cost;
    nlopt_opt search = nlopt_create(NLOPT_LN_SBPLX, (unsigned)times + 1);
    int i;

    if (search == NULL) return RK_ERR_MEMORY;
    for (i = 0; i < times; i++) {
        x[i] = log(fmax(start->time_constant[i], 0.02 * own));
    }
    x[times] = fmax(log(start->dead_time - r->process->dead_time), log(0.02 * own));
    (void)nlopt_set_min_objective(search, squares, r);
    (void)nlopt_set_lower_bounds1(search, least);
    (void)nlopt_set_upper_bounds1(search, log(10.0 * own));
    (void)nlopt_set_initial_step1(search, FIRST_STEP);
    (void)nlopt_set_xtol_abs1(search, PRECISION);
    (void)nlopt_set_maxeval(search, RUNS);
    (void)nlopt_optimize(search, x, &cost);
    nlopt_destroy(search);
    *fitted = model_at(r, x);
    return RK_OK;
}

rk_model rk_reduction_model(const rk_reduction *reduction)
{
    return reduction->by_half_rule ? reduction->half_rule : reduction->fitted;
}

double rk_reduction_error(const rk_reduction *reduction)
{
    return fmin(reduction->half_rule_error, reduction->fitted_error);
}

rk_status rk_reduction_compute(const rk_model *process, rk_model_kind kind,
                               rk_reduction *reduction, rk_diag *diag)
{
    const bool integrates = rk_model_kind_integrates(kind);
    response r = {.process = process, .kind = kind};
    rk_reduction made;
    rk_status status;
    double own;

    rk_diag_clear(diag);
    if (process == NULL || reduction == NULL) return RK_ERR_ARG;
    status = check(process, kind, diag);
    if (status != RK_OK) return status;
    own = process->lags > 0 ? rk_model_slowest(process) : 1.0;
    r.step = (integrates ? SPAN_INTEGRATING : SPAN) * own / POINTS;
    r.unit = fabs(process->gain) * (integrates ? own : 1.0);
    respond(&r);
    made.half_rule = made.fitted = half_rule(process, kind);
    r.kind = made.half_rule.kind;
    made.half_rule_error = made.fitted_error = largest_error(&r, &made.half_rule);
    if (made.half_rule_error > EXACT) {
        status = fit_response(&r, &made.half_rule, &made.fitted);
        if (status != RK_OK) return rk_diag_set(diag, status, "out of memory to reduce");
        made.fitted_error = largest_error(&r, &made.fitted);
    }
    made.by_half_rule = made.half_rule_error <= made.fitted_error;
    *reduction = made;
    return RK_OK;
}
