/* SPDX-License-Identifier: MIT */
/* A trial says what the run did: where PV rests, whether it came back, whether it could. */
#include <math.h>

#include "../../support/support.h"

static rk_trial *run(const rk_trial_case *c, const rk_trial_plan *plan)
{
    rk_trial *trial = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(rk_trial_create(c, plan, &trial, &diag) == RK_OK, "%s", diag.text);
    return trial;
}

static rk_trial_case a_case(double gain, double kc, double ti)
{
    rk_trial_case c = {.plant = fopdt(gain, 10, 3),
                       .settings = rk_settings_make(kc, ti, 0, 0),
                       .limits = rk_limits_none(),
                       .ts = 0.5};

    c.plant.out0 = 50;
    c.model = c.plant;
    return c;
}

/* The sweep's run of the same. */
static rk_sweep_result swept(const rk_trial_case *c, const rk_trial_plan *plan)
{
    const rk_sweep_plan sweep = {.plant = c->plant,
                                 .model = c->model,
                                 .limits = c->limits,
                                 .ts = c->ts,
                                 .sp_step = plan->sp_step,
                                 .load_step = plan->load_step,
                                 .duration = plan->duration,
                                 .band = plan->band,
                                 .threads = 1};
    rk_sweep_result result;

    ck_assert_int_eq(rk_sweep_compute(&sweep, &c->settings, 1, &result, NULL), RK_OK);
    return result;
}

static const double signs[] = {1, -1};

/* PV rests somewhere within the deadband, and that is said, not the setpoint. */
START_TEST(within_a_deadband_the_rest_is_measured)
{
    const double sign = signs[_i % 2], ti = _i < 2 ? 10 : HUGE_VAL;
    rk_trial_case c = a_case(2, 1.0, ti);
    const rk_trial_plan plan = {.sp_step = sign, .duration = 300, .band = 0.02};
    rk_trial *trial;
    const rk_setpoint_metrics *m;
    rk_sweep_result sweep;
    double last;

    c.settings.deadband = 0.1;
    trial = run(&c, &plan);
    m = &rk_trial_results(trial)->setpoint;
    last = rk_trial_pv(trial)[rk_trial_points(trial) - 1];
    ck_assert_double_gt(fabs(sign - last),
                        1e-3); /* it is off, so that there is something to say */
    ck_close(m->steady_error, sign - last, 1e-12);
    ck_assert_double_gt(m->settling_time, 3);
    ck_assert_double_lt(m->settling_time, 100);
    sweep = swept(&c, &plan);
    ck_assert_double_eq_tol(sweep.setpoint.steady_error, m->steady_error, 1e-9);
    if (isfinite(
            ti)) { /* the sweep's band is that part of the setpoint step, not of PV's way */
        ck_assert_double_eq_tol(sweep.setpoint.settling, m->settling_time, 1.0);
    }
    ck_assert_double_eq_tol(100 * sweep.setpoint.beyond / fabs(last), m->overshoot_percent,
                            0.6);
    rk_trial_free(trial);
}
END_TEST

/* A load that OUT cannot take up, or that P alone leaves standing: there is no recovery. */
static const struct {
    const char *fact;
    double ti, load, low, high, deadband;
    bool recovers;
} loads[] = {
    {"within the limits PV comes back", 10, 5, 0, 100, 0, true},
    {"and after a load the other way", 10, -5, 0, 100, 0, true},
    {"OUT ends on its upper limit", 10, -60, 0, 100, 0, false},
    {"OUT ends on its lower limit", 10, 60, 0, 100, 0, false},
    {"P alone leaves PV off", HUGE_VAL, 5, 0, 100, 0, false},
    {"P alone, the other way", HUGE_VAL, -5, 0, 100, 0, false},
    {"a deadband lets PV rest within it", 10, 5, 0, 100, 0.3, true},
};

