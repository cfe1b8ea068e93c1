/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

#define PI 3.14159265358979323846

static rk_margins margins_of(const rk_model *model, double kc, double ti, double td, double tf)
{
    const rk_settings settings = rk_settings_make(kc, ti, td, tf);
    rk_margins m;

    ck_assert_int_eq(rk_margins_compute(model, &settings, &m, NULL), RK_OK);
    return m;
}

/*
 * Ti = tau: L = k exp(-theta s)/s with k = kc gain/tau, so that GM = pi/(2 k theta), PM = pi/2
 * - k theta, delay margin PM/k, stable for k theta < pi/2, whatever tau is.
 */
static const double ratios[] = {0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10};
static const double products[] = {0.05, 0.2, 0.5, 1.0, 1.2, 1.5};

START_TEST(a_cancelled_lag_gives_the_closed_forms)
{
    const double tau = 37.0, theta = ratios[_i] * tau;
    size_t i;

    for (i = 0; i < COUNT(products); i++) {
        const double k = products[i] / theta;
        const rk_model model = fopdt(-0.3, tau, theta);
        const rk_margins m = margins_of(&model, k * tau / -0.3, tau, 0, 0);

        ck_assert(m.stable);
        ck_close(m.gain_margin, PI / (2.0 * products[i]), 1e-9);
        ck_close(m.phase_margin, (PI / 2.0 - products[i]) * 180.0 / PI, 1e-9);
        ck_close(m.delay_margin, (PI / 2.0 - products[i]) / k, 1e-9);
        ck_close(m.gain_crossover, k, 1e-9);
        ck_close(m.phase_crossover, PI / (2.0 * theta), 1e-9);
        ck_assert(m.kc_stable[1] == 0); /* a negative gain wants a negative kc */
        ck_close(m.kc_stable[0], -PI * tau / (2.0 * theta * 0.3), 1e-9);
    }
}
END_TEST

START_TEST(a_cancelled_lag_gives_the_published_ms)
{
    const double theta = ratios[_i] * 5.0;
    const rk_model model = fopdt(2, 5, theta);
    const struct {
        double lambda, ms; /* in dead times; Ms as published for the lambda rule */
    } cases[] = {{1, 1.590}, {2, 1.349}, {3, 1.249}};
    size_t i;

    for (i = 0; i < COUNT(cases); i++) {
        const double kc = 5.0 / (2.0 * theta * (1.0 + cases[i].lambda));

        ck_assert_double_eq_tol(margins_of(&model, kc, 5, 0, 0).ms, cases[i].ms, 0.0006);
    }
    /* SIMC's tight choice, to six digits. */
    ck_close(margins_of(&model, 5.0 / (4.0 * theta), 5, 0, 0).ms, 1.59049, 5e-6);
    ck_close(margins_of(&model, 5.0 / (4.0 * theta), 5, 0, 0).mt, 1.0, 1e-9);
}
END_TEST

/* Computed elsewhere with the exact dead time, K 2, tau 10, theta 5, kc 1.2. */
static const struct {
    const char *fact;
    double ti, td, tf, gm, pm, dm, ms, mt;
} worked[] = {
    {"PI that cancels the lag", 10, 0, 0, 1.30899694, 21.2450646, 1.54498469, 4.89340466,
     4.07164273},
    {"P alone", HUGE_VAL, 0, 0, 1.58620119, 52.1220019, 4.16960562, 2.87773031, QNAN},
    {"PID with a filter", 12, 2, 0.25, 1.50256866, 53.7421263, 4.15599663, 3.02547957,
     2.04540375},
};

START_TEST(worked_examples_agree)
{
    const rk_model model = fopdt(2, 10, 5);
    const rk_margins m = margins_of(&model, 1.2, worked[_i].ti, worked[_i].td, worked[_i].tf);

    ck_assert_msg(m.stable, "%s", worked[_i].fact);
    ck_close(m.gain_margin, worked[_i].gm, 5e-9);
    ck_close(m.phase_margin, worked[_i].pm, 5e-9);
    ck_close(m.delay_margin, worked[_i].dm, 5e-9);
    ck_close(m.ms, worked[_i].ms, 5e-9);
    if (!isnan(worked[_i].mt)) {
        ck_close(m.mt, worked[_i].mt, 5e-9);
    }
}
END_TEST

