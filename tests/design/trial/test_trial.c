/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

static rk_trial_case a_case(rk_model plant, rk_settings settings, double ts)
{
    return (rk_trial_case){.name = "case",
                           .plant = plant,
                           .settings = settings,
                           .limits = {-1e6, 1e6, HUGE_VAL},
                           .ts = ts};
}

static rk_trial_metrics run(const rk_trial_case *c, rk_trial_plan plan)
{
    rk_diag diag = {RK_OK, ""};
    rk_trial *trial = NULL;
    rk_trial_metrics m;

    if (plan.band == 0) {
        plan.band = 0.02;
    }
    ck_assert_msg(rk_trial_create(c, &plan, &trial, &diag) == RK_OK, "%s", diag.text);
    m = *rk_trial_results(trial);
    rk_trial_free(trial);
    return m;
}

/* lambda PI without dead time is a first-order loop: rise lambda ln 9, 2 % settling lambda
 * ln 50. */
static const double lambdas[] = {1, 5, 40};

START_TEST(first_order_loop_has_the_closed_form_metrics)
{
    const double lambda = lambdas[_i], step = -3;
    const rk_trial_case c =
        a_case(fopdt(-4, 10, 0), rk_settings_make(10 / (-4 * lambda), 10, 0, 0), lambda / 5000);
    const rk_trial_metrics m =
        run(&c, (rk_trial_plan){.sp_step = step, .duration = 20 * lambda});

    /* What remains is the scan: ts/lambda = 2e-4, half of it as delay. */
    ck_close(m.setpoint.rise_time, lambda * log(9), 5e-4);
    ck_close(m.setpoint.settling_time, lambda * log(50), 5e-4);
    ck_assert_double_eq_tol(m.setpoint.overshoot_percent, 0, 0.02);
    ck_close(m.setpoint.iae, 3 * lambda, 5e-4);
    ck_close(m.setpoint.ise, 9 * lambda / 2, 5e-4);
    ck_close(m.setpoint.itae, 3 * lambda * lambda, 1e-3);
    ck_assert_double_eq(m.setpoint.steady_error, 0);
    ck_assert(m.has_setpoint && !m.has_load);
}
END_TEST

/* Pole placement on a lag, setpoint weight 0: a second-order response without a zero. */
static const double dampings[] = {0.3, 0.5, 0.7};

START_TEST(second_order_loop_overshoots_by_the_closed_form)
{
    const double z = dampings[_i], w0 = 1, tau = 5;
    rk_settings s = rk_settings_make((2 * z * w0 * tau) - 1,
                                     ((2 * z * w0 * tau) - 1) / (w0 * w0 * tau), 0, 0);
    rk_trial_case c;
    rk_trial_metrics m;

    s.sp_weight = 0;
    c = a_case(fopdt(1, tau, 0), s, 2e-4);
    m = run(&c, (rk_trial_plan){.sp_step = 2, .duration = 40});
    ck_assert_double_eq_tol(m.setpoint.overshoot_percent,
                            100 * exp(-3.14159265358979 * z / sqrt(1 - (z * z))), 0.05);
}
END_TEST

START_TEST(p_only_settles_off_the_setpoint_by_one_over_one_plus_loop_gain)
{
    const rk_trial_case c =
        a_case(fopdt(2, 10, 1), rk_settings_make(1.5, HUGE_VAL, 0, 0), 0.05);
    const rk_trial_metrics m = run(&c, (rk_trial_plan){.sp_step = 1, .duration = 100});

    ck_close(m.setpoint.steady_error, 0.25, 1e-12);
    ck_assert(m.setpoint.settling_time > 0);
}
END_TEST

/* Integral of e: s ti (1/(K kc) + 1 - b) for a setpoint, -d ti/kc for a load; |.| if e keeps
 * its sign. */
START_TEST(criteria_agree_with_the_error_integrals)
{
    rk_settings s = rk_settings_make(0.4, 20, 0, 0);
    const rk_model plant = fopdt(2, 10, 3);
    rk_trial_case c;
    rk_trial_metrics m;

    s.sp_weight = 0.3;
    c = a_case(plant, s, 0.2);
    m = run(&c,
            (rk_trial_plan){.sp_step = 5, .load_step = -4, .load_at = 400, .duration = 800});
    /* The sum over the scans is exact; it counts the jump of e at 0 for half a scan too long.
     */
    ck_close(m.setpoint.iae, (5 * 20 * (1 / (2 * 0.4) + 0.7)) - (0.5 * 0.2 * 5), 1e-4);
    ck_close(m.load.iae, 4 * 20 / 0.4, 1e-4);
}
END_TEST

