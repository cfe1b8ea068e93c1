/* SPDX-License-Identifier: MIT */
/*
 * Moves of OUT between two rows. A record shows a move on the first row behind it; unless OUT was
 * written by whoever wrote the rows, it came anywhere in the interval before. The instants at
 * which the moves act are then free, one parameter each: the dead time lies, for every move, from
 * that instant to an interval more.
 *
 *   act(k) = row(k) - early(k) + dead time,    early(k) uniform from 0 to the interval
 *
 * 1. Damped Gauss-Newton steps over all parameters and all act(k) (lead), with early's first two
 *    moments in the place of its uniform density.
 * 2. About the minimum the likelihood of act is normal, N(late, cov). The dead time's posterior
 *    is how much of it lies in the box dead time - interval <= act <= dead time, by Genz's
 *    sequence of conditional normals on a lattice; and so are the moments of all parameters.
 * 3. Its sum over all dead times against that of "every move stands on its row", early = 0, is
 *    the evidence between the two.
 *
 * Source  A. Genz, Numerical computation of multivariate normal probabilities, 1992, J. Comput.
 *         Graph. Stat. 1; R. E. Kass, A. E. Raftery, Bayes factors, 1995, J. Am. Stat. Assoc. 90.
 */
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "design/base/numeric.h"
#include "fit_columns.h"
#include "fit_stages.h"

/* A move right behind another is part of a ramp: its instant is left where it is, to this part of
   an interval. */
#define PINNED 1e-3
/* Instants are looked for around where they seem to be, so many rows on. */
#define AROUND_ROWS 3.0
enum { RAMP_ROWS = 2, STEPS = 12, NUMBERS = RKI_PARAMETERS + RKI_MOVES_MOST };

void rki_between_find(rki_fit_work *b)
{
    const rki_series *s = &b->series;
    double last = -HUGE_VAL;
    size_t row = 1, e;

    b->moves.count = 0;
    if (b->plain || b->dense || b->closed_loop || s->events > RKI_MOVES_MOST) return;
    for (e = 0; e < s->events; e++) {
        while (s->time[row] < s->event_time[e]) {
            row++;
        }
        b->moves.row[e] = s->event_time[e];
        b->moves.room[e] = s->time[row] - s->time[row - 1];
        if (s->event_time[e] - last <= RAMP_ROWS * s->interval) {
            b->moves.room[e] *= PINNED;
        }
        last = s->event_time[e];
    }
    b->moves.count = (int)s->events;
}

/* The normal equations of the others and of the moves' instants. */
typedef struct equations {
    int own, count; /* the others come first */
    int place[RKI_PARAMETERS];
    double h[NUMBERS][NUMBERS], g[NUMBERS], cost;
} equations;

static rk_status sum_columns(const rki_task *task, const double *q, equations *e, rk_diag *diag)
{
    rki_task others = *task;
    rki_columns_of c;
    rk_status status;
    size_t i;
    int a, k;

    memset(e, 0, sizeof *e);
    status = rki_columns_make(task, q, &c, diag);
    if (status != RK_OK) return status;
    others.active &= ~rki_bit(RKI_THETA);
    e->own = rki_list_active(others.active, e->place);
    e->count = c.count;
    for (a = 0; a <= c.count; a++) {
        for (k = 0; k <= a; k++) {
            const double *x = c.number + ((size_t)a * c.rows),
                         *y = c.number + ((size_t)k * c.rows);
            double sum = 0;

            for (i = 0; i < c.rows; i++) {
                sum += x[i] * y[i];
            }
            if (a < c.count) {
                e->h[a][k] = e->h[k][a] = sum;
            } else if (k < c.count) {
                e->g[k] = sum;
            } else {
                e->cost = sum;
            }
        }
    }
    rk_memory_free(c.number);
    return RK_OK;
}

/* Where the moves act, from their rows. */
static void arrivals(const rki_moves *m, const rki_series *s, double theta, double *late)
{
    int k;

    for (k = 0; k < m->count; k++) {
        late[k] = s->event_time[k] - m->row[k] + theta;
    }
}

/* The dead time that goes best with them, each move half an interval early by its variance. */
static double dead_time_of(const rki_moves *m, const double *late)
{
    double sum = 0, weight = 0;
    int k;

    for (k = 0; k < m->count; k++) {
        const double w = 1.0 / (m->room[k] * m->room[k]);

        sum += w * (late[k] + (0.5 * m->room[k]));
        weight += w;
    }
    return fmax(sum / weight, 0.0);
}