/* theta/tau, K Ku and Pu/theta of a first-order process with dead time. */
static const struct {
    double ratio, gain, period;
} ultimate[] = {
    {0.1, 16.35055393, 3.85000391}, {0.2, 8.50242499, 3.72076136},
    {0.5, 3.80688286, 3.42110142},  {1, 2.26182633, 3.09706027},
    {2, 1.51980256, 2.74503198},    {10, 1.04017050, 2.19479023},
};

START_TEST(ultimate_point_agrees_with_the_table)
{
    const rk_model model = fopdt(-4, 20, 20 * ultimate[_i].ratio);
    const rk_margins m = margins_of(&model, -0.01, 20, 0, 0);

    ck_close(m.ultimate_gain, ultimate[_i].gain / -4.0, 5e-9); /* eight digits are printed */
    ck_close(m.ultimate_period, ultimate[_i].period * model.dead_time, 1e-8);
}
END_TEST

START_TEST(p_only_is_stable_from_the_wrong_sign_to_the_ultimate_gain)
{
    const rk_model up = fopdt(2, 10, 5), down = fopdt(-2, 10, 5);
    rk_margins m = margins_of(&up, 1.2, HUGE_VAL, 0, 0);

    ck_close(m.kc_stable[0], -0.5, 1e-12);
    ck_close(m.kc_stable[1], 1.2 * 1.58620119, 5e-9);
    m = margins_of(&down, -1.2, HUGE_VAL, 0, 0);
    ck_close(m.kc_stable[0], -1.2 * 1.58620119, 5e-9);
    ck_close(m.kc_stable[1], 0.5, 1e-12);
    ck_assert(margins_of(&up, -0.49, HUGE_VAL, 0, 0).stable);
    ck_assert(!margins_of(&up, -0.51, HUGE_VAL, 0, 0).stable);
    ck_assert(!margins_of(&up, 1.91, HUGE_VAL, 0, 0).stable);
    ck_assert(isinf(margins_of(&up, 0.4, HUGE_VAL, 0, 0).phase_margin)); /* K kc < 1: never 1 */
}
END_TEST

START_TEST(wrong_sign_with_integral_is_unstable_and_the_right_range_is_told)
{
    const rk_model model = fopdt(2, 10, 5);
    const rk_margins wrong = margins_of(&model, -0.1, 10, 0, 0);
    const rk_margins right = margins_of(&model, 0.1, 10, 0, 0);

    ck_assert(!wrong.stable && right.stable);
    ck_assert(isnan(wrong.gain_margin) && isnan(wrong.ms));
    ck_assert(wrong.kc_range_exists);
    ck_close(wrong.kc_stable[1], right.kc_stable[1], 1e-12);
    ck_assert_double_eq(wrong.kc_stable[0], 0);
}
END_TEST

START_TEST(without_dead_time_no_gain_is_too_large)
{
    const rk_model model = fopdt(2, 10, 0);
    const rk_margins m = margins_of(&model, 100, 3, 0, 0);

    ck_assert(m.stable);
    ck_assert(isinf(m.gain_margin) && isinf(m.kc_stable[1]));
    ck_assert(isinf(m.ultimate_gain) && isinf(m.ultimate_period));
}
END_TEST

/* Unfiltered derivative: |L| -> K kc td/tau; at 1 and above any dead time makes it unstable. */
START_TEST(unfiltered_derivative_limits_the_gain_at_high_frequency)
{
    const rk_model model = fopdt(1, 10, 0.001), none = fopdt(1, 10, 0);
    rk_margins m = margins_of(&model, 0.5, 20, 12, 0);

    ck_assert(m.stable);
    ck_assert_double_le(m.gain_margin, 1.0 / 0.6 + 1e-9);
    ck_close(m.ms, 2.5, 1e-4); /* 1/(1 - 0.6), approached for w -> infinity */
    ck_assert(!margins_of(&model, 1, 20, 10, 0).stable);
    ck_assert(!margins_of(&model, 1, 20, 12, 0).stable);
    ck_assert(margins_of(&none, 1, 20, 12, 0).stable);
}
END_TEST

/* A published rule's worked example: ZN reaction-curve PID has K kc td/tau = 0.6 at every
 * ratio. */
START_TEST(reaction_curve_pid_has_a_gain_margin_below_five_thirds)
{
    const double tau = 30, theta = ratios[_i] * tau, a = theta / tau;
    const rk_model model = fopdt(1, tau, theta);
    const rk_margins m = margins_of(&model, 1.2 / a, 2 * theta, 0.5 * theta, 0);

    if (m.stable) {
        ck_assert_double_le(m.gain_margin, 1.0 / 0.6 + 1e-9);
    }
}
END_TEST

