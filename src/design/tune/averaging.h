/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_TUNE_AVERAGING_H
#define RKI_DESIGN_TUNE_AVERAGING_H

#include <stdbool.h>

/*
 * An integrator with a gain of 1 and dead time theta, s, and the calmest controller that keeps it
 * within `wanted`, s, after a load step of 1: a process's deviation over its gain and the load.
 */

/** A controller: its gain, 1/s, and its integral time, s; infinite: none. */
typedef struct rki_averaging {
    double k, ti;
} rki_averaging;

/** The lambda PI of an integrator. */
rki_averaging rki_averaging_at(double theta, double lambda);

/** The peak of the exact loop after a load step of 1, theta > 0. */
double rki_averaging_peak(double theta, rki_averaging loop);

/** The largest lambda of a PI; of P alone the least gain. false: none, the least that can be had is in
 * *least. */
bool rki_averaging_lambda(double theta, double wanted, double *lambda, double *least);
bool rki_averaging_gain(double theta, double wanted, double *k, double *least);

#endif
