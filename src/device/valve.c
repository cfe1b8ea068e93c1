/* SPDX-License-Identifier: MIT */
#include <redkettle/device/valve.h>

#include <stddef.h>

rk_param_error rk_valve_param_error(const rk_valve_params *p, rk_real start)
{
    if (!(p->stroke >= 0)) return RK_PARAM_ERROR_RATE;
    if (!(p->backlash >= 0) || !(p->stiction >= 0)) return RK_PARAM_ERROR_HYSTERESIS;
    return rk_is_finite(start) ? RK_PARAM_ERROR_NONE : RK_PARAM_ERROR_START;
}

rk_status rk_valve_init(rk_valve *valve, const rk_valve_params *params, rk_real start)
{
    if (valve == NULL || params == NULL) return RK_ERR_ARG;
    if (rk_valve_param_error(params, start) != RK_PARAM_ERROR_NONE) return RK_ERR_RANGE;
    valve->params = *params;
    valve->stem = valve->place = start;
    valve->stroking = false;
    return RK_OK;
}

static void drive(rk_valve *v, rk_real out)
{
    const rk_real stroke = v->params.stroke;
    rk_real way = out - v->stem;

    if (!v->stroking && way < v->params.stiction && -way < v->params.stiction) return;
    v->stroking = true;
    if (stroke > 0 && way > stroke) {
        way = stroke;
    }
    if (stroke > 0 && way < -stroke) {
        way = -stroke;
    }
    if (way == out - v->stem) {
        v->stem = out;
        v->stroking = false;
    } else {
        v->stem += way;
    }
}

rk_real rk_valve_scan(rk_valve *valve, rk_real out)
{
    const rk_real half = valve->params.backlash / RK_C(2.0);

    if (rk_is_finite(out)) {
        drive(valve, out);
    }
    if (valve->stem - half > valve->place) {
        valve->place = valve->stem - half;
    }
    if (valve->stem + half < valve->place) {
        valve->place = valve->stem + half;
    }
    return valve->place;
}
