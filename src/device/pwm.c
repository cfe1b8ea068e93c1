/* SPDX-License-Identifier: MIT */
#include <redkettle/device/pwm.h>

#include <stddef.h>

#include "scans.h"

#define PERIOD_LEAST RK_C(2.0)
#define PERIOD_MOST RK_C(1.0e6)

/* A time in scans, to the nearest. */
static long nearest(rk_real time, rk_real ts)
{
    return (long)((time / ts) + RK_C(0.5));
}

rk_param_error rk_pwm_param_error(const rk_pwm_params *p)
{
    if (!(p->ts > 0) || !rk_is_finite(p->ts)) return RK_PARAM_ERROR_TS;
    if (!(p->period / p->ts >= PERIOD_LEAST) || !(p->period / p->ts <= PERIOD_MOST)) {
        return RK_PARAM_ERROR_PERIOD;
    }
    if (!(p->least_on >= 0) || !(p->least_off >= 0) || !(p->least_on <= p->period) ||
        !(p->least_off <= p->period)) {
        return RK_PARAM_ERROR_LEAST_TIMES;
    }
    return rki_scans_not_shorter(p->least_on, p->ts) +
                       rki_scans_not_shorter(p->least_off, p->ts) <=
                   nearest(p->period, p->ts)
               ? RK_PARAM_ERROR_NONE
               : RK_PARAM_ERROR_LEAST_TIMES;
}

rk_status rk_pwm_init(rk_pwm *block, const rk_pwm_params *params)
{
    if (block == NULL || params == NULL) return RK_ERR_ARG;
    if (rk_pwm_param_error(params) != RK_PARAM_ERROR_NONE) return RK_ERR_RANGE;
    block->period = nearest(params->period, params->ts);
    block->least_on = rki_scans_not_shorter(params->least_on, params->ts);
    block->least_off = rki_scans_not_shorter(params->least_off, params->ts);
    block->at = 0;
    block->on_for = 0;
    block->carried = RK_C(0.0);
    return RK_OK;
}

static void start_period(rk_pwm *block, rk_real duty)
{
    const rk_real whole = (rk_real)block->period;
    rk_real owed;
    long on;

    if (!rk_is_finite(duty)) {
        block->on_for = 0;
        block->carried = RK_C(0.0);
        return;
    }
    owed = (rk_clamp(duty, RK_C(0.0), RK_C(1.0)) * whole) + block->carried;
    on = (long)(rk_clamp(owed, RK_C(0.0), whole) + RK_C(0.5));
    /* Too short to switch for: all of it later, or the pause left out. */
    if (on < block->least_on) {
        on = 0;
    } else if (block->period - on < block->least_off) {
        on = block->period;
    }
    block->on_for = on;
    block->carried = rk_clamp(owed - (rk_real)on, -whole, whole);
}

bool rk_pwm_scan(rk_pwm *block, rk_real duty)
{
    bool on;

    if (block->at == 0) {
        start_period(block, duty);
    }
    on = block->at < block->on_for;
    block->at = block->at + 1 == block->period ? 0 : block->at + 1;
    return on;
}
