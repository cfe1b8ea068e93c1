/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

#define PI 3.14159265358979323846

static rk_trial_case a_case(rk_model plant, double kc, double ti, double ts)
{
    return (rk_trial_case){.name = "case",
                           .plant = plant,
                           .settings = rk_settings_make(kc, ti, 0, 0),
                           .limits = {-1e6, 1e6, HUGE_VAL},
                           .ts = ts,
                           .model = plant};
}

/* The caller frees the trial. */
static rk_trial *run(const rk_trial_case *c, rk_trial_plan plan)
{
    rk_diag diag = {RK_OK, ""};
    rk_trial *trial = NULL;

    plan.band = 0.02;
    ck_assert_msg(rk_trial_create(c, &plan, &trial, &diag) == RK_OK, "%s", diag.text);
    return trial;
}

/* PV at a time, s. */
static double pv_at(const rk_trial *t, double time)
{
    return rk_trial_pv(t)[(size_t)floor((time / rk_trial_step(t)) + 0.5)];
}

/* Behind a ramp of slope r the loop stays off by r ti / (K kc). */
START_TEST(pv_follows_a_ramp_by_the_closed_form)
{
    const rk_trial_case c = a_case(fopdt(2, 10, 1), 0.6, 8, 0.02);
    rk_trial *t = run(&c, (rk_trial_plan){.sp_step = 50,
                                          .shape = RK_SETPOINT_SHAPE_RAMP,
                                          .sp_time = 200,
                                          .duration = 300});

    ck_close((0.25 * 190) - pv_at(t, 190), 0.25 * 8 / (2 * 0.6), 5e-3);
    ck_close(rk_trial_sp(t)[(size_t)(100 / 0.02)], 25, 1e-9);
    ck_close(pv_at(t, 299), 50, 1e-6);
    rk_trial_free(t);
}
END_TEST

/* A sine settles to |T(jw)| of its size. */
START_TEST(pv_follows_a_sine_by_the_frequency_response)
{
    const rk_model m = fopdt(2, 10, 3);
    const rk_trial_case c = a_case(m, 0.6, 8, 0.02);
    const double w = 2 * PI / 40;
    rk_trial *t = run(
        &c, (rk_trial_plan){
                .sp_step = 3, .shape = RK_SETPOINT_SHAPE_SINE, .sp_time = 40, .duration = 600});
    double re, im, most = 0, i;

    ck_assert_int_eq(rk_open_loop_response_compute(&m, &c.settings, w, &re, &im, NULL), RK_OK);
    for (i = 500; i < 599; i += 0.01) {
        most = fmax(most, fabs(pv_at(t, i)));
    }
    ck_close(most, 3 * hypot(re, im) / hypot(1 + re, im), 5e-3);
    ck_assert(isnan(rk_trial_results(t)->setpoint.settling_time));
    ck_assert(rk_trial_results(t)->setpoint.iae > 0);
    rk_trial_free(t);
}
END_TEST

START_TEST(a_trains_first_swing_is_a_step)
{
    const rk_trial_case c = a_case(fopdt(2, 10, 3), 0.6, 10, 0.1);
    rk_trial *step = run(&c, (rk_trial_plan){.sp_step = 3, .duration = 150});
    rk_trial *train = run(&c, (rk_trial_plan){.sp_step = 3,
                                              .shape = RK_SETPOINT_SHAPE_TRAIN,
                                              .sp_time = 300,
                                              .duration = 600});
    const rk_setpoint_metrics *a = &rk_trial_results(step)->setpoint;
    const rk_setpoint_metrics *b = &rk_trial_results(train)->setpoint;

    ck_assert_double_eq(a->rise_time, b->rise_time);
    ck_assert_double_eq(a->settling_time, b->settling_time);
    ck_assert_double_eq(a->iae, b->iae);
    ck_assert_double_eq_tol(pv_at(train, 299), 0, 1e-3);
    ck_close(pv_at(train, 449), 3, 1e-3);
    ck_assert_double_eq(rk_trial_sp(train)[1500], 0);
    ck_assert_double_eq(rk_trial_sp(train)[3000], 3);
    rk_trial_free(step);
    rk_trial_free(train);
}
END_TEST

