/* SPDX-License-Identifier: MIT */
/*
 * Polynomials with real coefficients, c[0] + c[1] x + ... The positive roots are found by
 * recursion: between two neighbouring roots of the derivative a polynomial is monotone, so that
 * a change of sign there encloses exactly one root, halved in ln x to full precision. Cauchy's
 * bound on the size of all roots closes the ends. Roots of even multiplicity, which do not
 * change the sign, are not listed. Degrees are small: a root costs up to 200 evaluations, at
 * each degree below too.
 */
#include "poly.h"

#include <math.h>
#include <stdbool.h>

static void trim(rki_poly *a)
{
    while (a->degree > 0 && a->c[a->degree] == 0) {
        a->degree--;
    }
}

rki_poly rki_poly_make(double c0, double c1, double c2)
{
    rki_poly made = {2, {c0, c1, c2}};

    trim(&made);
    return made;
}

rki_poly rki_poly_multiply(const rki_poly *a, const rki_poly *b)
{
    rki_poly made = {a->degree + b->degree, {0}};
    int i, j;

    for (i = 0; i <= a->degree; i++) {
        for (j = 0; j <= b->degree; j++) {
            made.c[i + j] += a->c[i] * b->c[j];
        }
    }
    trim(&made);
    return made;
}

rki_poly rki_poly_add(const rki_poly *a, const rki_poly *b, double b_factor)
{
    rki_poly made = *a;
    int i;

    if (b->degree > made.degree) {
        made.degree = b->degree;
    }
    for (i = 0; i <= b->degree; i++) {
        made.c[i] += b_factor * b->c[i];
    }
    trim(&made);
    return made;
}

rki_poly rki_poly_derivative(const rki_poly *a)
{
    rki_poly made = {a->degree > 0 ? a->degree - 1 : 0, {0}};
    int i;

    for (i = 1; i <= a->degree; i++) {
        made.c[i - 1] = i * a->c[i];
    }
    return made;
}

double rki_poly_value(const rki_poly *a, double x)
{
    double value = a->c[a->degree];
    int i;

    for (i = a->degree - 1; i >= 0; i--) {
        value = (value * x) + a->c[i];
    }
    return value;
}

/* The largest |c[i] / c[of]|: Cauchy's bound on the roots from above (of = degree) or below (of
 * = 0). */
static double largest_ratio(const rki_poly *a, int of)
{
    double most = 0;
    int i;

    for (i = 0; i <= a->degree; i++) {
        if (i != of) {
            most = fmax(most, fabs(a->c[i] / a->c[of]));
        }
    }
    return most;
}

/* A sign change lies in low..high, 0 < low < high: halve in ln x, so that small roots stay
 * exact. */
static double bisect(const rki_poly *a, double low, double high)
{
    const bool rising = rki_poly_value(a, low) < 0;
    int i;

    for (i = 0; i < 200; i++) {
        const double middle = sqrt(low) * sqrt(high);

        if (!(middle > low) || !(middle < high)) break;
        if ((rki_poly_value(a, middle) < 0) == rising) {
            low = middle;
        } else {
            high = middle;
        }
    }
    return 0.5 * (low + high);
}

int rki_poly_positive_roots(const rki_poly *a, double roots[RKI_POLY_MAX])
{
    double turn[RKI_POLY_MAX + 1];
    rki_poly p = *a, slope;
    double low, most;
    int turns, i, count = 0;

    trim(&p);
    while (p.degree > 0 && p.c[0] == 0) { /* roots at zero are not wanted */
        for (i = 0; i < p.degree; i++) {
            p.c[i] = p.c[i + 1];
        }
        p.degree--;
    }
    if (p.degree == 0) return 0;

    slope = rki_poly_derivative(&p);
    turns = rki_poly_positive_roots(&slope, turn);
    low = 0.5 / (1.0 + largest_ratio(&p, 0));
    most = 2.0 * (1.0 + largest_ratio(&p, p.degree));
    turn[turns] = most;
    for (i = 0; i <= turns; i++) {
        const double high = fmin(turn[i], most);

        if (!(high > low)) continue;
        if (rki_poly_value(&p, low) == 0) {
            roots[count++] = low;
        } else if (rki_poly_value(&p, low) * rki_poly_value(&p, high) < 0) {
            roots[count++] = bisect(&p, low, high);
        }
        low = high;
    }
    return count;
}
