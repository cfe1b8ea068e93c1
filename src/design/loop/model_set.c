/* SPDX-License-Identifier: MIT */
/*
 * Models that a process may have, from the covariance C of a fit's n numbers p or from a
 * tolerance.
 *
 * Worst case, region: the joint 95 % region is the ellipsoid (p - p0)' C^-1 (p - p0) <= c, c
 * the chi-square of n degrees of freedom that 95 % stay below. Its point furthest in a
 * direction a is p0 + C a sqrt(c / (a' C a)). Directions are each number alone and each
 * combination of signs, counted in standard deviations: a margin is worst where several numbers
 * err together. Worst case, tolerance: the corners of the box. Mean: 2 n points of equal
 * weight, p0 +- sqrt(n) times the columns of the Cholesky factor of C (of the box: of its
 * variances, size^2 / 3): they have the mean and the covariance, so that the mean of a figure
 * over them is right to second order.
 *
 * A number that would leave its range stays in it (LEAST_PART): the linear region knows no
 * signs.
 */
#include <redkettle/design/loop/model_set.h>

#include <math.h>

#include "design/base/numeric.h"
#include "design/base/words.h"

static const char *const over_words[] = {"worst", "mean", NULL};

const char *rk_over_to_text(rk_over over)
{
    return rki_word(over_words, (int)over);
}

rk_status rk_over_from_text(const char *text, rk_over *over, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || over == NULL) return RK_ERR_ARG;
    status = rki_word_find(over_words, "way to judge models", text, &found, diag);
    if (status == RK_OK) {
        *over = (rk_over)found;
    }
    return status;
}

/* A number that must not be 0 keeps at least this part of its nominal value. */
#define LEAST_PART 0.05
/* How far damping stays from its ends. */
#define DAMPING_LEAST 0.01

static double keep_sign(double value, double nominal)
{
    return value / nominal < LEAST_PART ? LEAST_PART * nominal : value;
}

/* The lags of a process, all slower or all quicker. */
static void scale_lags(rk_model *process, double factor)
{
    int i;

    for (i = 0; i < process->lags; i++) {
        process->lag[i] *= factor;
    }
    process->inverse *= factor;
}

/* The nominal model with its numbers moved by so much, kept in their ranges. */
static rk_model moved(const rk_model *nominal, const int *number, int count, const double *by)
{
    rk_model m = *nominal;
    double lags = 1.0; /* of a process, together */
    double *const at[RK_MODEL_NUMBERS] = {
        &m.gain, rk_model_is_process(nominal) ? &lags : &m.time_constant[0],
        &m.time_constant[1], &m.damping, &m.dead_time};
    int i;

    for (i = 0; i < count; i++) {
        *at[number[i]] += by[i];
    }
    m.gain = keep_sign(m.gain, nominal->gain);
    for (i = 0; i < rk_model_kind_times(m.kind); i++) {
        m.time_constant[i] = keep_sign(m.time_constant[i], nominal->time_constant[i]);
    }
    scale_lags(&m, fmax(lags, LEAST_PART));
    m = rk_model_sorted(&m);
    if (m.kind == RK_MODEL_SOPDT_OSC) {
        m.damping = fmin(fmax(m.damping, DAMPING_LEAST), 1.0 - DAMPING_LEAST);
    }
    m.dead_time = fmax(m.dead_time, 0.0);
    return m;
}

/* To both sides along each column of l, as far as equal weights need. */
static void add_mean_points(const rk_model *model, const int *number, int n,
                            double l[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS], rk_model_set *set)
{
    double by[RK_MODEL_NUMBERS] = {0};
    int i, k, sign;

    for (k = 0; k < n; k++) {
        for (sign = -1; sign <= 1; sign += 2) {
            for (i = 0; i < n; i++) {
                by[i] = sign * sqrt((double)n) * l[i][k];
            }
            set->model[set->count++] = moved(model, number, n, by);
        }
    }
}

/* The point of the region's edge where the sum of a[i] times number i is greatest. */
static void add_extreme(const rk_model *model, const int *number, int n,
                        double c[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS],
                        const double a[RK_MODEL_NUMBERS], rk_model_set *set)
{
    double by[RK_MODEL_NUMBERS] = {0}, square = 0;
    int i, j;

    for (i = 0; i < n; i++) {
        for (j = 0; j < n; j++) {
            by[i] += c[i][j] * a[j];
        }
        square += a[i] * by[i];
    }
    for (i = 0; i < n; i++) {
        by[i] *= square > 0 ? sqrt(rki_chi_square95(n) / square) : 0.0;
    }
    set->model[set->count++] = moved(model, number, n, by);
}