/* At the output a load of d is seen at once, and brought back like a setpoint step of -d. */
START_TEST(a_load_at_the_output_is_a_setpoint_step_turned_round)
{
    const rk_trial_case c = a_case(fopdt(2, 10, 3), 0.6, 10, 0.1);
    rk_trial *load =
        run(&c, (rk_trial_plan){
                    .load_step = 4, .load_at_output = true, .load_at = 20, .duration = 220});
    rk_trial *step = run(&c, (rk_trial_plan){.sp_step = -4, .duration = 200});
    const rk_load_metrics *m = &rk_trial_results(load)->load;
    double i;

    ck_assert_double_eq(pv_at(load, 20), 0);
    ck_assert_double_eq(pv_at(load, 20.1), 4);
    ck_close(m->peak_deviation, 4, 1e-12);
    for (i = 1; i < 150;
         i += 1) { /* the step acts on its scan, the load is seen a scan later */
        ck_assert_double_eq_tol(pv_at(load, 20.1 + i), 4 + pv_at(step, i), 1e-9);
    }
    ck_close(m->iae, rk_trial_results(step)->setpoint.iae, 0.02); /* a scan of 4 more */
    rk_trial_free(load);
    rk_trial_free(step);
}
END_TEST

/* Settling and overshoot are the quiet run's; OUT moves as the sweep says it must. */
START_TEST(noise_fools_no_metric)
{
    const rk_trial_case c = a_case(fopdt(2, 10, 3), 0.6, 10, 0.5);
    const rk_trial_plan quiet = {.sp_step = 3, .duration = 20000, .noise = 0};
    rk_trial_plan noisy = quiet;
    const rk_sweep_plan sweep = {.plant = c.plant,
                                 .limits = c.limits,
                                 .ts = 0.5,
                                 .duration = 300,
                                 .band = 0.02,
                                 .noise = 0.2,
                                 .threads = 1};
    rk_sweep_result expected;
    rk_trial *a = run(&c, quiet), *b, *again;
    double square = 0;
    size_t i;

    noisy.noise = 0.2;
    noisy.seed = 3;
    b = run(&c, noisy);
    again = run(&c, noisy);
    ck_assert_double_eq(rk_trial_results(a)->setpoint.settling_time,
                        rk_trial_results(b)->setpoint.settling_time);
    ck_assert_double_eq(rk_trial_results(a)->setpoint.overshoot_percent,
                        rk_trial_results(b)->setpoint.overshoot_percent);
    ck_assert_double_gt(rk_trial_results(b)->travel, 10 * rk_trial_results(a)->travel);
    ck_assert_double_eq(rk_trial_results(b)->travel, rk_trial_results(again)->travel);
    ck_assert_int_eq(rk_sweep_compute(&sweep, &c.settings, 1, &expected, NULL), RK_OK);
    for (i = 1000; i < rk_trial_scans(b); i++) {
        square += (rk_trial_out(b)[i] - 1.5) * (rk_trial_out(b)[i] - 1.5);
    }
    ck_close(sqrt(square / (double)(rk_trial_scans(b) - 1000)), expected.noise.out, 0.03);
    rk_trial_free(a);
    rk_trial_free(b);
    rk_trial_free(again);
}
END_TEST

static rk_settings on_off_settings(double hysteresis, double gain)
{
    rk_settings s = rk_settings_make(gain < 0 ? -1 : 1, HUGE_VAL, 0, 0);

    s.on_off = hysteresis;
    return s;
}

/* A symmetric relay on first order: PV overshoots by K h (1 - e^(-theta/T)), half a period is
   theta + T ln(2 - e^(-theta/T)). */
START_TEST(on_off_cycles_by_the_closed_form)
{
    const double gains[] = {2, -0.5};
    const double k = gains[_i], q = exp(-3.0 / 10);
    rk_trial_case c = a_case(fopdt(k, 10, 3), 1, 10, 0.01);
    double most = 0, first = 0, last = 0;
    int ups = 0;
    rk_trial *t;
    size_t i;

    c.settings = on_off_settings(0, k);
    c.limits = (rk_limits){-5, 5, HUGE_VAL};
    t = run(&c, (rk_trial_plan){.sp_step = 0, .load_step = 1e-9, .duration = 400});
    for (i = rk_trial_scans(t) / 2; i < rk_trial_scans(t); i++) {
        if (rk_trial_out(t)[i] > rk_trial_out(t)[i - 1]) {
            first = ups == 0 ? 0.01 * (double)i : first;
            last = 0.01 * (double)i;
            ups++;
        }
    }
    for (i = rk_trial_points(t) / 2; i < rk_trial_points(t); i++) {
        most = fmax(most, fabs(rk_trial_pv(t)[i]));
    }
    ck_assert_int_gt(ups, 10);
    ck_close((last - first) / (ups - 1), 2 * (3 + (10 * log(2 - q))), 5e-3);
    ck_close(most, 5 * fabs(k) * (1 - q), 5e-3);
    rk_trial_free(t);
}
END_TEST

