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
    const rk_plant_params good = {{{0.9, 0}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, 0};
    const rk_plant_params bad[] = {
        {{{1.0000001, 0}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, 0},
        {{{-1, 0}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, 0},
        {{{1, 1}, {-1, 1}}, {0.1, 0}, {0.1, 0}, 3, 0, 0}, /* a growing oscillation */
        {{{QNAN, 0}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, 0},
        {{{0.9, QNAN}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, 0},
        {{{0.9, HUGE_VAL}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, 0},
        {{{0.9, 0}, {0, 0}}, {QNAN, 0}, {0.1, 0}, 3, 0, 0},
        {{{0.9, 0}, {0, 0}}, {0.1, 0}, {0.1, HUGE_VAL}, 3, 0, 0},
        {{{0.9, 0}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, QNAN, 0},
        {{{0.9, 0}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, HUGE_VAL},
        {{{0.9, 0}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, 0, -1},
        {{{0.9, 0}, {0, 0}}, {0.1, 0}, {0.1, 0}, 3, 0, 0, RK_PLANT_STATES + 1},
        {{{0.9, 0}, {0, 0.5}, {0, 0, 1}}, {0.1, 0}, {0.1, 0}, 3, 0, 0, 3}, /* not the first */
        {{{1.01, 0}, {0, 0.5}, {0, 0, 0.5}}, {0.1, 0}, {0.1, 0}, 3, 0, 0, 3},
        {{{0.9, 0}, {0, 0.5}, {0, 0, -1}}, {0.1, 0}, {0.1, 0}, 3, 0, 0, 3},
        {{{0.9, 0}, {0.1, 0.5}, {0, 0, 0.5}}, {0.1, 0}, {0.1, 0}, 3, 0, 0, 3}, /* no chain */
        {{{0.9, 0, QNAN}, {0, 0.5}, {0, 0, 0.5}}, {0.1, 0}, {0.1, 0}, 3, 0, 0, 3},
        {{{0.9, 0}, {0, 0.5}, {0, 0, 0.5}}, {0.1, 0, QNAN}, {0.1, 0}, 3, 0, 0, 3},
    };
    const rk_plant_params chain = {
        {{1, 0.1, 0.2}, {0, 0.5, 0.3}, {0, 0, 0.5}}, {0.1, 0, 0.2}, {0.1, 0}, 3, 0, 0, 3};
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
    ck_assert_int_eq(rk_plant_init(&plant, &chain, memory, 4, 0), RK_OK);
}
END_TEST

/* Step responses of unit gain, dead time aside: h s after the step. */
static double two_lags(const rk_model *m, double h)
{
    const double a = m->time_constant[0], b = m->time_constant[1];

    if (a == b) return 1.0 - ((1.0 + (h / a)) * exp(-h / a));
    return 1.0 - (((a * exp(-h / a)) - (b * exp(-h / b))) / (a - b));
}

static double underdamped(const rk_model *m, double h)
{
    const double t = h / m->time_constant[0], w = sqrt(1.0 - (m->damping * m->damping));

    return 1.0 - (exp(-m->damping * t) * (cos(w * t) + (m->damping / w * sin(w * t))));
}

static double integrator(const rk_model *m, double h)
{
    (void)m;
    return h;
}

static double integrator_and_lag(const rk_model *m, double h)
{
    return h + (m->time_constant[0] * expm1(-h / m->time_constant[0]));
}

static const struct {
    rk_model model;
    double ts;
    double (*response)(const rk_model *m, double h);
} kinds[] = {
    {{RK_MODEL_SOPDT, -0.19, {160, 62}, 0, 24, 30, 24.2}, 5, two_lags},
    {{RK_MODEL_SOPDT, -0.19, {62, 160}, 0, 24, 30, 24.2}, 5, two_lags},
    {{RK_MODEL_SOPDT, 2, {10, 10}, 0, 3.3, 0, 0}, 1, two_lags},
    {{RK_MODEL_SOPDT, 2, {10, 0.02}, 0, 3.3, 0, 0}, 1, two_lags},
    {{RK_MODEL_SOPDT_OSC, 1.5, {8, 0}, 0.3, 2.7, 10, 5}, 0.5, underdamped},
    {{RK_MODEL_SOPDT_OSC, 1.5, {2, 0}, 0.9, 0.4, 10, 5}, 1, underdamped},
    {{RK_MODEL_IPDT, 0.0145, {0, 0}, 0, 3.6, 41, 412}, 1, integrator},
    {{RK_MODEL_IPDT, -0.5, {0, 0}, 0, 0, 0, 0}, 0.25, integrator},
    {{RK_MODEL_IPDT_LAG, 0.02, {12, 0}, 0, 1.9, 41, 412}, 1, integrator_and_lag},
};

/* 160 scans with a move every 40, the first on the second scan. */
static double staircase(int k)
{
    static const double level[] = {0, 3, -2, 0, 4};

    return level[(k + 39) / 40];
}

START_TEST(every_kind_answers_moves_as_its_closed_form)
{
    const rk_model *m = &kinds[_i].model;
    double memory[MEMORY], over_record[161];
    rk_record *record = NULL;
    rk_plant_params params;
    rk_plant plant;
    int k, i;

    ck_assert_int_eq(rk_plant_params_from_model(m, kinds[_i].ts, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &params, memory, MEMORY, m->out0), RK_OK);
    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (k = 0; k <= 160; k++) {
        const double out = m->out0 + staircase(k);

        ck_assert_int_eq(rk_record_add(record, k * kinds[_i].ts, out, 0, NULL), RK_OK);
    }
    ck_assert_int_eq(rk_model_response_compute(m, record, over_record, NULL), RK_OK);
    for (k = 0; k < 160; k++) {
        const double now = (k + 1) * kinds[_i].ts;
        double wanted = m->pv0;

        for (i = 1; i <= k; i++) {
            const double since = now - (i * kinds[_i].ts) - m->dead_time;
            const double size = staircase(i) - staircase(i - 1);

            if (size != 0 && since > 0) {
                wanted += m->gain * size * kinds[_i].response(m, since);
            }
        }
        /* Rounding of 160 scans in numbers up to 500. */
        ck_assert_double_eq_tol(rk_plant_scan(&plant, m->out0 + staircase(k)), wanted, 1e-10);
        ck_assert_double_eq_tol(over_record[k + 1], wanted, 1e-10);
    }
    rk_record_free(record);
}
END_TEST

/* How long a scan is beside the time constant: from nothing to all of it and beyond what a number holds. */
static const double scans_to_lags[] = {1e-9, 1e-4, 0.02, 0.3, 0.35, 0.7, 1,
                                       2.5,  14,   40,   300, 740,  760};

static void near(double got, long double wanted, const char *what)
{
    const long double allowed =
        4.0L * 2.3e-16L * fmaxl(fabsl(wanted), 1e-300L); /* a few roundings */

    ck_assert_msg(fabsl((long double)got - wanted) <= allowed, "%s is %.17g, not %.17Lg", what,
                  got, wanted);
}

/* Held against the C library's functions in longer arithmetic: no digit is lost at either end. */
START_TEST(a_sampled_lag_has_all_its_digits)
{
    const long double x = -(long double)scans_to_lags[_i];
    const rk_model lag = {RK_MODEL_FOPDT, 3, {50, 0}, 0, 0, 0, 0};
    const rk_model swing = {RK_MODEL_SOPDT_OSC, 3, {50, 0}, 0.1, 0, 0, 0};
    const long double w = sqrtl(0.99L), fade = expl(0.1L * x), sine = sinl(-x * w) * fade / w;
    rk_plant_params p;

    ck_assert_int_eq(rk_plant_params_from_model(&lag, 50 * scans_to_lags[_i], &p, NULL), RK_OK);
    if (x > -700) near(p.a[0][0], expl(x), "what a scan leaves");
    if (x < -750) ck_assert(p.a[0][0] == 0);
    near(p.b0[0], -3 * expm1l(x), "what a scan adds");
    ck_assert_int_eq(rk_plant_params_from_model(&swing, 50 * scans_to_lags[_i], &p, NULL),
                     RK_OK);
    /* The angle is rounded once, so that the whole is off by that much of it. */
    ck_assert_double_eq_tol(p.a[0][1], (double)sine, 4e-16 * (double)(1 - (x * fade)));
    ck_assert_double_eq_tol(p.a[0][0], (double)((cosl(-x * w) * fade) + (0.1L * sine)),
                            4e-16 * (double)(1 - (x * fade)));
}
END_TEST

START_TEST(an_integrator_starts_where_it_stands_and_moves_on)
{
    const rk_model model = {RK_MODEL_IPDT, 0.5, {0, 0}, 0, 2, 40, 100};
    const rk_model lagged = {RK_MODEL_IPDT_LAG, 0.5, {7, 0}, 0, 2, 40, 100};
    rk_plant_params params;
    double memory[8];
    rk_plant plant;
    int k;

    /* 4 off balance: 2 pv-EU per second from the first scan on. */
    ck_assert_int_eq(rk_plant_params_from_model(&model, 1, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &params, memory, 8, 44), RK_OK);
    ck_assert_double_eq(rk_plant_pv(&plant), 100);
    for (k = 1; k <= 10; k++) {
        ck_assert_double_eq_tol(rk_plant_scan(&plant, 44), 100 + (2.0 * k), 1e-12);
    }
    ck_assert_int_eq(rk_plant_params_from_model(&lagged, 1, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &params, memory, 8, 44), RK_OK);
    for (k = 1; k <= 10; k++) {
        ck_assert_double_eq_tol(rk_plant_scan(&plant, 44), 100 + (2.0 * k), 1e-12);
    }
}
END_TEST

static const struct {
    rk_model model;
    const char *says;
} not_a_model[] = {
    {{RK_MODEL_SOPDT, 1, {10, 0}, 0, 1, 0, 0}, "second time constant"},
    {{RK_MODEL_FOPDT, 1, {10, 5}, 0, 1, 0, 0}, "a fopdt model has one"},
    {{RK_MODEL_IPDT, 1, {10, 0}, 0, 1, 0, 0}, "an ipdt model has no"},
    {{RK_MODEL_IPDT_LAG, 1, {0, 0}, 0, 1, 0, 0}, "time constant"},
    {{RK_MODEL_SOPDT_OSC, 1, {10, 0}, 0, 1, 0, 0}, "damping 0"},
    {{RK_MODEL_SOPDT_OSC, 1, {10, 0}, 1, 1, 0, 0}, "two lags"},
    {{RK_MODEL_SOPDT_OSC, 1, {10, 0}, QNAN, 1, 0, 0}, "damping"},
    {{RK_MODEL_FOPDT, 1, {10, 0}, 0.5, 1, 0, 0}, "belongs to kind sopdt-osc"},
};

START_TEST(numbers_that_do_not_fit_the_kind_are_refused)
{
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_model_check(&not_a_model[_i].model, &diag), RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, not_a_model[_i].says) != NULL, "'%s' says nothing of %s",
                  diag.text, not_a_model[_i].says);
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
    add_table(t, every_kind_answers_moves_as_its_closed_form, kinds);
    add_table(t, a_sampled_lag_has_all_its_digits, scans_to_lags);
    tcase_add_test(t, an_integrator_starts_where_it_stands_and_moves_on);
    add_table(t, numbers_that_do_not_fit_the_kind_are_refused, not_a_model);
    add_table(t, sampling_a_model_says_what_is_wrong, refused);
    suite_add_tcase(suite, t);
    return suite;
}
