/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <ports/sim/sim.h>

#include "../support/support.h"

/* A loop on the sim port: gain 2, tau 10, theta 2.5, SIMC PI, scan 0.5 s, at OUT 30, PV 50. */
typedef struct rig {
    rk_real memory[16];
    rk_sim sim;
    rk_loop loop;
} rig;

static rk_loop_params controller(void)
{
    rk_loop_params made = rk_loop_params_make();

    made.pid.ts = 0.5;
    made.pid.kc = 1;
    made.pid.ti = 10;
    made.pid.anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION;
    made.pid.tt = 10;
    return made;
}

/* Faults with it: a little noise, as a live PV has, and what breaks for some scans from 100. */
static void set_up_faulty(rig *g, const rk_loop_params *params, const rk_sim_faults *faults)
{
    const rk_model model = {RK_MODEL_FOPDT, 2, {10, 0}, 0, 2.5, 30, 50};
    rk_plant_params plant;
    rk_port port;

    ck_assert_int_eq(rk_plant_params_from_model(&model, 0.5, &plant, NULL), RK_OK);
    ck_assert_int_eq(rk_sim_init(&g->sim, &plant, g->memory, 16, 30), RK_OK);
    ck_assert_int_eq(rk_sim_set_faults(&g->sim, faults), RK_OK);
    port = rk_sim_port(&g->sim);
    ck_assert_int_eq(rk_loop_init(&g->loop, &port, params, 50, 30), RK_OK);
}

static void set_up(rig *g)
{
    const rk_loop_params params = controller();

    set_up_faulty(g, &params, &(rk_sim_faults){0});
}

static void run(rig *g, int scans)
{
    for (; scans > 0; scans--) {
        rk_loop_scan(&g->loop, 0.5);
        rk_sim_advance(&g->sim);
    }
}

START_TEST(setpoint_is_held_after_a_load_step)
{
    rig g;

    set_up(&g);
    g.sim.load = -7;
    run(&g, 600);
    ck_assert_double_eq_tol(g.loop.pv, 50, 1e-6); /* 30 closed-loop time constants later */
    ck_assert_double_eq_tol(g.loop.out, 37, 1e-6);
    ck_assert_uint_eq(g.sim.advances, 600);
}
END_TEST

START_TEST(lost_port_holds_out_and_comes_back_without_a_bump)
{
    double before;
    rig g;

    set_up(&g);
    g.loop.sp = 55;
    run(&g, 8);
    before = g.loop.out;
    g.sim.fault = RK_ERR_IO;
    run(&g, 12);
    ck_assert_uint_eq(g.loop.alarms, RK_ALARM_PV_BAD | RK_ALARM_WRITE_FAILED);
    ck_assert_double_eq(g.sim.out, before);
    g.sim.fault = RK_OK;
    run(&g, 1);
    ck_assert_uint_eq(g.loop.alarms, 0);
    /* At most one increment: kc ts/ti of the error. */
    ck_assert_double_le(fabs(g.sim.out - before), (0.05 * fabs(55 - g.loop.pv)) + 1e-9);
    run(&g, 600);
    ck_assert_double_eq_tol(g.loop.pv, 55, 1e-6);
}
END_TEST

static rk_status read_nothing(void *user, rk_real *pv)
{
    (void)user;
    *pv = QNAN;
    return RK_OK;
}

START_TEST(pv_that_is_no_number_counts_as_bad)
{
    rig g;

    set_up(&g);
    g.loop.port.read_pv = read_nothing;
    run(&g, 3);
    ck_assert_uint_eq(g.loop.alarms, RK_ALARM_PV_BAD);
    ck_assert_double_eq(g.loop.pv, 50);
    ck_assert_double_eq(g.sim.out, 30);
}
END_TEST

