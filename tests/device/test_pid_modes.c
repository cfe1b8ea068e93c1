/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "pid_rig.h"

/* P alone, kc 2, deadband 3 about sp 50: OUT by how far PV is beyond the band. */
static const struct {
    double pv, out;
} band[] = {{50, 40}, {52.9, 40}, {53, 40}, {53.25, 39.5}, {55, 36}, {47, 40}, {46, 42}};

START_TEST(deadband_is_a_gap_without_a_bump_at_its_edge)
{
    rk_pid_params params = plain();
    rk_pid pid;

    params.ti = HUGE_VAL;
    params.deadband = 3;
    pid = at_rest(&params, 50, 50, 40);
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 50, band[_i].pv), band[_i].out, 1e-12);
}
END_TEST

START_TEST(integral_rests_within_the_deadband)
{
    rk_pid_params params = plain();
    rk_pid pid;
    int i;

    params.deadband = 3;
    pid = at_rest(&params, 50, 50, 40);
    for (i = 0; i < 100; i++) {
        ck_assert_double_eq(rk_pid_scan(&pid, 50, 52.5), 40);
    }
    /* One beyond: P 2 * -1 and in each scan 0.2 * -1. */
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 50, 54), 37.8, 1e-12);
}
END_TEST

START_TEST(setpoint_is_limited_and_ramps_from_pv_when_automatic_begins)
{
    rk_pid_params params = plain();
    rk_pid pid;
    int i;

    params.ti = HUGE_VAL;
    params.sp_hi = 60;
    params.sp_rate = 0.5;
    ck_assert_int_eq(rk_pid_init(&pid, &params, 40), RK_OK);
    for (i = 1; i <= 30; i++) {
        /* The first scan starts from where it finds everything. */
        ck_assert_double_eq_tol(rk_pid_scan(&pid, 80, 50), 40 + (i - 1), 1e-12);
        ck_assert_double_eq_tol(pid.sp_now, fmin(50 + (0.5 * i), 60), 1e-12);
        if (i == 20) break;
    }
    rk_pid_set_manual(&pid, pid.out);
    (void)rk_pid_scan(&pid, 80, 52);
    rk_pid_set_auto(&pid);
    (void)rk_pid_scan(&pid, 80, 52);
    ck_assert_double_eq_tol(pid.sp_now, 52.5, 1e-12);
    /* A PV that is bad for a while and new settings do not start the ramp again. */
    (void)rk_pid_scan(&pid, 80, QNAN);
    ck_assert_int_eq(rk_pid_set_params(&pid, &params), RK_OK);
    (void)rk_pid_scan(&pid, 80, 52);
    ck_assert_double_eq_tol(pid.sp_now, 53, 1e-12);
}
END_TEST

START_TEST(feedforward_adds_to_the_output_and_to_nothing_else)
{
    rk_pid_params params = plain();
    rk_pid pid = at_rest(&params, 50, 50, 40);

    rk_pid_set_feedforward(&pid, 7);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 50), 47);
    rk_pid_set_feedforward(&pid, QNAN);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 50), 47);
    rk_pid_set_manual(&pid, 30);
    (void)rk_pid_scan(&pid, 50, 50);
    rk_pid_set_auto(&pid);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 50), 30);
    rk_pid_set_feedforward(&pid, 0);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 50), 23);
}
END_TEST

/* A master whose slave is in manual follows the slave's PV, and takes over from there. */
START_TEST(tracking_follows_at_once_and_hands_over_without_a_bump)
{
    rk_pid_params params = plain();
    rk_pid pid;

    params.out_rate = 1;
    pid = at_rest(&params, 50, 45, 40);
    rk_pid_set_tracking(&pid, 75);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 45), 75);
    rk_pid_set_tracking(&pid, 130);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 45), 100);
    rk_pid_set_tracking(&pid, 60);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, QNAN), 60);
    rk_pid_set_tracking(&pid, QNAN);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 45), 60);
    rk_pid_set_auto(&pid);
    /* One inc: 2 * 1/10 * 5. */
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 50, 45), 61, 1e-12);
}
END_TEST

/*
 * P control of gain g, from bias: PV rests where pv = pv0 + g (out - out0) and out = bias + kc
 * (sp
 * - pv); with out0 = bias the offset is 1 / (1 + kc g) of the setpoint's step.
 */
static const struct {
    double kc, gain;
} offsets[] = {{0.5, 2}, {1, 2}, {2, 2}, {3, 0.25}, {-2, -0.5}, {0.1, 1}};

