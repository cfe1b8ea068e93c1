/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_BASE_ELEMENTARY_H
#define RKI_DESIGN_BASE_ELEMENTARY_H

/*
 * Elementary functions of + - * / alone, to about one unit in the last place, with the same bits on
 * every machine: a C library's own differ in that unit from the next one's, and a simulated plant is
 * to be the same one wherever it runs.
 */

/** e^x. */
double rki_exp(double x);

/** e^x - 1, exact to its last digits near 0. */
double rki_expm1(double x);

/** Sine and cosine of x, rad. */
void rki_sin_cos(double x, double *sine, double *cosine);

#endif
