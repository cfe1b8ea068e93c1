/* SPDX-License-Identifier: MIT */
/* The loop with a predictor as a linear system x(k+1) = A x(k): stable if the powers of A vanish.
   Sampled, A is the blocks' own difference equations; continuous, dead times are rational
   approximations of high order and A = exp(M t). */
#include <math.h>
#include <string.h>

#include "../../support/support.h"
#include "../linear.h"

/* A predictor's loop with a process that need not be its model. */
typedef struct predicted {
    rk_model process, model;
    rk_settings settings;
    double ts;
} predicted;

/* The closed loop as its blocks scan it. */
static double sampled_radius(const predicted *x)
{
    static system_of s;
    const rk_settings *c = &x->settings;
    rk_model prompt = x->model;
    rk_plant_params p, w;
    const double ts = x->ts;
    const int first = CONTROLLER_STATES;
    int quick, whole;
    row pv, q, m, seen, out;

    memset(&s, 0, sizeof s);
    prompt.dead_time = 0;
    ck_assert_int_eq(rk_plant_params_from_model(&x->process, ts, &p, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_params_from_model(&x->model, ts, &w, NULL), RK_OK);
    quick = first + 3 + (int)p.delay;
    whole = quick + 3;
    pv = state(first);
    q = state(quick);
    m = state(whole);
    seen = sum(sum(filter(&s, c, ts, pv), 1, q), -1, m); /* what the controller sees; sp is 0 */
    out = add_controller(&s, c, ts, seen);
    s.n = add_plant(&s, &x->process, ts, first, out, &pv);
    ck_assert_int_eq(s.n, quick);
    s.n = add_plant(&s, &prompt, ts, quick, out, &q);
    s.n = add_plant(&s, &x->model, ts, whole, out, &m);
    return log_radius(s.n, s.m);
}

/* So many poles in a dead time of the continuous loop. */
enum { ORDER = 20 };

/* A dead time behind `in`: exp(-x) is about p(-x) / p(x), p(x) = sum c[k] x^k. The states are the
   terms c[k] (theta s)^k z of in = p(theta s) z, and the output is p(-theta s) z. */
static int add_dead_time(system_of *s, double theta, int at, row in, row *out)
{
    row highest = in;
    int k;

    for (k = 0; k < ORDER; k++) {
        highest = sum(highest, -1, state(at + k));
    }
    for (k = 0; k < ORDER; k++) { /* c[k] / c[k+1] */
        const double rate = (k + 1.0) * ((2.0 * ORDER) - k) / ((ORDER - k) * theta);

        set_state(s, at + k, sum(zero(), rate, k + 1 < ORDER ? state(at + k + 1) : highest));
    }
    *out = sum(zero(), ORDER % 2 == 0 ? 1 : -1, highest);
    for (k = 0; k < ORDER; k++) {
        *out = sum(*out, k % 2 == 0 ? 1 : -1, state(at + k));
    }
    return at + ORDER;
}

static int add_lags(system_of *s, const rk_model *m, int at, row in)
{
    const double *tau = m->time_constant;

    if (m->kind == RK_MODEL_SOPDT_OSC) {
        const double t2 = tau[0] * tau[0];

        set_state(s, at, state(at + 1));
        set_state(
            s, at + 1,
            sum(sum(sum(zero(), -1 / t2, state(at)), -2 * m->damping / tau[0], state(at + 1)),
                m->gain / t2, in));
        return at + 2;
    }
    if (m->kind == RK_MODEL_SOPDT) {
        set_state(s, at, sum(sum(zero(), -1 / tau[1], state(at)), 1 / tau[1], state(at + 1)));
        at++;
    }
    set_state(s, at, sum(sum(zero(), -1 / tau[0], state(at)), m->gain / tau[0], in));
    return at + 1;
}

/* exp(M t) by a Taylor series of M t / 2^k and k squarings. */
static void exponential(int n, double m[STATES][STATES], double t)
{
    static double term[STATES][STATES], next[STATES][STATES], total[STATES][STATES];
    const int halvings = (int)fmax(0, ceil(log2(largest(n, m) * n * t)) + 3);
    const double step = t / pow(2, halvings);
    int i, j, k;

    memset(total, 0, sizeof total);
    memset(term, 0, sizeof term);
    for (i = 0; i < n; i++) {
        total[i][i] = term[i][i] = 1;
        for (j = 0; j < n; j++) {
            m[i][j] *= step;
        }
    }
    for (k = 1; k < 14; k++) {
        multiply(n, term, m, next);
        for (i = 0; i < n; i++) {
            for (j = 0; j < n; j++) {
                term[i][j] = next[i][j] / k;
                total[i][j] += term[i][j];
            }
        }
    }
    for (k = 0; k < halvings; k++) {
        multiply(n, total, total, next);
        memcpy(total, next, sizeof total);
    }
    memcpy(m, total, sizeof total);
}

/* The continuous closed loop. */
static double continuous_radius(const predicted *x)
{
    static system_of s;
    const rk_settings *c = &x->settings;
    const int i_part = 0, d_part = 1, filtered = 2, process = 3, model = 5, late_p = 7;
    const int late_m = late_p + ORDER;
    row pv, m, q, seen, out, into;

    memset(&s, 0, sizeof s);
    s.n = late_m + ORDER;
    /* The lags come first, their PV behind the dead times. */
    pv = state(process);
    q = state(model);
    if (x->process.dead_time > 0) {
        (void)add_dead_time(&s, x->process.dead_time, late_p, state(process), &pv);
    }
    m = q;
    if (x->model.dead_time > 0) {
        (void)add_dead_time(&s, x->model.dead_time, late_m, state(model), &m);
    }
    seen = pv;
    if (c->pv_filter > 0) {
        set_state(&s, filtered,
                  sum(sum(zero(), 1 / c->pv_filter, pv), -1 / c->pv_filter, state(filtered)));
        seen = state(filtered);
    }
    seen = sum(sum(seen, 1, q), -1, m);
    out = sum(zero(), -c->kc, seen);
    if (isfinite(c->ti)) {
        set_state(&s, i_part, sum(zero(), -c->kc / c->ti, seen));
        out = sum(out, 1, state(i_part));
    } else {
        s.m[i_part][i_part] = -1;
    }
    if (c->td > 0) { /* kc td s / (1 + tf s) = kc td/tf (1 - 1/(1 + tf s)) */
        set_state(&s, d_part, sum(sum(zero(), 1 / c->tf, seen), -1 / c->tf, state(d_part)));
        out = sum(sum(out, -c->kc * c->td / c->tf, seen), c->kc * c->td / c->tf, state(d_part));
    } else {
        s.m[d_part][d_part] = -1;
    }
    if (!(c->pv_filter > 0)) {
        s.m[filtered][filtered] = -1;
    }
    into = out;
    s.m[process + 1][process + 1] = s.m[model + 1][model + 1] = -1;
    (void)add_lags(&s, &x->process, process, into);
    (void)add_lags(&s, &x->model, model, into);
    if (!(x->process.dead_time > 0)) {
        int i;

        for (i = 0; i < ORDER; i++) {
            s.m[late_p + i][late_p + i] = -1;
        }
    }
    exponential(s.n, s.m, x->process.dead_time + x->model.dead_time);
    return log_radius(s.n, s.m);
}

/* Random loops: a model, a process that is off by up to 30 %, settings that may be too tight. */
static predicted random_loop(uint64_t seed)
{
    rng r = {seed};
    predicted x;
    const int kind = (int)(3 * rng_uniform(&r));
    const double tau = 5 + (10 * rng_uniform(&r)),
                 theta = tau * (0.2 + (1.5 * rng_uniform(&r)));
    double lambda;
    int i;

    memset(&x, 0, sizeof x);
    x.model.kind = kind == 0 ? RK_MODEL_FOPDT : kind == 1 ? RK_MODEL_SOPDT : RK_MODEL_SOPDT_OSC;
    x.model.gain = (rng_uniform(&r) < 0.5 ? -1 : 1) * (0.5 + rng_uniform(&r));
    x.model.time_constant[0] = tau;
    x.model.time_constant[1] = kind == 1 ? tau * (0.2 + (0.6 * rng_uniform(&r))) : 0;
    x.model.damping = kind == 2 ? 0.3 + (0.6 * rng_uniform(&r)) : 0;
    x.model.dead_time = theta;
    x.process = x.model;
    x.process.gain *= 0.7 + (0.6 * rng_uniform(&r));
    x.process.dead_time *= 0.7 + (0.9 * rng_uniform(&r));
    for (i = 0; i < 2; i++) {
        x.process.time_constant[i] *= 0.7 + (0.6 * rng_uniform(&r));
    }
    if (x.process.time_constant[1] > x.process.time_constant[0]) {
        x.process.time_constant[1] = x.process.time_constant[0];
    }
    lambda = theta * (0.1 + (1.2 * rng_uniform(&r)));
    x.settings = rk_settings_make(tau / (x.model.gain * lambda), tau, 0, 0);
    if (kind == 2) {
        x.settings.kc = 0.3 * 2 * x.model.damping * tau / (x.model.gain * lambda);
        x.settings.ti = 2 * x.model.damping * tau;
    }
    if (rng_uniform(&r) < 0.4) {
        x.settings.td = 0.2 * tau * rng_uniform(&r) + 0.1;
        x.settings.tf = x.settings.td / 5;
    }
    if (rng_uniform(&r) < 0.2) {
        x.settings.ti = HUGE_VAL;
    }
    if (rng_uniform(&r) < 0.3) {
        x.settings.pv_filter = 0.2 * tau * rng_uniform(&r);
    }
    x.settings.predictor = RK_YES;
    x.ts = theta * (0.06 + (0.2 * rng_uniform(&r)));
    return x;
}

static rk_margins margins_of(const predicted *x, bool sampled)
{
    const rk_sampling sampling = {x->ts, 0, RK_SCHEME_BACKWARD};
    rk_diag diag = {RK_OK, ""};
    rk_margins m;

    ck_assert_msg(rk_predicted_margins_compute(&x->process, &x->model, &x->settings,
                                               sampled ? &sampling : NULL, &m, &diag) == RK_OK,
                  "%s", diag.text);
    return m;
}

/* Stable at 1 - NEAR of a limit, unstable at 1 + NEAR. */
#define NEAR 2e-4

static void on_the_edge(double (*radius)(const predicted *), predicted inside,
                        predicted outside, int seed, const char *what)
{
    ck_assert_msg(radius(&inside) < 0, "%d: %s: unstable before its limit", seed, what);
    ck_assert_msg(radius(&outside) > 0, "%d: %s: stable behind its limit", seed, what);
}

static void try_loop(int seed, bool sampled, int *stable)
{
    double (*const radius)(const predicted *) = sampled ? sampled_radius : continuous_radius;
    const predicted x = random_loop((uint64_t)seed + 1);
    const rk_margins m = margins_of(&x, sampled);
    predicted in = x, out = x;

    ck_assert_msg(m.stable == (radius(&x) < 0), "%d: %s, ln of the radius %g", seed,
                  m.stable ? "stable" : "unstable", radius(&x));
    /* A limit far above lies where the approximation of a dead time has lost the phase. */
    if (m.kc_range_exists && fabs(m.kc_stable[0]) + fabs(m.kc_stable[1]) <
                                 (sampled ? 1e6 : 3.0) * fabs(x.settings.kc)) {
        const int far = x.settings.kc > 0;

        in.settings.kc = m.kc_stable[far] * (1 - NEAR);
        out.settings.kc = m.kc_stable[far] * (1 + NEAR);
        on_the_edge(radius, in, out, seed, "kc");
    }
    if (!m.stable) return;
    ++*stable;
    if (isfinite(m.gain_margin)) {
        in = out = x;
        in.process.gain *= m.gain_margin * (1 - NEAR);
        out.process.gain *= m.gain_margin * (1 + NEAR);
        on_the_edge(radius, in, out, seed, "gain of the process");
    }
    if (m.delay_margin < 3 * x.process.dead_time) {
        in = out = x;
        /* Within a scan more dead time is not a phase alone. */
        in.process.dead_time += m.delay_margin - (sampled ? 0.5 * x.ts : NEAR * m.delay_margin);
        out.process.dead_time +=
            m.delay_margin + (sampled ? 0.5 * x.ts : NEAR * m.delay_margin);
        on_the_edge(radius, in, out, seed, "dead time of the process");
    }
}

START_TEST(margins_agree_with_the_state_matrix)
{
    int seed, stable = 0;

    for (seed = 0; seed < 120; seed++) {
        try_loop(seed, _i == 1, &stable);
    }
    ck_assert_int_gt(stable, 60);
    ck_assert_int_lt(stable, 117);
}
END_TEST

/* A perfect model: 1 + E = 1 + C G, so that PI which cancels the lag is stable for every kc of the
   right sign, and T is G's loop delayed: 1 / (lambda s + 1). |L| = |T| / |1 - T e^-ts|. */
START_TEST(a_perfect_predictor_has_the_closed_forms)
{
    const rk_model m = fopdt(2, 10, 5);
    rk_settings s = rk_settings_make(10 / (2 * 2.5), 10, 0, 0); /* lambda 2.5 s */
    rk_margins got;
    double w, most = 0, re, im;

    s.predictor = RK_YES;
    ck_assert_int_eq(rk_margins_compute(&m, &s, &got, NULL), RK_OK);
    ck_assert(got.stable && got.kc_range_exists);
    ck_assert_double_eq(got.kc_stable[0], 0);
    ck_assert_double_eq(got.kc_stable[1], HUGE_VAL);
    ck_close(got.mt, 1, 1e-9);
    for (w = 1e-3; w < 20; w += 1e-4) { /* S = 1 - e^-ts / (lambda s + 1) */
        const double c = cos(5 * w), d = -sin(5 * w), size = 1 + (2.5 * w * 2.5 * w);

        re = 1 - ((c + (d * 2.5 * w)) / size);
        im = -(d - (c * 2.5 * w)) / size;
        most = fmax(most, sqrt((re * re) + (im * im)));
    }
    ck_close(got.ms, most, 1e-7);
    ck_assert_int_eq(rk_open_loop_response_compute(&m, &s, 0.2, &re, &im, NULL), RK_OK);
    { /* L = T / (1 - T) */
        const double complex_re = cos(1), complex_im = -sin(1);
        const double tre = (complex_re + (complex_im * 0.5)) / 1.25;
        const double tim = (complex_im - (complex_re * 0.5)) / 1.25;
        const double below = ((1 - tre) * (1 - tre)) + (tim * tim);

        ck_close(re, ((tre * (1 - tre)) - (tim * tim)) / below, 1e-12);
        ck_close(im, ((tim * (1 - tre)) + (tre * tim)) / below, 1e-12);
    }
}
END_TEST

/* Over wrong models the predictor keeps its own, and the worst is far from the nominal. */
START_TEST(the_worst_over_wrong_models_is_worse)
{
    const rk_model m = fopdt(2, 10, 10);
    rk_settings s = rk_settings_make(10 / (2 * 5.0), 10, 0, 0);
    rk_model_set set;
    rk_margins nominal, one;
    rk_worst worst;
    double least = HUGE_VAL;
    size_t i;

    s.predictor = RK_YES;
    ck_assert_int_eq(rk_model_set_from_part(&m, 0.1, RK_OVER_WORST, &set, NULL), RK_OK);
    ck_assert_int_eq(rk_margins_compute(&m, &s, &nominal, NULL), RK_OK);
    ck_assert_int_eq(rk_worst_compute(&set, &s, NULL, &worst, NULL), RK_OK);
    ck_assert(worst.stable);
    for (i = 0; i < set.count; i++) {
        ck_assert_int_eq(rk_predicted_margins_compute(&set.model[i], &m, &s, NULL, &one, NULL),
                         RK_OK);
        least = fmin(least, one.delay_margin);
    }
    ck_assert_double_eq(worst.delay_margin, least);
    ck_assert_double_lt(worst.delay_margin, 0.8 * nominal.delay_margin);
    ck_assert_double_gt(worst.ms, nominal.ms);
}
END_TEST

/* The kc for all models of a set: within it each is stable, just outside one is not. */
static const struct {
    const char *fact;
    rk_model model;
    double kc, ti, ts; /* ts 0: continuous */
} ranged[] = {
    {"a lag and dead time", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 0, 0}, 0.5, 10, 0},
    {"the same, scanned", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 0, 0}, 0.5, 10, 2},
    {"a gain below zero", {RK_MODEL_FOPDT, -0.118, {46, 0}, 0, 17, 0, 0}, -11, 46, 1},
    {"an integrator", {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4, 0, 0}, 1, 60, 0.5},
    {"two lags", {RK_MODEL_SOPDT, 1.5, {20, 8}, 0, 3, 0, 0}, 1, 20, 1},
};

