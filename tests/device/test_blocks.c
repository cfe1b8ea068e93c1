/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "../support/support.h"

START_TEST(ramp_goes_up_and_down_at_its_rates_and_ends_on_the_target)
{
    rk_ramp ramp;

    ck_assert_int_eq(rk_ramp_init(&ramp, 2, 4, 0.5, 10), RK_OK);
    ck_assert_double_eq(rk_ramp_scan(&ramp, 12.5), 11);
    ck_assert_double_eq(rk_ramp_scan(&ramp, 12.5), 12);
    ck_assert_double_eq(rk_ramp_scan(&ramp, QNAN), 12);
    ck_assert_double_eq(rk_ramp_scan(&ramp, 12.5), 12.5);
    ck_assert_double_eq(rk_ramp_scan(&ramp, 0), 10.5);
    rk_ramp_set(&ramp, 3);
    rk_ramp_set(&ramp, HUGE_VAL);
    ck_assert_double_eq(rk_ramp_scan(&ramp, 0), 1);
    ck_assert_double_eq(rk_ramp_scan(&ramp, 0), 0);
    ck_assert_int_eq(rk_ramp_init(&ramp, HUGE_VAL, 1, 1, 0), RK_OK);
    ck_assert_double_eq(rk_ramp_scan(&ramp, 1e9), 1e9);
    ck_assert_int_eq(rk_ramp_init(NULL, 1, 1, 1, 0), RK_ERR_ARG);
    ck_assert_int_eq(rk_ramp_param_error(1, 1, 0, 0), RK_PARAM_ERROR_TS);
    ck_assert_int_eq(rk_ramp_param_error(1, 0, 1, 0), RK_PARAM_ERROR_RATE);
    ck_assert_int_eq(rk_ramp_param_error(QNAN, 1, 1, 0), RK_PARAM_ERROR_RATE);
    ck_assert_int_eq(rk_ramp_init(&ramp, 1, 1, 1, QNAN), RK_ERR_RANGE);
}
END_TEST

/* Backward Euler: what is missing shrinks by tf / (tf + ts) a scan. */
START_TEST(filter_is_a_first_order_lag_that_starts_on_its_first_value)
{
    rk_filter filter;
    int i;

    ck_assert_int_eq(rk_filter_init(&filter, 3, 1), RK_OK);
    ck_assert(isnan(rk_filter_scan(&filter, QNAN)));
    ck_assert_double_eq(rk_filter_scan(&filter, 20), 20);
    for (i = 1; i <= 10; i++) {
        ck_assert_double_eq_tol(rk_filter_scan(&filter, 30), 30 - (10 * pow(0.75, i)), 1e-12);
    }
    ck_assert_double_eq(rk_filter_scan(&filter, HUGE_VAL), filter.y);
    ck_assert_int_eq(rk_filter_init(&filter, 0, 1), RK_OK);
    ck_assert_double_eq(rk_filter_scan(&filter, 0.1), 0.1);
    ck_assert_double_eq(rk_filter_scan(&filter, 0.3), 0.3);
    ck_assert_int_eq(rk_filter_init(NULL, 1, 1), RK_ERR_ARG);
    ck_assert_int_eq(rk_filter_init(&filter, -1, 1), RK_ERR_RANGE);
    ck_assert_int_eq(rk_filter_init(&filter, 1, 0), RK_ERR_RANGE);
}
END_TEST

/* With a perfect model the loop is that of the plant without its dead time, later by it. */
static const rk_model processes[] = {
    {RK_MODEL_FOPDT, 2, {10, 0}, 0, 7, 40, 50},
    {RK_MODEL_FOPDT, -0.4, {25, 0}, 0, 30, 40, 50},
    {RK_MODEL_SOPDT, 1.5, {12, 5}, 0, 11, 40, 50},
    {RK_MODEL_SOPDT_OSC, 1, {4, 0}, 0.5, 9, 40, 50},
};

