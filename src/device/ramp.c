/* SPDX-License-Identifier: MIT */
#include <redkettle/device/ramp.h>

#include <stddef.h>

rk_param_error rk_ramp_param_error(rk_real rate_up, rk_real rate_down, rk_real ts,
                                   rk_real start)
{
    if (!(ts > 0) || !rk_is_finite(ts)) return RK_PARAM_ERROR_TS;
    if (!(rate_up > 0) || !(rate_down > 0)) return RK_PARAM_ERROR_RATE;
    return rk_is_finite(start) ? RK_PARAM_ERROR_NONE : RK_PARAM_ERROR_START;
}

rk_status rk_ramp_init(rk_ramp *ramp, rk_real rate_up, rk_real rate_down, rk_real ts,
                       rk_real start)
{
    if (ramp == NULL) return RK_ERR_ARG;
    if (rk_ramp_param_error(rate_up, rate_down, ts, start) != RK_PARAM_ERROR_NONE)
        return RK_ERR_RANGE;
    ramp->up = rate_up * ts;
    ramp->down = rate_down * ts;
    ramp->value = start;
    return RK_OK;
}

void rk_ramp_set(rk_ramp *ramp, rk_real value)
{
    if (rk_is_finite(value)) {
        ramp->value = value;
    }
}

rk_real rk_ramp_scan(rk_ramp *ramp, rk_real target)
{
    if (rk_is_finite(target)) {
        ramp->value = rk_clamp(target, ramp->value - ramp->down, ramp->value + ramp->up);
    }
    return ramp->value;
}
