/* SPDX-License-Identifier: MIT */
#include <redkettle/device/plant.h>

rk_status rk_plant_init(rk_plant *plant, const rk_plant_params *params, rk_real *memory,
                        size_t len, rk_real out_now)
{
    const rk_plant_params *p = params;
    rk_plant made;
    size_t i;

    if (plant == NULL || p == NULL || memory == NULL) return RK_ERR_ARG;
    if (!(p->a >= 0) || !(p->a < 1)) return RK_ERR_RANGE;
    if (!rk_is_finite(p->b0) || !rk_is_finite(p->b1)) return RK_ERR_RANGE;
    if (!rk_is_finite(p->out0) || !rk_is_finite(p->pv0)) return RK_ERR_RANGE;
    if (!rk_is_finite(out_now)) return RK_ERR_RANGE;
    if (len <= p->delay) return RK_ERR_MEMORY;

    made.params = *p;
    made.memory = memory;
    made.oldest = 0;
    made.u = out_now - p->out0;
    made.x = ((p->b0 + p->b1) * made.u) / (RK_C(1.0) - p->a);
    for (i = 0; i <= p->delay; i++) {
        memory[i] = made.u;
    }
    *plant = made;
    return RK_OK;
}

rk_real rk_plant_pv(const rk_plant *plant)
{
    return plant->params.pv0 + plant->x;
}

rk_real rk_plant_scan(rk_plant *plant, rk_real out)
{
    const rk_plant_params *p = &plant->params;
    rk_real late, later; /* u(k - delay) and u(k - delay - 1) */

    if (rk_is_finite(out)) {
        plant->u = out - p->out0;
    }

    /* The ring holds u(k-1) .. u(k-delay-1); its oldest entry makes room for u(k). */
    later = plant->memory[plant->oldest];
    plant->memory[plant->oldest] = plant->u;
    plant->oldest = (plant->oldest == p->delay) ? 0 : plant->oldest + 1;
    late = plant->memory[plant->oldest];

    plant->x = (p->a * plant->x) + ((p->b0 * late) + (p->b1 * later));
    return rk_plant_pv(plant);
}
