/* SPDX-License-Identifier: MIT */
/*
 * The open loop in factors, L(s) = k s^-n prod(1 + a1 s + a2 s^2) / prod(1 + b1 s + b2 s^2)
 * exp(-theta s).
 *
 * The ideal controller kc (1 + 1/(ti s) + td s/(1 + tf s)) over one denominator is
 *
 *   kc / (ti s) * (1 + (ti + tf) s + ti (td + tf) s^2) / (1 + tf s),
 *
 * without integral action kc (1 + (td + tf) s) / (1 + tf s). Kept as factors, magnitude and
 * unwrapped phase are a product and a sum of arctangents, without cancellation at any
 * frequency: a factor with positive coefficients turns from 0 to pi/2 or pi and never jumps.
 * Where |L| = 1, |L| turns or the phase turns are roots of polynomials in w^2 (poly.c): the
 * squared magnitudes of the factors are polynomials, and the dead time has magnitude 1 and a
 * phase of constant slope.
 */
#include "openloop.h"

#include <math.h>
#include <stdbool.h>

static void add_num(rki_openloop *loop, double a1, double a2)
{
    loop->num[loop->nums++] = (rki_factor){a1, a2};
}

static void add_den(rki_openloop *loop, double a1, double a2)
{
    loop->den[loop->dens++] = (rki_factor){a1, a2};
}

/* A dead time shorter than this part of the time constant is none: its crossovers lie where
   numbers end. */
#define NO_DEAD_TIME 1e-12

static void add_process(rki_openloop *loop, const rk_model *model)
{
    const double *tau = model->time_constant;
    int i;

    if (rk_model_kind_integrates(model->kind)) {
        loop->integrators++;
    }
    if (model->kind == RK_MODEL_SOPDT_OSC) {
        add_den(loop, 2.0 * model->damping * tau[0], tau[0] * tau[0]);
        return;
    }
    for (i = 0; i < rk_model_kind_times(model->kind); i++) {
        add_den(loop, tau[i], 0.0);
    }
    for (i = 0; i < model->lags; i++) {
        add_den(loop, model->lag[i], 0.0);
    }
    if (model->inverse > 0) {
        add_num(loop, -model->inverse, 0.0);
    }
}

/* An infinite integral time is no time to compare with. */
static double ti_or_none(double ti)
{
    return isinf(ti) ? 0.0 : ti;
}

rki_openloop rki_openloop_make(const rk_model *model, const rk_settings *settings)
{
    const double ti = settings->ti, td = settings->td;
    const double tf = td > 0 ? settings->tf : 0.0;
    rki_openloop loop = {.k = settings->kc * model->gain};

    if (model->dead_time > NO_DEAD_TIME * (rk_model_slowest(model) + ti_or_none(ti))) {
        loop.theta = model->dead_time;
    }

    if (isinf(ti)) {
        if (td > 0) {
            add_num(&loop, td + tf, 0.0);
        }
    } else {
        loop.k /= ti;
        loop.integrators++;
        add_num(&loop, ti + tf, ti * (td + tf));
    }
    if (tf > 0) {
        add_den(&loop, tf, 0.0);
    }
    if (settings->pv_filter > 0) {
        add_den(&loop, settings->pv_filter, 0.0);
    }
    add_process(&loop, model);
    return loop;
}

static double factor_phase(const rki_factor *f, double w)
{
    return atan2(f->a1 * w, 1.0 - (f->a2 * w * w));
}

/* The square of a product of factors, and the product itself. */
static double square_of(const rki_factor *f, int count, double w)
{
    double product = 1.0;
    int i;

    for (i = 0; i < count; i++) {
        const double re = 1.0 - (f[i].a2 * w * w), im = f[i].a1 * w;

        product *= (re * re) + (im * im);
    }
    return product;
}

static void product_of(const rki_factor *f, int count, double w, double *re, double *im)
{
    int i;

    *re = 1.0;
    *im = 0.0;
    for (i = 0; i < count; i++) {
        const double a = 1.0 - (f[i].a2 * w * w), b = f[i].a1 * w, before = *re;

        *re = (before * a) - (*im * b);
        *im = (before * b) + (*im * a);
    }
}

double rki_openloop_magnitude(const rki_openloop *loop, double w)
{
    double value = fabs(loop->k) * sqrt(square_of(loop->num, loop->nums, w) /
                                        square_of(loop->den, loop->dens, w));
    int i;

    for (i = 0; i < loop->integrators; i++) {
        value /= w;
    }
    return value;
}

double rki_openloop_log_magnitude(const rki_openloop *loop, double w)
{
    return log(rki_openloop_magnitude(loop, w));
}

