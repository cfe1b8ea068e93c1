/* SPDX-License-Identifier: MIT */
#include <complex.h>
#include <math.h>
#include <string.h>

#include "../../support/support.h"

/* The forms as they are defined, at s. */
static double complex ideal_at(const rk_settings *c, double complex s)
{
    return c->kc * (1.0 + (1.0 / (c->ti * s)) + (c->td * s / (1.0 + (c->tf * s))));
}

static double complex form_at(const rk_form_values *v, double complex s)
{
    const double complex lag = 1.0 + (v->tf * s);

    if (v->form == RK_FORM_SERIES) {
        return v->gain * (1.0 + (1.0 / (v->integral * s))) * (1.0 + (v->derivative * s)) / lag;
    }
    if (v->form == RK_FORM_PARALLEL) {
        return v->gain + (v->integral / s) + (v->derivative * s / lag);
    }
    return v->gain * (1.0 + (1.0 / (v->integral * s)) + (v->derivative * s / lag));
}

static const struct {
    double kc, ti, td, tf;
} controllers[] = {
    {2, 10, 0, 0},       {-0.3, 500, 0, 0},   {1.5, 12, 2, 0},   {1.5, 12, 3, 0},
    {1.5, 12, 2, 0.25},  {-8, 60, 13, 1.5},   {0.01, 1e4, 1, 0}, {3, 0.02, 0.004, 0.0004},
    {40, 4, 0.95, 0.01}, {1, 1e6, 0.5, 0.05},
};

START_TEST(every_form_has_the_ideal_frequency_response)
{
    const rk_settings s = rk_settings_make(controllers[_i].kc, controllers[_i].ti,
                                           controllers[_i].td, controllers[_i].tf);
    static const rk_form forms[] = {RK_FORM_IDEAL, RK_FORM_SERIES, RK_FORM_PARALLEL};
    size_t f;
    int k;

    for (f = 0; f < COUNT(forms); f++) {
        rk_form_values v;

        ck_assert_int_eq(rk_settings_to_form(&s, forms[f], &v, NULL), RK_OK);
        for (k = -4; k <= 4; k++) {
            const double complex at = (double complex)I * pow(10.0, k) / s.ti;
            const double complex wanted = ideal_at(&s, at);

            ck_assert_double_le(cabs(form_at(&v, at) - wanted), 1e-12 * cabs(wanted));
        }
    }
}
END_TEST

START_TEST(forms_convert_there_and_back)
{
    rk_settings s = rk_settings_make(controllers[_i].kc, controllers[_i].ti, controllers[_i].td,
                                     controllers[_i].tf);
    static const rk_form forms[] = {RK_FORM_IDEAL, RK_FORM_SERIES, RK_FORM_PARALLEL};
    size_t f;

    s.sp_weight = 0.7;
    for (f = 0; f < COUNT(forms); f++) {
        rk_settings back = s;
        rk_form_values v;

        ck_assert_int_eq(rk_settings_to_form(&s, forms[f], &v, NULL), RK_OK);
        ck_assert_int_eq(rk_settings_from_form(&v, &back, NULL), RK_OK);
        ck_close(back.kc, s.kc, 1e-12);
        ck_close(back.ti, s.ti, 1e-12);
        /* td is a difference of products: exact to ti's size, not to its own. */
        ck_assert_double_eq_tol(back.td, s.td,
                                1e-12 * (1 + s.td + (s.td > 0 ? 1e-3 * s.ti : 0)));
        ck_assert_double_eq(back.sp_weight, 0.7);
    }
}
END_TEST

START_TEST(worked_conversions_agree)
{
    const rk_settings s = rk_settings_make(1.2, 2 * 5, 0.25 * 10, 0); /* ti = 4 td exactly */
    rk_form_values v;

    ck_assert_int_eq(rk_settings_to_form(&s, RK_FORM_SERIES, &v, NULL), RK_OK);
    ck_close(v.gain, 0.6, 1e-9);
    ck_close(v.integral, 5, 1e-9);
    ck_close(v.derivative, 5, 1e-9);
    ck_assert_int_eq(rk_settings_to_form(&s, RK_FORM_PARALLEL, &v, NULL), RK_OK);
    ck_close(v.gain, 1.2, 1e-15);
    ck_close(v.integral, 0.12, 1e-15);
    ck_close(v.derivative, 3.0, 1e-15);
}
END_TEST