/* A load on a P-only loop without dead time: PV goes to gain d/(1 + K kc), first order. */
START_TEST(load_metrics_count_from_the_load_step)
{
    const rk_trial_case c = a_case(fopdt(2, 10, 0), rk_settings_make(2, HUGE_VAL, 0, 0), 1e-3);
    const rk_trial_metrics m =
        run(&c, (rk_trial_plan){.load_step = 1.5, .load_at = 30, .duration = 60, .band = 0.05});

    ck_assert(!m.has_setpoint && m.has_load);
    ck_close(m.load.peak_deviation, 2 * 1.5 / 5, 1e-3);
    ck_assert(isnan(m.load.recovery_time)); /* it never comes back */
}
END_TEST

START_TEST(dead_time_delays_everything_that_is_seen)
{
    const rk_trial_case c = a_case(fopdt(2, 10, 7.3), rk_settings_make(0.1, 10, 0, 0), 0.5);
    const rk_trial_plan plan = {.sp_step = 1, .duration = 60, .band = 0.02};
    rk_trial *trial = NULL;
    size_t i;

    ck_assert_int_eq(rk_trial_create(&c, &plan, &trial, NULL), RK_OK);
    for (i = 0; i < rk_trial_points(trial); i++) {
        const double t = rk_trial_step(trial) * (double)i;

        if (t <= 7.3) {
            ck_assert_double_eq(rk_trial_pv(trial)[i], 0);
        }
        if (t > 7.5 && t < 10) {
            ck_assert_double_gt(rk_trial_pv(trial)[i], 0);
        }
    }
    ck_assert_double_eq(rk_trial_out(trial)[0],
                        0.1 + (0.1 * 0.5 / 10)); /* the first scan acts */
    ck_assert_double_eq(rk_trial_out_start(trial), 0);
    ck_assert_str_eq(rk_trial_name(trial), "case");
    ck_assert_uint_eq(rk_trial_scans(trial), 120);
    rk_trial_free(trial);
}
END_TEST

START_TEST(a_trial_starts_at_its_operating_point)
{
    rk_model plant = fopdt(-0.118, 46.5, 17.4);
    rk_trial_case c;
    rk_trial_metrics m;

    plant.out0 = 42;
    plant.pv0 = 11.8;
    c = a_case(plant, rk_settings_make(-11, 46.5, 0, 0), 1);
    c.limits = (rk_limits){0, 100, HUGE_VAL};
    m = run(&c, (rk_trial_plan){.load_step = 5, .load_at = 0, .duration = 600});
    ck_close(m.travel, 5, 0.2); /* down to 37 with a little overshoot; nothing at the start */
    ck_assert_double_eq(m.saturated_time, 0);
}
END_TEST

/* The valve has 10 to give and the step asks for 9: with windup it stays open too long. */
START_TEST(anti_windup_shortens_the_time_on_the_limit)
{
    rk_trial_metrics m[3];
    int way;

    for (way = 0; way < 3; way++) {
        rk_trial_case c = a_case(fopdt(1, 10, 2), rk_settings_make(3, 8, 0, 0), 0.1);

        c.settings.anti_windup = (rk_anti_windup)way;
        c.limits = (rk_limits){0, 10, HUGE_VAL};
        m[way] = run(&c, (rk_trial_plan){.sp_step = 9, .duration = 200});
        ck_assert_double_eq_tol(m[way].setpoint.steady_error, 0, 1e-12);
    }
    ck_assert_double_gt(m[RK_ANTI_WINDUP_NONE].saturated_time,
                        1.5 * m[RK_ANTI_WINDUP_CONDITIONAL].saturated_time);
    ck_assert_double_gt(m[RK_ANTI_WINDUP_NONE].saturated_time,
                        1.2 * m[RK_ANTI_WINDUP_BACK_CALCULATION].saturated_time);
    ck_assert_double_gt(m[RK_ANTI_WINDUP_NONE].setpoint.overshoot_percent, 5);
    ck_assert_double_lt(m[RK_ANTI_WINDUP_CONDITIONAL].setpoint.overshoot_percent, 1);
}
END_TEST

