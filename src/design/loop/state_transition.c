/* SPDX-License-Identifier: MIT */
#include "state_transition.h"

#include <math.h>

#include "design/base/elementary.h"

/* (exp(d) - 1) / d, which is 1 at 0. */
static double growth(double d)
{
    return d == 0 ? 1.0 : rki_expm1(d) / d;
}

static rki_transition of_two_lags(const rk_model *m, double h)
{
    /* The slower lag stands last, so that the difference of the exponents is never above 0. */
    const double slow = fmax(m->time_constant[0], m->time_constant[1]);
    const double quick = fmin(m->time_constant[0], m->time_constant[1]);
    rki_transition made = {{{0}}, {0}};

    made.phi[0][0] = rki_exp(-h / slow);
    made.phi[0][1] = rki_exp(-h / slow) * (h / slow) * growth((h / slow) - (h / quick));
    made.phi[1][1] = rki_exp(-h / quick);
    made.gamma[0] = m->gain * (-rki_expm1(-h / slow) - made.phi[0][1]);
    made.gamma[1] = -m->gain * rki_expm1(-h / quick);
    return made;
}

/* The second state is the rate times T, so that both are of one size. */
static rki_transition of_oscillator(const rk_model *m, double h)
{
    const double t = h / m->time_constant[0], z = m->damping;
    const double w = sqrt((1.0 - z) * (1.0 + z));
    const double fade = rki_exp(-z * t);
    rki_transition made = {{{0}}, {0}};
    double s, c;

    rki_sin_cos(w * t, &s, &c);
    s *= fade / w;
    c *= fade;
    made.phi[0][0] = c + (z * s);
    made.phi[0][1] = s;
    made.phi[1][0] = -s;
    made.phi[1][1] = c - (z * s);

    made.gamma[0] = m->gain * (1.0 - made.phi[0][0]);
    made.gamma[1] = m->gain * s;
    return made;
}

rki_transition rki_transition_of_model(const rk_model *m, double h)
{
    const double t = m->time_constant[0];
    rki_transition made = {{{0}}, {0}};

    switch (m->kind) {
    case RK_MODEL_SOPDT:
        return of_two_lags(m, h);
    case RK_MODEL_SOPDT_OSC:
        return of_oscillator(m, h);
    case RK_MODEL_IPDT:
        made.phi[0][0] = 1.0;
        made.gamma[0] = m->gain * h;
        return made;
    case RK_MODEL_IPDT_LAG:
        made.phi[0][0] = 1.0;
        made.phi[0][1] = -t * rki_expm1(-h / t);
        made.phi[1][1] = rki_exp(-h / t);
        made.gamma[0] = m->gain * (h - made.phi[0][1]);
        made.gamma[1] = -m->gain * rki_expm1(-h / t);
        return made;
    default:
        made.phi[0][0] = rki_exp(-h / t);
        made.gamma[0] = -m->gain * rki_expm1(-h / t);
        return made;
    }
}

void rki_transition_rest(const rk_model *model, double u, double x[2])
{
    x[0] = rk_model_kind_integrates(model->kind) ? 0.0 : model->gain * u;
    x[1] = model->kind == RK_MODEL_SOPDT || model->kind == RK_MODEL_IPDT_LAG ? model->gain * u
                                                                             : 0.0;
}
