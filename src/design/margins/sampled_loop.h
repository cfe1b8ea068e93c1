/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_MARGINS_SAMPLED_LOOP_H
#define RKI_DESIGN_MARGINS_SAMPLED_LOOP_H

#include <redkettle/design/margins/margins.h>

/** What the open sampled loop is at an angle: a rational part of z, and a delay of so many
 * scans. */
typedef struct rki_sampled_loop {
    double h;              /* scan, s */
    double delay;          /* whole scans */
    double kc, ih, td, tf; /* ih: h / ti */
    double part;           /* of the PV filter; 1: none */
    rk_scheme integral, derivative;
    rk_plant_params plant;
    double below[RK_PLANT_STATES]; /* 1 - the diagonal of its matrix, .. */
    double cross;                  /* .. and of a pair its other product */
    int integrators;               /* poles at z = 1 */
    double k;                      /* the sign of L for z -> 1; without integrators L there */
} rki_sampled_loop;

/** Errors  as rk_sampled_margins_compute. */
rk_status rki_sampled_loop_make(const rk_model *model, const rk_settings *settings,
                                const rk_sampling *sampling, rki_sampled_loop *loop,
                                rk_diag *diag);

/** The rational part at z = e^(j angle), 0 < angle <= pi; the delay turns it by -delay angle.
 */
void rki_sampled_loop_value(const rki_sampled_loop *loop, double angle, double *re, double *im);

#endif
