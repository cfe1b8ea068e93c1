/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_RECORD_TREND_H
#define RKI_DESIGN_RECORD_TREND_H

#include <stdbool.h>
#include <stddef.h>

/** A straight line through a stretch of a record. */
typedef struct rki_trend {
    double slope;       /* pv-EU per s */
    double error;       /* its standard error, the noise being correlated */
    double noise;       /* standard deviation of what the line and a bend leave */
    double correlation; /* of it from a row to the next, 0 to 0.99 */
    double span;        /* s, of the stretch */
} rki_trend;

/**
 * Least squares over rows first to last, both included, at least 4 of them. The standard error
 * allows for correlated noise: by the sum of its correlations, or that of first-order
 * autoregressive noise, sqrt((1 + r) / (1 - r)), whichever is wider.
 */
rki_trend rki_trend_of(const double *time, const double *pv, size_t first, size_t last);

/**
 * Does PV stand still? Its drift over the stretch is below four standard errors, or below its
 * own noise, or below `least`, pv-EU.
 */
bool rki_trend_is_steady(const rki_trend *s, double least);

#endif
