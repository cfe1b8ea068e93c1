/* SPDX-License-Identifier: MIT */
/*
 * The calmest level loop: a vessel that is to absorb changes of flow, its level allowed to move by
 * `deviation` for a load of `load` at the process's input.
 *
 * Without dead time the lambda PI of an integrator peaks at gain * load * lambda / e after a load
 * step, and P alone rests at load / kc. With dead time both peak higher; the peak is then that of the
 * exact loop, whose level is followed from dead time to dead time: what the controller did a dead
 * time ago is known, so that a step of the trapezoid rule needs no guess.
 */
#include "averaging.h"

#include <math.h>
#include <stddef.h>

#include <redkettle/design/base/memory.h>

/* Steps in the loop's own time, and how many of those times are followed: the first peak comes within
   them. */
#define STEPS 4000.0
#define FOLLOWED 6.0
/* A dead time of less than this part of lambda changes nothing that counts. */
#define NO_DEAD_TIME 1e-5
/* The least lambda, in dead times, and P's largest gain times the dead time: below and above them the
   loop swings. */
#define LAMBDA_LEAST 1.0
#define LOOP_MOST 0.8
/* Up to this P does not swing at all. */
#define LOOP_CALM 0.36787944117144233 /* 1 / e */
enum { HALVINGS = 60 };

rki_averaging rki_averaging_at(double theta, double lambda)
{
    const double sum = lambda + theta, ti = (2.0 * lambda) + theta;

    return (rki_averaging){ti / (sum * sum), ti};
}

/* The peak of x' = 1 - u, theta behind, with u = k (x + integral of x / ti), of a load step of 1. NaN:
   no memory. */
double rki_averaging_peak(double theta, rki_averaging loop)
{
    const double own = theta + (isinf(loop.ti) ? 1.0 / loop.k : loop.ti);
    const size_t behind = (size_t)ceil(STEPS * theta / own);
    const double h = theta / (double)behind;
    const size_t steps = (size_t)ceil(FOLLOWED * own / h);
    double *u = rk_memory_create(steps + 1, sizeof *u);
    double x = 0, sum = 0, peak = 0;
    size_t i;

    if (u == NULL) return nan("");
    for (i = 0; i < steps; i++) { /* from when the load is felt; u[i] is of that time */
        const double before = i >= behind ? u[i - behind] : 0.0;
        const double after = i + 1 >= behind ? u[i + 1 - behind] : 0.0;
        const double next = x + (h * (1.0 - (0.5 * (before + after))));

        sum += 0.5 * h * (x + next);
        x = next;
        u[i + 1] = loop.k * (x + (isinf(loop.ti) ? 0.0 : sum / loop.ti));
        peak = fmax(peak, x);
    }
    rk_memory_free(u);
    return peak;
}

static double peak_of(double theta, double lambda)
{
    return theta > NO_DEAD_TIME * lambda
               ? rki_averaging_peak(theta, rki_averaging_at(theta, lambda))
               : lambda * LOOP_CALM;
}

/* The peak grows with lambda: halve between one that is too small and one that is too large. */
bool rki_averaging_lambda(double theta, double wanted, double *lambda, double *least)
{
    const double start = wanted / LOOP_CALM;
    double low = LAMBDA_LEAST * theta, high = fmax(start, low);
    int i;

    *least = peak_of(theta, low);
    if (!(wanted >= *least)) return false;
    for (i = 0; i < HALVINGS && high > low * (1.0 + 1e-12); i++) {
        const double middle = 0.5 * (low + high);

        if (peak_of(theta, middle) < wanted) {
            low = middle;
        } else {
            high = middle;
        }
    }
    *lambda = theta > 0 ? low : start;
    return true;
}

/* P alone: its peak times its gain grows with the gain, but the peak itself falls. */
bool rki_averaging_gain(double theta, double wanted, double *k, double *least)
{
    double low = 1.0 / wanted, high = theta > 0 ? LOOP_MOST / theta : low;
    int i;

    *least = theta > 0 ? rki_averaging_peak(theta, (rki_averaging){high, HUGE_VAL}) : 0.0;
    if (!(wanted >= *least)) return false;
    *k = low;
    if (low * theta <= LOOP_CALM) return true; /* it rests there, and was never beyond */
    for (i = 0; i < HALVINGS && high > low * (1.0 + 1e-12); i++) {
        const double middle = 0.5 * (low + high);

        if (rki_averaging_peak(theta, (rki_averaging){middle, HUGE_VAL}) > wanted) {
            low = middle;
        } else {
            high = middle;
        }
    }
    *k = high;
    return true;
}
