/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "fit_pass_first.h"

/*
 * The pass of the commonest problem: first order, independent noise, gain, start, dead time and
 * time constant or some of them. A lag's response to several moves is a sum, so that no step is
 * cut where a move acts, and of each stretch between two moves only sums are kept.
 */

bool rki_pass_is_first(const rki_task *task)
{
    const unsigned plain =
        (1U << RKI_GAIN) | (1U << RKI_START) | (1U << RKI_THETA) | (1U << RKI_SHAPE);

    return task->family == RKI_FIRST && (task->active & ~plain) == 0 &&
           !rki_is_coloured(&task->colour);
}

/* Intervals that differ by less than this part of tau need no exp: e^-d = 1 - d. */
#define NEARLY_EQUAL 1e-8

/* A stretch between two moves: v = x - u starts at v0 and fades as e, its derivative b by ln T
   is (b0 + v0 s) e, s the time since in parts of tau. r is what is left. */
typedef struct stretch {
    double u, v0, b0, since;                        /* as it starts */
    double w, e, se, ee, see, ssee, r, re, rse, rr; /* sums */
} stretch;

static inline void add_row(stretch *m, double w, double e, double s, double r)
{
    const double we = w * e, see = s * we * e, wre = we * r;

    m->w += w;
    m->e += we;
    m->se += s * we;
    m->ee += we * e;
    m->see += see;
    m->ssee += s * see;
    m->r += w * r;
    m->re += wre;
    m->rse += s * wre;
    m->rr += w * r * r;
}

/* A response that has faded to so small a part has ended. */
#define REST 1e-14

/* Below this numbers lose digits and a processor its speed. */
#define SMALLEST 1e-280

/* A piece of rows at once, far behind a move. */
static void add_calm(stretch *m, const rki_calm *c, double level)
{
    const double off = level - c->y0;

    m->w += RKI_CALM_ROWS;
    m->r += c->y[0] - (RKI_CALM_ROWS * off);
    m->rr += c->yy[0][0] - (2.0 * off * c->y[0]) + (RKI_CALM_ROWS * off * off);
}

static void set_residual(const rki_series *s, size_t first, double level, double *residual)
{
    size_t i;

    for (i = first; i < first + RKI_CALM_ROWS && residual != NULL; i++) {
        residual[i] = s->pv[i] - level;
    }
}

/* Everything in the full places: x = v + u, and by theta gain v / tau, by ln T gain b. */
static void close_stretch(const stretch *m, double gain, double tau, rki_normal *n)
{
    const double t = gain / tau, u = m->u, v0 = m->v0, b0 = m->b0;
    const double v = v0 * m->e, b = (b0 * m->e) + (v0 * m->se);
    const double vv = v0 * v0 * m->ee, vb = v0 * ((b0 * m->ee) + (v0 * m->see));
    const double bb = (b0 * ((b0 * m->ee) + (2.0 * v0 * m->see))) + (v0 * v0 * m->ssee);
    const double rv = v0 * m->re, rb = (b0 * m->re) + (v0 * m->rse);
    double(*h)[RKI_PARAMETERS] = n->h;

    h[RKI_GAIN][RKI_GAIN] += vv + (u * ((2.0 * v) + (u * m->w)));
    h[RKI_START][RKI_GAIN] += v + (u * m->w);
    h[RKI_START][RKI_START] += m->w;
    h[RKI_THETA][RKI_GAIN] += t * (vv + (u * v));
    h[RKI_THETA][RKI_START] += t * v;
    h[RKI_THETA][RKI_THETA] += t * t * vv;
    h[RKI_SHAPE][RKI_GAIN] += gain * (vb + (u * b));
    h[RKI_SHAPE][RKI_START] += gain * b;
    h[RKI_SHAPE][RKI_THETA] += gain * t * vb;
    h[RKI_SHAPE][RKI_SHAPE] += gain * gain * bb;
    n->g[RKI_GAIN] += rv + (u * m->r);
    n->g[RKI_START] += m->r;
    n->g[RKI_THETA] += t * rv;
    n->g[RKI_SHAPE] += gain * rb;
    n->cost += m->rr;
    n->count += m->w;
}

static void keep_active(unsigned active, rki_normal *n)
{
    int i, j;

    rki_normal_mirror(n);
    for (i = 0; i < RKI_PARAMETERS; i++) {
        if ((active >> i) & 1U) continue;
        n->g[i] = 0;
        for (j = 0; j < RKI_PARAMETERS; j++) {
            n->h[i][j] = n->h[j][i] = 0;
        }
    }
}

/* The moves that act before a row, into the stretch that it starts. */
static size_t start_stretch(const rki_task *task, double theta, double tau, size_t event,
                            double now, stretch *m)
{
    const rki_series *s = task->series;

    for (; event < s->events && s->event_time[event] + theta < now; event++) {
        const double lag = (now - s->event_time[event] - theta) / tau;
        const double part = s->event_size[event] * exp(-lag);

        m->u += s->event_size[event];
        m->v0 -= part;
        m->b0 -= lag * part;
    }
    m->since = now;
    return event;
}

void rki_pass_first(const rki_task *task, const double q[RKI_PARAMETERS], rki_normal *normal,
                    double *residual)
{
    const rki_series *series = task->series;
    const double gain = q[RKI_GAIN], theta = q[RKI_THETA], tau = exp(q[RKI_SHAPE]);
    const double rate = 1.0 / tau;
    double usual = series->interval, decay = exp(-usual * rate);
    stretch m = {0};
    size_t event = 0, i = 0;

    memset(normal, 0, sizeof *normal);
    while (i < series->samples) {
        double e = 1.0, s = 0, level, size, next;

        event = start_stretch(task, theta, tau, event, series->time[i], &m);
        next = event < series->events ? series->event_time[event] + theta : HUGE_VAL;
        level = q[RKI_START] + (gain * m.u);
        size = gain * m.v0;
        for (;;) {
            const rki_calm *calm = e * (1.0 + s) < REST ? rki_series_calm(series, i) : NULL;
            double left, gap, off;

            if (calm != NULL && !(next < series->time[i + RKI_CALM_ROWS - 1])) {
                add_calm(&m, calm, level);
                set_residual(series, i, level, residual);
                i += RKI_CALM_ROWS;
                e = 0;
                if (i == series->samples) break;
                s = (series->time[i] - m.since) * rate;
                if (next < series->time[i]) break;
                continue;
            }
            left = series->pv[i] - level - (size * e);

            if (residual != NULL) {
                residual[i] = left;
            }
            add_row(&m, series->weight[i], e, s, left);
            if (++i == series->samples) break;
            gap = series->time[i] - series->time[i - 1];
            off = (gap - usual) * rate;
            if (fabs(off) >= NEARLY_EQUAL) {
                usual = gap;
                decay = exp(-gap * rate);
                off = 0;
            }
            e *= decay * (1.0 - off);
            e = e < SMALLEST ? 0.0 : e;
            s = (series->time[i] - m.since) * rate;
            if (next < series->time[i]) break;
        }
        close_stretch(&m, gain, tau, normal);
        m = (stretch){.u = m.u, .v0 = m.v0 * e, .b0 = (m.b0 + (m.v0 * s)) * e};
    }
    keep_active(task->active, normal);
}
