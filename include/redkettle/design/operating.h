/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_OPERATING_H
#define REDKETTLE_DESIGN_OPERATING_H

#include <redkettle/design/model.h>
#include <redkettle/design/settings.h>

/** What the valve can hold; of an integrator any PV, as long as it can take up the load. */
typedef struct rk_operating {
    double pv_low, pv_high; /* that the limits of OUT reach, pv-EU; an integrator's: infinite */
    double out;             /* that holds the setpoint, out-EU */
    double room_down,
        room_up; /* what OUT has left there for a load, out-EU, >= 0 if it holds */
    bool holds;  /* is `out` within the limits? */
} rk_operating;

/**
 * At a setpoint, from the model's operating point.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check and rk_limits_check, or for a
 *         setpoint not finite.
 */
rk_status rk_operating_find(const rk_model *model, const rk_limits *limits, double sp,
                            rk_operating *operating, rk_diag *diag);

#endif
