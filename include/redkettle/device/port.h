/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_PORT_H
#define REDKETTLE_DEVICE_PORT_H

#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * The seam to hardware: what a target gives the loop. All services are needed; a missing one
 * is RK_ERR_ARG when the loop is configured. Each returns RK_OK, or RK_ERR_IO when the value
 * could not be had or delivered; none may block longer than the scan allows.
 */
typedef struct rk_port {
    void *user; /* handed back to each service, may be NULL */
    rk_status (*read_pv)(void *user, rk_real *pv);   /* the PV now, pv-EU */
    rk_status (*write_out)(void *user, rk_real out); /* out-EU; holds until the next write */
    rk_status (*read_out)(void *user, rk_real *out); /* what stands on the valve, out-EU */
} rk_port;

#ifdef __cplusplus
}
#endif

#endif