START_TEST(p_only_offset_is_the_textbooks)
{
    const rk_model model = {RK_MODEL_FOPDT, offsets[_i].gain, {10, 0}, 0, 2, 40, 50};
    rk_pid_params params = plain();
    rk_real memory[8];
    rk_plant_params made;
    rk_plant plant;
    rk_pid pid;
    double pv = 50;
    int i;

    params.kc = offsets[_i].kc;
    params.ti = HUGE_VAL;
    params.biased = true;
    params.bias = 40;
    params.tt = 30;
    ck_assert_int_eq(rk_plant_params_from_model(&model, 1, &made, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &made, memory, 8, 40), RK_OK);
    /* Taken over from another output: that fades. */
    ck_assert_int_eq(rk_pid_init(&pid, &params, 43), RK_OK);
    for (i = 0; i < 3000; i++) {
        pv = rk_plant_scan(&plant, rk_pid_scan(&pid, 54, pv));
    }
    ck_assert_double_eq_tol((54 - pv) / 4, 1 / (1 + (offsets[_i].kc * offsets[_i].gain)), 1e-9);
}
END_TEST

START_TEST(integral_stops_at_its_limits_and_comes_back_at_once)
{
    rk_pid_params params = plain();
    rk_pid pid;
    int i;

    params.i_hi = 45;
    pid = at_rest(&params, 50, 50, 40);
    for (i = 0; i < 20; i++) {
        (void)rk_pid_scan(&pid, 60, 50);
    }
    ck_assert_double_eq(pid.out, 65); /* 45 + 2 * 10 */
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 40, 50), 45 - 20 - 2, 1e-12);
    /* Found beyond the limit it is not pushed back: that would bump. */
    ck_assert_int_eq(rk_pid_init(&pid, &params, 80), RK_OK);
    ck_assert_double_eq(rk_pid_scan(&pid, 51, 50), 80);
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 49, 50), 80 - 4 - 0.2, 1e-12);
}
END_TEST

/* What a bad PV does, and that nothing bumps when it is back. */
static const struct {
    bool to_safe;
    double pv, after_three;
} bad[] = {{false, (double)NAN, 40}, {true, (double)NAN, 37}, {true, HUGE_VAL, 37},
           {false, -0.1, 40},        {false, 100.1, 40},      {true, 100.1, 37},
           {true, -HUGE_VAL, 37}};

START_TEST(bad_pv_holds_or_goes_to_the_safe_output_at_its_rate)
{
    rk_pid_params params = plain();
    rk_pid pid;
    int i;

    params.pv_lo = 0;
    params.pv_hi = 100;
    params.out_rate = 1;
    params.bad_to_safe = bad[_i].to_safe;
    params.out_safe = 10;
    pid = at_rest(&params, 50, 50, 40);
    for (i = 0; i < 3; i++) {
        (void)rk_pid_scan(&pid, 50, bad[_i].pv);
    }
    ck_assert_double_eq(pid.out, bad[_i].after_three);
    ck_assert(pid.bad);
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 50, 48), bad[_i].after_three + 0.4, 1e-12);
    ck_assert(!pid.bad);
    rk_pid_set_manual(&pid, 41);
    (void)rk_pid_scan(&pid, 50, bad[_i].pv);
    (void)rk_pid_scan(&pid, 50, bad[_i].pv);
    ck_assert_double_le(fabs(pid.out - 41), 4.0);
    ck_assert_double_gt(pid.out, bad[_i].after_three); /* manual goes on */
}
END_TEST

/* A quiet loop, settings and modes at random: OUT moves by one inc and the rate at most. */
static rk_pid_params any_params(rng *r)
{
    rk_pid_params p = plain();

    p.kc = 0.1 + (5.0 * rng_uniform(r));
    p.ti = rng_uniform(r) < 0.2 ? HUGE_VAL : 2.0 + (50.0 * rng_uniform(r));
    p.td = rng_uniform(r) < 0.5 ? 0.0 : 5.0 * rng_uniform(r);
    p.tf = rng_uniform(r);
    p.sp_weight = rng_uniform(r);
    p.d_sp_weight = rng_uniform(r);
    p.deadband = rng_uniform(r) < 0.7 ? 0.0 : 2.0 * rng_uniform(r);
    p.anti_windup = (rk_anti_windup)(int)(3.0 * rng_uniform(r));
    p.biased = rng_uniform(r) < 0.3;
    p.bias = 100.0 * rng_uniform(r);
    p.tt = 5.0 + (20.0 * rng_uniform(r));
    p.i_lo = -200.0 * rng_uniform(r);
    p.i_hi = p.i_lo + 10.0 + (200.0 * rng_uniform(r));
    return p;
}

