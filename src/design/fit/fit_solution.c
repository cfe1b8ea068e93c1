/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "design/base/numeric.h"
#include "fit_stages.h"

int rki_count_active(unsigned active)
{
    int count = 0;

    for (; active != 0; active &= active - 1) {
        count++;
    }
    return count;
}

double rki_degrees_of_freedom(const rki_solution *at)
{
    return fmax(at->normal.count - rki_count_active(at->task.active) - at->task.colour.order,
                1.0);
}

double rki_variance(const rki_solution *at)
{
    return at->variance > 0 ? at->variance : at->normal.cost / rki_degrees_of_freedom(at);
}

double rki_t95(const rki_solution *at)
{
    return rki_student95(rki_degrees_of_freedom(at));
}

double rki_span(const rki_fit_work *b)
{
    return b->series.time[b->series.samples - 1] - b->series.time[0];
}

/* Shorter than this part of a row. */
#define STATIC 0.2

bool rki_is_static(const rki_solution *at)
{
    return rki_active(&at->task, RKI_SHAPE) &&
           exp(at->q[RKI_SHAPE]) < STATIC * at->task.series->interval;
}
