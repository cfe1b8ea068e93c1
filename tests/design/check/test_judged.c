/* SPDX-License-Identifier: MIT */
/* The verdict holds for the loop that runs: random loops, scanned and late, against two second
   methods. Stability and its limits by the state matrix of the closed loop; what a step shows by a
   simulation of the law and of the process's differential equation, both written down here. */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "../../support/support.h"
#include "../linear.h"

typedef struct scanned {
    rk_model m;
    rk_settings s;
    double ts, delay; /* delay in s */
} scanned;

static double uniform(rng *r, double low, double high)
{
    return low + ((high - low) * rng_uniform(r));
}

/* Five kinds, P to PID, a hundredth to twice the dead time, late by up to three scans. */
static scanned random_loop(uint64_t seed)
{
    rng r = {seed};
    const double tau = uniform(&r, 5, 15), theta = tau * uniform(&r, 0.1, 1.5);
    const double sign = rng_uniform(&r) < 0.5 ? -1 : 1, part = rng_uniform(&r);
    scanned x;
    double per, kc;

    memset(&x, 0, sizeof x);
    x.m.kind = (rk_model_kind)(seed % RK_MODEL_KINDS);
    per = rk_model_kind_integrates(x.m.kind) ? 1 / tau : 1;
    x.m.gain = sign * uniform(&r, 0.5, 1.5) * per;
    x.m.time_constant[0] = x.m.kind == RK_MODEL_IPDT ? 0 : tau;
    x.m.time_constant[1] = x.m.kind == RK_MODEL_SOPDT ? tau * uniform(&r, 0.2, 0.8) : 0;
    x.m.damping = x.m.kind == RK_MODEL_SOPDT_OSC ? uniform(&r, 0.3, 0.9) : 0;
    x.m.dead_time = theta;
    kc = tau * per / (x.m.gain * theta) * uniform(&r, 0.1, 1.2);
    if (x.m.kind == RK_MODEL_SOPDT_OSC) {
        kc *= x.m.damping;
    }
    x.s = rk_settings_make(kc, (tau + theta) * uniform(&r, 0.6, 3), 0, 0);
    if (rk_model_kind_integrates(x.m.kind)) {
        x.s.kc *= 0.5;
        x.s.ti *= 3;
    }
    if (part < 0.25 || part > 0.8) { /* PD, PID */
        x.s.td = tau * uniform(&r, 0.05, 0.3);
        x.s.tf = x.s.td * uniform(&r, 0.1, 0.3);
    }
    if (part > 0.6) { /* P, PD */
        x.s.ti = HUGE_VAL;
    }
    x.s.pv_filter = rng_uniform(&r) < 0.3 ? 0.2 * theta * rng_uniform(&r) : 0;
    x.ts = theta * exp(uniform(&r, log(0.01), log(2)));
    x.ts = fmin(x.ts, 0.9 * x.s.ti);
    x.delay = x.ts * floor(4 * rng_uniform(&r));
    x.delay -=
        x.delay > 0 && rng_uniform(&r) < 0.5 ? 0.4 * x.ts : 0; /* not always whole scans */
    return x;
}

static double radius(const scanned *x)
{
    static system_of s;
    const rk_settings *c = &x->s;
    const rk_model late = rk_model_delayed(&x->m, x->delay);
    row pv, out;

    memset(&s, 0, sizeof s);
    pv = state(CONTROLLER_STATES);
    out = add_controller(&s, c, x->ts, filter(&s, c, x->ts, pv));
    s.n = add_plant(&s, &late, x->ts, CONTROLLER_STATES, out, &pv);
    return log_radius(s.n, s.m);
}

/* ---- the law and the process, by hand ---- */

enum { STEPS = 400000 };

typedef struct response {
    double overshoot, settling, recovery; /* NaN: not within the run */
    double end;
} response;

