/* SPDX-License-Identifier: MIT */
/*
 * From the factors at which the number of unstable poles changes, sorted: where it is 0. Of
 * several stable intervals the one that holds the factor 1 is given, else the first.
 */
#include "stable_gain.h"

#include <math.h>
#include <stdlib.h>

#include "openloop.h"

static int by_factor(const void *left, const void *right)
{
    const double a = ((const rki_change *)left)->factor;
    const double b = ((const rki_change *)right)->factor;

    return (a > b) - (a < b);
}

bool rki_stable_interval(rki_change *list, size_t count, long poles, double limit, double *low,
                         double *high)
{
    double from = 0.0;
    bool found = false;
    size_t i;

    qsort(list, count, sizeof *list, by_factor);
    for (i = 0; i <= count && from < limit; i++) {
        const double to = fmin(i < count ? list[i].factor : HUGE_VAL, limit);

        if (poles == 0 && to > from && (!found || (from < 1 && to > 1))) {
            *low = from;
            *high = to;
            found = true;
        }
        if (i < count) {
            poles += list[i].poles;
        }
        from = to;
    }
    return found;
}

double rki_gain_margin(const rki_change *list, size_t count, double *w)
{
    double margin = HUGE_VAL;
    size_t i;

    *w = HUGE_VAL;
    for (i = 0; i < count; i++) {
        if (list[i].factor > 1 && list[i].factor < margin) {
            margin = list[i].factor;
            *w = list[i].w;
        }
    }
    return margin;
}

double rki_lag_left(double phase)
{
    const double above = phase + RKI_PI;

    return above - (2.0 * RKI_PI * floor(above / (2.0 * RKI_PI)));
}