START_TEST(a_setpoint_out_of_reach_settles_where_the_limit_holds_it)
{
    rk_trial_case c = a_case(fopdt(2, 10, 1), rk_settings_make(1, 10, 0, 0), 0.1);
    rk_trial_metrics m;

    c.limits = (rk_limits){0, 3, HUGE_VAL};
    m = run(&c, (rk_trial_plan){.sp_step = 8, .duration = 200});
    ck_close(m.setpoint.steady_error, 2, 1e-12); /* 8 - 2 * 3 */
    ck_close(m.saturated_time, 200, 1e-9);
}
END_TEST

START_TEST(rate_limit_keeps_the_output_from_jumping)
{
    rk_trial_case c = a_case(fopdt(2, 10, 1), rk_settings_make(2, 10, 0, 0), 0.5);
    const rk_trial_plan plan = {.sp_step = 10, .duration = 50, .band = 0.02};
    rk_trial *trial = NULL;
    double last = 0;
    size_t i;

    c.limits.rate = 1.5;
    ck_assert_int_eq(rk_trial_create(&c, &plan, &trial, NULL), RK_OK);
    for (i = 0; i < rk_trial_scans(trial); i++) {
        ck_assert_double_le(fabs(rk_trial_out(trial)[i] - last), 0.75 + 1e-12);
        last = rk_trial_out(trial)[i];
    }
    rk_trial_free(trial);
}
END_TEST

START_TEST(by_hand_the_output_moves_once)
{
    rk_trial_case c = a_case(fopdt(2, 10, 1), rk_settings_make(1, 10, 0, 0), 0.1);
    rk_trial_metrics m;

    c.manual = true;
    c.manual_out = 2.5;
    m = run(&c, (rk_trial_plan){.sp_step = 5, .load_step = 1, .load_at = 100, .duration = 200});
    ck_close(m.setpoint.rise_time, 10 * log(9), 1e-3);
    ck_close(m.travel, 2.5, 1e-12);
    ck_close(m.load.peak_deviation, 2, 1e-3); /* nobody answers the load */
    ck_assert_uint_eq(m.reversals, 0);
}
END_TEST

START_TEST(a_run_cut_short_does_not_claim_to_have_settled)
{
    const rk_trial_case c = a_case(fopdt(2, 10, 1), rk_settings_make(0.25, 10, 0, 0), 0.1);
    const rk_trial_metrics m = run(&c, (rk_trial_plan){.sp_step = 1, .duration = 20});

    ck_assert(isnan(m.setpoint.settling_time));
    ck_assert(isnan(m.setpoint.rise_time));
}
END_TEST

START_TEST(an_unstable_loop_neither_settles_nor_crashes)
{
    rk_trial_case c = a_case(fopdt(2, 10, 5), rk_settings_make(3, 10, 0, 0), 0.1);
    rk_trial_metrics m = run(&c, (rk_trial_plan){.sp_step = 1, .duration = 3000});

    ck_assert(isnan(m.setpoint.settling_time));
    c.limits = (rk_limits){-5, 5, HUGE_VAL};
    m = run(&c, (rk_trial_plan){.sp_step = 1, .duration = 300});
    ck_assert(isnan(m.setpoint.settling_time));
    ck_assert_uint_gt(m.reversals, 10);
    ck_assert_double_gt(m.saturated_time, 100);
}
END_TEST

static const struct {
    const char *says;
    double kc, ti, ts, low, high, sp, load, load_at, duration, band, out0;
} refused[] = {
    {"kc", 0, 10, 1, 0, 100, 1, 0, 0, 10, 0.02, 0},
    {"ti", 1, 0, 1, 0, 100, 1, 0, 0, 10, 0.02, 0},
    {"scan", 1, 10, 0, 0, 100, 1, 0, 0, 10, 0.02, 0},
    {"limits", 1, 10, 1, 100, 0, 1, 0, 0, 10, 0.02, 0},
    {"finite steps", 1, 10, 1, 0, 100, QNAN, 0, 0, 10, 0.02, 0},
    {"trial of", 1, 10, 1, 0, 100, 1, 0, 0, 0, 0.02, 0},
    {"trial of", 1, 10, 1, 0, 100, 1, 0, 0, QNAN, 0.02, 0},
    {"load step", 1, 10, 1, 0, 100, 1, 1, 20, 10, 0.02, 0},
    {"load step", 1, 10, 1, 0, 100, 1, 1, -1, 10, 0.02, 0},
    {"band", 1, 10, 1, 0, 100, 1, 0, 0, 10, 0, 0},
    {"band", 1, 10, 1, 0, 100, 1, 0, 0, 10, 1.5, 0},
    {"outside the limits", 1, 10, 1, 0, 100, 1, 0, 0, 10, 0.02, 101},
    {"shorten it", 1, 10, 1e-3, 0, 100, 1, 0, 0, 1e7, 0.02, 0},
};