void rki_openloop_value(const rki_openloop *loop, double w, double *re, double *im)
{
    const double c = cos(w * loop->theta), s = -sin(w * loop->theta);
    double above_re, above_im, below_re, below_im, size, a, b;
    int i;

    product_of(loop->num, loop->nums, w, &above_re, &above_im);
    product_of(loop->den, loop->dens, w, &below_re, &below_im);
    size = loop->k / ((below_re * below_re) + (below_im * below_im));
    a = size * ((above_re * below_re) + (above_im * below_im));
    b = size * ((above_im * below_re) - (above_re * below_im));
    for (i = 0; i < loop->integrators; i++) { /* 1/(jw) turns back by a quarter */
        const double before = a;

        a = b / w;
        b = -before / w;
    }
    *re = (a * c) - (b * s);
    *im = (a * s) + (b * c);
}

double rki_openloop_phase(const rki_openloop *loop, double w)
{
    double sum =
        (loop->k < 0 ? -RKI_PI : 0.0) - (0.5 * RKI_PI * loop->integrators) - (w * loop->theta);
    int i;

    for (i = 0; i < loop->nums; i++) {
        sum += factor_phase(&loop->num[i], w);
    }
    for (i = 0; i < loop->dens; i++) {
        sum -= factor_phase(&loop->den[i], w);
    }
    return sum;
}

static int degree(const rki_factor *f)
{
    return f->a2 > 0 ? 2 : 1;
}

static int relative_degree(const rki_openloop *loop)
{
    int sum = loop->integrators, i;

    for (i = 0; i < loop->dens; i++) {
        sum += degree(&loop->den[i]);
    }
    for (i = 0; i < loop->nums; i++) {
        sum -= degree(&loop->num[i]);
    }
    return sum;
}

/* How many quarter turns the phase lags in the end; an inverse response lags, too. */
static int final_lag(const rki_openloop *loop)
{
    int sum = loop->integrators, i;

    for (i = 0; i < loop->dens; i++) {
        sum += degree(&loop->den[i]);
    }
    for (i = 0; i < loop->nums; i++) {
        sum -= loop->num[i].a1 < 0 ? -1 : degree(&loop->num[i]);
    }
    return sum;
}

double rki_openloop_final_phase(const rki_openloop *loop)
{
    return (loop->k < 0 ? -RKI_PI : 0.0) - (0.5 * RKI_PI * final_lag(loop));
}

static double leading(const rki_factor *f)
{
    return f->a2 > 0 ? f->a2 : fabs(f->a1);
}

double rki_openloop_final_magnitude(const rki_openloop *loop)
{
    double value = fabs(loop->k);
    int i;

    if (relative_degree(loop) > 0) return 0.0;
    for (i = 0; i < loop->nums; i++) {
        value *= leading(&loop->num[i]);
    }
    for (i = 0; i < loop->dens; i++) {
        value /= leading(&loop->den[i]);
    }
    return value;
}

/* The time of a loop that has no other: an integrator alone. */
static double own_time(const rki_openloop *loop)
{
    return loop->theta > 0 ? loop->theta : 1.0 / fabs(loop->k);
}

double rki_openloop_longest(const rki_openloop *loop)
{
    double sum = loop->theta;
    int i;

    for (i = 0; i < loop->nums; i++) {
        sum += fabs(loop->num[i].a1);
    }
    for (i = 0; i < loop->dens; i++) {
        sum += loop->den[i].a1 + sqrt(loop->den[i].a2);
    }
    return sum > 0 ? sum : own_time(loop);
}

double rki_openloop_least_damping(const rki_openloop *loop)
{
    double least = 1.0;
    int i;

    for (i = 0; i < loop->dens; i++) {
        if (loop->den[i].a2 > 0) {
            least = fmin(least, 0.5 * loop->den[i].a1 / sqrt(loop->den[i].a2));
        }
    }
    return least;
}

double rki_openloop_shortest(const rki_openloop *loop)
{
    double least = HUGE_VAL;
    int i;

    for (i = 0; i < loop->nums; i++) {
        /* a2/a1 is near the smaller of two real time constants. */
        least = fmin(least, loop->num[i].a2 > 0 ? loop->num[i].a2 / loop->num[i].a1
                                                : fabs(loop->num[i].a1));
    }
    for (i = 0; i < loop->dens; i++) {
        least = fmin(least, loop->den[i].a2 > 0 ? sqrt(loop->den[i].a2) : loop->den[i].a1);
    }
    return isinf(least) ? own_time(loop) : least;
}

/* The polynomials below are in x = (w * unit)^2, so that their coefficients stay near 1. */
static double time_unit(const rki_openloop *loop)
{
    double sum = 0;
    int i;

    for (i = 0; i < loop->nums; i++) {
        sum += log(fabs(loop->num[i].a1));
    }
    for (i = 0; i < loop->dens; i++) {
        sum += log(loop->den[i].a2 > 0 ? sqrt(loop->den[i].a2) : loop->den[i].a1);
    }
    if (loop->nums + loop->dens == 0) return own_time(loop);
    return exp(sum / (loop->nums + loop->dens));
}

