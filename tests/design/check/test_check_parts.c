/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

static rk_conditions conditions_of(double ts)
{
    return (rk_conditions){
        .limits = rk_limits_none(), .ts = ts, .sp_step = 1, .load_step = 1, .noise = QNAN};
}

static rk_gain_limits limits_of(const rk_model *m, const rk_settings *s,
                                const rk_requirements *r, const rk_conditions *c, double end)
{
    rk_gain_limits found;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(rk_gain_limits_compute(r, m, s, c, end, &found, &diag) == RK_OK, "%s",
                  diag.text);
    return found;
}

/* Ti = tau: GM = pi / (2 k theta), PM = pi/2 - k theta, k = kc gain / tau. From a kc that meets
   the lines and from one that misses them. */
START_TEST(a_margin_is_reached_where_the_closed_form_says)
{
    static const double factors[] = {0.1, 0.9, 1.3, 4};
    const rk_model m = fopdt(-2, 10, 5);
    const double unit = 10.0 / (-2 * 5.0); /* kc of k theta = 1 */
    const rk_settings s = rk_settings_make(0.5 * factors[_i] * unit, 10, 0, 0);
    const rk_conditions c = conditions_of(QNAN);
    rk_requirements r = rk_requirements_default();
    rk_gain_limits found;

    r.limit[RK_REQUIRE_DELAY_MARGIN] = 6;
    found = limits_of(&m, &s, &r, &c, QNAN);
    ck_close(found.at[RK_REQUIRE_GAIN_MARGIN], acos(-1) / 4 * unit, 1e-4);
    ck_close(found.at[RK_REQUIRE_PHASE_MARGIN], acos(-1) / 4 * unit, 1e-4);
    ck_close(found.at[RK_REQUIRE_DELAY_MARGIN], acos(-1) / 2 / (1 + 6.0 / 5) * unit, 1e-4);
    {
        const rk_settings at = rk_settings_make(found.at[RK_REQUIRE_MS], 10, 0, 0);
        rk_margins margins;

        ck_assert_int_eq(rk_margins_compute(&m, &at, &margins, NULL), RK_OK);
        ck_assert_double_eq_tol(margins.ms, 2, 1e-3);
    }
    ck_assert(isnan(found.on_off) && found.offset == 0);
    ck_assert(isnan(found.at[RK_REQUIRE_OUT_NOISE]));
}
END_TEST

/* P-only without dead time: OUT's noise by the closed form of the sampled loop. */
START_TEST(noise_reaches_its_limits_where_the_closed_form_says)
{
    const rk_model m = {RK_MODEL_FOPDT, 2, {10, 0}, 0, 0, 50, 0};
    const rk_settings s = rk_settings_make(0.5, HUGE_VAL, 0, 0);
    const double a = exp(-0.1), b = 2 * (1 - a), limit = 0.7;
    rk_conditions c = conditions_of(1);
    rk_requirements r = rk_requirements_default();
    rk_gain_limits found;
    double k, x;

    c.noise = 0.3;
    c.limits = (rk_limits){0, 100, HUGE_VAL};
    r.limit[RK_REQUIRE_OUT_NOISE] = limit;
    found = limits_of(&m, &s, &r, &c, (1 + a) / b);
    k = found.at[RK_REQUIRE_OUT_NOISE];
    x = (b * k) * (b * k) / (1 - ((a - (b * k)) * (a - (b * k))));
    ck_close(k * 0.3 * sqrt(1 + x), limit, 1e-3);
    ck_close(found.offset, 1 / (1 + (0.5 * 2)), 1e-12);
    /* the loop is unstable before noise of 0.3 fills 0 to 100; noise of 3 is earlier */
    ck_close(found.on_off, (1 + a) / b, 1e-12);
    ck_assert(!found.by_noise);
    c.noise = 3;
    found = limits_of(&m, &s, &r, &c, (1 + a) / b);
    ck_assert(found.by_noise);
    k = found.on_off;
    x = (b * k) * (b * k) / (1 - ((a - (b * k)) * (a - (b * k))));
    ck_close(k * 3 * sqrt(1 + x), 100.0 / 6, 1e-3);
}
END_TEST

