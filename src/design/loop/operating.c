/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/model.h>

#include <math.h>
#include <stddef.h>

rk_status rk_operating_compute(const rk_model *model, const rk_limits *limits, double sp,
                               rk_operating *operating, rk_diag *diag)
{
    rk_operating made;
    rk_status status = rk_model_check(model, diag);

    if (status == RK_OK) {
        status = rk_limits_check(limits, diag);
    }
    if (status != RK_OK) return status;
    if (operating == NULL) return RK_ERR_ARG;
    if (!isfinite(sp)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "setpoint %g: give a finite value", sp);
    }
    if (rk_model_kind_integrates(model->kind)) {
        made.pv_low = -HUGE_VAL;
        made.pv_high = HUGE_VAL;
        made.out = model->out0;
    } else {
        const double a = model->pv0 + (model->gain * (limits->low - model->out0));
        const double b = model->pv0 + (model->gain * (limits->high - model->out0));

        made.pv_low = fmin(a, b);
        made.pv_high = fmax(a, b);
        made.out = model->out0 + ((sp - model->pv0) / model->gain);
    }
    made.room_down = made.out - limits->low;
    made.room_up = limits->high - made.out;
    made.holds = made.room_down >= 0 && made.room_up >= 0;
    *operating = made;
    return RK_OK;
}
