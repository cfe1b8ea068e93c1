/* SPDX-License-Identifier: MIT */
/* Processes made of parts, against the kinds that they are where they have one or two lags, and
   against the closed forms of their responses, ultimate points and margins. */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

#define LAGS RK_MODEL_PROCESS
#define RAMP RK_MODEL_PROCESS_INTEGRATING

static const struct {
    rk_model process, kind;
} twins[] = {
    {{LAGS, -2, {0}, 0, 3.3, 40, 5, 1, {10}}, {RK_MODEL_FOPDT, -2, {10}, 0, 3.3, 40, 5}},
    {{LAGS, 2, {0}, 0, 4, 40, 5, 2, {20, 8}}, {RK_MODEL_SOPDT, 2, {20, 8}, 0, 4, 40, 5}},
    {{LAGS, 2, {0}, 0, 0, 40, 5, 2, {1e-3, 1e3}},
     {RK_MODEL_SOPDT, 2, {1e3, 1e-3}, 0, 0, 40, 5}},
    {{RAMP, 0.1, {0}, 0, 1.7, 40, 5, 0, {0}}, {RK_MODEL_IPDT, 0.1, {0}, 0, 1.7, 40, 5}},
    {{RAMP, 0.1, {0}, 0, 1.7, 40, 5, 1, {6}}, {RK_MODEL_IPDT_LAG, 0.1, {6}, 0, 1.7, 40, 5}},
};

static void run(const rk_model *m, double ts, double out, double *pv, size_t count)
{
    rk_diag diag = {RK_OK, ""};
    rk_model_plant plant;
    size_t i;

    ck_assert_msg(rk_model_plant_create(m, ts, &plant, &diag) == RK_OK, "%s", diag.text);
    for (i = 0; i < count; i++) {
        pv[i] = rk_plant_scan(&plant.plant, out);
    }
    rk_model_plant_free(&plant);
}

/* Of one or two lags it is the kind of that name: scanned, its margins, what it settles at. */
START_TEST(few_parts_are_the_kind_of_that_name)
{
    const rk_model *p = &twins[_i].process, *k = &twins[_i].kind;
    const rk_settings s = rk_settings_make(0.4 / k->gain, 30, 0, 0);
    const rk_sampling sampling = {0.7, 0, RK_SCHEME_BACKWARD};
    double a[200], b[200];
    rk_margins of_p, of_k;
    size_t i;

    run(p, 0.7, 43, a, COUNT(a));
    run(k, 0.7, 43, b, COUNT(b));
    for (i = 0; i < COUNT(a); i++) {
        ck_assert_double_eq_tol(a[i], b[i], 1e-12 * fabs(b[i]));
    }
    ck_assert_int_eq(rk_margins_compute(p, &s, &of_p, NULL),
                     rk_margins_compute(k, &s, &of_k, NULL));
    ck_close(of_p.ms, of_k.ms, 1e-9);
    ck_close(of_p.phase_margin, of_k.phase_margin, 1e-9);
    ck_assert_int_eq(rk_sampled_margins_compute(p, &s, &sampling, &of_p, NULL),
                     rk_sampled_margins_compute(k, &s, &sampling, &of_k, NULL));
    ck_close(of_p.ms, of_k.ms, 1e-9);
    ck_close(of_p.gain_margin, of_k.gain_margin, 1e-9);
    ck_assert_double_eq_tol(of_p.kc_stable[0], of_k.kc_stable[0], 1e-9);
}
END_TEST

/* What a held step of OUT does t s after it is felt, per unit of gain. */
static double equal_lags(const rk_model *m, double t)
{
    const double x = t / m->lag[0];
    double term = 1, sum = 1;
    int k;

    for (k = 1; k < m->lags; k++) {
        term *= x / k;
        sum += term;
    }
    return 1 - (exp(-x) * sum);
}

static double wrong_way_first(const rk_model *m, double t)
{
    const double a = m->lag[0], b = m->lag[1], v = m->inverse;

    return 1 - ((((a + v) * exp(-t / a)) - ((b + v) * exp(-t / b))) / (a - b));
}

static double two_lags_into_an_integrator(const rk_model *m, double t)
{
    const double a = m->lag[0], b = m->lag[1];

    return t - a - b + (((a * a * exp(-t / a)) - (b * b * exp(-t / b))) / (a - b));
}

/* Of an integrator with a lag and an inverse response: the ramp behind the lag less V of its rate. */
static double wrong_way_ramp(const rk_model *m, double t)
{
    const double a = m->lag[0], x = 1 - exp(-t / a);

    return t - (a * x) - (m->inverse * x);
}

