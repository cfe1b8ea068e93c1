/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_FILTER_H
#define REDKETTLE_DEVICE_FILTER_H

#include <stdbool.h>

#include <redkettle/device/param_error.h>
#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A first-order filter, backward Euler:  y = y + ts/(tf+ts) * (x - y). The first good value
 * passes as it is. Plain storage; only the functions below write it.
 */
typedef struct rk_filter {
    rk_real part; /* ts / (tf + ts) */
    rk_real y;
    bool empty; /* nothing has come yet */
} rk_filter;

/** RK_PARAM_ERROR_NONE, or what rk_filter_init refuses. */
rk_param_error rk_filter_param_error(rk_real tf, rk_real ts);

/**
 * Start empty. tf 0: every value passes as it is.
 *
 * Units   tf in s, >= 0; ts in s, > 0.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for what rk_filter_param_error names.
 */
rk_status rk_filter_init(rk_filter *filter, rk_real tf, rk_real ts);

/** One scan; returns y. An x that is not finite is left out; before any other it comes back. */
rk_real rk_filter_scan(rk_filter *filter, rk_real x);

#ifdef __cplusplus
}
#endif

#endif