/* The most that one scan may move OUT when nothing moves but this. */
static double one_inc(const rk_pid *pid, const rk_pid_params *p, double error)
{
    const double inc = p->ti < HUGE_VAL ? p->kc * (p->ts / p->ti) * fabs(error) : 0.0;
    const double part = p->ts / p->tt;
    /* I has gone this part of its way by now. */
    const double fade = p->biased ? part / (1.0 - part) * fabs(p->bias - pid->i) : 0.0;

    return fmax(inc, isfinite(p->ti) ? 0.0 : fade) * (1.0 + 1e-9) + 1e-9;
}

/* What the law comes to at the last scan's s and y, before the limits. */
static double v_of(const rk_pid *pid, const rk_pid_params *p)
{
    return p->kc * ((p->sp_weight * pid->sp_now) - pid->y) + pid->i + pid->d;
}

static void try_new_settings(int seed)
{
    rng r = {(uint64_t)seed + 11000};
    const double sp = 45.0 + (10.0 * rng_uniform(&r)), pv = 50;
    rk_pid_params params = any_params(&r), next;
    double v, seen;
    rk_pid pid;
    int i;

    ck_assert_int_eq(rk_pid_init(&pid, &params, 100.0 * rng_uniform(&r)), RK_OK);
    for (i = 0; i < 20; i++) {
        int k;

        /* It has worked for a while. */
        for (k = 0; k < 5; k++) {
            seen = pv + (0.01 * rng_normal(&r));
            (void)rk_pid_scan(&pid, sp, seen);
        }
        next = any_params(&r);
        next.deadband = params.deadband; /* another one moves y itself, the last one too */
        v = v_of(&pid, &params);
        ck_assert_int_eq(rk_pid_set_params(&pid, &next), RK_OK);
        must(fabs(v_of(&pid, &next) - v) <= 1e-9 * (1.0 + fabs(v)));
        params = next;
    }
}

/* Many in a process: one each would take longer to start than to run. */
START_TEST(new_settings_never_bump)
{
    int seed;

    for (seed = 250 * _i; seed < 250 * (_i + 1); seed++) {
        try_new_settings(seed);
    }
}
END_TEST

static void try_changes_of(int seed)
{
    rng r = {(uint64_t)seed + 12000};
    rk_pid_params params = any_params(&r);
    const double pv = 50, sp = 45.0 + (10.0 * rng_uniform(&r));
    double last = 100.0 * rng_uniform(&r);
    rk_pid pid;
    int i;

    params.out_rate = 0.2 + (2.0 * rng_uniform(&r));
    ck_assert_int_eq(rk_pid_init(&pid, &params, last), RK_OK);
    for (i = 0; i < 100; i++) {
        const bool was_auto = pid.mode == RK_PID_AUTO;

        if (rng_uniform(&r) < 0.3) {
            if (was_auto) {
                rk_pid_set_manual(&pid, 200.0 * (rng_uniform(&r) - 0.25));
            } else {
                rk_pid_set_auto(&pid);
            }
        }
        (void)rk_pid_scan(&pid, sp, pv);
        must(fabs(pid.out - last) <= params.out_rate * (1.0 + 1e-9));
        if (!was_auto && pid.mode == RK_PID_AUTO) {
            must(fabs(pid.out - last) <= one_inc(&pid, &params, sp - pv));
        }
        last = pid.out;
    }
}

/* Many in a process: one each would take longer to start than to run. */
START_TEST(changes_of_mode_never_bump_more_than_the_rate)
{
    int seed;

    for (seed = 250 * _i; seed < 250 * (_i + 1); seed++) {
        try_changes_of(seed);
    }
}
END_TEST

START_TEST(new_settings_that_are_wrong_change_nothing)
{
    rk_pid_params params = plain(), wrong = plain();
    rk_pid pid = at_rest(&params, 50, 48, 40);

    wrong.kc = 9;
    wrong.ti = 0;
    ck_assert_int_eq(rk_pid_set_params(&pid, &wrong), RK_ERR_RANGE);
    ck_assert_int_eq(rk_pid_set_params(NULL, &params), RK_ERR_ARG);
    ck_assert_int_eq(rk_pid_set_params(&pid, NULL), RK_ERR_ARG);
    /* P does nothing new, inc is 0.2 * 2. */
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 50, 48), 40.4, 1e-12);
}
END_TEST