static void place(const rki_moves *m, const double *late, double theta, rki_series *s)
{
    int k;

    for (k = 0; k < m->count; k++) {
        s->event_time[k] = m->row[k] + late[k] - theta;
    }
}

/* What the moves' own density adds to the cost, and to the equations: early has half an interval as
   its mean and a twelfth of its square as variance, the dead time being free. */
static double add_prior(const rki_moves *m, const double *late, double variance, equations *e)
{
    const double theta = dead_time_of(m, late);
    double cost = 0, total = 0;
    int k, l;

    for (k = 0; k < m->count; k++) {
        total += 12.0 * variance / (m->room[k] * m->room[k]);
    }
    for (k = 0; k < m->count; k++) {
        const double w = 12.0 * variance / (m->room[k] * m->room[k]);
        const double off = theta - late[k] - (0.5 * m->room[k]);

        cost += w * off * off;
        e->g[e->own + k] += w * off;
        e->h[e->own + k][e->own + k] += w;
        for (l = 0; l < m->count && theta > 0; l++) {
            e->h[e->own + k][e->own + l] -=
                w * 12.0 * variance / (m->room[l] * m->room[l]) / total;
        }
    }
    return cost;
}

static bool invert(const equations *e, double inverse[NUMBERS][NUMBERS])
{
    return rki_invert_positive(e->count, NUMBERS, e->h[0], inverse[0]);
}

/* A step of the damped equations; false: they are singular. */
static bool step(const equations *e, double damping, double *d)
{
    double inverse[NUMBERS][NUMBERS];
    equations damped = *e;
    int i, j;

    for (i = 0; i < e->count; i++) {
        damped.h[i][i] *= 1.0 + damping;
    }
    if (!invert(&damped, inverse)) return false;
    for (i = 0; i < e->count; i++) {
        d[i] = 0;
        for (j = 0; j < e->count; j++) {
            d[i] += inverse[i][j] * e->g[j];
        }
    }
    return true;
}

/* The steps from where the solution and the series' events are; both are moved along. */
static rk_status descend(const rki_moves *m, rki_solution *s, rki_series *series, rk_diag *diag)
{
    double late[RKI_MOVES_MOST] = {0}, damping = 1e-4, cost;
    const double variance = rki_variance(s);
    equations e;
    rk_status status;
    int turn, i;

    s->task.series = series;
    if (rki_is_static(s)) {
        s->task.active &= ~RKI_BITS_OF_SHAPES; /* a lag that leaves no mark stays as it is */
    }
    arrivals(m, series, s->q[RKI_THETA], late);
    status = sum_columns(&s->task, s->q, &e, diag);
    if (status != RK_OK) return status;
    cost = e.cost + add_prior(m, late, variance, &e);
    for (turn = 0; turn < STEPS && status == RK_OK; turn++) {
        double d[NUMBERS] = {0}, q[RKI_PARAMETERS], tried[RKI_MOVES_MOST] = {0}, there;
        equations next;

        if (!step(&e, damping, d)) break;
        memcpy(q, s->q, sizeof q);
        for (i = 0; i < e.own; i++) {
            const double most = e.place[i] >= RKI_SHAPE ? 0.5 : HUGE_VAL;

            q[e.place[i]] += fmin(fmax(d[i], -most), most);
        }
        for (i = 0; i < m->count; i++) {
            tried[i] = late[i] + fmin(fmax(d[e.own + i], -m->room[i]), m->room[i]);
        }
        q[RKI_THETA] = dead_time_of(m, tried);
        place(m, tried, q[RKI_THETA], series);
        status = sum_columns(&s->task, q, &next, diag);
        there = next.cost + add_prior(m, tried, variance, &next);
        if (status == RK_OK && there <= cost) {
            const bool stands = cost - there < 1e-3 * variance;

            memcpy(s->q, q, sizeof q);
            memcpy(late, tried, sizeof late);
            e = next;
            cost = there;
            damping *= 0.1;
            if (stands) break;
        } else {
            damping = fmax(10.0 * damping, 1e-3);
            if (damping > 1e4) break;
        }
    }
    s->q[RKI_THETA] = dead_time_of(m, late);
    place(m, late, s->q[RKI_THETA], series);
    return status;
}

