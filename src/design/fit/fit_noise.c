/* SPDX-License-Identifier: MIT */
/*
 * The noise's colour from the residual of a fit. Regular rows: an autoregression of the order
 * with the least BIC, its coefficients by Levinson's recursion from the covariances within
 * chains of regular rows. Irregular rows: exponentially correlated noise, r = exp(-interval /
 * memory), its memory by likelihood over a grid. A residual shows less correlation than the
 * noise has, since the fit has followed its slow part; a first order is corrected for that.
 */
#include <math.h>
#include <string.h>

#include "design/base/numeric.h"
#include "fit_stages.h"

/* Of irregular rows: correlation times tried, in usual intervals. */
#define MEMORY_LEAST 0.2
#define MEMORY_MOST 60.0
/* Parameters of a fit that follow slow noise. */
#define FITTED 3.0
enum { MEMORIES = 30, ROWS_LEAST = 30 };
/* Regular rows that are few, and so few that noise paler than white is not believed. */
enum { SHORT = 150, PALE_ROWS = 400 };

static bool in_chain(const rki_series *s, size_t i)
{
    return (s->weight[i] > 0) &&
           (i == 0 || s->time[i] - s->time[i - 1] <= RKI_BREAK * s->interval);
}

/* Covariances of rows up to RKI_AR_MAX apart, over the chains; returns the rows counted. */
static double covariances(const rki_fit_work *b, double c[RKI_AR_MAX + 1])
{
    const rki_series *s = &b->series;
    double count = 0;
    size_t chain = 0, i;
    int lag;

    for (lag = 0; lag <= RKI_AR_MAX; lag++) {
        c[lag] = 0;
    }
    for (i = 0; i < s->samples; i++) {
        if (!(s->weight[i] > 0)) {
            chain = 0;
            continue;
        }
        chain = in_chain(s, i) && chain > 0 ? chain + 1 : 1;
        count++;
        if (chain > RKI_AR_MAX) {
            const double *at = &b->residual[i];

            for (lag = 0; lag <= RKI_AR_MAX; lag++) {
                c[lag] += at[0] * at[-lag];
            }
            continue;
        }
        for (lag = 0; (size_t)lag < chain; lag++) {
            c[lag] += b->residual[i] * b->residual[i - (size_t)lag];
        }
    }
    return count;
}

/* The order is that of the least Bayesian criterion. */
static rki_colour autoregression(const double *c, double rows)
{
    double a[RKI_AR_MAX] = {0}, variance = c[0], best = 0;
    rki_colour made = {.order = 0};
    int order;

    for (order = 1; order <= RKI_AR_MAX; order++) {
        double criterion;

        rki_levinson(order, c, a, &variance);
        if (!(variance > 0)) break;
        criterion = (rows * log(variance / c[0])) + (order * log(rows));
        if (criterion < best) {
            best = criterion;
            made.order = order;
            made.first = sqrt(variance / c[0]);
            memcpy(made.ar, a, (size_t)order * sizeof *a);
        }
    }
    if (made.order == 1) {
        /* What a fit leaves is paler than the noise: it has taken its slow part along. M. G.
           Kendall, Note on bias in the estimation of autocorrelation, 1954, Biometrika 41, and
           as much again for each parameter. */
        const double r = made.ar[0];

        made.ar[0] = fmin(r + ((1.0 + (4.0 * r) + (FITTED * (1.0 + r))) / rows), 0.995);
        made.first = sqrt((1.0 - made.ar[0]) * (1.0 + made.ar[0]));
    }
    return made;
}

/* The noise of irregular rows: exponentially correlated in time, or not. */
static rki_colour continuous(const rki_fit_work *b, double rows)
{
    const rki_series *s = &b->series;
    rki_colour made = {.order = 0};
    double best = HUGE_VAL;
    int n;

    for (n = 0; n <= MEMORIES; n++) {
        const double memory =
            n == 0 ? 0.0
                   : s->interval * MEMORY_LEAST *
                         pow(MEMORY_MOST / MEMORY_LEAST, (double)(n - 1) / (MEMORIES - 1));
        double cost = 0, logs = 0, last = 0, criterion;
        size_t before = 0, i;
        bool started = false;

        for (i = 0; i < s->samples; i++) {
            double r = 0, left = b->residual[i];

            if (!(s->weight[i] > 0)) continue;
            if (started && memory > 0) {
                r = exp((last - s->time[i]) / memory);
                left -= r * b->residual[before];
            }
            cost += left * left / (1.0 - (r * r));
            logs += log(1.0 - (r * r));
            last = s->time[i];
            before = i;
            started = true;
        }
        criterion = (rows * log(cost / rows)) + logs + (n > 0 ? log(rows) : 0.0);
        if (criterion < best) {
            best = criterion;
            made.memory = memory;
        }
    }
    return made;
}

