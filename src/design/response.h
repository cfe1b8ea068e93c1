/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_RESPONSE_H
#define RKI_DESIGN_RESPONSE_H

#include <stddef.h>

#include <redkettle/design/record.h>

/** What a fit works on: samples of PV, and the moves of OUT as events. The caller owns the
 * arrays. */
typedef struct rki_series {
    size_t samples;
    double *time;   /* of the samples, s from the first row */
    double *pv;     /* less pv_ref */
    double *weight; /* of a thinned series: how many rows a sample stands for; else NULL */
    size_t events;
    double *event_time; /* when OUT moved, s from the first row */
    double *event_size; /* by how much, out-EU */
    double *decay;      /* exp(-(time[i] - time[i-1]) / tau) of the last rki_series_set_tau */
    double pv_ref;
    double out0;
    double interval; /* median sampling interval, s */
} rki_series;

/** All rows of a record. Errors  RK_ERR_MEMORY. */
rk_status rki_series_create(rki_series *series, const rk_record *record, rk_diag *diag);

/**
 * A thinner copy for the search: rows averaged in blocks, short after each move of OUT and
 * growing with the time since; at most about RKI_COARSE_MAX of them.
 */
rk_status rki_series_thin(rki_series *thin, const rki_series *full, rk_diag *diag);

void rki_series_free(rki_series *series);

/** Prepare for a time constant, s > 0. */
void rki_series_set_tau(rki_series *series, double tau);

/**
 * Response x of a unit-gain first-order lag with dead time to the moves, at every sample, and
 * optionally (not NULL) its derivatives by theta and by ln tau. theta may be negative: the same
 * formula, shifted to the left.
 */
void rki_series_response(const rki_series *series, double tau, double theta, double *x,
                         double *by_theta, double *by_log_tau);

/**
 * Of a thinned series: the weighted sum of squares that the best gain and baseline leave of pv,
 * in one pass. Its digits end at 1e-16 of pv's own sum of squares: enough to search by.
 */
double rki_series_cost(const rki_series *series, double tau, double theta);

enum { RKI_COARSE_MAX = 700 };

#endif
