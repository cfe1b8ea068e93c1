/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_RAMP_H
#define REDKETTLE_DEVICE_RAMP_H

#include <redkettle/device/param_error.h>
#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A ramp: its value goes to the target by no more than rate * ts a scan, and ends on it
 * exactly. Plain storage; only the functions below write it.
 */
typedef struct rk_ramp {
    rk_real up, down; /* per scan, in the value's unit, > 0 */
    rk_real value;
} rk_ramp;

/** RK_PARAM_ERROR_NONE, or what rk_ramp_init refuses. */
rk_param_error rk_ramp_param_error(rk_real rate_up, rk_real rate_down, rk_real ts,
                                   rk_real start);

/**
 * Start at a value.
 *
 * Units   rates in the value's unit per s, > 0, infinite: a step; ts in s, > 0.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for what rk_ramp_param_error names.
 */
rk_status rk_ramp_init(rk_ramp *ramp, rk_real rate_up, rk_real rate_down, rk_real ts,
                       rk_real start);

/** Stand at another value at once; not finite: stays. */
void rk_ramp_set(rk_ramp *ramp, rk_real value);

/** One scan towards the target; returns the value. A target that is not finite: it stands. */
rk_real rk_ramp_scan(rk_ramp *ramp, rk_real target);

#ifdef __cplusplus
}
#endif

#endif