START_TEST(bad_plans_are_refused)
{
    rk_trial_case c =
        a_case(fopdt(1, 10, 1), rk_settings_make(refused[_i].kc, refused[_i].ti, 0, 0),
               refused[_i].ts);
    const rk_trial_plan plan = {.sp_step = refused[_i].sp,
                                .load_step = refused[_i].load,
                                .load_at = refused[_i].load_at,
                                .duration = refused[_i].duration,
                                .band = refused[_i].band};
    rk_diag diag = {RK_OK, ""};
    rk_trial *trial = NULL;

    c.plant.out0 = refused[_i].out0;
    c.limits = (rk_limits){refused[_i].low, refused[_i].high, HUGE_VAL};
    ck_assert_int_eq(rk_trial_create(&c, &plan, &trial, &diag), RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, refused[_i].says) != NULL, "'%s' says nothing of %s",
                  diag.text, refused[_i].says);
    ck_assert_ptr_null(trial);
    ck_assert_int_eq(rk_trial_create(NULL, &plan, &trial, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_trial_create(&c, NULL, &trial, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_trial_create(&c, &plan, NULL, NULL), RK_ERR_ARG);
}
END_TEST

/* What a plan leaves open, and what is chosen. */
static const struct {
    const char *fact;
    double sp, load, load_at, duration; /* asked; NaN: open */
    rk_setpoint_shape shape;
    double sp_is, load_is; /* chosen */
    bool halves;           /* the load comes half way */
} open_plans[] = {
    {"nothing is said: both steps", QNAN, QNAN, QNAN, QNAN, RK_SETPOINT_SHAPE_STEP, 1, -0.5,
     true},
    {"a setpoint alone", 3, QNAN, QNAN, QNAN, RK_SETPOINT_SHAPE_STEP, 3, 0, true},
    {"a load alone begins at once", QNAN, 2, QNAN, QNAN, RK_SETPOINT_SHAPE_STEP, 0, 2, false},
    {"what is said stays", 3, 2, 7, 50, RK_SETPOINT_SHAPE_STEP, 3, 2, false},
    {"three swings are shown", 3, QNAN, QNAN, QNAN, RK_SETPOINT_SHAPE_SINE, 3, 0, true},
};

START_TEST(a_plan_is_completed_by_what_suits_the_loop)
{
    const rk_trial_case c = {.plant = fopdt(2, 10, 3),
                             .settings = rk_settings_make(0.8, 10, 0, 0),
                             .limits = rk_limits_none(),
                             .ts = 1};
    rk_design d = rk_design_make();
    rk_trial_plan plan = {.sp_step = open_plans[_i].sp,
                          .load_step = open_plans[_i].load,
                          .load_at = open_plans[_i].load_at,
                          .duration = open_plans[_i].duration,
                          .shape = open_plans[_i].shape,
                          .sp_time = 500,
                          .noise = QNAN,
                          .band = QNAN};

    d.model = c.plant;
    d.pv_low = 0;
    d.pv_high = 20;
    rk_trial_plan_complete(&plan, &d, &c, 1);
    ck_assert_double_eq(plan.sp_step, open_plans[_i].sp_is);
    ck_assert_double_eq(plan.load_step, open_plans[_i].load_is);
    ck_assert_double_eq(plan.noise, 0);
    ck_assert_double_eq(plan.band, 0.02);
    if (!isnan(open_plans[_i].duration)) {
        ck_assert_double_eq(plan.duration, 50);
        ck_assert_double_eq(plan.load_at, 7);
        return;
    }
    ck_assert_double_ge(plan.duration, rk_trial_time_to_settle(&c));
    ck_assert_double_eq(plan.load_at, open_plans[_i].halves ? 0.5 * plan.duration : 0);
    if (open_plans[_i].shape == RK_SETPOINT_SHAPE_SINE) {
        ck_assert_double_ge(plan.duration, 1500);
    }
}
END_TEST

START_TEST(a_record_beside_a_trial_is_off_by_what_it_is_off)
{
    const rk_trial_case c = {.plant = fopdt(2, 10, 3),
                             .settings = rk_settings_make(0.8, 10, 0, 0),
                             .limits = rk_limits_none(),
                             .ts = 1};
    const rk_trial_plan plan = {.sp_step = 1, .duration = 60, .band = 0.02};
    rk_trial *t = NULL;
    rk_record *record = NULL;
    rk_overlay overlay;
    double rms;
    size_t rows, i;

    ck_assert_int_eq(rk_trial_create(&c, &plan, &t, NULL), RK_OK);
    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < 80; i++) { /* longer than the trial; its first row at 100 s */
        const size_t at = (size_t)(((double)i / rk_trial_step(t)) + 0.5);
        const double pv = at < rk_trial_points(t) ? rk_trial_pv(t)[at] : 0;

        ck_assert_int_eq(rk_record_add(record, 100 + (double)i, 0, pv + 0.25, NULL), RK_OK);
    }
    overlay = rk_overlay_make(record, &plan, QNAN);
    ck_assert(overlay.shift == 0 && isnan(overlay.found_at)); /* OUT never moves */
    ck_assert_int_eq(rk_overlay_compare(&overlay, t, &rows, &rms, NULL), RK_OK);
    ck_assert_uint_ge(rows, 60);
    ck_assert_uint_le(rows, 61);
    ck_close(rms, 0.25, 1e-12);
    ck_assert_int_eq(rk_overlay_compare(NULL, t, &rows, &rms, NULL), RK_ERR_ARG);
    rk_record_free(record);
    rk_trial_free(t);
}
END_TEST