START_TEST(no_integral_stays_none_in_every_form)
{
    const rk_settings s = rk_settings_make(3, HUGE_VAL, 2, 0.2);
    rk_settings back = s;
    rk_form_values v;

    ck_assert_int_eq(rk_settings_to_form(&s, RK_FORM_PARALLEL, &v, NULL), RK_OK);
    ck_assert_double_eq(v.integral, 0);
    ck_assert_int_eq(rk_settings_from_form(&v, &back, NULL), RK_OK);
    ck_assert(isinf(back.ti));
    ck_assert_int_eq(rk_settings_to_form(&s, RK_FORM_SERIES, &v, NULL), RK_OK);
    ck_assert(isinf(v.integral));
    ck_close(v.derivative, 2.2, 1e-15); /* the lead's numerator takes the filter in */
    ck_assert_int_eq(rk_settings_from_form(&v, &back, NULL), RK_OK);
    ck_close(back.td, 2, 1e-12);
}
END_TEST

START_TEST(what_has_no_series_form_is_refused_with_the_nearest)
{
    const rk_settings s = rk_settings_make(1, 10, 3, 0);
    rk_diag diag = {RK_OK, ""};
    rk_form_values v;

    ck_assert_int_eq(rk_settings_to_form(&s, RK_FORM_SERIES, &v, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "td 2.5 s"));
}
END_TEST

/* Values of a form that make no ideal controller. */
static const struct {
    rk_form_values v;
    const char *says;
} refused_values[] = {
    {{RK_FORM_IDEAL, 0, 10, 0, 0}, "kc"},
    {{RK_FORM_IDEAL, 1, 0, 0, 0}, "ti"},
    {{RK_FORM_IDEAL, 1, -3, 0, 0}, "ti"},
    {{RK_FORM_IDEAL, QNAN, 10, 0, 0}, "kc"},
    {{RK_FORM_IDEAL, 1, 10, -1, 0}, "td"},
    {{RK_FORM_IDEAL, 1, 10, 1, -1}, "tf"},
    {{RK_FORM_PARALLEL, 0, 0.1, 0, 0}, "kp"},
    {{RK_FORM_PARALLEL, 1, -0.1, 0, 0}, "same sign"},
    {{RK_FORM_PARALLEL, 1, 0.1, -1, 0}, "td"},
    {{RK_FORM_SERIES, 1, 0, 1, 0}, "ti"},
    {{RK_FORM_SERIES, 1, 10, 1, 2}, "filter"},
    {{RK_FORM_SERIES, 0, 10, 1, 0}, "kc"},
    {{RK_FORM_SERIES, 1, 0.5, 3, 2}, "shorter tf"},
};

START_TEST(values_that_make_no_controller_are_refused)
{
    rk_settings s = rk_settings_make(5, 5, 0, 0);
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_settings_from_form(&refused_values[_i].v, &s, &diag), RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, refused_values[_i].says) != NULL, "%s", diag.text);
    ck_assert_double_eq(s.kc, 5);
}
END_TEST

START_TEST(numbers_of_another_form_are_not_taken_for_these)
{
    rk_given_settings g = rk_given_settings_make();
    rk_settings s = rk_settings_make(5, 5, 0, 0);
    rk_diag diag = {RK_OK, ""}, other = {RK_OK, ""}, none = {RK_OK, ""};

    ck_assert(!rk_given_settings_any(&g));
    ck_assert_int_eq(rk_settings_from_given(&g, "--", &s, &none), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(none.text, "give --kc"));
    g.kc = 2;
    g.ki = 0.1;
    ck_assert(rk_given_settings_any(&g));
    ck_assert_int_eq(rk_settings_from_given(&g, "--", &s, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "add --form parallel"));
    g.form = RK_FORM_PARALLEL;
    ck_assert_int_eq(rk_settings_from_given(&g, "", &s, &other), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(other.text, "takes kp, ki and kd"));
    g = rk_given_settings_make();
    g.form = RK_FORM_PARALLEL;
    g.kp = 2;
    g.ki = 0.1;
    ck_assert_int_eq(rk_settings_from_given(&g, "", &s, NULL), RK_OK);
    ck_close(s.ti, 20, 1e-15);
}
END_TEST

