/* SPDX-License-Identifier: MIT */
/*
 * A transmitter that shows PV in coarse steps: a row says no more than that PV and its noise lay
 * within half a step of it. The likelihood of a row is the normal distribution's content of that
 * interval; its gradient and information are those of least squares on
 *
 *   z = m + (E[x] - m) / w,   weight w = 1 - var[x] / sigma^2
 *
 * x being the model m and its noise, within the interval. So the fit goes on over z and w, remade
 * from where it has come to, until it stands. Rows well within a step weigh next to nothing: what
 * they say is where PV is not.
 *
 * Source  A. P. Dempster, N. M. Laird, D. B. Rubin, Maximum likelihood from incomplete data via
 *         the EM algorithm, 1977, J. R. Stat. Soc. B 39; T. A. Louis, Finding the observed
 *         information matrix when using the EM algorithm, 1982, J. R. Stat. Soc. B 44.
 */
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "design/base/numeric.h"
#include "design/record/facts.h"
#include "fit_stages.h"

/* Steps of this part of PV's movement, and this many of what is left, are coarse. */
#define COARSE_PART 0.02
#define COARSE_NOISE 1.5
/* Less noise than this part of a step is taken for this: the steps' edges are no sharper, and a
   level between two of them is then as open as it is. */
#define NOISE_LEAST 0.08
#define NOISE_OF_LEVEL 0.2887 /* 1 / sqrt(12) */
enum { ROUNDS = 12 };
/* Weights below this are none. */
#define WEIGHT_LEAST 1e-9

/* A normal number within an interval: its mean and variance, in deviations from the middle m. */
static void within(double low, double high, double *mean, double *variance)
{
    const bool turned = low + high < 0; /* the other tail is counted as well */
    const double a = turned ? -high : low, b = turned ? -low : high;
    const double root = sqrt(2.0 * acos(-1.0));
    const double fa = exp(-0.5 * a * a) / root, fb = exp(-0.5 * b * b) / root;
    const double content = rki_normal_part(-a) - rki_normal_part(-b);

    if (!(content > 1e-200)) { /* far out: at the nearer end, one over the distance in */
        *mean = a + (1.0 / fmax(a, 1.0));
        *variance = 1.0 / fmax(a * a, 1.0);
    } else {
        *mean = (fa - fb) / content;
        *variance = 1.0 + (((a * fa) - (b * fb)) / content) - (*mean * *mean);
    }
    *mean = turned ? -*mean : *mean;
}

/* z and w at every row from what the fit leaves of PV as it was read. Returns the noise's variance
   that goes with them. */
static double remake(rki_fit_work *b, double sigma)
{
    const rki_kept *kept = &b->kept;
    const double half = 0.5 * kept->quantum / sigma;
    double sum = 0, rows = 0;
    size_t i;

    for (i = 0; i < b->series.samples; i++) {
        /* m is what was fitted to, less what it left */
        const double m = b->series.pv[i] - b->residual[i];
        const double off = (kept->pv[i] - m) / sigma;
        double mean, variance, w;

        if (!(kept->weight[i] > 0)) continue;
        within(off - half, off + half, &mean, &variance);
        w = fmin(fmax(1.0 - variance, WEIGHT_LEAST), 1.0);
        b->series.pv[i] = m + (sigma * mean / w);
        b->series.weight[i] = w * kept->weight[i];
        sum += kept->weight[i] * ((mean * mean) + variance);
        rows += kept->weight[i];
    }
    return sigma * sigma * sum / rows;
}

static void forget(rki_kept *kept)
{
    rk_memory_free(kept->pv);
    rk_memory_free(kept->weight);
    kept->pv = kept->weight = NULL;
}

static rk_status keep(rki_fit_work *b, double quantum, rk_diag *diag)
{
    rki_kept *kept = &b->kept;
    const size_t room = b->series.samples * sizeof(double);

    kept->quantum = quantum;
    kept->pv = rk_memory_create(b->series.samples, sizeof(double));
    kept->weight = rk_memory_create(b->series.samples, sizeof(double));
    if (kept->pv == NULL || kept->weight == NULL) {
        forget(kept);
        (void)rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit %zu rows",
                          b->series.samples);
        return RK_ERR_MEMORY;
    }
    memcpy(kept->pv, b->series.pv, room);
    memcpy(kept->weight, b->series.weight, room);
    return RK_OK;
}

static double movement(const rki_fit_work *b)
{
    double low = HUGE_VAL, high = -HUGE_VAL;
    size_t i;

    for (i = 0; i < b->series.samples; i++) {
        if (!(b->series.weight[i] > 0)) continue;
        low = fmin(low, b->series.pv[i]);
        high = fmax(high, b->series.pv[i]);
    }
    return high - low;
}

rk_status rki_fit_coarse(rki_fit_work *b, rki_solution *s, rk_diag *diag)
{
    const double quantum = rki_quantum(b->series.pv, b->series.samples);
    double sigma = sqrt(rki_variance(s)), cost = HUGE_VAL;
    rk_status status;
    int round;

    b->kept.quantum = quantum;
    if (b->plain || !(quantum > COARSE_PART * movement(b)) ||
        !(quantum > COARSE_NOISE * sigma)) {
        return RK_OK;
    }
    rki_take_residual(b, s);
    status = keep(b, quantum, diag);
    if (status != RK_OK) return status;
    memset(&s->task.colour, 0, sizeof s->task.colour);
    for (round = 0; round < ROUNDS; round++) {
        sigma = sqrt(remake(b, fmax(sigma, NOISE_LEAST * quantum)));
        (void)rki_series_sum(&b->series); /* there is room for them already */
        rki_descend(&s->task, s->q, RKI_STEPS_COLOUR, &s->normal);
        rki_forget_residual(b);
        rki_take_residual(b, s);
        if (fabs(s->normal.cost - cost) < 1e-3 * sigma * sigma) break;
        cost = s->normal.cost;
    }
    /* How sure it is: a level between two steps is as open as all of a step. */
    sigma = fmax(sigma, NOISE_OF_LEVEL * quantum);
    (void)remake(b, sigma);
    (void)rki_series_sum(&b->series);
    rki_pass(&s->task, s->q, &s->normal, NULL);
    s->variance = sigma * sigma;
    return RK_OK;
}

void rki_coarse_undo(rki_fit_work *b)
{
    if (b->kept.pv == NULL) return;
    memcpy(b->series.pv, b->kept.pv, b->series.samples * sizeof(double));
    memcpy(b->series.weight, b->kept.weight, b->series.samples * sizeof(double));
    (void)rki_series_sum(&b->series);
    rki_forget_residual(b);
    forget(&b->kept);
}
