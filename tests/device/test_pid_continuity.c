/* SPDX-License-Identifier: MIT */
/* What happens between two scans changes no output by itself, and what s and y do then acts in
   full: against the law, written down once more here. */
#include <math.h>
#include <string.h>

#include "pid_rig.h"

enum { RUNS = 1000, SCANS = 60 };

/* Any controller that the block takes, with limits far away or near. */
static rk_pid_params any_controller(rng *r)
{
    rk_pid_params p = plain();

    p.ts = 0.1 + (2.0 * rng_uniform(r));
    p.kc = (rng_uniform(r) < 0.5 ? -1.0 : 1.0) * (0.1 + (5.0 * rng_uniform(r)));
    p.ti = p.ts * (1.0 + (50.0 * rng_uniform(r)));
    p.tt = p.ti;
    p.td = rng_uniform(r) < 0.5 ? 0.0 : 5.0 * rng_uniform(r);
    p.tf = p.ts * (0.5 + (2.0 * rng_uniform(r)));
    p.sp_weight = rng_uniform(r);
    p.d_sp_weight = rng_uniform(r) < 0.5 ? 0.0 : rng_uniform(r);
    p.deadband = rng_uniform(r) < 0.7 ? 0.0 : 0.5 * rng_uniform(r);
    p.out_rate = rng_uniform(r) < 0.5 ? HUGE_VAL : 0.5 + (10.0 * rng_uniform(r));
    p.anti_windup = (rk_anti_windup)(int)(3.0 * rng_uniform(r));
    p.integral = (rk_scheme)(int)(3.0 * rng_uniform(r));
    p.derivative = (rk_scheme)(int)(2.0 * rng_uniform(r));
    p.algorithm = rng_uniform(r) < 0.7 ? RK_ALGORITHM_POSITION : RK_ALGORITHM_VELOCITY;
    return p;
}

/* What a caller may do in every scan without changing anything. */
typedef enum habit { SAME_SETTINGS, READS_BACK, TELLS_APPLIED, ALL_HABITS } habit;

static void indulge(rk_pid *pid, const rk_pid_params *params, int what)
{
    if (what == SAME_SETTINGS || what == ALL_HABITS) {
        ck_assert_int_eq(rk_pid_set_params(pid, params), RK_OK);
    }
    if (what == READS_BACK || what == ALL_HABITS) {
        rk_pid_take_out(pid, pid->out);
    }
    if (what == TELLS_APPLIED || what == ALL_HABITS) {
        rk_pid_applied(pid, pid->out);
    }
}

START_TEST(a_habit_of_every_scan_changes_no_bit)
{
    int run, scan;

    for (run = 0; run < RUNS; run++) {
        rng r = {(uint64_t)run + 500};
        const rk_pid_params params = any_controller(&r);
        rk_pid plain_one = at_rest(&params, 50, 50, 50), other = plain_one;

        for (scan = 0; scan < SCANS; scan++) {
            const double sp = 50 + (5.0 * rng_normal(&r)), pv = 50 + (5.0 * rng_normal(&r));
            const double a = rk_pid_scan(&plain_one, sp, pv);

            indulge(&other, &params, _i);
            must(memcmp(&a, &(double){rk_pid_scan(&other, sp, pv)}, sizeof a) == 0);
        }
    }
}
END_TEST

/* One scan of the law of the position algorithm by backward sums, no limit being met. */
static double law(const rk_pid_params *p, double i, double d, double s0, double y0, double s,
                  double y)
{
    const double g = (p->d_sp_weight * s) - y, g0 = (p->d_sp_weight * s0) - y0;

    return (p->kc * ((p->sp_weight * s) - y)) + i + (p->kc * p->ts / p->ti * (s - y)) +
           (p->tf / (p->tf + p->ts) * d) + (p->kc * p->td / (p->tf + p->ts) * (g - g0));
}

static double kd_of(const rk_pid_params *p)
{
    return p->kc * p->td / (p->tf + p->ts);
}

/* Without limits, deadband and other schemes, so that the law above holds. */
static rk_pid_params open_controller(rng *r)
{
    rk_pid_params p = any_controller(r);

    p.integral = p.derivative = RK_SCHEME_BACKWARD;
    p.algorithm = RK_ALGORITHM_POSITION;
    p.deadband = 0;
    p.out_lo = -1e6;
    p.out_hi = 1e6;
    p.out_safe = 0;
    p.out_rate = HUGE_VAL;
    return p;
}

/* What may come between two scans. */
enum { NEW_SETTINGS, STANDS_ELSEWHERE, LATE, BETWEEN };

