/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "pid_rig.h"

/* Worked by hand from the law: setpoint and PV of three scans, and the outputs. */
static const struct {
    const char *fact;
    double kc, ti, td, tf, b, c;
    double sp[3], pv[3], out[3];
} law[] = {
    {"P alone acts on the error", 2, HUGE_VAL, 0, 0, 1, 0, {1, 1, 1}, {0, 0, 1}, {52, 52, 50}},
    {"PI counts this scan's error at once",
     2,
     10,
     0,
     0,
     1,
     0,
     {1, 1, 1},
     {0, 0, 1},
     {52.2, 52.4, 50.4}},
    {"a negative kc lets OUT rise with PV",
     -2,
     10,
     0,
     0,
     1,
     0,
     {0, 0, 0},
     {1, 1, 1},
     {52.2, 52.4, 52.6}},
    {"setpoint weight 0 leaves the setpoint to the integral",
     2,
     10,
     0,
     0,
     0,
     0,
     {1, 1, 1},
     {0, 0, 0},
     {50.2, 50.4, 50.6}},
    {"the derivative acts on PV, not on the setpoint",
     2,
     HUGE_VAL,
     4,
     1,
     1,
     0,
     {1, 1, 1},
     {0, 0, 0},
     {52, 52, 52}},
    {"the filtered derivative decays by tf/(tf+ts)",
     2,
     HUGE_VAL,
     4,
     1,
     1,
     0,
     {0, 0, 0},
     {1, 1, 1},
     {44, 46, 47}},
    {"an unfiltered derivative lasts one scan",
     2,
     HUGE_VAL,
     4,
     0,
     1,
     0,
     {0, 0, 0},
     {1, 1, 1},
     {40, 48, 48}},
    {"derivative weight 1 takes the setpoint in",
     2,
     HUGE_VAL,
     4,
     1,
     1,
     1,
     {1, 1, 1},
     {0, 0, 0},
     {56, 54, 53}},
};

START_TEST(law_gives_the_outputs_worked_by_hand)
{
    rk_pid_params params = plain();
    rk_pid pid;
    int i;

    params.kc = law[_i].kc;
    params.ti = law[_i].ti;
    params.td = law[_i].td;
    params.tf = law[_i].tf;
    params.sp_weight = law[_i].b;
    params.d_sp_weight = law[_i].c;
    pid = at_rest(&params, 0, 0, 50);
    for (i = 0; i < 3; i++) {
        const double out = rk_pid_scan(&pid, law[_i].sp[i], law[_i].pv[i]);

        ck_assert_msg(fabs(out - law[_i].out[i]) < 1e-12, "%s: scan %d gives %.15g, not %g",
                      law[_i].fact, i, out, law[_i].out[i]);
    }
}
END_TEST

/*
 * kc 1, ti 10, limit 100, start at 95. An error of +10 for 50 scans, then of -10. Without
 * anti-windup I = 95 + 50, and v = -10 + 145 - j comes below 100 in scan 36. Conditional: I
 * stays at 95. Back-calculation with tt = 10 settles at I = 99, where 1 = 0.1 (I + 11 - 100).
 */
static const struct {
    rk_anti_windup way;
    int leaves_in;
    double first_out;
} windup[] = {
    {RK_ANTI_WINDUP_NONE, 36, 99},
    {RK_ANTI_WINDUP_CONDITIONAL, 1, 84},
    {RK_ANTI_WINDUP_BACK_CALCULATION, 1, 88},
};

START_TEST(output_leaves_the_limit_when_theory_says)
{
    rk_pid_params params = plain();
    double out = 100;
    rk_pid pid;
    int scan;

    params.kc = 1;
    params.anti_windup = windup[_i].way;
    pid = at_rest(&params, 0, 0, 95);
    for (scan = 0; scan < 50; scan++) {
        out = rk_pid_scan(&pid, 10, 0);
        ck_assert_double_eq(out, 100);
    }
    for (scan = 0; out == 100 && scan < 100; scan++) {
        out = rk_pid_scan(&pid, 0, 10);
    }
    ck_assert_int_eq(scan, windup[_i].leaves_in);
    ck_assert_double_eq_tol(out, windup[_i].first_out, 0.06); /* I = 99 is reached to 0.9^50 */
}
END_TEST

