/* SPDX-License-Identifier: MIT */
/* Several controllers for one valve, and one controller for another: external reset. */
#include <math.h>

#include "pid_rig.h"

enum { RUNS = 1000 };

/* A controller on a first-order plant with dead time, tuned by SIMC. */
typedef struct side {
    rk_real memory[64];
    rk_plant plant;
    rk_pid pid;
    double gain, sp, pv;
} side;

static void side_make(side *x, rng *r, double sp, rk_algorithm algorithm)
{
    const rk_model model = {RK_MODEL_FOPDT,
                            0.5 + rng_uniform(r),
                            {5.0 + (15.0 * rng_uniform(r)), 0},
                            0,
                            2.0 * rng_uniform(r),
                            50,
                            sp};
    rk_plant_params plant;
    rk_pid_params p = plain();

    p.ts = 0.5;
    p.kc = model.time_constant[0] / (model.gain * (3.0 + (2.0 * model.dead_time)));
    p.ti = model.time_constant[0];
    p.tt = 0;
    p.anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION;
    p.algorithm = algorithm;
    ck_assert_int_eq(rk_plant_params_from_model(&model, p.ts, &plant, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&x->plant, &plant, x->memory, 64, 50), RK_OK);
    x->pid = at_rest(&p, sp, sp, 50);
    x->gain = model.gain;
    x->sp = x->pv = sp;
}

/* What one scan of a controller may move OUT by: P's move and one inc. */
static double moves(const side *x, double pv_last)
{
    const rk_pid_params *p = &x->pid.params;

    return p->kc * (fabs(x->pv - pv_last) + (fabs(x->sp - x->pv) * p->ts / p->ti));
}

/* A valve with a low selector: `main` holds its PV, `guard` keeps another PV below a limit. */
typedef struct selector {
    side main, guard;
    double out;
    bool guarded; /* the guard has the valve */
} selector;

/* One scan with a load on the guard's PV, pv-EU. No bump: what has the valve moves it by what
   its own PV does. */
static void select_scan(selector *x, double load, bool check)
{
    const double main_last = x->main.pv, guard_last = x->guard.pv, out_last = x->out;
    double a, b;

    x->main.pv = rk_plant_pv(&x->main.plant);
    x->guard.pv = rk_plant_pv(&x->guard.plant) + load;
    a = rk_pid_scan(&x->main.pid, x->main.sp, x->main.pv);
    b = rk_pid_scan(&x->guard.pid, x->guard.sp, x->guard.pv);
    x->out = fmin(a, b);
    x->guarded = b < a;
    rk_pid_applied(&x->main.pid, x->out);
    rk_pid_applied(&x->guard.pid, x->out);
    if (check) {
        must(fabs(x->out - out_last) <=
             moves(&x->main, main_last) + moves(&x->guard, guard_last) + 1e-9);
    }
    (void)rk_plant_scan(&x->main.plant, x->out);
    (void)rk_plant_scan(&x->guard.plant, x->out);
}

START_TEST(an_override_takes_over_as_its_error_changes_sign)
{
    int run, k;

    for (run = 0; run < RUNS; run++) {
        rng r = {(uint64_t)run + 60};
        const double rate = 0.02 + (0.2 * rng_uniform(&r));
        selector x = {.out = 50};
        double load = -5.0 - (10.0 * rng_uniform(&r));
        int since = 0;

        side_make(&x.main, &r, 60, (rk_algorithm)_i);
        side_make(&x.guard, &r, 70, (rk_algorithm)_i);
        for (k = 0; k < 400; k++) { /* at rest, the guard far below its limit */
            select_scan(&x, load, true);
        }
        must(!x.guarded);
        /* Its PV rises: over the limit it takes the valve within two scans; by the velocity
           algorithm it sees a PV that comes fast, and may take over before. */
        for (k = 0; !(x.guarded && x.guard.pv > x.guard.sp) && k < 5000; k++) {
            load += rate;
            select_scan(&x, load, true);
            since = !x.guarded && x.guard.pv > x.guard.sp ? since + 1 : 0;
            must(since <= 2);
            must(_i == RK_ALGORITHM_VELOCITY || !x.guarded ||
                 x.guard.pv > x.guard.sp - (4.0 * rate));
        }
        /* It holds its PV; the main loop waits and does not wind up. */
        for (k = 0; k < 1000; k++) {
            load += k < 100 ? 0.05 : 0;
            select_scan(&x, load, true);
        }
        must(x.guarded && fabs(x.guard.pv - x.guard.sp) < 0.02);
        must(x.main.sp > x.main.pv);
        /* And the other way: the main setpoint falls below its PV. */
        for (since = k = 0; (x.guarded || x.main.pv < x.main.sp) && k < 5000; k++) {
            x.main.sp -= rate;
            select_scan(&x, load, false); /* P moves with the setpoint, too */
            since = x.guarded && x.main.pv > x.main.sp ? since + 1 : 0;
            must(since <= 2);
            must(_i == RK_ALGORITHM_VELOCITY || x.guarded ||
                 x.main.pv > x.main.sp - (4.0 * rate));
        }
        must(!x.guarded);
        for (k = 0; k < 1000; k++) {
            x.main.sp -= k < 100 ? 0.05 : 0;
            select_scan(&x, load, k >= 100);
        }
        must(fabs(x.main.pv - x.main.sp) < 0.02);
    }
}
END_TEST