/* Time constants of loops from milliseconds to days, s. */
static const double paces[] = {0.0031, 0.02, 0.46, 1, 9.7, 46.3, 620, 3600, 86400};

/* A run's length is a time that reads well: two digits, and not a tenth longer than is needed. */
START_TEST(a_run_is_as_long_as_it_needs_rounded_up)
{
    rk_design loop = rk_design_make();
    rk_trial_plan plan = {.sp_step = 1,
                          .sp_at = QNAN,
                          .load_step = QNAN,
                          .load_at = QNAN,
                          .duration = QNAN,
                          .noise = 0,
                          .band = QNAN};
    rk_trial_case c;
    double needed, digits;

    loop.model = fopdt(2, paces[_i], 0.3 * paces[_i]);
    loop.has_model = loop.has_settings = true;
    loop.ts = 0.01 * paces[_i];
    loop.settings = rk_settings_make(0.6, paces[_i], 0, 0);
    c = rk_trial_case_of(&loop, false);
    needed = rk_trial_time_to_settle(&c);
    rk_trial_plan_complete(&plan, &loop, &c, 1);
    ck_assert_double_ge(plan.duration, needed);
    ck_assert_double_lt(plan.duration, 1.1 * needed);
    digits = plan.duration / pow(10, floor(log10(plan.duration) + 1e-9) - 1);
    ck_assert_double_eq_tol(digits, round(digits), 1e-9);
    ck_assert(digits > 9.5 && digits < 99.5);
}
END_TEST

Suite *suite_trial(void)
{
    Suite *suite = suite_create("design/trial");
    TCase *t = tcase_create("trial");

    add_table(t, a_run_is_as_long_as_it_needs_rounded_up, paces);
    add_table(t, first_order_loop_has_the_closed_form_metrics, lambdas);
    add_table(t, second_order_loop_overshoots_by_the_closed_form, dampings);
    tcase_add_test(t, p_only_settles_off_the_setpoint_by_one_over_one_plus_loop_gain);
    tcase_add_test(t, criteria_agree_with_the_error_integrals);
    tcase_add_test(t, load_metrics_count_from_the_load_step);
    tcase_add_test(t, dead_time_delays_everything_that_is_seen);
    tcase_add_test(t, a_trial_starts_at_its_operating_point);
    tcase_add_test(t, anti_windup_shortens_the_time_on_the_limit);
    tcase_add_test(t, a_setpoint_out_of_reach_settles_where_the_limit_holds_it);
    tcase_add_test(t, rate_limit_keeps_the_output_from_jumping);
    tcase_add_test(t, by_hand_the_output_moves_once);
    tcase_add_test(t, a_run_cut_short_does_not_claim_to_have_settled);
    tcase_add_test(t, an_unstable_loop_neither_settles_nor_crashes);
    add_table(t, a_plan_is_completed_by_what_suits_the_loop, open_plans);
    tcase_add_test(t, a_record_beside_a_trial_is_off_by_what_it_is_off);
    add_table(t, bad_plans_are_refused, refused);
    suite_add_tcase(suite, t);
    return suite;
}
