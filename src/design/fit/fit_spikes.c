/* SPDX-License-Identifier: MIT */
/*
 * Rows that stand far off the line between their neighbours in the residual, and off both
 * neighbours to the same side: single bad readings. The yardstick is a high quantile of that
 * deviation, which spikes do not move. More than a few in a hundred are no spikes but noise.
 */
#include <math.h>

#include "design/base/quantile.h"
#include "fit_stages.h"

/* A spike stands off the line between its neighbours, and off each of them, by so many
   deviations of that noise. */
#define FAR 7.0
/* More of them are no spikes but the noise that there is. */
#define FEW 0.03

static double off_line(const rki_fit_work *b, size_t i)
{
    return b->residual[i] - (0.5 * (b->residual[i - 1] + b->residual[i + 1]));
}

/* Values that a deviation is estimated from: enough of them, evenly taken. */
enum { LOOKED_AT = 1000 };

/* Deviation of what stands off the line, spikes not counted. */
static double usual_off(const rki_fit_work *b)
{
    double work[LOOKED_AT];
    const size_t inner = b->series.samples - 2;
    const size_t step = (inner / LOOKED_AT) + 1;
    size_t count = 0, i;

    for (i = 0; i < inner; i += step) {
        work[count++] = fabs(off_line(b, i + 1));
    }
    /* A coarse PV stands still between its steps: look higher up than the median. */
    return fmax(rki_quantile(work, count, 0.5) / RKI_MEDIAN_OF_NORMAL,
                rki_quantile(work, count, 0.9) / 1.645);
}

static bool is_spike(const rki_fit_work *b, size_t i, double far)
{
    const double up = b->residual[i] - b->residual[i - 1];
    const double down = b->residual[i] - b->residual[i + 1];

    return fabs(up) > far && fabs(down) > far && up * down > 0 && fabs(off_line(b, i)) > far;
}

size_t rki_leave_out_spikes(rki_fit_work *b)
{
    const size_t samples = b->series.samples;
    const size_t before = b->left_out;
    size_t count = 0, told = 0, i;
    double far;

    if (samples < 20) return 0;
    far = FAR * usual_off(b);
    if (!(far > 0)) return 0;
    for (i = 1; i + 1 < samples; i++) {
        count += b->series.weight[i] > 0 && is_spike(b, i, far);
    }
    if (count == 0 || (double)count > FEW * (double)samples) return 0;
    for (i = 1; i + 1 < samples; i++) {
        if (b->series.weight[i] > 0 && is_spike(b, i, far)) {
            b->series.weight[i] = 0.0;
            if (before + told < RK_FIT_LEFT_OUT) {
                b->left_out_at[before + told++] = b->series.time[i];
            }
        }
    }
    return count;
}