/* Whatever the range is, infinity included. */
START_TEST(an_infinite_pv_is_bad_in_any_range)
{
    rk_loop_params params = controller();
    rk_real out;
    rig g;

    params.pid.pv_hi = HUGE_VAL;
    set_up_faulty(&g, &params, &(rk_sim_faults){0});
    run(&g, 20);
    out = g.loop.out;
    g.sim.plant.params.pv0 = HUGE_VAL;
    run(&g, 3);
    ck_assert_uint_ne(g.loop.alarms & (uint32_t)RK_ALARM_PV_BAD, 0);
    ck_assert_double_eq(g.loop.out, out);
}
END_TEST

/* Two-position control of kc > 0: PV 50 below SP 60 is on, at 100. */
START_TEST(two_position_control_holds_without_a_setpoint)
{
    const rk_on_off_params params = {.ts = 0.5, .hysteresis = 1};
    rk_on_off on_off;
    rig g;

    set_up(&g);
    ck_assert_int_eq(rk_on_off_init(&on_off, &params, false), RK_OK);
    rk_loop_set_on_off(&g.loop, &on_off);
    g.loop.sp = 60;
    run(&g, 1);
    ck_assert_double_eq(g.loop.out, 100);
    g.loop.sp = QNAN;
    run(&g, 1);
    ck_assert(g.loop.pid.bad);
    ck_assert_double_eq(g.loop.out, 100);
    g.loop.sp = 40;
    run(&g, 1);
    ck_assert(!g.loop.pid.bad);
    ck_assert_double_eq(g.loop.out, 0);
}
END_TEST

START_TEST(manual_moves_the_plant_by_hand)
{
    rig g;

    set_up(&g);
    rk_pid_set_manual(&g.loop.pid, 35);
    run(&g, 400);
    ck_assert_double_eq_tol(g.loop.pv, 60, 1e-6); /* 50 + 2 * 5 */
}
END_TEST

START_TEST(init_refuses_a_port_with_a_service_missing)
{
    const rk_loop_params params = controller();
    rk_loop_params wrong = params;
    rk_port port;
    rig g;

    set_up(&g);
    port = rk_sim_port(&g.sim);
    ck_assert_int_eq(rk_loop_init(NULL, &port, &params, 50, 30), RK_ERR_ARG);
    ck_assert_int_eq(rk_loop_init(&g.loop, NULL, &params, 50, 30), RK_ERR_ARG);
    ck_assert_int_eq(rk_loop_init(&g.loop, &port, NULL, 50, 30), RK_ERR_ARG);
    ck_assert_int_eq(rk_loop_init(&g.loop, &port, &params, QNAN, 30), RK_ERR_RANGE);
    wrong.pid.ti = 0;
    ck_assert_int_eq(rk_loop_init(&g.loop, &port, &wrong, 50, 30), RK_ERR_RANGE);
    port.write_out = NULL;
    ck_assert_int_eq(rk_loop_init(&g.loop, &port, &params, 50, 30), RK_ERR_ARG);
    port = rk_sim_port(&g.sim);
    port.read_pv = NULL;
    ck_assert_int_eq(rk_loop_init(&g.loop, &port, &params, 50, 30), RK_ERR_ARG);
    port = rk_sim_port(&g.sim);
    port.read_out = NULL;
    ck_assert_int_eq(rk_loop_init(&g.loop, &port, &params, 50, 30), RK_ERR_ARG);
    ck_assert_int_eq(rk_sim_init(NULL, &g.sim.plant.params, g.memory, 16, 30), RK_ERR_ARG);
    ck_assert_int_eq(rk_sim_init(&g.sim, &g.sim.plant.params, g.memory, 1, 30), RK_ERR_MEMORY);
}
END_TEST

typedef enum fault { STICKS, BAD, DROPS } fault;

/* What goes wrong for how many scans, how long OUT is held (hold_time 10 scans, then 20 at one
   a scan), where it is at the fault's end, and which alarm names it. */