START_TEST(what_does_not_come_back_has_no_recovery)
{
    rk_trial_case c = a_case(2, 1.0, loads[_i].ti);
    const rk_trial_plan plan = {
        .load_step = loads[_i].load, .duration = 400, .band = 0.02, .load_band = 0.1};
    rk_trial *trial;
    double recovery;

    c.limits.low = loads[_i].low;
    c.limits.high = loads[_i].high;
    c.settings.deadband = loads[_i].deadband;
    trial = run(&c, &plan);
    recovery = rk_trial_results(trial)->load.recovery_time;
    ck_assert_msg(isnan(recovery) != loads[_i].recovers, "%s: %g", loads[_i].fact, recovery);
    rk_trial_free(trial);
    {
        rk_trial_plan both = plan;
        rk_sweep_result sweep;

        both.sp_step = 5; /* of which the sweep takes its band, 0.1 */
        sweep = swept(&c, &both);
        ck_assert_msg(isnan(sweep.load.settling) != loads[_i].recovers, "%s: swept %g",
                      loads[_i].fact, sweep.load.settling);
        if (loads[_i].recovers) {
            ck_assert_double_eq_tol(sweep.load.settling, recovery, 1.0);
        }
    }
}
END_TEST

/* A record's step is laid over the trial's, however long the record waits before it. */
static const struct {
    const char *fact;
    double sp_at, lead, jump, noise, asked; /* noise: of OUT, from row to row */
    double shift;
    bool found;
} overlays[] = {
    {"OUT's jump is at 30 s", 0, 30, 5, 0, (double)NAN, -30, true},
    {"downward", 0, 30, -5, 0, (double)NAN, -30, true},
    {"the trial's is later", 50, 30, 5, 0, (double)NAN, 20, true},
    {"in the noise of a running loop", 0, 30, 5, 0.5, (double)NAN, -30, true},
    {"too small to be told", 0, 30, 0.5, 0.5, (double)NAN, 0, false},
    {"no jump: a record that begins with it", 0, 0, 0, 0, (double)NAN, 0, false},
    {"no jump, a later step", 40, 0, 0, 0, (double)NAN, 40, false},
    {"said by hand", 50, 30, 5, 0, 12, 38, false},
};

START_TEST(a_record_is_laid_step_on_step)
{
    const rk_trial_plan plan = {.sp_step = 1, .sp_at = overlays[_i].sp_at};
    rk_record *record = NULL;
    rk_overlay overlay;
    rng r = {7};
    int i;

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < 120; i++) {
        const double since = i - overlays[_i].lead;
        const double out =
            since < 0 ? 40 : 40 + (overlays[_i].jump * (0.6 + (0.4 * exp(-since / 20))));
        const double noise = overlays[_i].noise * (rng_uniform(&r) - 0.5);

        ck_assert_int_eq(rk_record_add(record, 1000 + i, out + noise, 3, NULL), RK_OK);
    }
    overlay = rk_overlay_make(record, &plan, overlays[_i].asked);
    ck_assert_msg(overlay.shift == overlays[_i].shift, "%s: %g", overlays[_i].fact,
                  overlay.shift);
    ck_assert_int_eq(!isnan(overlay.found_at), overlays[_i].found);
    rk_record_free(record);
}
END_TEST

/* One very slow case: all run, and it is said of that one alone. */
START_TEST(a_slow_case_is_cut_short_and_marked)
{
    rk_trial_case cases[2] = {a_case(2, 1.0, 10), a_case(2, 1.0, 1e6)};
    const rk_design loop = rk_design_make();
    rk_trial_plan plan = {.sp_step = 1,
                          .load_step = QNAN,
                          .noise = QNAN,
                          .band = QNAN,
                          .duration = QNAN,
                          .load_at = QNAN,
                          .sp_at = QNAN};
    int i;

    cases[0].ts = 0.01;
    rk_trial_plan_complete(&plan, &loop, cases, 2);
    ck_assert_double_lt(plan.duration, 30 * rk_trial_time_to_settle(&cases[0]));
    ck_assert_double_gt(plan.duration, rk_trial_time_to_settle(&cases[0]));
    for (i = 0; i < 2; i++) {
        rk_trial *trial = run(&cases[i], &plan);
        const rk_trial_metrics *m = rk_trial_results(trial);

        ck_assert_int_eq(isnan(m->settling_needs), i == 0);
        ck_assert_int_eq(isnan(m->setpoint.settling_time), i == 1);
        if (i == 1) {
            ck_assert_double_gt(m->settling_needs, 1e6);
        }
        rk_trial_free(trial);
    }
}
END_TEST

