/* SPDX-License-Identifier: MIT */
#include <redkettle/device/predictor.h>

#include "plant_rest.h"

rk_flaw rk_predictor_flaw(const rk_plant_params *whole, const rk_plant_params *quick,
                          rk_real out_now)
{
    const rk_flaw flaw = rk_plant_flaw(whole, out_now);
    int i, j;

    if (flaw != RK_FLAW_NONE) return flaw;
    if (!(rki_plant_rest(whole) > 0)) return RK_FLAW_INTEGRATING_MODEL;
    if (rk_plant_flaw(quick, out_now) != RK_FLAW_NONE || quick->delay != 0 ||
        quick->out0 != whole->out0 || quick->pv0 != whole->pv0) {
        return RK_FLAW_MODELS_DIFFER;
    }
    for (i = 0; i < 2; i++) {
        for (j = 0; j < 2; j++) {
            if (quick->a[i][j] != whole->a[i][j]) return RK_FLAW_MODELS_DIFFER;
        }
    }
    return RK_FLAW_NONE;
}

rk_status rk_predictor_init(rk_predictor *predictor, const rk_plant_params *whole,
                            const rk_plant_params *quick, rk_real *memory, size_t len,
                            rk_real out_now)
{
    if (predictor == NULL || whole == NULL || quick == NULL || memory == NULL) {
        return RK_ERR_ARG;
    }
    if (rk_predictor_flaw(whole, quick, out_now) != RK_FLAW_NONE) return RK_ERR_RANGE;
    if (len < 2 || len - 2 < whole->delay) return RK_ERR_MEMORY;
    (void)rk_plant_init(&predictor->quick, quick, memory, 1, out_now);
    (void)rk_plant_init(&predictor->whole, whole, memory + 1, len - 1, out_now);
    return RK_OK;
}

rk_real rk_predictor_scan(rk_predictor *predictor, rk_real pv, rk_real out)
{
    const rk_real quick = rk_plant_scan(&predictor->quick, out);
    const rk_real whole = rk_plant_scan(&predictor->whole, out);

    return quick + (pv - whole);
}