#define PARAM_ERROR(field, value, error)                                                       \
    {                                                                                          \
#field, offsetof(rk_pid_params, field), value, error                                   \
    }
static const struct {
    const char *name;
    size_t offset;
    double value;
    rk_param_error error;
} wrong_params[] = {
    PARAM_ERROR(ts, 0, RK_PARAM_ERROR_TS),
    PARAM_ERROR(kc, 0, RK_PARAM_ERROR_KC),
    PARAM_ERROR(ti, 0.5, RK_PARAM_ERROR_TI),
    PARAM_ERROR(td, -1, RK_PARAM_ERROR_TD),
    PARAM_ERROR(tf, (double)NAN, RK_PARAM_ERROR_TF),
    PARAM_ERROR(sp_weight, 2, RK_PARAM_ERROR_WEIGHT),
    PARAM_ERROR(deadband, -1, RK_PARAM_ERROR_DEADBAND),
    PARAM_ERROR(out_lo, 100, RK_PARAM_ERROR_OUT_LIMITS),
    PARAM_ERROR(out_rate, 0, RK_PARAM_ERROR_OUT_RATE),
    PARAM_ERROR(i_lo, HUGE_VAL, RK_PARAM_ERROR_I_LIMITS),
    PARAM_ERROR(sp_lo, HUGE_VAL, RK_PARAM_ERROR_SP_LIMITS),
    PARAM_ERROR(sp_rate, -1, RK_PARAM_ERROR_SP_RATE),
    PARAM_ERROR(pv_lo, (double)NAN, RK_PARAM_ERROR_PV_RANGE),
    PARAM_ERROR(out_safe, 101, RK_PARAM_ERROR_OUT_SAFE),
    PARAM_ERROR(bias, (double)NAN, RK_PARAM_ERROR_BIAS),
    PARAM_ERROR(out_lo, 45, RK_PARAM_ERROR_OUT_NOW),
};

START_TEST(a_flaw_is_named)
{
    rk_pid_params params = plain();

    params.biased = true;
    params.bad_to_safe = true;
    params.out_safe = 50;
    ck_assert_int_eq(rk_pid_param_error(&params, 40), RK_PARAM_ERROR_NONE);
    memcpy((char *)&params + wrong_params[_i].offset, &wrong_params[_i].value, sizeof(double));
    ck_assert_int_eq(rk_pid_param_error(&params, 40), wrong_params[_i].error);
    ck_assert_ptr_nonnull(strchr(rk_param_error_text(wrong_params[_i].error), ':'));
}
END_TEST

START_TEST(every_flaw_has_a_text)
{
    int i;

    for (i = 0; i < RK_FLAWS; i++) {
        ck_assert_uint_gt(strlen(rk_param_error_text((rk_param_error)i)), 10);
    }
    ck_assert_str_eq(rk_param_error_text((rk_param_error)-1), "no such error");
    ck_assert_str_eq(rk_param_error_text(RK_FLAWS), "no such error");
}
END_TEST

Suite *suite_pid_modes(void)
{
    Suite *suite = suite_create("device/pid_modes");
    TCase *t = tcase_create("pid_modes");

    add_table(t, deadband_is_a_gap_without_a_bump_at_its_edge, band);
    tcase_add_test(t, integral_rests_within_the_deadband);
    tcase_add_test(t, setpoint_is_limited_and_ramps_from_pv_when_automatic_begins);
    tcase_add_test(t, feedforward_adds_to_the_output_and_to_nothing_else);
    tcase_add_test(t, tracking_follows_at_once_and_hands_over_without_a_bump);
    add_table(t, p_only_offset_is_the_textbooks, offsets);
    tcase_add_test(t, integral_stops_at_its_limits_and_comes_back_at_once);
    add_table(t, bad_pv_holds_or_goes_to_the_safe_output_at_its_rate, bad);
    tcase_add_loop_test(t, new_settings_never_bump, 0, 4);
    tcase_add_loop_test(t, changes_of_mode_never_bump_more_than_the_rate, 0, 4);
    tcase_add_test(t, new_settings_that_are_wrong_change_nothing);
    add_table(t, a_flaw_is_named, wrong_params);
    tcase_add_test(t, every_flaw_has_a_text);
    suite_add_tcase(suite, t);
    return suite;
}
