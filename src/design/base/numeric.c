/* SPDX-License-Identifier: MIT */
#include "numeric.h"

#include <math.h>
#include <string.h>

void rki_cholesky(int n, int stride, const double *c, double *l)
{
    int i, j, k;

    for (j = 0; j < n; j++) {
        for (i = 0; i < n; i++) {
            double *const at = &l[(i * stride) + j];
            double rest = c[(i * stride) + j];

            for (k = 0; k < j; k++) {
                rest -= l[(i * stride) + k] * l[(j * stride) + k];
            }
            if (i < j) {
                *at = 0.0;
            } else if (i == j) {
                *at = sqrt(fmax(rest, 0.0));
            } else {
                *at = l[(j * stride) + j] > 0 ? rest / l[(j * stride) + j] : 0.0;
            }
        }
    }
}

/* Pivots below this part of a scaled matrix are none. */
#define SINGULAR 1e-13

bool rki_invert_positive(int n, int stride, const double *h, double *inverse)
{
    double m[RKI_INVERT_MOST][2 * RKI_INVERT_MOST], scale[RKI_INVERT_MOST];
    int i, j, k;

    for (i = 0; i < n; i++) {
        const double own = h[i * (stride + 1)];

        if (!(own > 0 && isfinite(own))) return false;
        scale[i] = 1.0 / sqrt(own);
    }
    for (i = 0; i < n; i++) {
        for (j = 0; j < n; j++) {
            m[i][j] = h[(i * stride) + j] * scale[i] * scale[j];
            m[i][n + j] = i == j;
        }
    }
    for (i = 0; i < n; i++) {
        if (!(m[i][i] > SINGULAR)) return false;
        for (j = (2 * n) - 1; j >= i; j--) {
            m[i][j] /= m[i][i];
        }
        for (k = 0; k < n; k++) {
            for (j = (2 * n) - 1; j >= i && k != i; j--) {
                m[k][j] -= m[k][i] * m[i][j];
            }
        }
    }
    for (i = 0; i < n; i++) {
        for (j = 0; j < n; j++) {
            inverse[(i * stride) + j] = m[i][n + j] * scale[i] * scale[j];
        }
    }
    return true;
}

void rki_levinson(int order, const double *c, double *a, double *variance)
{
    double before[RKI_LEVINSON_MOST], reflection = c[order];
    int k;

    for (k = 1; k < order; k++) {
        reflection -= a[k - 1] * c[order - k];
    }
    reflection /= *variance;
    memcpy(before, a, (size_t)(order - 1) * sizeof *a);
    for (k = 1; k < order; k++) {
        a[k - 1] = before[k - 1] - (reflection * before[order - k - 1]);
    }
    a[order - 1] = reflection;
    *variance *= (1.0 - reflection) * (1.0 + reflection);
}

double rki_student95(double freedom)
{
    const double z = 1.959963984540054, z2 = z * z;
    const double a = (z2 + 1.0) / 4.0;
    const double b = ((((5.0 * z2) + 16.0) * z2) + 3.0) / 96.0;
    const double c = ((((((3.0 * z2) + 19.0) * z2) + 17.0) * z2) - 15.0) / 384.0;

    return z * (1.0 + ((a + ((b + (c / freedom)) / freedom)) / freedom));
}

double rki_chi_square95(int freedom)
{
    static const double below[] = {0, 3.841, 5.991, 7.815, 9.488, 11.070};

    return below[freedom];
}

double rki_golden_most(rki_function *f, const void *user, double low, double high, double near)
{
    const double part = 0.3819660112501051; /* (3 - sqrt 5) / 2 */
    double a = low + (part * (high - low)), b = high - (part * (high - low));
    double at_a = f(user, a), at_b = f(user, b);

    while (high - low > near * high) {
        if (at_a > at_b) {
            high = b;
            b = a;
            at_b = at_a;
            a = low + (part * (high - low));
            at_a = f(user, a);
        } else {
            low = a;
            a = b;
            at_a = at_b;
            b = high - (part * (high - low));
            at_b = f(user, b);
        }
    }
    return fmax(at_a, at_b);
}