/* What keeps a slave from following. */
enum { IN_MANUAL, SATURATED, RATE_LIMITED, HINDRANCES };

static void hinder(side *slave, int how)
{
    rk_pid_params p = slave->pid.params;

    if (how == IN_MANUAL) {
        rk_pid_set_manual(&slave->pid, slave->pid.out);
        return;
    }
    if (how == SATURATED) {
        p.out_hi = slave->pid.out + 1.0;
    } else {
        p.out_rate = 1e-4;
    }
    ck_assert_int_eq(rk_pid_set_params(&slave->pid, &p), RK_OK);
}

/* Its output is not what its law wants, or it is not in automatic. */
static bool follows(const rk_pid *pid)
{
    return pid->mode == RK_PID_AUTO && pid->wanted == pid->out;
}

/* One scan of a cascade; the master's PV is given. */
static void cascade_scan(rk_pid *master, double sp, double pv, side *slave)
{
    slave->pv = rk_plant_pv(&slave->plant);
    slave->sp = rk_pid_scan(master, sp, pv);
    (void)rk_plant_scan(&slave->plant, rk_pid_scan(&slave->pid, slave->sp, slave->pv));
    if (!follows(&slave->pid)) {
        rk_pid_applied(master, slave->pv);
    }
}

START_TEST(a_master_stands_still_while_its_slave_cannot_follow)
{
    int run, k;

    for (run = 0; run < RUNS; run++) {
        rng r = {(uint64_t)run + 90};
        const double error = 2.0 + (5.0 * rng_uniform(&r));
        rk_pid_params p = plain();
        double first, end;
        rk_pid master;
        side slave;

        side_make(&slave, &r, 50, RK_ALGORITHM_POSITION);
        p.ts = 0.5;
        p.kc = 0.2 + rng_uniform(&r);
        p.ti = 10.0 + (20.0 * rng_uniform(&r));
        p.tt = 0;
        p.anti_windup = (rk_anti_windup)(int)(3.0 * rng_uniform(&r));
        master = at_rest(&p, 50, 50, 50);
        for (k = 0; k < 10; k++) {
            cascade_scan(&master, 50, 50, &slave);
        }
        hinder(&slave, _i);
        for (k = 0; k < 1000; k++) {
            cascade_scan(&master, 50 + error, 50, &slave);
        }
        first = master.out;
        for (k = 0; k < 200; k++) {
            cascade_scan(&master, 50 + error, 50, &slave);
        }
        end = master.out;
        if (_i != RATE_LIMITED) { /* that one's PV goes on, and the master with it */
            must(fabs(end - first) < 1e-6);
        }
        must(fabs(end - (slave.pv + (p.kc * error))) < 0.1);
        must(fabs(end) < 99);
        /* The error is gone: the slave is asked for what it has, without a way back first. */
        cascade_scan(&master, 50 - 0.5, 50, &slave);
        must(slave.sp < slave.pv);
    }
}
END_TEST

/* At rest the one that is left out stands at applied + kc * error * tt / ti, both ways. */
static const struct {
    double tt, error;
} outside[] = {{0, 5}, {0, -5}, {10, 3}, {5, 3}, {20, -2}};

START_TEST(the_one_left_out_stands_off_by_its_error)
{
    rk_pid_params p = plain();
    rk_pid pid;
    int k;

    p.tt = outside[_i].tt;
    pid = at_rest(&p, 50, 50, 50);
    for (k = 0; k < 2000; k++) {
        (void)rk_pid_scan(&pid, 50 + outside[_i].error, 50);
        rk_pid_applied(&pid, 40);
    }
    ck_assert_double_eq_tol(
        pid.out, 40 + (2.0 * outside[_i].error * (p.tt == 0 ? 1 : p.tt / p.ti)), 1e-9);
}
END_TEST

START_TEST(what_was_applied_is_not_told_in_manual_or_by_no_number)
{
    rk_pid_params p = plain();
    rk_pid pid = at_rest(&p, 50, 50, 50), other = pid;

    rk_pid_applied(&pid, QNAN);
    rk_pid_applied(&pid, HUGE_VAL);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 49), rk_pid_scan(&other, 50, 49));
    rk_pid_set_manual(&pid, 30);
    (void)rk_pid_scan(&pid, 50, 50);
    rk_pid_applied(&pid, 90);
    rk_pid_set_auto(&pid);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 50), 30);
    /* Without integral action nothing winds up, and nothing is paid back. */
    p.ti = HUGE_VAL;
    pid = at_rest(&p, 50, 50, 50);
    rk_pid_applied(&pid, 10);
    ck_assert_double_eq(rk_pid_scan(&pid, 50, 50), 50);
}
END_TEST

Suite *suite_override(void);

Suite *suite_override(void)
{
    Suite *suite = suite_create("device/override");
    TCase *t = tcase_create("override");

    tcase_add_loop_test(t, an_override_takes_over_as_its_error_changes_sign, 0, 2);
    tcase_add_loop_test(t, a_master_stands_still_while_its_slave_cannot_follow, 0, HINDRANCES);
    add_table(t, the_one_left_out_stands_off_by_its_error, outside);
    tcase_add_test(t, what_was_applied_is_not_told_in_manual_or_by_no_number);
    suite_add_tcase(suite, t);
    return suite;
}
