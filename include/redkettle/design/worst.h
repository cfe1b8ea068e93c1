/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_WORST_H
#define REDKETTLE_DESIGN_WORST_H

#include <redkettle/design/margins.h>
#include <redkettle/design/spread.h>

/** Margins at their worst over models: each at its own worst. */
typedef struct rk_worst {
    bool stable;         /* on all of them; else the margins are NaN */
    double gain_margin;  /* a factor */
    double phase_margin; /* deg */
    double delay_margin; /* s */
    double ms;
    rk_model corner; /* where Ms is largest, or the first that is unstable */
} rk_worst;

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_margins_check; RK_ERR_MEMORY. */
rk_status rk_worst_find(const rk_spread *spread, const rk_settings *settings, rk_worst *worst,
                        rk_diag *diag);

/**
 * By how large a part every number of the model may be wrong at once, in whatever direction is
 * worst, with the loop still stable: 0 to 0.95.
 *
 * Errors  as rk_worst_find.
 */
rk_status rk_worst_survived(const rk_model *model, const rk_settings *settings, double *part,
                            rk_diag *diag);

#endif