/* |1 + a1 jw + a2 (jw)^2|^2 = 1 + (a1^2 - 2 a2) x + a2^2 x^2 */
static rki_poly square(const rki_factor *f, double unit)
{
    const double a1 = f->a1 / unit, a2 = f->a2 / (unit * unit);

    return rki_poly_make(1.0, (a1 * a1) - (2.0 * a2), a2 * a2);
}

/* The product of the factors' squares; the one numbered `but` is left out (-1: none is). */
static rki_poly product(const rki_factor *f, int count, double unit, int but)
{
    rki_poly made = rki_poly_make(1.0, 0.0, 0.0);
    int i;

    for (i = 0; i < count; i++) {
        const rki_poly one = square(&f[i], unit);

        if (i != but) {
            made = rki_poly_multiply(&made, &one);
        }
    }
    return made;
}

/* The product over all factors of the loop, numerators first, but one. */
static rki_poly squares_but(const rki_openloop *loop, double unit, int but)
{
    const rki_poly above = product(loop->num, loop->nums, unit, but);
    const rki_poly below = product(loop->den, loop->dens, unit, but - loop->nums);

    return rki_poly_multiply(&above, &below);
}

static int frequencies(const rki_poly *poly, double unit, double w[RKI_POLY_MAX])
{
    const int count = rki_poly_positive_roots(poly, w);
    int i;

    for (i = 0; i < count; i++) {
        w[i] = sqrt(w[i]) / unit;
    }
    return count;
}

/* A few secant steps take the root of the polynomial to the root of ln |L| itself. */
static double polish_crossover(const rki_openloop *loop, double w)
{
    int i;

    for (i = 0; i < 3; i++) {
        const double near = w * (1.0 + 1e-6);
        const double value = rki_openloop_log_magnitude(loop, w);
        const double slope = (rki_openloop_log_magnitude(loop, near) - value) / (near - w);
        const double next = w - (value / slope);

        if (!(fabs(next - w) < 1e-3 * w)) break; /* a tangent point has no slope to follow */
        w = next;
    }
    return w;
}

int rki_openloop_gain_crossovers(const rki_openloop *loop, double w[RKI_POLY_MAX])
{
    const double unit = time_unit(loop);
    const rki_poly above = product(loop->num, loop->nums, unit, -1);
    const rki_poly x = rki_poly_make(0.0, 1.0, 0.0);
    const double k = fabs(loop->k) * pow(unit, loop->integrators);
    rki_poly below = product(loop->den, loop->dens, unit, -1);
    int i, count;

    for (i = 0; i < loop->integrators; i++) {
        below = rki_poly_multiply(&below, &x);
    }
    below = rki_poly_add(&below, &above, -k * k);
    count = frequencies(&below, unit, w);
    for (i = 0; i < count; i++) {
        w[i] = polish_crossover(loop, w[i]);
    }
    return count;
}

/* Sum over the factors of sign * top(factor) * product of the other squares. */
static rki_poly weighted_sum(const rki_openloop *loop, double unit,
                             rki_poly (*top)(const rki_factor *, double))
{
    rki_poly sum = rki_poly_make(0.0, 0.0, 0.0);
    int i;

    for (i = 0; i < loop->nums + loop->dens; i++) {
        const bool num = i < loop->nums;
        const rki_poly others = squares_but(loop, unit, i);
        const rki_poly mine = top(num ? &loop->num[i] : &loop->den[i - loop->nums], unit);
        const rki_poly term = rki_poly_multiply(&mine, &others);

        sum = rki_poly_add(&sum, &term, num ? 1.0 : -1.0);
    }
    return sum;
}

static rki_poly square_slope(const rki_factor *f, double unit)
{
    const rki_poly whole = square(f, unit);

    return rki_poly_derivative(&whole);
}

/* The phase of a factor rises by a1 (1 + a2 x) / |factor|^2 per rad/s. */
static rki_poly phase_slope(const rki_factor *f, double unit)
{
    const double a1 = f->a1 / unit, a2 = f->a2 / (unit * unit);

    return rki_poly_make(a1, a1 * a2, 0.0);
}

int rki_openloop_magnitude_turns(const rki_openloop *loop, double w[RKI_POLY_MAX])
{
    const double unit = time_unit(loop);
    const rki_poly x = rki_poly_make(0.0, 1.0, 0.0);
    const rki_poly all = squares_but(loop, unit, -1);
    rki_poly sum = weighted_sum(loop, unit, square_slope);

    sum = rki_poly_multiply(&sum, &x);
    sum = rki_poly_add(&sum, &all, -loop->integrators);
    return frequencies(&sum, unit, w);
}

int rki_openloop_phase_turns(const rki_openloop *loop, double w[RKI_POLY_MAX])
{
    const double unit = time_unit(loop);
    const rki_poly all = squares_but(loop, unit, -1);
    rki_poly sum = weighted_sum(loop, unit, phase_slope);

    sum = rki_poly_add(&sum, &all, -loop->theta / unit);
    return frequencies(&sum, unit, w);
}
