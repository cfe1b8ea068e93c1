/* SPDX-License-Identifier: MIT */
/*
 * One pass over the rows: the sum of squares of the whitened residuals, its gradient and the
 * normal equations J'J of Gauss and Newton, in a single walk.
 *
 * The model is run exactly from event to event. Between events OUT is constant, and a state v,
 * counted from its rest, obeys v(t + h) = phi(h) v(t); with it go its derivatives by the shape
 * parameters, (dv)(t + h) = phi dv + (dphi) v (rki_step has both). A move of OUT of size u,
 * acting a dead time later, shifts the rest: v = v - u (hit). The derivative by the dead time
 * is minus the one by time, so it costs nothing; gain, start, drift, initial state and load
 * come in linearly, each with a state of unit size. An integrator takes up u h as a ramp
 * besides.
 *
 * Rows are taken in batches, a column a parameter, so that whitening and the products are loops
 * over contiguous numbers. Pieces of rows in which all states are at rest are taken at once, from
 * sums that are made once (calm.h): a record may be far longer than its process. Whitening by an autoregression is e(i) - sum a(k) e(i - k), within
 * chains of regular rows; by an exponential memory it is (e(i) - r e(i-1)) / sqrt(1 - r^2),
 * r = exp(-interval / memory), for irregular ones. The cost is that of one step a row and
 * state, an exp only where the interval changes (KEPT lengths are remembered).
 */
#include "fit_pass.h"

#include <math.h>
#include <string.h>

#include "fit_pass_first.h"

/* A state and its derivatives by the shape. */
typedef struct state {
    double v[2], by[RKI_SHAPES][2];
} state;

/* Steps of a length that comes again need no exp: regular rows, and what a dead time leaves of
   them. */
enum { KEPT = 4 };

typedef struct walker {
    const rki_task *task;
    const double *q;         /* the parameters, by rki_parameter */
    int shapes;              /* how many shape parameters the family has */
    bool integrates, second; /* the family integrates; its state has two numbers */
    double tau, u; /* exp(q[RKI_SHAPE]), s; OUT of the moves that act by now, out-EU */
    double now;    /* s from the first row */
    size_t event;  /* the next to act */
    bool loaded;   /* the load step has acted */
    /* Of the moves; of a unit off rest at the start, and of a unit of rate; of a unit load. */
    state main, initial, rate, load;
    rki_step kept[KEPT];
    const rki_step *last; /* the step of the last row */
    int next;             /* the next of kept to be overwritten */
    bool has_initial, has_rate, has_load;
    double stop;  /* before a sample after this time something acts */
    double moved; /* all moves of OUT together, out-EU */
} walker;

static const rki_step *step_of(walker *w, double h)
{
    rki_step *made;
    int i;

    for (i = 0; i < KEPT; i++) {
        if (fabs(w->kept[i].h - h) <= RKI_SAME * h) return &w->kept[i];
    }
    made = &w->kept[w->next];
    w->next = (w->next + 1) % KEPT;
    rki_step_make(made, w->task->family, w->q + RKI_SHAPE, h);
    return made;
}

/* Rows are taken in batches, parameter by parameter; before them are the last ones of the batch
   before, not whitened, and after the parameters comes what is left. */
enum { BATCH = 64, LEFT = RKI_PARAMETERS, COLUMNS = RKI_PARAMETERS + 1 };

/* A state at the rows of a batch. */
typedef struct track {
    double v[2][BATCH], by[RKI_SHAPES][BATCH];
} track;

/* Below this numbers lose digits and a processor its speed. */
#define SMALLEST 1e-280

static double normal(double x)
{
    return fabs(x) < SMALLEST ? 0.0 : x;
}

