/* SPDX-License-Identifier: MIT */
#include <redkettle/rig/rig.h>

const rk_rig_pin rk_rig_setting_pins[] = {
    {"scan", RK_RIG_REAL, offsetof(rk_rig_settings, scan)},
    {"kc", RK_RIG_REAL, offsetof(rk_rig_settings, kc)},
    {"ti", RK_RIG_REAL, offsetof(rk_rig_settings, ti)},
    {"td", RK_RIG_REAL, offsetof(rk_rig_settings, td)},
    {"tf", RK_RIG_REAL, offsetof(rk_rig_settings, tf)},
    {"sp_weight", RK_RIG_REAL, offsetof(rk_rig_settings, sp_weight)},
    {"d_sp_weight", RK_RIG_REAL, offsetof(rk_rig_settings, d_sp_weight)},
    {"deadband", RK_RIG_REAL, offsetof(rk_rig_settings, deadband)},
    {"tracking_time", RK_RIG_REAL, offsetof(rk_rig_settings, tracking_time)},
    {"anti_windup", RK_RIG_INT, offsetof(rk_rig_settings, anti_windup)},
    {"integral_by", RK_RIG_INT, offsetof(rk_rig_settings, integral_by)},
    {"derivative_by", RK_RIG_INT, offsetof(rk_rig_settings, derivative_by)},
    {"velocity", RK_RIG_BOOL, offsetof(rk_rig_settings, velocity)},
    {"biased", RK_RIG_BOOL, offsetof(rk_rig_settings, biased)},
    {"bias", RK_RIG_REAL, offsetof(rk_rig_settings, bias)},
    {"two_position", RK_RIG_BOOL, offsetof(rk_rig_settings, two_position)},
    {"hysteresis", RK_RIG_REAL, offsetof(rk_rig_settings, hysteresis)},
    {"pv_filter", RK_RIG_REAL, offsetof(rk_rig_settings, pv_filter)},
    {"out_low", RK_RIG_REAL, offsetof(rk_rig_settings, out_low)},
    {"out_high", RK_RIG_REAL, offsetof(rk_rig_settings, out_high)},
    {"out_rate", RK_RIG_REAL, offsetof(rk_rig_settings, out_rate)},
    {"out_safe", RK_RIG_REAL, offsetof(rk_rig_settings, out_safe)},
    {"sp_low", RK_RIG_REAL, offsetof(rk_rig_settings, sp_low)},
    {"sp_high", RK_RIG_REAL, offsetof(rk_rig_settings, sp_high)},
    {"sp_rate", RK_RIG_REAL, offsetof(rk_rig_settings, sp_rate)},
    {"pv_low", RK_RIG_REAL, offsetof(rk_rig_settings, pv_low)},
    {"pv_high", RK_RIG_REAL, offsetof(rk_rig_settings, pv_high)},
    {"hold_time", RK_RIG_REAL, offsetof(rk_rig_settings, hold_time)},
    {"stale_time", RK_RIG_REAL, offsetof(rk_rig_settings, stale_time)},
    {"alarm_low", RK_RIG_REAL, offsetof(rk_rig_settings, alarm_low)},
    {"alarm_high", RK_RIG_REAL, offsetof(rk_rig_settings, alarm_high)},
    {"alarm_deviation", RK_RIG_REAL, offsetof(rk_rig_settings, alarm_deviation)},
    {"alarm_gap", RK_RIG_REAL, offsetof(rk_rig_settings, alarm_gap)},
    {"kc_low", RK_RIG_REAL, offsetof(rk_rig_settings, kc_low)},
    {"kc_high", RK_RIG_REAL, offsetof(rk_rig_settings, kc_high)},
    {NULL, RK_RIG_REAL, 0},
};

