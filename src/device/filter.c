/* SPDX-License-Identifier: MIT */
#include <redkettle/device/filter.h>

#include <stddef.h>

rk_param_error rk_filter_param_error(rk_real tf, rk_real ts)
{
    if (!(ts > 0) || !rk_is_finite(ts)) return RK_PARAM_ERROR_TS;
    return (tf >= 0) && rk_is_finite(tf) ? RK_PARAM_ERROR_NONE : RK_PARAM_ERROR_TF;
}

rk_status rk_filter_init(rk_filter *filter, rk_real tf, rk_real ts)
{
    if (filter == NULL) return RK_ERR_ARG;
    if (rk_filter_param_error(tf, ts) != RK_PARAM_ERROR_NONE) return RK_ERR_RANGE;
    filter->part = tf > 0 ? ts / (tf + ts) : RK_C(1.0);
    filter->y = RK_C(0.0);
    filter->empty = true;
    return RK_OK;
}

rk_real rk_filter_scan(rk_filter *filter, rk_real x)
{
    const rk_real y = filter->y + (filter->part * (x - filter->y));

    if (!rk_is_finite(x)) return filter->empty ? x : filter->y;
    if (filter->empty || filter->part == RK_C(1.0)) {
        filter->y = x;
    } else if (rk_is_finite(y)) { /* x - y can be too large for a number */
        filter->y = y;
    }
    filter->empty = false;
    return filter->y;
}
