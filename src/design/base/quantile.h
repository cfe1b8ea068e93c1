/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_BASE_QUANTILE_H
#define RKI_DESIGN_BASE_QUANTILE_H

#include <stddef.h>

/** The median of |x| of a normal x with deviation 1. */
#define RKI_MEDIAN_OF_NORMAL 0.6745

/** Sort numbers in place, the smallest first. */
void rki_sort(double *values, size_t count);

/** The number below which this part of them lies: 0.5 is the median. Changes their order. */
double rki_quantile(double *values, size_t count, double part);

#endif