static void add_region(const rk_model *model, const int *number, int n,
                       double c[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS], rk_model_set *set)
{
    double a[RK_MODEL_NUMBERS];
    int i, k, sign;

    set->model[set->count++] = *model;
    for (k = 0; k < n; k++) {
        for (sign = -1; sign <= 1; sign += 2) {
            for (i = 0; i < n; i++) {
                a[i] = i == k ? sign : 0.0;
            }
            add_extreme(model, number, n, c, a, set);
        }
    }
    for (k = 0; k < 1 << n; k++) {
        for (i = 0; i < n; i++) {
            const double deviation = sqrt(c[i][i]);

            a[i] = deviation > 0 ? ((k >> i) & 1 ? 1.0 : -1.0) / deviation : 0.0;
        }
        add_extreme(model, number, n, c, a, set);
    }
}

rk_status rk_model_set_from_covariance(const rk_model *model, const rk_covariance *covariance,
                                       rk_over over, rk_model_set *set, rk_diag *diag)
{
    double c[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS], l[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS];
    int number[RK_MODEL_NUMBERS], n, i, j;
    rk_model_set made = {.over = over, .count = 0};
    double largest = 0;
    bool known;
    rk_status status;

    rk_diag_clear(diag);
    if (model == NULL || covariance == NULL || set == NULL) return RK_ERR_ARG;
    status = rk_model_check(model, diag);
    if (status != RK_OK) return status;
    n = rk_model_kind_numbers(model->kind, number);
    known = !isnan(covariance->c[0][0]);
    for (i = 0; i < n; i++) {
        const bool sure = covariance->c[number[i]][number[i]] == 0;

        for (j = 0; j < n; j++) {
            c[i][j] = covariance->c[number[i]][number[j]];
            known = known && isfinite(c[i][j]) && (i != j || c[i][j] >= 0);
            known = known && (!sure || c[i][j] == 0); /* what is sure goes with nothing */
            largest = fmax(largest, c[i][j]);
        }
    }
    if (!known || largest == 0) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "how sure the model's numbers are is not known: fit a record and save "
            "the model, or say by how much it may be wrong");
    }
    if (over == RK_OVER_MEAN) {
        rki_cholesky(n, RK_MODEL_NUMBERS, c[0], l[0]);
        add_mean_points(model, number, n, l, &made);
    } else {
        add_region(model, number, n, c, &made);
    }
    *set = made;
    return RK_OK;
}

rk_status rk_model_set_from_part(const rk_model *model, double part, rk_over over,
                                 rk_model_set *set, rk_diag *diag)
{
    double l[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS] = {{0}}, by[RK_MODEL_NUMBERS] = {0};
    double size[RK_MODEL_NUMBERS];
    int number[RK_MODEL_NUMBERS], n, i, k;
    rk_model_set made = {.over = over, .count = 0};
    rk_status status;

    rk_diag_clear(diag);
    if (model == NULL || set == NULL) return RK_ERR_ARG;
    status = rk_model_check(model, diag);
    if (status != RK_OK) return status;
    if (!(part > 0 && part < 1)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a model wrong by %g %%: give above 0 and below 100 %%",
                           100.0 * part);
    }
    n = rk_model_kind_numbers(model->kind, number);
    for (i = 0; i < n; i++) {
        const double value[RK_MODEL_NUMBERS] = {
            model->gain, rk_model_is_process(model) ? 1.0 : model->time_constant[0],
            model->time_constant[1], model->damping, model->dead_time};

        size[i] = part * value[number[i]];
        l[i][i] = size[i] / sqrt(3.0); /* the deviation of what is equally likely within */
    }
    if (over == RK_OVER_MEAN) {
        add_mean_points(model, number, n, l, &made);
    } else {
        made.model[made.count++] = *model;
        for (k = 0; k < 1 << n; k++) {
            for (i = 0; i < n; i++) {
                by[i] = (k >> i) & 1 ? size[i] : -size[i];
            }
            made.model[made.count++] = moved(model, number, n, by);
        }
    }
    *set = made;
    return RK_OK;
}

void rk_model_set_take_process(rk_model_set *set, const rk_model *model,
                               const rk_model *process)
{
    const double own = rk_model_slowest(model);
    size_t i;

    for (i = 0; i < set->count; i++) {
        const rk_model m = set->model[i];
        const double slower = own > 0 && process->lags > 0 ? rk_model_slowest(&m) / own : 1.0;
        const double lags_behind = model->dead_time - process->dead_time; /* slower with them */
        rk_model *p = &set->model[i];

        *p = *process;
        p->gain *= m.gain / model->gain;
        scale_lags(p, slower);
        p->dead_time = fmax(process->dead_time + m.dead_time - model->dead_time -
                                ((slower - 1.0) * lags_behind),
                            0.0);
    }
}
