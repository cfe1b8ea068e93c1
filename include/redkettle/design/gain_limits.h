/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_GAIN_LIMITS_H
#define REDKETTLE_DESIGN_GAIN_LIMITS_H

#include <redkettle/design/measure.h>

/** How far kc may go, the times being kept; all of them out-EU per pv-EU, with kc's sign. */
typedef struct rk_gain_limits {
    double at[RK_REQUIRE_COUNT]; /* a margin or OUT's noise is just at its limit here; NaN: not
                                    asked, or at no kc */
    double on_off;               /* from here on OUT only swings between its limits: the loop is
                                    unstable, or the noise alone fills OUT's range; NaN: never */
    bool by_noise;               /* that is the noise */
    double offset; /* without integral action: what a setpoint step of 1 leaves, of a
                      self-regulating process; 0 with it */
} rk_gain_limits;

/**
 * The kc at which each margin that is asked, and OUT's noise, reaches its limit: the nearest
 * one above a kc that meets it, or the nearest below or above a kc that misses it. Above 6
 * times OUT's deviation the noise fills a range.
 *
 * unstable_from: the end of the stable kc on kc's side, of the loop as it runs; NaN: none.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_margins_check; RK_ERR_MEMORY.
 */
rk_status rk_gain_limits_find(const rk_requirements *asked, const rk_model *model,
                              const rk_settings *settings, const rk_conditions *conditions,
                              double unstable_from, rk_gain_limits *limits, rk_diag *diag);

#endif