/* With a perfect model the loop is that without its dead time, only later by it. */
START_TEST(a_perfect_predictor_is_the_quick_loop_delayed)
{
    rk_trial_case slow = a_case(fopdt(2, 10, 6), 2, 8, 0.5), quick = slow;
    rk_trial *a, *b;
    double i;

    slow.settings.predictor = RK_YES;
    quick.plant.dead_time = 0;
    a = run(&slow, (rk_trial_plan){.sp_step = 3, .duration = 100});
    b = run(&quick, (rk_trial_plan){.sp_step = 3, .duration = 100});
    for (i = 0; i < 90; i += 0.5) {
        ck_assert_double_eq_tol(pv_at(a, i + 6), pv_at(b, i), 1e-9);
    }
    rk_trial_free(a);
    rk_trial_free(b);
    slow.plant.dead_time = 14; /* and with a wrong one it is not even stable */
    a = run(&slow, (rk_trial_plan){.sp_step = 3, .duration = 400});
    ck_assert(isnan(rk_trial_results(a)->setpoint.settling_time));
    rk_trial_free(a);
}
END_TEST

/* A valve that sticks cycles as check predicts. */
START_TEST(a_sticking_valve_cycles)
{
    rk_trial_case c = a_case(fopdt(2, 10, 3), 0.8, 10, 0.05);
    double most = 0, least = 0;
    rk_limit_cycle cycle;
    rk_trial *t;
    size_t i;

    c.stiction = 0.5;
    t = run(&c, (rk_trial_plan){.sp_step = 0.25 * 2, .duration = 4000});
    ck_assert_int_eq(rk_limit_cycle_compute(&c.plant, &c.settings, 0.5, &cycle, NULL), RK_OK);
    for (i = rk_trial_points(t) / 2; i < rk_trial_points(t); i++) {
        most = fmax(most, rk_trial_pv(t)[i]);
        least = fmin(least == 0 ? 9 : least, rk_trial_pv(t)[i]);
    }
    ck_close(0.5 * (most - least), cycle.amplitude, 0.05);
    ck_assert(isnan(rk_trial_results(t)->setpoint.settling_time));
    rk_trial_free(t);
}
END_TEST

