/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_FIT_RELAY_POINT_H
#define REDKETTLE_DESIGN_FIT_RELAY_POINT_H

#include <redkettle/design/fit/fit.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A process's ultimate point by a model of it, with 95 % intervals. */
typedef struct rk_relay_point {
    double gain, gain95[2];     /* out-EU per pv-EU */
    double period, period95[2]; /* s */
    rk_fit fit;
} rk_relay_point;

/**
 * Fit a model to the record of a relay test and take the ultimate point from it. A swing itself shows the process at another phase, -180 deg + asin(hysteresis /
 * amplitude), and with higher harmonics.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_DATA if no model answers OUT as PV does, or none
 * that is fit to be used and has such a point; *point is then not to be read; RK_ERR_MEMORY.
 */
rk_status rk_relay_point_compute(const rk_record *record, rk_relay_point *point, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
