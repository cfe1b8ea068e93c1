/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "fit_stages.h"

/* Places in rk_fit.covariance. */
enum { GAIN, TIME_1, TIME_2, DAMPING, DEAD_TIME };

/* Two explanations are told apart from this difference of the Bayesian criterion on. */
#define TOLD_APART 10.0

/* A damping from here to 1 is taken for two equal lags. */
#define EQUAL 0.95

static void take_model(const rki_fit_work *b, const rki_solution *s, rk_model *m)
{
    const double *q = s->q, tau = exp(q[RKI_SHAPE]), z = exp(q[RKI_SHAPE_2]);

    m->gain = q[RKI_GAIN];
    m->dead_time = q[RKI_THETA];
    m->out0 = b->series.out0;
    m->pv0 = b->series.pv_ref + q[RKI_START];
    switch (s->task.family) {
    case RKI_SECOND:
        m->kind = z < EQUAL ? RK_MODEL_SOPDT_OSC : RK_MODEL_SOPDT;
        m->time_constant[0] = tau;
        m->damping = z < EQUAL ? z : 0.0;
        if (z >= EQUAL) {
            m->time_constant[0] = z > 1.0 ? tau * (z + sqrt((z - 1.0) * (z + 1.0))) : tau;
            m->time_constant[1] = tau * tau / m->time_constant[0];
        }
        return;
    case RKI_INTEGRATOR:
    case RKI_LAGGING:
        m->kind = s->task.family == RKI_LAGGING ? RK_MODEL_IPDT_LAG : RK_MODEL_IPDT;
        m->time_constant[0] = s->task.family == RKI_LAGGING ? tau : 0.0;
        m->out0 -= q[RKI_DRIFT] / q[RKI_GAIN]; /* what holds PV still */
        return;
    default:
        m->kind = RK_MODEL_FOPDT;
        m->time_constant[0] = tau;
        return;
    }
}

/* Derivatives of the model's numbers by the fit's parameters, the times' by their logarithm. */
static void derive(const rki_solution *s, const rk_model *m, double error_z,
                   double by[RK_FIT_NUMBERS][RKI_PARAMETERS])
{
    const double z = exp(s->q[RKI_SHAPE_2]);

    memset(by, 0, sizeof(double) * RK_FIT_NUMBERS * RKI_PARAMETERS);
    by[GAIN][RKI_GAIN] = 1.0;
    by[DEAD_TIME][RKI_THETA] = 1.0;
    if (rk_model_kind_times(m->kind) > 0) {
        by[TIME_1][RKI_SHAPE] = 1.0;
    }
    if (m->kind == RK_MODEL_SOPDT_OSC) {
        by[DAMPING][RKI_SHAPE_2] = z;
    }
    if (m->kind == RK_MODEL_SOPDT) {
        /* ln T = mean +- acosh z: at z = 1 the root has no slope, half an error away it has. */
        const double at = fmax(z, 1.0 + (0.5 * z * error_z));

        by[TIME_1][RKI_SHAPE_2] = at / sqrt((at - 1.0) * (at + 1.0));
        by[TIME_2][RKI_SHAPE] = 1.0;
        by[TIME_2][RKI_SHAPE_2] = -by[TIME_1][RKI_SHAPE_2];
    }
}

static void take_covariance(const rki_solution *s, rk_fit *fit,
                            double error_log[RK_FIT_NUMBERS])
{
    const double scale[RK_FIT_NUMBERS] = {1.0, fit->model.time_constant[0],
                                          fit->model.time_constant[1], 1.0, 1.0};
    double by[RK_FIT_NUMBERS][RKI_PARAMETERS];
    int a, b, i, j;

    derive(s, &fit->model, sqrt(fmax(s->covariance[RKI_SHAPE_2][RKI_SHAPE_2], 0.0)), by);
    for (a = 0; a < RK_FIT_NUMBERS; a++) {
        for (b = 0; b < RK_FIT_NUMBERS; b++) {
            double sum = 0;

            for (i = 0; i < RKI_PARAMETERS; i++) {
                for (j = 0; j < RKI_PARAMETERS; j++) {
                    sum += by[a][i] * s->covariance[i][j] * by[b][j];
                }
            }
            fit->covariance.c[a][b] = sum * scale[a] * scale[b];
            if (a == b) {
                error_log[a] = s->certain ? sqrt(fmax(sum, 0.0)) : HUGE_VAL;
            }
        }
    }
    fit->pv0_95[0] = s->certain ? sqrt(s->covariance[RKI_START][RKI_START]) : HUGE_VAL;
}

static void around(double value, double half, double *interval)
{
    interval[0] = value - half;
    interval[1] = value + half;
}

