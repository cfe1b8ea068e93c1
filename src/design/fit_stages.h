/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_STAGES_H
#define RKI_DESIGN_FIT_STAGES_H

#include <stdbool.h>

#include <redkettle/design/fit.h>

#include "response.h"

enum {
    RKI_STARTS = 3,    /* local minima of the search that go on to be polished, at most */
    RKI_PARAMETERS = 4 /* gain, ln tau, theta, baseline */
};

/** A place in the search: gain and baseline follow linearly. */
typedef struct rki_point {
    double theta, log_tau, cost;
} rki_point;

/** A polished fit. */
typedef struct rki_solution {
    double p[RKI_PARAMETERS]; /* gain, ln tau, theta, baseline less pv_ref */
    double cost;              /* sum of squares over all rows */
} rki_solution;

/** Room for a response, its derivatives and what is left at every sample. */
typedef struct rki_room {
    double *x, *by_theta, *by_log_tau, *residual;
} rki_room;

/** The longest dead time that the record can show. */
double rki_theta_most(const rki_series *series);

/**
 * Stages 1 and 2: the whole range of dead times and time constants on a thinned record. Returns
 * the best local minima, best first, and how many. Errors  RK_ERR_MEMORY.
 */
rk_status rki_fit_search(const rki_series *series, rki_point starts[RKI_STARTS], int *count,
                         rk_diag *diag);

/** Stage 3: all rows and all parameters. Errors  RK_ERR_MEMORY; RK_ERR_DATA if nothing fits. */
rk_status rki_fit_polish(rki_series *series, rki_room *room, const rki_point *starts, int count,
                         rki_solution *best, rk_diag *diag);

/** Response and derivatives of a solution, into the room. */
void rki_fit_respond(rki_series *series, rki_room *room, const rki_solution *at);

/**
 * Standard errors of gain, ln tau, theta, baseline for independent noise of this size, from the
 * response and derivatives in the room; infinite where the record does not tell.
 */
void rki_fit_errors(const rki_series *series, const rki_room *room, const rki_solution *at,
                    double noise, double error[RKI_PARAMETERS]);

/** Inverse of a symmetric positive matrix in place, scaled first; false if it is singular. */
bool rki_fit_invert(double h[RKI_PARAMETERS][RKI_PARAMETERS]);

/** Can this record be fitted at all? Errors  RK_ERR_DATA, and diag says why not. */
rk_status rki_fit_check_record(const rk_record *record, rk_diag *diag);

/**
 * From what the model leaves of pv at each sample: fit percent, rmse, noise, residual
 * correlation, bic.
 */
void rki_fit_measure(const rki_series *series, const double *residual, rk_fit *fit);

/** The half width of a 95 % interval in standard errors. */
double rki_fit_t95(const rki_series *series);

#endif