/* First order: 63.2 % after theta + T, 10 to 90 % in T ln 9, 2 % after theta + T ln 50. */
START_TEST(an_open_step_shows_the_models_numbers)
{
    const rk_model m = {RK_MODEL_FOPDT, -0.4, {12, 0}, 0, 5, 40, 7};
    const rk_model integrator = {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4, 40, 7};
    rk_trial *t = NULL;
    rk_open_step o;

    ck_assert_int_eq(rk_open_step_compute(&m, 0.5, 3, QNAN, &t, &o, NULL), RK_OK);
    ck_close(o.at_63, 17, 1e-4);
    ck_close(o.at_28, 9, 1e-4);
    ck_close(o.rise, 12 * log(9), 1e-4);
    ck_close(o.settling, 5 + (12 * log(50)), 2e-3);
    ck_close(o.pv_end, 7 - 1.2, 1e-12);
    ck_close(o.slope, -1.2 / 12, 5e-3);
    ck_assert_double_eq(o.dead_time, 5);
    ck_assert_double_eq(rk_trial_out(t)[0], 43);
    rk_trial_free(t);
    ck_assert_int_eq(rk_open_step_compute(&integrator, 0.5, 3, QNAN, &t, &o, NULL), RK_OK);
    ck_assert(isnan(o.pv_end) && isnan(o.at_63));
    ck_close(o.slope, 0.15, 1e-9);
    rk_trial_free(t);
    ck_assert_int_eq(rk_open_step_compute(&m, 0.5, 3, 30, &t, &o, NULL), RK_OK);
    ck_assert_uint_eq(rk_trial_scans(t), 60);
    rk_trial_free(t);
    ck_assert_int_eq(rk_open_step_compute(&m, 0.5, 0, QNAN, &t, &o, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_open_step_compute(NULL, 0.5, 1, QNAN, &t, &o, NULL), RK_ERR_ARG);
}
END_TEST

/* Each part alone, for as long as the whole: where a lag of T stands after T. */
START_TEST(the_parts_of_a_process_step_alone)
{
    const rk_model lags = {RK_MODEL_PROCESS, -0.4, {0}, 0, 5, 40, 7, 3, {2, 12, 4}};
    const rk_model ramp = {RK_MODEL_PROCESS_INTEGRATING, 0.05, {0}, 0, 5, 40, 7, 2, {2, 4}};
    const rk_model model = fopdt(1, 10, 2);
    rk_trial *whole = NULL, *part[RK_PARTS_MAX];
    rk_open_step o;
    size_t count = 9, i;

    ck_assert_int_eq(rk_open_step_compute(&lags, 0.5, 3, QNAN, &whole, &o, NULL), RK_OK);
    ck_assert_int_eq(rk_open_parts_create(&lags, 3, whole, part, &count, NULL), RK_OK);
    ck_assert_uint_eq(count, 3);
    for (i = 0; i < count; i++) {
        const size_t at = (size_t)(lags.lag[i] / rk_trial_step(part[i]) + 0.5);

        ck_assert_uint_eq(rk_trial_scans(part[i]), rk_trial_scans(whole));
        ck_close(rk_trial_pv(part[i])[at], 7 - (1.2 * (1 - exp(-1))), 1e-9);
        rk_trial_free(part[i]);
    }
    rk_trial_free(whole);
    ck_assert_int_eq(rk_open_step_compute(&ramp, 0.5, 3, QNAN, &whole, &o, NULL), RK_OK);
    ck_assert_int_eq(rk_open_parts_create(&ramp, 3, whole, part, &count, NULL), RK_OK);
    ck_assert_uint_eq(count, 1);
    ck_close(rk_trial_pv(part[0])[rk_trial_points(part[0]) - 1],
             7 + (0.15 * 0.5 * (double)rk_trial_scans(whole)), 1e-9);
    rk_trial_free(part[0]);
    ck_assert_int_eq(rk_open_parts_create(&model, 3, whole, part, &count, NULL), RK_OK);
    ck_assert_uint_eq(count, 0);
    ck_assert_int_eq(rk_open_parts_create(NULL, 3, whole, part, &count, NULL), RK_ERR_ARG);
    rk_trial_free(whole);
}
END_TEST

/* A filter of 4 s on PV: a loop of two lags, of which PV shows the first. Its OUT is the same
   as that of the process with both. */
START_TEST(a_pv_filter_is_seen_by_the_controller_alone)
{
    rk_trial_case one = a_case(fopdt(2, 10, 3), 0.5, 10, 0.005), two = one;
    rk_trial *a, *b;
    double i;

    one.settings.pv_filter = 4;
    two.plant = (rk_model){RK_MODEL_SOPDT, 2, {10, 4}, 0, 3, 0, 0};
    a = run(&one, (rk_trial_plan){.sp_step = 3, .duration = 60});
    b = run(&two, (rk_trial_plan){.sp_step = 3, .duration = 60});
    for (i = 0; i < 59; i += 0.5) {
        ck_assert_double_eq_tol(rk_trial_out(a)[(size_t)(i / 0.005)],
                                rk_trial_out(b)[(size_t)(i / 0.005)], 2e-3);
    }
    ck_assert_double_gt(pv_at(a, 10), pv_at(b, 10) + 0.2);
    rk_trial_free(a);
    rk_trial_free(b);
}
END_TEST

START_TEST(within_the_deadband_nothing_is_done)
{
    rk_trial_case c = a_case(fopdt(2, 10, 3), 0.6, 10, 0.5);
    rk_trial *t;

    c.settings.deadband = 0.4;
    t = run(&c, (rk_trial_plan){.sp_step = 0.39, .duration = 50});
    ck_assert_double_eq(rk_trial_results(t)->travel, 0);
    rk_trial_free(t);
    t = run(&c, (rk_trial_plan){.sp_step = 3, .duration = 400});
    ck_assert_double_le(fabs(3 - pv_at(t, 399)), 0.4 * (1 + 1e-6));
    rk_trial_free(t);
}
END_TEST

/* The run ends 2 s after PV came into the band, and PV's own time is 13 s. */
START_TEST(a_run_cut_short_says_so)
{
    const rk_trial_case c = a_case(fopdt(2, 10, 3), 0.8, 10, 0.1);
    rk_trial *whole = run(&c, (rk_trial_plan){.sp_step = 1, .duration = 200}), *cut;
    const double settled = rk_trial_results(whole)->setpoint.settling_time;

    ck_assert(!rk_trial_results(whole)->setpoint.cut_short && settled > 0);
    cut = run(&c, (rk_trial_plan){.sp_step = 1, .duration = settled + 2});
    ck_assert(rk_trial_results(cut)->setpoint.cut_short);
    ck_assert(isnan(rk_trial_results(cut)->setpoint.settling_time));
    rk_trial_free(cut);
    cut = run(&c, (rk_trial_plan){.sp_step = 1, .duration = settled + 14});
    ck_assert_double_eq(rk_trial_results(cut)->setpoint.settling_time, settled);
    rk_trial_free(cut);
    rk_trial_free(whole);
}
END_TEST

static void no_time(rk_trial_case *c, rk_trial_plan *p)
{
    (void)c;
    p->shape = RK_SETPOINT_SHAPE_RAMP;
}
static void no_shape(rk_trial_case *c, rk_trial_plan *p)
{
    (void)c;
    p->shape = (rk_setpoint_shape)9;
}
static void negative_noise(rk_trial_case *c, rk_trial_plan *p)
{
    (void)c;
    p->noise = -1;
}
static void on_off_unlimited(rk_trial_case *c, rk_trial_plan *p)
{
    (void)p;
    c->settings = on_off_settings(0, 1);
    c->limits = rk_limits_none();
}
static void negative_play(rk_trial_case *c, rk_trial_plan *p)
{
    (void)p;
    c->backlash = -1;
}
static void integrating_predictor(rk_trial_case *c, rk_trial_plan *p)
{
    (void)p;
    c->settings.predictor = RK_YES;
    c->model.kind = RK_MODEL_IPDT;
    c->model.time_constant[0] = 0;
}

static const struct {
    void (*spoil)(rk_trial_case *, rk_trial_plan *);
    const char *says;
} spoilt[] = {
    {no_time, "a setpoint ramp of 0 s"},
    {no_shape, "a setpoint unknown"},
    {negative_noise, "noise -1"},
    {on_off_unlimited, "the output limits that it switches between"},
    {negative_play, "backlash -1"},
    {integrating_predictor, "integrating"},
};

START_TEST(what_makes_no_trial_is_refused)
{
    rk_trial_case c = a_case(fopdt(2, 10, 3), 0.8, 10, 0.1);
    rk_trial_plan plan = {.sp_step = 1, .duration = 20, .band = 0.02};
    rk_diag diag = {RK_OK, ""};
    rk_trial *trial = NULL;

    spoilt[_i].spoil(&c, &plan);
    ck_assert_int_eq(rk_trial_create(&c, &plan, &trial, &diag), RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, spoilt[_i].says) != NULL, "%s", diag.text);
    ck_assert_ptr_null(trial);
}
END_TEST

