/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_FLAW_H
#define REDKETTLE_DEVICE_FLAW_H

/**
 * What is wrong with a block's parameters: each block's `_flaw` call names the first one, and
 * its
 * `_init` refuses them for the same reason with RK_ERR_RANGE.
 */
typedef enum rk_flaw {
    RK_FLAW_NONE = 0,
    RK_FLAW_TS,
    RK_FLAW_KC,
    RK_FLAW_TI,
    RK_FLAW_TD,
    RK_FLAW_TF,
    RK_FLAW_TT,
    RK_FLAW_WEIGHT,
    RK_FLAW_ANTI_WINDUP,
    RK_FLAW_DEADBAND,
    RK_FLAW_OUT_LIMITS,
    RK_FLAW_OUT_RATE,
    RK_FLAW_OUT_NOW,
    RK_FLAW_I_LIMITS,
    RK_FLAW_BIAS,
    RK_FLAW_OUT_SAFE,
    RK_FLAW_SP_LIMITS,
    RK_FLAW_SP_RATE,
    RK_FLAW_PV_RANGE,
    RK_FLAW_GROWING_MODEL,
    RK_FLAW_MODEL_NUMBER,
    RK_FLAW_OPERATING_POINT,
    RK_FLAW_MODELS_DIFFER,
    RK_FLAW_INTEGRATING_MODEL,
    RK_FLAW_RATE,
    RK_FLAW_START,
    RK_FLAW_AMPLITUDE,
    RK_FLAW_HYSTERESIS,
    RK_FLAW_CYCLES,
    RK_FLAW_PATIENCE,
    RK_FLAW_PERIOD,
    RK_FLAW_LEAST_TIMES,
    RK_FLAW_ALARM,
    RK_FLAW_SETPOINT,
    RK_FLAW_SCHEME,
    RK_FLAWS /* how many there are */
} rk_flaw;

/** The parameter and what it must be, for a message: "ti: must be at least the scan interval".
 */
const char *rk_flaw_text(rk_flaw flaw);

#endif