/* The derivative of the process's states under an input. */
static void slope(const rk_model *m, const double x[2], double u, double dx[2])
{
    const double t = m->time_constant[0], t2 = m->time_constant[1];

    dx[0] = dx[1] = 0;
    switch (m->kind) {
    case RK_MODEL_FOPDT:
        dx[0] = ((m->gain * u) - x[0]) / t;
        break;
    case RK_MODEL_SOPDT:
        dx[1] = ((m->gain * u) - x[1]) / t;
        dx[0] = (x[1] - x[0]) / t2;
        break;
    case RK_MODEL_SOPDT_OSC:
        dx[0] = x[1];
        dx[1] = ((m->gain * u) - x[0] - (2 * m->damping * t * x[1])) / (t * t);
        break;
    case RK_MODEL_IPDT:
        dx[0] = m->gain * u;
        break;
    default:
        dx[0] = x[1];
        dx[1] = ((m->gain * u) - x[1]) / t;
    }
}

/* Runge and Kutta's four slopes. */
static void step_process(const rk_model *m, double x[2], double u, double h)
{
    double k[4][2], at[2];
    int i, a;

    for (i = 0; i < 4; i++) {
        const double part = i == 0 ? 0 : i == 3 ? h : 0.5 * h;

        for (a = 0; a < 2; a++) {
            at[a] = x[a] + (i == 0 ? 0 : part * k[i - 1][a]);
        }
        slope(m, at, u, k[i]);
    }
    for (a = 0; a < 2; a++) {
        x[a] += h * (k[0][a] + (2 * k[1][a]) + (2 * k[2][a]) + k[3][a]) / 6;
    }
}

/* A setpoint step of 1, or a load of 1, from rest at 0; pv every h s. Steps of h are such that
   scans and the late input's changes lie on them. */
static double *simulate(const scanned *x, double sp, double load, double h, size_t per_scan,
                        size_t late, size_t steps)
{
    const rk_settings *c = &x->s;
    double *pv = calloc(steps + 1, sizeof *pv), *u = calloc(steps + 1, sizeof *u);
    double state_of[2] = {0, 0}, filtered = 0, i_part = 0, d_part = 0, last = 0, out = 0;
    size_t n;

    ck_assert(pv != NULL && u != NULL);
    for (n = 0; n < steps; n++) {
        pv[n] = state_of[0];
        if (n % per_scan == 0) {
            filtered += x->ts / (c->pv_filter + x->ts) * (pv[n] - filtered);
            i_part += isinf(c->ti) ? 0 : c->kc * x->ts / c->ti * (sp - filtered);
            d_part = (c->tf / (c->tf + x->ts) * d_part) -
                     (c->kc * c->td / (c->tf + x->ts) * (filtered - last));
            last = filtered;
            out = (c->kc * (sp - filtered)) + i_part + d_part;
        }
        u[n] = out;
        /* the load goes through the dead time too, but not through the delay of OUT; it stands
           from the start, so that only when it comes matters */
        step_process(&x->m, state_of,
                     (n >= late ? u[n - late] : 0) +
                         ((double)n * h >= x->m.dead_time - (1e-9 * h) ? load : 0),
                     h);
    }
    pv[steps] = state_of[0];
    free(u);
    return pv;
}

/* The last time outside of value +- half, NaN if that is the end; *most: how far beyond. */
static double settle(const double *pv, size_t steps, double h, double value, double half,
                     double *most)
{
    size_t n, last = 0;

    *most = 0;
    for (n = 0; n <= steps; n++) {
        *most = fmax(*most, value > 0 ? pv[n] - value : value - pv[n]);
        last = fabs(pv[n] - value) > half ? n + 1 : last;
    }
    return last > steps ? (double)NAN : h * (double)last;
}

/* ---- both beside check ---- */

static rk_design design_of(const scanned *x)
{
    rk_design d = rk_design_make();

    d.has_model = d.has_settings = true;
    d.model = x->m;
    d.settings = x->s;
    d.ts = x->ts;
    d.delay_scans = x->delay / x->ts;
    return d;
}