/* A later step shows the same, counted from itself; a load before it is measured before it. */
START_TEST(a_step_that_comes_later_is_the_same_step)
{
    const rk_trial_case c = a_case(2, 1.0, 10);
    const rk_trial_plan now = {.sp_step = 1, .duration = 150, .band = 0.02},
                        later = {.sp_step = 1, .sp_at = 200, .duration = 350, .band = 0.02},
                        behind = {.sp_step = 1,
                                  .sp_at = 200,
                                  .load_step = 5,
                                  .load_at = 10,
                                  .load_band = 0.1,
                                  .duration = 350,
                                  .band = 0.02},
                        load = {.load_step = 5,
                                .load_at = 10,
                                .load_band = 0.1,
                                .duration = 200,
                                .band = 0.02};
    rk_trial *trials[4] = {run(&c, &now), run(&c, &later), run(&c, &behind), run(&c, &load)};
    const rk_setpoint_metrics *first = &rk_trial_results(trials[0])->setpoint;
    int i;

    for (i = 1; i < 3; i++) {
        const rk_setpoint_metrics *m = &rk_trial_results(trials[i])->setpoint;
        const double near = i == 1 ? 1e-9 : 2e-3; /* what the load has left */

        ck_assert_double_eq_tol(m->rise_time, first->rise_time, 50 * near);
        ck_assert_double_eq_tol(m->overshoot_percent, first->overshoot_percent, 50 * near);
        ck_assert_double_eq_tol(m->settling_time, first->settling_time, 50 * near);
        ck_assert_double_eq_tol(m->iae, first->iae, 50 * near);
        ck_assert_double_eq_tol(m->itae, first->itae, 100 * near);
    }
    ck_assert_double_eq_tol(rk_trial_results(trials[2])->load.iae,
                            rk_trial_results(trials[3])->load.iae, 1e-9);
    ck_assert_double_eq(rk_trial_results(trials[2])->load.recovery_time,
                        rk_trial_results(trials[3])->load.recovery_time);
    for (i = 0; i < 4; i++) {
        rk_trial_free(trials[i]);
    }
    {
        const rk_trial_plan after = {.sp_step = 1, .sp_at = 150, .duration = 150, .band = 0.02};
        rk_trial *none = NULL;

        ck_assert_int_eq(rk_trial_create(&c, &after, &none, NULL), RK_ERR_RANGE);
    }
}
END_TEST

/* A controller alone, error E at once: kc E (1 + n ts/ti) in scan n by backward differences,
   n - 1 by forward, n - 1/2 by trapezoid; and with D at first kc td/(tf + ts) E beside it. */
static const struct {
    double kc, ti, td, tf, error, ts, sp_weight;
    rk_scheme scheme;
    double counts; /* of the first scan's error: 1, 0 or 1/2 */
} alone[] = {
    {2, 10, 0, 0, 1, 0.5, 1, RK_SCHEME_BACKWARD, 1},
    {2, 10, 0, 0, -1, 0.5, 1, RK_SCHEME_BACKWARD, 1},
    {-2, 10, 0, 0, 1, 2, 0, RK_SCHEME_BACKWARD, 1},
    {2, 10, 0, 0, 1, 2, 1, RK_SCHEME_FORWARD, 0},
    {2, 10, 0, 0, 1, 2, 1, RK_SCHEME_TRAPEZOID, 0.5},
    {2, HUGE_VAL, 0, 0, 1, 0.5, 1, RK_SCHEME_BACKWARD, 1},
    {2, 10, 4, 1, 1, 0.5, 1, RK_SCHEME_BACKWARD, 1},
};

