/* SPDX-License-Identifier: MIT */
/*
 * Is PV steady over a stretch? A line and a bend are fitted; their movement over the stretch is
 * compared with its own standard error, which allows for correlated noise by a sum of the
 * residual's covariances (heteroskedasticity and autocorrelation consistent).
 */
#include "trend.h"

#include <math.h>
#include <string.h>

/* Lags of the correlation that are summed: as many as the rows' root, and no more than this. */
#define LAGS_MOST 40.0

/* Noise slower than what widens the error so much counts as movement. */
#define WIDEST 4.0

/* A line and a bend through a stretch: pv = mean + slope t + bend (t^2 - tilt t - square),
   where t is from the mean time, and the bend's polynomial stands square to the line's. */
typedef struct line {
    const double *time, *pv; /* from the first row of the stretch */
    double t_mean, y_mean, slope, bend, tilt, square;
} line;

static double from_mean(const line *l, size_t i)
{
    return l->time[i] - l->time[0] - l->t_mean;
}

static double bow(const line *l, double t)
{
    return (t * t) - (l->tilt * t) - l->square;
}

/* What line and bend leave: a curve on its way to rest is movement, not noise. */
static double rest(const line *l, size_t i)
{
    const double t = from_mean(l, i);

    return l->pv[i] - l->pv[0] - l->y_mean - (l->slope * t) - (l->bend * bow(l, t));
}

static void fit_line(line *l, size_t rows, double *tt)
{
    double ty = 0, ttt = 0, by = 0, bb = 0;
    size_t i;

    for (i = 0; i < rows; i++) {
        l->t_mean += (l->time[i] - l->time[0]) / (double)rows;
        l->y_mean += (l->pv[i] - l->pv[0]) / (double)rows;
    }
    for (i = 0; i < rows; i++) {
        const double t = from_mean(l, i);

        *tt += t * t;
        ttt += t * t * t;
        ty += t * (l->pv[i] - l->pv[0] - l->y_mean);
    }
    l->slope = ty / *tt;
    l->tilt = ttt / *tt;
    l->square = *tt / (double)rows;
    for (i = 0; i < rows; i++) {
        const double b = bow(l, from_mean(l, i));

        bb += b * b;
        by += b * (l->pv[i] - l->pv[0] - l->y_mean);
    }
    l->bend = bb > 0 ? by / bb : 0.0;
}

/* How much wider correlated noise makes the error: the root of 1 + 2 (sum of correlations),
   with Bartlett's weights. W. K. Newey, K. D. West, A simple, positive semi-definite,
   heteroskedasticity and autocorrelation consistent covariance matrix, 1987, Econometrica 55.
 */
static double widening(const line *l, size_t rows, double left)
{
    enum { MOST = (int)LAGS_MOST, BATCH = 1024 };
    const size_t lags = (size_t)fmin(sqrt((double)rows), LAGS_MOST);
    double window[MOST + BATCH] = {0}, product[MOST + 1] = {0}, sum = 1.0;
    size_t lag, first, i;

    for (first = 0; first < rows; first += BATCH) { /* behind the last ones of those before */
        const size_t count = rows - first < BATCH ? rows - first : BATCH;

        for (i = 0; i < count; i++) {
            window[MOST + i] = rest(l, first + i);
        }
        for (lag = 1; lag <= lags; lag++) {
            for (i = 0; i < count; i++) {
                product[lag] += window[MOST + i] * window[MOST + i - lag];
            }
        }
        memmove(window, window + count, MOST * sizeof *window);
    }
    for (lag = 1; lag <= lags; lag++) {
        sum += 2.0 * (1.0 - ((double)lag / (double)(lags + 1))) * (product[lag] / left);
    }
    return sqrt(fmax(sum, 1.0));
}

/* What is left of a line has a correlation that is too low by about this over the rows. M. G.
   Kendall, Note on bias in the estimation of autocorrelation, 1954, Biometrika 41. */
static double unbiased(double correlation, double rows)
{
    return fmin(fmax(correlation + ((1.0 + (4.0 * correlation)) / rows), 0.0), 0.99);
}

rki_trend rki_trend_of(const double *time, const double *pv, size_t first, size_t last)
{
    const size_t rows = last - first + 1;
    double tt = 0, left = 0, product = 0, wider = 1.0;
    rki_trend made = {.span = time[last] - time[first]};
    line l = {.time = time + first, .pv = pv + first};
    size_t i;

    fit_line(&l, rows, &tt);
    made.slope = l.slope;
    for (i = 0; i < rows; i++) {
        left += rest(&l, i) * rest(&l, i);
        product += i > 0 ? rest(&l, i) * rest(&l, i - 1) : 0.0;
    }
    made.noise = sqrt(left / ((double)rows - 3.0));
    if (left > 0) {
        made.correlation = unbiased(product / left, (double)rows);
        wider = fmax(widening(&l, rows, left),
                     sqrt((1.0 + made.correlation) / (1.0 - made.correlation)));
    }
    made.error = made.noise / sqrt(tt) * fmin(wider, WIDEST);
    return made;
}

/* Standard errors of a drift that is one. Correlations that a short stretch shows are too low,
   and so is the error. */
#define SURE 4.0

bool rki_trend_is_steady(const rki_trend *s, double least)
{
    const double drift = fabs(s->slope) * s->span;

    return drift <= fmax(SURE * s->error * s->span, fmax(s->noise, least));
}
