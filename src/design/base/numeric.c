/* SPDX-License-Identifier: MIT */
#include "numeric.h"

#include <float.h>
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

double rki_root(rki_function *f, const void *user, double low, double high)
{
    enum { MOST = 100 };
    double a = low, b = high, fa = f(user, a), fb = f(user, b);
    double c = a, fc = fa, last = b - a, before = last;
    int i;

    for (i = 0; i < MOST && fb != 0; i++) {
        double middle, near;

        if ((fb > 0) == (fc > 0)) { /* c is b's other side */
            c = a;
            fc = fa;
            last = before = b - a;
        }
        if (fabs(fc) < fabs(fb)) {
            a = b;
            b = c;
            c = a;
            fa = fb;
            fb = fc;
            fc = fa;
        }
        near = 2.0 * DBL_EPSILON * fabs(b);
        middle = 0.5 * (c - b);
        if (fabs(middle) <= near) break;
        if (fabs(before) >= near && fabs(fa) > fabs(fb)) {
            const double s = fb / fa;
            double p, q;

            if (a == c) { /* a chord */
                p = 2.0 * middle * s;
                q = 1.0 - s;
            } else { /* a parabola through three points */
                const double r = fb / fc, t = fa / fc;

                p = s * ((2.0 * middle * t * (t - r)) - ((b - a) * (r - 1.0)));
                q = (t - 1.0) * (r - 1.0) * (s - 1.0);
            }
            q = p > 0 ? -q : q;
            p = fabs(p);
            if (2.0 * p < fmin((3.0 * middle * q) - fabs(near * q), fabs(before * q))) {
                before = last;
                last = p / q;
            } else {
                last = before = middle;
            }
        } else {
            last = before = middle;
        }
        a = b;
        fa = fb;
        b += fabs(last) > near ? last : copysign(near, middle);
        fb = f(user, b);
    }
    return b;
}

/* Of the rest of an interval the golden section takes this part. */
#define GOLDEN 0.3819660112501051

double rki_most(rki_function *f, const void *user, double low, double high, double near)
{
    enum { MOST = 100 };
    double x = low + (GOLDEN * (high - low)), fx = f(user, x);
    double w = x, v = x, fw = fx, fv = fx, last = 0, before = 0;
    int i;

    for (i = 0; i < MOST; i++) {
        const double middle = 0.5 * (low + high), least = (near * fabs(x)) + DBL_MIN;
        double u, fu;
        bool fits = false;

        if (fabs(x - middle) <= (2.0 * least) - (0.5 * (high - low))) break;
        if (fabs(before) > least) { /* a parabola through the best three */
            const double r = (x - w) * (fx - fv), q = (x - v) * (fx - fw);
            double p = ((x - v) * q) - ((x - w) * r), d = 2.0 * (q - r);
            const double was = before;

            p = d > 0 ? -p : p;
            d = fabs(d);
            fits = fabs(p) < fabs(0.5 * d * was) && p > d * (low - x) && p < d * (high - x);
            if (fits) {
                before = last;
                last = p / d;
                if (x + last - low < 2.0 * least || high - (x + last) < 2.0 * least) {
                    last = copysign(least, middle - x);
                }
            }
        }
        if (!fits) {
            before = x < middle ? high - x : low - x;
            last = GOLDEN * before;
        }
        u = x + (fabs(last) >= least ? last : copysign(least, last));
        fu = f(user, u);
        if (fu >= fx) {
            *(u >= x ? &low : &high) = x;
            v = w;
            fv = fw;
            w = x;
            fw = fx;
            x = u;
            fx = fu;
        } else {
            *(u < x ? &low : &high) = u;
            if (fu >= fw || w == x) {
                v = w;
                fv = fw;
                w = u;
                fw = fu;
            } else if (fu >= fv || v == x || v == w) {
                v = u;
                fv = fu;
            }
        }
    }
    return fx;
}

double rki_normal_part(double x)
{
    return 0.5 * erfc(-x / sqrt(2.0));
}

/* M. Abramowitz, I. A. Stegun, Handbook of Mathematical Functions, 1964, 26.2.23, and one step of
   Newton's from there. */
double rki_normal_quantile(double part)
{
    const double tail = fmin(part, 1.0 - part), t = sqrt(-2.0 * log(fmax(tail, 1e-300)));
    const double x = t - ((2.515517 + (t * (0.802853 + (t * 0.010328)))) /
                          (1.0 + (t * (1.432788 + (t * (0.189269 + (t * 0.001308)))))));
    const double density = exp(-0.5 * x * x) / sqrt(2.0 * acos(-1.0));
    const double better = density > 0 ? x + ((rki_normal_part(-x) - tail) / density) : x;

    return part < 0.5 ? -better : better;
}
