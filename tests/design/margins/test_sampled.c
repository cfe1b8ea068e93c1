/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../../support/support.h"

#define PI 3.14159265358979323846

static rk_margins sampled(const rk_model *m, const rk_settings *s, double ts, double delay,
                          rk_scheme integral)
{
    const rk_sampling sampling = {ts, delay, integral};
    rk_margins found;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(rk_sampled_margins_compute(m, s, &sampling, &found, &diag) == RK_OK, "%s",
                  diag.text);
    return found;
}

static rk_margins block(const rk_model *m, double kc, double ti, double ts)
{
    const rk_settings s = rk_settings_make(kc, ti, 0, 0);

    return sampled(m, &s, ts, 0, RK_SCHEME_BACKWARD);
}

/* Computed elsewhere: K 2, tau 10, theta 5, Kc 0.9, Ti 11, h 0.8. */
static const struct {
    rk_scheme integral;
    double gm, pm, ms;
} worked[] = {
    {RK_SCHEME_BACKWARD, 1.62241699, 37.0459236, 2.91410436},
    {RK_SCHEME_TRAPEZOID, 1.66656624, 37.9095853, 2.79986215},
    {RK_SCHEME_FORWARD, 1.71262963, 38.6422292, 2.69696376},
};

START_TEST(worked_examples_agree)
{
    const rk_model m = fopdt(2, 10, 5);
    const rk_settings s = rk_settings_make(0.9, 11, 0, 0);
    const rk_margins got = sampled(&m, &s, 0.8, 0, worked[_i].integral);

    ck_assert(got.stable);
    ck_close(got.gain_margin, worked[_i].gm, 1e-8);
    ck_close(got.phase_margin, worked[_i].pm, 1e-8);
    ck_close(got.ms, worked[_i].ms, 1e-8);
}
END_TEST

/* P alone: the largest gain, by the root on the unit circle. */
static const struct {
    rk_model_kind kind;
    double theta, h; /* theta in scans */
    double limit;    /* times the sampled gain K(1-A), or Kv h */
} proportional[] = {
    {RK_MODEL_IPDT, 0, 0.7, 2},       {RK_MODEL_IPDT, 1, 0.7, 1},
    {RK_MODEL_IPDT, 0.25, 2, 4},      /* the most there is: 4 / (Kv h) */
    {RK_MODEL_IPDT, 0.1, 2, 2 / 0.8}, /* 2 / (Kv (h - 2 theta)) */
    {RK_MODEL_IPDT, 0.7, 2, 1 / 0.7}, /* 1 / (Kv theta) */
    {RK_MODEL_FOPDT, 0, 3, 0},        /* (1 + A) */
    {RK_MODEL_FOPDT, 1, 3, 1},
};

START_TEST(p_alone_has_the_closed_forms_limit)
{
    const double h = proportional[_i].h, a = exp(-h / 10);
    const bool first = proportional[_i].kind == RK_MODEL_FOPDT;
    rk_model m = fopdt(first ? 2 : 0.05, 10, proportional[_i].theta * h);
    const double unit = first ? 2 * (1 - a) : 0.05 * h;
    const double times = proportional[_i].limit > 0 ? proportional[_i].limit : 1 + a;
    rk_margins got;

    m.kind = proportional[_i].kind;
    m.time_constant[0] = first ? 10 : 0;
    got = block(&m, 0.3 * times / unit, HUGE_VAL, h);
    ck_assert(got.stable);
    ck_close(got.kc_stable[1], times / unit, 1e-9);
    ck_close(got.ultimate_gain, times / unit, 1e-9);
    ck_close(got.gain_margin, 1 / 0.3, 1e-9);
    ck_assert(!block(&m, 1.01 * times / unit, HUGE_VAL, h).stable);
}
END_TEST

/* PI that cancels the sampled pole: L = g z^-d / (z - 1), stable for g < 2 sin(pi/(2(2d+1))).
 */
START_TEST(a_cancelled_pole_has_the_closed_forms_limit)
{
    const double h = 0.5, tau = 10, a = exp(-h / tau), d = _i;
    const rk_model m = fopdt(-3, tau, d * h);
    /* by rk_scheme: backward, trapezoid, forward */
    const double ti[3] = {h / (exp(h / tau) - 1), 0.5 * h * (1 + a) / (1 - a), h / (1 - a)};
    const double g[3] = {-3 * (1 - a) / a, -3 * (1 - a) * (1 + (0.5 * h / ti[1])),
                         -3 * (1 - a)};
    const double limit = 2 * sin(PI / (2 * ((2 * d) + 1)));
    int i;

    for (i = 0; i < 3; i++) {
        const rk_settings s = rk_settings_make(0.4 * limit / g[i], ti[i], 0, 0);
        const rk_margins got = sampled(&m, &s, h, 0, (rk_scheme)i);

        ck_assert(got.stable);
        ck_close(got.gain_margin, 2.5, 1e-9);
        ck_close(got.kc_stable[0], limit / g[i], 1e-9);
        ck_assert(got.kc_stable[1] == 0);
    }
}
END_TEST