START_TEST(what_comes_between_two_scans_leaves_v_and_the_next_moves_act_in_full)
{
    int run, scan;

    for (run = 0; run < RUNS; run++) {
        rng r = {(uint64_t)run + 9000};
        rk_pid_params p = open_controller(&r), next = open_controller(&r);
        rk_pid pid = at_rest(&p, 50, 50, 50);
        double s = 50, y = 50, s0, y0, v, d, found, expected;

        for (scan = 0; scan < 10; scan++) {
            s = 50 + (5.0 * rng_normal(&r));
            y = 50 + (5.0 * rng_normal(&r));
            v = rk_pid_scan(&pid, s, y);
        }
        d = pid.d;
        if (_i == NEW_SETTINGS) {
            ck_assert_int_eq(rk_pid_set_params(&pid, &next), RK_OK);
            d = p.td > 0 ? d * kd_of(&next) / kd_of(&p) : 0;
            p = next;
        } else if (_i == STANDS_ELSEWHERE) {
            v = 100.0 * rng_normal(&r);
            rk_pid_take_out(&pid, v);
        } else {
            rk_pid_restart_derivative(&pid);
            d = 0;
        }
        s0 = s;
        y0 = y;
        s += 5.0 * rng_normal(&r);
        y += 5.0 * rng_normal(&r);
        found = rk_pid_scan(&pid, s, y);
        /* I is what makes v at the last scan's s and y what it was. */
        expected = law(&p, v - d - (p.kc * ((p.sp_weight * s0) - y0)), d, s0, y0, s, y);
        if (_i == LATE) { /* no move of the derivative: it cannot know over what time */
            expected -= p.kc * p.td / (p.tf + p.ts) *
                        (((p.d_sp_weight * s) - y) - ((p.d_sp_weight * s0) - y0));
        }
        must(fabs(found - expected) <= 1e-9 * (1000.0 + fabs(expected)));
    }
}
END_TEST

