/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_MARGINS_STABLE_GAIN_H
#define RKI_DESIGN_MARGINS_STABLE_GAIN_H

#include <stdbool.h>
#include <stddef.h>

/** A factor on the gain at which closed-loop poles cross the border of stability. */
typedef struct rki_change {
    double factor; /* > 0 */
    long poles;    /* that become unstable there; negative: stable */
    double w;      /* rad/s, where */
} rki_change;

/**
 * The stable interval of the factor that holds 1, or else the lowest one above 0; false if
 * there is none. `poles` are unstable for a vanishing gain; nothing is stable from `limit` on.
 * Sorts the list.
 */
bool rki_stable_interval(rki_change *list, size_t count, long poles, double limit, double *low,
                         double *high);

/** The least factor above 1 of a list, and where; infinite if there is none. */
double rki_gain_margin(const rki_change *list, size_t count, double *w);

/** Above -180 deg in 0 .. 2 pi: how much more lag a gain crossover with this phase, rad,
 * stands. */
double rki_lag_left(double phase);

#endif