START_TEST(predictor_gives_the_prompt_response_later_by_the_dead_time)
{
    const rk_model *model = &processes[_i];
    const int late = (int)model->dead_time;
    rk_pid_params params = rk_pid_params_make();
    rk_real plant_memory[64], prompt_memory[1], memory[64];
    rk_plant_params whole, quick;
    rk_plant plant, prompt_plant;
    rk_predictor predictor;
    double prompt_pv[400], prompt_out[400], pv = 50, out = 40;
    rk_pid a, b;
    int i;

    params.ts = 1;
    params.kc = 0.8 / model->gain;
    params.ti = model->time_constant[0];
    ck_assert_int_eq(rk_predictor_params_from_model(model, 1, &whole, &quick, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &whole, plant_memory, 64, 40), RK_OK);
    ck_assert_int_eq(rk_plant_init(&prompt_plant, &quick, prompt_memory, 1, 40), RK_OK);
    ck_assert_int_eq(rk_predictor_init(&predictor, &whole, &quick, memory, 64, 40), RK_OK);
    ck_assert_int_eq(rk_pid_init(&a, &params, 40), RK_OK);
    ck_assert_int_eq(rk_pid_reset(&a, 50, 50, 40), RK_OK);
    b = a;
    for (i = 0; i < 400; i++) {
        prompt_pv[i] = rk_plant_pv(&prompt_plant);
        prompt_out[i] = rk_pid_scan(&a, 53, prompt_pv[i]);
        (void)rk_plant_scan(&prompt_plant, prompt_out[i]);
    }
    for (i = 0; i < 400; i++) {
        const double seen = i > 0 ? rk_predictor_scan(&predictor, pv, out) : pv;

        out = rk_pid_scan(&b, 53, seen);
        ck_assert_double_eq_tol(out, prompt_out[i], 1e-9);
        ck_assert_double_eq_tol(pv, i < late ? 50 : prompt_pv[i - late], 1e-9);
        pv = rk_plant_scan(&plant, out);
    }
}
END_TEST

