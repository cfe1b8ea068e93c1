/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

static rk_tuning tuned(const char *name, const rk_model *model, double lambda)
{
    rk_knobs knobs = rk_knobs_make();
    rk_tuning t;

    knobs.lambda = lambda > 0 ? lambda : QNAN;
    ck_assert_int_eq(rk_tuning_compute(model, name, NULL, &knobs, &t, NULL), RK_OK);
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
    ck_assert_int_eq(rk_margins_compute(&hopeless, &t.settings, &m, NULL), RK_OK);
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

    ck_assert_int_eq(rk_rule_count(), 20);
    for (i = 0; i < rk_rule_count(); i++) {
        ck_assert_int_eq(rk_rule_from_name(rk_rule_name(i), &back, NULL), RK_OK);
        ck_assert_int_eq(back, i);
    }
    ck_assert_str_eq(rk_rule_name(-1), "unknown");
    ck_assert_str_eq(rk_rule_name(99), "unknown");
}
END_TEST

START_TEST(bad_arguments_are_refused)
{
    const rk_model good = fopdt(1, 1, 1), bad = fopdt(0, 1, 1);
    rk_diag diag = {RK_OK, ""};
    rk_knobs knobs = rk_knobs_make();
    rk_tuning t;
    int rule;

    ck_assert_int_eq(rk_tuning_compute(NULL, "simc", NULL, &knobs, &t, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_tuning_compute(&good, "simc", NULL, &knobs, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_tuning_compute(&good, NULL, NULL, &knobs, &t, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_tuning_compute(&good, "simc", NULL, NULL, &t, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_tuning_compute(&bad, "simc", NULL, &knobs, &t, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_tuning_compute(&good, "simc", "PIDF", &knobs, &t, NULL), RK_ERR_RANGE);
    knobs.lambda = -1;
    ck_assert_int_eq(rk_tuning_compute(&good, "simc", NULL, &knobs, &t, NULL), RK_ERR_RANGE);
    knobs = rk_knobs_make();
    knobs.ultimate_gain = 2;
    ck_assert_int_eq(rk_tuning_compute(&good, "simc", NULL, &knobs, &t, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_rule_from_name("gut feeling", &rule, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(
        diag.text, "unknown rule 'gut feeling'; known: simple, lambda, lambda-improved"));
    ck_assert_int_eq(rk_rule_from_name(NULL, &rule, NULL), RK_ERR_ARG);
}
END_TEST

/* Every row of the table of rules: gain 2, time constants 10 (and 6) s, dead time 4 s, lambda 5
   s, omega 0.3 rad/s, zeta 0.7, ultimate point 3 and 12 s; the printed formulas evaluated
   apart. */
static const struct {
    const char *rule, *mode;
    rk_model model;
    double kc, ti, td;
} formulas[] = {
    {"simple", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.5, 10, 0},
    {"lambda", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.5555555556, 10, 0},
    {"lambda", "PID", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.8571428571, 12, 1.666666667},
    {"lambda", "PID", {RK_MODEL_SOPDT, 2, {10, 6}, 0, 4, 0, 0}, 0.8888888889, 16, 3.75},
    {"lambda", "PID", {RK_MODEL_SOPDT_OSC, 2, {10, 0}, 0.5, 4, 0, 0}, 0.5555555556, 10, 10},
    {"lambda", "PI", {RK_MODEL_IPDT, 2, {0, 0}, 0, 4, 0, 0}, 0.08641975309, 14, 0},
    {"lambda", "PID", {RK_MODEL_IPDT, 2, {0, 0}, 0, 4, 0, 0}, 0.1428571429, 14, 1.714285714},
    {"lambda-improved", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.2, 12, 0},
    {"simc", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.5555555556, 10, 0},
    {"simc", "PID", {RK_MODEL_SOPDT, 2, {10, 6}, 0, 4, 0, 0}, 0.8888888889, 16, 3.75},
    {"simc", "PI", {RK_MODEL_IPDT, 2, {0, 0}, 0, 4, 0, 0}, 0.05555555556, 36, 0},
    {"simc",
     "PID",
     {RK_MODEL_IPDT_LAG, 2, {10, 0}, 0, 4, 0, 0},
     0.07098765432,
     46,
     7.826086957},
    {"pole-placement", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.6, 3.555555556, 0},
    {"pole-placement", "PI", {RK_MODEL_IPDT, 2, {0, 0}, 0, 4, 0, 0}, 0.21, 4.666666667, 0},
    {"amigo", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.2573979592, 8.914450867, 0},
    {"amigo", "PID", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.6625, 7.68, 1.785714286},
    {"amigo", "PI", {RK_MODEL_IPDT, 2, {0, 0}, 0, 4, 0, 0}, 0.04375, 53.6, 0},
    {"amigo", "PID", {RK_MODEL_IPDT, 2, {0, 0}, 0, 4, 0, 0}, 0.05625, 32, 2},
    {"zn-reaction", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.25, HUGE_VAL, 0},
    {"zn-reaction", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.125, 13.33333333, 0},
    {"zn-reaction", "PID", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.5, 8, 2},
    {"zn-reaction", "PI", {RK_MODEL_IPDT, 2, {0, 0}, 0, 4, 0, 0}, 0.1125, 13.33333333, 0},
    {"zn-ultimate", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.5, HUGE_VAL, 0},
    {"zn-ultimate", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.35, 10, 0},
    {"zn-ultimate", "PID", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.8, 6, 1.5},
    {"tyreus-luyben", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.9375, 26.4, 0},
    {"tyreus-luyben",
     "PID",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     1.363636364,
     26.4,
     1.904761905},
    {"cohen-coon", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.416666667, HUGE_VAL, 0},
    {"cohen-coon",
     "PD",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     1.645833333,
     HUGE_VAL,
     0.8965517241},
    {"cohen-coon", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.166666667, 7.341176471, 0},
    {"cohen-coon",
     "PID",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     1.791666667,
     8.49382716,
     1.355932203},
    {"chr-setpoint-0", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.375, HUGE_VAL, 0},
    {"chr-setpoint-0", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.4375, 12, 0},
    {"chr-setpoint-0", "PID", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.75, 10, 2},
    {"chr-setpoint-20", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.875, HUGE_VAL, 0},
    {"chr-setpoint-20", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.75, 10, 0},
    {"chr-setpoint-20", "PID", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.1875, 14, 1.88},
    {"chr-load-0", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.375, HUGE_VAL, 0},
    {"chr-load-0", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.75, 16, 0},
    {"chr-load-0", "PID", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.1875, 9.6, 1.68},
    {"chr-load-20", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.875, HUGE_VAL, 0},
    {"chr-load-20", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.875, 9.2, 0},
    {"chr-load-20", "PID", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.5, 8, 1.68},
    {"rovira-iae",
     "PI",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     0.8341911104,
     11.22586439,
     0},
    {"rovira-itae",
     "PI",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     0.6782357351,
     10.37344398,
     0},
    {"rovira-iae",
     "PID",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     1.203953454,
     14.53488372,
     1.506128671},
    {"rovira-itae",
     "PID",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     1.051347594,
     13.56116084,
     1.31481439},
    {"lopez-iae", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.112109243, HUGE_VAL, 0},
    {"lopez-ise", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.63458687, HUGE_VAL, 0},
    {"lopez-itae", "P", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 0.6615048821, HUGE_VAL, 0},
    {"lopez-ise", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.571104181, 10.32659705, 0},
    {"lopez-iae", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.214322246, 8.605038834, 0},
    {"lopez-itae", "PI", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0}, 1.051357838, 7.956844991, 0},
    {"lopez-ise",
     "PID",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     1.77690621,
     4.481268174,
     2.227718843},
    {"lopez-iae",
     "PID",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     1.668494016,
     5.733877596,
     1.700549384},
    {"lopez-itae",
     "PID",
     {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 0, 0},
     1.61584255,
     6.039600079,
     1.530998154},
};

START_TEST(every_formula_gives_its_value)
{
    rk_knobs knobs = rk_knobs_make();
    rk_tuning t;

    knobs.lambda = 5;
    knobs.omega = 0.3;
    knobs.zeta = 0.7;
    knobs.ultimate_gain = 3;
    knobs.ultimate_period = 12;
    ck_assert_int_eq(rk_tuning_compute(&formulas[_i].model, formulas[_i].rule,
                                       formulas[_i].mode, &knobs, &t, NULL),
                     RK_OK);
    ck_close(t.settings.kc, formulas[_i].kc, 1e-9);
    ck_close(t.settings.ti, formulas[_i].ti, 1e-9);
    ck_close(t.settings.td, formulas[_i].td, 1e-9);
    ck_assert_str_eq(t.mode, formulas[_i].mode);
    ck_assert_uint_gt(strlen(t.source), 20);
    /* The sign of the gain carries over; nothing else does. */
    {
        rk_model mirrored = formulas[_i].model;

        mirrored.gain = -mirrored.gain;
        knobs.ultimate_gain = -3;
        ck_assert_int_eq(rk_tuning_compute(&mirrored, formulas[_i].rule, formulas[_i].mode,
                                           &knobs, &t, NULL),
                         RK_OK);
        ck_close(t.settings.kc, -formulas[_i].kc, 1e-9);
        ck_close(t.settings.ti, formulas[_i].ti, 1e-9);
    }
}
END_TEST

/* The papers' own worked examples. */
static const struct {
    const char *rule, *mode;
    double tau, theta, lambda, kc, ti, td;
} published[] = {
    {"amigo", "PI", 1.04, 0.075, (double)NAN, 4.13, 0.539, 0},
    {"amigo", "PID", 1.04, 0.075, (double)NAN, 6.44, 0.361, 0.0367},
    {"amigo", "PI", 2.9, 1.42, (double)NAN, 0.414, 2.66, 0},
    {"amigo", "PID", 2.9, 1.42, (double)NAN, 1.12, 2.40, 0.619},
    {"simc", "PI", 1.5, 2.5, 2.5, 0.30, 1.5, 0},
    {"simc", "PI", 1.1, 0.148, 0.148, 3.72, 1.1, 0},
};

START_TEST(published_examples_come_out)
{
    const rk_model model = fopdt(1, published[_i].tau, published[_i].theta);
    rk_knobs knobs = rk_knobs_make();
    rk_tuning t;

    knobs.lambda = published[_i].lambda;
    ck_assert_int_eq(
        rk_tuning_compute(&model, published[_i].rule, published[_i].mode, &knobs, &t, NULL),
        RK_OK);
    /* Three digits are printed. */
    ck_close(t.settings.kc, published[_i].kc, 2e-3);
    ck_close(t.settings.ti, published[_i].ti, 2e-3);
    ck_assert_double_eq_tol(t.settings.td, published[_i].td, (2e-3 * published[_i].td) + 1e-12);
}
END_TEST

/* The ultimate point of the model itself, from the closed forms. */
START_TEST(ultimate_rules_find_the_ultimate_point)
{
    const rk_model first = fopdt(1, 10, 5),
                   integrator = {RK_MODEL_IPDT, 0.2, {0, 0}, 0, 3, 0, 0};
    const rk_model no_dead_time = fopdt(1, 10, 0);
    const rk_knobs knobs = rk_knobs_make();
    rk_tuning t, list[RK_TUNINGS_MAX];
    size_t count, i;
    int unusable = 0;

    ck_assert_int_eq(rk_tuning_compute(&first, "zn-ultimate", "PI", &knobs, &t, NULL), RK_OK);
    ck_close(t.settings.kc, 0.45 * 3.80688286, 1e-8);
    ck_close(t.settings.ti, 5 * 3.42110142 / 1.2, 1e-8);
    ck_assert_int_eq(rk_tuning_compute(&integrator, "tyreus-luyben", "PI", &knobs, &t, NULL),
                     RK_OK);
    ck_close(t.settings.kc, M_PI / (2 * 0.2 * 3) / 3.2, 1e-9);
    ck_close(t.settings.ti, 2.2 * 4 * 3, 1e-9);
    ck_assert_int_eq(rk_tuning_compute(&no_dead_time, "zn-ultimate", "PI", &knobs, &t, NULL),
                     RK_ERR_RANGE);
    /* What divides by the dead time stays in the list and says why it gives nothing. */
    ck_assert_int_eq(rk_tunings_compute(&no_dead_time, NULL, NULL, &knobs, list, &count, NULL),
                     RK_OK);
    for (i = 0; i < count; i++) {
        unusable += !list[i].usable;
        ck_assert(list[i].usable || (strlen(list[i].note) > 10 && isnan(list[i].settings.kc)));
        ck_assert(i == 0 || list[i].usable <= list[i - 1].usable);
        ck_assert(!list[i].usable || i == 0 || list[i].in_range <= list[i - 1].in_range);
    }
    ck_assert_int_ge(unusable, 30);
}
END_TEST

/* Where a formula leaves the ground: a negative time is never given out. */
static const struct {
    const char *rule, *mode;
    double tau, theta;
    bool usable;
} edges[] = {{"rovira-iae", "PI", 1, 3, true},   {"rovira-iae", "PI", 1, 3.3, false},
             {"cohen-coon", "PD", 1, 2.9, true}, {"cohen-coon", "PD", 1, 3.1, false},
             {"zn-reaction", "PI", 1, 5, true},  {"rovira-itae", "PID", 1, 6, false}};

START_TEST(a_rule_beyond_its_range_says_so)
{
    const rk_model model = fopdt(1, edges[_i].tau, edges[_i].theta);
    const rk_knobs knobs = rk_knobs_make();
    rk_tuning list[RK_TUNINGS_MAX];
    size_t count;

    ck_assert_int_eq(
        rk_tunings_compute(&model, edges[_i].rule, edges[_i].mode, &knobs, list, &count, NULL),
        RK_OK);
    ck_assert_uint_eq(count, 1);
    ck_assert_int_eq(list[0].usable, edges[_i].usable);
    ck_assert(!list[0].in_range);
    ck_assert_ptr_nonnull(strstr(list[0].note, "made for dead time / time constant"));
}
END_TEST

START_TEST(a_second_lag_is_taken_in_by_the_half_rule)
{
    const rk_model two = {RK_MODEL_SOPDT, 2, {10, 4}, 0, 3, 0, 0}, one = fopdt(2, 12, 5);
    const rk_model lag = {RK_MODEL_IPDT_LAG, 2, {4, 0}, 0, 3, 0, 0};
    const rk_model plain = {RK_MODEL_IPDT, 2, {0, 0}, 0, 5, 0, 0};
    const rk_knobs knobs = rk_knobs_make();
    rk_tuning a, b;

    ck_assert_int_eq(rk_tuning_compute(&two, "amigo", "PI", &knobs, &a, NULL), RK_OK);
    ck_assert_int_eq(rk_tuning_compute(&one, "amigo", "PI", &knobs, &b, NULL), RK_OK);
    ck_close(a.settings.kc, b.settings.kc, 1e-12);
    ck_assert_ptr_nonnull(strstr(a.note, "half rule"));
    ck_assert_int_eq(rk_tuning_compute(&lag, "simc", "PI", &knobs, &a, NULL), RK_OK);
    ck_assert_int_eq(rk_tuning_compute(&plain, "simc", "PI", &knobs, &b, NULL), RK_OK);
    ck_close(a.settings.ti, b.settings.ti, 1e-12);
    ck_assert_int_eq(rk_tuning_compute(&plain, "cohen-coon", "PI", &knobs, &b, NULL),
                     RK_ERR_RANGE);
}
END_TEST

/* Two lags are the same process in whichever order they are given, to every rule. */
START_TEST(the_order_of_two_lags_does_not_matter)
{
    const rk_model one = {RK_MODEL_SOPDT, -0.19, {160, 62}, 0, 24, 0, 0},
                   other = {RK_MODEL_SOPDT, -0.19, {62, 160}, 0, 24, 0, 0};
    const rk_knobs knobs = rk_knobs_make();
    rk_tuning a[RK_TUNINGS_MAX], b[RK_TUNINGS_MAX];
    size_t count, same, i;

    ck_assert_int_eq(rk_tunings_compute(&one, NULL, NULL, &knobs, a, &count, NULL), RK_OK);
    ck_assert_int_eq(rk_tunings_compute(&other, NULL, NULL, &knobs, b, &same, NULL), RK_OK);
    ck_assert_uint_eq(count, same);
    for (i = 0; i < count; i++) {
        ck_assert_str_eq(a[i].rule, b[i].rule);
        ck_assert(!a[i].usable || a[i].settings.kc == b[i].settings.kc);
        ck_assert(!a[i].usable || a[i].settings.ti == b[i].settings.ti);
    }
}
END_TEST

/* An ultimate point is all that its rules need. */
static const struct {
    const char *rule, *mode;
    double ku, pu, kc, ti, td;
} measured[] = {
    {"zn-ultimate", "P", 4, 30, 2, HUGE_VAL, 0},
    {"zn-ultimate", "PI", -4, 30, -1.8, 25, 0},
    {"zn-ultimate", "PID", 4, 30, 2.4, 15, 3.75},
    {"tyreus-luyben", "PI", -4, 30, -1.25, 66, 0},
};

START_TEST(an_ultimate_point_needs_no_model)
{
    rk_knobs knobs = rk_knobs_make();
    rk_tuning t, list[RK_TUNINGS_MAX];
    size_t count = 0;

    ck_assert_int_eq(rk_tunings_compute(NULL, NULL, NULL, &knobs, list, &count, NULL),
                     RK_ERR_ARG);
    knobs.ultimate_gain = measured[_i].ku;
    knobs.ultimate_period = measured[_i].pu;
    ck_assert_int_eq(
        rk_tuning_compute(NULL, measured[_i].rule, measured[_i].mode, &knobs, &t, NULL), RK_OK);
    ck_close(t.settings.kc, measured[_i].kc, 1e-12);
    ck_assert(t.settings.ti == measured[_i].ti ||
              close_to(t.settings.ti, measured[_i].ti, 1e-12));
    ck_assert_double_eq_tol(t.settings.td, measured[_i].td, 1e-12);
    ck_assert_int_eq(rk_tunings_compute(NULL, NULL, NULL, &knobs, list, &count, NULL), RK_OK);
    ck_assert_uint_eq(count, 5);
    ck_assert_int_eq(rk_tunings_compute(NULL, "simc", NULL, &knobs, list, &count, NULL),
                     RK_ERR_RANGE);
}
END_TEST

/* Closed forms of what settings do: the lambda rule without dead time is first order; a load's
   integral of error is ti / kc. */
START_TEST(measures_agree_with_the_closed_forms)
{
    const rk_model quick = fopdt(2, 10, 0), late = fopdt(2, 10, 2);
    const rk_settings lambda = rk_settings_make(0.5, 10, 0, 0); /* lambda 10 s */
    const rk_settings simc = rk_settings_make(1.25, 10, 0, 0);
    const rk_sampling every = {0.01, 0, RK_SCHEME_BACKWARD};
    rk_performance m;

    ck_assert_int_eq(rk_performance_compute(&quick, &lambda, &every, &m, NULL), RK_OK);
    ck_assert_double_eq_tol(m.overshoot, 0, 0.01);
    ck_close(m.settling, 10 * log(50), 2e-3);
    ck_close(m.load_iae, 10 / 0.5, 2e-3);
    ck_assert_int_eq(rk_performance_compute(&late, &simc, NULL, &m, NULL), RK_OK);
    ck_close(m.margins.ms, 1.59049, 1e-4);
    ck_close(m.load_iae, 10 / 1.25, 2e-3);
}
END_TEST

/* A vessel that may move by so much for a load of so much: without dead time by the closed forms, with
   it as far as a trial shows, with gains and loads of both signs. */
static const struct {
    double gain, theta, deviation, load;
} vessels[] = {
    {5e-4, 0, 10, 20}, {-5e-4, 0, 3, -7},   {5e-4, 30, 10, -20},
    {-2e-3, 60, 8, 5}, {5e-4, 30, 0.7, 20}, {1e-3, 5, 400, 20},
};

START_TEST(an_averaging_level_moves_as_far_as_it_may)
{
    const double gain = vessels[_i].gain, theta = vessels[_i].theta;
    const double a = vessels[_i].deviation, d = vessels[_i].load;
    const rk_model m = {RK_MODEL_IPDT, gain, {0, 0}, 0, theta, 50, 10};
    rk_knobs knobs = rk_knobs_make();
    int turn;

    knobs.deviation = a;
    knobs.load = d;
    for (turn = 0; turn < 2; turn++) {
        const double bare = exp(1) * a / fabs(gain * d); /* lambda without dead time */
        rk_tuning t;
        rk_sweep_result r;
        rk_sweep_plan plan = {
            .plant = m, .limits = {-1e6, 1e6, HUGE_VAL}, .load_step = d, .band = 0.02};

        ck_assert_int_eq(
            rk_tuning_compute(&m, "averaging-level", turn == 0 ? "PI" : "P", &knobs, &t, NULL),
            RK_OK);
        ck_assert_msg(t.usable && t.in_range, "%s", t.note);
        if (theta == 0 && turn == 0) {
            ck_close(t.settings.kc, 2 / (gain * bare), 1e-9);
            ck_close(t.settings.ti, 2 * bare, 1e-9);
            ck_close(t.lambda, bare, 1e-9);
        }
        if (turn == 1 && fabs(d / a * gain) * theta < exp(-1)) {
            ck_close(t.settings.kc, copysign(fabs(d / a), gain), 1e-9);
        }
        plan.ts = (turn == 0 ? t.settings.ti : 1 / fabs(t.settings.kc * gain)) / 5000;
        plan.duration = 60000 * plan.ts;
        ck_assert_int_eq(rk_sweep_compute(&plan, &t.settings, 1, &r, NULL), RK_OK);
        ck_close(r.load.beyond, a, 2e-3);
    }
}
END_TEST

START_TEST(an_averaging_level_refuses_what_dead_time_forbids)
{
    const rk_model m = {RK_MODEL_IPDT, 5e-4, {0, 0}, 0, 30, 50, 10};
    const rk_model lag = fopdt(2, 40, 3);
    rk_knobs knobs = rk_knobs_make();
    rk_diag diag;
    rk_tuning t;

    ck_assert_int_eq(rk_tuning_compute(&m, "averaging-level", "PI", &knobs, &t, &diag),
                     RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, "--allow-deviation") != NULL, "%s", diag.text);
    knobs.deviation = 0.3; /* 0.3 is what the load moves it by in the dead time alone */
    knobs.load = 20;
    ck_assert_int_eq(rk_tuning_compute(&m, "averaging-level", "PI", &knobs, &t, &diag),
                     RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, "cannot hold PV within 0.3") != NULL, "%s", diag.text);
    ck_assert_int_eq(rk_tuning_compute(&lag, "averaging-level", "PI", &knobs, &t, &diag),
                     RK_ERR_RANGE);
    knobs.load = 0;
    ck_assert_int_eq(rk_tuning_compute(&m, "averaging-level", "PI", &knobs, &t, &diag),
                     RK_ERR_RANGE);
    knobs.load = nan("");
    ck_assert_int_eq(rk_tuning_compute(&m, "averaging-level", "PI", &knobs, &t, &diag),
                     RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, "belong together") != NULL, "%s", diag.text);
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
    add_table(t, every_formula_gives_its_value, formulas);
    add_table(t, published_examples_come_out, published);
    tcase_add_test(t, ultimate_rules_find_the_ultimate_point);
    add_table(t, a_rule_beyond_its_range_says_so, edges);
    tcase_add_test(t, the_order_of_two_lags_does_not_matter);
    add_table(t, an_ultimate_point_needs_no_model, measured);
    tcase_add_test(t, a_second_lag_is_taken_in_by_the_half_rule);
    add_table(t, an_averaging_level_moves_as_far_as_it_may, vessels);
    tcase_add_test(t, an_averaging_level_refuses_what_dead_time_forbids);
    tcase_add_test(t, measures_agree_with_the_closed_forms);
    suite_add_tcase(suite, t);
    return suite;
}
