/* SPDX-License-Identifier: MIT */
#include <redkettle/device/flaw.h>

const char *rk_flaw_text(rk_flaw flaw)
{
    static const char *const texts[RK_FLAWS] = {
        [RK_FLAW_NONE] = "nothing is wrong",
        [RK_FLAW_TS] = "ts: the scan interval must be a time above 0 s",
        [RK_FLAW_KC] = "kc: the controller gain must be a number other than 0",
        [RK_FLAW_TI] = "ti: the integral time must be at least the scan interval",
        [RK_FLAW_TD] = "td: the derivative time must be 0 s or more",
        [RK_FLAW_TF] = "tf: the filter time must be 0 s or more",
        [RK_FLAW_TT] = "tt: the tracking time must be at least the scan interval",
        [RK_FLAW_WEIGHT] = "sp_weight, d_sp_weight: a setpoint weight must be from 0 to 1",
        [RK_FLAW_ANTI_WINDUP] = "anti_windup: there is no such way",
        [RK_FLAW_DEADBAND] = "deadband: must be 0 or more",
        [RK_FLAW_OUT_LIMITS] = "out_lo, out_hi: must be numbers, out_lo below out_hi",
        [RK_FLAW_OUT_RATE] = "out_rate: must be above 0",
        [RK_FLAW_OUT_NOW] = "out_now: must be within out_lo to out_hi",
        [RK_FLAW_I_LIMITS] = "i_lo, i_hi: i_lo must be below i_hi",
        [RK_FLAW_BIAS] = "bias: must be a number, and tt its time",
        [RK_FLAW_OUT_SAFE] = "out_safe: must be within out_lo to out_hi",
        [RK_FLAW_SP_LIMITS] = "sp_lo, sp_hi: sp_lo must be below sp_hi",
        [RK_FLAW_SP_RATE] = "sp_rate: must be above 0",
        [RK_FLAW_PV_RANGE] = "pv_lo, pv_hi: pv_lo must be below pv_hi",
        [RK_FLAW_GROWING_MODEL] = "a: the model must not grow by itself",
        [RK_FLAW_MODEL_NUMBER] = "a, b0, b1: must be numbers",
        [RK_FLAW_OPERATING_POINT] = "out0, pv0: must be numbers",
        [RK_FLAW_MODELS_DIFFER] = "quick: must be the whole model without its dead time",
        [RK_FLAW_INTEGRATING_MODEL] =
            "whole: an integrating model cannot be predicted this way",
        [RK_FLAW_RATE] = "rate: must be above 0",
        [RK_FLAW_START] = "start: must be a number",
        [RK_FLAW_AMPLITUDE] = "amplitude: must be above 0 and stay within out_lo to out_hi",
        [RK_FLAW_HYSTERESIS] = "hysteresis: must be 0 or more",
        [RK_FLAW_CYCLES] = "cycles: must be from 1 to 100",
        [RK_FLAW_PATIENCE] = "patience: must be a time above 0 s",
        [RK_FLAW_PERIOD] = "period: must be at least two scans, at most 1,000,000 of them",
        [RK_FLAW_LEAST_TIMES] = "least_on, least_off: 0 s or more, together at most the period",
        [RK_FLAW_ALARM] = "alarm: limits must be numbers in order, times 0 s or more",
        [RK_FLAW_SETPOINT] = "sp: must be a number",
        [RK_FLAW_SCHEME] = "scheme: velocity needs ti, a trapezoid derivative tf >= ts / 2",
    };

    return (unsigned)flaw < RK_FLAWS ? texts[flaw] : "no such flaw";
}
