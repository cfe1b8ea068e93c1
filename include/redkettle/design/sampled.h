/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_SAMPLED_H
#define REDKETTLE_DESIGN_SAMPLED_H

#include <redkettle/design/margins.h>

/** How a loop is sampled. */
typedef struct rk_sampling {
    double ts;    /* scan, s */
    double delay; /* from PV's sample to OUT's change, s: computing and communication */
    rk_scheme integral;
} rk_sampling;

/**
 * L at e^(j w ts) of the sampled loop: the process exact for an output that is held from scan
 * to scan, the controller as it runs, the derivative by the settings' scheme.
 *
 * Range   0 < w <= pi / ts: nothing above it can be told from what is below.
 * Errors  as rk_sampled_margins.
 */
rk_status rk_sampled_response(const rk_model *model, const rk_settings *settings,
                              const rk_sampling *sampling, double w, double *re, double *im,
                              rk_diag *diag);

/**
 * Margins of the sampled loop. Frequencies are looked at up to half the sampling frequency; the
 * loop is stable if all its poles are within the unit circle, which is counted from the
 * crossings of the negative real axis. bandwidth is not looked for. A dead time of more than
 * 1000 scans is taken as continuous with half a scan added, which is the same to a part in a
 * million.
 *
 * Units   sampling in s.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check and rk_settings_check, or for a
 *         scan not above 0, a negative delay or an integral that is none; RK_ERR_MEMORY.
 * Source  K. J. Astrom, B. Wittenmark, Computer-Controlled Systems, 3rd ed., Prentice Hall,
 *         1997, ch. 3 and 8.
 */
rk_status rk_sampled_margins(const rk_model *model, const rk_settings *settings,
                             const rk_sampling *sampling, rk_margins *margins, rk_diag *diag);

#endif
