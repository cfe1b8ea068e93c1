/* SPDX-License-Identifier: MIT */
#include <redkettle/device/predictor.h>

#include "plant_rest.h"

rk_param_error rk_predictor_param_error(const rk_plant_params *whole,
                                        const rk_plant_params *quick, rk_real out_now)
{
    const rk_param_error error = rk_plant_param_error(whole, out_now);
    const int states = whole->states > 2 ? whole->states : 2;
    int i, j;

    if (error != RK_PARAM_ERROR_NONE) return error;
    if (!(rki_plant_rest(whole) > 0)) return RK_PARAM_ERROR_INTEGRATING_MODEL;
    if (rk_plant_param_error(quick, out_now) != RK_PARAM_ERROR_NONE || quick->delay != 0 ||
        quick->states != whole->states || quick->out0 != whole->out0 ||
        quick->pv0 != whole->pv0) {
        return RK_PARAM_ERROR_MODELS_DIFFER;
    }
    for (i = 0; i < states; i++) {
        for (j = 0; j < states; j++) {
            if (quick->a[i][j] != whole->a[i][j]) return RK_PARAM_ERROR_MODELS_DIFFER;
        }
    }
    return RK_PARAM_ERROR_NONE;
}

rk_status rk_predictor_init(rk_predictor *predictor, const rk_plant_params *whole,
                            const rk_plant_params *quick, rk_real *memory, size_t len,
                            rk_real out_now)
{
    if (predictor == NULL || whole == NULL || quick == NULL || memory == NULL) {
        return RK_ERR_ARG;
    }
    if (rk_predictor_param_error(whole, quick, out_now) != RK_PARAM_ERROR_NONE)
        return RK_ERR_RANGE;
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
