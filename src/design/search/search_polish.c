/* SPDX-License-Identifier: MIT */
/*
 * The last part of the way down a valley, where linear models end: it is as narrow as the cancelling of
 * PV's tail, bent, and one of its walls may be a requirement. A cloud of settings is drawn about a
 * place, in logarithms, ordered from best to worst by what a search orders by, and the place and the
 * cloud's shape are moved to its better half, so that the cloud becomes as long and as narrow as the
 * valley (evolution strategy with adapted covariance). Only the order counts: kinks and forbidden
 * regions do no harm. The draws are always the same ones.
 *
 * Source  N. Hansen, A. Ostermeier, Completely derandomized self-adaptation in evolution strategies,
 *         2001, Evolutionary Computation 9(2), 159-195.
 */
#include <math.h>
#include <stdint.h>
#include <string.h>

#include "design/base/numeric.h"
#include "search_points.h"

/* Settings a cloud, the better half of them. */
enum { CLOUD = 16, HALF = CLOUD / 2, NUMBERS = RKI_SEARCH_NUMBERS };
/* The size, in logarithms, at which it ends, and the clouds at most. */
#define SMALL 2e-4
enum { CLOUDS = 80 };
#define STEEPEST 0.6 /* of the change of the size a cloud */

typedef struct cloud {
    int n;
    double place[NUMBERS], size,
        shape[NUMBERS][NUMBERS]; /* shape: its covariance over size^2 */
    double size_path[NUMBERS], shape_path[NUMBERS];
    double weight[HALF], mass; /* of the better half, and how many equal ones they count for */
    uint64_t random;
} cloud;

/* Between 0 and 1, both excluded. */
static double uniform(cloud *c)
{
    c->random ^= c->random << 13;
    c->random ^= c->random >> 7;
    c->random ^= c->random << 17;
    return ((double)(c->random >> 11) + 0.5) / 9007199254740992.0;
}

static double normal(cloud *c)
{
    return sqrt(-2.0 * log(uniform(c))) * cos(2.0 * acos(-1.0) * uniform(c));
}

static cloud cloud_at(const double *place, int n, double size)
{
    cloud c = {.n = n, .size = size, .random = UINT64_C(88172645463325252)};
    double sum = 0, squares = 0;
    int i;

    memcpy(c.place, place, (size_t)n * sizeof *place);
    for (i = 0; i < n; i++) {
        c.shape[i][i] = 1.0;
    }
    for (i = 0; i < HALF; i++) {
        c.weight[i] = log(HALF + 0.5) - log(i + 1.0);
        sum += c.weight[i];
    }
    for (i = 0; i < HALF; i++) {
        c.weight[i] /= sum;
        squares += c.weight[i] * c.weight[i];
    }
    c.mass = 1.0 / squares;
    return c;
}

/* Draws, best first: where each stands from the cloud's place, and what was drawn for it. */
typedef struct draw {
    rki_point point;
    double way[NUMBERS], drawn[NUMBERS];
} draw;

static void sort_draws(draw *d)
{
    int i, k;

    for (i = 1; i < CLOUD; i++) {
        const draw one = d[i];

        for (k = i; k > 0 && rki_point_is_better(&one.point, &d[k - 1].point); k--) {
            d[k] = d[k - 1];
        }
        d[k] = one;
    }
}