START_TEST(conditional_stops_at_the_low_limit_too)
{
    rk_pid_params params = plain();
    rk_pid pid;
    int scan;

    params.anti_windup = RK_ANTI_WINDUP_CONDITIONAL;
    pid = at_rest(&params, 0, 0, 5);
    for (scan = 0; scan < 50; scan++) {
        ck_assert_double_eq(rk_pid_scan(&pid, -10, 0), 0);
    }
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 1, 0), 7.2, 1e-12); /* I is still 5 */
}
END_TEST

START_TEST(p_only_keeps_its_bias_under_back_calculation)
{
    rk_pid_params params = plain();
    rk_pid pid;
    int scan;

    params.ti = HUGE_VAL;
    params.anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION;
    pid = at_rest(&params, 0, 0, 50);
    for (scan = 0; scan < 20; scan++) {
        ck_assert_double_eq(rk_pid_scan(&pid, 100, 0), 100);
    }
    ck_assert_double_eq(rk_pid_scan(&pid, 0, 0), 50);
}
END_TEST

START_TEST(plain_parameters_wind_back_with_a_tracking_time_of_ti)
{
    rk_pid_params given = plain(), plainest = rk_pid_params_make();
    rk_pid a, b;
    int scan;

    given.anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION;
    given.tt = given.ti;
    plainest.ts = given.ts;
    plainest.kc = given.kc;
    plainest.ti = given.ti;
    a = at_rest(&given, 0, 0, 50);
    b = at_rest(&plainest, 0, 0, 50);
    for (scan = 0; scan < 60; scan++) {
        const double sp = scan < 30 ? 100 : 1;

        ck_assert_double_eq(rk_pid_scan(&b, sp, 0), rk_pid_scan(&a, sp, 0));
    }
    ck_assert_double_lt(b.out, 100); /* wound up, it would still be there */
}
END_TEST

START_TEST(a_bias_needs_a_tracking_time_of_its_own)
{
    rk_pid_params params = plain();
    rk_pid pid;

    params.ti = HUGE_VAL;
    params.biased = true;
    params.bias = 50;
    params.tt = 0;
    ck_assert_int_eq(rk_pid_init(&pid, &params, 50), RK_ERR_RANGE);
    params.tt = 10;
    ck_assert_int_eq(rk_pid_init(&pid, &params, 50), RK_OK);
}
END_TEST

START_TEST(manual_to_automatic_starts_from_the_output_on_the_valve)
{
    rk_pid_params params = plain();
    rk_pid pid = at_rest(&params, 10, 10, 50);
    int scan;

    rk_pid_set_manual(&pid, 80);
    for (scan = 0; scan < 30; scan++) {
        ck_assert_double_eq(rk_pid_scan(&pid, 10, 12), 80);
    }
    rk_pid_set_auto(&pid);
    /* Only this scan's integral of the error of -2 moves the output: 2 * 0.1 * -2. */
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 10, 12), 79.6, 1e-12);
}
END_TEST

START_TEST(manual_output_is_limited_and_a_bad_one_changes_nothing)
{
    rk_pid_params params = plain();
    rk_pid pid = at_rest(&params, 0, 0, 50);

    rk_pid_set_manual(&pid, 170);
    ck_assert_double_eq(rk_pid_scan(&pid, 0, 0), 100);
    rk_pid_set_manual(&pid, -3);
    ck_assert_double_eq(rk_pid_scan(&pid, 0, 0), 0);
    rk_pid_set_manual(&pid, 33);
    ck_assert_double_eq(rk_pid_scan(&pid, 0, 0), 33);
    rk_pid_set_manual(&pid, QNAN);
    ck_assert_double_eq(rk_pid_scan(&pid, 0, 0), 33);
}
END_TEST

START_TEST(first_scan_takes_pv_as_it_finds_it)
{
    rk_pid_params params = plain();
    rk_pid pid;

    params.td = 5;
    params.tf = 0.5;
    ck_assert_int_eq(rk_pid_init(&pid, &params, 37), RK_OK);
    /* Far from the setpoint: out moves by one increment, 2 * 0.1 * 5, and nothing else. */
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 25, 20), 38, 1e-12);
}
END_TEST

