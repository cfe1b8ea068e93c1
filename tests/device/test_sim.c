/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <ports/sim/sim.h>

#include "../support/support.h"

enum { MEMORY = 8 };

/* A plant so quick that PV is the valve: pv = valve + load one advance later. */
static rk_sim make(rk_real *memory, const rk_sim_faults *faults)
{
    const rk_plant_params plant = {{{0, 0}, {0, 0}}, {1, 0}, {0, 0}, 0, 0, 0};
    rk_sim sim;

    ck_assert_int_eq(rk_sim_init(&sim, &plant, memory, MEMORY, 50), RK_OK);
    ck_assert_int_eq(rk_sim_set_faults(&sim, faults), RK_OK);
    return sim;
}

static double read_pv(rk_sim *sim)
{
    const rk_port port = rk_sim_port(sim);
    rk_real pv = 0;

    ck_assert_int_eq(port.read_pv(port.user, &pv), RK_OK);
    return pv;
}

static void write_out(rk_sim *sim, double out)
{
    const rk_port port = rk_sim_port(sim);
    rk_real back = 0;

    ck_assert_int_eq(port.write_out(port.user, out), RK_OK);
    ck_assert_int_eq(port.read_out(port.user, &back), RK_OK);
    ck_assert_double_eq(back, out);
}

/* What the valve does with what is written, an advance after another. */
static const struct {
    const char *fact;
    rk_sim_faults faults;
    double written[6], valve[6];
} valves[] = {
    {"a sound valve follows", {.seed = 1}, {51, 52, 40, 40, 60, 60}, {51, 52, 40, 40, 60, 60}},
    {"a rate limit", {.valve = {2, 0, 0}}, {55, 55, 55, 55, 50, 50}, {52, 54, 55, 55, 53, 51}},
    {"play: the first half is lost after a turn",
     {.valve = {0, 2, 0}},
     {53, 55, 54, 53, 52, 56},
     {52, 54, 54, 54, 53, 55}},
    {"stiction: small changes do nothing",
     {.valve = {0, 0, 1.5}},
     {51, 51.4, 51.6, 52, 50.3, 50},
     {50, 50, 51.6, 51.6, 51.6, 50}},
    {"stiction and a rate limit: once it moves it gets there",
     {.valve = {1, 0, 1.5}},
     {53, 53, 53, 53, 52, 52},
     {51, 52, 53, 53, 53, 53}},
};

START_TEST(the_valve_follows_as_well_as_it_can)
{
    rk_real memory[MEMORY];
    rk_sim sim = make(memory, &valves[_i].faults);
    int i;

    for (i = 0; i < 6; i++) {
        write_out(&sim, valves[_i].written[i]);
        rk_sim_advance(&sim);
        ck_assert_msg(fabs(read_pv(&sim) - valves[_i].valve[i]) < 1e-12, "%s, advance %d: %g",
                      valves[_i].fact, i, read_pv(&sim));
    }
}
END_TEST

START_TEST(noise_has_the_size_and_the_colour_asked_for)
{
    const double colour = _i == 0 ? 0.0 : 0.8;
    const rk_sim_faults faults = {.noise = 0.5,
                                  .noise_correlation = colour,
                                  .noise_innovation = sqrt(1 - (colour * colour)),
                                  .seed = 3};
    rk_real memory[MEMORY], other[MEMORY];
    rk_sim sim = make(memory, &faults), again = make(other, &faults);
    double square = 0, product = 0, sum = 0, before = 0;
    const int n = 40000;
    int i;

    for (i = 0; i < n; i++) {
        const double off = read_pv(&sim) - 50;

        ck_assert_double_eq(read_pv(&sim), 50 + off); /* one reading an advance */
        ck_assert_double_eq(read_pv(&again), 50 + off);
        sum += off;
        square += off * off;
        product += off * before;
        before = off;
        rk_sim_advance(&sim);
        rk_sim_advance(&again);
    }
    /* Four standard errors of 40,000 readings, nine times as many for the colour. */
    ck_assert_double_eq_tol(sum / n, 0, 0.5 * (_i == 0 ? 0.02 : 0.06));
    ck_assert_double_eq_tol(sqrt(square / n), 0.5, 0.5 * (_i == 0 ? 0.015 : 0.04));
    ck_assert_double_eq_tol(product / square, colour, 0.02);
}
END_TEST