/* Rising, as OUT's events must be: no move before another, or out of its interval by more than it
   is long. */
static void keep_order(const rki_moves *m, double *event_time)
{
    int k;

    for (k = 0; k < m->count; k++) {
        event_time[k] =
            fmin(fmax(event_time[k], m->row[k] - (2.0 * m->room[k])), m->row[k] + m->room[k]);
        if (k > 0) {
            event_time[k] = fmax(event_time[k], event_time[k - 1]);
        }
    }
}

static rk_status thin_again(rki_fit_work *b, rk_diag *diag)
{
    rki_series_free(&b->thin);
    return rki_series_thin(&b->thin, &b->series, diag);
}

/* All rows, or a long record's rows thinned; the caller frees *fine. */
static rk_status pick_series(rki_fit_work *b, const rki_solution *at, rki_series *fine,
                             rki_series **use, rk_diag *diag)
{
    const rk_status status =
        rki_thin_out(b, at, (1.0 + AROUND_ROWS) * b->series.interval, fine, diag);

    *use = fine->samples > 0 && fine->events == b->series.events ? fine : &b->series;
    return status;
}

static rk_status lead_once(rki_fit_work *b, rki_solution *at, rki_solution *moved,
                           rk_diag *diag)
{
    const unsigned active = at->task.active;
    rki_series fine, *use;
    rk_status status = pick_series(b, at, &fine, &use, diag);

    if (status != RK_OK) return status;
    status = descend(&b->moves, at, use, diag);
    if (status == RK_OK) {
        memmove(b->series.event_time, use->event_time, b->series.events * sizeof(double));
    }
    rki_series_free(&fine);
    at->task.series = &b->series;
    at->task.active = active;
    if (status != RK_OK) return status;
    keep_order(&b->moves, b->series.event_time);
    status = thin_again(b, diag);
    rki_fit_on(b, at, at->task.active, at->task.load_at, moved);
    return status;
}

/* Without a dead time to move within, and without a lag that leaves a mark, no gradient tells that
   PV answers before the row that shows the move: half a row early is tried as it is. */
static rk_status lead_early(rki_fit_work *b, const rki_solution *at, rki_solution *moved,
                            rk_diag *diag)
{
    double place[RKI_MOVES_MOST];
    rki_solution early = *at, made;
    rk_status status;
    int k;

    memcpy(place, b->series.event_time, sizeof(double) * (size_t)b->moves.count);
    early.q[RKI_THETA] = 0.0;
    for (k = 0; k < b->moves.count; k++) {
        b->series.event_time[k] = b->moves.row[k] - (0.5 * b->moves.room[k]);
    }
    status = lead_once(b, &early, &made, diag);
    if (status == RK_OK && made.found && !(moved->found && moved->bic <= made.bic)) {
        *moved = made;
        return RK_OK;
    }
    memcpy(b->series.event_time, place, sizeof(double) * (size_t)b->moves.count);
    return status == RK_OK ? thin_again(b, diag) : status;
}

rk_status rki_between_lead(rki_fit_work *b, const rki_solution *exact, rki_solution *moved,
                           rk_diag *diag)
{
    rki_solution at = *exact;
    rk_status status;

    memset(&at.task.colour, 0, sizeof at.task.colour); /* it may be the instants' */
    at.normal.cost = exact->plain_cost;
    status = lead_once(b, &at, moved, diag);
    if (status == RK_OK && exact->q[RKI_THETA] < b->series.interval) {
        at = *exact;
        memset(&at.task.colour, 0, sizeof at.task.colour);
        at.normal.cost = exact->plain_cost;
        status = lead_early(b, &at, moved, diag);
    }
    if (status == RK_OK && rki_is_coloured(&moved->task.colour)) {
        at = *moved;
        status = lead_once(b, &at, moved, diag);
    }
    return status;
}

rk_status rki_between_undo(rki_fit_work *b, rk_diag *diag)
{
    memcpy(b->series.event_time, b->moves.row, (size_t)b->moves.count * sizeof(double));
    return thin_again(b, diag);
}

/* ---- the evidence ---- */