/* A first-order plant, gain 1, time constant 10 s, dead time 2 s, that is scanned every h s. */
static void plant_of(rk_plant *plant, double h, double out, rk_real memory[64])
{
    const rk_model model = {RK_MODEL_FOPDT, 1, {10, 0}, 0, 2, out, 50};
    rk_plant_params params;

    ck_assert_int_eq(rk_plant_params_from_model(&model, h, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(plant, &params, memory, 64, out), RK_OK);
}

/* The loop's integral of |e| after a load, scanned at 1.6 times its interval every time. */
static double late_iae(const rk_pid_params *params, bool told, double *last)
{
    rk_real memory[64];
    rk_pid pid = at_rest(params, 50, 50, 50);
    const double h = 1.6 * params->ts;
    double iae = 0;
    rk_plant plant;
    int scan;

    plant_of(&plant, h, 50, memory);
    for (scan = 0; (double)scan * h < 400; scan++) {
        const double pv = rk_plant_pv(&plant);

        if (told) {
            rk_pid_restart_derivative(&pid);
        }
        iae += h * fabs(50 - pv);
        *last = pv;
        (void)rk_plant_scan(&plant, rk_pid_scan(&pid, 50, pv) + 10);
    }
    return iae;
}

START_TEST(a_loop_that_is_always_late_still_settles)
{
    int run;

    for (run = 0; run < RUNS; run++) {
        rng r = {(uint64_t)run + 77};
        rk_pid_params p = plain();
        double last, plain_last;

        /* SIMC with lambda of one to three dead times, PI or PID. */
        p.ts = 0.2 + (0.8 * rng_uniform(&r));
        p.kc = 10.0 / (2.0 + (2.0 * (1.0 + (2.0 * rng_uniform(&r)))));
        p.ti = 8.0 + (4.0 * rng_uniform(&r));
        p.tt = p.ti;
        p.td = rng_uniform(&r) < 0.5 ? 0 : 1;
        p.tf = 0.1;
        p.anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION;
        must(late_iae(&p, true, &last) < 1.5 * late_iae(&p, false, &plain_last) + 1.0);
        must(fabs(last - 50) < 0.05);
    }
}
END_TEST

/* Gain scheduling: kc goes up and down with the setpoint, in every scan. */
START_TEST(settings_that_change_every_scan_still_control)
{
    int run, scan;

    for (run = 0; run < RUNS; run++) {
        rng r = {(uint64_t)run + 4100};
        rk_pid_params p = plain();
        const double swing = 0.5 * rng_uniform(&r), period = 5.0 + (50.0 * rng_uniform(&r));
        rk_real memory[64];
        rk_plant plant;
        rk_pid pid;
        double pv = 50;

        p.ti = 10;
        p.td = rng_uniform(&r) < 0.5 ? 0 : 1;
        p.tf = 0.2;
        pid = at_rest(&p, 50, 50, 50);
        plant_of(&plant, 1, 50, memory);
        for (scan = 0; scan < 400; scan++) {
            p.kc = 1.5 * (1.0 + (swing * sin(2.0 * 3.14159265358979 * scan / period)));
            ck_assert_int_eq(rk_pid_set_params(&pid, &p), RK_OK);
            pv = rk_plant_scan(&plant, rk_pid_scan(&pid, 55, pv) - 8);
        }
        must(fabs(pv - 55) < 0.1);
    }
}
END_TEST

/* No limit is none, however short the scan: 1e308 is a setpoint like another. */
static const double scans[] = {0.001, 0.01, 0.1, 0.5, 1, 10};

START_TEST(no_limit_is_infinite_at_every_scan_interval)
{
    rk_pid_params p = plain();
    rk_pid pid;

    p.ts = scans[_i];
    p.kc = 1e-300;
    p.ti = 1e6;
    pid = at_rest(&p, 0, 0, 50);
    ck_assert_double_eq(rk_pid_scan(&pid, 1e308, 0), 100);
    ck_assert_double_eq(pid.sp_now, 1e308);
    ck_assert_double_eq(pid.out_step, HUGE_VAL);
    ck_assert_double_eq(pid.sp_step, HUGE_VAL);
    p.sp_rate = 2; /* and a limit is one */
    pid = at_rest(&p, 0, 0, 50);
    (void)rk_pid_scan(&pid, 1e308, 0);
    ck_assert_double_eq(pid.sp_now, 2 * scans[_i]);
    /* An integral without limits that overflows is a bad scan, not a limit met. */
    p = plain();
    p.kc = 1e300;
    p.ti = p.ts;
    pid = at_rest(&p, 0, 0, 50);
    ck_assert_double_eq(rk_pid_scan(&pid, 1e9, 0), 50);
    ck_assert(pid.bad);
}
END_TEST

/* Any call in any order with any number: OUT is one within its limits after each. */
static double any_number(rng *r)
{
    const double u = rng_uniform(r);

    if (u < 0.1) return QNAN;
    if (u < 0.2) return u < 0.15 ? HUGE_VAL : -HUGE_VAL;
    if (u < 0.4) return (u < 0.3 ? 1.0 : -1.0) * pow(10.0, 310.0 * rng_uniform(r) - 2.0);
    return 200.0 * rng_normal(r);
}

START_TEST(out_is_a_number_within_its_limits_after_every_call)
{
    int run, call;

    for (run = 0; run < RUNS; run++) {
        rng r = {(uint64_t)run + 31};
        rk_pid_params p = any_controller(&r);
        rk_pid pid;

        ck_assert_int_eq(rk_pid_init(&pid, &p, 100.0 * rng_uniform(&r)), RK_OK);
        for (call = 0; call < 200; call++) {
            switch ((int)(12.0 * rng_uniform(&r))) {
            case 0:
                p = any_controller(&r);
                p.out_lo = 200.0 * rng_normal(&r);
                p.out_hi = p.out_lo + 1.0 + (100.0 * rng_uniform(&r));
                p.out_safe = p.out_lo;
                p.kc *= pow(10.0, 12.0 * rng_uniform(&r) - 6.0);
                ck_assert_int_eq(rk_pid_set_params(&pid, &p), RK_OK);
                break;
            case 1:
                rk_pid_set_manual(&pid, any_number(&r));
                break;
            case 2:
                rk_pid_set_tracking(&pid, any_number(&r));
                break;
            case 3:
                rk_pid_set_auto(&pid);
                break;
            case 4:
                rk_pid_take_out(&pid, any_number(&r));
                break;
            case 5:
                rk_pid_applied(&pid, any_number(&r));
                break;
            case 6:
                rk_pid_set_feedforward(&pid, any_number(&r));
                break;
            case 7:
                (void)(rng_uniform(&r) < 0.5 ? rk_pid_hold(&pid) : rk_pid_fail(&pid));
                break;
            case 8:
                rk_pid_restart_derivative(&pid);
                break;
            default:
                (void)rk_pid_scan(&pid, any_number(&r), any_number(&r));
            }
            must(pid.out >= pid.params.out_lo && pid.out <= pid.params.out_hi);
        }
    }
}
END_TEST

START_TEST(limits_win_over_the_rate)
{
    rk_pid_params p = plain();
    rk_pid pid;

    p.out_rate = 1;
    pid = at_rest(&p, 50, 50, 80);
    p.out_hi = 30;
    ck_assert_int_eq(rk_pid_set_params(&pid, &p), RK_OK);
    ck_assert_double_eq(pid.out, 30);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 50), 30);
    p.out_lo = p.out_safe = 60;
    p.out_hi = 100;
    ck_assert_int_eq(rk_pid_set_params(&pid, &p), RK_OK);
    ck_assert_double_eq(pid.out, 60);
}
END_TEST