static const struct {
    fault what;
    unsigned long scans;
    bool hold_forever;
    double out;
    uint32_t alarms;
} runs[] = {
    {BAD, 1, false, 30, RK_ALARM_PV_BAD},
    {BAD, 10, false, 30, RK_ALARM_PV_BAD},
    {BAD, 14, false, 26, RK_ALARM_PV_BAD},
    {BAD, 40, false, 20, RK_ALARM_PV_BAD},
    {BAD, 100, true, 30, RK_ALARM_PV_BAD},
    {DROPS, 1, false, 30, RK_ALARM_PV_BAD | RK_ALARM_WRITE_FAILED},
    {DROPS, 3, false, 30, RK_ALARM_PV_BAD | RK_ALARM_WRITE_FAILED},
    {DROPS, 30, false, 30, RK_ALARM_PV_BAD | RK_ALARM_WRITE_FAILED},
    {DROPS, 100, false, 30, RK_ALARM_PV_BAD | RK_ALARM_WRITE_FAILED},
    {STICKS, 1, false, 30, 0},
    {STICKS, 13, false, 30, RK_ALARM_PV_STALE}, /* stale with the fourth, then held for ten */
    {STICKS, 16, false, 27, RK_ALARM_PV_STALE},
    {STICKS, 35, false, 20, RK_ALARM_PV_STALE},
    {STICKS, 80, true, 30, RK_ALARM_PV_STALE},
};

START_TEST(faults_lead_where_they_should_are_named_and_end_without_a_bump)
{
    const rk_sim_stretch when = {100, 100 + runs[_i].scans};
    rk_sim_faults faults = {.noise = 1e-4, .noise_innovation = 1, .seed = 3, .pv_high = 100};
    rk_loop_params params = controller();
    double last;
    rig g;
    unsigned long i;

    params.pid.out_safe = 20;
    params.pid.out_rate = 2; /* out-EU per s: one a scan */
    params.stale_time = 2;
    params.hold_time = runs[_i].hold_forever ? RK_REAL_MAX : 5;
    faults.bad = runs[_i].what == BAD ? when : faults.bad;
    faults.drops = runs[_i].what == DROPS ? when : faults.drops;
    faults.sticks = runs[_i].what == STICKS ? when : faults.sticks;
    set_up_faulty(&g, &params, &faults);
    run(&g, 100);
    ck_assert_uint_eq(g.loop.alarms_seen, 0);
    for (i = 0; i < runs[_i].scans; i++) {
        run(&g, 1);
    }
    ck_assert_double_eq_tol(g.sim.out, runs[_i].out, 0.01);
    ck_assert_uint_eq(g.loop.alarms, runs[_i].alarms);
    last = g.sim.out;
    run(&g, 1);
    /* kc * ts / ti of the error, and the noise. */
    ck_assert_double_le(fabs(g.sim.out - last), (0.05 * fabs(50 - g.loop.pv)) + 0.002);
    ck_assert_uint_eq(g.loop.alarms, 0);
    ck_assert_uint_eq(g.loop.alarms_seen, runs[_i].alarms);
    rk_loop_acknowledge(&g.loop);
    ck_assert_uint_eq(g.loop.alarms_seen, 0);
    run(&g, 600);
    ck_assert_double_eq_tol(g.loop.pv, 50, 0.01);
}
END_TEST

START_TEST(late_scan_is_named_and_does_not_kick_the_derivative)
{
    rk_loop_params params = controller();
    const rk_sim_faults none = {0};
    double before;
    rig g;

    params.pid.td = 4;
    params.pid.tf = 1;
    set_up_faulty(&g, &params, &none);
    g.sim.load = 5; /* PV moves all the time */
    run(&g, 20);
    before = g.loop.out;
    rk_loop_scan(&g.loop, 0.7);
    ck_assert_uint_eq(g.loop.alarms, 0);
    before = g.loop.out;
    rk_loop_scan(&g.loop, 5);
    ck_assert_uint_eq(g.loop.alarms, RK_ALARM_SCAN_LATE);
    ck_assert_double_eq_tol(g.loop.out - before, 0.05 * (50 - g.loop.pv), 1e-9);
    run(&g, 1);
    ck_assert_uint_eq(g.loop.alarms, 0);
}
END_TEST

