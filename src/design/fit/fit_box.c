/* SPDX-License-Identifier: MIT */
/*
 * What is known of the dead time when each move acted within its own interval: how much of the
 * normal density of the instants, N(late, cov), lies in the box dead time - interval <= act <= dead
 * time, by Genz's sequence of conditional normals on a lattice; and the moments of all parameters
 * that go with it.
 *
 * Source  A. Genz, Numerical computation of multivariate normal probabilities, 1992, J. Comput.
 *         Graph. Stat. 1.
 */
#include <math.h>
#include <string.h>

#include "design/base/numeric.h"
#include "fit_stages.h"

/* Points of the lattice at each of so many dead times; for the evidence alone fewer will do. */
enum { LATTICE = 24, PLACES = 24, LATTICE_FEW = 16, PLACES_FEW = 16 };

/* Square roots of primes: steps of a lattice that fills a cube evenly. */
static double lattice(int point, int dimension)
{
    static const double prime[RKI_MOVES_MOST] = {2,  3,  5,  7,  11, 13, 17, 19,
                                                 23, 29, 31, 37, 41, 43, 47, 53,
                                                 59, 61, 67, 71, 73, 79, 83, 89};
    const double x = (point + 0.5) * sqrt(prime[dimension]), part = x - floor(x);

    return fabs((2.0 * part) - 1.0);
}

/* A normal number between two, from a uniform one; *part becomes how likely that is. The tail that
   is nearer is counted from its own end. */
static double between_two(double low, double high, double uniform, double *part)
{
    const bool turned = low > 0;
    const double a = rki_normal_part(turned ? -high : low);
    const double b = rki_normal_part(turned ? -low : high);
    const double y =
        rki_normal_quantile(fmin(fmax(a + (uniform * (b - a)), 1e-300), 1.0 - 1e-16));

    *part = b - a;
    return turned ? -y : y;
}

/* One point of the lattice at one dead time: the instants, and what the point weighs. */
static double draw(const rki_between *w, double l[RKI_MOVES_MOST][RKI_MOVES_MOST], double theta,
                   int point, double *late)
{
    double y[RKI_MOVES_MOST] = {0}, weight = 1.0;
    int j, i;

    for (j = 0; j < w->moves.count && weight > 0; j++) {
        double mean = w->late[j], part;

        for (i = 0; i < j; i++) {
            mean += l[j][i] * y[i];
        }
        y[j] = between_two((theta - w->moves.room[j] - mean) / l[j][j],
                           (theta - mean) / l[j][j], lattice(point, j), &part);
        late[j] = mean + (l[j][j] * y[j]);
        weight *= part / w->moves.room[j];
    }
    return weight;
}

/* What the instants say of the other parameters: with = covariance times the inverse. */
typedef struct others {
    double by[RKI_PARAMETERS][RKI_MOVES_MOST];   /* slope */
    double rest[RKI_PARAMETERS][RKI_PARAMETERS]; /* covariance, the instants known */
} others;

static bool find_others(const rki_between *w, others *o)
{
    double inverse[RKI_MOVES_MOST][RKI_MOVES_MOST];
    int i, j, k;

    if (!rki_invert_positive(w->moves.count, RKI_MOVES_MOST, w->cov[0], inverse[0]))
        return false;
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (k = 0; k < w->moves.count; k++) {
            o->by[i][k] = 0;
            for (j = 0; j < w->moves.count; j++) {
                o->by[i][k] += w->with[i][j] * inverse[j][k];
            }
        }
    }
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            o->rest[i][j] = w->own[i][j];
            for (k = 0; k < w->moves.count; k++) {
                o->rest[i][j] -= o->by[i][k] * w->with[j][k];
            }
        }
    }
    return true;
}

/* Dead times that the box leaves anything of the instants at. */
bool rki_between_range(const rki_between *w, double range[2])
{
    int k;

    range[0] = 0.0;
    range[1] = HUGE_VAL;
    for (k = 0; k < w->moves.count; k++) {
        const double reach = 5.0 * sqrt(w->cov[k][k]);

        range[0] = fmax(range[0], w->late[k] - reach);
        range[1] = fmin(range[1], w->late[k] + w->moves.room[k] + reach);
    }
    return range[1] > range[0];
}

/* The integral over all dead times; with a mixture, its points about q. */
double rki_between_box(const rki_between *w, const double *q, rki_mixture *m)
{
    double l[RKI_MOVES_MOST][RKI_MOVES_MOST], range[2], sum = 0;
    int n, p, i, k;
    others o;

    const int places = m != NULL ? PLACES : PLACES_FEW;
    const int points = w->moves.count < 2 ? 1 : m != NULL ? LATTICE : LATTICE_FEW;

    rki_cholesky(w->moves.count, RKI_MOVES_MOST, w->cov[0], l[0]);
    if (!rki_between_range(w, range) || (m != NULL && !find_others(w, &o))) return 0.0;
    for (n = 0; n < places; n++) {
        const double width = (range[1] - range[0]) / places;
        const double theta = range[0] + ((n + 0.5) * width);

        for (p = 0; p < points; p++) {
            double late[RKI_MOVES_MOST] = {0}, off[RKI_PARAMETERS];
            const double weight = draw(w, l, theta, p, late) / points;

            sum += weight * width;
            if (m == NULL || !(weight > 0)) continue;
            for (i = 0; i < RKI_PARAMETERS; i++) {
                off[i] = w->q[i] - q[i];
                for (k = 0; k < w->moves.count; k++) {
                    off[i] += o.by[i][k] * (late[k] - w->late[k]);
                }
            }
            off[RKI_THETA] = theta - q[RKI_THETA];
            rki_mixture_add(m, theta, weight, off, o.rest);
        }
    }
    return sum;
}

void rki_between_add(const rki_between *w, const double q[RKI_PARAMETERS], double part,
                     rki_mixture *m)
{
    rki_mixture own;

    memset(&own, 0, sizeof own);
    (void)rki_between_box(w, q, &own);
    rki_mixture_scale(&own, part);
    rki_mixture_join(m, &own);
}

void rki_between_widen(rki_between *w, double curved[RKI_PARAMETERS][RKI_PARAMETERS],
                       double along[RKI_PARAMETERS][RKI_PARAMETERS])
{
    double more[RKI_PARAMETERS][RKI_PARAMETERS];
    int i, j, k;

    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            more[i][j] = along[i][j] - curved[i][j];
        }
    }
    if (!(more[RKI_THETA][RKI_THETA] > 0)) return;
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            w->own[i][j] += i != RKI_THETA && j != RKI_THETA ? more[i][j] : 0.0;
        }
        for (k = 0; k < w->moves.count && i != RKI_THETA; k++) {
            w->with[i][k] += more[i][RKI_THETA];
        }
    }
    for (i = 0; i < w->moves.count; i++) {
        for (k = 0; k < w->moves.count; k++) {
            w->cov[i][k] += more[RKI_THETA][RKI_THETA];
        }
    }
}