static bool all_stable(const rk_model_set *set, const rk_settings *s, const rk_sampling *x)
{
    size_t i;

    for (i = 0; i < set->count; i++) {
        rk_margins m;

        ck_assert_int_eq(
            rk_loop_margins_compute(&set->model[i], &set->model[i], s, x, &m, NULL), RK_OK);
        if (!m.stable) return false;
    }
    return true;
}

START_TEST(kc_for_all_models_of_a_set_ends_where_the_first_turns)
{
    const rk_sampling room = {ranged[_i].ts, 0, RK_SCHEME_BACKWARD};
    const rk_sampling *x = ranged[_i].ts > 0 ? &room : NULL;
    rk_settings s = rk_settings_make(ranged[_i].kc, ranged[_i].ti, 0, 0);
    rk_model_set set;
    double kc[2], far, near;

    ck_assert_int_eq(rk_model_set_from_part(&ranged[_i].model, 0.2, RK_OVER_WORST, &set, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_worst_kc_compute(&set, &s, x, kc, NULL), RK_OK);
    ck_assert_double_lt(kc[0], kc[1]);
    ck_assert(kc[0] < s.kc && s.kc < kc[1]);
    far = s.kc > 0 ? kc[1] : kc[0];
    near = s.kc > 0 ? kc[0] : kc[1];
    s.kc = near + (0.9999 * (far - near));
    ck_assert_msg(all_stable(&set, &s, x), "%s: not up to %g", ranged[_i].fact, far);
    s.kc = near + (1.0001 * (far - near));
    ck_assert_msg(!all_stable(&set, &s, x), "%s: beyond %g", ranged[_i].fact, far);
    s.kc = near + (1e-3 * (far - near));
    ck_assert_msg(all_stable(&set, &s, x) || near != 0, "%s: not from %g", ranged[_i].fact,
                  near);
    /* A model of the other sign among them: there is no such kc. */
    set.model[1].gain = -set.model[1].gain;
    ck_assert_int_eq(rk_worst_kc_compute(&set, &s, x, kc, NULL), RK_OK);
    ck_assert(isnan(kc[0]) && isnan(kc[1]));
    ck_assert_int_eq(rk_worst_kc_compute(NULL, &s, x, kc, NULL), RK_ERR_ARG);
}
END_TEST

START_TEST(what_has_no_margins_is_refused)
{
    const rk_sampling sampling = {1, 0, RK_SCHEME_BACKWARD};
    const rk_model lag = fopdt(2, 10, 5), integrator = {RK_MODEL_IPDT, 1, {0, 0}, 0, 5, 0, 0};
    rk_settings s = rk_settings_make(1, 10, 2, 0);
    rk_diag diag = {RK_OK, ""};
    rk_margins m;

    s.predictor = RK_YES;
    ck_assert_int_eq(rk_margins_compute(&lag, &s, &m, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "give tf"));
    ck_assert_int_eq(rk_sampled_margins_compute(&lag, &s, &sampling, &m, NULL), RK_OK);
    s.tf = 0.2;
    ck_assert_int_eq(rk_margins_compute(&integrator, &s, &m, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "integrating"));
    ck_assert_int_eq(rk_predicted_margins_compute(NULL, &lag, &s, NULL, &m, NULL), RK_ERR_ARG);
    s = rk_settings_make(1, HUGE_VAL, 0, 0);
    s.on_off = 0.1;
    ck_assert_int_eq(rk_margins_compute(&lag, &s, &m, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "on-off has no margins"));
    ck_assert_int_eq(rk_sampled_margins_compute(&lag, &s, &sampling, &m, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "on-off has no margins"));
}
END_TEST

Suite *suite_predicted(void);

Suite *suite_predicted(void)
{
    Suite *suite = suite_create("design/predicted");
    TCase *t = tcase_create("predicted"), *runs = tcase_create("runs");

    tcase_add_test(t, a_perfect_predictor_has_the_closed_forms);
    add_table(t, kc_for_all_models_of_a_set_ends_where_the_first_turns, ranged);
    tcase_add_test(t, the_worst_over_wrong_models_is_worse);
    tcase_add_test(t, what_has_no_margins_is_refused);
    suite_add_tcase(suite, t);
    tcase_set_tags(runs, "statistics");
    tcase_add_loop_test(runs, margins_agree_with_the_state_matrix, 0, 2);
    suite_add_tcase(suite, runs);
    return suite;
}