static const struct {
    rk_model process;
    double (*response)(const rk_model *m, double t);
    double ts;
} responses[] = {
    {{LAGS, 2, {0}, 0, 0, 0, 0, 3, {5, 5, 5}}, equal_lags, 0.5},
    {{LAGS, -3, {0}, 0, 2.35, 40, 10, 8, {1, 1, 1, 1, 1, 1, 1, 1}}, equal_lags, 1},
    {{LAGS, -3, {0}, 0, 3, 40, 10, 4, {7, 7, 7, 7}}, equal_lags, 30},
    {{LAGS, 2, {0}, 0, 1.2, 0, 0, 2, {10, 3}, 4}, wrong_way_first, 0.5},
    {{LAGS, 2, {0}, 0, 1.2, 0, 0, 2, {3, 10}, 4}, wrong_way_first, 0.5},
    {{LAGS, 2, {0}, 0, 0, 0, 0, 2, {500, 0.01}, 0.3}, wrong_way_first, 2},
    {{RAMP, 0.1, {0}, 0, 1.7, 40, 5, 2, {6, 2}}, two_lags_into_an_integrator, 0.5},
    {{RAMP, 0.1, {0}, 0, 1.7, 40, 5, 1, {6}, 3}, wrong_way_ramp, 0.5},
};

START_TEST(a_step_response_is_its_closed_form)
{
    const rk_model *m = &responses[_i].process;
    const double ts = responses[_i].ts, step = 3;
    double pv[120];
    size_t i;

    ck_assert_int_eq(rk_model_check(m, NULL), RK_OK);
    run(m, ts, m->out0 + step, pv, COUNT(pv));
    for (i = 0; i < COUNT(pv); i++) {
        const double t = (ts * (double)(i + 1)) - m->dead_time;
        const double way = t > 0 ? m->gain * step * responses[_i].response(m, t) : 0.0;

        ck_assert_double_eq_tol(pv[i], m->pv0 + way,
                                2e-12 * (1 + fabs(m->gain * step) * (1 + fabs(t))));
    }
}
END_TEST

/* Where P alone makes it swing: three and four equal lags, and an inverse response, by their
   characteristic polynomials. */
static const struct {
    rk_model process;
    double gain, period;
} ultimates[] = {
    {{LAGS, 1, {0}, 0, 0, 0, 0, 3, {5, 5, 5}},
     8,
     2 * 3.14159265358979323846 * 5 / 1.7320508075688772},
    {{LAGS, -2, {0}, 0, 0, 0, 0, 4, {3, 3, 3, 3}}, -2, 2 * 3.14159265358979323846 * 3},
    {{LAGS, 1, {0}, 0, 0, 0, 0, 2, {10, 3}, 4},
     3.25,
     2 * 3.14159265358979323846 / 0.3763863263545405}, /* sqrt(4.25 / 30) */
};

START_TEST(it_swings_where_its_polynomial_says)
{
    const rk_model *m = &ultimates[_i].process;
    const rk_settings p = rk_settings_make(0.1 / m->gain, HUGE_VAL, 0, 0);
    rk_margins margins;

    ck_assert_int_eq(rk_margins_compute(m, &p, &margins, NULL), RK_OK);
    ck_close(margins.ultimate_gain, ultimates[_i].gain, 1e-9);
    ck_close(margins.ultimate_period, ultimates[_i].period, 1e-9);
    ck_close(margins.gain_margin, ultimates[_i].gain / p.kc, 1e-9);
}
END_TEST

/* The rules' paper gives the margins of its settings on the whole process. */
static const struct {
    rk_model process;
    double kc, ti, ms;
} published[] = {
    {{LAGS, 1, {0}, 0, 0, 0, 0, 4, {1, 1, 1, 1}}, 0.3, 1.5, 1.46},
    {{LAGS, 1, {0}, 0, 0, 0, 0, 4, {1, 0.2, 0.04, 0.008}}, 3.72, 1.1, 1.59},
};

START_TEST(the_published_margins_come_out)
{
    const rk_settings s = rk_settings_make(published[_i].kc, published[_i].ti, 0, 0);
    const rk_sampling quick = {0.001, 0, RK_SCHEME_TRAPEZOID};
    rk_model late = published[_i].process;
    rk_margins margins, sampled;

    ck_assert_int_eq(rk_margins_compute(&published[_i].process, &s, &margins, NULL), RK_OK);
    ck_assert_double_eq_tol(margins.ms, published[_i].ms, 0.005);
    ck_assert_int_eq(
        rk_sampled_margins_compute(&published[_i].process, &s, &quick, &sampled, NULL), RK_OK);
    late.dead_time += 0.0005; /* a quick scan is half a scan of dead time */
    ck_assert_int_eq(rk_margins_compute(&late, &s, &margins, NULL), RK_OK);
    ck_close(sampled.ms, margins.ms, 1e-4);
    ck_close(sampled.gain_margin, margins.gain_margin, 1e-3);
    ck_close(sampled.delay_margin, margins.delay_margin, 1e-3);
}
END_TEST