START_TEST(starving_watchdog_goes_to_the_safe_output_until_it_is_fed)
{
    rk_loop_params params = controller();
    const rk_sim_faults none = {0};
    double before;
    rig g;
    int i;

    params.watchdog_time = 3;
    params.pid.out_safe = 12;
    set_up_faulty(&g, &params, &none);
    for (i = 0; i < 20; i++) {
        rk_loop_feed(&g.loop);
        run(&g, 1);
    }
    ck_assert_uint_eq(g.loop.alarms_seen, 0);
    run(&g, 5);
    ck_assert_double_eq_tol(g.loop.out, 30, 1e-9);
    run(&g, 1);
    ck_assert_uint_eq(g.loop.alarms, RK_ALARM_WATCHDOG);
    ck_assert_double_eq(g.sim.out, 12);
    before = g.sim.out;
    rk_loop_feed(&g.loop);
    run(&g, 1);
    ck_assert_uint_eq(g.loop.alarms, 0);
    ck_assert_double_le(fabs(g.sim.out - before), (0.05 * fabs(50 - g.loop.pv)) + 1e-9);
    rk_pid_set_manual(&g.loop.pid, 44);
    run(&g, 10);
    ck_assert_double_eq(g.sim.out, 44); /* a hand on it needs no watchdog */
}
END_TEST

static double told;

static rk_status tell_pv(void *user, rk_real *pv)
{
    (void)user;
    *pv = told;
    return RK_OK;
}

/* PV after PV: alarms at 40 and 60 and 8 from sp, gone 1 within. */
static const struct {
    double pv;
    uint32_t alarms;
} limits[] = {{50, 0},
              {57.9, 0},
              {58.1, RK_ALARM_DEVIATION},
              {60.1, RK_ALARM_PV_HIGH | RK_ALARM_DEVIATION},
              {59.1, RK_ALARM_PV_HIGH | RK_ALARM_DEVIATION},
              {58.9, RK_ALARM_DEVIATION},
              {57.1, RK_ALARM_DEVIATION},
              {56.9, 0},
              {39.9, RK_ALARM_PV_LOW | RK_ALARM_DEVIATION},
              {40.9, RK_ALARM_PV_LOW | RK_ALARM_DEVIATION},
              {41.1, RK_ALARM_DEVIATION},
              {50, 0}};

START_TEST(alarms_come_at_their_limits_and_go_a_gap_within)
{
    rk_loop_params params = controller();
    const rk_sim_faults none = {0};
    rig g;
    size_t i;

    params.pv_low = 40;
    params.pv_high = 60;
    params.deviation = 8;
    params.alarm_gap = 1;
    set_up_faulty(&g, &params, &none);
    g.loop.port.read_pv = tell_pv;
    for (i = 0; i < COUNT(limits); i++) {
        told = limits[i].pv;
        rk_loop_scan(&g.loop, 0.5);
        ck_assert_msg(g.loop.alarms == limits[i].alarms, "PV %g gives %x", told,
                      (unsigned)g.loop.alarms);
    }
    for (i = 0; i < RK_ALARMS; i++) {
        ck_assert_uint_gt(strlen(rk_alarm_text((rk_alarm)(1U << i))), 8);
    }
}
END_TEST

