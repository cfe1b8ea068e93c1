/* SPDX-License-Identifier: MIT */
/*
 * An argument is brought near 0 by a whole number k of ln 2 or pi/2, kept in parts so short that k times
 * the first is exact; what is left, r, goes into the Taylor series up to the term that no longer counts:
 *
 *   exp(x) = 2^k (1 + p),   exp(x) - 1 = 2^k p + (2^k - 1),   p = r + r^2/2! + ..,   |r| <= ln(2)/2
 *   sin and cos of x: those of r, |r| <= pi/4, their places and signs by k mod 4
 *
 * Beyond a million turns the sine's argument is off by the rounding of the turns themselves.
 *
 * Source  W. J. Cody, W. Waite, Software Manual for the Elementary Functions, Prentice Hall, 1980.
 */
#include "elementary.h"

#include <math.h>

enum { EXP_TERMS = 14, SINE_TERMS = 22 };

#define LN2_HIGH 6.93147180369123816490e-01 /* its last 21 bits are 0 */
#define LN2_LOW 1.90821492927058770002e-10
#define QUARTER_HIGH 1.57079632673412561417e+00 /* of pi/2; the last 20 bits are 0 */
#define QUARTER_MIDDLE 6.07710050630396597660e-11
#define QUARTER_LOW 2.02226624879595063154e-21

/* Beyond these e^x is 0, or has no end. */
#define EXP_LEAST (-746.0)
#define EXP_MOST 709.0
#define TURNS_EXACT 6e6

/* exp(r) - 1 of a small r, and k with x = k ln 2 + r. */
static double reduced(double x, int *k)
{
    const double count = floor((x / (LN2_HIGH + LN2_LOW)) + 0.5);
    const double r = (x - (count * LN2_HIGH)) - (count * LN2_LOW);
    double sum = 0;
    int term;

    for (term = EXP_TERMS; term >= 2; term--) {
        sum = (r / term) * (1.0 + sum);
    }
    *k = (int)count;
    return r + (r * sum);
}

double rki_exp(double x)
{
    int k;
    double p;

    if (isnan(x)) return x;
    if (x < EXP_LEAST) return 0.0;
    if (x > EXP_MOST) return HUGE_VAL;
    p = reduced(x, &k);
    return ldexp(1.0 + p, k);
}

double rki_expm1(double x)
{
    int k;
    double p;

    if (isnan(x)) return x;
    if (x < EXP_LEAST) return -1.0;
    if (x > EXP_MOST) return HUGE_VAL;
    p = reduced(x, &k);
    if (k == 0) return p;
    return ldexp(p, k) + (ldexp(1.0, k) - 1.0);
}

/* x^first / first! less every second term behind it, signs in turn. */
static double alternate(double r, int first)
{
    const double square = r * r;
    double sum = 0;
    int term;

    for (term = SINE_TERMS + first; term > first; term -= 2) {
        sum = (square / ((double)term * (term - 1))) * (1.0 - sum);
    }
    return first == 0 ? 1.0 - sum : r - (r * sum);
}

void rki_sin_cos(double x, double *sine, double *cosine)
{
    double count, r, s, c;
    int quarter;

    if (fabs(x) > TURNS_EXACT) {
        x = fmod(x, 4.0 * (QUARTER_HIGH + QUARTER_MIDDLE));
    }
    if (!isfinite(x)) {
        *sine = *cosine = nan("");
        return;
    }
    count = floor((x / (QUARTER_HIGH + QUARTER_MIDDLE)) + 0.5);
    r = ((x - (count * QUARTER_HIGH)) - (count * QUARTER_MIDDLE)) - (count * QUARTER_LOW);
    s = alternate(r, 1);
    c = alternate(r, 0);
    quarter = (int)(count - (4.0 * floor(count / 4.0)));
    *sine = quarter == 0 ? s : quarter == 1 ? c : quarter == 2 ? -s : -c;
    *cosine = quarter == 0 ? c : quarter == 1 ? -s : quarter == 2 ? -c : s;
}
