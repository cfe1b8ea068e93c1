/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_CALM_H
#define RKI_DESIGN_FIT_CALM_H

#include <stdbool.h>
#include <stddef.h>

/*
 * Far from any move of OUT a model stands still, or runs straight on: all columns of its normal
 * equations are straight lines in time, and of PV sums are enough. A record is cut into pieces of
 * so many rows, whose sums are made once; a pass that is at rest takes a piece in one step.
 */
enum { RKI_CALM_ROWS = 1024, RKI_CALM_LAGS = 6 };

/** A piece of a series: sums over its rows, of times from t0 and of PV less y0 so many rows back. */
typedef struct rki_calm {
    bool whole;   /* every row counts, with a weight of 1 */
    bool regular; /* and rows come at the usual interval, from RKI_CALM_LAGS rows before on */
    double t0, t, tt;
    double y0, y[RKI_CALM_LAGS], ty[RKI_CALM_LAGS], yy[RKI_CALM_LAGS][RKI_CALM_LAGS];
} rki_calm;

#endif