START_TEST(a_converter_has_its_steps_and_its_range)
{
    const rk_sim_faults faults = {.converter_step = 100.0 / 15.0, .pv_low = 0, .pv_high = 100};
    static const double out[] = {50, 52, 0, -20, 100, 130, 3.3, 3.4};
    static const double pv[] = {53.333333333333336, 53.333333333333336, 0, 0, 100, 100, 0,
                                6.666666666666667};
    rk_real memory[MEMORY];
    rk_sim sim = make(memory, &faults);
    size_t i;

    for (i = 0; i < COUNT(out); i++) {
        write_out(&sim, out[i]);
        rk_sim_advance(&sim);
        ck_assert_double_eq_tol(read_pv(&sim), pv[i], 1e-12);
    }
}
END_TEST

START_TEST(the_sensor_sticks_goes_bad_and_the_port_drops_when_it_should)
{
    const rk_sim_faults faults = {.sticks = {2, 4}, .bad = {5, 6}, .drops = {7, 9}};
    rk_real memory[MEMORY];
    rk_sim sim = make(memory, &faults);
    const rk_port port = rk_sim_port(&sim);
    rk_real pv = 0;
    int i;

    for (i = 0; i < 10; i++) {
        const bool dropped = i == 7 || i == 8;

        ck_assert_int_eq(port.read_pv(port.user, &pv), dropped ? RK_ERR_IO : RK_OK);
        ck_assert_int_eq(port.read_out(port.user, &pv), dropped ? RK_ERR_IO : RK_OK);
        ck_assert_int_eq(port.write_out(port.user, 51 + i), dropped ? RK_ERR_IO : RK_OK);
        if (!dropped) {
            /* What was written an advance ago, but while it sticks the one before that. */
            const double wanted = i == 2 || i == 3 ? 51 : i == 0 ? 50 : i == 9 ? 57 : 50 + i;

            pv = read_pv(&sim);
            ck_assert_msg(i == 5 ? isnan(pv) : pv == wanted, "advance %d: %g", i, pv);
        }
        rk_sim_advance(&sim);
    }
}
END_TEST

START_TEST(a_load_comes_once)
{
    const rk_sim_faults faults = {.load_step = -4, .load_at = 2};
    rk_real memory[MEMORY];
    rk_sim sim = make(memory, &faults);
    int i;

    for (i = 1; i <= 6; i++) {
        rk_sim_advance(&sim);
        ck_assert_double_eq(read_pv(&sim), i <= 2 ? 50 : 46);
    }
}
END_TEST

START_TEST(faults_out_of_range_are_refused)
{
    const rk_sim_faults bad[] = {
        {.noise = -1},           {.noise = QNAN},       {.noise_correlation = 1},
        {.valve = {-1, 0, 0}},   {.valve = {0, -1, 0}}, {.valve = {0, 0, QNAN}},
        {.converter_step = -1},  {.converter_step = 1}, {.load_step = HUGE_VAL},
        {.noise_innovation = 2},
    };
    rk_real memory[MEMORY];
    rk_sim sim = make(memory, &(const rk_sim_faults){.seed = 1});
    size_t i;

    for (i = 0; i < COUNT(bad); i++) {
        ck_assert_msg(rk_sim_set_faults(&sim, &bad[i]) == RK_ERR_RANGE, "row %zu", i);
    }
    ck_assert_int_eq(rk_sim_set_faults(&sim, NULL), RK_ERR_ARG);
}
END_TEST

Suite *suite_sim(void)
{
    Suite *suite = suite_create("ports/sim");
    TCase *t = tcase_create("sim");
    TCase *many = tcase_create("statistics");

    add_table(t, the_valve_follows_as_well_as_it_can, valves);
    tcase_add_test(t, a_converter_has_its_steps_and_its_range);
    tcase_add_test(t, the_sensor_sticks_goes_bad_and_the_port_drops_when_it_should);
    tcase_add_test(t, a_load_comes_once);
    tcase_add_test(t, faults_out_of_range_are_refused);
    /* Hundreds of runs that say nothing new under the sanitizers. */
    tcase_set_tags(many, "statistics");
    tcase_add_loop_test(many, noise_has_the_size_and_the_colour_asked_for, 0, 2);
    suite_add_tcase(suite, many);
    suite_add_tcase(suite, t);
    return suite;
}
