/* SPDX-License-Identifier: MIT */
#include <redkettle/device/param_error.h>

const char *rk_param_error_text(rk_param_error error)
{
    static const char *const texts[RK_FLAWS] = {
        [RK_PARAM_ERROR_NONE] = "nothing is wrong",
        [RK_PARAM_ERROR_TS] = "ts: the scan interval must be a time above 0 s",
        [RK_PARAM_ERROR_KC] = "kc: the controller gain must be a number other than 0",
        [RK_PARAM_ERROR_TI] = "ti: the integral time must be at least the scan interval",
        [RK_PARAM_ERROR_TD] = "td: the derivative time must be 0 s or more",
        [RK_PARAM_ERROR_TF] = "tf: the filter time must be 0 s or more",
        [RK_PARAM_ERROR_TT] = "tt: the tracking time must be at least the scan interval",
        [RK_PARAM_ERROR_WEIGHT] =
            "sp_weight, d_sp_weight: a setpoint weight must be from 0 to 1",
        [RK_PARAM_ERROR_ANTI_WINDUP] = "anti_windup: there is no such way",
        [RK_PARAM_ERROR_DEADBAND] = "deadband: must be 0 or more",
        [RK_PARAM_ERROR_OUT_LIMITS] = "out_lo, out_hi: must be numbers, out_lo below out_hi",
        [RK_PARAM_ERROR_OUT_RATE] = "out_rate: must be above 0",
        [RK_PARAM_ERROR_OUT_NOW] = "out_now: must be within out_lo to out_hi",
        [RK_PARAM_ERROR_I_LIMITS] = "i_lo, i_hi: i_lo must be below i_hi",
        [RK_PARAM_ERROR_BIAS] = "bias: must be a number, and tt its time",
        [RK_PARAM_ERROR_OUT_SAFE] = "out_safe: must be within out_lo to out_hi",
        [RK_PARAM_ERROR_SP_LIMITS] = "sp_lo, sp_hi: sp_lo must be below sp_hi",
        [RK_PARAM_ERROR_SP_RATE] = "sp_rate: must be above 0",
        [RK_PARAM_ERROR_PV_RANGE] = "pv_lo, pv_hi: pv_lo must be below pv_hi",
        [RK_PARAM_ERROR_GROWING_MODEL] = "a: the model must not grow by itself",
        [RK_PARAM_ERROR_MODEL_NUMBER] = "a, b0, b1: must be numbers",
        [RK_PARAM_ERROR_OPERATING_POINT] = "out0, pv0: must be numbers",
        [RK_PARAM_ERROR_MODELS_DIFFER] = "quick: must be the whole model without its dead time",
        [RK_PARAM_ERROR_INTEGRATING_MODEL] =
            "whole: an integrating model cannot be predicted this way",
        [RK_PARAM_ERROR_RATE] = "rate: must be above 0",
        [RK_PARAM_ERROR_START] = "start: must be a number",
        [RK_PARAM_ERROR_AMPLITUDE] =
            "amplitude: must be above 0 and stay within out_lo to out_hi",
        [RK_PARAM_ERROR_HYSTERESIS] = "hysteresis: must be 0 or more",
        [RK_PARAM_ERROR_CYCLES] = "cycles: must be from 1 to 100",
        [RK_PARAM_ERROR_PATIENCE] = "patience: must be a time above 0 s",
        [RK_PARAM_ERROR_PERIOD] =
            "period: must be at least two scans, at most 1,000,000 of them",
        [RK_PARAM_ERROR_LEAST_TIMES] =
            "least_on, least_off: 0 s or more, together at most the period",
        [RK_PARAM_ERROR_ALARM] = "alarm: limits must be numbers in order, times 0 s or more",
        [RK_PARAM_ERROR_SETPOINT] = "sp: must be a number",
        [RK_PARAM_ERROR_SCHEME] =
            "scheme: velocity needs ti, a trapezoid derivative tf >= ts / 2",
    };

    return (unsigned)error < RK_FLAWS ? texts[error] : "no such error";
}