START_TEST(tracking_time_defaults_to_ti_or_the_geometric_mean)
{
    const rk_limits limits = {0, 100, HUGE_VAL};
    rk_settings s = rk_settings_make(2, 16, 0, 0);
    rk_pid_params p;

    ck_assert_int_eq(rk_settings_pid_params(&s, &limits, NULL, 0.5, &p, NULL), RK_OK);
    ck_assert_double_eq(p.tt, 16);
    s.td = 4;
    ck_assert_int_eq(rk_settings_pid_params(&s, &limits, NULL, 0.5, &p, NULL), RK_OK);
    ck_assert_double_eq(p.tt, 8);
    s.tt = 3;
    ck_assert_int_eq(rk_settings_pid_params(&s, &limits, NULL, 0.5, &p, NULL), RK_OK);
    ck_assert_double_eq(p.tt, 3);
    ck_assert_double_eq(p.d_sp_weight, 0);
    ck_assert_str_eq(rk_settings_mode(&s), "PID");
}
END_TEST

static const struct {
    double ti, ts, tt, low, high, rate;
    const char *says;
} refused_params[] = {
    {10, 0, 0, 0, 100, HUGE_VAL, "scan"},
    {10, -1, 0, 0, 100, HUGE_VAL, "scan"},
    {10, QNAN, 0, 0, 100, HUGE_VAL, "scan"},
    {1, 2, 0, 0, 100, HUGE_VAL, "shorter than the scan"},
    {10, 2, 1, 0, 100, HUGE_VAL, "tracking"},
    {10, 1, 0, 100, 0, HUGE_VAL, "low below the high"},
    {10, 1, 0, 0, HUGE_VAL, HUGE_VAL, "limits"},
    {10, 1, 0, 0, 100, 0, "rate"},
    {10, 1, 0, 0, 100, -4, "rate"},
    {10, 1, -2, 0, 100, HUGE_VAL, "tracking"},
};

START_TEST(block_parameters_out_of_range_are_refused)
{
    const rk_limits limits = {refused_params[_i].low, refused_params[_i].high,
                              refused_params[_i].rate};
    rk_settings s = rk_settings_make(1, refused_params[_i].ti, 0, 0);
    rk_diag diag = {RK_OK, ""};
    rk_pid_params p;

    s.tt = refused_params[_i].tt;
    ck_assert_int_eq(
        rk_settings_pid_params(&s, &limits, NULL, refused_params[_i].ts, &p, &diag),
        RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, refused_params[_i].says) != NULL, "%s", diag.text);
}
END_TEST

