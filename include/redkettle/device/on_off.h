/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_ON_OFF_H
#define REDKETTLE_DEVICE_ON_OFF_H

#include <stdbool.h>

#include <redkettle/device/param_error.h>
#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/** On/off control with hysteresis, for what can only be switched. */
typedef struct rk_on_off_params {
    rk_real ts;         /* scan interval, s, > 0 */
    rk_real hysteresis; /* pv-EU, >= 0: switches when pv is this far beyond sp, each side */
    bool direct;        /* on when pv is above sp (cooling); else on when below */
    rk_real least_on;   /* s, >= 0: stays on at least so long */
    rk_real least_off;  /* s, >= 0: stays off at least so long */
    bool bad_on;        /* without a good pv: on; else off. The least times hold there too */
} rk_on_off_params;

/** Plain storage; only the functions below write it. */
typedef struct rk_on_off {
    rk_real hysteresis;
    bool direct, bad_on, on;
    long least_on, least_off, since; /* scans; since the last switch */
} rk_on_off;

/** RK_PARAM_ERROR_NONE, or what rk_on_off_init refuses. */
rk_param_error rk_on_off_param_error(const rk_on_off_params *params);

/**
 * Start as it stands now; the first scan may switch.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for what rk_on_off_param_error names.
 */
rk_status rk_on_off_init(rk_on_off *block, const rk_on_off_params *params, bool on_now);

/** One scan; returns whether it is on. */
bool rk_on_off_scan(rk_on_off *block, rk_real sp, rk_real pv);

#ifdef __cplusplus
}
#endif

#endif
