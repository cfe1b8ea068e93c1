/* SPDX-License-Identifier: MIT */
/*
 * What a record tells without a model: intervals and gaps, PV's noise, its correlation and its
 * quantum. The noise is the scatter of each row about the line between its neighbours, by the
 * median, in which a response and spikes hardly count; where PV is read in coarse steps the
 * mean square without the largest values serves. The correlation from row to row is taken of
 * quiet stretches.
 */
#include <math.h>

#include "design/base/quantile.h"
#include "facts.h"
#include "trend.h"

/* Intervals longer than this many medians are gaps. */
#define GAP 3.0
/* A stretch with fewer rows tells nothing of the noise's colour. */
enum { QUIET_ROWS = 20, SMOOTH = 5 };

void rki_facts_sampling(const rki_columns_view *v, rk_record_facts *made)
{
    const size_t intervals = v->rows - 1;
    size_t i;

    for (i = 0; i < intervals; i++) {
        v->work[i] = v->time[i + 1] - v->time[i];
    }
    made->interval = rki_quantile(v->work, intervals, 0.5);
    made->interval_min = v->work[0];
    made->interval_max = v->work[intervals - 1];
    for (i = 0; i < intervals; i++) {
        const double length = v->time[i + 1] - v->time[i];

        if (!(length > GAP * made->interval)) continue;
        if (made->gaps < RK_GAPS_MAX) {
            made->gap[made->gaps] = (rk_gap){v->time[i], length};
        }
        made->gaps++;
    }
}

/* Each row against the line between its neighbours: noise stays, a response hardly does. */
static double noise_of_neighbours(const rki_columns_view *v)
{
    double median, sum = 0;
    size_t count = 0, few, i;

    for (i = 1; i + 1 < v->rows; i++) {
        const double part = (v->time[i] - v->time[i - 1]) / (v->time[i + 1] - v->time[i - 1]);
        const double off = v->pv[i] - ((1 - part) * v->pv[i - 1]) - (part * v->pv[i + 1]);

        v->work[count++] = fabs(off) / sqrt(1 + ((1 - part) * (1 - part)) + (part * part));
    }
    if (count == 0) return 0.0;
    median = rki_quantile(v->work, count, 0.5);
    if (median > 0) return median / RKI_MEDIAN_OF_NORMAL;
    /* Most rows equal their neighbours: a coarse PV. The mean square without the largest. */
    few = (size_t)(0.95 * (double)count);
    for (i = 0; i < few; i++) {
        sum += v->work[i] * v->work[i];
    }
    return few > 0 ? sqrt(sum / (double)few) : 0.0;
}

/* Of a quiet stretch: what a straight line leaves, and its colour. */
static void noise_of_stretch(const rki_columns_view *v, size_t first, size_t last,
                             rk_record_facts *made)
{
    const rki_trend line = rki_trend_of(v->time, v->pv, first, last);
    const double middle = 0.5 * (v->time[first] + v->time[last]);
    double mean = 0;
    size_t i;

    for (i = first; i <= last; i++) {
        mean += v->pv[i] / (double)(last - first + 1);
    }
    for (i = first; i <= last; i++) {
        v->work[i - first] = fabs(v->pv[i] - mean - (line.slope * (v->time[i] - middle)));
    }
    made->noise =
        fmax(made->noise, rki_quantile(v->work, last - first + 1, 0.5) / RKI_MEDIAN_OF_NORMAL);
    made->noise_correlation = line.correlation;
}

double rki_quantum(const double *pv, size_t rows)
{
    double least = HUGE_VAL, scale = 0;
    size_t changes = 0, fits = 0, i;

    for (i = 0; i < rows; i++) {
        scale = fmax(scale, fabs(pv[i]));
    }
    for (i = 1; i < rows; i++) {
        const double change = fabs(pv[i] - pv[i - 1]);

        if (change > 1e-12 * scale && change < least) {
            least = change;
        }
    }
    if (isinf(least)) return 0.0;
    for (i = 1; i < rows; i++) {
        const double steps = fabs(pv[i] - pv[i - 1]) / least;

        if (!(steps > 0.5)) continue;
        changes++;
        fits += fabs(steps - nearbyint(steps)) < fmin(0.02 + (1e-12 * scale / least), 0.1);
    }
    return (double)fits >= 0.95 * (double)changes ? least : 0.0;
}

static double median_of_five(const double *x)
{
    double sorted[SMOOTH] = {0};
    size_t i, k;

    for (i = 0; i < SMOOTH; i++) {
        for (k = i; k > 0 && sorted[k - 1] > x[i]; k--) {
            sorted[k] = sorted[k - 1];
        }
        sorted[k] = x[i];
    }
    return sorted[SMOOTH / 2];
}

/* Between the highest and the lowest of medians of five rows: a spike moves nothing. */
static double moved(const rki_columns_view *v)
{
    double low = HUGE_VAL, high = -HUGE_VAL;
    size_t i;

    for (i = 0; i + SMOOTH <= v->rows; i++) {
        const double median = median_of_five(v->pv + i);

        low = fmin(low, median);
        high = fmax(high, median);
    }
    return high > low ? high - low : 0.0;
}

void rki_facts_noise(const rki_columns_view *v, rk_record_facts *made)
{
    const size_t before = rki_rows_before(v, made);

    made->quantum = rki_quantum(v->pv, v->rows);
    made->noise = noise_of_neighbours(v);
    if (before >= QUIET_ROWS && made->moves > 0) {
        noise_of_stretch(v, 0, before - 1, made);
    }
    /* A step of the converter is spread evenly: quantum / sqrt(12). */
    if (made->noise < made->quantum / sqrt(12.0)) {
        made->noise = made->quantum / sqrt(12.0);
        made->noise_correlation = 0.0;
    }
    made->pv_moved = moved(v);
    made->signal_to_noise = made->noise > 0 ? made->pv_moved / made->noise : HUGE_VAL;
}
