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

#if RK_CFG_FLOAT != 0 && RK_CFG_FLOAT != 1
#error "RK_CFG_FLOAT must be 0 (double) or 1 (float)."
#endif

#endif
