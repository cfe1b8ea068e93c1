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

#endif
