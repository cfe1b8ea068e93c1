/* SPDX-License-Identifier: MIT */
#include "fit_pass.h"

#include <math.h>
#include <string.h>

/* A state and its derivatives by the shape. */
typedef struct state {
    double v[2], by[RKI_SHAPES][2];
} state;

/* Steps of a length that comes again need no exp: regular rows, and what a dead time leaves of
   them. */
enum { KEPT = 4 };
#define SAME 1e-9

typedef struct walker {
    const rki_task *task;
    const double *q;
    int shapes;
    bool integrates, second;
    double tau, u; /* of the moves that act by now */
    double now;
    size_t event; /* the next to act */
    bool loaded;
    state main, initial, load;
    rki_step kept[KEPT];
    int next;
} walker;

static const rki_step *step_of(walker *w, double h)
{
    rki_step *made;
    int i;

    for (i = 0; i < KEPT; i++) {
        if (fabs(w->kept[i].h - h) <= SAME * h) return &w->kept[i];
    }
    made = &w->kept[w->next];
    w->next = (w->next + 1) % KEPT;
    rki_step_make(made, w->task->family, w->q + RKI_SHAPE, h);
    return made;
}

static inline void move(state *s, const rki_step *m, int shapes, bool second)
{
    const double v0 = s->v[0], v1 = s->v[1];
    int p;

    if (!second) {
        s->v[0] = m->phi[0][0] * v0;
        s->by[0][0] = (m->phi[0][0] * s->by[0][0]) + (m->by[0][0][0] * v0);
        return;
    }
    for (p = 0; p < shapes; p++) {
        const double b0 = s->by[p][0], b1 = s->by[p][1];

        s->by[p][0] = (m->phi[0][0] * b0) + (m->phi[0][1] * b1) + (m->by[p][0][0] * v0) +
                      (m->by[p][0][1] * v1);
        s->by[p][1] = (m->phi[1][0] * b0) + (m->phi[1][1] * b1) + (m->by[p][1][0] * v0) +
                      (m->by[p][1][1] * v1);
    }
    s->v[0] = (m->phi[0][0] * v0) + (m->phi[0][1] * v1);
    s->v[1] = (m->phi[1][0] * v0) + (m->phi[1][1] * v1);
}

static void go(walker *w, double until)
{
    const double h = until - w->now;
    const rki_step *m;

    if (!(h > 0)) return;
    m = step_of(w, h);
    move(&w->main, m, w->shapes, w->second);
    if (rki_active(w->task, RKI_INITIAL)) {
        move(&w->initial, m, w->shapes, w->second);
    }
    if (rki_active(w->task, RKI_LOAD)) {
        move(&w->load, m, w->shapes, w->second);
        if (w->integrates && w->loaded) {
            w->load.v[0] += h;
        }
    }
    if (w->integrates) {
        w->main.v[0] += w->u * h;
    }
    w->now = until;
}

/* A step at the input: what was at rest is off it by as much. */
static void hit(const walker *w, state *s, double size)
{
    if (w->task->family == RKI_LAGGING) {
        s->v[1] -= size;
    } else if (!w->integrates) {
        s->v[0] -= size;
    }
}

static void go_to_sample(walker *w, double time)
{
    const rki_series *s = w->task->series;
    const double theta = w->q[RKI_THETA];
    const bool load = rki_active(w->task, RKI_LOAD);

    while (w->event < s->events && s->event_time[w->event] + theta < time) {
        go(w, s->event_time[w->event] + theta);
        w->u += s->event_size[w->event];
        hit(w, &w->main, s->event_size[w->event]);
        w->event++;
    }
    if (load && !w->loaded && w->task->load_at < time) {
        /* Its own state only: the others' steps are none the worse for a stop. */
        go(w, w->task->load_at);
        w->loaded = true;
        hit(w, &w->load, 1.0);
    }
    go(w, time);
}

static void begin(walker *w, const rki_task *task, const double *q)
{
    int i;

    memset(w, 0, sizeof *w);
    w->task = task;
    w->q = q;
    w->shapes = rki_family_shapes(task->family);
    w->second = task->family == RKI_SECOND || task->family == RKI_LAGGING;
    w->integrates = task->family == RKI_INTEGRATOR || task->family == RKI_LAGGING;
    w->tau = exp(q[RKI_SHAPE]);
    w->now = task->series->time[0];
    w->initial.v[task->family == RKI_LAGGING ? 1 : 0] = 1.0;
    for (i = 0; i < KEPT; i++) {
        w->kept[i].h = -1.0;
    }
}

/* The response and its derivatives at the walker's time, into column c; returns the model's PV.
 */