#define NEAR 2e-4

static void on_the_edge(const scanned *in, const scanned *out, int seed, const char *what)
{
    ck_assert_msg(radius(in) < 0, "%d: %s: unstable before its limit", seed, what);
    ck_assert_msg(radius(out) > 0, "%d: %s: stable behind its limit", seed, what);
}

START_TEST(the_verdict_is_that_of_the_state_matrix)
{
    const rk_check_plan plan = {
        .task = QNAN, .record_interval = QNAN, .uncertain = false, .model_error = 0.2};
    int seed, stable = 0, met = 0, delayed = 0;

    for (seed = 0; seed < 160; seed++) {
        const scanned x = random_loop((uint64_t)seed + 1);
        const rk_design d = design_of(&x);
        const rk_margins *m;
        scanned in = x, out = x;
        rk_diag diag = {RK_OK, ""};
        rk_check check;

        ck_assert_msg(rk_check_compute(&d, &plan, &check, &diag) == RK_OK, "%d: %s", seed,
                      diag.text);
        m = rk_check_judged(&check);
        ck_assert_msg(m->stable == (radius(&x) < 0), "%d: %s, ln of the radius %g", seed,
                      m->stable ? "stable" : "unstable", radius(&x));
        ck_assert(m->stable || !check.verdict.met);
        met += check.verdict.met;
        if (!m->stable) continue;
        stable++;
        ck_assert_double_eq(check.verdict.figure[RK_REQUIRE_GAIN_MARGIN], m->gain_margin);
        if (isfinite(m->gain_margin)) {
            in.s.kc = x.s.kc * m->gain_margin * (1 - NEAR);
            out.s.kc = x.s.kc * m->gain_margin * (1 + NEAR);
            on_the_edge(&in, &out, seed, "kc");
            /* kc's own limit of the gain margin asked is where that is left of it */
            if (!isnan(check.gain.at[RK_REQUIRE_GAIN_MARGIN])) {
                in = out = x;
                in.s.kc = 2 * check.gain.at[RK_REQUIRE_GAIN_MARGIN] * (1 - 1e-3);
                out.s.kc = 2 * check.gain.at[RK_REQUIRE_GAIN_MARGIN] * (1 + 1e-3);
                on_the_edge(&in, &out, seed, "half of kc's limit");
            }
        }
        in = out = x;
        if (isfinite(m->delay_margin) && m->delay_margin < 40 * x.ts) {
            delayed++;
            in.delay += fmax(m->delay_margin - (0.5 * x.ts), 0);
            out.delay += m->delay_margin + (0.5 * x.ts);
            on_the_edge(&in, &out, seed, "delay");
        }
    }
    ck_assert_int_gt(stable, 96);
    ck_assert_int_lt(stable, 155);
    ck_assert_int_gt(met, 20);
    ck_assert_int_lt(met, 133);
    ck_assert_int_gt(delayed, 53);
}
END_TEST

/* Steps of h so that scan, dead time and delay are whole numbers of it; the loop is moved a little
   to make them so. */
static double align(scanned *x, size_t *per_scan, size_t *late)
{
    const double quick = fmin(rk_model_quickest(&x->m), x->m.dead_time);
    const double least = fmin(x->ts, quick / 60);
    double h;

    *per_scan = (size_t)ceil(x->ts / least);
    h = x->ts / (double)*per_scan;
    x->m.dead_time = h * round(x->m.dead_time / h);
    x->delay = h * round(x->delay / h);
    *late = (size_t)lround((x->m.dead_time + x->delay) / h);
    return h;
}

