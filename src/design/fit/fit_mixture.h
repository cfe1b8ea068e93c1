/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_MIXTURE_H
#define RKI_DESIGN_FIT_FIT_MIXTURE_H

#include "fit_task.h"

enum { RKI_MIXTURE_POINTS = 2000 };

/** Sums over dead times, each weighed by its likelihood: what is known of all parameters. */
typedef struct rki_mixture {
    double weight, mean[RKI_PARAMETERS];           /* about a point of reference */
    double second[RKI_PARAMETERS][RKI_PARAMETERS]; /* of their squares and products */
    double theta[RKI_MIXTURE_POINTS], part[RKI_MIXTURE_POINTS];
    int count;
    double at_zero; /* the likelihood at no dead time, relative to the best; 0: not seen */
} rki_mixture;

/** A dead time, or more of the last one: how much it weighs, where all parameters are there and how
 * sure. */
void rki_mixture_add(rki_mixture *mixture, double theta, double weight,
                     const double off[RKI_PARAMETERS],
                     double covariance[RKI_PARAMETERS][RKI_PARAMETERS]);

/** Make all of it so much of a larger whole. */
void rki_mixture_scale(rki_mixture *mixture, double part);

/** Add another one about the same point. */
void rki_mixture_join(rki_mixture *mixture, const rki_mixture *other);

/** From sums to means. Sorts the points by dead time. */
void rki_mixture_close(rki_mixture *mixture);

/** The dead time that this part of all weight lies below; of a closed mixture. */
double rki_mixture_quantile(const rki_mixture *mixture, double part);

#endif
