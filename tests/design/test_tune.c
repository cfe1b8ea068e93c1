/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../support/support.h"

static rk_tuning tuned(const char *name, const rk_model *model, double lambda)
{
    rk_tuning t;
    int rule;

    ck_assert_int_eq(rk_rule_from_name(name, &rule, NULL), RK_OK);
    ck_assert_int_eq(rk_tune(model, rule, lambda, &t, NULL), RK_OK);
    return t;
}

/* The published formulas, worked by hand. */
static const struct {
    const char *fact, *rule;
    double gain, tau, theta, lambda, kc, ti;
} rules[] = {
    {"simple is one over the gain", "simple", 2, 10, 1, 0, 0.5, 10},
    {"lambda", "lambda", 2, 10, 2, 6, 0.625, 10},
    {"lambda without dead time", "lambda", 4, 10, 0, 5, 0.5, 10},
    {"lambda leaves ti at tau on a slow lag", "lambda", 2, 100, 2, 2, 12.5, 100},
    {"a balanced plant keeps ti at tau", "simc", 2, 10, 2, 2, 1.25, 10},
    {"a lag-dominant plant has ti capped", "simc", 2, 100, 2, 2, 12.5, 16},
    {"a negative gain gives a negative kc", "simc", -2, 10, 2, 2, -1.25, 10},
    {"simc, four lags of 1 by the half rule", "simc", 1, 1.5, 2.5, 2.5, 0.30, 1.5},
    {"simc, lags 1, 0.2, 0.04, 0.008 by the half rule", "simc", 1, 1.1, 0.148, 0.148,
     3.7162162162, 1.1},
    {"the default lambda is the dead time", "simc", 2, 10, 4, 0, 0.625, 10},
    {"but at least a tenth of the time constant", "simc", 2, 10, 0.5, 0, 10.0 / 3.0, 6},
};

START_TEST(rule_gives_what_its_formula_says)
{
    const rk_model model = fopdt(rules[_i].gain, rules[_i].tau, rules[_i].theta);
    const rk_tuning t = tuned(rules[_i].rule, &model, rules[_i].lambda);

    ck_close(t.settings.kc, rules[_i].kc, 1e-9);
    ck_close(t.settings.ti, rules[_i].ti, 1e-9);
    ck_assert_double_eq(t.settings.td, 0);
    ck_assert_str_eq(t.mode, "PI");
    ck_assert_str_eq(t.rule, rules[_i].rule);
    ck_assert_uint_gt(strlen(t.source), 20);
}
END_TEST

START_TEST(simple_rule_says_where_it_is_out_of_range)
{
    const rk_model fine = fopdt(1, 10, 5), poor = fopdt(1, 10, 6),
                   hopeless = fopdt(1, 10, 15.8);
    const rk_tuning t = tuned("simple", &hopeless, 0);
    rk_margins m;

    ck_assert(tuned("simple", &fine, 0).in_range);
    ck_assert(!tuned("simple", &poor, 0).in_range);
    ck_assert(!t.in_range);
    ck_assert_ptr_nonnull(strstr(t.note, "unstable"));
    ck_assert_int_eq(rk_margins_check(&hopeless, &t.settings, &m, NULL), RK_OK);
    ck_assert(!m.stable); /* theta/tau beyond pi/2 */
}
END_TEST

/* lambda + theta = tau makes the lambda rule the simple one. */
START_TEST(simple_is_the_lambda_rule_at_one_lambda)
{
    const rk_model model = fopdt(-3, 20, 6);

    ck_close(tuned("simple", &model, 0).settings.kc, tuned("lambda", &model, 14).settings.kc,
             1e-12);
}
END_TEST

START_TEST(every_rule_has_a_name_and_a_source)
{
    int i, back;

    ck_assert_int_ge(rk_rule_count(), 3);
    for (i = 0; i < rk_rule_count(); i++) {
        ck_assert_int_eq(rk_rule_from_name(rk_rule_name(i), &back, NULL), RK_OK);
        ck_assert_int_eq(back, i);
        ck_assert_uint_gt(strlen(rk_rule_source(i)), 20);
    }
    ck_assert_str_eq(rk_rule_name(-1), "unknown");
    ck_assert_str_eq(rk_rule_source(99), "unknown");
}
END_TEST

START_TEST(bad_arguments_are_refused)
{
    const rk_model good = fopdt(1, 1, 1), bad = fopdt(0, 1, 1);
    rk_diag diag = {RK_OK, ""};
    rk_tuning t;
    int rule;

    ck_assert_int_eq(rk_tune(NULL, 0, 1, &t, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_tune(&good, 0, 1, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_tune(&good, 99, 1, &t, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_tune(&bad, 0, 1, &t, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_tune(&good, 0, -1, &t, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_tune(&good, 0, QNAN, &t, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_rule_from_name("gut feeling", &rule, &diag), RK_ERR_RANGE);
    ck_assert_str_eq(diag.text, "unknown rule 'gut feeling'; known: simple, lambda, simc");
    ck_assert_int_eq(rk_rule_from_name(NULL, &rule, NULL), RK_ERR_ARG);
}
END_TEST

Suite *suite_tune(void)
{
    Suite *suite = suite_create("design/tune");
    TCase *t = tcase_create("tune");

    add_table(t, rule_gives_what_its_formula_says, rules);
    tcase_add_test(t, simple_rule_says_where_it_is_out_of_range);
    tcase_add_test(t, simple_is_the_lambda_rule_at_one_lambda);
    tcase_add_test(t, every_rule_has_a_name_and_a_source);
    tcase_add_test(t, bad_arguments_are_refused);
    suite_add_tcase(suite, t);
    return suite;
}