/* Follow a state over some times; `ramp` is what an integrator takes up. */
static void follow(walker *w, state *s, double ramp, const double *time, int rows, track *t)
{
    double v0 = s->v[0], v1 = s->v[1], a0 = s->by[0][0], a1 = s->by[0][1];
    double b0 = s->by[1][0], b1 = s->by[1][1], now = w->now;
    const rki_step *m = w->last;
    int i;

    for (i = 0; i < rows; i++) {
        const double h = time[i] - now, before = v0, a = a0, b = b0;

        if (fabs(m->h - h) > RKI_SAME * h) {
            m = step_of(w, h);
        }
        now = time[i];
        a0 = (m->phi[0][0] * a) + (m->phi[0][1] * a1) + (m->by[0][0][0] * v0) +
             (m->by[0][0][1] * v1);
        v0 = (m->phi[0][0] * before) + (m->phi[0][1] * v1) + (ramp * h);
        if (w->second) {
            a1 = (m->phi[1][0] * a) + (m->phi[1][1] * a1) + (m->by[0][1][0] * before) +
                 (m->by[0][1][1] * v1);
            b0 = (m->phi[0][0] * b) + (m->phi[0][1] * b1) + (m->by[1][0][0] * before) +
                 (m->by[1][0][1] * v1);
            b1 = (m->phi[1][0] * b) + (m->phi[1][1] * b1) + (m->by[1][1][0] * before) +
                 (m->by[1][1][1] * v1);
            v1 = (m->phi[1][0] * before) + (m->phi[1][1] * v1);
        }
        t->v[0][i] = v0;
        t->v[1][i] = v1;
        t->by[0][i] = a0;
        t->by[1][i] = b0;
    }
    w->last = m;
    s->v[0] = normal(v0);
    s->v[1] = normal(v1);
    s->by[0][0] = normal(a0);
    s->by[0][1] = normal(a1);
    s->by[1][0] = normal(b0);
    s->by[1][1] = normal(b1);
}

/* All states that are in use, over some times. */
static void go(walker *w, const double *time, int rows, track *main, track *initial,
               track *rate, track *load)
{
    follow(w, &w->main, w->integrates ? w->u : 0.0, time, rows, main);
    if (w->has_initial) {
        follow(w, &w->initial, 0.0, time, rows, initial);
    }
    if (w->has_rate) {
        follow(w, &w->rate, 0.0, time, rows, rate);
    }
    if (w->has_load) {
        follow(w, &w->load, w->integrates && w->loaded ? 1.0 : 0.0, time, rows, load);
    }
    w->now = time[rows - 1];
}