/* Place, size and shape after a cloud, by the rates of the source. */
static void move_cloud(cloud *c, const draw *d, int turn)
{
    const double n = c->n;
    const double size_rate = (c->mass + 2.0) / (n + c->mass + 5.0);
    const double damping =
        1.0 + size_rate + (2.0 * fmax(0.0, sqrt((c->mass - 1.0) / (n + 1.0)) - 1.0));
    const double path_rate = (4.0 + (c->mass / n)) / (n + 4.0 + (2.0 * c->mass / n));
    const double one_rate = 2.0 / (((n + 1.3) * (n + 1.3)) + c->mass);
    const double all_rate = fmin(1.0 - one_rate, 2.0 * (c->mass - 2.0 + (1.0 / c->mass)) /
                                                     (((n + 2.0) * (n + 2.0)) + c->mass));
    const double usual = sqrt(n) * (1.0 - (1.0 / (4.0 * n)) + (1.0 / (21.0 * n * n)));
    double way[NUMBERS] = {0}, drawn[NUMBERS] = {0}, length = 0;
    bool long_path;
    int i, j, k;

    for (i = 0; i < c->n; i++) {
        for (k = 0; k < HALF; k++) {
            way[i] += c->weight[k] * d[k].way[i];
            drawn[i] += c->weight[k] * d[k].drawn[i];
        }
        c->place[i] += c->size * way[i];
        c->size_path[i] = ((1.0 - size_rate) * c->size_path[i]) +
                          (sqrt(size_rate * (2.0 - size_rate) * c->mass) * drawn[i]);
        length += c->size_path[i] * c->size_path[i];
    }
    length = sqrt(length);
    long_path = length / sqrt(1.0 - pow(1.0 - size_rate, 2.0 * (turn + 1.0))) >
                (1.4 + (2.0 / (n + 1.0))) * usual;
    for (i = 0; i < c->n; i++) {
        c->shape_path[i] = (1.0 - path_rate) * c->shape_path[i];
        if (!long_path) {
            c->shape_path[i] += sqrt(path_rate * (2.0 - path_rate) * c->mass) * way[i];
        }
    }
    for (i = 0; i < c->n; i++) {
        for (j = 0; j < c->n; j++) {
            double sum = 0;

            for (k = 0; k < HALF; k++) {
                sum += c->weight[k] * d[k].way[i] * d[k].way[j];
            }
            c->shape[i][j] = ((1.0 - one_rate - all_rate) * c->shape[i][j]) +
                             (one_rate * c->shape_path[i] * c->shape_path[j]) +
                             (all_rate * sum);
        }
    }
    c->size *= exp(fmin(size_rate / damping * ((length / usual) - 1.0), STEEPEST));
}

/* The cloud's longest half axis is no longer than its covariance's trace. */
static double reach_of(const cloud *c)
{
    double sum = 0;
    int i;

    for (i = 0; i < c->n; i++) {
        sum += c->shape[i][i];
    }
    return c->size * sqrt(sum);
}

rk_status rki_search_polish(rki_search_run *s, double size, rki_point *best)
{
    const int n = rki_search_numbers(s);
    double place[NUMBERS], low[NUMBERS], high[NUMBERS];
    draw d[CLOUD];
    rki_point points[CLOUD];
    cloud c;
    int turn, i, k, j;

    if (n < 2 || !best->stable || best->unsafe > 0 || best->missing > 0) return RK_OK;
    rki_search_place(s, &best->settings, place);
    rki_search_bounds(s, place, low, high);
    c = cloud_at(place, n, size);
    for (turn = 0; turn < CLOUDS && reach_of(&c) > SMALL && rki_search_may_go_on(s); turn++) {
        double root[NUMBERS][NUMBERS];
        rk_status status;

        rki_cholesky(n, NUMBERS, c.shape[0], root[0]);
        memset(points, 0, sizeof points);
        for (k = 0; k < CLOUD; k++) {
            for (i = 0; i < n; i++) {
                d[k].drawn[i] = normal(&c);
            }
            for (i = 0; i < n; i++) {
                d[k].way[i] = 0;
                for (j = 0; j <= i; j++) {
                    d[k].way[i] += root[i][j] * d[k].drawn[j];
                }
                place[i] = fmin(fmax(c.place[i] + (c.size * d[k].way[i]), low[i]), high[i]);
            }
            points[k].settings = rki_search_settings_at(s, place);
        }
        status = rki_points_evaluate(s, points, CLOUD);
        if (status != RK_OK) return status;
        for (k = 0; k < CLOUD; k++) {
            d[k].point = points[k];
            if (rki_point_is_better(&points[k], best)) {
                *best = points[k];
            }
        }
        sort_draws(d);
        move_cloud(&c, d, turn);
    }
    return RK_OK;
}
