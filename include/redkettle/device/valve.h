/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_VALVE_H
#define REDKETTLE_DEVICE_VALVE_H

#include <stdbool.h>

#include <redkettle/device/param_error.h>
#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What a real valve does to its output; all zero: it is where OUT is. */
typedef struct rk_valve_params {
    rk_real stroke;   /* the farthest in a scan, out-EU, >= 0; 0: any distance */
    rk_real backlash; /* its play when it turns round, out-EU, >= 0 */
    rk_real stiction; /* a smaller distance does not move it, out-EU, >= 0 */
} rk_valve_params;

/**
 * A control valve as a block of a plant: its drive goes to what was written, at its rate, once
 * the distance overcomes stiction; the plug follows when the play is used up. Plain storage;
 * only the functions below write it.
 */
typedef struct rk_valve {
    rk_valve_params params;
    rk_real stem;  /* where the drive stands, out-EU */
    rk_real place; /* what the plug gives the plant, out-EU */
    bool stroking; /* the drive is on its way */
} rk_valve;

/** RK_PARAM_ERROR_NONE, or what rk_valve_init refuses. */
rk_param_error rk_valve_param_error(const rk_valve_params *params, rk_real start);

/**
 * Start at rest at a place, out-EU.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for what rk_valve_param_error names.
 */
rk_status rk_valve_init(rk_valve *valve, const rk_valve_params *params, rk_real start);

/** One scan after OUT was written; returns the place. An out that is not finite: it stands. */
rk_real rk_valve_scan(rk_valve *valve, rk_real out);

#ifdef __cplusplus
}
#endif

#endif