static double columns(const walker *w, double time, double *c)
{
    const double *q = w->q;
    const double x = w->main.v[0] + (w->integrates ? 0.0 : w->u);
    const double load = w->load.v[0] + (w->integrates ? 0.0 : (double)w->loaded);
    double rate = 0;
    int p;

    switch (w->task->family) {
    case RKI_SECOND:
        rate = w->main.v[1] / w->tau;
        break;
    case RKI_INTEGRATOR:
        rate = w->u;
        break;
    case RKI_LAGGING:
        rate = w->u + w->main.v[1];
        break;
    default:
        rate = -w->main.v[0] / w->tau;
        break;
    }
    c[RKI_GAIN] = x;
    c[RKI_START] = 1.0;
    c[RKI_DRIFT] = time;
    c[RKI_INITIAL] = w->initial.v[0];
    c[RKI_LOAD] = load;
    c[RKI_THETA] = -q[RKI_GAIN] * rate;
    for (p = 0; p < w->shapes; p++) {
        c[RKI_SHAPE + p] = (q[RKI_GAIN] * w->main.by[p][0]) +
                           (q[RKI_INITIAL] * w->initial.by[p][0]) +
                           (q[RKI_LOAD] * w->load.by[p][0]);
    }
    return (q[RKI_GAIN] * x) + q[RKI_START] + (q[RKI_DRIFT] * time) +
           (q[RKI_INITIAL] * w->initial.v[0]) + (q[RKI_LOAD] * load);
}

/* The last rows, for the whitening; [0] is the one before. */
typedef struct past {
    double row[RKI_AR_MAX][RKI_PARAMETERS + 1];
    int count;
} past;

/* Whiten a row in place by the rows before it, which must be without a gap. */
static void whiten(const rki_colour *colour, past *before, double gap, int width, double *row)
{
    double raw[RKI_PARAMETERS + 1];
    int i, k;

    memcpy(raw, row, (size_t)width * sizeof *raw);
    if (colour->memory > 0 && before->count > 0) {
        const double r = exp(-gap / colour->memory), scale = 1.0 / sqrt(1.0 - (r * r));

        for (i = 0; i < width; i++) {
            row[i] = (row[i] - (r * before->row[0][i])) * scale;
        }
    } else if (before->count >= colour->order) {
        for (k = 0; k < colour->order; k++) {
            for (i = 0; i < width; i++) {
                row[i] -= colour->ar[k] * before->row[k][i];
            }
        }
    } else {
        for (i = 0; i < width; i++) {
            row[i] *= colour->first;
        }
    }
    if (colour->order > 1) {
        memmove(before->row[1], before->row[0],
                (size_t)(colour->order - 1) * sizeof before->row[0]);
    }
    memcpy(before->row[0], raw, (size_t)width * sizeof *raw);
    before->count++;
}

/* Places of the active parameters. */
static int list_active(unsigned active, int place[RKI_PARAMETERS])
{
    int count = 0, i;

    for (i = 0; i < RKI_PARAMETERS; i++) {
        if ((active >> i) & 1U) {
            place[count++] = i;
        }
    }
    return count;
}

void rki_pass(const rki_task *task, const double q[RKI_PARAMETERS], rki_normal *normal,
              double *residual)
{
    const rki_series *s = task->series;
    const bool coloured = rki_is_coloured(&task->colour);
    double c[RKI_PARAMETERS] = {0}, row[RKI_PARAMETERS + 1];
    double h[RKI_PARAMETERS][RKI_PARAMETERS] = {{0}}, g[RKI_PARAMETERS] = {0};
    double cost = 0, count = 0, last = 0;
    int place[RKI_PARAMETERS], width, a, b;
    past before = {.count = 0};
    walker w;
    size_t i;

    if (rki_pass_is_first(task)) {
        rki_pass_first(task, q, normal, residual);
        return;
    }
    width = list_active(task->active, place);
    begin(&w, task, q);
    for (i = 0; i < s->samples; i++) {
        const double weight = s->weight[i];
        double left;

        go_to_sample(&w, s->time[i]);
        left = s->pv[i] - columns(&w, s->time[i], c);
        if (residual != NULL) {
            residual[i] = left;
        }
        if (!(weight > 0)) {
            before.count = 0;
            continue;
        }
        for (a = 0; a < width; a++) {
            row[a] = c[place[a]];
        }
        row[width] = left;
        if (coloured) {
            if (task->colour.order > 0 && s->time[i] - last > RKI_BREAK * s->interval) {
                before.count = 0;
            }
            whiten(&task->colour, &before, s->time[i] - last, width + 1, row);
            last = s->time[i];
        }
        cost += weight * row[width] * row[width];
        count += weight;
        for (a = 0; a < width; a++) {
            const double part = weight * row[a];

            g[a] += part * row[width];
            for (b = 0; b <= a; b++) {
                h[a][b] += part * row[b];
            }
        }
    }
    memset(normal, 0, sizeof *normal);
    normal->cost = cost;
    normal->count = count;
    for (a = 0; a < width; a++) {
        normal->g[place[a]] = g[a];
        for (b = 0; b <= a; b++) {
            normal->h[place[a]][place[b]] = normal->h[place[b]][place[a]] = h[a][b];
        }
    }
}
