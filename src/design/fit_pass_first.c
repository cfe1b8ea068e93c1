/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "fit_pass.h"

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

void rki_decays(const rki_series *s, double tau, double *decay)
{
    const double usual = exp(-s->interval / tau);
    size_t i;

    decay[0] = 1.0;
    for (i = 1; i < s->samples; i++) {
        const double gap = s->time[i] - s->time[i - 1];
        const double off = (gap - s->interval) / tau;

        decay[i] = fabs(off) < NEARLY_EQUAL ? usual * (1.0 - off) : exp(-gap / tau);
    }
}

/* Sums over a stretch: v is x - u, b its derivative by ln T, r what is left. */
typedef struct sums {
    double w, v, b, vv, vb, bb, r, rv, rb, rr;
} sums;

/* Everything in the full places: x = v + u, and by theta gain v / tau, by ln T gain b. */
static void close_stretch(const sums *s, double u, double gain, double tau, rki_normal *n)
{
    const double t = gain / tau;
    double(*h)[RKI_PARAMETERS] = n->h;

    h[RKI_GAIN][RKI_GAIN] += s->vv + (u * ((2.0 * s->v) + (u * s->w)));
    h[RKI_START][RKI_GAIN] += s->v + (u * s->w);
    h[RKI_START][RKI_START] += s->w;
    h[RKI_THETA][RKI_GAIN] += t * (s->vv + (u * s->v));
    h[RKI_THETA][RKI_START] += t * s->v;
    h[RKI_THETA][RKI_THETA] += t * t * s->vv;
    h[RKI_SHAPE][RKI_GAIN] += gain * (s->vb + (u * s->b));
    h[RKI_SHAPE][RKI_START] += gain * s->b;
    h[RKI_SHAPE][RKI_THETA] += gain * t * s->vb;
    h[RKI_SHAPE][RKI_SHAPE] += gain * gain * s->bb;
    n->g[RKI_GAIN] += s->rv + (u * s->r);
    n->g[RKI_START] += s->r;
    n->g[RKI_THETA] += t * s->rv;
    n->g[RKI_SHAPE] += gain * s->rb;
    n->cost += s->rr;
    n->count += s->w;
}

static void keep_active(unsigned active, rki_normal *n)
{
    int i, j;

    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < i; j++) {
            n->h[j][i] = n->h[i][j];
        }
    }
    for (i = 0; i < RKI_PARAMETERS; i++) {
        if ((active >> i) & 1U) continue;
        n->g[i] = 0;
        for (j = 0; j < RKI_PARAMETERS; j++) {
            n->h[i][j] = n->h[j][i] = 0;
        }
    }
}

void rki_pass_first(const rki_task *task, const double q[RKI_PARAMETERS], rki_normal *normal,
                    double *residual)
{
    const rki_series *s = task->series;
    const double gain = q[RKI_GAIN], theta = q[RKI_THETA], tau = exp(q[RKI_SHAPE]);
    const double usual = exp(-s->interval / tau);
    double u = 0, v = 0, b = 0, level = q[RKI_START];
    size_t event = 0, i = 0;
    sums sum = {0};

    memset(normal, 0, sizeof *normal);
    for (;;) {
        const double next = event < s->events ? s->event_time[event] + theta : HUGE_VAL;

        for (; i < s->samples; i++) {
            const double now = s->time[i], w = s->weight[i];
            double gap, off, d, wr, wv, wb, r;

            if (i > 0) {
                gap = (now - s->time[i - 1]) / tau;
                if (task->decay != NULL) {
                    d = task->decay[i];
                } else {
                    off = gap - (s->interval / tau);
                    d = fabs(off) < NEARLY_EQUAL ? usual * (1.0 - off) : exp(-gap);
                }
                b = d * (b + (gap * v));
                v = d * v;
            }
            if (next < now) break;
            r = s->pv[i] - level - (gain * v);
            if (residual != NULL) {
                residual[i] = r;
            }
            wr = w * r;
            wv = w * v;
            wb = w * b;
            sum.w += w;
            sum.v += wv;
            sum.b += wb;
            sum.vv += wv * v;
            sum.vb += wv * b;
            sum.bb += wb * b;
            sum.r += wr;
            sum.rv += wr * v;
            sum.rb += wr * b;
            sum.rr += wr * r;
        }
        close_stretch(&sum, u, gain, tau, normal);
        if (i == s->samples) break;
        memset(&sum, 0, sizeof sum);
        /* The moves that act between the last sample and this one, then this one itself. */
        for (; event < s->events && s->event_time[event] + theta < s->time[i]; event++) {
            const double lag = (s->time[i] - s->event_time[event] - theta) / tau;
            const double part = s->event_size[event] * exp(-lag);

            u += s->event_size[event];
            v -= part;
            b -= lag * part;
        }
        level = q[RKI_START] + (gain * u);
        {
            const double w = s->weight[i], r = s->pv[i] - level - (gain * v);

            if (residual != NULL) {
                residual[i] = r;
            }
            sum = (sums){w,         w * v, w * b,     w * v * v, w * v * b,
                         w * b * b, w * r, w * r * v, w * r * b, w * r * r};
        }
        i++;
    }
    keep_active(task->active, normal);
}
