/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_BASE_NUMERIC_H
#define RKI_DESIGN_BASE_NUMERIC_H

#include <stdbool.h>

/**
 * The lower triangle l with l l' = c, by Cholesky. Both have rows of `stride` numbers, of which
 * the first n are used; a direction without variance stays without.
 */
void rki_cholesky(int n, int stride, const double *c, double *l);

/**
 * The inverse of a symmetric positive definite matrix, by Gauss and Jordan on the matrix scaled
 * to a diagonal of ones; rows of `stride` numbers, n <= RKI_INVERT_MOST. False if it is
 * singular to working precision.
 */
bool rki_invert_positive(int n, int stride, const double *h, double *inverse);

enum { RKI_INVERT_MOST = 36 };

/**
 * One step of Levinson's and Durbin's recursion: from the autoregression of order - 1,
 * a[0 .. order - 2], to that of `order`. c[0 .. order] are autocovariances; *variance is that
 * of the innovation, before and after. order <= RKI_LEVINSON_MOST.
 *
 * Source  G. E. P. Box, G. M. Jenkins, G. C. Reinsel, Time Series Analysis, 3rd ed., Prentice
 *         Hall, 1994, ch. 3 and 7.
 */
void rki_levinson(int order, const double *c, double *a, double *variance);

enum { RKI_LEVINSON_MOST = 16 };

/** Student's t, two-sided 95 %, by the expansion about the normal quantile: to 0.4 % from 3
 * degrees of freedom on. Source  M. Abramowitz, I. A. Stegun, Handbook of Mathematical
 * Functions, 1964, 26.7.5. */
double rki_student95(double freedom);

/** How much of a normal distribution lies below x deviations, and where this part lies below. */
double rki_normal_part(double x);
double rki_normal_quantile(double part);

/** Chi-square of 1 to 5 degrees of freedom that 95 % stay below. */
double rki_chi_square95(int freedom);

typedef double rki_function(const void *user, double x);

/**
 * Where a function is 0 between two places at which it has different signs, to the last digits.
 *
 * Source  R. P. Brent, Algorithms for Minimization without Derivatives, Prentice-Hall, 1973,
 *         ch. 4.
 */
double rki_root(rki_function *f, const void *user, double low, double high);

/**
 * The largest value of a function between low and high, where it rises and falls once; ends
 * when the place is known to the part `near` of itself.
 *
 * Source  R. P. Brent, Algorithms for Minimization without Derivatives, Prentice-Hall, 1973,
 *         ch. 5.
 */
double rki_most(rki_function *f, const void *user, double low, double high, double near);

#endif