START_TEST(a_step_shows_what_a_simulation_shows)
{
    const rk_check_plan plan = {
        .task = QNAN, .record_interval = QNAN, .uncertain = false, .model_error = 0.2};
    int seed, told = 0, recovered = 0, never = 0;

    for (seed = 300 * _i; seed < 300 * (_i + 1); seed += 2) {
        scanned x = random_loop((uint64_t)seed + 1);
        size_t per_scan, late, steps;
        const double h = align(&x, &per_scan, &late);
        rk_design d = design_of(&x);
        double *pv, value, most, settling, near;
        rk_check check;

        ck_assert_int_eq(rk_requirements_set(&d.requirements, RK_REQUIRE_OVERSHOOT, 20, NULL),
                         RK_OK);
        ck_assert_int_eq(rk_requirements_set(&d.requirements, RK_REQUIRE_RECOVERY, 100, NULL),
                         RK_OK);
        d.requirements.sp_step = 1;
        d.requirements.load_step = rk_model_kind_integrates(x.m.kind) ? 0.3 * x.s.kc : 1;
        ck_assert_int_eq(rk_check_compute(&d, &plan, &check, NULL), RK_OK);
        if (!rk_check_judged(&check)->stable) continue;
        {
            const rk_trial_case c = {
                .plant = x.m, .model = x.m, .settings = x.s, .ts = x.ts, .delay = x.delay};

            steps = (size_t)fmin(2 * rk_trial_time_to_settle(&c) / h, STEPS);
        }
        near = fmax(2 * x.ts, 0.02 * h * (double)steps);
        pv = simulate(&x, 1, 0, h, per_scan, late, steps);
        value = isinf(x.s.ti) && !rk_model_kind_integrates(x.m.kind)
                    ? x.s.kc * x.m.gain / (1 + (x.s.kc * x.m.gain))
                    : 1;
        settling = settle(pv, steps, h, value, 0.02 * value, &most);
        if (!isnan(check.verdict.figure[RK_REQUIRE_SETTLING]) && !isnan(settling)) {
            told++;
            ck_assert_msg(fabs(check.verdict.figure[RK_REQUIRE_SETTLING] - settling) < near,
                          "%d: settles in %g, not in %g s", seed, settling,
                          check.verdict.figure[RK_REQUIRE_SETTLING]);
        }
        ck_assert_msg(fabs(check.verdict.figure[RK_REQUIRE_OVERSHOOT] - (100 * most / value)) <
                          1.0,
                      "%d: overshoots by %g, not by %g %%", seed, 100 * most / value,
                      check.verdict.figure[RK_REQUIRE_OVERSHOOT]);
        free(pv);
        pv = simulate(&x, 0, d.requirements.load_step, h, per_scan, late, steps);
        settling = settle(pv, steps, h, 0, 0.02, &most);
        if (!isnan(check.verdict.figure[RK_REQUIRE_RECOVERY])) {
            recovered++;
            ck_assert_msg(!isnan(settling), "%d: PV never comes back", seed);
            ck_assert_msg(fabs(check.verdict.figure[RK_REQUIRE_RECOVERY] - settling) < near,
                          "%d: recovers in %g, not in %g s", seed, settling,
                          check.verdict.figure[RK_REQUIRE_RECOVERY]);
        } else if (isinf(x.s.ti)) {
            never++;
            ck_assert_msg(isnan(settling), "%d: PV comes back in %g s", seed, settling);
        }
        free(pv);
    }
    ck_assert_int_gt(told, 60);
    ck_assert_int_gt(recovered, 30);
    ck_assert_int_gt(never, 20);
}
END_TEST

Suite *suite_judged(void)
{
    Suite *suite = suite_create("design/judged");
    TCase *t = tcase_create("judged");

    tcase_set_timeout(t, 120);

    tcase_set_tags(t, "statistics");
    tcase_add_test(t, the_verdict_is_that_of_the_state_matrix);
    tcase_add_loop_test(t, a_step_shows_what_a_simulation_shows, 0, 1);
    suite_add_tcase(suite, t);
    return suite;
}