/* The stable range must hold in a simulation: just inside it dies out, just outside it grows.
 */
START_TEST(stable_range_ends_where_a_simulation_turns)
{
    const rk_model model = fopdt(2, 10, ratios[_i] * 10);
    const rk_margins m = margins_of(&model, 0.01, 15, 0, 0);
    const double kc = m.kc_stable[1];
    int side;

    for (side = -1; side <= 1; side += 2) {
        rk_trial_case c = {.name = "edge",
                           .plant = model,
                           .settings = rk_settings_make(kc * (1 + (0.003 * side)), 15, 0, 0),
                           .limits = {-1e300, 1e300, HUGE_VAL},
                           .ts = 0.001 * model.dead_time};
        const rk_trial_plan plan = {
            .sp_step = 1, .duration = 400 * model.dead_time, .band = 0.02};
        double early = 0, late = 0;
        rk_trial *trial = NULL;
        size_t i, points;

        if (ratios[_i] < 0.1) continue; /* too long to run, and nothing new */
        ck_assert_int_eq(rk_trial_create(&c, &plan, &trial, NULL), RK_OK);
        points = rk_trial_points(trial);
        for (i = points / 4; i < points / 2; i++) {
            early = fmax(early, fabs(rk_trial_pv(trial)[i] - 1));
        }
        for (i = 3 * (points / 4); i < points; i++) {
            late = fmax(late, fabs(rk_trial_pv(trial)[i] - 1));
        }
        ck_assert_msg(side < 0 ? late < early : late > early, "kc %g: %g then %g",
                      c.settings.kc, early, late);
        rk_trial_free(trial);
    }
}
END_TEST

static double decades(rng *r, double low, double high)
{
    return pow(10.0, low + ((high - low) * rng_uniform(r)));
}

static bool stable_with(rk_model model, rk_settings s, double more_gain, double more_dead_time)
{
    rk_margins m;

    s.kc *= more_gain;
    model.dead_time += more_dead_time;
    ck_assert_int_eq(rk_margins_compute(&model, &s, &m, NULL), RK_OK);
    return m.stable;
}

/* Whatever the loop: the margins are just used up where stability ends, and Ms knows of them.
 */
START_TEST(margins_are_used_up_where_stability_ends)
{
    rng r = {(uint64_t)_i + 1};
    int k;

    for (k = 0; k < 20; k++) {
        const double gain = decades(&r, -3, 3), theta = decades(&r, -4, 3);
        const rk_model model = fopdt(gain, decades(&r, -2, 4), theta);
        rk_settings s = rk_settings_make(decades(&r, -3, 2) / gain, decades(&r, -2, 4), 0, 0);
        rk_margins m;

        if (rng_uniform(&r) < 0.2) {
            s.ti = HUGE_VAL;
        }
        if (rng_uniform(&r) < 0.5) {
            s.td = decades(&r, -3, 3);
            s.tf = rng_uniform(&r) < 0.2 ? 0.0 : decades(&r, -3, 2);
        }
        ck_assert_int_eq(rk_margins_compute(&model, &s, &m, NULL), RK_OK);
        if (!m.stable) continue;
        ck_assert(m.kc_stable[0] < s.kc && s.kc < m.kc_stable[1]);
        if (m.gain_margin < 1e6) {
            ck_assert(stable_with(model, s, m.gain_margin * (1 - 1e-6), 0));
            ck_assert(!stable_with(model, s, m.gain_margin * (1 + 1e-6), 0));
            ck_assert_double_ge(m.ms * (1 + 1e-5), 1 / (1 - (1 / m.gain_margin)));
        }
        if (m.delay_margin < 1e3) {
            ck_assert(stable_with(model, s, 1, m.delay_margin * (1 - 1e-6)));
            ck_assert(
                !stable_with(model, s, 1, (m.delay_margin * (1 + 1e-6)) + (1e-9 * theta)));
            ck_assert_double_ge(m.ms * (1 + 1e-5), 1 / (2 * sin(m.phase_margin * PI / 360)));
        }
    }
}
END_TEST

