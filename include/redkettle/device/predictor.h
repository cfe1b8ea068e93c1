/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_PREDICTOR_H
#define REDKETTLE_DEVICE_PREDICTOR_H

#include <stddef.h>

#include <redkettle/device/plant.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A dead-time compensator before a controller: the controller sees what PV would be without the
 * dead time, and what the model does not explain of the PV there is:
 *
 *   pv' = quick model + (pv - whole model)
 *
 * With a perfect model the loop is that of the plant without its dead time, only later by it.
 * It is as good as its model: check the loop with a dead time and a gain that are wrong.
 *
 * Source  O. J. M. Smith, Closer control of loops with dead time, 1957, Chemical Engineering
 *         Progress 53(5), 217-219.
 */
typedef struct rk_predictor {
    rk_plant whole; /* the model with its dead time */
    rk_plant quick; /* and without */
} rk_predictor;

/** RK_PARAM_ERROR_NONE, or what rk_predictor_init refuses. */
rk_param_error rk_predictor_param_error(const rk_plant_params *whole,
                                        const rk_plant_params *quick, rk_real out_now);

/**
 * Start at rest at the output that stands on the valve now. quick is whole without its dead
 * time (rk_predictor_params_from_model makes both); an integrating model is refused, as the
 * scheme leaves an offset after a load there. memory stays the caller's, must outlive the block
 * and has room for at least whole->delay + 2 numbers.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY if len is too small; RK_ERR_RANGE for what
 *         rk_predictor_param_error names. *predictor is written with RK_OK only.
 */
rk_status rk_predictor_init(rk_predictor *predictor, const rk_plant_params *whole,
                            const rk_plant_params *quick, rk_real *memory, size_t len,
                            rk_real out_now);

/**
 * At the start of a scan: the PV that the controller is to see, pv-EU.
 *
 * Units   pv as measured now, pv-EU; out as it stood since the last scan, out-EU. A pv that is
 * not finite comes back as it is; the models follow out all the same.
 */
rk_real rk_predictor_scan(rk_predictor *predictor, rk_real pv, rk_real out);

#ifdef __cplusplus
}
#endif

#endif