START_TEST(words_convert_both_ways)
{
    rk_anti_windup way;
    rk_form form;
    int i;

    for (i = 0; i < 3; i++) {
        ck_assert_int_eq(
            rk_anti_windup_from_text(rk_anti_windup_to_text((rk_anti_windup)i), &way, NULL),
            RK_OK);
        ck_assert_int_eq((int)way, i);
        ck_assert_int_eq(rk_form_from_text(rk_form_to_text((rk_form)i), &form, NULL), RK_OK);
        ck_assert_int_eq((int)form, i);
    }
    ck_assert_str_eq(rk_form_to_text((rk_form)7), "unknown");
    ck_assert_int_eq(rk_form_from_text("standard", &form, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_anti_windup_from_text(NULL, &way, NULL), RK_ERR_ARG);
}
END_TEST

/* A loop of 0..20 PV for 0..100 OUT: 100 % of span are 5 OUT per PV. */
static const struct {
    const char *fact;
    double band, kc_percent, repeats, ratio; /* as typed; NaN: not */
    double kc, td;                           /* given beside them */
    rk_action action;
    bool model, good;
    double kc_is, ti_is, tf_is;
} other_ways[] = {
    {"a band of 50 % is 2 % per %", 50, QNAN, QNAN, QNAN, QNAN, QNAN, RK_ACTION_REVERSE, true,
     true, 10, QNAN, QNAN},
    {"direct action has a negative gain", 50, QNAN, QNAN, QNAN, QNAN, QNAN, RK_ACTION_DIRECT,
     true, true, -10, QNAN, QNAN},
    {"the model tells the sign", 50, QNAN, QNAN, QNAN, QNAN, QNAN, RK_ACTION_NOT_SAID, true,
     true, -10, QNAN, QNAN},
    {"percent of span", QNAN, -2, QNAN, QNAN, QNAN, QNAN, RK_ACTION_DIRECT, false, true, -10,
     QNAN, QNAN},
    {"repeats per minute", QNAN, QNAN, 4, QNAN, -8, QNAN, RK_ACTION_DIRECT, false, true, -8, 15,
     QNAN},
    {"tf by its ratio", QNAN, QNAN, QNAN, 8, -8, 4, RK_ACTION_DIRECT, false, true, -8, QNAN,
     0.5},
    {"a band without a sign", 50, QNAN, QNAN, QNAN, QNAN, QNAN, RK_ACTION_NOT_SAID, false,
     false, 0, 0, 0},
    {"two gains", 50, QNAN, QNAN, QNAN, -8, QNAN, RK_ACTION_DIRECT, true, false, 0, 0, 0},
    {"a band and a percentage", 50, 2, QNAN, QNAN, QNAN, QNAN, RK_ACTION_DIRECT, true, false, 0,
     0, 0},
    {"a band of nothing", 0, QNAN, QNAN, QNAN, QNAN, QNAN, RK_ACTION_DIRECT, true, false, 0, 0,
     0},
    {"repeats of nothing", QNAN, QNAN, 0, QNAN, -8, QNAN, RK_ACTION_DIRECT, true, false, 0, 0,
     0},
    {"a ratio without td", QNAN, QNAN, QNAN, 8, -8, QNAN, RK_ACTION_DIRECT, true, false, 0, 0,
     0},
    {"a ratio below nothing", QNAN, QNAN, QNAN, -8, -8, 4, RK_ACTION_DIRECT, true, false, 0, 0,
     0},
};

START_TEST(other_ways_to_write_settings_are_converted)
{
    const rk_other_settings other = {other_ways[_i].band, other_ways[_i].kc_percent,
                                     other_ways[_i].repeats, other_ways[_i].ratio};
    rk_given_settings given = rk_given_settings_make();
    rk_design d = rk_design_make();
    rk_status status;
    rk_diag diag;

    d.pv_low = d.out_low = 0;
    d.pv_high = 20;
    d.out_high = 100;
    d.action = other_ways[_i].action;
    d.has_model = other_ways[_i].model;
    d.model = fopdt(-0.1, 40, 9);
    given.kc = other_ways[_i].kc;
    given.td = other_ways[_i].td;
    status = rk_design_convert_given(&d, &other, "--", &given, &diag);
    ck_assert_msg(status == (other_ways[_i].good ? RK_OK : RK_ERR_RANGE), "%s: %s",
                  other_ways[_i].fact, diag.text);
    if (status != RK_OK) return;
    ck_close(given.kc, other_ways[_i].kc_is, 1e-12);
    ck_close(given.ti, other_ways[_i].ti_is, 1e-12);
    ck_close(given.tf, other_ways[_i].tf_is, 1e-12);
    if (isnan(other.band) && isnan(other.kc_percent)) return;
    given.kc = d.pv_low = QNAN; /* percent of what? */
    ck_assert_int_eq(rk_design_convert_given(&d, &other, "--", &given, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "both ranges"));
}
END_TEST

Suite *suite_settings(void)
{
    Suite *suite = suite_create("design/settings");
    TCase *t = tcase_create("settings");

    add_table(t, every_form_has_the_ideal_frequency_response, controllers);
    add_table(t, forms_convert_there_and_back, controllers);
    tcase_add_test(t, worked_conversions_agree);
    tcase_add_test(t, no_integral_stays_none_in_every_form);
    tcase_add_test(t, what_has_no_series_form_is_refused_with_the_nearest);
    add_table(t, values_that_make_no_controller_are_refused, refused_values);
    tcase_add_test(t, numbers_of_another_form_are_not_taken_for_these);
    tcase_add_test(t, tracking_time_defaults_to_ti_or_the_geometric_mean);
    add_table(t, block_parameters_out_of_range_are_refused, refused_params);
    add_table(t, other_ways_to_write_settings_are_converted, other_ways);
    tcase_add_test(t, words_convert_both_ways);
    suite_add_tcase(suite, t);
    return suite;
}