START_TEST(predictor_refuses_what_it_cannot_serve)
{
    const rk_model integrator = {RK_MODEL_IPDT, 0.1, {0, 0}, 0, 5, 40, 50};
    rk_plant_params whole, quick;
    rk_predictor predictor;
    rk_real memory[16];

    ck_assert_int_eq(rk_predictor_params_from_model(&integrator, 1, &whole, &quick, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_predictor_param_error(&whole, &quick, 40),
                     RK_PARAM_ERROR_INTEGRATING_MODEL);
    ck_assert_int_eq(rk_predictor_params_from_model(&processes[0], 1, &whole, &quick, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_predictor_init(&predictor, &whole, &quick, memory, 8, 40),
                     RK_ERR_MEMORY);
    ck_assert_int_eq(rk_predictor_init(&predictor, &whole, &quick, memory, 9, 40), RK_OK);
    ck_assert_int_eq(rk_predictor_init(&predictor, &whole, &whole, memory, 9, 40),
                     RK_ERR_RANGE);
    ck_assert_int_eq(rk_predictor_init(NULL, &whole, &quick, memory, 9, 40), RK_ERR_ARG);
    quick.a[0][0] += 0.01;
    ck_assert_int_eq(rk_predictor_param_error(&whole, &quick, 40),
                     RK_PARAM_ERROR_MODELS_DIFFER);
}
END_TEST

static rk_relay_params relay_params(const rk_model *model, double ts)
{
    return (rk_relay_params){.ts = ts,
                             .sp = model->pv0,
                             .amplitude = 5,
                             .direct = model->gain < 0,
                             .cycles = 3,
                             .patience = 5000,
                             .out_lo = 0,
                             .out_hi = 100,
                             .pv_lo = -1000,
                             .pv_hi = 1000};
}

/*
 * A relay on a first-order process switches where PV = sp, theta after each crossing. Its limit
 * cycle in closed form, with e = exp(-theta / tau): a half period is theta + tau ln(2 - e), PV
 * swings by gain h (1 - e).
 */
static const struct {
    double gain, tau, theta;
} relayed[] = {{2, 10, 5}, {-0.4, 50, 10}, {1, 5, 20}, {3, 100, 2}};

START_TEST(relay_swings_as_the_closed_form_says)
{
    const double tau = relayed[_i].tau, theta = relayed[_i].theta, ts = theta / 200;
    const rk_model model = {RK_MODEL_FOPDT, relayed[_i].gain, {tau, 0}, 0, theta, 40, 50};
    const rk_relay_params params = relay_params(&model, ts);
    const double e = exp(-theta / tau), swing = fabs(relayed[_i].gain) * 5 * (1 - e);
    rk_real memory[256];
    rk_plant_params made;
    rk_relay_result result;
    rk_plant plant;
    rk_relay relay;
    int scans;

    ck_assert_int_eq(rk_plant_params_from_model(&model, ts, &made, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &made, memory, 256, 40), RK_OK);
    ck_assert_int_eq(rk_relay_init(&relay, &params, 40), RK_OK);
    ck_assert_int_eq(rk_relay_get_result(&relay, &result), RK_ERR_DATA);
    for (scans = 0; relay.state == RK_RELAY_SWINGING && scans < 1000000; scans++) {
        (void)rk_plant_scan(&plant, rk_relay_scan(&relay, rk_plant_pv(&plant)));
    }
    ck_assert_int_eq(relay.state, RK_RELAY_DONE);
    ck_assert_double_eq(relay.out, 40);
    ck_assert_int_eq(rk_relay_get_result(&relay, &result), RK_OK);
    /* A scan is a two-hundredth of the dead time, and a half period late by up to two of them.
     */
    ck_close(result.ultimate_period, 2 * (theta + (tau * log(2 - e))), 0.03);
    ck_close(result.amplitude, swing, 0.02);
    ck_close(result.ultimate_gain,
             4 * 5 / (M_PI * result.amplitude) * (relayed[_i].gain < 0 ? -1 : 1), 1e-12);
}
END_TEST

START_TEST(relay_corrects_for_its_hysteresis)
{
    const rk_model model = {RK_MODEL_FOPDT, 2, {30, 0}, 0, 5, 40, 50};
    rk_relay_params params = relay_params(&model, 0.1);
    rk_real memory[64];
    rk_plant_params made;
    rk_relay_result result;
    rk_plant plant;
    rk_relay relay;
    int scans;

    params.hysteresis = 0.5;
    ck_assert_int_eq(rk_plant_params_from_model(&model, 0.1, &made, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &made, memory, 64, 40), RK_OK);
    ck_assert_int_eq(rk_relay_init(&relay, &params, 40), RK_OK);
    for (scans = 0; relay.state == RK_RELAY_SWINGING && scans < 1000000; scans++) {
        (void)rk_plant_scan(&plant, rk_relay_scan(&relay, rk_plant_pv(&plant)));
    }
    ck_assert_int_eq(rk_relay_get_result(&relay, &result), RK_OK);
    ck_close(result.ultimate_gain,
             20 / (M_PI * sqrt((result.amplitude * result.amplitude) - 0.25)), 1e-12);
}
END_TEST

static const struct {
    double pv;
    rk_relay_state state;
} relay_ends[] = {{(double)NAN, RK_RELAY_PV_BAD},
                  {2000, RK_RELAY_PV_OUT},
                  {-2000, RK_RELAY_PV_OUT},
                  {50, RK_RELAY_TIMED_OUT}};

START_TEST(relay_puts_the_output_back_whatever_ends_it)
{
    const rk_model model = {RK_MODEL_FOPDT, 2, {30, 0}, 0, 5, 40, 50};
    const rk_relay_params params = relay_params(&model, 1);
    rk_relay relay;
    int i;

    ck_assert_int_eq(rk_relay_init(&relay, &params, 40), RK_OK);
    ck_assert_double_eq(rk_relay_scan(&relay, 50), 45);
    for (i = 0; i < 5001; i++) {
        (void)rk_relay_scan(&relay, relay_ends[_i].pv);
    }
    ck_assert_int_eq(relay.state, relay_ends[_i].state);
    ck_assert_double_eq(relay.out, 40);
    ck_assert_int_eq(rk_relay_init(&relay, &params, 40), RK_OK);
    (void)rk_relay_scan(&relay, 50);
    rk_relay_stop(&relay);
    ck_assert_double_eq(rk_relay_scan(&relay, 50), 40);
}
END_TEST

START_TEST(relay_refuses_what_the_valve_cannot_do)
{
    const rk_model model = {RK_MODEL_FOPDT, 2, {30, 0}, 0, 5, 40, 50};
    rk_relay_params p = relay_params(&model, 1);
    rk_relay relay;

    ck_assert_int_eq(rk_relay_param_error(&p, 98), RK_PARAM_ERROR_AMPLITUDE);
    ck_assert_int_eq(rk_relay_param_error(&p, 101), RK_PARAM_ERROR_OUT_NOW);
    ck_assert_int_eq(rk_relay_init(&relay, &p, 3), RK_ERR_RANGE);
    ck_assert_int_eq(rk_relay_init(NULL, &p, 40), RK_ERR_ARG);
    p.cycles = 0;
    ck_assert_int_eq(rk_relay_param_error(&p, 40), RK_PARAM_ERROR_CYCLES);
    p = relay_params(&model, 1);
    p.hysteresis = -1;
    ck_assert_int_eq(rk_relay_param_error(&p, 40), RK_PARAM_ERROR_HYSTERESIS);
    p = relay_params(&model, 1);
    p.patience = 0;
    ck_assert_int_eq(rk_relay_param_error(&p, 40), RK_PARAM_ERROR_PATIENCE);
    ck_assert_int_eq(rk_relay_param_error(&(rk_relay_params){0}, 40), RK_PARAM_ERROR_TS);
}
END_TEST

START_TEST(on_off_switches_beyond_the_hysteresis_and_not_too_often)
{
    const rk_on_off_params params = {
        .ts = 1, .hysteresis = 2, .least_on = 3, .least_off = 2, .bad_on = false};
    rk_on_off_params cooling = params;
    rk_on_off block;

    ck_assert_int_eq(rk_on_off_init(&block, &params, false), RK_OK);
    ck_assert(!rk_on_off_scan(&block, 50, 48));
    ck_assert(rk_on_off_scan(&block, 50, 47.9));
    ck_assert(rk_on_off_scan(&block, 50, 53)); /* on for two scans only */
    ck_assert(rk_on_off_scan(&block, 50, 53));
    ck_assert(!rk_on_off_scan(&block, 50, 53));
    ck_assert(!rk_on_off_scan(&block, 50, 40));
    ck_assert(rk_on_off_scan(&block, 50, 40));
    ck_assert(rk_on_off_scan(&block, 50, QNAN));
    ck_assert(rk_on_off_scan(&block, 50, QNAN));
    ck_assert(!rk_on_off_scan(&block, 50, QNAN));
    cooling.direct = true;
    cooling.bad_on = true;
    ck_assert_int_eq(rk_on_off_init(&block, &cooling, false), RK_OK);
    ck_assert(rk_on_off_scan(&block, 5, 8));
    ck_assert(rk_on_off_scan(&block, QNAN, 8));
    ck_assert_int_eq(rk_on_off_init(NULL, &params, false), RK_ERR_ARG);
    cooling.least_on = -1;
    ck_assert_int_eq(rk_on_off_init(&block, &cooling, false), RK_ERR_RANGE);
    cooling = params;
    cooling.hysteresis = QNAN;
    ck_assert_int_eq(rk_on_off_param_error(&cooling), RK_PARAM_ERROR_HYSTERESIS);
}
END_TEST

/* Whatever the duty: on average it is kept, and nothing is switched for less than its least. */
static void try_duty_is(int seed)
{
    rng r = {(uint64_t)seed + 77};
    const double duty = seed < 3 ? 0.5 * seed : rng_uniform(&r);
    const rk_pwm_params params = {.ts = 0.5,
                                  .period = 5 + floor(20 * rng_uniform(&r)),
                                  .least_on = 3 * rng_uniform(&r),
                                  .least_off = 2 * rng_uniform(&r)};
    const int periods = 400;
    long on = 0, run = 0, shortest[2] = {1000000, 1000000};
    rk_pwm block;
    bool last = false;
    long i, scans;

    ck_assert_int_eq(rk_pwm_init(&block, &params), RK_OK);
    scans = block.period * periods;
    for (i = 0; i < scans; i++) {
        const bool now = rk_pwm_scan(&block, duty);

        on += now;
        if (i > 0 && now != last) {
            if (run < i && run < shortest[last]) {
                shortest[last] = run;
            }
            run = 0;
        }
        run++;
        last = now;
    }
    /* Two periods are carried at most. */
    ck_assert_double_eq_tol((double)on / (double)scans, duty, 2.0 / periods);
    ck_assert_int_ge(shortest[1], block.least_on);
    ck_assert_int_ge(shortest[0], block.least_off);
}

/* Many in a process: one each would take longer to start than to run. */
START_TEST(duty_is_kept_on_average_and_pulses_are_never_too_short)
{
    int seed;

    for (seed = 50 * _i; seed < 50 * (_i + 1); seed++) {
        try_duty_is(seed);
    }
}
END_TEST

START_TEST(duty_beyond_its_range_is_limited_and_a_bad_one_is_off)
{
    const rk_pwm_params params = {.ts = 1, .period = 4};
    rk_pwm_params wrong = params;
    rk_pwm block;
    int i;

    ck_assert_int_eq(rk_pwm_init(&block, &params), RK_OK);
    for (i = 0; i < 8; i++) {
        ck_assert(rk_pwm_scan(&block, 7));
    }
    for (i = 0; i < 4; i++) {
        ck_assert(!rk_pwm_scan(&block, QNAN));
    }
    for (i = 0; i < 4; i++) {
        ck_assert_int_eq(rk_pwm_scan(&block, 0.25), i == 0);
    }
    wrong.period = 1.5;
    ck_assert_int_eq(rk_pwm_param_error(&wrong), RK_PARAM_ERROR_PERIOD);
    wrong = params;
    wrong.least_on = 2.5;
    wrong.least_off = 1.5;
    ck_assert_int_eq(rk_pwm_param_error(&wrong), RK_PARAM_ERROR_LEAST_TIMES);
    ck_assert_int_eq(rk_pwm_init(&block, &wrong), RK_ERR_RANGE);
    ck_assert_int_eq(rk_pwm_init(NULL, &params), RK_ERR_ARG);
}
END_TEST

/* A valve of 2 a scan with a play of 1, that sticks below 1.5: worked by hand. */
START_TEST(a_valve_strokes_sticks_and_plays)
{
    static const double outs[] = {51, 51.6, 55, 55, 55, 54, 53.4, 53.4};
    static const double places[] = {50, 51.1, 53.1, 54.5, 54.5, 54.5, 53.9, 53.9};
    const rk_valve_params params = {2, 1, 1.5},
                          wrong[] = {{-1, 0, 0}, {0, -1, 0}, {0, 0, QNAN}};
    rk_valve valve;
    size_t i;

    ck_assert_int_eq(rk_valve_init(&valve, &params, 50), RK_OK);
    for (i = 0; i < COUNT(outs); i++) {
        ck_assert_double_eq_tol((double)rk_valve_scan(&valve, (rk_real)outs[i]), places[i],
                                1e-5);
    }
    ck_assert_double_eq_tol((double)rk_valve_scan(&valve, (rk_real)QNAN), 53.9, 1e-5);
    for (i = 0; i < COUNT(wrong); i++) {
        ck_assert_int_eq(rk_valve_init(&valve, &wrong[i], 50), RK_ERR_RANGE);
    }
    ck_assert_int_eq(rk_valve_init(NULL, &params, 50), RK_ERR_ARG);
    ck_assert_int_eq(rk_valve_init(&valve, &params, (rk_real)QNAN), RK_ERR_RANGE);
}
END_TEST

/* Mean, deviation and correlation over many scans; the same seed, the same noise. */
START_TEST(noise_has_the_deviation_and_the_colour_asked_for)
{
    enum { N = 200000 };
    rk_noise noise, again;
    double sum = 0, square = 0, product = 0, last = 0;
    int i;

    ck_assert_int_eq(rk_noise_init(&noise, RK_C(0.3), RK_C(0.6), RK_C(0.8), 5), RK_OK);
    ck_assert_int_eq(rk_noise_init(&again, RK_C(0.3), RK_C(0.6), RK_C(0.8), 5), RK_OK);
    for (i = 0; i < N; i++) {
        const double n = (double)rk_noise_scan(&noise);

        ck_assert(n == (double)rk_noise_scan(&again));
        sum += n;
        square += n * n;
        product += n * last;
        last = n;
    }
    ck_assert_double_eq_tol(sum / N, 0, 0.006); /* four of its deviations */
    ck_assert_double_eq_tol(sqrt(square / N), 0.3, 0.006);
    ck_assert_double_eq_tol(product / square, 0.6, 0.01);
    ck_assert_int_eq(rk_noise_init(NULL, 1, 0, 1, 1), RK_ERR_ARG);
    ck_assert_int_eq(rk_noise_init(&noise, -1, 0, 1, 1), RK_ERR_RANGE);
    ck_assert_int_eq(rk_noise_init(&noise, 1, 1, 1, 1), RK_ERR_RANGE);
    ck_assert_int_eq(rk_noise_init(&noise, 1, 0, 2, 1), RK_ERR_RANGE);
}
END_TEST

Suite *suite_blocks(void)
{
    Suite *suite = suite_create("device/blocks");
    TCase *t = tcase_create("blocks");

    tcase_add_test(t, ramp_goes_up_and_down_at_its_rates_and_ends_on_the_target);
    tcase_add_test(t, filter_is_a_first_order_lag_that_starts_on_its_first_value);
    add_table(t, predictor_gives_the_prompt_response_later_by_the_dead_time, processes);
    tcase_add_test(t, predictor_refuses_what_it_cannot_serve);
    add_table(t, relay_swings_as_the_closed_form_says, relayed);
    tcase_add_test(t, relay_corrects_for_its_hysteresis);
    add_table(t, relay_puts_the_output_back_whatever_ends_it, relay_ends);
    tcase_add_test(t, relay_refuses_what_the_valve_cannot_do);
    tcase_add_test(t, on_off_switches_beyond_the_hysteresis_and_not_too_often);
    tcase_add_loop_test(t, duty_is_kept_on_average_and_pulses_are_never_too_short, 0, 4);
    tcase_add_test(t, duty_beyond_its_range_is_limited_and_a_bad_one_is_off);
    tcase_add_test(t, a_valve_strokes_sticks_and_plays);
    tcase_add_test(t, noise_has_the_deviation_and_the_colour_asked_for);
    suite_add_tcase(suite, t);
    return suite;
}