static const double bad_values[] = {QNAN, HUGE_VAL, -HUGE_VAL};

START_TEST(bad_pv_holds_the_output_and_recovery_does_not_bump)
{
    rk_pid_params params = plain();
    rk_pid pid;
    double held;
    int scan;

    params.td = 5;
    params.tf = 0.5;
    pid = at_rest(&params, 10, 10, 50);
    held = rk_pid_scan(&pid, 10, 9.5);
    for (scan = 0; scan < 20; scan++) {
        ck_assert_double_eq(rk_pid_scan(&pid, 10, bad_values[_i]), held);
    }
    /* PV moved meanwhile by 4: no derivative kick, no jump of P; one increment of 2 * 0.1
     * * 4.5. */
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 10, 5.5), held + 0.9, 1e-12);
}
END_TEST

START_TEST(manual_works_while_pv_is_bad)
{
    rk_pid_params params = plain();
    rk_pid pid = at_rest(&params, 10, 10, 50);

    rk_pid_set_manual(&pid, 20);
    ck_assert_double_eq(rk_pid_scan(&pid, 10, bad_values[_i]), 20);
    ck_assert_double_eq(rk_pid_scan(&pid, bad_values[_i], 10), 20);
    rk_pid_set_auto(&pid);
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 10, 10), 20, 1e-12);
}
END_TEST

START_TEST(rate_limit_holds_in_automatic_and_manual)
{
    rk_pid_params params = plain();
    rk_pid pid;

    params.out_rate = 0.5;
    params.ts = 2;
    pid = at_rest(&params, 0, 0, 50);
    ck_assert_double_eq(rk_pid_scan(&pid, 40, 0), 51);
    ck_assert_double_eq(rk_pid_scan(&pid, 40, 0), 52);
    rk_pid_set_manual(&pid, 0);
    ck_assert_double_eq(rk_pid_scan(&pid, 40, 0), 51);
}
END_TEST

/* Random settings, inputs and modes; bad and huge values among them. */
static double wild_value(rng *r)
{
    const double u = rng_uniform(r);

    if (u < 0.02) return QNAN;
    if (u < 0.03) return HUGE_VAL;
    if (u < 0.04) return -1e308;
    if (u < 0.05) return 1e300 * rng_uniform(r);
    return 200.0 * (rng_uniform(r) - 0.5);
}

static rk_pid_params wild_params(rng *r)
{
    rk_pid_params p = plain();

    p.ts = 0.05 + rng_uniform(r);
    p.kc = 20.0 * (rng_uniform(r) - 0.5);
    p.ti = rng_uniform(r) < 0.2 ? HUGE_VAL : p.ts * (1.0 + (50.0 * rng_uniform(r)));
    p.td = rng_uniform(r) < 0.4 ? 0.0 : 5.0 * rng_uniform(r);
    p.tf = rng_uniform(r);
    p.sp_weight = rng_uniform(r);
    p.d_sp_weight = rng_uniform(r);
    p.out_rate = rng_uniform(r) < 0.5 ? HUGE_VAL : 10.0 * rng_uniform(r);
    p.anti_windup = (rk_anti_windup)(int)(3.0 * rng_uniform(r));
    p.tt = p.ts * (1.0 + (20.0 * rng_uniform(r)));
    p.deadband = rng_uniform(r) < 0.7 ? 0.0 : 10.0 * rng_uniform(r);
    p.biased = rng_uniform(r) < 0.5;
    p.bias = 60.0 * (rng_uniform(r) - 0.5);
    if (rng_uniform(r) < 0.3) {
        p.sp_rate = 10.0 * rng_uniform(r);
    }
    return p;
}

