/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/relay_point.h>

#include <math.h>

#include <redkettle/design/margins/margins.h>

/* ln of the ultimate gain and period; false: there is no such point. */
static bool ln_point(const rk_model *model, double ln[2], rk_status *status)
{
    double gain, period;

    *status = rk_ultimate_point_compute(model, &gain, &period);
    ln[0] = log(fabs(gain));
    ln[1] = log(period);
    return *status == RK_OK && isfinite(ln[0]) && isfinite(ln[1]);
}

/* A model's numbers, by what a covariance counts. */
static double *number_of(rk_model *m, int number)
{
    double *const all[RK_MODEL_NUMBERS] = {&m->gain, &m->time_constant[0], &m->time_constant[1],
                                           &m->damping, &m->dead_time};

    return all[number];
}

/* Steps of the derivatives, as a part of a number's error. */
#define STEP 0.1

/* The variances of both logarithms, along the tangent. */
static rk_status spread(const rk_fit *fit, double variance[2])
{
    double by[RK_MODEL_NUMBERS][2] = {{0}};
    int number[RK_MODEL_NUMBERS], i, j, k;
    const int count = rk_model_kind_numbers(fit->model.kind, number);
    rk_status status = RK_OK;

    for (i = 0; i < count && status == RK_OK; i++) {
        const double error = sqrt(fit->covariance.c[number[i]][number[i]]);
        rk_model side[2] = {fit->model, fit->model};
        double ln[2][2];

        *number_of(&side[0], number[i]) -= STEP * error;
        *number_of(&side[1], number[i]) += STEP * error;
        if (!(error > 0) || rk_model_check(&side[0], NULL) != RK_OK ||
            rk_model_check(&side[1], NULL) != RK_OK) {
            continue;
        }
        if (!ln_point(&side[0], ln[0], &status) || !ln_point(&side[1], ln[1], &status))
            continue;
        for (k = 0; k < 2; k++) {
            by[i][k] = (ln[1][k] - ln[0][k]) / (2.0 * STEP * error);
        }
    }
    for (k = 0; k < 2; k++) {
        variance[k] = 0;
        for (i = 0; i < count; i++) {
            for (j = 0; j < count; j++) {
                variance[k] += by[i][k] * fit->covariance.c[number[i]][number[j]] * by[j][k];
            }
        }
    }
    return status;
}

static void around(double value, double variance, double interval[2])
{
    const double factor = exp(1.96 * sqrt(fmax(variance, 0.0)));

    interval[0] = fmin(value / factor, value * factor);
    interval[1] = fmax(value / factor, value * factor);
}

rk_status rk_relay_point_compute(const rk_record *record, rk_relay_point *point, rk_diag *diag)
{
    const rk_fit_plan plan = rk_fit_plan_make();
    double variance[2] = {0, 0};
    rk_status status;

    rk_diag_clear(diag);
    if (record == NULL || point == NULL) return RK_ERR_ARG;
    status = rk_fit_compute(record, &plan, &point->fit, diag);
    if (status != RK_OK) return status;
    status = rk_ultimate_point_compute(&point->fit.model, &point->gain, &point->period);
    if (status == RK_OK) {
        status = spread(&point->fit, variance);
    }
    if (status != RK_OK) {
        return rk_diag_set(diag, status, "out of memory for the ultimate point");
    }
    around(point->gain, variance[0], point->gain95);
    around(point->period, variance[1], point->period95);
    if (isfinite(point->gain) && rk_fit_level(&point->fit) != RK_LEVEL_UNFIT) return RK_OK;
    return rk_diag_set(diag, RK_ERR_DATA, "no model of the record has an ultimate point");
}
