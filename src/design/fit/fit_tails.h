/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_TAILS_H
#define RKI_DESIGN_FIT_FIT_TAILS_H

#include "fit_pass.h"

/** Weighed sums over the samples from one on, s the time since that one: of powers of s and of
 * PV, and of the first row p of the transition over s. */
typedef struct rki_tail {
    double w, s, ss, y, sy, yy;
    double p[2], ps[2], py[2], pp[3]; /* pp: of p0 p0, p0 p1, p1 p1 */
} rki_tail;

/**
 * The tails of a series at a shape, samples + 1 of them. Between two moves a response is a
 * transition of the state it begins with, so that these give its normal equations at any dead
 * time in as many steps as there are moves.
 */
void rki_tails_make(const rki_task *task, const double shape[RKI_SHAPES], rki_tail *tails);

/**
 * Solve for gain, start and drift, those that are active, at q's dead time and shape, and set
 * them in q; returns what they leave, at least 0.
 */
double rki_tails_solve(const rki_task *task, const rki_tail *tails, double q[RKI_PARAMETERS]);

#endif
