/* SPDX-License-Identifier: MIT */
/* Many records of one regime: how often the intervals hold, and what is claimed that is not there;
   and records far longer than their process. */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

/* One regime: a process off rest at the first row, or not, its noise white or not. */
static const struct {
    const char *fact;
    rk_model m;
    double interval, noise, ar, off_rest;
    int rows, from, to;   /* OUT is moved in between */
    double load, load_at; /* a step at the plant's input, out-EU, and when, s */
    int tau_least;        /* of 60 intervals of the time constant that must hold; 0: 52 */
} regimes[] = {
    {"at rest",
     {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     1,
     0.008,
     0,
     0,
     600,
     150,
     400},
    {"off rest",
     {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     1,
     0.008,
     0,
     0.2,
     600,
     150,
     400},
    {"off rest, a slow test",
     {RK_MODEL_FOPDT, 0.8, {300, 0}, 0, 60, 42, 60},
     10,
     0.05,
     0,
     -3,
     400,
     90,
     240},
    /* A load's own time is taken as known once it is found: next to the move that costs coverage. */
    {"a load right behind the move",
     {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     1,
     0.008,
     0,
     0,
     600,
     60,
     330,
     3,
     80,
     46},
    {"the other way",
     {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     1,
     0.008,
     0,
     0,
     600,
     60,
     330,
     -2,
     80,
     0},
    {"a small one later",
     {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     1,
     0.008,
     0,
     0,
     600,
     60,
     330,
     1,
     200,
     0},
    {"one before the move",
     {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     1,
     0.008,
     0,
     0,
     600,
     60,
     330,
     3,
     30,
     0},
};

enum { RECORDS = 60, ROWS_MOST = 70000 };

static rk_record *make(const rk_model *m, double interval, int rows, int from, int to,
                       double noise, double ar, double off_rest, double load, double load_at,
                       uint64_t seed)
{
    static double pv[ROWS_MOST], loaded[ROWS_MOST];
    rk_record *still = NULL, *record = NULL, *loads = NULL;
    rk_model plain = *m;
    rng r = {seed};
    double e = noise * rng_normal(&r);
    int i;

    ck_assert_int_le(rows, ROWS_MOST);
    ck_assert_int_eq(rk_record_create(&still, NULL), RK_OK);
    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < rows; i++) {
        ck_assert_int_eq(
            rk_record_add(still, i * interval, i >= from && i < to ? 47 : 42, 0, NULL), RK_OK);
    }
    ck_assert_int_eq(rk_model_response_compute(m, still, pv, NULL), RK_OK);
    ck_assert_int_eq(rk_record_create(&loads, NULL), RK_OK);
    for (i = 0; i < rows; i++) {
        ck_assert_int_eq(
            rk_record_add(loads, i * interval, i * interval >= load_at ? load : 0, 0, NULL),
            RK_OK);
    }
    plain.out0 = plain.pv0 = 0;
    ck_assert_int_eq(rk_model_response_compute(&plain, loads, loaded, NULL), RK_OK);
    rk_record_free(loads);
    for (i = 0; i < rows; i++) {
        const double start =
            off_rest == 0 ? 0 : off_rest * exp(-i * interval / m->time_constant[0]);

        ck_assert_int_eq(rk_record_add(record, i * interval, rk_record_out(still)[i],
                                       pv[i] + loaded[i] + start + e, NULL),
                         RK_OK);
        e = (ar * e) + (noise * sqrt(1 - (ar * ar)) * rng_normal(&r));
    }
    rk_record_free(still);
    return record;
}

static bool holds(const double interval[2], double truth)
{
    return interval[0] <= truth && truth <= interval[1];
}

START_TEST(intervals_hold_and_nothing_is_claimed_that_is_not_there)
{
    const rk_fit_plan plan = rk_fit_plan_make();
    const rk_model *m = &regimes[_i].m;
    const int tau_least = regimes[_i].tau_least > 0 ? regimes[_i].tau_least : 52;
    int gain = 0, tau = 0, theta = 0, kind = 0, false_extras = 0, off_rest = 0, load = 0, k;

    for (k = 0; k < RECORDS; k++) {
        rk_record *record =
            make(m, regimes[_i].interval, regimes[_i].rows, regimes[_i].from, regimes[_i].to,
                 regimes[_i].noise, regimes[_i].ar, regimes[_i].off_rest, regimes[_i].load,
                 regimes[_i].load_at, 1000U + (uint64_t)k);
        rk_fit fit;

        ck_assert_int_eq(rk_fit_compute(record, &plan, &fit, NULL), RK_OK);
        kind += fit.model.kind == m->kind;
        gain += holds(fit.gain95, m->gain);
        tau += holds(fit.tau95[0], m->time_constant[0]);
        theta += holds(fit.dead_time95, m->dead_time);
        off_rest += fit.initial != 0;
        load += fit.load * regimes[_i].load > 0;
        false_extras += fit.drift != 0 || (fit.load != 0 && regimes[_i].load == 0) ||
                        (fit.initial != 0 && regimes[_i].off_rest == 0);
        rk_record_free(record);
    }
    ck_assert_int_ge(kind, RECORDS - 3);
    ck_assert_int_le(false_extras, 3);
    ck_assert_int_ge(gain, 52); /* three deviations below 95 % */
    ck_assert_int_ge(tau, tau_least);
    ck_assert_int_ge(theta, 52);
    ck_assert(regimes[_i].off_rest == 0 || off_rest >= RECORDS - 3);
    ck_assert(regimes[_i].load == 0 || load >= RECORDS - 3);
}
END_TEST

/* A day around one move: the numbers are those that the move alone gives. */
static const struct {
    rk_model m;
    double noise, ar;
} days[] = {
    {{RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8}, 0.008, 0},
    {{RK_MODEL_FOPDT, -0.118, {3, 0}, 0, 17.4, 42, 11.8}, 0.008, 0.8},
    {{RK_MODEL_SOPDT, 2, {60, 25}, 0, 12, 42, 50}, 0.1, 0.6},
    {{RK_MODEL_SOPDT_OSC, 2, {20, 0}, 0.4, 12, 42, 50}, 0.1, 0.6},
    {{RK_MODEL_IPDT, 0.002, {0, 0}, 0, 9, 42, 400}, 0.2, 0},
};

START_TEST(a_record_far_longer_than_its_process_is_fitted_all_the_same)
{
    const rk_model *m = &days[_i].m;
    rk_record *day =
        make(m, 1, ROWS_MOST, 30000, 30900, days[_i].noise, days[_i].ar, 0, 0, 0, 77);
    rk_fit_plan plan = rk_fit_plan_make();
    rk_fit whole, part;

    plan.any_kind = false;
    plan.kind = m->kind;
    ck_assert_int_eq(rk_fit_compute(day, &plan, &whole, NULL), RK_OK);
    plan.from = 28000;
    plan.to = 34000;
    ck_assert_int_eq(rk_fit_compute(day, &plan, &part, NULL), RK_OK);
    ck_assert_double_eq_tol(whole.model.gain, m->gain, fabs(whole.gain95[1] - whole.gain95[0]));
    ck_assert_double_eq_tol(whole.model.dead_time, m->dead_time,
                            whole.dead_time95[1] - whole.dead_time95[0]);
    ck_assert_double_eq_tol(whole.model.gain, part.model.gain, part.gain95[1] - part.gain95[0]);
    if (rk_model_kind_times(m->kind) > 0) {
        ck_assert_double_eq_tol(whole.model.time_constant[0], m->time_constant[0],
                                whole.tau95[0][1] - whole.tau95[0][0]);
        /* What surrounds the move tells nothing of the times: they are as well known without. */
        ck_close(whole.tau95[0][1] - whole.tau95[0][0], part.tau95[0][1] - part.tau95[0][0],
                 0.25);
    }
    ck_assert(whole.drift == 0 && whole.load == 0);
    rk_record_free(day);
}
END_TEST

Suite *suite_fit_regimes(void)
{
    Suite *suite = suite_create("design/fit regimes");
    TCase *many = tcase_create("many records"), *t = tcase_create("long records");

    tcase_set_tags(many, "statistics");
    tcase_set_timeout(many, 120);
    add_table(many, intervals_hold_and_nothing_is_claimed_that_is_not_there, regimes);
    tcase_set_tags(t, "statistics");
    tcase_set_timeout(t, 60);
    add_table(t, a_record_far_longer_than_its_process_is_fitted_all_the_same, days);
    suite_add_tcase(suite, many);
    suite_add_tcase(suite, t);
    return suite;
}