START_TEST(the_valve_reaches_what_the_gain_says)
{
    const rk_model m = {RK_MODEL_FOPDT, -0.5, {10, 0}, 0, 5, 40, 12};
    rk_model integrator = {RK_MODEL_IPDT, 0.1, {0, 0}, 0, 5, 45, 12};
    const rk_limits limits = {0, 100, HUGE_VAL};
    rk_operating o;

    ck_assert_int_eq(rk_operating_compute(&m, &limits, 14, &o, NULL), RK_OK);
    ck_assert_double_eq(o.pv_low, 12 - 30);
    ck_assert_double_eq(o.pv_high, 12 + 20);
    ck_assert_double_eq(o.out, 36);
    ck_assert_double_eq(o.room_down, 36);
    ck_assert_double_eq(o.room_up, 64);
    ck_assert(o.holds);
    ck_assert_int_eq(rk_operating_compute(&m, &limits, 33, &o, NULL), RK_OK);
    ck_assert(!o.holds);
    ck_assert_int_eq(rk_operating_compute(&integrator, &limits, 500, &o, NULL), RK_OK);
    ck_assert(o.holds && isinf(o.pv_high) && o.out == 45);
    ck_assert_int_eq(rk_operating_compute(&m, &limits, QNAN, &o, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_operating_compute(&m, &limits, 12, NULL, NULL), RK_ERR_ARG);
}
END_TEST

/* Summed in float at OUT, an error just above moves the sum and one just below does not. */
START_TEST(the_integral_stalls_where_predicted)
{
    static const double outs[] = {100, 63.9, 64, 1000, 0.5};
    const rk_settings s = rk_settings_make(-3, 120, 0, 0);
    const double e = rk_stall_error(&s, 0.1, outs[_i]);
    const float inc[2] = {(float)(3 * 0.1 / 120 * e * 1.001),
                          (float)(3 * 0.1 / 120 * e * 0.999)};
    const rk_settings p = rk_settings_make(1, HUGE_VAL, 0, 0);
    volatile float sum = (float)outs[_i];

    sum = sum + inc[1];
    ck_assert((double)sum == (double)(float)outs[_i]);
    sum = sum + inc[0];
    ck_assert((double)sum > (double)(float)outs[_i]);
    ck_assert(isinf(rk_stall_error(&p, 0.1, 100)));
}
END_TEST

/* Loops whose valve sticks: the predicted cycle against the blocks with such a valve. */
static const struct {
    rk_model model;
    double kc, ti, jump;
} sticky[] = {
    {{RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8}, -11, 46.5, 1},
    {{RK_MODEL_FOPDT, 2, {10, 0}, 0, 3, 50, 0}, 0.8, 10, 0.5},
    {{RK_MODEL_FOPDT, 1, {5, 0}, 0, 20, 50, 0}, 0.3, 8, 2},
    {{RK_MODEL_SOPDT, 1.5, {20, 8}, 0, 3.3, 40, 5}, 1, 25, 0.5},
};

START_TEST(a_sticking_valve_cycles_as_predicted)
{
    const rk_model *m = &sticky[_i].model;
    const rk_settings s = rk_settings_make(sticky[_i].kc, sticky[_i].ti, 0, 0);
    const rk_limits limits = {0, 100, HUGE_VAL};
    const double ts = 0.02, jump = sticky[_i].jump;
    double valve = m->out0, most = 0, least = 0, last = 0, first = 0;
    rk_plant_params made;
    rk_pid_params params;
    rk_limit_cycle cycle;
    static rk_real memory[4096];
    rk_plant plant;
    rk_pid pid;
    int scan, ups = 0;

    ck_assert_int_eq(rk_limit_cycle_compute(m, &s, jump, &cycle, NULL), RK_OK);
    ck_assert(cycle.exists);
    ck_assert_int_eq(rk_settings_pid_params(&s, &limits, m, ts, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_pid_init(&pid, &params, m->out0), RK_OK);
    ck_assert_int_eq(rk_plant_params_from_model(m, ts, &made, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &made, memory, 4096, m->out0), RK_OK);
    for (scan = 0; scan < 400000; scan++) {
        /* half a jump off: the place that is needed lies between two */
        const double pv = rk_plant_pv(&plant) - m->pv0 - (0.5 * m->gain * jump);
        const double out = rk_pid_scan(&pid, m->pv0, pv + m->pv0);
        const double before = valve;

        valve = fabs(out - valve) >= jump ? out : valve;
        if (scan > 200000) {
            most = fmax(most, pv);
            least = fmin(least, pv);
            if (valve > before) {
                first = ups == 0 ? scan * ts : first;
                last = scan * ts;
                ups++;
            }
        }
        (void)rk_plant_scan(&plant, valve);
    }
    ck_assert_int_gt(ups, 5);
    ck_close((last - first) / (ups - 1), cycle.period, 0.03);
    ck_close(0.5 * (most - least), cycle.amplitude, 0.03);
}
END_TEST

START_TEST(no_cycle_without_an_integral_or_a_jump)
{
    const rk_model m = fopdt(2, 10, 3);
    const rk_settings p = rk_settings_make(0.8, HUGE_VAL, 0, 0),
                      pi = rk_settings_make(1, 9, 0, 0);
    rk_limit_cycle cycle;

    ck_assert_int_eq(rk_limit_cycle_compute(&m, &p, 1, &cycle, NULL), RK_OK);
    ck_assert(!cycle.exists);
    ck_assert_int_eq(rk_limit_cycle_compute(&m, &pi, 0, &cycle, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_limit_cycle_compute(&m, &pi, 1, NULL, NULL), RK_ERR_ARG);
}
END_TEST

/* A large step against a trial of the same: overshoot, time on the limit, settling. */
START_TEST(windup_is_what_a_trial_shows)
{
    const rk_model m = {RK_MODEL_FOPDT, 2, {10, 0}, 0, 3, 30, 60};
    rk_settings s = rk_settings_make(1.1, 11, 0, 0);
    rk_conditions c = conditions_of(0.2);
    const double step = rk_windup_step(&m, &(rk_limits){0, 100, HUGE_VAL});
    rk_windup w;
    int way;

    ck_assert_double_eq(step, 0.8 * 2 * 70);
    c.limits = (rk_limits){0, 100, HUGE_VAL};
    ck_assert_int_eq(rk_windup_compute(&m, &s, &c, step, &w, NULL), RK_OK);
    ck_assert(w.saturates);
    for (way = 0; way < 3; way++) {
        const rk_trial_plan plan = {.sp_step = step, .duration = 400, .band = 0.02};
        rk_trial_case one = {
            .name = "w", .plant = m, .settings = s, .limits = c.limits, .ts = 0.2};
        const rk_trial_metrics *t;
        rk_trial *trial = NULL;

        one.settings.anti_windup = (rk_anti_windup)way;
        ck_assert_int_eq(rk_trial_create(&one, &plan, &trial, NULL), RK_OK);
        t = rk_trial_results(trial);
        ck_assert_double_eq_tol(w.ways[way].overshoot, t->setpoint.overshoot_percent, 0.2);
        ck_assert_double_eq_tol(w.ways[way].stuck, t->saturated_time, 0.21);
        ck_assert_double_eq_tol(w.ways[way].settling, t->setpoint.settling_time, 0.21);
        ck_close(w.ways[way].iae, t->setpoint.iae, 0.02);
        rk_trial_free(trial);
    }
    ck_assert_double_gt(w.ways[RK_ANTI_WINDUP_NONE].overshoot,
                        w.ways[RK_ANTI_WINDUP_CONDITIONAL].overshoot + 3);
    ck_assert_double_le(w.best.iae, w.ways[RK_ANTI_WINDUP_BACK_CALCULATION].iae);
    ck_assert_double_gt(w.best_tt, 0);
    ck_assert(w.ramp.stuck == 0 && w.ramp_time > 0);
    ck_assert_double_eq(w.ideal.stuck, 0);
    ck_assert_int_eq(rk_windup_compute(&m, &s, &c, 0, &w, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_windup_compute(&m, NULL, &c, 1, &w, NULL), RK_ERR_ARG);
    s.ti = 0.05;
    ck_assert_int_eq(rk_windup_compute(&m, &s, &c, step, &w, NULL), RK_ERR_RANGE);
    ck_assert(isnan(rk_windup_step(&m, &(rk_limits){-1e12, 1e12, HUGE_VAL})));
}
END_TEST

/* Ti = tau scales with k theta alone: gain and dead time up by p make it (1 + p)^2. */
START_TEST(a_model_may_be_wrong_until_the_closed_form_ends)
{
    const rk_model m = fopdt(2, 1e4, 5); /* all lag: its time constant counts as 1/T */
    const rk_settings s = rk_settings_make(0.5 * 1e4 / (2 * 5), 1e4, 0, 0); /* k theta 0.5 */
    const rk_settings late = rk_settings_make(1.7 * 1e4 / (2 * 5), 1e4, 0, 0);
    double part;
    rk_model_set box;
    rk_worst worst;

    ck_assert_int_eq(rk_worst_survived_compute(&m, &s, NULL, &part, NULL), RK_OK);
    /* (1 + p)^2 / (1 - p) = pi: gain and dead time up, time constant down */
    ck_assert_double_eq_tol((1 + part) * (1 + part) / (1 - part), acos(-1), 0.02);
    ck_assert_int_eq(rk_model_set_from_part(&m, 0.9 * part, RK_OVER_WORST, &box, NULL), RK_OK);
    ck_assert_int_eq(rk_worst_compute(&box, &s, NULL, &worst, NULL), RK_OK);
    ck_assert(worst.stable && worst.gain_margin > 1 && worst.gain_margin < 1.3);
    ck_assert(worst.corner.gain > m.gain && worst.corner.dead_time > m.dead_time);
    ck_assert(worst.corner.time_constant[0] < m.time_constant[0]);
    ck_assert_int_eq(rk_model_set_from_part(&m, 1.1 * part, RK_OVER_WORST, &box, NULL), RK_OK);
    ck_assert_int_eq(rk_worst_compute(&box, &s, NULL, &worst, NULL), RK_OK);
    ck_assert(!worst.stable && isnan(worst.ms));
    ck_assert_int_eq(rk_worst_survived_compute(&m, &late, NULL, &part, NULL), RK_OK);
    ck_assert_double_lt(part, 0.001);
    ck_assert_int_eq(rk_worst_compute(NULL, &s, NULL, &worst, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_worst_survived_compute(&m, &s, NULL, NULL, NULL), RK_ERR_ARG);
}
END_TEST

/* What is said to mend a line does; on a loop each line of which is missed by its kc. */
START_TEST(a_remedy_remedies)
{
    const rk_check_plan plan = rk_check_plan_make();
    rk_design loop = rk_design_make();
    int i, mended = 0;
    rk_check check;

    loop.has_model = loop.has_settings = true;
    loop.model = fopdt(2, 40, 10);
    loop.settings = rk_settings_make(1.9, 25, 0, 0);
    loop.ts = 0.5;
    loop.requirements.limit[RK_REQUIRE_OVERSHOOT] = 10;
    loop.requirements.limit[RK_REQUIRE_PEAK] = 0.9;
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    ck_assert(!check.verdict.met);
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const rk_remedy *remedy = &check.remedies[i];
        rk_design other = loop;
        rk_check again;

        if (check.verdict.line_met[i] || !check.verdict.asked[i]) {
            ck_assert(!remedy->by_kc && !remedy->by_ti);
            continue;
        }
        ck_assert(remedy->by_kc != remedy->by_ti);
        *(remedy->by_kc ? &other.settings.kc : &other.settings.ti) = remedy->value;
        ck_assert_int_eq(rk_check_compute(&other, &plan, &again, NULL), RK_OK);
        ck_assert_msg(again.verdict.line_met[i], "%s is still missed",
                      rk_require_to_text((rk_require)i));
        ck_assert(!remedy->all || again.verdict.met);
        mended++;
    }
    ck_assert_int_ge(mended, 3);
}
END_TEST

Suite *suite_check_parts(void)
{
    Suite *suite = suite_create("design/check_parts");
    TCase *t = tcase_create("parts");

    tcase_add_loop_test(t, a_margin_is_reached_where_the_closed_form_says, 0, 4);
    tcase_add_test(t, noise_reaches_its_limits_where_the_closed_form_says);
    tcase_add_test(t, the_valve_reaches_what_the_gain_says);
    tcase_add_loop_test(t, the_integral_stalls_where_predicted, 0, 5);
    add_table(t, a_sticking_valve_cycles_as_predicted, sticky);
    tcase_add_test(t, no_cycle_without_an_integral_or_a_jump);
    tcase_add_test(t, windup_is_what_a_trial_shows);
    tcase_add_test(t, a_model_may_be_wrong_until_the_closed_form_ends);
    tcase_add_test(t, a_remedy_remedies);
    suite_add_tcase(suite, t);
    return suite;
}
