/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_PASS_H
#define RKI_DESIGN_FIT_FIT_PASS_H

#include "fit_task.h"

/** One pass over the data. residual, if not NULL, gets what is left at every sample, not
 * whitened.
 */
void rki_pass(const rki_task *task, const double q[RKI_PARAMETERS], rki_normal *normal,
              double *residual);

/** The derivatives of the model by the active parameters, column after column in their order, and
 * what is left, at every sample; neither whitened nor weighed. */
void rki_pass_columns(const rki_task *task, const double q[RKI_PARAMETERS], double *column,
                      double *left);

/** Places of the active parameters; returns how many. */
int rki_list_active(unsigned active, int place[RKI_PARAMETERS]);

/**
 * Levenberg and Marquardt's steps from q to the minimum of its basin, at most `steps` of them;
 * *normal is the one there. Inactive parameters stay.
 */
void rki_descend(const rki_task *task, double q[RKI_PARAMETERS], int steps, rki_normal *normal);

/** Solve the linear parameters alone: gain, start, drift, initial, load. Sets them in q. */
double rki_solve_linear(const rki_task *task, double q[RKI_PARAMETERS]);

/**
 * The inverse of the active part of a normal matrix (RKI_PARAMETERS squared numbers), in its
 * full places; false if it is singular.
 */
bool rki_invert(unsigned active, const double *h,
                double inverse[RKI_PARAMETERS][RKI_PARAMETERS]);

/**
 * The step d to the minimum that the normal equations of the active parameters promise, with
 * the inverse it comes from; returns what it takes off the cost, 0 with a d of 0 if they are
 * singular.
 */
double rki_predicted_decrease(unsigned active, const rki_normal *normal,
                              double inverse[RKI_PARAMETERS][RKI_PARAMETERS],
                              double d[RKI_PARAMETERS]);

#endif