/* Where the safe output is looked at: whether or not a bad PV leads there. */
START_TEST(a_safe_output_that_is_none_is_refused)
{
    static const double wrong[] = {(double)NAN, HUGE_VAL, -HUGE_VAL, -0.001, 100.001};
    rk_pid_params p = plain();
    rk_pid pid;

    p.bad_to_safe = _i % 2 == 1;
    p.out_safe = wrong[_i / 2];
    ck_assert_int_eq(rk_pid_init(&pid, &p, 50), RK_ERR_RANGE);
    ck_assert_int_eq((int)rk_pid_param_error(&p, 50), (int)RK_PARAM_ERROR_OUT_SAFE);
}
END_TEST

/* A valve of 1 % a second, a setpoint step that wants far more: PI by each way against windup,
   on a plant that answers in 10 s. How far PV goes beyond, in percent of the step. */
static double overshoot(rk_anti_windup way, double rate)
{
    rk_pid_params p = plain();
    rk_real memory[64];
    rk_plant plant;
    double pv = 50, most = 50;
    rk_pid pid;
    int scan;

    p.kc = 2;
    p.ti = p.tt = 10;
    p.out_rate = rate;
    p.anti_windup = way;
    pid = at_rest(&p, 50, 50, 50);
    plant_of(&plant, 1, 50, memory);
    for (scan = 0; scan < 300; scan++) {
        pv = rk_plant_scan(&plant, rk_pid_scan(&pid, 70, pv));
        most = fmax(most, pv);
    }
    ck_assert_double_eq_tol(pv, 70, 0.1);
    return 100.0 * (most - 70.0) / 20.0;
}

START_TEST(conditional_sees_the_rate_too)
{
    const double with_rate = overshoot(RK_ANTI_WINDUP_CONDITIONAL, 1);

    ck_assert_msg(with_rate < 0.5 * overshoot(RK_ANTI_WINDUP_NONE, 1), "%g %%", with_rate);
    /* Where no rate is met it is as it was: PI that cancels the lag does not go beyond. */
    ck_assert_double_lt(overshoot(RK_ANTI_WINDUP_CONDITIONAL, HUGE_VAL), 15);
}
END_TEST

/* In manual PV and SP wander; automatic then moves OUT by one inc, whatever they do. */
START_TEST(automatic_begins_with_one_inc)
{
    rk_pid_params p = plain();
    rk_pid pid = at_rest(&p, 50, 50, 40);

    rk_pid_set_manual(&pid, 40);
    (void)rk_pid_scan(&pid, 50, 47);
    (void)rk_pid_scan(&pid, 50, 60);
    rk_pid_set_auto(&pid);
    /* 2 * 1/10 * (70 - 30) */
    ck_assert_double_eq_tol(rk_pid_scan(&pid, 70, 30), 48, 1e-12);
}
END_TEST

Suite *suite_pid_continuity(void);

Suite *suite_pid_continuity(void)
{
    Suite *suite = suite_create("device/pid_continuity");
    TCase *t = tcase_create("continuity");

    tcase_add_loop_test(t, a_habit_of_every_scan_changes_no_bit, 0, ALL_HABITS + 1);
    tcase_add_loop_test(t, what_comes_between_two_scans_leaves_v_and_the_next_moves_act_in_full,
                        0, BETWEEN);
    tcase_add_test(t, a_loop_that_is_always_late_still_settles);
    tcase_add_test(t, settings_that_change_every_scan_still_control);
    add_table(t, no_limit_is_infinite_at_every_scan_interval, scans);
    tcase_add_test(t, out_is_a_number_within_its_limits_after_every_call);
    tcase_add_test(t, limits_win_over_the_rate);
    tcase_add_loop_test(t, a_safe_output_that_is_none_is_refused, 0, 10);
    tcase_add_test(t, conditional_sees_the_rate_too);
    tcase_add_test(t, automatic_begins_with_one_inc);
    suite_add_tcase(suite, t);
    return suite;
}