static void take_equations(const equations *e, double inverse[NUMBERS][NUMBERS],
                           double variance, const double *late, const rki_solution *s,
                           rki_between *w)
{
    int i, j;
    double d;

    memcpy(w->q, s->q, sizeof w->q);
    for (i = 0; i < e->count; i++) {
        for (d = 0, j = 0; j < e->count; j++) {
            d += inverse[i][j] * e->g[j];
        }
        if (i < e->own) {
            w->q[e->place[i]] += d;
        } else {
            w->late[i - e->own] = late[i - e->own] + d;
        }
        for (j = 0; j < e->count; j++) {
            const double c = variance * inverse[i][j];

            if (i < e->own && j < e->own) {
                w->own[e->place[i]][e->place[j]] = c;
            } else if (i < e->own) {
                w->with[e->place[i]][j - e->own] = c;
            } else if (j >= e->own) {
                w->cov[i - e->own][j - e->own] = c;
            }
        }
    }
}

/* ln of the determinant's root. */
static double ln_spread(const rki_between *w)
{
    double l[RKI_MOVES_MOST][RKI_MOVES_MOST], sum = 0;
    int k;

    rki_cholesky(w->moves.count, RKI_MOVES_MOST, w->cov[0], l[0]);
    for (k = 0; k < w->moves.count; k++) {
        sum += log(l[k][k]);
    }
    return sum;
}

/* A hand does not wait for a row: between rows is four times likelier from the start, ln 4. */
#define PRIOR 1.3862943611198906
/* So unlikely it is left out: ln of 1 in 150. */
#define NEVER (-5.0)

static double ln_box_most(const rki_between *w, const double range[2])
{
    double sum = log(range[1] - range[0]);
    int k;

    for (k = 0; k < w->moves.count; k++) {
        sum -= log(w->moves.room[k]);
    }
    return sum;
}

rk_status rki_between_weigh(rki_fit_work *b, const rki_solution *exact,
                            const rki_solution *moved, rki_between *w, rk_diag *diag)
{
    const double rows = moved->normal.count, variance = rki_variance(moved);
    const double ln_root = 0.5 * log(2.0 * acos(-1.0)),
                 error = exact->certain ? sqrt(exact->covariance[RKI_THETA][RKI_THETA]) : 0.0;
    double inverse[NUMBERS][NUMBERS], late[RKI_MOVES_MOST] = {0}, range[2], box, gained = 0;
    const double ridge = rki_is_static(moved) ? 12.0 : 1e-4;
    rki_series fine, *at_series;
    rki_solution at = *moved;
    equations e;
    rk_status status;
    int i, k;

    memset(w, 0, sizeof *w);
    w->moves = b->moves;
    status = pick_series(b, &at, &fine, &at_series, diag);
    if (status != RK_OK) return status;
    at.task.series = at_series;
    if (rki_is_static(&at)) {
        at.task.active &= ~RKI_BITS_OF_SHAPES;
    }
    status = sum_columns(&at.task, at.q, &e, diag);
    rki_series_free(&fine);
    if (status != RK_OK) return status;
    for (k = 0; k < w->moves.count; k++) {
        /* never singular, and hardly more certain for it; of a static process within a row */
        e.h[e.own + k][e.own + k] += ridge * variance / (w->moves.room[k] * w->moves.room[k]);
    }
    if (!(error > 0) || !invert(&e, inverse)) return RK_OK;
    if (rki_is_static(moved)) {
        w->own[RKI_SHAPE][RKI_SHAPE] = exact->covariance[RKI_SHAPE][RKI_SHAPE];
        w->own[RKI_SHAPE_2][RKI_SHAPE_2] = exact->covariance[RKI_SHAPE_2][RKI_SHAPE_2];
    }
    arrivals(&w->moves, &b->series, at.q[RKI_THETA], late);
    take_equations(&e, inverse, variance, late, &at, w);
    for (i = 0; i < e.count; i++) {
        for (k = 0; k < e.count; k++) {
            gained += e.g[i] * inverse[i][k] * e.g[k];
        }
    }
    w->evidence = (0.5 * (exact->bic - moved->bic)) -
                  (0.5 * rows * log(fmax(1.0 - (gained / moved->normal.cost), 1e-9))) +
                  (w->moves.count * ln_root) + ln_spread(w) - ln_root - log(error);
    /* The box holds all of the density at most, over all of its length. */
    if (!rki_between_range(w, range) ||
        (b->instants == RK_MOVES_WEIGHED && w->evidence + ln_box_most(w, range) < NEVER))
        return RK_OK;
    box = rki_between_box(w, w->q, NULL);
    w->evidence += log(box) + PRIOR;
    w->known = box > 0;
    return RK_OK;
}