static void try_output_keeps(int seed)
{
    rng r = {(uint64_t)seed + 1};
    const rk_pid_params params = wild_params(&r);
    const double step = params.out_rate * params.ts * (1.0 + 1e-12);
    rk_pid_params others = params;
    double last = 50;
    rk_pid pid;
    int scan;

    ck_assert_int_eq(rk_pid_init(&pid, &params, last), RK_OK);
    for (scan = 0; scan < 200; scan++) {
        double out;

        if (rng_uniform(&r) < 0.03) {
            others.kc = 0.1 + (10.0 * rng_uniform(&r));
            others.bad_to_safe = !others.bad_to_safe;
            others.out_safe = 20;
            others.i_lo = -50.0 * rng_uniform(&r);
            others.i_hi = 50.0 * rng_uniform(&r) + 1.0;
            ck_assert_int_eq(rk_pid_set_params(&pid, &others), RK_OK);
        }
        if (rng_uniform(&r) < 0.05) {
            rk_pid_set_feedforward(&pid, wild_value(&r));
        }
        if (rng_uniform(&r) < 0.05) {
            rk_pid_set_manual(&pid, wild_value(&r));
        }
        if (rng_uniform(&r) < 0.05) {
            rk_pid_set_auto(&pid);
        }
        out = rk_pid_scan(&pid, wild_value(&r), wild_value(&r));
        must(out >= 0 && out <= 100);
        must(fabs(out - last) <= step + 1e-12);
        must(pid.fresh || (isfinite(pid.i) && isfinite(pid.d)));
        last = out;
    }
}

/* Many in a process: one each would take longer to start than to run. */
START_TEST(output_keeps_limits_and_rate_and_state_stays_finite)
{
    int seed;

    for (seed = 250 * _i; seed < 250 * (_i + 1); seed++) {
        try_output_keeps(seed);
    }
}
END_TEST

static void try_direct_action(int seed)
{
    rng r = {(uint64_t)seed + 5000};
    rk_pid_params up = wild_params(&r), down;
    rk_pid a, b;
    int scan;

    up.out_lo = -100;
    down = up;
    down.kc = -up.kc;
    down.bias = -up.bias;
    ck_assert_int_eq(rk_pid_init(&a, &up, 10), RK_OK);
    ck_assert_int_eq(rk_pid_init(&b, &down, -10), RK_OK);
    for (scan = 0; scan < 100; scan++) {
        const double sp = 20.0 * rng_uniform(&r), pv = 20.0 * rng_uniform(&r);

        must(rk_pid_scan(&a, sp, pv) == -rk_pid_scan(&b, sp, pv));
    }
}

/* Many in a process: one each would take longer to start than to run. */
START_TEST(direct_action_mirrors_reverse)
{
    int seed;

    for (seed = 250 * _i; seed < 250 * (_i + 1); seed++) {
        try_direct_action(seed);
    }
}
END_TEST

#define SET(field, value)                                                                      \
    {                                                                                          \
#field " " #value, offsetof(rk_pid_params, field), value                               \
    }
static const struct {
    const char *what;
    size_t offset;
    double value;
} refused[] = {
    SET(ts, 0),           SET(ts, -1),         SET(ts, QNAN),        SET(ts, HUGE_VAL),
    SET(kc, 0),           SET(kc, QNAN),       SET(kc, HUGE_VAL),    SET(ti, 0),
    SET(ti, -1),          SET(ti, 0.5),        SET(ti, QNAN),        SET(td, -1),
    SET(td, QNAN),        SET(td, HUGE_VAL),   SET(tf, -0.1),        SET(tf, QNAN),
    SET(sp_weight, -0.1), SET(sp_weight, 1.1), SET(sp_weight, QNAN), SET(out_lo, 100),
    SET(out_lo, 101),     SET(out_lo, QNAN),   SET(out_hi, -5),      SET(out_rate, 0),
    SET(out_rate, QNAN),  SET(out_rate, -1),   SET(tt, 0.5),         SET(tt, -1),
    SET(tt, QNAN),        SET(out_lo, 60),     SET(out_hi, 40),      SET(d_sp_weight, 2),
};

START_TEST(init_refuses_a_value_out_of_range_and_writes_nothing)
{
    rk_pid_params params = plain();
    rk_pid pid, before;

    params.anti_windup = (rk_anti_windup)(_i % 3); /* the tracking time is of other use too */
    memset(&pid, 0x5A, sizeof pid);
    before = pid;
    memcpy((char *)&params + refused[_i].offset, &refused[_i].value, sizeof(double));
    ck_assert_msg(rk_pid_init(&pid, &params, 50) == RK_ERR_RANGE, "%s is taken",
                  refused[_i].what);
    ck_assert_mem_eq(&pid, &before, sizeof pid);
}
END_TEST

