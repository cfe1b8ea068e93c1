/* SPDX-License-Identifier: MIT */
#include <math.h>

#include <redkettle/design/margins/margins.h>

#include "controller.h"

/* A range of the one model. */
static void of_one(const rk_model *model, rk_model_set *set)
{
    set->over = RK_OVER_WORST;
    set->count = 1;
    set->model[0] = *model;
}

rk_status rki_kc_range(const rk_design *loop, double kc[2], bool *over_region, rk_diag *diag)
{
    rk_sampling room;
    const rk_sampling *sampling = rk_design_sampling(loop, &room);
    rk_model_set set;
    rk_status status;

    kc[0] = kc[1] = nan("");
    *over_region = false;
    if (!loop->has_model || rk_settings_is_on_off(&loop->settings)) return RK_OK;
    if (rk_model_set_from_covariance(&loop->model, &loop->covariance, RK_OVER_WORST, &set,
                                     NULL) == RK_OK) {
        if (loop->has_process) {
            rk_model_set_take_process(&set, &loop->model, &loop->process);
        }
        status = rk_worst_kc_compute(&set, &loop->settings, sampling, kc, diag);
        if (status != RK_OK) return status;
        *over_region = !isnan(kc[0]);
    }
    if (*over_region) return RK_OK;
    of_one(rk_design_process(loop), &set);
    status = rk_worst_kc_compute(&set, &loop->settings, sampling, kc, diag);
    if (status == RK_ERR_RANGE && loop->settings.predictor) {
        rk_diag_clear(diag); /* a predictor's range that cannot be computed is not known */
        return RK_OK;
    }
    return status;
}
