/* SPDX-License-Identifier: MIT */
/*
 * Damped Gauss-Newton steps (Levenberg, Marquardt): d solves (J'J + lambda diag(J'J)) d = J'r,
 * with lambda tenfold after a step that does not lower the cost and a tenth after one that
 * does. A step is at most STEP_SHAPE in ln T and ln damping. It ends when the predicted
 * decrease d'J'r is a small part of the cost, or of the residual's variance, which is what the
 * certainty of the result needs.
 *
 * Source  D. W. Marquardt, An algorithm for least-squares estimation of nonlinear parameters,
 *         1963, J. SIAM 11(2), 431-441.
 */
#include <math.h>
#include <string.h>

#include "design/base/numeric.h"
#include "fit_pass.h"

bool rki_invert(unsigned active, const double *h,
                double inverse[RKI_PARAMETERS][RKI_PARAMETERS])
{
    double own[RKI_PARAMETERS][RKI_PARAMETERS], made[RKI_PARAMETERS][RKI_PARAMETERS];
    int place[RKI_PARAMETERS], i, j;
    const int n = rki_list_active(active, place);

    for (i = 0; i < n; i++) {
        for (j = 0; j < n; j++) {
            own[i][j] = h[(place[i] * RKI_PARAMETERS) + place[j]];
        }
    }
    if (!rki_invert_positive(n, RKI_PARAMETERS, own[0], made[0])) return false;
    memset(inverse, 0, sizeof(double) * RKI_PARAMETERS * RKI_PARAMETERS);
    for (i = 0; i < n; i++) {
        for (j = 0; j < n; j++) {
            inverse[place[i]][place[j]] = made[i][j];
        }
    }
    return true;
}

/* inverse * g. */
static void solve(unsigned active, double inverse[RKI_PARAMETERS][RKI_PARAMETERS],
                  const double *g, double d[RKI_PARAMETERS])
{
    int place[RKI_PARAMETERS], i, j;
    const int n = rki_list_active(active, place);

    memset(d, 0, RKI_PARAMETERS * sizeof *d);
    for (i = 0; i < n; i++) {
        for (j = 0; j < n; j++) {
            d[place[i]] += inverse[place[i]][place[j]] * g[place[j]];
        }
    }
}

double rki_predicted_decrease(unsigned active, const rki_normal *normal,
                              double inverse[RKI_PARAMETERS][RKI_PARAMETERS],
                              double d[RKI_PARAMETERS])
{
    double gained = 0;
    int i;

    memset(d, 0, RKI_PARAMETERS * sizeof *d);
    if (!rki_invert(active, normal->h[0], inverse)) return 0.0;
    solve(active, inverse, normal->g, d);
    for (i = 0; i < RKI_PARAMETERS; i++) {
        gained += d[i] * normal->g[i];
    }
    return gained;
}

double rki_solve_linear(const rki_task *task, double q[RKI_PARAMETERS])
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS], gained;
    rki_task alone = *task;
    rki_normal n;

    alone.active &= (1U << RKI_THETA) - 1U;
    memset(q, 0, RKI_THETA * sizeof *q);
    rki_pass(&alone, q, &n, NULL);
    gained = rki_predicted_decrease(alone.active, &n, inverse, d);
    memcpy(q, d, RKI_THETA * sizeof *q);
    return fmax(n.cost - gained, 0.0);
}

/* Shapes stay where numbers and the record can follow. */
#define LN_DAMPING_LEAST (-4.6) /* 0.01 */
#define LN_DAMPING_MOST 3.0     /* 20: lags apart by a factor of 1600 */
#define STEP_SHAPE 1.0          /* at once, in ln T and ln damping */

static void keep_in_bounds(const rki_task *task, const double *from, double *q)
{
    const rki_series *s = task->series;
    const double span = s->time[s->samples - 1] - s->time[0];
    int i;

    for (i = RKI_SHAPE; i < RKI_PARAMETERS; i++) {
        q[i] = fmin(fmax(q[i], from[i] - STEP_SHAPE), from[i] + STEP_SHAPE);
    }
    q[RKI_THETA] = fmin(fmax(q[RKI_THETA], 0.0), span);
    q[RKI_SHAPE] = fmin(fmax(q[RKI_SHAPE], log(1e-3 * s->interval)), log(1e3 * span));
    q[RKI_SHAPE_2] = fmin(fmax(q[RKI_SHAPE_2], LN_DAMPING_LEAST), LN_DAMPING_MOST);
}

/* A step that promises less than this part of the cost is the last; or less than this part of a
   variance, which is a thirtieth of a standard error, or of a search half. */
#define ENOUGH 1e-9
#define ENOUGH_VARIANCES 1e-3
#define ENOUGH_TO_SEARCH 0.25
#define POLISHED 1e-12

void rki_descend(const rki_task *task, double q[RKI_PARAMETERS], int steps, rki_normal *normal)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS];
    double lambda = 1e-4, enough;
    int step, i;

    rki_pass(task, q, normal, NULL);
    enough = task->searching ? ENOUGH_TO_SEARCH : ENOUGH_VARIANCES;
    enough = task->polishing ? POLISHED : fmax(ENOUGH, enough / (double)task->series->samples);
    for (step = 0; step < steps; step++) {
        double damped[RKI_PARAMETERS][RKI_PARAMETERS], trial[RKI_PARAMETERS], promised = 0;
        rki_normal there;

        memcpy(damped, normal->h, sizeof damped);
        for (i = 0; i < RKI_PARAMETERS; i++) {
            damped[i][i] *= 1.0 + lambda;
        }
        if (!rki_invert(task->active, damped[0], inverse)) {
            lambda = fmax(10.0 * lambda, 1e-6);
            if (lambda > 1e6) break;
            continue;
        }
        solve(task->active, inverse, normal->g, d);
        for (i = 0; i < RKI_PARAMETERS; i++) {
            trial[i] = q[i] + d[i];
            promised += d[i] * normal->g[i];
        }
        if (promised <= enough * normal->cost) break;
        keep_in_bounds(task, q, trial);
        rki_pass(task, trial, &there, NULL);
        if (there.cost <= normal->cost && isfinite(there.cost)) {
            const bool stands = normal->cost - there.cost <= enough * there.cost;

            memcpy(q, trial, sizeof trial);
            *normal = there;
            lambda *= 0.1;
            if (stands) break; /* a bound or a kink holds it */
        } else {
            lambda = fmax(10.0 * lambda, 1e-6);
            if (lambda > 1e8) break;
        }
    }
}