rki_colour rki_first_order(double r)
{
    rki_colour made = {.order = r != 0 ? 1 : 0};

    made.ar[0] = r;
    made.first = sqrt((1.0 - r) * (1.0 + r));
    return made;
}

bool rki_is_short(const rki_fit_work *b)
{
    return b->regular && !b->plain && b->series.samples < SHORT;
}

/* ln of the determinant of the active part; the equations are scaled, so that none is far off. */
static double ln_determinant(unsigned active, const rki_normal *n)
{
    double scaled[RKI_PARAMETERS][RKI_PARAMETERS], l[RKI_PARAMETERS][RKI_PARAMETERS], sum = 0;
    int place[RKI_PARAMETERS], i, j;
    const int count = rki_list_active(active, place);

    for (i = 0; i < count; i++) {
        for (j = 0; j < count; j++) {
            scaled[i][j] = n->h[place[i]][place[j]] /
                           sqrt(n->h[place[i]][place[i]] * n->h[place[j]][place[j]]);
        }
        sum += log(n->h[place[i]][place[i]]);
    }
    rki_cholesky(count, RKI_PARAMETERS, scaled[0], l[0]);
    for (i = 0; i < count; i++) {
        sum += 2.0 * log(fmax(l[i][i], 1e-9));
    }
    return sum;
}

double rki_ln_marginal(const rki_task *task, const rki_normal *n, double gained)
{
    const double freedom = fmax(n->count - rki_count_active(task->active), 1.0);

    return log(task->colour.order > 0 ? task->colour.first : 1.0) -
           (0.5 * ln_determinant(task->active, n)) - (0.5 * freedom * log(n->cost - gained));
}

/* The mean of a first order's posterior, of a fit to few rows: the criterion that many rows go by
   misses a colour in them as often as it sees one that is not there. */
static rki_colour of_few(const rki_fit_work *b)
{
    double ln[RKI_FEW_COLOURS], most = -HUGE_VAL, sum = 0, mean = 0;
    int k;

    for (k = 0; k < RKI_FEW_COLOURS; k++) {
        double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS];
        rki_task task = b->residual_of;
        rki_normal n;

        task.colour = rki_first_order(k * RKI_FEW_STEP);
        rki_pass(&task, b->residual_at, &n, NULL);
        ln[k] = rki_ln_marginal(&task, &n, rki_predicted_decrease(task.active, &n, inverse, d));
        most = fmax(most, ln[k]);
    }
    for (k = 0; k < RKI_FEW_COLOURS; k++) {
        sum += exp(ln[k] - most);
        mean += exp(ln[k] - most) * k * RKI_FEW_STEP;
    }
    mean /= sum;
    return rki_first_order(mean > RKI_FEW_LEAST ? mean : 0.0);
}

/* Is there less slow noise than if it were white? What a fit leaves of few rows looks so. */
static bool is_paler(const rki_colour *made, double rows)
{
    double sum = 0;
    int k;

    for (k = 0; k < made->order; k++) {
        sum += made->ar[k];
    }
    return made->order > 0 && made->first / (1.0 - sum) < 1.0 && rows < PALE_ROWS;
}

rki_colour rki_colour_of(const rki_fit_work *b)
{
    const rki_colour white = {.order = 0};
    double c[RKI_AR_MAX + 1];
    const double rows = covariances(b, c);
    rki_colour made;

    if (!(c[0] > 0)) return white;
    if (rki_is_short(b)) return of_few(b);
    if (rows < ROWS_LEAST) return white;
    made = b->regular ? autoregression(c, rows) : continuous(b, rows);
    return is_paler(&made, rows) ? white : made;
}
