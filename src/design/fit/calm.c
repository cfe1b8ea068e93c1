/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "series.h"

/* Intervals that differ by this part of one are the same to a straight line. */
#define REGULAR 1e-6

static bool is_regular(const rki_series *s, size_t first)
{
    size_t i;

    if (first < RKI_CALM_LAGS) return false;
    for (i = first - RKI_CALM_LAGS + 1; i < first + RKI_CALM_ROWS; i++) {
        const double gap = s->time[i] - s->time[i - 1];

        if (s->weight[i - 1] != 1.0 || fabs(gap - s->interval) > REGULAR * s->interval) {
            return false;
        }
    }
    return true;
}

/* Sums over the rows themselves, and from them those of PV some rows back: what comes in at one
   end of the piece and goes out at the other is all that differs. z has PV from RKI_CALM_LAGS rows
   before on. */
static void add_rows(rki_calm *c, const rki_series *s, size_t first)
{
    enum { ROWS = RKI_CALM_ROWS, LAGS = RKI_CALM_LAGS };
    const size_t before = c->regular ? LAGS : 0;
    double room[LAGS + ROWS] = {0}, product[LAGS] = {0};
    double *z = room + LAGS;
    const double h = s->interval;
    int i, k, l, m;

    for (i = -(int)before; i < ROWS; i++) {
        z[i] = s->pv[first + (size_t)(i + (int)before) - before] - c->y0;
    }
    for (i = 0; i < ROWS; i++) {
        const double t = s->time[first + (size_t)i] - c->t0;

        c->t += t;
        c->tt += t * t;
        c->y[0] += z[i];
        c->ty[0] += t * z[i];
    }
    for (m = 0; m < (c->regular ? LAGS : 1); m++) {
        for (i = 0; i < ROWS; i++) {
            product[m] += z[i] * z[i - m];
        }
    }
    c->yy[0][0] = product[0];
    for (k = 1; k < LAGS && c->regular; k++) {
        c->y[k] = c->y[k - 1] + z[-k] - z[ROWS - k];
        /* the time of a row is k intervals after that of PV k rows back */
        c->ty[k] = c->ty[k - 1] + (h * c->y[k - 1]) - (h * ROWS * z[ROWS - k]);
    }
    for (k = 0; k < LAGS && c->regular; k++) {
        for (l = k; l < LAGS; l++) {
            double sum = product[l - k];

            for (i = 1; i <= k; i++) {
                sum += (z[-i] * z[-i - (l - k)]) - (z[ROWS - i] * z[ROWS - i - (l - k)]);
            }
            c->yy[k][l] = c->yy[l][k] = sum;
        }
    }
}

static void fill(rki_calm *c, const rki_series *s, size_t first)
{
    size_t i;

    memset(c, 0, sizeof *c);
    c->t0 = s->time[first];
    c->whole = true;
    for (i = first; i < first + RKI_CALM_ROWS; i++) {
        c->whole = c->whole && s->weight[i] == 1.0;
        c->y0 += s->pv[i] / RKI_CALM_ROWS;
    }
    c->regular = c->whole && is_regular(s, first);
    if (c->whole) {
        add_rows(c, s, first);
    }
}

rk_status rki_series_sum(rki_series *series)
{
    const size_t pieces = series->samples / RKI_CALM_ROWS;
    size_t i;

    if (pieces == 0) return RK_OK;
    if (series->calm == NULL) {
        series->calm = rk_memory_create(pieces, sizeof *series->calm);
    }
    if (series->calm == NULL) return RK_ERR_MEMORY;
    for (i = 0; i < pieces; i++) {
        fill(&series->calm[i], series, i * RKI_CALM_ROWS);
    }
    return RK_OK;
}

const rki_calm *rki_series_calm(const rki_series *series, size_t first)
{
    const rki_calm *c;

    if (series->calm == NULL || first % RKI_CALM_ROWS != 0 ||
        first + RKI_CALM_ROWS > series->samples) {
        return NULL;
    }
    c = &series->calm[first / RKI_CALM_ROWS];
    return c->whole ? c : NULL;
}
