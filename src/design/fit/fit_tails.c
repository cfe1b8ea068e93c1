/* SPDX-License-Identifier: MIT */
/*
 * The normal equations of gain, start and drift at any dead time, without a pass over the rows:
 * what the start search needs at thousands of dead times of one shape.
 *
 * Between two moves of OUT the response is level + slope s + p(s) x, where s is the time since
 * the stretch began, x the state off its rest at that moment and p(s) the first row of the
 * transition matrix exp(A s). The sums of its products with 1, s, pv and itself over a stretch
 * are therefore forms in x whose coefficients do not depend on the dead time: the weighted sums
 * of 1, s, s^2, pv, s pv, p, s p, p pv and p p' over the samples. They are kept for every
 * "tail", from a sample to the end of the record, and made by one backward recursion, since p(s
 * + h) = p(s) exp(A h):
 *
 *   tail(i) = tail(i + 1) as seen from h earlier, and sample i
 *   stretch from i to j = tail(i) less tail(j) as seen from i
 *
 * One shape costs a step a sample; each dead time then a binary search and two transitions a
 * move. It fails gracefully where exp(A h) underflows: such a stretch is at rest.
 */
#include "fit_tails.h"

#include <math.h>
#include <string.h>

/* The sums as seen from h before their first sample. */
static rki_tail seen_from(const rki_tail *t, const rki_step *m, double h)
{
    const double a = m->phi[0][0], b = m->phi[0][1], c = m->phi[1][0], d = m->phi[1][1];
    const double *g = t->pp;
    const double s0 = t->ps[0] + (h * t->p[0]), s1 = t->ps[1] + (h * t->p[1]);
    rki_tail r;

    r.w = t->w;
    r.s = t->s + (h * t->w);
    r.ss = t->ss + (h * ((2.0 * t->s) + (h * t->w)));
    r.y = t->y;
    r.sy = t->sy + (h * t->y);
    r.yy = t->yy;
    r.p[0] = (t->p[0] * a) + (t->p[1] * c);
    r.p[1] = (t->p[0] * b) + (t->p[1] * d);
    r.ps[0] = (s0 * a) + (s1 * c);
    r.ps[1] = (s0 * b) + (s1 * d);
    r.py[0] = (t->py[0] * a) + (t->py[1] * c);
    r.py[1] = (t->py[0] * b) + (t->py[1] * d);
    r.pp[0] = (a * ((g[0] * a) + (2.0 * g[1] * c))) + (g[2] * c * c);
    r.pp[1] = (a * ((g[0] * b) + (g[1] * d))) + (c * ((g[1] * b) + (g[2] * d)));
    r.pp[2] = (b * ((g[0] * b) + (2.0 * g[1] * d))) + (g[2] * d * d);
    return r;
}

void rki_tails_make(const rki_task *task, const double shape[RKI_SHAPES], rki_tail *tails)
{
    const rki_series *s = task->series;
    rki_step step = {.h = -1.0};
    size_t i;

    *s->visits += (double)s->samples;
    memset(&tails[s->samples], 0, sizeof *tails);
    for (i = s->samples; i-- > 0;) {
        const double h = i + 1 < s->samples ? s->time[i + 1] - s->time[i] : 0.0;

        if (fabs(step.h - h) > RKI_SAME * h) {
            rki_step_make(&step, task->family, shape, h);
        }
        tails[i] = seen_from(&tails[i + 1], &step, h);
        tails[i].w += s->weight[i];
        tails[i].y += s->weight[i] * s->pv[i];
        tails[i].yy += s->weight[i] * s->pv[i] * s->pv[i];
        tails[i].p[0] += s->weight[i];
        tails[i].py[0] += s->weight[i] * s->pv[i];
        tails[i].pp[0] += s->weight[i];
    }
}

/* Less what comes after sample b. */
static rki_tail stretch(const rki_tail *from, const rki_tail *to, const rki_step *m, double h)
{
    const rki_tail after = seen_from(to, m, h);
    rki_tail r = *from;
    int i;

    r.w -= after.w;
    r.s -= after.s;
    r.ss -= after.ss;
    r.y -= after.y;
    r.sy -= after.sy;
    for (i = 0; i < 2; i++) {
        r.p[i] -= after.p[i];
        r.ps[i] -= after.ps[i];
        r.py[i] -= after.py[i];
    }
    for (i = 0; i < 3; i++) {
        r.pp[i] -= after.pp[i];
    }
    return r;
}