static const rk_model kinds[] = {
    {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
    {RK_MODEL_FOPDT, 2, {10, 0}, 0, 0, 0, 0},
    {RK_MODEL_FOPDT, 2, {10, 0}, 0, 100, 0, 0},
    {RK_MODEL_SOPDT, 1.5, {20, 8}, 0, 3.3, 0, 0},
    {RK_MODEL_SOPDT_OSC, 1, {6, 0}, 0.3, 2.4, 0, 0},
    {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4.2, 0, 0},
    {RK_MODEL_IPDT_LAG, 0.02, {5, 0}, 0, 1, 0, 0},
};

static rk_settings tuned(const rk_model *m, const char *mode)
{
    const rk_knobs knobs = rk_knobs_make();
    const char *rule = m->kind == RK_MODEL_SOPDT_OSC ? "lambda" : "simc";
    rk_tuning t;

    ck_assert_int_eq(rk_tuning_compute(m, rule, mode, &knobs, &t, NULL), RK_OK);
    return t.settings;
}

/* Fast scans with a trapezoid: continuous with half a scan more of dead time, and a computing
   delay more. What is left is of second order in the scan. */
START_TEST(fast_scans_agree_with_continuous)
{
    const double slow = rk_model_slowest(&kinds[_i]) + kinds[_i].dead_time;
    const rk_settings s = tuned(&kinds[_i], NULL);
    const double ts = slow / 2000, near = s.td > 0 ? 1e-2 : 1e-4; /* D lags by half a scan */
    rk_model late = kinds[_i];
    rk_margins got, want;

    late.dead_time += 2.5 * ts;
    ck_assert_int_eq(rk_margins_compute(&late, &s, &want, NULL), RK_OK);
    got = sampled(&kinds[_i], &s, ts, 2 * ts, RK_SCHEME_TRAPEZOID);
    ck_assert(got.stable == want.stable);
    if (kinds[_i].dead_time > 0) { /* else it is used up where the sampling shows */
        ck_close(got.gain_margin, want.gain_margin, 10 * near);
    }
    ck_close(got.phase_margin, want.phase_margin, near);
    ck_close(got.delay_margin, want.delay_margin, near);
    ck_close(got.ms, want.ms, near);
    ck_close(got.mt, want.mt, near);
    if (kinds[_i].dead_time > 0) {
        ck_close(got.ultimate_gain, want.ultimate_gain, 1e-3);
        ck_close(got.ultimate_period, want.ultimate_period, 1e-3);
    }
}
END_TEST

/* Does the loop of the blocks calm down, run without limits? */
static bool calms(const rk_model *m, const rk_settings *s, double ts)
{
    const rk_limits limits = rk_limits_none();
    rk_pid_params params;
    rk_plant_params made;
    rk_real memory[1024];
    rk_filter filter;
    rk_plant plant;
    rk_pid pid;
    double early = 0, late = 0;
    int scan;

    ck_assert_int_eq(rk_settings_pid_params(s, &limits, m, ts, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_pid_init(&pid, &params, m->out0), RK_OK);
    ck_assert_int_eq(rk_pid_reset(&pid, m->pv0, m->pv0, m->out0), RK_OK);
    ck_assert_int_eq(rk_plant_params_from_model(m, ts, &made, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &made, memory, 1024, m->out0), RK_OK);
    ck_assert_int_eq(rk_filter_init(&filter, s->pv_filter, ts), RK_OK);
    for (scan = 0; scan < 60000; scan++) {
        const double out =
            rk_pid_scan(&pid, m->pv0, rk_filter_scan(&filter, rk_plant_pv(&plant)));
        const double pv = rk_plant_scan(&plant, out + (scan == 0 ? 1.0 : 0.0)) - m->pv0;

        if (!(fabs(pv) < 1e6)) return false;
        early = scan >= 20000 && scan < 40000 ? fmax(early, fabs(pv)) : early;
        late = scan >= 40000 ? fmax(late, fabs(pv)) : late;
    }
    return late < early;
}

/* The stable kc ends where the running blocks say: just inside they calm, just outside not. */
START_TEST(the_blocks_are_stable_up_to_the_limit)
{
    static const double parts[] = {0.02, 0.2, 0.6};
    static const char *const modes[] = {"P", "PI", "PID"};
    const rk_model *m = &kinds[_i / 9];
    const double time = m->dead_time > 0 ? m->dead_time : 10;
    const double ts = parts[_i % 3] * fmin(time, 20);
    rk_settings s = tuned(m, NULL);
    const char *mode = modes[(_i / 3) % 3];
    rk_margins got;
    double limit;

    s.ti = strcmp(mode, "P") == 0 ? HUGE_VAL : fmax(1.5 * s.ti, 3 * ts);
    s.td = strcmp(mode, "PID") == 0 ? 0.2 * time : 0;
    s.tf = 0.2 * s.td;
    s.pv_filter = _i % 2 == 0 ? 0.3 * time : 0;
    got = sampled(m, &s, ts, 0, RK_SCHEME_BACKWARD);
    ck_assert(got.kc_range_exists);
    limit = m->gain > 0 ? got.kc_stable[1] : got.kc_stable[0];
    ck_assert(isfinite(limit));
    s.kc = 0.999 * limit;
    ck_assert_msg(calms(m, &s, ts), "kind %d %s ts %g: grows at 0.999 of %g", (int)m->kind,
                  mode, ts, limit);
    ck_assert(sampled(m, &s, ts, 0, RK_SCHEME_BACKWARD).stable);
    s.kc = 1.001 * limit;
    ck_assert_msg(!calms(m, &s, ts), "kind %d %s ts %g: calms at 1.001 of %g", (int)m->kind,
                  mode, ts, limit);
    ck_assert(!sampled(m, &s, ts, 0, RK_SCHEME_BACKWARD).stable);
}
END_TEST

/* The response at a few angles, from the difference equation itself. */
START_TEST(the_response_is_that_of_the_difference_equation)
{
    const rk_model m = fopdt(2, 10, 1.3);
    /* the derivative backward, and by the trapezoid */
    const double late = _i == 0 ? 0.8 : 0.4;
    rk_settings s = rk_settings_make(0.9, 11, 2, 0.5);
    const rk_sampling sampling = {0.8, 0.5, RK_SCHEME_BACKWARD};
    const double w = 1.1, a = exp(-0.08), theta = 1.8 - (2 * 0.8) + 0.0; /* d 2, delta 0.2 */
    const double b0 = 2 * (1 - exp(-(0.8 - theta) / 10));
    const double b1 = 2 * (exp(-(0.8 - theta) / 10) - a);
    /* z^-1 = p + j q */
    const double p = cos(w * 0.8), q = -sin(w * 0.8);
    const double p2 = (p * p) - (q * q), q2 = 2 * p * q, p3 = (p2 * p) - (q2 * q),
                 q3 = (p2 * q) + (q2 * p);
    /* plant: (b0 z^-3 + b1 z^-4) / (1 - a z^-1), since what is written acts from the next scan
     */
    const double p4 = (p3 * p) - (q3 * q), q4 = (p3 * q) + (q3 * p);
    const double nr = (b0 * p3) + (b1 * p4), ni = (b0 * q3) + (b1 * q4);
    const double dr = 1 - (a * p), di = -a * q, dd = (dr * dr) + (di * di);
    const double pr = ((nr * dr) + (ni * di)) / dd, pi = ((ni * dr) - (nr * di)) / dd;
    /* controller: kc (1 + (h/ti) / (1 - z^-1) + td (1 - z^-1) / (tf + h - tf z^-1)); by the
       trapezoid tf + h/2 - (tf - h/2) z^-1 */
    const double er = 1 - p, ei = -q, ee = (er * er) + (ei * ei);
    const double back = 0.5 + late - 0.8;
    const double fr = 0.5 + late - (back * p), fi = -back * q, ff = (fr * fr) + (fi * fi);
    const double cr = 0.9 * (1 + ((0.8 / 11) * er / ee) + (2 * ((er * fr) + (ei * fi)) / ff));
    const double ci = 0.9 * ((-(0.8 / 11) * ei / ee) + (2 * ((ei * fr) - (er * fi)) / ff));
    double re, im;

    s.derivative = _i == 0 ? RK_SCHEME_BACKWARD : RK_SCHEME_TRAPEZOID;
    ck_assert_int_eq(rk_sampled_response_compute(&m, &s, &sampling, w, &re, &im, NULL), RK_OK);
    ck_close(re, (cr * pr) - (ci * pi), 1e-11);
    ck_close(im, (cr * pi) + (ci * pr), 1e-11);
    ck_assert_int_eq(rk_sampled_response_compute(&m, &s, &sampling, 4, &re, &im, NULL),
                     RK_ERR_RANGE);
    ck_assert_int_eq(rk_sampled_response_compute(&m, &s, &sampling, 0, &re, &im, NULL),
                     RK_ERR_RANGE);
    ck_assert_int_eq(rk_sampled_response_compute(&m, &s, &sampling, 1, NULL, &im, NULL),
                     RK_ERR_ARG);
}
END_TEST

START_TEST(what_cannot_be_sampled_is_refused)
{
    const rk_model m = fopdt(2, 10, 5);
    const rk_settings s = rk_settings_make(0.9, 11, 0, 0);
    rk_sampling sampling = {0, 0, RK_SCHEME_BACKWARD};
    rk_scheme way;
    rk_margins got;
    int i;

    ck_assert_int_eq(rk_sampled_margins_compute(&m, &s, &sampling, &got, NULL), RK_ERR_RANGE);
    sampling.ts = 1;
    sampling.delay = -1;
    ck_assert_int_eq(rk_sampled_margins_compute(&m, &s, &sampling, &got, NULL), RK_ERR_RANGE);
    sampling.delay = 0;
    ck_assert_int_eq(rk_sampled_margins_compute(&m, &s, NULL, &got, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_sampled_margins_compute(&m, &s, &sampling, NULL, NULL), RK_ERR_ARG);
    sampling.integral = (rk_scheme)7;
    ck_assert_int_eq(rk_sampled_margins_compute(&m, &s, &sampling, &got, NULL), RK_ERR_RANGE);
    for (i = 0; i < 3; i++) {
        ck_assert_int_eq(rk_scheme_from_text(rk_scheme_to_text((rk_scheme)i), &way, NULL),
                         RK_OK);
        ck_assert_int_eq((int)way, i);
    }
    ck_assert_int_eq(rk_scheme_from_text("sideways", &way, NULL), RK_ERR_RANGE);
}
END_TEST

/* The gain's limits in closed form, a little to each side: continuous, kc < pi / (2 Kv theta);
 * scanned, P on fopdt with theta = ts, kc < 1 / (K (1 - A)). */
START_TEST(stability_is_told_for_the_loop_and_for_its_scan)
{
    const rk_model lag = fopdt(2, 10, 3);
    const double limit = 1 / (2 * -expm1(-0.3));
    const rk_sampling every = {3, 0, RK_SCHEME_BACKWARD}, none = {0, 0, RK_SCHEME_BACKWARD};
    const rk_settings wrong_sign = rk_settings_make(-1, 10, 0, 0);
    double factor;
    rk_margins m;

    for (factor = 0.99; factor < 1.02; factor += 0.02) {
        const rk_settings s = rk_settings_make(factor * limit, HUGE_VAL, 0, 0);

        ck_assert_int_eq(rk_loop_margins_compute(&lag, &lag, &s, &every, &m, NULL), RK_OK);
        ck_assert_int_eq(m.stable, factor < 1);
        ck_assert_int_eq(rk_loop_margins_compute(&lag, &lag, &s, NULL, &m, NULL), RK_OK);
        ck_assert(m.stable); /* its own limit is some 2.9: Ku of tau 10, theta 3 */
    }
    ck_assert_int_eq(rk_loop_margins_compute(&lag, &lag, &wrong_sign, &every, &m, NULL), RK_OK);
    ck_assert(!m.stable);
    ck_assert_int_eq(rk_loop_margins_compute(&lag, &lag, &wrong_sign, NULL, &m, NULL), RK_OK);
    ck_assert(!m.stable);
    ck_assert_int_eq(rk_loop_margins_compute(&lag, &lag, &wrong_sign, &none, &m, NULL),
                     RK_ERR_RANGE);
    ck_assert_int_eq(rk_loop_margins_compute(NULL, &lag, &wrong_sign, &every, &m, NULL),
                     RK_ERR_ARG);
    ck_assert_int_eq(rk_loop_margins_compute(&lag, &lag, NULL, &every, &m, NULL), RK_ERR_ARG);
}
END_TEST

Suite *suite_sampled(void)
{
    Suite *suite = suite_create("design/sampled");
    TCase *t = tcase_create("sampled"), *runs = tcase_create("runs");

    add_table(t, worked_examples_agree, worked);
    add_table(t, p_alone_has_the_closed_forms_limit, proportional);
    tcase_add_loop_test(t, a_cancelled_pole_has_the_closed_forms_limit, 0, 12);
    add_table(t, fast_scans_agree_with_continuous, kinds);
    tcase_add_loop_test(t, the_response_is_that_of_the_difference_equation, 0, 2);
    tcase_add_test(t, what_cannot_be_sampled_is_refused);
    tcase_add_test(t, stability_is_told_for_the_loop_and_for_its_scan);
    suite_add_tcase(suite, t);
    tcase_set_tags(runs, "statistics");
    tcase_add_loop_test(runs, the_blocks_are_stable_up_to_the_limit, 0, 9 * (int)COUNT(kinds));
    suite_add_tcase(suite, runs);
    return suite;
}
