/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_ENOUGH_H
#define REDKETTLE_LIVE_ENOUGH_H

#include <stdbool.h>

#include <redkettle/design/base/diag.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Has a step test shown enough? A model is fitted to its record now and then, until two in a row are as
 * sure as was wanted and PV was watched for the dead time and two time constants since OUT moved. */
typedef struct rk_enough rk_enough;

/**
 * gain, dead_time: how well each is to be known, percent of it to each side at 95 %; NaN: as it may be.
 * beside: models are fitted by a thread, so that no row waits for one.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a percentage that is not above 0; RK_ERR_MEMORY.
 */
rk_status rk_enough_create(double gain, double dead_time, bool beside, rk_enough **enough,
                           rk_diag *diag);

/** The next row: s, out-EU from then on, pv-EU. */
void rk_enough_add(rk_enough *enough, double time, double out, double pv);

/** "the gain is known to 2.7 %", or NULL: it is not enough yet. */
const char *rk_enough_why(rk_enough *enough);

/** NULL is fine. */
void rk_enough_free(rk_enough *enough);

#ifdef __cplusplus
}
#endif

#endif
