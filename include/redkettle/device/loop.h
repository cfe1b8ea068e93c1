/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_LOOP_H
#define REDKETTLE_DEVICE_LOOP_H

#include <stdbool.h>

#include <redkettle/device/pid.h>
#include <redkettle/device/port.h>

/** A controller on a port: the whole control loop in one call a scan. Plain storage. */
typedef struct rk_loop {
    rk_port port;
    rk_pid pid;        /* modes are set with rk_pid_set_manual and rk_pid_set_auto */
    rk_real sp;        /* the wanted setpoint, pv-EU; set it between scans */
    rk_real pv;        /* the last good PV, pv-EU */
    rk_real out;       /* the last output that was written, out-EU */
    bool pv_bad;       /* the last scan had no good PV: out was held */
    bool write_failed; /* the last scan could not write its output */
} rk_loop;

/**
 * Check the port and *params, and start in automatic from the output on the valve now.
 *
 * Units   sp in pv-EU, out_now in out-EU.
 * Errors  RK_ERR_ARG for a NULL or a port with a service missing; RK_ERR_RANGE as rk_pid_init,
 * or for an sp that is not finite. *loop is written with RK_OK only.
 */
rk_status rk_loop_init(rk_loop *loop, const rk_port *port, const rk_pid_params *params,
                       rk_real sp, rk_real out_now);

/** One scan, every ts: read PV, control, write OUT. Cannot fail: without a good PV it holds
 * out. */
void rk_loop_scan(rk_loop *loop);

#endif