START_TEST(filter_and_predictor_work_in_the_loop)
{
    const rk_model model = {RK_MODEL_FOPDT, 2, {10, 0}, 0, 2.5, 30, 50};
    rk_loop_params params = controller();
    const rk_sim_faults noise = {
        .noise = 0.2, .noise_innovation = 1, .seed = 9, .pv_high = 100};
    rk_plant_params whole, quick;
    rk_predictor predictor;
    rk_real memory[16];
    double travel[2] = {0, 0}, last = 30;
    rig g;
    int turn, i;

    for (turn = 0; turn < 2; turn++) {
        params.pv_filter = turn == 0 ? 0 : 3;
        set_up_faulty(&g, &params, &noise);
        for (i = 0; i < 400; i++) {
            run(&g, 1);
            travel[turn] += fabs(g.loop.out - last);
            last = g.loop.out;
        }
    }
    ck_assert_double_lt(travel[1], 0.4 * travel[0]);
    ck_assert_int_eq(rk_predictor_params_from_model(&model, 0.5, &whole, &quick, NULL), RK_OK);
    ck_assert_int_eq(rk_predictor_init(&predictor, &whole, &quick, memory, 16, 30), RK_OK);
    params = controller();
    params.pid.kc = 6; /* beyond what the dead time allows without a predictor */
    set_up_faulty(&g, &params, &(rk_sim_faults){0});
    rk_loop_set_predictor(&g.loop, &predictor);
    g.loop.sp = 52;
    run(&g, 400);
    ck_assert_double_eq_tol(g.loop.pv, 52, 1e-6);
    /* New parameters while it runs: no bump. */
    last = g.loop.out;
    params.pid.kc = 1;
    params.pv_filter = 1;
    ck_assert_int_eq(rk_loop_set_params(&g.loop, &params), RK_OK);
    run(&g, 1);
    ck_assert_double_eq_tol(g.loop.out, last, 1e-6);
    params.hold_time = -1;
    ck_assert_int_eq(rk_loop_set_params(&g.loop, &params), RK_ERR_RANGE);
    params.hold_time = 1;
    params.pid.out_safe = 200;
    ck_assert_int_eq(rk_loop_param_error(&params, 50, 30), RK_PARAM_ERROR_OUT_SAFE);
}
END_TEST

/* PI on two equal loops, one of them late in every scan: P and I act as always, to the bit. */
START_TEST(late_scans_take_nothing_from_p_and_i)
{
    rig prompt, late;
    int i;

    set_up(&prompt);
    set_up(&late);
    prompt.loop.sp = late.loop.sp = 52;
    for (i = 0; i < 300; i++) {
        rk_loop_scan(&prompt.loop, 0.5);
        rk_loop_scan(&late.loop, 0.8);
        rk_sim_advance(&prompt.sim);
        rk_sim_advance(&late.sim);
        must(prompt.loop.out == late.loop.out);
    }
    ck_assert_uint_eq(late.loop.alarms, RK_ALARM_SCAN_LATE);
    ck_assert_double_eq_tol(late.loop.pv, 52, 1e-4);
}
END_TEST

static Suite *suite_loop(void)
{
    Suite *suite = suite_create("device/loop");
    TCase *t = tcase_create("loop");

    tcase_add_test(t, setpoint_is_held_after_a_load_step);
    tcase_add_test(t, lost_port_holds_out_and_comes_back_without_a_bump);
    tcase_add_test(t, pv_that_is_no_number_counts_as_bad);
    tcase_add_test(t, an_infinite_pv_is_bad_in_any_range);
    tcase_add_test(t, two_position_control_holds_without_a_setpoint);
    tcase_add_test(t, manual_moves_the_plant_by_hand);
    tcase_add_test(t, init_refuses_a_port_with_a_service_missing);
    add_table(t, faults_lead_where_they_should_are_named_and_end_without_a_bump, runs);
    tcase_add_test(t, late_scan_is_named_and_does_not_kick_the_derivative);
    tcase_add_test(t, late_scans_take_nothing_from_p_and_i);
    tcase_add_test(t, starving_watchdog_goes_to_the_safe_output_until_it_is_fed);
    tcase_add_test(t, alarms_come_at_their_limits_and_go_a_gap_within);
    tcase_add_test(t, filter_and_predictor_work_in_the_loop);
    suite_add_tcase(suite, t);
    return suite;
}

Suite *suite_pid(void);
Suite *suite_plant(void);
Suite *suite_sim(void);
Suite *suite_pid_modes(void);
Suite *suite_blocks(void);
Suite *suite_pid_continuity(void);
Suite *suite_override(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {
        suite_pid,       suite_plant,  suite_loop,           suite_sim,
        suite_pid_modes, suite_blocks, suite_pid_continuity, suite_override};

    return run_suites(makers, COUNT(makers));
}