START_TEST(init_and_reset_refuse_bad_arguments)
{
    rk_pid_params params = plain();
    rk_pid pid;

    ck_assert_int_eq(rk_pid_init(NULL, &params, 50), RK_ERR_ARG);
    ck_assert_int_eq(rk_pid_init(&pid, NULL, 50), RK_ERR_ARG);
    ck_assert_int_eq(rk_pid_init(&pid, &params, 101), RK_ERR_RANGE);
    ck_assert_int_eq(rk_pid_init(&pid, &params, QNAN), RK_ERR_RANGE);
    ck_assert_int_eq(rk_pid_init(&pid, &params, 50), RK_OK);
    ck_assert_int_eq(rk_pid_reset(NULL, 0, 0, 50), RK_ERR_ARG);
    ck_assert_int_eq(rk_pid_reset(&pid, QNAN, 0, 50), RK_ERR_RANGE);
    ck_assert_int_eq(rk_pid_reset(&pid, 0, HUGE_VAL, 50), RK_ERR_RANGE);
    ck_assert_int_eq(rk_pid_reset(&pid, 0, 0, -1), RK_ERR_RANGE);
    params.anti_windup = (rk_anti_windup)9;
    ck_assert_int_eq(rk_pid_init(&pid, &params, 50), RK_ERR_ARG);
}
END_TEST

/* An error of 1 from rest: kc 2, ki_ts 0.2; after n scans backward sums have n increments,
   forward n - 1, the trapezoid n - 1/2. */
START_TEST(each_scheme_has_its_sum_of_a_constant_error)
{
    static const double first[] = {1, 0.5, 0};
    rk_pid_params params = plain();
    rk_pid pid;
    int n;

    params.integral = (rk_scheme)(_i % 3);
    params.algorithm = (rk_algorithm)(_i / 3);
    pid = at_rest(&params, 0, 0, 40);
    for (n = 0; n < 50; n++) {
        ck_close(rk_pid_scan(&pid, 1, 0), 40 + 2 + (0.2 * (first[_i % 3] + n)), 1e-12);
    }
}
END_TEST

/* A PV step of -1: D begins at kd and decays by ad a scan; by the trapezoid
   kd = kc 2 td / (2 tf + ts), ad = (2 tf - ts) / (2 tf + ts). */
START_TEST(the_trapezoids_derivative_decays_as_it_should)
{
    rk_pid_params params = plain();
    const double kd = 2.0 * 2 * 3 / (2 * 2 + 1), ad = 3.0 / 5;
    rk_pid pid;
    int n;

    params.ti = HUGE_VAL;
    params.td = 3;
    params.tf = 2;
    params.derivative = RK_SCHEME_TRAPEZOID;
    pid = at_rest(&params, 0, 0, 40);
    for (n = 0; n < 20; n++) {
        ck_close(rk_pid_scan(&pid, 0, -1), 40 + 2 + (kd * pow(ad, n)), 1e-12);
    }
}
END_TEST

/* The velocity form is the position form whose integral is paid back within a scan: through
   both limits, the rate, manual, a bad PV, feedforward. */