START_TEST(shapes_convert_and_refuse)
{
    rk_setpoint_shape shape;
    int i;

    for (i = 0; i < 4; i++) {
        ck_assert_int_eq(rk_setpoint_shape_from_text(
                             rk_setpoint_shape_to_text((rk_setpoint_shape)i), &shape, NULL),
                         RK_OK);
        ck_assert_int_eq((int)shape, i);
    }
    ck_assert_int_eq(rk_setpoint_shape_from_text("square", &shape, NULL), RK_ERR_RANGE);
    ck_assert_double_eq(rk_setpoint_shape_value(RK_SETPOINT_SHAPE_TRAIN, 2, 0.6, 0.3), 0);
    ck_assert_double_eq(rk_setpoint_shape_value(RK_SETPOINT_SHAPE_TRAIN, 2, 0.1, 0.3), 2);
}
END_TEST

Suite *suite_trial_kinds(void)
{
    Suite *suite = suite_create("design/trial_kinds");
    TCase *t = tcase_create("kinds");

    tcase_add_test(t, pv_follows_a_ramp_by_the_closed_form);
    tcase_add_test(t, pv_follows_a_sine_by_the_frequency_response);
    tcase_add_test(t, a_trains_first_swing_is_a_step);
    tcase_add_test(t, a_load_at_the_output_is_a_setpoint_step_turned_round);
    tcase_add_test(t, noise_fools_no_metric);
    tcase_add_loop_test(t, on_off_cycles_by_the_closed_form, 0, 2);
    tcase_add_test(t, a_perfect_predictor_is_the_quick_loop_delayed);
    tcase_add_test(t, a_sticking_valve_cycles);
    tcase_add_test(t, an_open_step_shows_the_models_numbers);
    tcase_add_test(t, the_parts_of_a_process_step_alone);
    tcase_add_test(t, a_pv_filter_is_seen_by_the_controller_alone);
    tcase_add_test(t, within_the_deadband_nothing_is_done);
    tcase_add_test(t, a_run_cut_short_says_so);
    add_table(t, what_makes_no_trial_is_refused, spoilt);
    tcase_add_test(t, shapes_convert_and_refuse);
    suite_add_tcase(suite, t);
    return suite;
}
