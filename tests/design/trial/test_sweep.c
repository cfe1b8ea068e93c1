/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "../../support/support.h"

/* Random models, limits and settings: a sweep and the blocks end on the same bits. */
static rk_settings any_settings(rng *r, double gain, double ts)
{
    rk_settings s = rk_settings_make(
        (0.05 + (2.0 * rng_uniform(r))) / gain, ts * (1.0 + (40.0 * rng_uniform(r))),
        rng_uniform(r) < 0.5 ? 0.0 : 5.0 * rng_uniform(r), rng_uniform(r));

    if (rng_uniform(r) < 0.1) {
        s.ti = HUGE_VAL;
    }
    s.sp_weight = rng_uniform(r);
    s.pv_filter = rng_uniform(r) < 0.5 ? 0.0 : 6.0 * rng_uniform(r);
    s.anti_windup = (rk_anti_windup)(int)(3.0 * rng_uniform(r));
    return s;
}

static const rk_model swept[] = {
    {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
    {RK_MODEL_FOPDT, 2, {5, 0}, 0, 0, 50, 0},
    {RK_MODEL_SOPDT, 1.5, {20, 8}, 0, 3.3, 40, 5},
    {RK_MODEL_SOPDT_OSC, 1, {6, 0}, 0.3, 0.4, 40, 5},
    {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4.2, 45, 100},
    {RK_MODEL_IPDT_LAG, 0.02, {5, 0}, 0, 1, 45, 100},
};

static void run_blocks(const rk_sweep_plan *plan, const rk_settings *s, bool load, double *pv,
                       double *out)
{
    const double sp = plan->plant.pv0 + (load ? 0.0 : plan->sp_step);
    rk_pid_params params;
    rk_plant_params made;
    rk_real memory[64];
    rk_filter filter;
    rk_plant plant;
    rk_pid pid;
    int scan;

    ck_assert_int_eq(rk_filter_init(&filter, s->pv_filter, plan->ts), RK_OK);
    ck_assert_int_eq(
        rk_settings_pid_params(s, &plan->limits, &plan->plant, plan->ts, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_pid_init(&pid, &params, plan->plant.out0), RK_OK);
    ck_assert_int_eq(rk_pid_reset(&pid, plan->plant.pv0, plan->plant.pv0, plan->plant.out0),
                     RK_OK);
    ck_assert_int_eq(rk_plant_params_from_model(&plan->plant, plan->ts, &made, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &made, memory, 64, plan->plant.out0), RK_OK);
    for (scan = 0; scan < 500; scan++) {
        *out = rk_pid_scan(&pid, sp, rk_filter_scan(&filter, rk_plant_pv(&plant)));
        *pv = rk_plant_scan(&plant, *out + (load ? plan->load_step : 0.0));
    }
}

START_TEST(sweep_gives_the_blocks_bits)
{
    rng r = {(uint64_t)_i + 900};
    rk_sweep_plan plan = {.plant = swept[_i],
                          .limits = {0, 100, _i % 2 == 0 ? HUGE_VAL : 3.0},
                          .ts = 0.8,
                          .duration = 400,
                          .band = 0.02};
    rk_settings settings[37];
    rk_sweep_result results[37];
    size_t i;
    int turn;

    for (i = 0; i < 37; i++) {
        settings[i] = any_settings(&r, swept[_i].gain, plan.ts);
    }
    settings[5].ti = 0.1; /* shorter than a scan: cannot run, and spoils nobody */
    for (turn = 0; turn < 2; turn++) {
        plan.sp_step = turn == 0 ? 4.0 : 0.0;
        plan.load_step = turn == 0 ? 0.0 : -7.0;
        ck_assert_int_eq(rk_sweep_compute(&plan, settings, 37, results, NULL), RK_OK);
        for (i = 0; i < 37; i++) {
            double pv = 0, out = 0;

            if (i == 5) {
                ck_assert(isnan(results[i].last_pv) && isnan(results[i].setpoint.iae));
                continue;
            }
            run_blocks(&plan, &settings[i], turn == 1, &pv, &out);
            ck_assert_double_eq(results[i].last_pv, pv);
            ck_assert_double_eq(results[i].last_out, out);
        }
    }
}
END_TEST

/* A first-order closed loop: closed forms, but for one scan's worth. */
START_TEST(sweep_measures_what_the_closed_forms_say)
{
    const rk_sweep_plan plan = {.plant = fopdt(2, 10, 0),
                                .limits = {-1e9, 1e9, HUGE_VAL},
                                .ts = 0.005,
                                .sp_step = 1,
                                .load_step = 1,
                                .duration = 200,
                                .band = 0.02};
    const rk_settings lambda = rk_settings_make(1, 10, 0, 0); /* lambda 5 s */
    rk_sweep_result r;

    ck_assert_int_eq(rk_sweep_compute(&plan, &lambda, 1, &r, NULL), RK_OK);
    ck_close(r.setpoint.iae, 5, 2e-3);
    ck_close(r.setpoint.ise, 2.5, 2e-3);
    ck_close(r.setpoint.itae, 25, 2e-3);
    ck_close(r.setpoint.rise, 5 * log(9), 3e-3);
    ck_close(r.setpoint.settling, 5 * log(50), 3e-3);
    ck_assert_double_eq_tol(r.setpoint.beyond, 0, 1e-3);
    ck_close(r.load.iae, 10, 2e-3);
    ck_close(r.setpoint.energy, 0.625, 4e-3); /* OUT is 0.5 exp(-t/5) from rest, .. */
    ck_close(r.load.energy, 2.5, 4e-3);       /* .. and exp(-t/5) */
    ck_close(r.setpoint.travel, 1.5, 1e-2);   /* up by 1, then on to 0.5 */
}
END_TEST

/* P-only on first order without dead time: x' = (a - b k) x - b k n, out = -k (x + n). */
START_TEST(noise_is_what_the_closed_form_says)
{
    const rk_sweep_plan plan = {.plant = fopdt(2, 10, 0),
                                .limits = {0, 100, 1}, /* met by noise of 1: not looked at */
                                .ts = 1,
                                .duration = 200,
                                .band = 0.02,
                                .noise = 0.3};
    const double a = exp(-0.1), b = 2 * (1 - a);
    const double ks[2] = {0.5, 3};
    int i;

    for (i = 0; i < 2; i++) {
        const double k = ks[i], c = a - (b * k), v = 0.3 * 0.3;
        const double x = (b * k) * (b * k) * v / (1 - (c * c));
        const double jump = ((c - 1) * (c - 1) * x) + ((((b * k) + 1) * ((b * k) + 1) + 1) * v);
        const rk_settings s = rk_settings_make(k, HUGE_VAL, 0, 0);
        rk_sweep_result r;

        ck_assert_int_eq(rk_sweep_compute(&plan, &s, 1, &r, NULL), RK_OK);
        ck_close(r.noise.out, k * sqrt(v + x), 1e-12);
        ck_close(r.noise.move, k * sqrt(jump), 1e-12);
        ck_assert(isnan(r.setpoint.iae));
    }
}
END_TEST

START_TEST(threads_do_not_change_a_sweep)
{
    rk_sweep_plan plan = {.plant = swept[0],
                          .limits = {0, 100, 3},
                          .ts = 1,
                          .sp_step = 1,
                          .load_step = 5,
                          .duration = 300,
                          .band = 0.02,
                          .noise = 0.1,
                          .threads = 1};
    rng r = {77};
    rk_settings settings[45];
    rk_sweep_result one[45], many[45];
    size_t i;

    for (i = 0; i < 45; i++) {
        settings[i] = any_settings(&r, swept[0].gain, 1);
    }
    ck_assert_int_eq(rk_sweep_compute(&plan, settings, 45, one, NULL), RK_OK);
    plan.threads = 5;
    ck_assert_int_eq(rk_sweep_compute(&plan, settings, 45, many, NULL), RK_OK);
    for (i = 0; i < 45; i++) {
        ck_assert_double_eq(one[i].last_pv, many[i].last_pv);
        ck_assert_double_eq(one[i].setpoint.itae, many[i].setpoint.itae);
        ck_assert_double_eq(one[i].load.travel, many[i].load.travel);
        ck_assert_double_eq(one[i].noise.out, many[i].noise.out);
    }
}
END_TEST

START_TEST(sweep_refuses_what_cannot_be_run)
{
    const rk_settings s = rk_settings_make(1, 10, 0, 0);
    rk_sweep_plan plan = {.plant = fopdt(2, 10, 0),
                          .limits = {-1, 1, HUGE_VAL},
                          .ts = 1,
                          .sp_step = 1,
                          .duration = 10,
                          .band = 0.02};
    rk_settings velocity = s;
    rk_sweep_result r;

    velocity.algorithm = RK_ALGORITHM_VELOCITY;
    ck_assert_int_eq(rk_sweep_compute(NULL, &s, 1, &r, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_sweep_compute(&plan, NULL, 1, &r, NULL), RK_ERR_ARG);
    plan.ts = 0;
    ck_assert_int_eq(rk_sweep_compute(&plan, &s, 1, &r, NULL), RK_ERR_RANGE);
    plan.ts = 1;
    plan.plant.out0 = 3;
    ck_assert_int_eq(rk_sweep_compute(&plan, &s, 1, &r, NULL), RK_ERR_RANGE);
    plan.plant.out0 = 0;
    plan.noise = -1;
    ck_assert_int_eq(rk_sweep_compute(&plan, &s, 1, &r, NULL), RK_ERR_RANGE);
    plan.noise = 0;
    plan.duration = 1e9;
    ck_assert_int_eq(rk_sweep_compute(&plan, &s, 1, &r, NULL), RK_ERR_RANGE);
    plan.duration = 10;
    /* What makes no controller has no figures. */
    velocity.ti = HUGE_VAL;
    ck_assert_int_eq(rk_sweep_compute(&plan, &velocity, 1, &r, NULL), RK_OK);
    ck_assert(isnan(r.setpoint.iae) && isnan(r.noise.out));
}
END_TEST

static void same(double a, double b, double relative, const char *what)
{
    ck_assert_msg(close_to(a, b, relative), "%s: %.12g, not %.12g", what, a, b);
}

/* The blocks and the lanes count alike: a setpoint's rate that is none to speak of sends a
   candidate to the blocks, where it does what its neighbour in the lanes does. */
START_TEST(blocks_and_lanes_count_the_same)
{
    const rk_sweep_plan plan = {.plant = fopdt(2, 10, 3),
                                .limits = {-4, 4, 1.5},
                                .ts = 0.5,
                                .sp_step = 2,
                                .load_step = 1,
                                .duration = 80,
                                .band = 0.02,
                                .noise = 0.1};
    rk_settings both[2];
    rk_sweep_result r[2];
    rng random = {77};
    int i;

    for (i = 0; i < 50; i++) {
        both[0] = rk_settings_make(0.2 + rng_uniform(&random), 5 + (10 * rng_uniform(&random)),
                                   rng_uniform(&random), 0.2);
        both[0].sp_weight = rng_uniform(&random);
        both[0].d_sp_weight = rng_uniform(&random);
        both[0].anti_windup = (rk_anti_windup)(i % 3);
        both[0].ti = i % 5 == 4 ? HUGE_VAL : both[0].ti;
        both[1] = both[0];
        both[1].sp_rate = 1e300;
        ck_assert_int_eq(rk_sweep_compute(&plan, both, 2, r, NULL), RK_OK);
        same(r[1].setpoint.iae, r[0].setpoint.iae, 1e-12, "iae");
        same(r[1].setpoint.itae, r[0].setpoint.itae, 1e-12, "itae");
        same(r[1].setpoint.beyond, r[0].setpoint.beyond, 1e-9, "beyond");
        same(r[1].setpoint.rise, r[0].setpoint.rise, 0, "rise");
        same(r[1].setpoint.settling, r[0].setpoint.settling, 0, "settling");
        same(r[1].load.ise, r[0].load.ise, 1e-12, "ise");
        same(r[1].load.beyond, r[0].load.beyond, 1e-12, "beyond");
        same(r[1].load.travel, r[0].load.travel, 1e-12, "travel");
        same(r[1].load.effort, r[0].load.effort, 1e-12, "effort");
        same(r[1].load.largest_move, r[0].load.largest_move, 1e-12, "largest move");
        same(r[1].noise.out, r[0].noise.out, 1e-12, "noise");
        same(r[1].last_out, r[0].last_out, 1e-12, "OUT");
    }
}
END_TEST

/* What the lanes do not know makes its own difference. */
static void predicting(rk_settings *s)
{
    s->predictor = RK_YES;
}
static void dead(rk_settings *s)
{
    s->deadband = 0.5;
}
static void ramped(rk_settings *s)
{
    s->sp_rate = 0.05;
}
static void by_velocity(rk_settings *s)
{
    s->algorithm = RK_ALGORITHM_VELOCITY;
    s->sp_weight = 0.5;
}
static void by_trapezoid(rk_settings *s)
{
    s->integral = RK_SCHEME_TRAPEZOID;
}

static void (*const features[])(rk_settings *s) = {predicting, dead, ramped, by_velocity,
                                                   by_trapezoid};

START_TEST(a_sweep_knows_every_feature)
{
    const rk_sweep_plan plan = {.plant = fopdt(2, 10, 6),
                                .limits = {-40, 40, HUGE_VAL},
                                .ts = 0.5,
                                .sp_step = 2,
                                .load_step = 1,
                                .duration = 200,
                                .band = 0.02};
    rk_settings s = rk_settings_make(0.6, 10, 0, 0), with = s;
    rk_trial_case c = {
        .plant = plan.plant, .model = plan.plant, .limits = plan.limits, .ts = 0.5};
    const rk_trial_plan step = {.sp_step = 2, .duration = 200, .band = 0.02};
    rk_sweep_result plain, other;
    rk_trial *trial;

    features[_i](&with);
    ck_assert_int_eq(rk_sweep_compute(&plan, &s, 1, &plain, NULL), RK_OK);
    ck_assert_int_eq(rk_sweep_compute(&plan, &with, 1, &other, NULL), RK_OK);
    ck_assert_msg(fabs(plain.setpoint.iae / other.setpoint.iae - 1) > 1e-4, "%.9g and %.9g",
                  plain.setpoint.iae, other.setpoint.iae);
    c.settings = with;
    ck_assert_int_eq(rk_trial_create(&c, &step, &trial, NULL), RK_OK);
    ck_close(other.setpoint.travel, rk_trial_results(trial)->travel, 1e-9);
    ck_close(other.setpoint.iae, rk_trial_results(trial)->setpoint.iae, 1e-3);
    rk_trial_free(trial);
}
END_TEST

/* The figures of a sweep are those of a trial, on every kind of process, whether its time constant
   is many scans or less than one, in both directions, within OUT's limits and at them; a run that
   ends at rest gives them too. */
static const double scans[] = {0.05, 0.5, 3, 12};

START_TEST(a_sweep_measures_what_a_trial_does)
{
    const rk_model *m = &swept[_i % 6];
    const double ts = scans[_i / 6], step = _i % 2 == 0 ? 2.0 : -2.0;
    const double own = rk_model_slowest(m) + m->dead_time + ts, duration = ceil(60 * own);
    rk_sweep_plan plan = {.plant = *m,
                          .limits = {m->out0 - 25, m->out0 + 25, HUGE_VAL},
                          .ts = ts,
                          .sp_step = step,
                          .load_step = 5,
                          .duration = duration,
                          .band = 0.02};
    const bool integrates = rk_model_kind_integrates(m->kind);
    const rk_settings s = integrates ? rk_settings_make(0.3 / (m->gain * own), 10 * own, 0, 0)
                                     : rk_settings_make(0.3 / m->gain, own, 0, 0);
    const rk_trial_case c = {
        .plant = *m, .model = *m, .settings = s, .limits = plan.limits, .ts = ts};
    const rk_trial_plan way = {.sp_step = step, .duration = duration, .band = 0.02};
    const rk_trial_plan load = {.load_step = 5, .duration = duration, .band = 0.02};
    int turn;

    for (turn = 0; turn < 2; turn++) {
        const rk_setpoint_metrics *sp;
        rk_sweep_result r;
        rk_trial *trial;

        plan.to_rest = turn == 1;
        ck_assert_int_eq(rk_sweep_compute(&plan, &s, 1, &r, NULL), RK_OK);
        ck_assert_int_eq(rk_trial_create(&c, &way, &trial, NULL), RK_OK);
        sp = &rk_trial_results(trial)->setpoint;
        same(r.setpoint.iae, sp->iae, 1e-3, "setpoint IAE");
        same(r.setpoint.ise, sp->ise, 1e-3, "setpoint ISE");
        same(r.setpoint.itae, sp->itae, 2e-3, "setpoint ITAE");
        same(r.setpoint.travel, rk_trial_results(trial)->travel, 1e-6, "travel");
        if (!isnan(sp->settling_time)) {
            same(r.setpoint.settling, sp->settling_time, 3e-3, "settling");
        }
        same(r.setpoint.rise, sp->rise_time, 3e-3, "rise");
        ck_assert_double_eq_tol(50 * r.setpoint.beyond, sp->overshoot_percent, 0.1);
        rk_trial_free(trial);
        ck_assert_int_eq(rk_trial_create(&c, &load, &trial, NULL), RK_OK);
        same(r.load.iae, rk_trial_results(trial)->load.iae, 1e-3, "load IAE");
        same(r.load.beyond, rk_trial_results(trial)->load.peak_deviation, 1e-3, "peak");
        rk_trial_free(trial);
    }
}
END_TEST

Suite *suite_sweep(void)
{
    Suite *suite = suite_create("design/sweep");
    TCase *t = tcase_create("sweep");

    add_table(t, sweep_gives_the_blocks_bits, swept);
    tcase_add_test(t, blocks_and_lanes_count_the_same);
    add_table(t, a_sweep_knows_every_feature, features);
    tcase_add_test(t, sweep_measures_what_the_closed_forms_say);
    add_some(t, a_sweep_measures_what_a_trial_does, 24);
    tcase_add_test(t, noise_is_what_the_closed_form_says);
    tcase_add_test(t, threads_do_not_change_a_sweep);
    tcase_add_test(t, sweep_refuses_what_cannot_be_run);
    suite_add_tcase(suite, t);
    return suite;
}
