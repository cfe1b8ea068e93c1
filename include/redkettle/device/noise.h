/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_NOISE_H
#define REDKETTLE_DEVICE_NOISE_H

#include <stdint.h>

#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A sensor's noise as a block of a plant: nearly normal, correlated from a scan to the next by
 *
 *   n(k+1) = correlation n(k) + deviation innovation e(k),   innovation = sqrt(1 -
 * correlation^2)
 *
 * The same seed gives the same noise on every machine: no libm, no state but its own. Plain
 * storage; only the functions below write it.
 *
 * Source  G. Marsaglia, Xorshift RNGs, 2003, Journal of Statistical Software 8(14).
 */
typedef struct rk_noise {
    rk_real deviation, correlation, innovation;
    rk_real value;
    uint32_t random;
} rk_noise;

/**
 * Units   deviation in pv-EU, >= 0.
 * Range   0 <= correlation < 1; 0 <= innovation <= 1.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a number out of range.
 */
rk_status rk_noise_init(rk_noise *noise, rk_real deviation, rk_real correlation,
                        rk_real innovation, uint32_t seed);

/** One scan; returns the noise now, pv-EU. */
rk_real rk_noise_scan(rk_noise *noise);

#ifdef __cplusplus
}
#endif

#endif
