/* SPDX-License-Identifier: MIT */
/*
 * The transition of each family's state over a time h, exact, and its derivatives by the shape
 * parameters ln T and ln zeta. Second order: with t = h / T and z the damping, the waves exp(-z
 * t) cos(w t) and exp(-z t) sin(w t) / w, w^2 = 1 - z^2, turn hyperbolic for z > 1; both are
 * one analytic function of w^2, so that z = 1 is no special case: near it their series are
 * used.
 */
#include "fit_step.h"

#include <math.h>
#include <string.h>

int rki_family_shapes(rki_family family)
{
    static const int shapes[] = {1, 2, 0, 1};

    return shapes[family];
}

bool rki_family_integrates(rki_family family)
{
    return family == RKI_INTEGRATOR || family == RKI_LAGGING;
}

rki_family rki_family_of(rk_model_kind kind)
{
    static const rki_family families[RK_MODEL_KINDS] = {RKI_FIRST, RKI_SECOND, RKI_SECOND,
                                                        RKI_INTEGRATOR, RKI_LAGGING};

    return families[kind];
}

/* (t c - s) / w^2 for s = exp(-z t) sin(w t) / w and c its cosine; w^2 may be 0 or below. */
static double slope_by_square(double t, double c, double s, double square, double fade)
{
    const double x = square * t * t;

    if (fabs(x) > 1e-2) return ((t * c) - s) / square;
    return fade * t * t * t * ((-1.0 / 3.0) + (x * ((1.0 / 30.0) - (x / 840.0))));
}

/* exp(-z t) cos(w t) and exp(-z t) sin(w t) / w, w^2 = 1 - z^2, hyperbolic for z > 1. */
static void waves(double z, double t, double square, double *c, double *s)
{
    const double x = square * t * t, fade = exp(-z * t);

    if (fabs(x) < 1e-6) {
        *c = fade * (1.0 - (x / 2.0));
        *s = fade * t * (1.0 - (x / 6.0));
    } else if (square > 0) {
        const double w = sqrt(square);

        *c = fade * cos(w * t);
        *s = fade * sin(w * t) / w;
    } else {
        const double w = sqrt(-square);
        const double slow = exp(-t / (z + w)), quick = exp(-(z + w) * t);

        *c = 0.5 * (slow + quick);
        *s = 0.5 * (slow - quick) / w;
    }
}

static void make_second(rki_step *m, const double shape[RKI_SHAPES], double h)
{
    const double t = h * exp(-shape[0]), z = exp(shape[1]), square = (1.0 - z) * (1.0 + z);
    double c, s, dc, ds;
    int i;

    waves(z, t, square, &c, &s);
    m->phi[0][0] = c + (z * s);
    m->phi[0][1] = s;
    m->phi[1][0] = -s;
    m->phi[1][1] = c - (z * s);
    /* By ln T: -t times the derivative by t, which is [0 1; -1 -2z] phi. */
    for (i = 0; i < 2; i++) {
        m->by[0][0][i] = -t * m->phi[1][i];
        m->by[0][1][i] = t * (m->phi[0][i] + (2.0 * z * m->phi[1][i]));
    }
    /* By ln z: the fading gives -t, and the waves depend on z through w^2. */
    dc = (z * t * s) - (t * c);
    ds = (-z * slope_by_square(t, c, s, square, exp(-z * t))) - (t * s);
    m->by[1][0][0] = z * (dc + s + (z * ds));
    m->by[1][0][1] = z * ds;
    m->by[1][1][0] = -z * ds;
    m->by[1][1][1] = z * (dc - s - (z * ds));
}

void rki_step_make(rki_step *step, rki_family family, const double shape[RKI_SHAPES], double h)
{
    const double tau = exp(shape[0]), part = h / tau, fade = exp(-part);

    memset(step, 0, sizeof *step);
    step->h = h;
    switch (family) {
    case RKI_SECOND:
        make_second(step, shape, h);
        return;
    case RKI_INTEGRATOR:
        step->phi[0][0] = 1.0;
        return;
    case RKI_LAGGING:
        step->phi[0][0] = 1.0;
        step->phi[0][1] = -tau * expm1(-part);
        step->phi[1][1] = fade;
        step->by[0][0][1] = (-tau * expm1(-part)) - (h * fade);
        step->by[0][1][1] = part * fade;
        return;
    default:
        step->phi[0][0] = fade;
        step->by[0][0][0] = part * fade;
        return;
    }
}
