/* SPDX-License-Identifier: MIT */
#include <math.h>

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

static void set_up(rig *g)
{
    const rk_model model = {RK_MODEL_FOPDT, 2, {10, 0}, 0, 2.5, 30, 50};
    rk_loop_params params = controller();
    rk_plant_params plant;
    rk_port port;

    ck_assert_int_eq(rk_plant_params_from_model(&model, 0.5, &plant, NULL), RK_OK);
    ck_assert_int_eq(rk_sim_init(&g->sim, &plant, g->memory, 16, 30), RK_OK);
    port = rk_sim_port(&g->sim);
    ck_assert_int_eq(rk_loop_init(&g->loop, &port, &params, 50, 30), RK_OK);
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

static Suite *suite_loop(void)
{
    Suite *suite = suite_create("device/loop");
    TCase *t = tcase_create("loop");

    tcase_add_test(t, setpoint_is_held_after_a_load_step);
    tcase_add_test(t, lost_port_holds_out_and_comes_back_without_a_bump);
    tcase_add_test(t, pv_that_is_no_number_counts_as_bad);
    tcase_add_test(t, manual_moves_the_plant_by_hand);
    tcase_add_test(t, init_refuses_a_port_with_a_service_missing);
    suite_add_tcase(suite, t);
    return suite;
}

Suite *suite_pid(void);
Suite *suite_plant(void);
Suite *suite_sim(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_pid, suite_plant, suite_loop, suite_sim};

    return run_suites(makers, COUNT(makers));
}
