/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_MARGINS_OPENLOOP_H
#define RKI_DESIGN_MARGINS_OPENLOOP_H

#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/settings.h>

#include "poly.h"

#define RKI_PI 3.14159265358979323846

/** A factor 1 + a1 s + a2 s^2 with a1 > 0, a2 >= 0; of an inverse response a1 < 0, a2 0. */
typedef struct rki_factor {
    double a1, a2;
} rki_factor;

enum { RKI_FACTORS_MAX = RK_LAGS_MAX + 3 };

/** L(s) = k s^-integrators * product of num / product of den * exp(-theta s). */
typedef struct rki_openloop {
    double k;
    int integrators;
    int nums, dens;
    rki_factor num[RKI_FACTORS_MAX], den[RKI_FACTORS_MAX];
    double theta;
} rki_openloop;

/** Controller and process in series. Both must have passed their checks. */
rki_openloop rki_openloop_make(const rk_model *model, const rk_settings *settings);

/** RK_ERR_RANGE, and diag says that two-position control has none. */
rk_status rki_no_margins(rk_diag *diag);

/** |L(jw)|, w > 0; its logarithm; L itself. */
double rki_openloop_magnitude(const rki_openloop *loop, double w);
void rki_openloop_value(const rki_openloop *loop, double w, double *re, double *im);
double rki_openloop_log_magnitude(const rki_openloop *loop, double w);

/** arg L(jw), rad, unwrapped from its value at w -> 0, which is -pi/2 an integrator, less pi if
 * k < 0. */
double rki_openloop_phase(const rki_openloop *loop, double w);

/** The limit of the phase for w -> infinity of a loop with theta = 0. */
double rki_openloop_final_phase(const rki_openloop *loop);

/** The limit of |L| for w -> infinity: 0 unless numerator and denominator are of one degree. */
double rki_openloop_final_magnitude(const rki_openloop *loop);

/** Frequencies, ascending, where |L| is 1; where |L| turns; where the phase turns. Return the
 * count. */
int rki_openloop_gain_crossovers(const rki_openloop *loop, double w[RKI_POLY_MAX]);
int rki_openloop_magnitude_turns(const rki_openloop *loop, double w[RKI_POLY_MAX]);
int rki_openloop_phase_turns(const rki_openloop *loop, double w[RKI_POLY_MAX]);

/** The longest time in the loop, s: below its inverse nothing happens. */
double rki_openloop_longest(const rki_openloop *loop);

/** The damping of its least damped poles, at most 1: how sharp a resonance can be. */
double rki_openloop_least_damping(const rki_openloop *loop);

/** Its shortest time constant, s: far beyond its inverse nothing happens but dead time. */
double rki_openloop_shortest(const rki_openloop *loop);

#endif