START_TEST(velocity_is_position_with_a_tracking_time_of_one_scan)
{
    rk_pid_params position = plain(), velocity;
    rk_pid a, b;
    rng r = {77};
    double sp = 0, pv = 0, seen, moved, stands;
    int n;

    position.td = 2;
    position.tf = 0.4;
    position.out_rate = 7;
    position.sp_weight = 0.6;
    position.anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION;
    position.tt = position.ts;
    velocity = position;
    velocity.algorithm = RK_ALGORITHM_VELOCITY;
    ck_assert_int_eq(rk_pid_init(&a, &position, 40), RK_OK);
    ck_assert_int_eq(rk_pid_init(&b, &velocity, 40), RK_OK);
    for (n = 0; n < 3000; n++) {
        const double out = 130 * (rng_uniform(&r) - 0.1);

        if (n % 40 == 0) {
            sp = 60 * (rng_uniform(&r) - 0.5);
            rk_pid_set_feedforward(&a, 0.1 * out);
            rk_pid_set_feedforward(&b, 0.1 * out);
        }
        if (n % 100 == 60) {
            rk_pid_set_manual(&a, out);
            rk_pid_set_manual(&b, out);
        }
        if (n % 100 == 80) {
            rk_pid_set_auto(&a);
            rk_pid_set_auto(&b);
        }
        pv += (0.05 * (sp - pv)) + (0.2 * rng_normal(&r));
        seen = n % 70 == 3 ? QNAN : pv;
        moved = rk_pid_scan(&b, sp, seen);
        stands = rk_pid_scan(&a, sp, seen);
        ck_close(moved, stands, 1e-9);
    }
}
END_TEST

START_TEST(a_scheme_without_sense_is_refused)
{
    rk_pid_params p = plain();
    rk_pid pid;

    p.algorithm = RK_ALGORITHM_VELOCITY;
    p.ti = HUGE_VAL; /* nothing would hold the output */
    ck_assert_int_eq(rk_pid_param_error(&p, 40), RK_PARAM_ERROR_SCHEME);
    ck_assert_int_eq(rk_pid_init(&pid, &p, 40), RK_ERR_RANGE);
    p = plain();
    p.td = 2;
    p.tf = 0.4; /* below half a scan: D would swing */
    p.derivative = RK_SCHEME_TRAPEZOID;
    ck_assert_int_eq(rk_pid_param_error(&p, 40), RK_PARAM_ERROR_SCHEME);
    p.tf = 0.5;
    ck_assert_int_eq(rk_pid_param_error(&p, 40), RK_PARAM_ERROR_NONE);
    p.derivative = RK_SCHEME_FORWARD;
    ck_assert_int_eq(rk_pid_param_error(&p, 40), RK_PARAM_ERROR_SCHEME);
    p = plain();
    p.integral = (rk_scheme)3;
    ck_assert_int_eq(rk_pid_param_error(&p, 40), RK_PARAM_ERROR_SCHEME);
}
END_TEST

Suite *suite_pid(void)
{
    Suite *suite = suite_create("device/pid");
    TCase *t = tcase_create("pid");

    add_table(t, law_gives_the_outputs_worked_by_hand, law);
    add_table(t, output_leaves_the_limit_when_theory_says, windup);
    tcase_add_test(t, conditional_stops_at_the_low_limit_too);
    tcase_add_test(t, p_only_keeps_its_bias_under_back_calculation);
    tcase_add_test(t, manual_to_automatic_starts_from_the_output_on_the_valve);
    tcase_add_test(t, manual_output_is_limited_and_a_bad_one_changes_nothing);
    tcase_add_test(t, first_scan_takes_pv_as_it_finds_it);
    add_table(t, bad_pv_holds_the_output_and_recovery_does_not_bump, bad_values);
    add_table(t, manual_works_while_pv_is_bad, bad_values);
    tcase_add_test(t, plain_parameters_wind_back_with_a_tracking_time_of_ti);
    tcase_add_test(t, a_bias_needs_a_tracking_time_of_its_own);
    tcase_add_test(t, rate_limit_holds_in_automatic_and_manual);
    tcase_add_loop_test(t, output_keeps_limits_and_rate_and_state_stays_finite, 0, 4);
    tcase_add_loop_test(t, direct_action_mirrors_reverse, 0, 4);
    add_table(t, init_refuses_a_value_out_of_range_and_writes_nothing, refused);
    tcase_add_test(t, init_and_reset_refuse_bad_arguments);
    tcase_add_loop_test(t, each_scheme_has_its_sum_of_a_constant_error, 0, 6);
    tcase_add_test(t, the_trapezoids_derivative_decays_as_it_should);
    tcase_add_test(t, velocity_is_position_with_a_tracking_time_of_one_scan);
    tcase_add_test(t, a_scheme_without_sense_is_refused);
    suite_add_tcase(suite, t);
    return suite;
}
