/* SPDX-License-Identifier: MIT */
#include <redkettle/device/plant.h>

#include <stdbool.h>

#include "plant_rest.h"

/* Of two states: both roots within the unit circle, or one at 1 (the Jury conditions; the second
   as a product, so that an integrator's 1 gives 0 in any precision). */
static bool is_sound_pair(const rk_plant_params *p)
{
    const rk_real one = RK_C(1.0);
    const rk_real trace = p->a[0][0] + p->a[1][1];
    const rk_real det = (p->a[0][0] * p->a[1][1]) - (p->a[0][1] * p->a[1][0]);

    return (det < one) && (det > -one) && (rki_plant_rest(p) >= 0) &&
           ((one + trace) + det > 0) && rk_is_finite(p->a[0][1]) && rk_is_finite(p->a[1][0]);
}

/* Of more: what stays of each state is below 1, but for an integrator's. */
static bool is_sound_chain(const rk_plant_params *p)
{
    int i, j;

    for (i = 0; i < p->states; i++) {
        if (!(p->a[i][i] > -RK_C(1.0)) ||
            !(i > 0 ? p->a[i][i] < RK_C(1.0) : p->a[i][i] <= RK_C(1.0))) {
            return false;
        }
        for (j = 0; j < p->states; j++) {
            if (!rk_is_finite(p->a[i][j]) || (j < i && p->a[i][j] != 0)) return false;
        }
    }
    return true;
}

/* Nothing grows. */
static bool is_sound(const rk_plant_params *p)
{
    if (p->states < 0 || p->states > RK_PLANT_STATES) return false;
    return p->states <= 2 ? is_sound_pair(p) : is_sound_chain(p);
}

/* Where a held u leads to, each state; an integrator's PV stays. */
static void rest_pair(const rk_plant_params *p, rk_real u, rk_real x[2])
{
    const rk_real g0 = (p->b0[0] + p->b1[0]) * u, g1 = (p->b0[1] + p->b1[1]) * u;
    const rk_real c0 = RK_C(1.0) - p->a[0][0], c1 = RK_C(1.0) - p->a[1][1];
    const rk_real det = rki_plant_rest(p);

    if (!(det > 0)) {
        x[0] = RK_C(0.0);
        x[1] = g1 / c1;
        return;
    }
    x[0] = ((g0 * c1) + (p->a[0][1] * g1)) / det;
    x[1] = ((g1 * c0) + (p->a[1][0] * g0)) / det;
}

static void rest_at(const rk_plant_params *p, rk_real u, rk_real x[RK_PLANT_STATES])
{
    int i, j;

    for (i = 0; i < RK_PLANT_STATES; i++) {
        x[i] = RK_C(0.0);
    }
    if (p->states <= 2) {
        rest_pair(p, u, x);
        return;
    }
    for (i = p->states; i > 0; i--) {
        const rk_real left = RK_C(1.0) - p->a[i - 1][i - 1];
        rk_real sum = (p->b0[i - 1] + p->b1[i - 1]) * u;

        for (j = i; j < p->states; j++) {
            sum += p->a[i - 1][j] * x[j];
        }
        x[i - 1] = left > 0 ? sum / left : RK_C(0.0);
    }
}

rk_param_error rk_plant_param_error(const rk_plant_params *p, rk_real out_now)
{
    int i;

    if (!is_sound(p)) return RK_PARAM_ERROR_GROWING_MODEL;
    for (i = 0; i < (p->states > 2 ? p->states : 2); i++) {
        if (!rk_is_finite(p->b0[i]) || !rk_is_finite(p->b1[i]))
            return RK_PARAM_ERROR_MODEL_NUMBER;
    }
    if (!rk_is_finite(p->out0) || !rk_is_finite(p->pv0)) return RK_PARAM_ERROR_OPERATING_POINT;
    return rk_is_finite(out_now) ? RK_PARAM_ERROR_NONE : RK_PARAM_ERROR_OUT_NOW;
}

rk_status rk_plant_init(rk_plant *plant, const rk_plant_params *params, rk_real *memory,
                        size_t len, rk_real out_now)
{
    const rk_plant_params *p = params;
    rk_plant made;
    size_t i;

    if (plant == NULL || p == NULL || memory == NULL) return RK_ERR_ARG;
    if (rk_plant_param_error(p, out_now) != RK_PARAM_ERROR_NONE) return RK_ERR_RANGE;
    if (len <= p->delay) return RK_ERR_MEMORY;

    made.params = *p;
    made.memory = memory;
    made.oldest = 0;
    made.u = out_now - p->out0;
    rest_at(p, made.u, made.x);
    for (i = 0; i <= p->delay; i++) {
        memory[i] = made.u;
    }
    *plant = made;
    return RK_OK;
}

rk_real rk_plant_pv(const rk_plant *plant)
{
    return plant->params.pv0 + plant->x[0];
}

/* Of a chain: what comes in first, then the states behind it, its own last. */
static rk_real next_in_chain(const rk_plant_params *p, const rk_real *x, int i, rk_real late,
                             rk_real later)
{
    rk_real sum = (p->b0[i] * late) + (p->b1[i] * later);
    int j;

    for (j = p->states - 1; j > i; j--) {
        sum = sum + (p->a[i][j] * x[j]);
    }
    return sum + (p->a[i][i] * x[i]);
}

rk_real rk_plant_scan(rk_plant *plant, rk_real out)
{
    const rk_plant_params *p = &plant->params;
    rk_real late, later; /* u(k - delay) and u(k - delay - 1) */
    int i;

    if (rk_is_finite(out)) {
        plant->u = out - p->out0;
    }

    /* The ring holds u(k-1) .. u(k-delay-1); its oldest entry makes room for u(k). */
    later = plant->memory[plant->oldest];
    plant->memory[plant->oldest] = plant->u;
    plant->oldest = (plant->oldest == p->delay) ? 0 : plant->oldest + 1;
    late = plant->memory[plant->oldest];

    if (p->states <= 2) {
        const rk_real x0 = plant->x[0], x1 = plant->x[1];

        plant->x[0] =
            (((p->b0[0] * late) + (p->b1[0] * later)) + (p->a[0][1] * x1)) + (p->a[0][0] * x0);
        plant->x[1] =
            (((p->b0[1] * late) + (p->b1[1] * later)) + (p->a[1][0] * x0)) + (p->a[1][1] * x1);
        return rk_plant_pv(plant);
    }
    for (i = 0; i < p->states; i++) { /* no state feeds one behind it: none is needed again */
        plant->x[i] = next_in_chain(p, plant->x, i, late, later);
    }
    return rk_plant_pv(plant);
}
