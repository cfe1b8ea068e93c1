/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

/* An integrator's record: OUT up, back, down, back. Balanced at `balance`, it starts from 40.
 */
static rk_record *drift_and_moves(const rk_model *model, double interval, double sigma,
                                  uint64_t seed)
{
    static const double out[] = {40, 45, 40, 35, 40};
    rk_record *record = NULL, *noisy = NULL;
    double pv[300];
    rng random = {seed};
    int i;

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    ck_assert_int_eq(rk_record_create(&noisy, NULL), RK_OK);
    for (i = 0; i < 300; i++) {
        ck_assert_int_eq(rk_record_add(record, i * interval, out[i / 60], 0, NULL), RK_OK);
    }
    ck_assert_int_eq(rk_model_response_compute(model, record, pv, NULL), RK_OK);
    for (i = 0; i < 300; i++) {
        ck_assert_int_eq(rk_record_add(noisy, i * interval, out[i / 60],
                                       pv[i] + (sigma * rng_normal(&random)), NULL),
                         RK_OK);
    }
    rk_record_free(record);
    return noisy;
}

static const struct {
    rk_model model;
    double interval;
} exact[] = {
    {{RK_MODEL_IPDT, 0.0145, {0, 0}, 0, 3.6, 40, 412}, 1},
    {{RK_MODEL_IPDT, -0.5, {0, 0}, 0, 0, 40, 0}, 1},
    {{RK_MODEL_IPDT, 0.5, {0, 0}, 0, 13.37, 41.5, 100}, 1}, /* not balanced at the start */
    {{RK_MODEL_IPDT, 2e-6, {0, 0}, 0, 500, 38, 1e3}, 100},
    {{RK_MODEL_IPDT, 800, {0, 0}, 0, 2.2e-4, 40, 1}, 1e-4},
};

START_TEST(without_noise_the_integrator_comes_back)
{
    const rk_model *m = &exact[_i].model;
    rk_record *record = drift_and_moves(m, exact[_i].interval, 0, 1);
    rk_diag diag = {RK_OK, ""};
    rk_fit fit;

    ck_assert_msg(rk_fit_compute_kind(record, RK_MODEL_IPDT, &fit, &diag) == RK_OK, "%s",
                  diag.text);
    ck_close(fit.model.gain, m->gain, 1e-6);
    ck_assert_double_eq_tol(fit.model.dead_time, m->dead_time, 1e-4 * exact[_i].interval);
    ck_close(fit.model.out0, m->out0, 1e-5);
    ck_assert_double_eq_tol(fit.model.pv0, m->pv0, 1e-6 * fmax(fabs(m->pv0), 1));
    ck_assert_double_gt(fit.fit_percent, 99.99);
    rk_record_free(record);
}
END_TEST

/* 95 % intervals hold in at least 177 of 200: fewer has a chance of 1 in 20,000. */
START_TEST(intervals_of_an_integrator_hold)
{
    const rk_model m = {RK_MODEL_IPDT, 0.0145, {0, 0}, 0, 3.6, 40.3, 412};
    int gain = 0, theta = 0, seed;

    for (seed = 1; seed <= 200; seed++) {
        rk_record *record = drift_and_moves(&m, 1, 0.1, (uint64_t)seed);
        rk_fit fit;

        ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_IPDT, &fit, NULL), RK_OK);
        gain += fit.gain95[0] <= m.gain && m.gain <= fit.gain95[1];
        theta += fit.dead_time95[0] <= m.dead_time && m.dead_time <= fit.dead_time95[1];
        rk_record_free(record);
    }
    ck_assert_int_ge(gain, 177);
    ck_assert_int_ge(theta, 177);
}
END_TEST

START_TEST(the_known_integrator_is_inside_the_intervals)
{
    rk_record *record = NULL;
    rk_fit fit;

    ck_assert_int_eq(
        rk_record_read(RK_SOURCE "/data/records/integrating.csv", NULL, &record, NULL, NULL),
        RK_OK);
    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_IPDT, &fit, NULL), RK_OK);
    ck_assert(fit.gain95[0] < 0.0145 && fit.gain95[1] > 0.0145);
    ck_assert(fit.dead_time95[0] < 3.6 && fit.dead_time95[1] > 3.6);
    ck_assert_double_eq_tol(fit.model.out0, 41, 0.05);
    ck_assert_int_eq((int)rk_fit_level(&fit), RK_LEVEL_NOTE);
    rk_record_free(record);
}
END_TEST

Suite *suite_fit_ipdt(void)
{
    Suite *suite = suite_create("design/fit_ipdt");
    TCase *t = tcase_create("fit_ipdt");
    TCase *many = tcase_create("statistics");

    add_table(t, without_noise_the_integrator_comes_back, exact);
    tcase_add_test(t, the_known_integrator_is_inside_the_intervals);
    /* Hundreds of runs that say nothing new under the sanitizers. */
    tcase_set_tags(many, "statistics");
    tcase_add_test(many, intervals_of_an_integrator_hold);
    suite_add_tcase(suite, many);
    suite_add_tcase(suite, t);
    return suite;
}
