/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdbool.h>
#include <string.h>

#include "fit_stages.h"
#include "fit_tails.h"

/*
 * The cost as a function of the dead time has several local minima: one a sample interval, and
 * one for each move that could be mistaken for another. So no start value is asked for: a grid
 * over dead time and shape on a thinned record, the other parameters solved linearly at each
 * point (variable projection); its best local minima are the starts.
 *
 * Source  G. H. Golub, V. Pereyra, The differentiation of pseudo-inverses and nonlinear least
 * squares problems whose variables separate, 1973, SIAM J. Numer. Anal. 10.
 */
typedef struct grid {
    int times, dampings, thetas;
} grid;

static const grid grids[] = {{12, 1, 26}, {12, 6, 24}, {1, 1, 120}, {12, 1, 24}};
/* Around a first order: time constants from a tenth to twice its own, dead times up to its own
   and two of them. */
static const grid near_grid = {6, 6, 16};
#define NEAR_LEAST 0.1
#define NEAR_MOST 2.0
#define NEAR_TIMES 2.0
static const double dampings[] = {0.15, 0.4, 0.75, 1.1, 1.8, 3.5};

/* The grid's time constants, as parts of the sampling interval and of the record's length. */
#define TAU_LEAST 0.1
#define TAU_MOST 5.0
enum { THETAS_MOST = 200 };

/* The longest dead time that the record can show. */
static double theta_most(const rki_series *series)
{
    if (series->events == 0) return 0.0;
    return series->time[series->samples - 1] - fmax(series->event_time[0], 0.0);
}

static void keep_best(rki_start *best, int *count, const rki_start *candidate)
{
    int at = *count;

    if (at == RKI_STARTS && candidate->cost >= best[RKI_STARTS - 1].cost) return;
    if (at == RKI_STARTS) {
        at--;
    }
    for (; at > 0 && best[at - 1].cost > candidate->cost; at--) {
        best[at] = best[at - 1];
    }
    best[at] = *candidate;
    if (*count < RKI_STARTS) {
        ++*count;
    }
}

/* One shape: the local minima along the dead time, denser towards zero. */
static void search_line(const rki_task *task, const grid *g, double most, rki_start *point,
                        rki_tail *tails, rki_start best[RKI_STARTS], int *count)
{
    rki_start line[THETAS_MOST];
    int i;

    rki_tails_make(task, point->q + RKI_SHAPE, tails);
    for (i = 0; i < g->thetas; i++) {
        const double part = (double)i / g->thetas;

        line[i] = *point;
        line[i].q[RKI_THETA] = most * part * part;
        line[i].cost = rki_tails_solve(task, tails, line[i].q);
    }
    for (i = 0; i < g->thetas; i++) {
        if (i > 0 && line[i - 1].cost < line[i].cost) continue;
        if (i + 1 < g->thetas && line[i + 1].cost < line[i].cost) continue;
        keep_best(best, count, &line[i]);
    }
}

int rki_search(const rki_task *task, const rki_solution *near, rki_start best[RKI_STARTS])
{
    const rki_series *s = task->series;
    const bool close =
        near != NULL && task->family == RKI_SECOND && near->task.family == RKI_FIRST;
    const grid *g = close ? &near_grid : &grids[task->family];
    double low = log(TAU_LEAST * s->interval), most = theta_most(s);
    double high = log(TAU_MOST * (s->time[s->samples - 1] - s->time[0]));
    rki_tail tails[RKI_CHUNK_MAX + 1];
    rki_start point;
    int count = 0, i, z;

    if (close) {
        low = near->q[RKI_SHAPE] + log(NEAR_LEAST);
        high = near->q[RKI_SHAPE] + log(NEAR_MOST);
        most = fmin(most, near->q[RKI_THETA] + (NEAR_TIMES * exp(near->q[RKI_SHAPE])));
    }
    memset(&point, 0, sizeof point);
    for (i = 0; i < g->times; i++) {
        point.q[RKI_SHAPE] = g->times > 1 ? low + ((high - low) * i / (g->times - 1)) : low;
        for (z = 0; z < g->dampings; z++) {
            point.q[RKI_SHAPE_2] = log(dampings[z]);
            search_line(task, g, most, &point, tails, best, &count);
        }
    }
    return count;
}
