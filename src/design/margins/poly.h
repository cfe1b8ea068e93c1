/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_MARGINS_POLY_H
#define RKI_DESIGN_MARGINS_POLY_H

enum { RKI_POLY_MAX = 16 };

/** c[0] + c[1] x + ... + c[degree] x^degree. */
typedef struct rki_poly {
    int degree;
    double c[RKI_POLY_MAX + 1];
} rki_poly;

rki_poly rki_poly_make(double c0, double c1, double c2);
rki_poly rki_poly_multiply(const rki_poly *a, const rki_poly *b);
rki_poly rki_poly_add(const rki_poly *a, const rki_poly *b, double b_factor);
rki_poly rki_poly_derivative(const rki_poly *a);
double rki_poly_value(const rki_poly *a, double x);

/**
 * All real roots x > 0, ascending; returns how many. Between two neighbouring roots of the
 * derivative there is at most one: they are found degree by degree and bisected.
 */
int rki_poly_positive_roots(const rki_poly *a, double roots[RKI_POLY_MAX]);

#endif
