/* SPDX-License-Identifier: MIT */
#include <redkettle/device/on_off.h>

#include <limits.h>
#include <stddef.h>

#include "scans.h"

rk_param_error rk_on_off_param_error(const rk_on_off_params *p)
{
    if (!(p->ts > 0) || !rk_is_finite(p->ts)) return RK_PARAM_ERROR_TS;
    if (!(p->hysteresis >= 0) || !rk_is_finite(p->hysteresis)) return RK_PARAM_ERROR_HYSTERESIS;
    if (!(p->least_on >= 0) || !(p->least_on / p->ts <= RKI_SCANS_MOST))
        return RK_PARAM_ERROR_LEAST_TIMES;
    if (!(p->least_off >= 0) || !(p->least_off / p->ts <= RKI_SCANS_MOST)) {
        return RK_PARAM_ERROR_LEAST_TIMES;
    }
    return RK_PARAM_ERROR_NONE;
}

rk_status rk_on_off_init(rk_on_off *block, const rk_on_off_params *params, bool on_now)
{
    if (block == NULL || params == NULL) return RK_ERR_ARG;
    if (rk_on_off_param_error(params) != RK_PARAM_ERROR_NONE) return RK_ERR_RANGE;
    block->hysteresis = params->hysteresis;
    block->direct = params->direct;
    block->bad_on = params->bad_on;
    block->on = on_now;
    block->least_on = rki_scans_not_shorter(params->least_on, params->ts);
    block->least_off = rki_scans_not_shorter(params->least_off, params->ts);
    block->since = LONG_MAX;
    return RK_OK;
}

/* What sp and pv ask for; within the hysteresis it stays. */
static bool wanted(const rk_on_off *block, rk_real sp, rk_real pv)
{
    if (!rk_is_finite(sp) || !rk_is_finite(pv)) return block->bad_on;
    if (pv > sp + block->hysteresis) return block->direct;
    if (pv < sp - block->hysteresis) return !block->direct;
    return block->on;
}

bool rk_on_off_scan(rk_on_off *block, rk_real sp, rk_real pv)
{
    const bool on = wanted(block, sp, pv);

    if (on != block->on && block->since >= (block->on ? block->least_on : block->least_off)) {
        block->on = on;
        block->since = 0;
    }
    if (block->since < LONG_MAX) {
        block->since++;
    }
    return block->on;
}
