/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_STEP_H
#define RKI_DESIGN_FIT_FIT_STEP_H

#include <redkettle/design/loop/model.h>

/**
 * The families that a fit moves in, and what shapes them: ln T and, of the second order, ln
 * damping, which runs smoothly from oscillation (damping below 1) to two lags (above).
 */
typedef enum rki_family {
    RKI_FIRST = 0,  /* fopdt: [ln T] */
    RKI_SECOND = 1, /* sopdt and sopdt-osc: [ln T, ln damping], T^2 s^2 + 2 damping T s + 1 */
    RKI_INTEGRATOR = 2, /* ipdt: nothing */
    RKI_LAGGING = 3,    /* ipdt-lag: [ln T] */
} rki_family;

enum { RKI_SHAPES = 2 };

int rki_family_shapes(rki_family family);
rki_family rki_family_of(rk_model_kind kind);

/**
 * How a family's state v moves in a time h: v becomes phi v, with the derivatives of phi by the
 * shape. A self-regulating process: v[0] is x - u, v[1] is T dx/dt. RKI_LAGGING: v[0] is x but
 * for the ramp of u, v[1] is the rate less u. RKI_INTEGRATOR: v[0] alone.
 */
typedef struct rki_step {
    double h;
    double phi[2][2];
    double by[RKI_SHAPES][2][2];
} rki_step;

void rki_step_make(rki_step *step, rki_family family, const double shape[RKI_SHAPES], double h);

/** Does it integrate? */
bool rki_family_integrates(rki_family family);

/** Steps whose lengths differ by less than this part are the same. */
#define RKI_SAME 1e-9

#endif
