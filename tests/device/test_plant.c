/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../support/support.h"

enum { MEMORY = 2000 };

/* Dead time and scan: whole, fractional, shorter than a scan, none, and 0.3 / 0.1. */
static const struct {
    double tau, theta, ts;
    size_t delay;
} plants[] = {
    {10, 0, 1, 0},      {10, 5, 1, 5},      {10, 5.4, 1, 5},  {10, 0.4, 1, 0},
    {10, 0.3, 0.1, 3},  {10, 20, 0.8, 25},  {0.2, 7.3, 1, 7}, {46.5, 17.4, 0.25, 69},
    {1e-3, 0.05, 1, 0}, {1e6, 100, 1, 100},
};

static rk_plant make_plant(int row, double *memory)
{
    rk_model model = fopdt(-2.5, plants[row].tau, plants[row].theta);
    rk_plant_params params;
    rk_plant plant;

    model.out0 = 40;
    model.pv0 = 7;
    ck_assert_int_eq(rk_plant_params_from_model(&model, plants[row].ts, &params, NULL), RK_OK);
    ck_assert_uint_eq(params.delay, plants[row].delay);
    ck_assert_int_eq(rk_plant_init(&plant, &params, memory, MEMORY, 40), RK_OK);
    return plant;
}

static double step_response(int row, double t)
{
    const double lag = t - plants[row].theta;

    return lag > 0 ? -2.5 * (1.0 - exp(-lag / plants[row].tau)) : 0.0;
}

START_TEST(step_response_is_the_closed_form_at_every_scan)
{
    double memory[MEMORY];
    rk_plant plant = make_plant(_i, memory);
    int k;

    for (k = 1; k <= 400; k++) {
        const double pv = rk_plant_scan(&plant, 41);
        const double wanted = 7.0 + step_response(_i, k * plants[_i].ts);

        /* A sum of k terms of a geometric series, each rounded. */
        ck_assert_double_eq_tol(pv, wanted, 1e-12);
        ck_assert_double_eq(pv, rk_plant_pv(&plant));
    }
}
END_TEST

START_TEST(moves_add_up)
{
    double memory[MEMORY], size[60];
    rk_plant plant = make_plant(_i, memory);
    rng r = {77};
    int k, m;

    for (k = 0; k < 60; k++) {
        size[k] = rng_normal(&r);
    }
    for (k = 0; k < 60; k++) {
        double wanted = 7.0, out = 40.0;

        for (m = 0; m <= k; m++) {
            wanted += size[m] * step_response(_i, (k + 1 - m) * plants[_i].ts);
            out += size[m];
        }
        ck_assert_double_eq_tol(rk_plant_scan(&plant, out), wanted, 1e-10);
    }
}
END_TEST

START_TEST(it_starts_at_rest_wherever_out_stands)
{
    double memory[MEMORY];
    rk_plant plant = make_plant(_i, memory);
    const rk_plant_params params = plant.params;
    int k;

    ck_assert_int_eq(rk_plant_init(&plant, &params, memory, params.delay + 1, 44), RK_OK);
    for (k = 0; k < 50; k++) {
        ck_assert_double_eq_tol(rk_plant_scan(&plant, 44), -3.0, 1e-9);
    }
}
END_TEST

START_TEST(a_bad_output_repeats_the_last)
{
    double memory[MEMORY], other[MEMORY];
    rk_plant a = make_plant(1, memory), b = make_plant(1, other);
    int k;

    for (k = 0; k < 40; k++) {
        ck_assert_double_eq(rk_plant_scan(&a, k < 5 ? 45 : QNAN), rk_plant_scan(&b, 45));
    }
}
END_TEST

START_TEST(init_refuses_what_is_out_of_range)
{
    double memory[4];
    const rk_plant_params good = {0.9, 0.1, 0.1, 3, 0, 0};
    const rk_plant_params bad[] = {
        {1.0, 0.1, 0.1, 3, 0, 0},        {-0.1, 0.1, 0.1, 3, 0, 0},
        {QNAN, 0.1, 0.1, 3, 0, 0},       {0.9, QNAN, 0.1, 3, 0, 0},
        {0.9, 0.1, HUGE_VAL, 3, 0, 0},   {0.9, 0.1, 0.1, 3, QNAN, 0},
        {0.9, 0.1, 0.1, 3, 0, HUGE_VAL},
    };
    rk_plant plant;
    size_t i;

    for (i = 0; i < COUNT(bad); i++) {
        ck_assert_int_eq(rk_plant_init(&plant, &bad[i], memory, 4, 0), RK_ERR_RANGE);
    }
    ck_assert_int_eq(rk_plant_init(&plant, &good, memory, 4, QNAN), RK_ERR_RANGE);
    ck_assert_int_eq(rk_plant_init(&plant, &good, memory, 3, 0), RK_ERR_MEMORY);
    ck_assert_int_eq(rk_plant_init(&plant, &good, NULL, 4, 0), RK_ERR_ARG);
    ck_assert_int_eq(rk_plant_init(NULL, &good, memory, 4, 0), RK_ERR_ARG);
    ck_assert_int_eq(rk_plant_init(&plant, &good, memory, 4, 0), RK_OK);
}
END_TEST

static const struct {
    double gain, tau, theta, ts;
    const char *says;
} refused[] = {
    {0, 1, 1, 1, "gain"},
    {QNAN, 1, 1, 1, "gain"},
    {1, 0, 1, 1, "time constant"},
    {1, -4, 1, 1, "time constant"},
    {1, HUGE_VAL, 1, 1, "time constant"},
    {1, 1, -1, 1, "dead time"},
    {1, 1, QNAN, 1, "dead time"},
    {1, 1, 1, 0, "scan"},
    {1, 1, 1, QNAN, "scan"},
    {1, 1, 1, -2, "scan"},
    {1, 1, 1e9, 1, "at most"},
};

START_TEST(sampling_a_model_says_what_is_wrong)
{
    const rk_model model = fopdt(refused[_i].gain, refused[_i].tau, refused[_i].theta);
    rk_diag diag = {RK_OK, ""};
    rk_plant_params params;

    ck_assert_int_eq(rk_plant_params_from_model(&model, refused[_i].ts, &params, &diag),
                     RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, refused[_i].says) != NULL, "'%s' says nothing of %s",
                  diag.text, refused[_i].says);
}
END_TEST

Suite *suite_plant(void)
{
    Suite *suite = suite_create("device/plant");
    TCase *t = tcase_create("plant");

    add_table(t, step_response_is_the_closed_form_at_every_scan, plants);
    add_table(t, moves_add_up, plants);
    add_table(t, it_starts_at_rest_wherever_out_stands, plants);
    tcase_add_test(t, a_bad_output_repeats_the_last);
    tcase_add_test(t, init_refuses_what_is_out_of_range);
    add_table(t, sampling_a_model_says_what_is_wrong, refused);
    suite_add_tcase(suite, t);
    return suite;
}
