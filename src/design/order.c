/* SPDX-License-Identifier: MIT */
#include "order.h"

#include <stdlib.h>

static int by_value(const void *left, const void *right)
{
    const double a = *(const double *)left, b = *(const double *)right;

    return (a > b) - (a < b);
}

void rki_sort(double *values, size_t count)
{
    qsort(values, count, sizeof *values, by_value);
}

double rki_quantile(double *values, size_t count, double part)
{
    rki_sort(values, count);
    return values[(size_t)(part * (double)(count - 1))];
}
