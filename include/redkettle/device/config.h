/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_CONFIG_H
#define REDKETTLE_DEVICE_CONFIG_H

/*
 * Build switches of the device tier. Set them on the compiler's command line, the same for
 * every file that includes a Red Kettle header.
 */

/**
 * RK_CFG_FLOAT  the number type of the blocks: 0 double (default), 1 float.
 * The design tier computes in double and needs 0.
 */
#ifndef RK_CFG_FLOAT
#define RK_CFG_FLOAT 0
#endif

/**
 * RK_CFG_PID_SCHEMES  what the controller can sum by: 1 (default) all of rk_scheme and
 * rk_algorithm; 0 backward differences and the position algorithm alone, which takes some 300
 * bytes of code less. rk_pid_param_error then refuses the others.
 */
#ifndef RK_CFG_PID_SCHEMES
#define RK_CFG_PID_SCHEMES 1
#endif

#if RK_CFG_PID_SCHEMES != 0 && RK_CFG_PID_SCHEMES != 1
#error "RK_CFG_PID_SCHEMES must be 0 (backward, position) or 1 (all)."
#endif

#if RK_CFG_FLOAT != 0 && RK_CFG_FLOAT != 1
#error "RK_CFG_FLOAT must be 0 (double) or 1 (float)."
#endif

/*
 * What is compiled for one number type and linked with the blocks of the other must not link:
 * in float the calls that a block's life begins with go by another name. A float user links
 * redkettle-device-float.
 */
#if RK_CFG_FLOAT && !defined(RKI_RIG_NAMES_H)
#define rk_pid_init rk_pid_init_in_float
#define rk_plant_init rk_plant_init_in_float
#define rk_predictor_init rk_predictor_init_in_float
#define rk_ramp_init rk_ramp_init_in_float
#define rk_filter_init rk_filter_init_in_float
#define rk_relay_init rk_relay_init_in_float
#define rk_on_off_init rk_on_off_init_in_float
#define rk_pwm_init rk_pwm_init_in_float
#define rk_valve_init rk_valve_init_in_float
#define rk_noise_init rk_noise_init_in_float
#define rk_loop_init rk_loop_init_in_float
#endif

#endif