static void take_intervals(const rki_solution *s, rk_fit *fit)
{
    const double t = rki_t95(s);
    const rk_model *m = &fit->model;
    double error[RK_FIT_NUMBERS];
    int i;

    take_covariance(s, fit, error);
    around(m->gain, t * error[GAIN], fit->gain95);
    for (i = 0; i < rk_model_kind_times(m->kind); i++) {
        fit->tau95[i][0] = m->time_constant[i] * exp(-t * error[TIME_1 + i]);
        fit->tau95[i][1] = m->time_constant[i] * exp(t * error[TIME_1 + i]);
    }
    if (m->kind == RK_MODEL_SOPDT_OSC) {
        around(m->damping, t * error[DAMPING], fit->damping95);
    }
    around(m->pv0, t * fit->pv0_95[0], fit->pv0_95);
}

/* How much of PV is explained, and whether what is left looks like noise. */
static void measure(rki_fit_work *b, const rki_solution *s, rk_fit *fit)
{
    const rki_series *series = &b->series;
    const rki_colour *colour = &s->task.colour;
    const bool coloured = rki_is_coloured(colour);
    double rows = 0, mean = 0, total = 0, left = 0, product = 0, white = 0, pale = 0;
    double low = HUGE_VAL, high = -HUGE_VAL, before = 0, white_before = 0,
           last[RKI_AR_MAX] = {0};
    size_t i;
    int k;

    rki_take_residual(b, s);
    for (i = 0; i < series->samples; i++) {
        rows += series->weight[i];
        mean += series->weight[i] * series->pv[i];
    }
    mean /= rows;
    for (i = 0; i < series->samples; i++) {
        const double off = series->pv[i] - mean, r = b->residual[i];
        double e = r;

        if (!(series->weight[i] > 0)) continue;
        total += off * off;
        low = fmin(low, series->pv[i]);
        high = fmax(high, series->pv[i]);
        left += r * r;
        product += r * before;
        before = r;
        if (!coloured) continue;
        for (k = 0; k < colour->order; k++) {
            e -= colour->ar[k] * last[k];
        }
        if (colour->memory > 0 && i > 0) {
            const double keep = exp((series->time[i - 1] - series->time[i]) / colour->memory);

            e = (r - (keep * last[0])) / sqrt(1.0 - (keep * keep));
        }
        memmove(last + 1, last, sizeof last - sizeof last[0]);
        last[0] = r;
        white += e * e;
        pale += e * white_before;
        white_before = e;
    }
    fit->rows = (size_t)rows;
    fit->pv_moved = high - low;
    fit->rmse = sqrt(left / rows);
    fit->noise = sqrt(left / fmax(rows - 4.0, 1.0));
    fit->fit_percent = 100.0 * (1.0 - sqrt(left / total));
    fit->residual_correlation = left > 0 ? product / left : 0.0;
    fit->white_correlation = coloured ? pale / white : fit->residual_correlation;
}

static void take_sizes(const rki_fit_work *b, rk_fit *fit)
{
    const rki_series *s = &b->series;
    size_t e;

    fit->move_least = fit->move_most = 0.0;
    for (e = 0; e < s->events && !b->dense; e++) {
        const double size = fabs(s->event_size[e]);

        fit->move_least = e == 0 ? size : fmin(fit->move_least, size);
        fit->move_most = fmax(fit->move_most, size);
    }
}

static void take_extras(const rki_fit_work *b, const rki_solution *s, rk_fit *fit)
{
    const bool drifts = !rk_model_kind_integrates(fit->model.kind);
    int k;

    fit->drift = drifts && rki_active(&s->task, RKI_DRIFT) ? s->q[RKI_DRIFT] : 0.0;
    fit->initial = rki_active(&s->task, RKI_INITIAL) ? s->q[RKI_INITIAL] : 0.0;
    fit->initial_rate =
        rki_active(&s->task, RKI_RATE) ? s->q[RKI_RATE] / exp(s->q[RKI_SHAPE]) : 0.0;
    take_sizes(b, fit);
    for (k = 0; k < b->moves.count; k++) {
        fit->early[k] = b->moves.row[k] - b->series.event_time[k];
    }
    if (rki_active(&s->task, RKI_LOAD)) {
        fit->load = s->q[RKI_LOAD] / s->q[RKI_GAIN];
        fit->load_at = s->task.load_at;
        if (s->other_load.bic != 0 && s->other_load.bic < s->bic + TOLD_APART) {
            fit->other_load = s->other_load.load;
            fit->other_load_at = s->other_load.at;
            fit->other_gain = s->other_load.gain;
        }
    }
    fit->noise_order = s->task.colour.order;
    fit->noise_memory = s->task.colour.memory;
    fit->left_out = b->left_out;
    fit->closed_loop = b->closed_loop;
    memcpy(fit->left_out_at, b->left_out_at, sizeof fit->left_out_at);
}

void rki_fit_describe(rki_fit_work *b, const rki_solution *s, rk_fit *fit)
{
    take_model(b, s, &fit->model);
    fit->bic = s->bic;
    fit->moves = b->series.events;
    measure(b, s, fit);
    take_extras(b, s, fit);
}

void rki_fit_report(rki_fit_work *b, const rki_solution *s, rk_fit *fit)
{
    rki_fit_describe(b, s, fit);
    take_intervals(s, fit);
    fit->interval = b->series.interval;
    fit->seen = b->series.time[b->series.samples - 1] - b->series.event_time[0];
}
