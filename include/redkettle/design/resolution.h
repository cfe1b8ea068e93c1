/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_RESOLUTION_H
#define REDKETTLE_DESIGN_RESOLUTION_H

#include <redkettle/design/model.h>
#include <redkettle/design/settings.h>

/**
 * The smallest error that still moves an integral in single precision:
 *
 *   |kc| ts/ti |e| must be more than half the step between numbers of the size that OUT has.
 *
 * A smaller error is lost in the sum, and PV stays off the setpoint by it. Infinite without
 * integral action.
 *
 * Units   ts in s; out in out-EU, the largest that the integral holds; pv-EU returned.
 * Source  IEEE 754-2019, binary32: 24 digits, to nearest.
 */
double rk_stall_error(const rk_settings *settings, double ts, double out);

/** A cycle that a valve keeps up which moves in jumps, while the integral waits for the next.
 */
typedef struct rk_cycle {
    bool exists;
    double period;    /* s */
    double amplitude; /* of PV about the setpoint, pv-EU */
} rk_cycle;

/**
 * The cycle of a loop whose valve jumps by at least `jump` when OUT is so far from it: the
 * valve is a relay between two places then, and at its jump the sum over the odd harmonics n of
 * Im L(j n w)/n is -pi/4. Without integral action there is none. Fast scans, and no noise.
 *
 * Units   jump in out-EU, > 0: stiction or the resolution of OUT.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check and rk_settings_check, or for
 *         jump.
 * Source  Ya. Z. Tsypkin, Relay Control Systems, Cambridge University Press, 1984, ch. 3.
 */
rk_status rk_cycle_predict(const rk_model *model, const rk_settings *settings, double jump,
                           rk_cycle *cycle, rk_diag *diag);

#endif