START_TEST(a_controller_alone_answers_as_its_law_says)
{
    rk_trial_case c = a_case(2, alone[_i].kc, alone[_i].ti);
    const rk_trial_plan plan = {
        .sp_step = alone[_i].error, .sp_at = 5, .alone = true, .duration = 100, .band = 0.02};
    const double ke = alone[_i].kc * alone[_i].error, per = alone[_i].ts / alone[_i].ti;
    rk_trial *trial;
    const double *out;
    size_t first, n;

    c.ts = alone[_i].ts;
    c.settings.td = alone[_i].td;
    c.settings.tf = alone[_i].tf;
    c.settings.sp_weight = alone[_i].sp_weight;
    c.settings.integral = alone[_i].scheme;
    trial = run(&c, &plan);
    out = rk_trial_out(trial);
    first = (size_t)ceil(5 / c.ts);
    ck_assert_double_eq_tol(out[first - 1], 50, 1e-12);
    for (n = 0; first + n < rk_trial_scans(trial); n++) {
        const double fade = alone[_i].tf / (alone[_i].tf + c.ts);
        const double d =
            alone[_i].td > 0 ? alone[_i].td / (alone[_i].tf + c.ts) * pow(fade, (double)n) : 0;

        ck_assert_double_eq_tol(out[first + n] - 50,
                                ke * (1 + (((double)n + alone[_i].counts) * per) + d), 1e-9);
    }
    ck_assert_double_eq(rk_trial_results(trial)->first_move, out[first] - out[first - 1]);
    ck_close(rk_trial_results(trial)->slope, ke / alone[_i].ti, 1e-9);
    ck_assert(!rk_trial_results(trial)->has_setpoint && !rk_trial_results(trial)->unstable);
    rk_trial_free(trial);
}
END_TEST

static const struct {
    double gain, kc, ts, delay;
    bool unstable, wrong_sign;
} marked[] = {
    {2, 1, 0.5, 0, false, false}, {2, -1, 0.5, 0, true, true},
    {-2, 1, 0.5, 0, true, true},  {-2, -1, 0.5, 0, false, false},
    {2, 4, 0.5, 0, true, false},  {2, 2.2, 0.5, 0, false, false},
    {2, 2.2, 5, 0, true, false},  {2, 2.2, 0.5, 4, true, false},
};

START_TEST(an_unstable_case_is_marked)
{
    rk_trial_case c = a_case(marked[_i].gain, marked[_i].kc, 10);
    const rk_trial_plan plan = {.sp_step = 1, .duration = 60, .band = 0.02};
    rk_trial *trial;

    c.ts = marked[_i].ts;
    c.delay = marked[_i].delay;
    c.limits.low = 0;
    c.limits.high = 100;
    trial = run(&c, &plan);
    ck_assert_int_eq(rk_trial_results(trial)->unstable, marked[_i].unstable);
    ck_assert_int_eq(rk_trial_results(trial)->wrong_sign, marked[_i].wrong_sign);
    rk_trial_free(trial);
}
END_TEST

/* OUT that comes late is a dead time more: to the bit, where it is a whole number of scans. */
START_TEST(a_delay_is_dead_time_of_the_plant)
{
    rk_trial_case late = a_case(2, 0.8, 10), longer = late;
    const rk_trial_plan plan = {.sp_step = 1, .duration = 60, .band = 0.02};
    rk_trial *a, *b;
    size_t i;

    late.delay = 1.0;
    longer.plant.dead_time += 1.0;
    a = run(&late, &plan);
    b = run(&longer, &plan);
    for (i = 0; i < rk_trial_scans(a); i++) {
        ck_assert_double_eq(rk_trial_out(a)[i], rk_trial_out(b)[i]);
    }
    rk_trial_free(a);
    rk_trial_free(b);
}
END_TEST

Suite *suite_trial_truth(void)
{
    Suite *suite = suite_create("design/trial truth");
    TCase *t = tcase_create("truth");

    tcase_add_loop_test(t, within_a_deadband_the_rest_is_measured, 0, 4);
    add_table(t, what_does_not_come_back_has_no_recovery, loads);
    add_table(t, a_record_is_laid_step_on_step, overlays);
    tcase_add_test(t, a_slow_case_is_cut_short_and_marked);
    tcase_add_test(t, a_step_that_comes_later_is_the_same_step);
    add_table(t, a_controller_alone_answers_as_its_law_says, alone);
    add_table(t, an_unstable_case_is_marked, marked);
    tcase_add_test(t, a_delay_is_dead_time_of_the_plant);
    suite_add_tcase(suite, t);
    return suite;
}
