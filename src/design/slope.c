/* SPDX-License-Identifier: MIT */
#include "slope.h"

#include <math.h>

/* What is left of a line has a correlation that is too low by about this over the rows. M. G.
   Kendall, Note on bias in the estimation of autocorrelation, 1954, Biometrika 41. */
static double unbiased(double correlation, double rows)
{
    return fmin(fmax(correlation + ((1.0 + (4.0 * correlation)) / rows), 0.0), 0.99);
}

rki_slope rki_slope_of(const double *time, const double *pv, size_t first, size_t last)
{
    const double rows = (double)(last - first + 1);
    double t_mean = 0, y_mean = 0, tt = 0, ty = 0, left = 0, product = 0, before = 0;
    rki_slope made = {.span = time[last] - time[first]};
    size_t i;

    for (i = first; i <= last; i++) {
        t_mean += (time[i] - time[first]) / rows;
        y_mean += (pv[i] - pv[first]) / rows;
    }
    for (i = first; i <= last; i++) {
        const double t = time[i] - time[first] - t_mean;

        tt += t * t;
        ty += t * (pv[i] - pv[first] - y_mean);
    }
    made.slope = ty / tt;
    for (i = first; i <= last; i++) {
        const double t = time[i] - time[first] - t_mean;
        const double rest = pv[i] - pv[first] - y_mean - (made.slope * t);

        left += rest * rest;
        product += i > first ? rest * before : 0.0;
        before = rest;
    }
    made.noise = sqrt(left / (rows - 2.0));
    made.correlation = left > 0 ? unbiased(product / left, rows) : 0.0;
    made.error =
        made.noise / sqrt(tt) * sqrt((1.0 + made.correlation) / (1.0 - made.correlation));
    return made;
}

bool rki_slope_is_steady(const rki_slope *s, double least)
{
    const double drift = fabs(s->slope) * s->span;

    return drift <= fmax(3.0 * s->error * s->span, fmax(s->noise, least));
}
