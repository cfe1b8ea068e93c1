/* SPDX-License-Identifier: MIT */
#include "quantile.h"

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

/* C. A. R. Hoare, Algorithm 65: Find, 1961, Communications of the ACM 4. */
double rki_quantile(double *values, size_t count, double part)
{
    const size_t wanted = (size_t)(part * (double)(count - 1));
    size_t first = 0, last = count - 1;

    while (first < last) {
        const double pivot = values[first + ((last - first) / 2)];
        size_t i = first, j = last;

        for (;;) {
            while (values[i] < pivot) {
                i++;
            }
            while (values[j] > pivot) {
                j--;
            }
            if (i >= j) break;
            {
                const double swap = values[i];

                values[i++] = values[j];
                values[j--] = swap;
            }
        }
        /* All up to i - 1 are at most the pivot, all from j + 1 on at least. */
        if (wanted <= j) {
            last = j;
        } else {
            first = j + 1;
        }
    }
    return values[wanted];
}
