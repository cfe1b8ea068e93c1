/* SPDX-License-Identifier: MIT */
#include "fit_columns.h"

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "fit_pass.h"

/* d PV / d t of the answer to a unit step of OUT, from the transition since it acts. */
static double rate_of(rki_family family, const rki_step *since, double tau)
{
    switch (family) {
    case RKI_SECOND:
        return -since->phi[1][0] / tau;
    case RKI_INTEGRATOR:
        return 1.0;
    case RKI_LAGGING:
        return 1.0 - since->phi[1][1];
    default:
        return since->phi[0][0] / tau;
    }
}

/* What has faded to so small a part has ended. */
#define REST 1e-14

static void go_on(rki_step *since, const rki_step *step)
{
    double made[2][2];
    int i, j;

    for (i = 0; i < 2; i++) {
        for (j = 0; j < 2; j++) {
            made[i][j] =
                (step->phi[i][0] * since->phi[0][j]) + (step->phi[i][1] * since->phi[1][j]);
        }
    }
    memcpy(since->phi, made, sizeof made);
}

/* By the time at which an event acts: the answer to it comes later. */
static void arrival_column(const rki_task *task, const double *q, size_t event, double *column)
{
    const rki_series *s = task->series;
    const double at = s->event_time[event] + q[RKI_THETA], tau = exp(q[RKI_SHAPE]);
    const double size = -q[RKI_GAIN] * s->event_size[event];
    rki_step since = {.h = -1.0}, step = {.h = -1.0};
    size_t i = 0;

    while (i < s->samples && !(at < s->time[i])) {
        column[i++] = 0.0;
    }
    for (; i < s->samples; i++) {
        if (since.h < 0) {
            rki_step_make(&since, task->family, q + RKI_SHAPE, s->time[i] - at);
        } else {
            const double h = s->time[i] - s->time[i - 1];

            if (fabs(step.h - h) > RKI_SAME * h) {
                rki_step_make(&step, task->family, q + RKI_SHAPE, h);
            }
            go_on(&since, &step);
        }
        column[i] = size * rate_of(task->family, &since, tau);
        if (fabs(since.phi[0][0]) + fabs(since.phi[0][1]) + fabs(since.phi[1][0]) +
                fabs(since.phi[1][1]) <
            REST) {
            break; /* of an integrator it never is so */
        }
    }
    for (; i < s->samples; i++) {
        column[i] = 0.0;
    }
}

/* How many rows before each hang together with it, as the pass counts them. */
static void count_chains(const rki_task *task, double *chain)
{
    const rki_series *s = task->series;
    size_t count = 0, i;

    for (i = 0; i < s->samples; i++) {
        if (i > 0 && task->colour.order > 0 &&
            s->time[i] - s->time[i - 1] > RKI_BREAK * s->interval) {
            count = 0;
        }
        chain[i] = (double)count;
        count = s->weight[i] > 0 ? count + 1 : 0;
    }
}

/* From the last row on, so that those before are still as they were. */
static void whiten(const rki_task *task, const double *chain, double *column)
{
    const rki_series *s = task->series;
    size_t i;

    for (i = s->samples; i-- > 0;) {
        const double gap = i > 0 ? s->time[i] - s->time[i - 1] : 0.0;
        const double white =
            rki_is_coloured(&task->colour)
                ? rki_whitened(&task->colour, &column[i], gap, (size_t)chain[i])
                : column[i];

        column[i] = s->weight[i] != 1.0 ? white * sqrt(s->weight[i]) : white;
    }
}

rk_status rki_columns_make(const rki_task *task, const double q[RKI_PARAMETERS],
                           rki_columns_of *made, rk_diag *diag)
{
    const rki_series *s = task->series;
    rki_task others = *task;
    double *chain; /* behind the columns */
    int place[RKI_PARAMETERS], own, column;
    size_t e;

    others.active &= ~rki_bit(RKI_THETA);
    own = rki_list_active(others.active, place);
    made->rows = s->samples;
    made->count = own + (int)s->events;
    made->number = rk_memory_create(s->samples * ((size_t)made->count + 2), sizeof(double));
    if (made->number == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit %zu rows", s->samples);
    }
    rki_pass_columns(&others, q, made->number,
                     made->number + ((size_t)made->count * made->rows));
    for (e = 0; e < s->events; e++) {
        arrival_column(task, q, e, made->number + (((size_t)own + e) * made->rows));
    }
    chain = made->number + (((size_t)made->count + 1) * made->rows);
    count_chains(task, chain);
    for (column = 0; column <= made->count; column++) {
        whiten(task, chain, made->number + ((size_t)column * made->rows));
    }
    return RK_OK;
}