static void go_to(walker *w, double until)
{
    track away;

    if (until > w->now) {
        go(w, &until, 1, &away, &away, &away, &away);
    }
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

/* When the next move or the load acts. */
static double next_stop(const walker *w)
{
    const rki_series *s = w->task->series;
    const double move_at =
        w->event < s->events ? s->event_time[w->event] + w->q[RKI_THETA] : HUGE_VAL;

    return w->has_load && !w->loaded && w->task->load_at < move_at ? w->task->load_at : move_at;
}

static void act_before(walker *w, double time)
{
    const rki_series *s = w->task->series;
    const double theta = w->q[RKI_THETA];

    while (w->event < s->events && s->event_time[w->event] + theta < time) {
        go_to(w, s->event_time[w->event] + theta);
        w->u += s->event_size[w->event];
        hit(w, &w->main, s->event_size[w->event]);
        w->event++;
    }
    if (w->has_load && !w->loaded && w->task->load_at < time) {
        /* Its own state only: the others' steps are none the worse for a stop. */
        go_to(w, w->task->load_at);
        w->loaded = true;
        hit(w, &w->load, 1.0);
    }
    w->stop = next_stop(w);
}

static void begin(walker *w, const rki_task *task, const double *q)
{
    size_t e;
    int i;

    memset(w, 0, sizeof *w);
    w->task = task;
    w->q = q;
    w->shapes = rki_family_shapes(task->family);
    w->second = task->family == RKI_SECOND || task->family == RKI_LAGGING;
    w->integrates = rki_family_integrates(task->family);
    w->tau = exp(q[RKI_SHAPE]);
    w->now = task->series->time[0];
    w->initial.v[task->family == RKI_LAGGING ? 1 : 0] = 1.0;
    w->rate.v[1] = 1.0;
    for (e = 0; e < task->series->events; e++) {
        w->moved += fabs(task->series->event_size[e]);
    }
    for (i = 0; i < KEPT; i++) {
        w->kept[i].h = -1.0;
    }
    w->last = &w->kept[0];
    w->has_initial = rki_active(task, RKI_INITIAL);
    w->has_rate = rki_active(task, RKI_RATE);
    w->has_load = rki_active(task, RKI_LOAD);
    w->stop = next_stop(w);
}

typedef struct batch {
    track main, initial, rate, load;
    double raw[COLUMNS][RKI_AR_MAX + BATCH];
    double white[COLUMNS][BATCH];
    double weight[BATCH]; /* its root */
    double gap[BATCH];    /* since the row before */
    size_t chain[BATCH];  /* rows before this one without a gap */
    int rows;
} batch;

/* dPV/dt for a gain of 1. */
static double rate_of(const walker *w, const track *t, int i)
{
    switch (w->task->family) {
    case RKI_SECOND:
        return t->v[1][i] / w->tau;
    case RKI_INTEGRATOR:
        return w->u;
    case RKI_LAGGING:
        return w->u + t->v[1][i];
    default:
        return -t->v[0][i] / w->tau;
    }
}

/* What a start off rest adds. */
static void fill_start(const walker *w, const track *t, rki_parameter size, batch *b)
{
    int i, p;

    for (i = 0; i < b->rows; i++) {
        const int at = RKI_AR_MAX + i;

        b->raw[size][at] = t->v[0][i];
        b->raw[LEFT][at] -= w->q[size] * t->v[0][i];
        for (p = 0; p < w->shapes; p++) {
            b->raw[RKI_SHAPE + p][at] += w->q[size] * t->by[p][i];
        }
    }
}

/* What is left of PV at a batch's rows, and its derivatives. */
static void fill_columns(const walker *w, const double *time, const double *pv, batch *b)
{
    const double *q = w->q, level = w->integrates ? 0.0 : w->u;
    const double loaded = w->integrates ? 0.0 : (double)w->loaded;
    int i, p;

    for (i = 0; i < b->rows; i++) {
        const int at = RKI_AR_MAX + i;
        const double x = b->main.v[0][i] + level;

        b->raw[RKI_GAIN][at] = x;
        b->raw[RKI_START][at] = 1.0;
        b->raw[RKI_DRIFT][at] = time[i];
        b->raw[RKI_THETA][at] = -q[RKI_GAIN] * rate_of(w, &b->main, i);
        b->raw[LEFT][at] = pv[i] - (q[RKI_GAIN] * x) - q[RKI_START] - (q[RKI_DRIFT] * time[i]);
    }
    for (p = 0; p < w->shapes; p++) {
        for (i = 0; i < b->rows; i++) {
            b->raw[RKI_SHAPE + p][RKI_AR_MAX + i] = q[RKI_GAIN] * b->main.by[p][i];
        }
    }
    if (w->has_initial) {
        fill_start(w, &b->initial, RKI_INITIAL, b);
    }
    if (w->has_rate) {
        fill_start(w, &b->rate, RKI_RATE, b);
    }
    for (i = 0; i < b->rows && w->has_load; i++) {
        const int at = RKI_AR_MAX + i;
        const double x = b->load.v[0][i] + loaded;

        b->raw[RKI_LOAD][at] = x;
        b->raw[LEFT][at] -= q[RKI_LOAD] * x;
        for (p = 0; p < w->shapes; p++) {
            b->raw[RKI_SHAPE + p][at] += q[RKI_LOAD] * b->load.by[p][i];
        }
    }
}

static void whiten(const rki_colour *colour, batch *b, int column)
{
    const double *raw = b->raw[column] + RKI_AR_MAX;
    int i;

    for (i = 0; i < b->rows; i++) {
        b->white[column][i] = rki_whitened(colour, raw + i, b->gap[i], b->chain[i]);
    }
}

/* Over a batch's rows, by fours: behind the last one stand zeros. */
static double dot(const double *a, const double *b, int rows)
{
    double sum[4] = {0, 0, 0, 0};
    int i, k;

    for (i = 0; i < rows; i += 4) {
        for (k = 0; k < 4; k++) {
            sum[k] += a[i + k] * b[i + k];
        }
    }
    return (sum[0] + sum[1]) + (sum[2] + sum[3]);
}

/* Add a batch to the normal equations. */
static void take_batch(const rki_task *task, const int *place, int width, batch *b,
                       rki_normal *n)
{
    const bool coloured = rki_is_coloured(&task->colour);
    int a, c, i;

    for (a = 0; a <= width; a++) {
        const int column = a < width ? place[a] : LEFT;
        double *white = b->white[column];

        if (coloured) {
            whiten(&task->colour, b, column);
        } else {
            memcpy(white, b->raw[column] + RKI_AR_MAX, sizeof b->white[column]);
        }
        for (i = 0; i < b->rows; i++) {
            white[i] *= b->weight[i];
        }
        for (; i % 4 != 0; i++) {
            white[i] = 0.0;
        }
        /* The last rows again, before the next ones. */
        memmove(b->raw[column], b->raw[column] + b->rows, RKI_AR_MAX * sizeof(double));
    }
    for (a = 0; a < width; a++) {
        for (c = 0; c <= a; c++) {
            n->h[place[a]][place[c]] += dot(b->white[place[a]], b->white[place[c]], b->rows);
        }
        n->g[place[a]] += dot(b->white[place[a]], b->white[LEFT], b->rows);
    }
    n->cost += dot(b->white[LEFT], b->white[LEFT], b->rows);
}

int rki_list_active(unsigned active, int place[RKI_PARAMETERS])
{
    int count = 0, i;

    for (i = 0; i < RKI_PARAMETERS; i++) {
        if ((active >> i) & 1U) {
            place[count++] = i;
        }
    }
    return count;
}

/* Rows from `first` on that nothing acts between, at most a batch of them. */
static int batch_rows(const walker *w, size_t first)
{
    const rki_series *s = w->task->series;
    const int room = RKI_CALM_ROWS - (int)(first % RKI_CALM_ROWS); /* to the next piece */
    int rows = 1;

    while (rows < BATCH && rows < room && first + (size_t)rows < s->samples &&
           !(w->stop < s->time[first + (size_t)rows])) {
        rows++;
    }
    return rows;
}

/* The weights of a batch's rows, and where their chains break. */
static void weigh(const rki_task *task, size_t first, double *last, size_t *chain, batch *b,
                  rki_normal *n)
{
    const rki_series *s = task->series;
    int i;

    for (i = 0; i < b->rows; i++) {
        const double weight = s->weight[first + (size_t)i], time = s->time[first + (size_t)i];

        b->weight[i] = weight != 1.0 ? sqrt(weight) : 1.0;
        n->count += weight;
        b->gap[i] = time - *last;
        if (task->colour.order > 0 && b->gap[i] > RKI_BREAK * s->interval) {
            *chain = 0;
        }
        b->chain[i] = *chain;
        *chain = weight > 0 ? *chain + 1 : 0;
        *last = time;
    }
}

/* ---- pieces in which the model stands still, or runs straight on ---- */

/* A state so small a part of the moves has come to rest. */
#define REST 1e-13

static bool fade_out(double *x, double scale)
{
    if (!(fabs(*x) <= REST * scale)) return false;
    *x = 0.0;
    return true;
}

/* What fades of a state: all of it, or of an integrator's what its lag has not passed on. */
static bool rests(const walker *w, state *s, double scale)
{
    bool rest = true;
    int i, p;

    for (i = w->integrates ? 1 : 0; i < 2; i++) {
        rest = fade_out(&s->v[i], scale) && rest;
        for (p = 0; p < RKI_SHAPES; p++) {
            rest = fade_out(&s->by[p][i], scale) && rest;
        }
    }
    return rest;
}

static bool all_rest(walker *w)
{
    return rests(w, &w->main, w->moved) && (!w->has_initial || rests(w, &w->initial, 1.0)) &&
           (!w->has_rate || rests(w, &w->rate, 1.0)) &&
           (!w->has_load || rests(w, &w->load, 1.0));
}

/* Straight lines in time from a piece's start: at + by t. */
typedef struct line {
    double at, by;
} line;

/* The columns at rest, for a piece that starts so long after now, and what they say of PV. */
static void straight_columns(const walker *w, double t0, double ahead, line column[COLUMNS])
{
    const double *q = w->q;
    const double run = w->integrates ? w->u : 0.0;
    const double loaded = w->integrates && w->loaded ? 1.0 : 0.0;
    int p;

    memset(column, 0, COLUMNS * sizeof *column);
    column[RKI_GAIN] =
        w->integrates ? (line){w->main.v[0] + (run * ahead), run} : (line){w->u, 0.0};
    column[RKI_START].at = 1.0;
    column[RKI_DRIFT] = (line){t0, 1.0};
    column[RKI_THETA].at = w->integrates ? -q[RKI_GAIN] * w->u : 0.0;
    if (w->has_initial && w->integrates) {
        column[RKI_INITIAL].at = w->initial.v[0];
    }
    if (w->has_load) {
        column[RKI_LOAD] = w->integrates ? (line){w->load.v[0] + (loaded * ahead), loaded}
                                         : (line){(double)w->loaded, 0.0};
    }
    for (p = 0; p < w->shapes && w->integrates; p++) {
        column[RKI_SHAPE + p].at =
            (q[RKI_GAIN] * w->main.by[p][0]) +
            (w->has_initial ? q[RKI_INITIAL] * w->initial.by[p][0] : 0.0) +
            (w->has_load ? q[RKI_LOAD] * w->load.by[p][0] : 0.0);
    }
    for (p = 0; p < RKI_THETA; p++) { /* all that is linear makes PV */
        column[LEFT].at += q[p] * column[p].at;
        column[LEFT].by += q[p] * column[p].by;
    }
}

/* A line that an autoregression has gone over. */
static line whiten_line(const rki_colour *colour, double interval, line a)
{
    line made = a;
    int k;

    for (k = 0; k < colour->order; k++) {
        made.at -= colour->ar[k] * (a.at - (a.by * interval * (double)(k + 1)));
        made.by -= colour->ar[k] * a.by;
    }
    return made;
}

/* PV, whitened: its sums with 1, with time and with itself. */
typedef struct pv_sums {
    double y, ty, yy;
} pv_sums;

static pv_sums whiten_sums(const rki_colour *colour, const rki_calm *c)
{
    double part[RKI_CALM_LAGS] = {1.0};
    pv_sums made = {0, 0, 0};
    int k, l;

    for (k = 0; k < colour->order; k++) {
        part[k + 1] = -colour->ar[k];
    }
    for (k = 0; k <= colour->order; k++) {
        made.y += part[k] * c->y[k];
        made.ty += part[k] * c->ty[k];
        for (l = 0; l <= colour->order; l++) {
            made.yy += part[k] * part[l] * c->yy[k][l];
        }
    }
    return made;
}

static double line_product(const rki_calm *c, line a, line b)
{
    return (a.at * b.at * RKI_CALM_ROWS) + (((a.at * b.by) + (a.by * b.at)) * c->t) +
           (a.by * b.by * c->tt);
}

static void add_piece(const rki_task *task, const int *place, int width, const rki_calm *c,
                      const line column[COLUMNS], rki_normal *n)
{
    const pv_sums pv = whiten_sums(&task->colour, c);
    const double h = task->series->interval;
    line white[COLUMNS], model = column[LEFT];
    int a, b;

    model.at -= c->y0; /* as PV's sums are */
    model = whiten_line(&task->colour, h, model);
    for (a = 0; a < width; a++) {
        white[place[a]] = whiten_line(&task->colour, h, column[place[a]]);
    }
    for (a = 0; a < width; a++) {
        const line x = white[place[a]];

        for (b = 0; b <= a; b++) {
            n->h[place[a]][place[b]] += line_product(c, x, white[place[b]]);
        }
        n->g[place[a]] += (x.at * pv.y) + (x.by * pv.ty) - line_product(c, x, model);
    }
    n->cost += pv.yy - (2.0 * ((model.at * pv.y) + (model.by * pv.ty))) +
               line_product(c, model, model);
    n->count += RKI_CALM_ROWS;
}

/* The piece that starts with row i, if the model is at rest in it and its noise can be taken in
   one step; NULL: row by row. */
static const rki_calm *piece_at(walker *w, size_t i, size_t chain)
{
    const rki_task *task = w->task;
    const rki_calm *c = rki_series_calm(task->series, i);

    if (c == NULL || task->colour.memory > 0) return NULL;
    if (task->colour.order > 0 && (!c->regular || chain < (size_t)task->colour.order)) {
        return NULL;
    }
    if (w->stop < task->series->time[i + RKI_CALM_ROWS - 1] || !all_rest(w)) return NULL;
    return c;
}

/* Past a piece: the columns of its last rows, before the next ones. */
static void pass_piece(walker *w, size_t i, const line column[COLUMNS], double t0, batch *b,
                       double *residual)
{
    const rki_series *s = w->task->series;
    const size_t end = i + RKI_CALM_ROWS;
    size_t row;
    int k, p;

    for (row = i; row < end && residual != NULL; row++) {
        residual[row] = s->pv[row] - column[LEFT].at - (column[LEFT].by * (s->time[row] - t0));
    }
    for (k = 0; k < RKI_AR_MAX; k++) {
        const size_t at = end - RKI_AR_MAX + (size_t)k;
        const double t = s->time[at] - t0;

        for (p = 0; p < COLUMNS; p++) {
            b->raw[p][k] = column[p].at + (column[p].by * t);
        }
        b->raw[LEFT][k] = s->pv[at] - b->raw[LEFT][k];
    }
    if (w->integrates) {
        w->main.v[0] += w->u * (s->time[end - 1] - w->now);
        w->load.v[0] += w->loaded ? s->time[end - 1] - w->now : 0.0;
    }
    w->now = s->time[end - 1];
}

void rki_pass(const rki_task *task, const double q[RKI_PARAMETERS], rki_normal *normal,
              double *residual)
{
    const rki_series *s = task->series;
    double last = 0;
    int place[RKI_PARAMETERS], width;
    size_t chain = 0, i;
    batch b;
    walker w;

    *s->visits += (double)s->samples;
    if (rki_pass_is_first(task)) {
        rki_pass_first(task, q, normal, residual);
        return;
    }
    memset(normal, 0, sizeof *normal);
    memset(&b, 0, sizeof b);
    width = rki_list_active(task->active, place);
    begin(&w, task, q);
    for (i = 0; i < s->samples; i += (size_t)b.rows) {
        const double *time = &s->time[i];
        const rki_calm *c;

        if (w.stop < *time) {
            act_before(&w, *time);
        }
        c = piece_at(&w, i, chain);
        if (c != NULL) {
            line column[COLUMNS];

            straight_columns(&w, c->t0, c->t0 - w.now, column);
            add_piece(task, place, width, c, column, normal);
            pass_piece(&w, i, column, c->t0, &b, residual);
            b.rows = RKI_CALM_ROWS;
            last = w.now;
            chain += RKI_CALM_ROWS;
            continue;
        }
        b.rows = batch_rows(&w, i);
        go(&w, time, b.rows, &b.main, &b.initial, &b.rate, &b.load);
        fill_columns(&w, time, &s->pv[i], &b);
        weigh(task, i, &last, &chain, &b, normal);
        if (residual != NULL) {
            memcpy(&residual[i], b.raw[LEFT] + RKI_AR_MAX, (size_t)b.rows * sizeof *residual);
        }
        take_batch(task, place, width, &b, normal);
    }
    rki_normal_mirror(normal);
}

void rki_pass_columns(const rki_task *task, const double q[RKI_PARAMETERS], double *column,
                      double *left)
{
    const rki_series *s = task->series;
    int place[RKI_PARAMETERS], width = rki_list_active(task->active, place), p;
    size_t i;
    batch b;
    walker w;

    *s->visits += (double)s->samples;
    memset(&b, 0, sizeof b);
    begin(&w, task, q);
    for (i = 0; i < s->samples; i += (size_t)b.rows) {
        if (w.stop < s->time[i]) {
            act_before(&w, s->time[i]);
        }
        b.rows = batch_rows(&w, i);
        go(&w, &s->time[i], b.rows, &b.main, &b.initial, &b.rate, &b.load);
        fill_columns(&w, &s->time[i], &s->pv[i], &b);
        for (p = 0; p < width; p++) {
            memcpy(&column[((size_t)p * s->samples) + i], b.raw[place[p]] + RKI_AR_MAX,
                   (size_t)b.rows * sizeof *column);
        }
        memcpy(&left[i], b.raw[LEFT] + RKI_AR_MAX, (size_t)b.rows * sizeof *left);
    }
}