/* A stretch whose response is level + slope s + p x, from the time `at` on. */
static void add_gain(const rki_tail *t, double at, double level, double slope,
                     const double x[2], rki_normal *n)
{
    const double px = (t->p[0] * x[0]) + (t->p[1] * x[1]);
    const double psx = (t->ps[0] * x[0]) + (t->ps[1] * x[1]);
    const double pyx = (t->py[0] * x[0]) + (t->py[1] * x[1]);
    const double ppx =
        (t->pp[0] * x[0] * x[0]) + (2.0 * t->pp[1] * x[0] * x[1]) + (t->pp[2] * x[1] * x[1]);
    const double sum = (level * t->w) + (slope * t->s) + px;

    n->h[RKI_GAIN][RKI_GAIN] += (level * ((level * t->w) + (2.0 * ((slope * t->s) + px)))) +
                                (slope * ((slope * t->ss) + (2.0 * psx))) + ppx;
    n->h[RKI_START][RKI_GAIN] += sum;
    n->h[RKI_DRIFT][RKI_GAIN] += (at * sum) + (level * t->s) + (slope * t->ss) + psx;
    n->g[RKI_GAIN] += (level * t->y) + (slope * t->sy) + pyx;
}

/* The part of the normal equations that no response is in. */
static void add_rest(const rki_tail *all, rki_normal *n)
{
    n->h[RKI_START][RKI_START] = all->w;
    n->h[RKI_DRIFT][RKI_START] = all->s;
    n->h[RKI_DRIFT][RKI_DRIFT] = all->ss;
    n->g[RKI_START] = all->y;
    n->g[RKI_DRIFT] = all->sy;
}

/* A state over h, and what a step at the input puts it off its rest. */
static void turn(const rki_step *m, double x[2])
{
    const double x0 = x[0];

    x[0] = (m->phi[0][0] * x0) + (m->phi[0][1] * x[1]);
    x[1] = (m->phi[1][0] * x0) + (m->phi[1][1] * x[1]);
}

/* The first sample after a time, from `low` on. */
static size_t first_after(const rki_series *s, size_t low, double time)
{
    size_t high = s->samples;

    while (low < high) {
        const size_t middle = low + ((high - low) / 2);

        if (s->time[middle] <= time) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return low;
}

static void add_responses(const rki_task *task, const rki_tail *tails,
                          const double q[RKI_PARAMETERS], rki_normal *n)
{
    const rki_series *s = task->series;
    const bool integrates = rki_family_integrates(task->family);
    const int hit = task->family == RKI_LAGGING ? 1 : 0;
    const double theta = q[RKI_THETA];
    double x[2] = {0, 0}, u = 0;
    size_t i = 0, event = 0;

    /* Nothing has moved before the first move arrives. */
    while (event < s->events) {
        const size_t next = first_after(s, i, s->event_time[event] + theta);
        double at;

        if (next == s->samples) break;
        at = s->time[next];
        if (next > i) {
            const double h = at - s->time[i];
            rki_step m;

            rki_step_make(&m, task->family, q + RKI_SHAPE, h);
            if (event > 0) {
                const rki_tail part = stretch(&tails[i], &tails[next], &m, h);

                add_gain(&part, s->time[i], integrates ? 0.0 : u, integrates ? u : 0.0, x, n);
            }
            turn(&m, x);
            x[0] += integrates ? u * h : 0.0;
        }
        for (; event < s->events && s->event_time[event] + theta < at; event++) {
            const double size = s->event_size[event];
            const double since = at - s->event_time[event] - theta;
            double off[2] = {0, 0};
            rki_step m;

            rki_step_make(&m, task->family, q + RKI_SHAPE, since);
            off[hit] = task->family == RKI_INTEGRATOR ? 0.0 : -size;
            turn(&m, off);
            x[0] += off[0] + (integrates ? size * since : 0.0);
            x[1] += off[1];
            u += size;
        }
        i = next;
    }
    if (event > 0) {
        add_gain(&tails[i], s->time[i], integrates ? 0.0 : u, integrates ? u : 0.0, x, n);
    }
}

double rki_tails_solve(const rki_task *task, const rki_tail *tails, double q[RKI_PARAMETERS])
{
    const unsigned linear = task->active & ((1U << RKI_THETA) - 1U);
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS], gained;
    rki_normal n;

    memset(&n, 0, sizeof n);
    add_rest(&tails[0], &n);
    add_responses(task, tails, q, &n);
    rki_normal_mirror(&n);
    gained = rki_predicted_decrease(linear, &n, inverse, d);
    memcpy(q, d, RKI_THETA * sizeof *q);
    return fmax(tails[0].yy - gained, 0.0);
}