/* A sweep runs the whole process too, in its lanes and by its blocks, and ends on a trial's bits. */
START_TEST(a_sweep_runs_the_whole_process)
{
    const rk_model *m = &responses[_i].process;
    const double own = rk_model_slowest(m) + m->dead_time;
    const rk_settings s = rk_model_kind_integrates(m->kind)
                              ? rk_settings_make(0.2 / (m->gain * own), 10 * own, 0, 0)
                              : rk_settings_make(0.2 / m->gain, own, 0, 0);
    rk_settings both[2] = {s, s};
    const rk_sweep_plan plan = {.plant = *m,
                                .limits = {m->out0 - 50, m->out0 + 50, HUGE_VAL},
                                .ts = responses[_i].ts,
                                .sp_step = 2,
                                .load_step = 1,
                                .duration = 40 * own,
                                .band = 0.02};
    const rk_trial_case c = {
        .plant = *m, .model = *m, .settings = s, .limits = plan.limits, .ts = plan.ts};
    const rk_trial_plan step = {.sp_step = 2, .duration = plan.duration, .band = 0.02};
    rk_sweep_result r[2];
    rk_trial *trial;

    both[1].sp_rate = 1e300; /* which only the blocks know */
    ck_assert_int_eq(rk_sweep_compute(&plan, both, 2, r, NULL), RK_OK);
    ck_close(r[1].setpoint.iae, r[0].setpoint.iae, 1e-12);
    ck_assert_double_eq(r[1].last_pv, r[0].last_pv);
    ck_assert_int_eq(rk_trial_create(&c, &step, &trial, NULL), RK_OK);
    ck_close(r[0].setpoint.iae, rk_trial_results(trial)->setpoint.iae, 2e-3);
    rk_trial_free(trial);
}
END_TEST

/* A process is off as its model is: by factors, and by seconds of dead time; what of the model's dead
   time is lags goes with them. And with every number wrong by a part, all lags are. */
START_TEST(a_process_is_off_as_its_model_is)
{
    const rk_model p = {LAGS, 2, {0}, 0, 3, 40, 12, 3, {4, 46, 6}, 1};
    const rk_model m = {RK_MODEL_FOPDT, 2, {50}, 0, 11, 40, 12};
    rk_model_set set = {.count = 4, .model = {m, m, m, m}};
    size_t i;

    set.model[1].gain = 2.5;
    set.model[2].dead_time = 13;
    set.model[3].time_constant[0] = 55;
    rk_model_set_take_process(&set, &m, &p);
    for (i = 0; i < 4; i++) {
        ck_assert_int_eq(set.model[i].kind, LAGS);
        ck_close(set.model[i].gain, i == 1 ? 2.5 : 2, 1e-14);
        ck_close(set.model[i].lag[1], i == 3 ? 50.6 : 46, 1e-14);
        ck_close(set.model[i].inverse, i == 3 ? 1.1 : 1, 1e-14);
        ck_close(set.model[i].dead_time, i == 2 ? 5 : i == 3 ? 2.2 : 3, 1e-12);
    }
    ck_assert_int_eq(rk_model_set_from_part(&p, 0.2, RK_OVER_WORST, &set, NULL), RK_OK);
    ck_assert_uint_eq(set.count, 9);
    ck_close(set.model[1].gain, 1.6, 1e-12);
    ck_close(set.model[8].lag[2], 7.2, 1e-12);
    ck_close(set.model[8].dead_time, 3.6, 1e-12);
}
END_TEST

Suite *suite_process(void)
{
    Suite *suite = suite_create("design/process");
    TCase *t = tcase_create("process");

    add_table(t, few_parts_are_the_kind_of_that_name, twins);
    add_table(t, a_step_response_is_its_closed_form, responses);
    add_table(t, it_swings_where_its_polynomial_says, ultimates);
    add_table(t, the_published_margins_come_out, published);
    add_some(t, a_sweep_runs_the_whole_process, COUNT(responses));
    tcase_add_test(t, a_process_is_off_as_its_model_is);
    suite_add_tcase(suite, t);
    return suite;
}
