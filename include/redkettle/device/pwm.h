/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_DUTY_H
#define REDKETTLE_DEVICE_DUTY_H

#include <stdbool.h>

#include <redkettle/device/param_error.h>
#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A time-proportioned output: in each period it is on for the part that the duty says, and off
 * for the rest, for valves and contactors that can only be switched. What a whole number of
 * scans or a least time cannot give is carried into the next period, so that the duty holds on
 * average.
 */
typedef struct rk_pwm_params {
    rk_real ts;        /* scan interval, s, > 0 */
    rk_real period;    /* s, 2 to 1,000,000 scans */
    rk_real least_on;  /* s, >= 0: not on for less */
    rk_real least_off; /* s, >= 0: not off for less; both together at most the period */
} rk_pwm_params;

/** Plain storage; only the functions below write it. */
typedef struct rk_pwm {
    long period, least_on, least_off; /* scans */
    long at, on_for;                  /* scans into this period; on for so many of them */
    rk_real carried;                  /* scans that are owed, within a period to each side */
} rk_pwm;

/** RK_PARAM_ERROR_NONE, or what rk_pwm_init refuses. */
rk_param_error rk_pwm_param_error(const rk_pwm_params *params);

/**
 * Start with a new period at the first scan.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for what rk_pwm_param_error names.
 */
rk_status rk_pwm_init(rk_pwm *block, const rk_pwm_params *params);

/**
 * One scan; returns whether it is on. duty: 0 to 1, beyond is limited, read at the start of
 * each period; not finite: off for that period, and nothing is carried.
 */
bool rk_pwm_scan(rk_pwm *block, rk_real duty);

#ifdef __cplusplus
}
#endif

#endif
