/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_PLANT_H
#define REDKETTLE_DEVICE_PLANT_H

#include <stddef.h>

#include <redkettle/device/param_error.h>
#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/** States of a process at most. A controller that simulates none but models of one or two lags,
 * such as a predictor's, may be built with 2, which takes a tenth of the memory. */
#ifndef RK_PLANT_STATES
#define RK_PLANT_STATES 9
#endif

/**
 * The process as a scan block: states behind a dead time, exact for an output that is held from
 * one scan to the next, whatever part of a scan the dead time ends with.
 *
 *   x(k+1) = a x(k) + b0 u(k - delay) + b1 u(k - delay - 1),   u = out - out0,   pv = pv0 +
 * x[0]
 *
 * rk_plant_params_from_model (design tier) computes a, b0 and b1 for every kind of model. Of
 * two states any matrix will do; of more, each state is fed by those behind it alone (a is
 * upper triangular), as of lags in series.
 *
 * Source  K. J. Astrom, B. Wittenmark, Computer-Controlled Systems, 3rd ed., Prentice Hall,
 * 1997, ch. 2 (sampling a system with a time delay).
 */
typedef struct rk_plant_params {
    rk_real a[RK_PLANT_STATES]
             [RK_PLANT_STATES]; /* no growing mode: an integrator's 1 is the largest */
    rk_real b0[RK_PLANT_STATES], b1[RK_PLANT_STATES]; /* pv-EU per out-EU */
    size_t delay;                                     /* whole scans of dead time */
    rk_real out0;                                     /* operating point, out-EU */
    rk_real pv0; /* operating point, pv-EU: the PV that out0 holds */
    int states;  /* up to 2: a pair, of which an unused one is 0; more: a chain */
} rk_plant_params;

/** Plain storage; only the functions below write it. */
typedef struct rk_plant {
    rk_plant_params params;
    rk_real *memory;            /* the last delay + 1 outputs less out0, a ring; the caller's */
    size_t oldest;              /* where the ring's oldest entry stands */
    rk_real x[RK_PLANT_STATES]; /* pv - pv0, and what feeds it */
    rk_real u;                  /* the last finite output less out0 */
} rk_plant;

/** RK_PARAM_ERROR_NONE, or what rk_plant_init refuses. */
rk_param_error rk_plant_param_error(const rk_plant_params *params, rk_real out_now);

/**
 * Check *params and start at rest at out_now: PV stands where out_now would hold it; of an
 * integrator at pv0, moving if out_now is not out0. memory stays the caller's, must outlive the
 * block, and has room for at least params->delay + 1 numbers.
 *
 * Units   out_now in out-EU; params as its fields say.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY if len < delay + 1; RK_ERR_RANGE for a number
 * out of range, NaN or infinite. *plant is written with RK_OK only.
 */
rk_status rk_plant_init(rk_plant *plant, const rk_plant_params *params, rk_real *memory,
                        size_t len, rk_real out_now);

/** The PV now, pv-EU: what a transmitter reads at the start of the scan. */
rk_real rk_plant_pv(const rk_plant *plant);

/** Hold out for one scan; returns the PV at its end. An out that is not finite repeats the
 * last. */
rk_real rk_plant_scan(rk_plant *plant, rk_real out);

#ifdef __cplusplus
}
#endif

#endif