const rk_rig_pin rk_rig_input_pins[] = {
    {"sp", RK_RIG_REAL, offsetof(rk_rig_input, sp)},
    {"pv", RK_RIG_REAL, offsetof(rk_rig_input, pv)},
    {"pv_good", RK_RIG_BOOL, offsetof(rk_rig_input, pv_good)},
    {"automatic", RK_RIG_BOOL, offsetof(rk_rig_input, automatic)},
    {"manual_out", RK_RIG_REAL, offsetof(rk_rig_input, manual_out)},
    {"tracking", RK_RIG_BOOL, offsetof(rk_rig_input, tracking)},
    {"track_out", RK_RIG_REAL, offsetof(rk_rig_input, track_out)},
    {"valve_known", RK_RIG_BOOL, offsetof(rk_rig_input, valve_known)},
    {"valve_out", RK_RIG_REAL, offsetof(rk_rig_input, valve_out)},
    {"applied_known", RK_RIG_BOOL, offsetof(rk_rig_input, applied_known)},
    {"applied", RK_RIG_REAL, offsetof(rk_rig_input, applied)},
    {"feedforward", RK_RIG_REAL, offsetof(rk_rig_input, feedforward)},
    {"elapsed", RK_RIG_REAL, offsetof(rk_rig_input, elapsed)},
    {"predicting", RK_RIG_BOOL, offsetof(rk_rig_input, predicting)},
    {"pv_undelayed", RK_RIG_REAL, offsetof(rk_rig_input, pv_undelayed)},
    {"pv_delayed", RK_RIG_REAL, offsetof(rk_rig_input, pv_delayed)},
    {"restart", RK_RIG_BOOL, offsetof(rk_rig_input, restart)},
    {NULL, RK_RIG_REAL, 0},
};

const rk_rig_pin rk_rig_output_pins[] = {
    {"out", RK_RIG_REAL, offsetof(rk_rig_output, out)},
    {"wanted", RK_RIG_REAL, offsetof(rk_rig_output, wanted)},
    {"sp_now", RK_RIG_REAL, offsetof(rk_rig_output, sp_now)},
    {"at_low", RK_RIG_BOOL, offsetof(rk_rig_output, at_low)},
    {"at_high", RK_RIG_BOOL, offsetof(rk_rig_output, at_high)},
    {"held", RK_RIG_BOOL, offsetof(rk_rig_output, held)},
    {"failed", RK_RIG_BOOL, offsetof(rk_rig_output, failed)},
    {"refused", RK_RIG_BOOL, offsetof(rk_rig_output, refused)},
    {"kc_unsafe", RK_RIG_BOOL, offsetof(rk_rig_output, kc_unsafe)},
    {"started", RK_RIG_BOOL, offsetof(rk_rig_output, started)},
    {"pv_bad", RK_RIG_BOOL, offsetof(rk_rig_output, pv_bad)},
    {"pv_stale", RK_RIG_BOOL, offsetof(rk_rig_output, pv_stale)},
    {"pv_is_low", RK_RIG_BOOL, offsetof(rk_rig_output, pv_is_low)},
    {"pv_is_high", RK_RIG_BOOL, offsetof(rk_rig_output, pv_is_high)},
    {"pv_deviates", RK_RIG_BOOL, offsetof(rk_rig_output, pv_deviates)},
    {"scan_late", RK_RIG_BOOL, offsetof(rk_rig_output, scan_late)},
    {"mode", RK_RIG_INT, offsetof(rk_rig_output, mode)},
    {NULL, RK_RIG_REAL, 0},
};

double rk_rig_pin_get(const rk_rig_pin *pin, const void *of)
{
    const char *at = (const char *)of + pin->offset;

    return pin->kind == RK_RIG_REAL  ? *(const double *)(const void *)at
           : pin->kind == RK_RIG_INT ? (double)*(const int *)(const void *)at
                                     : (double)*(const bool *)(const void *)at;
}

void rk_rig_pin_set(const rk_rig_pin *pin, void *of, double value)
{
    char *at = (char *)of + pin->offset;

    if (pin->kind == RK_RIG_REAL) {
        *(double *)(void *)at = value;
    } else if (pin->kind == RK_RIG_INT) {
        *(int *)(void *)at = (int)value;
    } else {
        *(bool *)(void *)at = value != 0;
    }
}
