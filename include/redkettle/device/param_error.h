/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_FLAW_H
#define REDKETTLE_DEVICE_FLAW_H

#ifdef __cplusplus
extern "C" {
#endif

/**
 * What is wrong with a block's parameters: each block's `_param_error` call names the first one, and
 * its `_init` refuses them for the same reason with RK_ERR_RANGE.
 */
typedef enum rk_param_error {
    RK_PARAM_ERROR_NONE = 0,
    RK_PARAM_ERROR_TS,
    RK_PARAM_ERROR_KC,
    RK_PARAM_ERROR_TI,
    RK_PARAM_ERROR_TD,
    RK_PARAM_ERROR_TF,
    RK_PARAM_ERROR_TT,
    RK_PARAM_ERROR_WEIGHT,
    RK_PARAM_ERROR_ANTI_WINDUP,
    RK_PARAM_ERROR_DEADBAND,
    RK_PARAM_ERROR_OUT_LIMITS,
    RK_PARAM_ERROR_OUT_RATE,
    RK_PARAM_ERROR_OUT_NOW,
    RK_PARAM_ERROR_I_LIMITS,
    RK_PARAM_ERROR_BIAS,
    RK_PARAM_ERROR_OUT_SAFE,
    RK_PARAM_ERROR_SP_LIMITS,
    RK_PARAM_ERROR_SP_RATE,
    RK_PARAM_ERROR_PV_RANGE,
    RK_PARAM_ERROR_GROWING_MODEL,
    RK_PARAM_ERROR_MODEL_NUMBER,
    RK_PARAM_ERROR_OPERATING_POINT,
    RK_PARAM_ERROR_MODELS_DIFFER,
    RK_PARAM_ERROR_INTEGRATING_MODEL,
    RK_PARAM_ERROR_RATE,
    RK_PARAM_ERROR_START,
    RK_PARAM_ERROR_AMPLITUDE,
    RK_PARAM_ERROR_HYSTERESIS,
    RK_PARAM_ERROR_CYCLES,
    RK_PARAM_ERROR_PATIENCE,
    RK_PARAM_ERROR_PERIOD,
    RK_PARAM_ERROR_LEAST_TIMES,
    RK_PARAM_ERROR_ALARM,
    RK_PARAM_ERROR_SETPOINT,
    RK_PARAM_ERROR_SCHEME,
    RK_FLAWS /* how many there are */
} rk_param_error;

/** The parameter and what it must be, for a message: "ti: must be at least the scan interval".
 */
const char *rk_param_error_text(rk_param_error error);

#ifdef __cplusplus
}
#endif

#endif
