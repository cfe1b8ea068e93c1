/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

/* Each kind, and a covariance of its numbers from deviations of 3 % and some correlation. */
static const rk_model spread_out[] = {
    {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
    {RK_MODEL_SOPDT, 1.5, {20, 8}, 0, 3.3, 40, 5},
    {RK_MODEL_SOPDT_OSC, 1, {6, 0}, 0.3, 0.4, 40, 5},
    {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4.2, 45, 100},
    {RK_MODEL_IPDT_LAG, 0.02, {5, 0}, 0, 1, 45, 100},
};

static void numbers_of(const rk_model *m, double value[RK_MODEL_NUMBERS])
{
    const double all[RK_MODEL_NUMBERS] = {m->gain, m->time_constant[0], m->time_constant[1],
                                          m->damping, m->dead_time};

    memcpy(value, all, sizeof all);
}

static void make_covariance(const rk_model *m, rk_covariance *covariance)
{
    double value[RK_MODEL_NUMBERS];
    int i, j;

    numbers_of(m, value);
    for (i = 0; i < RK_MODEL_NUMBERS; i++) {
        for (j = 0; j < RK_MODEL_NUMBERS; j++) {
            covariance->c[i][j] = 0.03 * 0.03 * value[i] * value[j] * (i == j ? 1.0 : 0.4);
        }
    }
}

/* Solve c x = d by elimination; c is spoilt. */
static void solve(int n, double c[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS], double *d)
{
    int i, j, k;

    for (k = 0; k < n; k++) {
        for (i = 0; i < n; i++) {
            const double part = c[i][k] / c[k][k];

            if (i == k) continue;
            for (j = k; j < n; j++) {
                c[i][j] -= part * c[k][j];
            }
            d[i] -= part * d[k];
        }
    }
    for (i = 0; i < n; i++) {
        d[i] /= c[i][i];
    }
}

/* (m - nominal)' c^-1 (m - nominal) */
static double distance(const rk_model *nominal, const rk_model *m,
                       const rk_covariance *covariance)
{
    double c[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS], at[RK_MODEL_NUMBERS], from[RK_MODEL_NUMBERS];
    double d[RK_MODEL_NUMBERS], x[RK_MODEL_NUMBERS], sum = 0;
    int number[RK_MODEL_NUMBERS], i, j;
    const int n = rk_model_kind_numbers(nominal->kind, number);

    numbers_of(m, at);
    numbers_of(nominal, from);
    for (i = 0; i < n; i++) {
        d[i] = x[i] = at[number[i]] - from[number[i]];
        for (j = 0; j < n; j++) {
            c[i][j] = covariance->c[number[i]][number[j]];
        }
    }
    solve(n, c, x);
    for (i = 0; i < n; i++) {
        sum += d[i] * x[i];
    }
    return sum;
}

/* 95 % of chi-square, from the tables. */
static const double chi[] = {0, 0, 5.991, 7.815, 9.488};

START_TEST(the_worst_are_on_the_edge_of_the_95_percent_region)
{
    const rk_model *m = &spread_out[_i];
    rk_covariance c;
    int number[RK_MODEL_NUMBERS];
    const int n = rk_model_kind_numbers(m->kind, number);
    rk_model_set s;
    size_t i;

    make_covariance(m, &c);
    ck_assert_int_eq(rk_model_set_from_covariance(m, &c, RK_OVER_WORST, &s, NULL), RK_OK);
    ck_assert_uint_eq(s.count, (size_t)(1 + (2 * n) + (1 << n)));
    ck_assert_double_eq(s.model[0].gain, m->gain);
    for (i = 1; i < s.count; i++) {
        ck_assert_int_eq(rk_model_check(&s.model[i], NULL), RK_OK);
        ck_close(distance(m, &s.model[i], &c), chi[n], 1e-9);
        ck_assert_double_eq(s.model[i].out0, m->out0);
    }
    /* the gain is greatest or least where it is alone in the sum */
    ck_close(fabs(s.model[1].gain - m->gain), sqrt(chi[n]) * 0.03 * fabs(m->gain), 1e-9);
}
END_TEST

START_TEST(the_mean_has_the_fits_mean_and_covariance)
{
    const rk_model *m = &spread_out[_i];
    double from[RK_MODEL_NUMBERS];
    rk_covariance c;
    int number[RK_MODEL_NUMBERS], a, b;
    const int n = rk_model_kind_numbers(m->kind, number);
    rk_model_set s;
    size_t i;

    make_covariance(m, &c);
    numbers_of(m, from);
    ck_assert_int_eq(rk_model_set_from_covariance(m, &c, RK_OVER_MEAN, &s, NULL), RK_OK);
    ck_assert_uint_eq(s.count, (size_t)(2 * n));
    for (a = 0; a < n; a++) {
        for (b = 0; b < n; b++) {
            const int ia = number[a], ib = number[b];
            double mean = 0, product = 0;

            for (i = 0; i < s.count; i++) {
                double at[RK_MODEL_NUMBERS];

                numbers_of(&s.model[i], at);
                mean += at[ia] / (double)s.count;
                product += (at[ia] - from[ia]) * (at[ib] - from[ib]) / (double)s.count;
            }
            ck_close(mean, from[ia], 1e-12);
            ck_close(product, c.c[ia][ib], 1e-9);
        }
    }
}
END_TEST

START_TEST(a_box_has_all_its_corners)
{
    const rk_model m = fopdt(2, 10, 4);
    rk_model_set s;
    size_t i, k;

    ck_assert_int_eq(rk_model_set_from_part(&m, 0.2, RK_OVER_WORST, &s, NULL), RK_OK);
    ck_assert_uint_eq(s.count, 9);
    for (i = 1; i < 9; i++) {
        ck_close(fabs(s.model[i].gain - 2), 0.4, 1e-12);
        ck_close(fabs(s.model[i].time_constant[0] - 10), 2, 1e-12);
        ck_close(fabs(s.model[i].dead_time - 4), 0.8, 1e-12);
        for (k = 1; k < i; k++) {
            ck_assert(s.model[i].gain != s.model[k].gain ||
                      s.model[i].time_constant[0] != s.model[k].time_constant[0] ||
                      s.model[i].dead_time != s.model[k].dead_time);
        }
    }
    ck_assert_int_eq(rk_model_set_from_part(&m, 0.3, RK_OVER_MEAN, &s, NULL), RK_OK);
    ck_assert_uint_eq(s.count, 6);
    ck_close(s.model[0].gain, 2 - (2 * 0.3), 1e-12); /* sqrt(3) deviations of part / sqrt(3) */
}
END_TEST

/* Numbers that a fit is quite unsure of stay in their ranges. */
START_TEST(an_unsure_model_stays_a_model)
{
    const rk_model *m = &spread_out[_i];
    rk_covariance c;
    rk_model_set s;
    size_t i;
    int a, b, over;

    make_covariance(m, &c);
    for (a = 0; a < RK_MODEL_NUMBERS; a++) {
        for (b = 0; b < RK_MODEL_NUMBERS; b++) {
            c.c[a][b] *= 1000;
        }
    }
    for (over = 0; over < 2; over++) {
        ck_assert_int_eq(rk_model_set_from_covariance(m, &c, (rk_over)over, &s, NULL), RK_OK);
        for (i = 0; i < s.count; i++) {
            ck_assert_int_eq(rk_model_check(&s.model[i], NULL), RK_OK);
            ck_assert(s.model[i].gain * m->gain > 0);
        }
    }
}
END_TEST

START_TEST(what_is_not_known_is_refused)
{
    rk_covariance c;
    const rk_model m = spread_out[0];
    rk_over over;
    rk_model_set s;
    int i;

    make_covariance(&m, &c);
    ck_assert_int_eq(rk_model_set_from_covariance(NULL, &c, RK_OVER_MEAN, &s, NULL),
                     RK_ERR_ARG);
    ck_assert_int_eq(rk_model_set_from_part(&m, 0.1, RK_OVER_MEAN, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_model_set_from_part(&m, 0, RK_OVER_MEAN, &s, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_model_set_from_part(&m, 1, RK_OVER_MEAN, &s, NULL), RK_ERR_RANGE);
    c.c[0][0] = 0; /* and yet it is said to go with the others */
    ck_assert_int_eq(rk_model_set_from_covariance(&m, &c, RK_OVER_MEAN, &s, NULL),
                     RK_ERR_RANGE);
    c.c[0][0] = QNAN;
    ck_assert_int_eq(rk_model_set_from_covariance(&m, &c, RK_OVER_MEAN, &s, NULL),
                     RK_ERR_RANGE);
    for (i = 0; i < 2; i++) {
        ck_assert_int_eq(rk_over_from_text(rk_over_to_text((rk_over)i), &over, NULL), RK_OK);
        ck_assert_int_eq(over, i);
    }
    ck_assert_int_eq(rk_over_from_text("best", &over, NULL), RK_ERR_RANGE);
}
END_TEST

Suite *suite_model_set(void)
{
    Suite *suite = suite_create("design/loop/model_set");
    TCase *t = tcase_create("spread");

    add_table(t, the_worst_are_on_the_edge_of_the_95_percent_region, spread_out);
    add_table(t, the_mean_has_the_fits_mean_and_covariance, spread_out);
    add_table(t, an_unsure_model_stays_a_model, spread_out);
    tcase_add_test(t, a_box_has_all_its_corners);
    tcase_add_test(t, what_is_not_known_is_refused);
    suite_add_tcase(suite, t);
    return suite;
}