START_TEST(margins_scale_with_time_and_gain)
{
    static const double times[] = {1e-6, 1e-3, 1e3, 1e6};
    const rk_model model = fopdt(2, 10, 5);
    const rk_margins m = margins_of(&model, 1.1, 12, 2, 0.25);
    size_t i;

    for (i = 0; i < COUNT(times); i++) {
        const double s = times[i];
        const rk_model scaled = fopdt(2 * s, 10 * s, 5 * s);
        const rk_margins n = margins_of(&scaled, 1.1 / s, 12 * s, 2 * s, 0.25 * s);

        ck_close(n.gain_margin, m.gain_margin, 1e-9);
        ck_close(n.phase_margin, m.phase_margin, 1e-9);
        ck_close(n.delay_margin, m.delay_margin * s, 1e-9);
        ck_close(n.ms, m.ms, 1e-9);
    }
}
END_TEST

START_TEST(bad_arguments_are_refused)
{
    const rk_model good = fopdt(1, 1, 1), bad = fopdt(1, -1, 1), absurd = fopdt(1, 1, 1e8);
    rk_diag units = {RK_OK, ""};
    const rk_settings s = rk_settings_make(1, 1, 0, 0), zero = rk_settings_make(0, 1, 0, 0);
    rk_diag diag = {RK_OK, ""};
    rk_margins m;

    ck_assert_int_eq(rk_margins_compute(NULL, &s, &m, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_margins_compute(&good, NULL, &m, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_margins_compute(&good, &s, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_margins_compute(&bad, &s, &m, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "time constant"));
    ck_assert_int_eq(rk_margins_compute(&good, &zero, &m, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_margins_compute(&absurd, &s, &m, &units), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(units.text, "check the units"));
}
END_TEST

/* Closed forms and worked examples of the other kinds: several crossovers, two integrators. */
static const struct {
    const char *fact;
    rk_model model;
    double kc, ti;
    double gm, pm, dm, ms; /* NaN: not looked at */
} kinds[] = {
    {"SIMC on an integrator",
     {RK_MODEL_IPDT, 0.2, {0, 0}, 0, 3, 0, 0},
     1 / 1.2,
     24,
     2.96340,
     46.8643,
     1.58964 * 3,
     1.70352},
    {"AMIGO on an integrator",
     {RK_MODEL_IPDT, -0.2, {0, 0}, 0, 3, 0, 0},
     -0.35 / 0.6,
     13.4 * 3,
     (double)NAN,
     (double)NAN,
     (double)NAN,
     1.410},
    {"a resonance with three gain crossovers",
     {RK_MODEL_SOPDT_OSC, 1, {2, 0}, 0.06, 7, 0, 0},
     0.1,
     1.5,
     2.66750132,
     67.5063,
     4.95294749,
     1.60154171},
    {"a later phase crossover rules",
     {RK_MODEL_SOPDT_OSC, 1, {2, 0}, 0.15, 13, 0, 0},
     0.12,
     4,
     2.69007291,
     (double)NAN,
     (double)NAN,
     (double)NAN},
    {"P on an integrator",
     {RK_MODEL_IPDT, 0.5, {0, 0}, 0, 4, 0, 0},
     0.2,
     HUGE_VAL,
     3.14159265358979 / (2 * 0.5 * 4 * 0.2),
     (3.14159265358979 / 2 - 0.4) * 57.2957795130823,
     (3.14159265358979 / 2 - 0.4) / 0.1,
     (double)NAN},
};

START_TEST(other_kinds_give_the_closed_forms)
{
    const rk_margins m = margins_of(&kinds[_i].model, kinds[_i].kc, kinds[_i].ti, 0, 0);

    ck_assert_msg(m.stable, "%s", kinds[_i].fact);
    if (!isnan(kinds[_i].gm)) ck_close(m.gain_margin, kinds[_i].gm, 3e-6);
    if (!isnan(kinds[_i].pm)) ck_close(m.phase_margin, kinds[_i].pm, 3e-6);
    if (!isnan(kinds[_i].dm)) ck_close(m.delay_margin, kinds[_i].dm, 3e-6);
    if (!isnan(kinds[_i].ms)) ck_close(m.ms, kinds[_i].ms, 4e-4);
}
END_TEST

/* Which of these are stable is known: an integrator with ti up to theta (and its lag) never is.
 */
static const struct {
    rk_model model;
    double kc, ti;
    bool stable;
} verdicts[] = {
    {{RK_MODEL_IPDT, 1, {0, 0}, 0, 2, 0, 0}, 0.01, 1.99, false},
    {{RK_MODEL_IPDT, 1, {0, 0}, 0, 2, 0, 0}, 0.01, 2.1, true},
    {{RK_MODEL_IPDT, 1, {0, 0}, 0, 2, 0, 0}, -0.1, 50, false},
    {{RK_MODEL_IPDT_LAG, 1, {3, 0}, 0, 2, 0, 0}, 0.01, 4.9, false},
    {{RK_MODEL_IPDT_LAG, 1, {3, 0}, 0, 2, 0, 0}, 0.01, 5.3, true},
    {{RK_MODEL_IPDT, 1, {0, 0}, 0, 2, 0, 0}, 0.786, HUGE_VAL, false}, /* pi / 4 = 0.7854 */
    {{RK_MODEL_IPDT, 1, {0, 0}, 0, 2, 0, 0}, 0.785, HUGE_VAL, true},
    {{RK_MODEL_IPDT, 1, {0, 0}, 0, 0, 0, 0}, 1000, HUGE_VAL, true},
    {{RK_MODEL_SOPDT, 1, {4, 2}, 0, 0, 0, 0}, 1000, HUGE_VAL, true},
};

START_TEST(stability_of_integrators_is_what_theory_says)
{
    ck_assert_int_eq(
        margins_of(&verdicts[_i].model, verdicts[_i].kc, verdicts[_i].ti, 0, 0).stable,
        verdicts[_i].stable);
}
END_TEST

/* kc (1 + 1/(j w ti)) K e^(-j w theta) / (1 + j w tau), multiplied out. */
START_TEST(the_response_is_the_formula)
{
    const rk_model m = fopdt(2, 10, 3);
    const rk_settings s = rk_settings_make(0.7, 8, 0, 0);
    const double w = 0.23, c = cos(w * 3), d = -sin(w * 3), below = 1 + (w * 10 * w * 10);
    const double pr = 2 * (c + (d * w * 10)) / below, pi = 2 * (d - (c * w * 10)) / below;
    const double ci = -1 / (w * 8);
    double re, im;

    ck_assert_int_eq(rk_open_loop_response_compute(&m, &s, w, &re, &im, NULL), RK_OK);
    ck_close(re, 0.7 * (pr - (ci * pi)), 1e-12);
    ck_close(im, 0.7 * (pi + (ci * pr)), 1e-12);
    ck_assert_int_eq(rk_process_response_compute(&m, 0, w, &re, &im, NULL), RK_OK);
    ck_close(re, pr, 1e-12);
    ck_close(im, pi, 1e-12);
    ck_assert_int_eq(rk_open_loop_response_compute(&m, &s, 0, &re, &im, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_open_loop_response_compute(&m, &s, 1, NULL, &im, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_process_response_compute(&m, 11, 1, &re, &im, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_process_response_compute(&m, 0, 1, &re, NULL, NULL), RK_ERR_ARG);
}
END_TEST

/* A filter on PV is a lag more in the process, to every margin. */
START_TEST(a_pv_filter_is_a_second_lag)
{
    const rk_model one = fopdt(2, 10, 3), two = {RK_MODEL_SOPDT, 2, {10, 4}, 0, 3, 0, 0};
    rk_settings s = rk_settings_make(0.7, 8, 1, 0.2);
    rk_margins a, b;

    ck_assert_int_eq(rk_margins_compute(&two, &s, &b, NULL), RK_OK);
    s.pv_filter = 4;
    ck_assert_int_eq(rk_margins_compute(&one, &s, &a, NULL), RK_OK);
    ck_close(a.gain_margin, b.gain_margin, 1e-9);
    ck_close(a.phase_margin, b.phase_margin, 1e-9);
    ck_close(a.delay_margin, b.delay_margin, 1e-9);
    ck_close(a.ms, b.ms, 1e-9);
    ck_close(a.kc_stable[1], b.kc_stable[1], 1e-9);
    s.pv_filter = -1;
    ck_assert_int_eq(rk_margins_compute(&one, &s, &a, NULL), RK_ERR_RANGE);
}
END_TEST

/* Order 1 turns by -2 atan(w theta / 2), order 2 by -2 atan((x/2) / (1 - x^2/12)), x = w theta;
   higher ones by w theta itself, the further up the higher. */
START_TEST(a_rational_dead_time_turns_as_its_order_says)
{
    const rk_model m = fopdt(1, 1e-6, 2), exact = fopdt(1, 1e-6, 2);
    const double ws[] = {0.1, 0.5, 1.3, 2.5};
    const double x = 2 * ws[_i];
    const double turns[] = {2 * atan(x / 2), 2 * atan2(x / 2, 1 - (x * x / 12))};
    double re, im, er, ei;
    int n;

    for (n = 1; n <= 2; n++) {
        ck_assert_int_eq(rk_process_response_compute(&m, n, ws[_i], &re, &im, NULL), RK_OK);
        ck_assert_double_eq_tol(re, cos(turns[n - 1]), 1e-5);
        ck_assert_double_eq_tol(im, -sin(turns[n - 1]), 1e-5);
    }
    ck_assert_int_eq(rk_process_response_compute(&m, 10, ws[_i], &re, &im, NULL), RK_OK);
    ck_assert_int_eq(rk_process_response_compute(&exact, 0, ws[_i], &er, &ei, NULL), RK_OK);
    ck_assert_double_eq_tol(re, er, 1e-9);
    ck_assert_double_eq_tol(im, ei, 1e-9);
}
END_TEST

/* |T| of k e^(-s theta) / (s + k e^(-s theta)) with theta 0 is a first-order lag: bandwidth k.
 */
START_TEST(bandwidth_of_a_first_order_loop_is_its_gain)
{
    const rk_model m = fopdt(2, 10, 0), none = fopdt(2, 10, 1);

    ck_close(margins_of(&m, 1.5, 10, 0, 0).bandwidth, 0.3, 1e-6);
    ck_assert(isnan(margins_of(&none, 0.1, HUGE_VAL, 0, 0).bandwidth)); /* |T| is 1/6 at most */
}
END_TEST

/* Where the stable kc end on kc's own side of 0. */
static const struct {
    bool exists;
    double low, high, kc, end; /* NaN: nowhere */
} ends[] = {
    {true, -30, 40, 10, 40},
    {true, -30, 40, -10, -30},
    {true, 5, 40, 10, 40},
    {true, -40, -5, -10, -40},
    {true, -30, -5, 10, QNAN},
    {true, 5, 30, -10, QNAN},
    {true, -30, (double)INFINITY, 10, QNAN},
    {true, -(double)INFINITY, 40, -10, QNAN},
    {false, -30, 40, 10, QNAN},
};

START_TEST(the_stable_kc_end_on_the_side_of_kc)
{
    const rk_margins m = {.kc_range_exists = ends[_i].exists,
                          .kc_stable = {ends[_i].low, ends[_i].high}};

    ck_close(rk_margins_unstable_from(&m, ends[_i].kc), ends[_i].end, 0);
}
END_TEST

Suite *suite_margins(void)
{
    Suite *suite = suite_create("design/margins");
    TCase *t = tcase_create("margins"), *runs = tcase_create("runs");

    add_table(t, the_stable_kc_end_on_the_side_of_kc, ends);
    add_table(t, a_cancelled_lag_gives_the_closed_forms, ratios);
    add_table(t, a_cancelled_lag_gives_the_published_ms, ratios);
    add_table(t, worked_examples_agree, worked);
    add_table(t, ultimate_point_agrees_with_the_table, ultimate);
    tcase_add_test(t, p_only_is_stable_from_the_wrong_sign_to_the_ultimate_gain);
    tcase_add_test(t, wrong_sign_with_integral_is_unstable_and_the_right_range_is_told);
    tcase_add_test(t, without_dead_time_no_gain_is_too_large);
    tcase_add_test(t, unfiltered_derivative_limits_the_gain_at_high_frequency);
    add_table(t, reaction_curve_pid_has_a_gain_margin_below_five_thirds, ratios);
    tcase_add_loop_test(t, margins_are_used_up_where_stability_ends, 0, 40);
    tcase_add_test(t, margins_scale_with_time_and_gain);
    tcase_add_test(t, bad_arguments_are_refused);
    add_table(t, other_kinds_give_the_closed_forms, kinds);
    add_table(t, stability_of_integrators_is_what_theory_says, verdicts);
    tcase_add_test(t, the_response_is_the_formula);
    tcase_add_test(t, a_pv_filter_is_a_second_lag);
    tcase_add_loop_test(t, a_rational_dead_time_turns_as_its_order_says, 0, 4);
    tcase_add_test(t, bandwidth_of_a_first_order_loop_is_its_gain);
    suite_add_tcase(suite, t);
    tcase_set_tags(runs, "statistics"); /* millions of scans: not under the sanitizers */
    add_table(runs, stable_range_ends_where_a_simulation_turns, ratios);
    suite_add_tcase(suite, runs);
    return suite;
}
