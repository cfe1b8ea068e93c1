/* SPDX-License-Identifier: MIT */
/*
 * The open loop as it is sampled, L(z) at z = exp(j w ts).
 *
 * The process is exact for an output that is held between scans: x(k+1) = A x(k) + b0 u(k-d) +
 * b1 u(k-d-1) (rk_plant_params_from_model), so that P(z) = z^-d e1' (zI - A)^-1 (b0 + b1/z);
 * the dead time's whole scans z^-d are kept apart as a phase. The controller is what the block
 * computes: the integral ts/ti times z/(z-1), 1/(z-1) or (z+1)/(2(z-1)) for backward, forward
 * and trapezoid, the derivative td (z-1)/((tf + ts)(z-1) + ts) and its trapezoid, the PV filter
 * part z/(z - 1 + part).
 *
 * All is written in z - 1, which is made from half the angle, so that no digits are lost where
 * a fast scan puts every pole next to z = 1.
 *
 * Source  K. J. Astrom, B. Wittenmark, Computer-Controlled Systems, 3rd ed., Prentice Hall,
 *         1997, ch. 3.
 */
#include "sampled_loop.h"

#include <complex.h>
#include <math.h>
#include <string.h>

#include "openloop.h"
#include "predicted.h"

static rk_status check(const rk_model *model, const rk_settings *settings,
                       const rk_sampling *sampling, rk_diag *diag)
{
    rk_status status = rk_model_check(model, diag);

    if (status == RK_OK) {
        status = rk_settings_check(settings, diag);
    }
    if (status != RK_OK) return status;
    if (sampling == NULL) return RK_ERR_ARG;
    if (!(sampling->ts > 0) || isinf(sampling->ts) || !(sampling->delay >= 0) ||
        isinf(sampling->delay)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "scan %g s, delay %g s: give a scan above 0, a delay of 0 or more",
                           sampling->ts, sampling->delay);
    }
    if ((int)sampling->integral < 0 || sampling->integral > RK_SCHEME_FORWARD) {
        return rk_diag_set(diag, RK_ERR_RANGE, "unknown integral scheme");
    }
    return RK_OK;
}

rk_status rki_sampled_loop_make(const rk_model *model, const rk_settings *settings,
                                const rk_sampling *sampling, rki_sampled_loop *loop,
                                rk_diag *diag)
{
    rk_status status = check(model, settings, sampling, diag);
    rk_model late;
    rk_plant_params p;
    rki_openloop continuous;
    int i;

    if (status != RK_OK) return status;
    if (rk_settings_is_on_off(settings)) {
        (void)rki_no_margins(diag);
        return RK_ERR_RANGE;
    }
    late = *model;
    late.dead_time += sampling->delay;
    status = rk_plant_params_from_model(&late, sampling->ts, &p, diag);
    if (status != RK_OK) return status;
    memset(loop, 0, sizeof *loop);
    loop->h = sampling->ts;
    loop->delay = (double)p.delay;
    loop->kc = settings->kc;
    loop->ih = isinf(settings->ti) ? 0.0 : sampling->ts / settings->ti;
    loop->td = settings->td;
    loop->tf = settings->tf;
    loop->part = sampling->ts / (settings->pv_filter + sampling->ts);
    loop->integral = sampling->integral;
    loop->derivative = settings->derivative;
    loop->plant = p;
    for (i = 0; i < RK_PLANT_STATES; i++) {
        loop->below[i] = 1.0 - p.a[i][i];
    }
    loop->cross = p.a[0][1] * p.a[1][0];
    continuous = rki_openloop_make(model, settings);
    loop->integrators = continuous.integrators;
    loop->k = continuous.k;
    return RK_OK;
}

/* A quotient of finite numbers, without the care for infinite ones that costs more than it. */
static double complex over(double complex a, double complex b)
{
    const double square = (creal(b) * creal(b)) + (cimag(b) * cimag(b));

    return a * conj(b) * (1.0 / square);
}

/* e1' (zI - A)^-1 (b0 + b1/z), of a pair by its determinant, of a chain from its last state on. */
static double complex plant_value(const rki_sampled_loop *loop, double complex z,
                                  double complex off)
{
    const rk_plant_params *p = &loop->plant;
    double complex x[RK_PLANT_STATES];
    int i, j;

    if (p->states <= 2) {
        const double complex first = off + loop->below[0], second = off + loop->below[1];
        const double complex in0 = p->b0[0] + (p->b1[0] * conj(z));
        const double complex in1 = p->b0[1] + (p->b1[1] * conj(z));

        return over((second * in0) + (p->a[0][1] * in1), (first * second) - loop->cross);
    }
    for (i = p->states - 1; i >= 0; i--) {
        x[i] = p->b0[i] + (p->b1[i] * conj(z));
        for (j = i + 1; j < p->states; j++) {
            x[i] += p->a[i][j] * x[j];
        }
        x[i] = over(x[i], off + loop->below[i]);
    }
    return x[0];
}

void rki_sampled_loop_value(const rki_sampled_loop *loop, double angle, double *re, double *im)
{
    /* z - 1 from half the angle: no digits are lost where z is near 1. 1/z is its conjugate. */
    const double s = sin(0.5 * angle), c = cos(0.5 * angle);
    const double complex off = (-2.0 * s * s) + (2.0 * s * c * (double complex)I);
    const double complex z = 1.0 + off;
    const double complex plant = plant_value(loop, z, off);
    double complex sum = 1.0, l;

    if (loop->ih > 0) {
        const double complex count = loop->integral == RK_SCHEME_BACKWARD  ? z
                                     : loop->integral == RK_SCHEME_FORWARD ? (double complex)1.0
                                                                           : 0.5 * (z + 1.0);

        sum += loop->ih * over(count, off);
    }
    if (loop->td > 0) {
        const double half = loop->derivative == RK_SCHEME_TRAPEZOID ? 0.5 * loop->h : loop->h;

        sum += loop->td * over(off, ((loop->tf + half) * off) + loop->h);
    }
    if (loop->part < 1) { /* y moves by this part of the way to its input */
        sum *= over(loop->part * z, off + loop->part);
    }
    l = loop->kc * sum * plant;
    *re = creal(l);
    *im = cimag(l);
}

rk_status rk_sampled_response_compute(const rk_model *model, const rk_settings *settings,
                                      const rk_sampling *sampling, double w, double *re,
                                      double *im, rk_diag *diag)
{
    rki_sampled_loop loop;
    double a, b, c, s;
    rk_status status = rki_sampled_loop_make(model, settings, sampling, &loop, diag);

    if (status != RK_OK) return status;
    if (re == NULL || im == NULL) return RK_ERR_ARG;
    if (!(w > 0) || !(w * loop.h <= RKI_PI * (1.0 + 1e-12))) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "frequency %g rad/s: a scan of %g s shows those up to %g", w, loop.h,
                           RKI_PI / loop.h);
    }
    if (settings->predictor) {
        return rki_predicted_response(model, sampling->known != NULL ? sampling->known : model,
                                      settings, sampling, w, re, im, diag);
    }
    rki_sampled_loop_value(&loop, w * loop.h, &a, &b);
    c = cos(loop.delay * w * loop.h);
    s = -sin(loop.delay * w * loop.h);
    *re = (a * c) - (b * s);
    *im = (a * s) + (b * c);
    return RK_OK;
}
