/* SPDX-License-Identifier: MIT */
#ifndef RKI_DEVICE_PLANT_REST_H
#define RKI_DEVICE_PLANT_REST_H

#include <redkettle/device/plant.h>

/** Of two states the determinant of I - A, else what its first state lacks of 1: not above 0 for an integrator, whose PV has no place of rest. */
static inline rk_real rki_plant_rest(const rk_plant_params *p)
{
    const rk_real c0 = RK_C(1.0) - p->a[0][0], c1 = RK_C(1.0) - p->a[1][1];

    if (p->states > 2) return c0; /* a chain: only its first state may be an integrator */
    return (c0 * c1) - (p->a[0][1] * p->a[1][0]);
}

#endif
