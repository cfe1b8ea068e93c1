/* SPDX-License-Identifier: MIT */
/*
 * How sure a solution is. OUT moves in steps, so that the cost is smooth between two samples and
 * kinked at them, with a minimum in each interval where the noise is coloured. The dead time's
 * interval is therefore no curvature but a posterior: the likelihood, with the other parameters
 * along their tangent, is summed over a grid of dead times. Mean and covariance of all parameters
 * are those of that mixture; the 95 % interval runs between its 2.5 and 97.5 % points. Moves that
 * may have come between two rows add their own points to it.
 *
 * Where rows are too close for kinks to matter, and where the minimum is many rows wide, the
 * curvature of the normal equations serves.
 */
#include <math.h>
#include <string.h>

#include "fit_stages.h"

/* At another dead time: the normal equations of the other parameters, which follow along their
   tangent. */
static unsigned others_at(const rki_solution *s, double theta, rki_normal *n)
{
    double at[RKI_PARAMETERS];
    rki_task others = s->task;

    others.active &= ~rki_bit(RKI_THETA);
    memcpy(at, s->q, sizeof at);
    at[RKI_THETA] = theta;
    rki_pass(&others, at, n, NULL);
    return others.active;
}

/* The cost there. */
static double profile(const rki_solution *s, double theta)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS];
    rki_normal n;
    const unsigned others = others_at(s, theta, &n);

    return n.cost - rki_predicted_decrease(others, &n, inverse, d);
}

/* Of independent noise the mark is faint, and many rows blur it. */
enum { ACROSS_ROWS = 2500 };
/* How far to look for a lower minimum to each side: standard errors, and rows. */
#define ACROSS_ERRORS 4.0
#define ACROSS_LEAST 3.0
#define ACROSS_MOST 12
/* Points in an interval of rows, and the best of them that are followed down. */
enum { ACROSS_POINTS = 4, ACROSS_PLACES = (2 * ACROSS_MOST * ACROSS_POINTS) + 1, FOLLOWED = 3 };

/*
 * Taken out, the noise's colour leaves a sharp mark where a response begins: the cost has a
 * minimum in each interval between two rows. Look into those around, and go down into the best.
 */
static void look_across(rki_solution *s)
{
    const double interval = s->task.series->interval, theta = s->q[RKI_THETA];
    const size_t rows = s->task.series->samples;
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], cost[ACROSS_PLACES], at[ACROSS_PLACES];
    double reach = ACROSS_LEAST * interval;
    rki_solution best = *s;
    int count = 0, i, n;

    if (rows > (rki_is_coloured(&s->task.colour) ? RKI_PROFILE_ROWS : ACROSS_ROWS)) return;

    if (rki_invert(s->task.active, s->normal.h[0], inverse)) {
        reach =
            fmax(reach, ACROSS_ERRORS * sqrt(rki_variance(s) * inverse[RKI_THETA][RKI_THETA]));
    }
    reach = fmin(reach, ACROSS_MOST * interval);
    for (i = 0; i < ACROSS_PLACES; i++) {
        const double place = theta - reach + (i * interval / ACROSS_POINTS);

        if (place > theta + reach) break;
        if (place < 0) continue;
        at[count] = place;
        cost[count++] = profile(s, place);
    }
    for (n = 0; n < FOLLOWED && count > 0; n++) {
        rki_solution trial = *s;
        int lowest = 0;

        for (i = 1; i < count; i++) {
            if (cost[i] < cost[lowest]) {
                lowest = i;
            }
        }
        trial.q[RKI_THETA] = at[lowest];
        rki_descend(&trial.task, trial.q, RKI_STEPS_COLOUR, &trial.normal);
        if (trial.normal.cost < best.normal.cost) {
            best = trial;
        }
        for (i = lowest > 1 ? lowest - 2 : 0; i <= lowest + 2 && i < count; i++) {
            cost[i] = HUGE_VAL;
        }
    }
    *s = best;
}
/* How far the nearest row is from where a move begins to act, of all moves, s. */
static double to_nearest_row(const rki_solution *s)
{
    const rki_series *r = s->task.series;
    double nearest = HUGE_VAL;
    size_t i = 0, e;

    for (e = 0; e < r->events; e++) {
        const double acts = r->event_time[e] + s->q[RKI_THETA];

        while (i + 1 < r->samples && r->time[i + 1] <= acts) {
            i++;
        }
        if (fabs(r->time[i] - acts) < fabs(nearest)) {
            nearest = r->time[i] - acts;
        }
        if (i + 1 < r->samples && r->time[i + 1] - acts < fabs(nearest)) {
            nearest = r->time[i + 1] - acts;
        }
    }
    return nearest;
}

/* So near a kink, in rows, the minimum may be the kink itself, where no gradient ends. */
#define NEAR_KINK 0.2

static void look_at_kink(rki_solution *s)
{
    const double off = to_nearest_row(s);
    rki_solution there = *s;

    if (!(fabs(off) < NEAR_KINK * s->task.series->interval)) return;
    there.q[RKI_THETA] = fmax(s->q[RKI_THETA] + off, 0.0);
    there.task.active &= ~rki_bit(RKI_THETA);
    there.task.polishing = true;
    rki_descend(&there.task, there.q, RKI_STEPS_COLOUR, &there.normal);
    if (!(there.normal.cost < s->normal.cost)) return;
    memcpy(s->q, there.q, sizeof s->q);
    rki_pass(&s->task, s->q, &s->normal, NULL); /* with the dead time's own derivative */
}

void rki_polish(rki_solution *s)
{
    rki_task task;

    look_across(s);
    task = s->task;
    task.polishing = true;
    rki_descend(&task, s->q, RKI_STEPS_COLOUR, &s->normal);
    look_at_kink(s);
}

/* The profile's grid: parts of an error, or of an interval where the noise is coloured, over so
   many of them. */
#define GRID_ERROR 0.45
#define GRID_ROW 0.25
#define REACH_ERRORS 4.5
enum { REACH_ROWS = 3, GRID_MOST = 161 };

/* The likelihood at a dead time, where the others go with it and how sure they are there. Of few
   rows the noise's colour and size are integrated out as well: `peak` is then ln of the most. */
static void add_point(const rki_solution *s, double theta, const double *peak, rki_mixture *m)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS];
    double variance = rki_variance(s), gained, weight;
    rki_task task = s->task;
    rki_normal n;
    int i, j;

    task.active = others_at(s, theta, &n);
    if (!rki_invert(task.active, n.h[0], inverse)) return;
    gained = rki_predicted_decrease(task.active, &n, inverse, d);
    if (peak != NULL) {
        weight = exp(rki_ln_marginal(&task, &n, gained) - *peak);
        variance = (n.cost - gained) / rki_degrees_of_freedom(s);
    } else {
        weight = exp(0.5 * (s->normal.cost - (n.cost + s->spare - gained)) / variance);
    }
    d[RKI_THETA] = theta - s->q[RKI_THETA];
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            inverse[i][j] *= variance;
        }
    }
    if (theta == 0) {
        m->at_zero = fmax(m->at_zero, weight);
    }
    rki_mixture_add(m, theta, weight, d, inverse);
}

/* A lag much shorter than a row leaves no mark, and the dead time beside it none within a row: both
   are then known to rows, and the others as if both were. */
static bool invert_static(rki_solution *s, double inverse[RKI_PARAMETERS][RKI_PARAMETERS])
{
    const double row = s->task.series->interval, tau = exp(s->q[RKI_SHAPE]);
    const double variance = rki_variance(s), spread = 0.5 * fmax(log(2.0 * row / tau), 1.0);
    const unsigned known = s->task.active & ~(RKI_BITS_OF_SHAPES | rki_bit(RKI_THETA));

    if (!rki_is_static(s) || !rki_invert(known, s->normal.h[0], inverse)) return false;
    inverse[RKI_THETA][RKI_THETA] = 0.25 * row * row / variance;
    inverse[RKI_SHAPE][RKI_SHAPE] = spread * spread / variance;
    if (rki_active(&s->task, RKI_SHAPE_2)) {
        inverse[RKI_SHAPE_2][RKI_SHAPE_2] = inverse[RKI_SHAPE][RKI_SHAPE];
    }
    return true;
}

/* The curvature at the minimum alone: for records whose rows are too close for kinks. */
double rki_take_curvature(rki_solution *s)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS];
    const double variance = rki_variance(s);
    int i, j;

    s->certain =
        invert_static(s, inverse) || rki_invert(s->task.active, s->normal.h[0], inverse);
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            s->covariance[i][j] = s->certain ? variance * inverse[i][j] : 0.0;
        }
    }
    return s->certain ? sqrt(s->covariance[RKI_THETA][RKI_THETA]) : HUGE_VAL;
}

/* The normal distribution that the curvature stands for, as points about another place. */
enum { NORMAL_POINTS = 33 };
#define NORMAL_REACH 4.0

static void add_normal(const rki_solution *s, const double about[RKI_PARAMETERS],
                       rki_mixture *m)
{
    const double variance = s->covariance[RKI_THETA][RKI_THETA];
    double rest[RKI_PARAMETERS][RKI_PARAMETERS], along[RKI_PARAMETERS];
    int n, i, j;

    if (!s->certain || !(variance > 0)) return;
    for (i = 0; i < RKI_PARAMETERS; i++) {
        along[i] = s->covariance[i][RKI_THETA] / variance;
    }
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            rest[i][j] = s->covariance[i][j] - (along[i] * along[j] * variance);
        }
    }
    for (n = 0; n < NORMAL_POINTS; n++) {
        const double z = NORMAL_REACH * ((2.0 * n / (NORMAL_POINTS - 1)) - 1.0);
        const double theta = s->q[RKI_THETA] + (z * sqrt(variance));
        double off[RKI_PARAMETERS];

        if (theta < 0) continue;
        for (i = 0; i < RKI_PARAMETERS; i++) {
            off[i] = s->q[i] - about[i] + (along[i] * z * sqrt(variance));
        }
        rki_mixture_add(m, theta, exp(-0.5 * z * z), off, rest);
    }
}

/* A mean further off than this, in the logarithms of the shapes, is none. */
#define MEAN_MOST 0.7

/* From a mixture about the solution. */
static void take_mixture(rki_solution *s, rki_mixture *m, bool at_mean, double interval[2])
{
    const double t = rki_t95(s);
    int i, j;

    rki_mixture_close(m);
    /* Where next to nothing is known of a shape, its mean says nothing either. */
    at_mean = at_mean && fabs(m->mean[RKI_SHAPE]) < MEAN_MOST &&
              fabs(m->mean[RKI_SHAPE_2]) < MEAN_MOST;
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            s->covariance[i][j] = m->second[i][j] - (at_mean ? m->mean[i] * m->mean[j] : 0.0);
        }
    }
    for (i = 0; i < RKI_PARAMETERS && at_mean; i++) {
        s->q[i] += m->mean[i];
    }
    interval[0] = rki_mixture_quantile(m, 0.025);
    interval[1] = rki_mixture_quantile(m, 0.975);
    /* No dead time is as likely as any: there is no lower end. */
    if (m->at_zero > exp(-0.5 * t * t)) {
        interval[0] = 0.0;
    }
}

/* Longer records of independent noise are looked at thinned: short blocks where the dead time
   may end, so that little is lost. */
enum { THIN_FROM = 2500 };
#define ROWS_BEFORE 3.0
#define SMOOTH_ROWS 4.0

/* The model as it is at the blocks' times, and the average of what it leaves there: so the
   thinned problem has its minimum where the whole one has it. */
rk_status rki_thin_out(rki_fit_work *b, const rki_solution *s, double reach, rki_series *fine,
                       rk_diag *diag)
{
    const double late = s->q[RKI_THETA] - reach - (ROWS_BEFORE * b->series.interval);
    double left[RKI_FINE_MAX];
    rki_task task = s->task;
    rk_status status;
    rki_normal n;
    size_t i;

    memset(fine, 0, sizeof *fine);
    if (rki_is_coloured(&s->task.colour) || b->dense || b->series.samples < THIN_FROM)
        return RK_OK;
    rki_take_residual(b, s);
    status = rki_series_thin_late(fine, &b->series, b->residual, fmax(late, 0.0), diag);
    if (status != RK_OK) return status;
    task.series = fine;
    rki_pass(&task, s->q, &n, left);
    for (i = 0; i < fine->samples; i++) {
        fine->pv[i] += fine->pv[i] - left[i];
    }
    return RK_OK;
}

/* Over dead times, each but once. */
static void sum_up(const rki_solution *s, double step, double reach, const double *peak,
                   rki_mixture *m)
{
    const int places = (int)fmin(2.0 * ceil(reach / step), GRID_MOST - 1);
    const double theta = s->q[RKI_THETA];
    int i;

    step = 2.0 * reach / places;
    for (i = 0; i <= places; i++) {
        const double place = theta - reach + (i * step);

        if (place <= -step) continue;
        add_point(s, fmax(place, 0.0), peak, m);
    }
}

/* Over the colours that few rows leave open, too. */
static void sum_colours(const rki_solution *s, double step, double reach, rki_mixture *m)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS], peak;
    rki_solution at = *s;
    rki_normal n;
    int k;

    at.task.active = others_at(s, s->q[RKI_THETA], &n);
    peak =
        rki_ln_marginal(&at.task, &n, rki_predicted_decrease(at.task.active, &n, inverse, d));
    at.task.active = s->task.active;
    for (k = 0; k < RKI_FEW_COLOURS; k++) {
        at.task.colour = rki_first_order(k * RKI_FEW_STEP);
        sum_up(&at, step, reach, &peak, m);
    }
}

/* The likelihood along the dead time, where the curvature does not tell it all: else no points. */
static rk_status walk_along(rki_fit_work *b, rki_solution *s, double error, rki_mixture *m,
                            rk_diag *diag)
{
    const bool few = rki_is_short(b), coloured = few || rki_is_coloured(&s->task.colour);
    const double row = b->series.interval;
    double step, reach;
    rki_series fine;
    rk_status status;

    if ((coloured && b->series.samples > RKI_PROFILE_ROWS) || !isfinite(error) ||
        error < 1e-3 * row || rki_is_static(s)) {
        return RK_OK;
    }
    /* So many rows wide, the minimum is smooth, and far from no dead time at all. */
    if (!coloured && error > SMOOTH_ROWS * row && s->q[RKI_THETA] > SMOOTH_ROWS * error) {
        return RK_OK;
    }
    step = coloured ? fmin(GRID_ERROR * error, GRID_ROW * row) : GRID_ERROR * error;
    reach = fmax(REACH_ERRORS * error, coloured ? REACH_ROWS * row : 0.0);
    status = rki_thin_out(b, s, reach, &fine, diag);
    if (status != RK_OK) return status;
    if (fine.samples > 0) {
        rki_normal n;

        /* The thinned cost lacks what the blocks average out. */
        s->task.series = &fine;
        rki_pass(&s->task, s->q, &n, NULL);
        s->spare = s->normal.cost - n.cost;
    }
    if (few) {
        sum_colours(s, step, reach, m);
    } else {
        sum_up(s, step, reach, NULL, m);
    }
    s->task.series = &b->series;
    s->spare = 0;
    rki_series_free(&fine);
    if (m->count <= 2) {
        m->count = 0;
    }
    return RK_OK;
}

/* ---- a load step's time ---- */

/* Steps to each side, in rows, until the cost tells of them. */
enum { LOAD_ROWS_MOST = 64 };

/* At another time of the load: what the others gain there and how far they go. */
static double load_cost(const rki_solution *s, double at, double d[RKI_PARAMETERS])
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS];
    rki_task there = s->task;
    rki_normal n;

    there.load_at = at;
    rki_pass(&there, s->q, &n, NULL);
    return n.cost - rki_predicted_decrease(there.active, &n, inverse, d);
}

/* The load's time is one more number, sought row by row: what is not known of it makes the others
   less certain, along the way that they go with it. */
static void widen_by_load(rki_solution *s, double interval[2])
{
    const double variance = rki_variance(s), row = s->task.series->interval;
    const double before = s->covariance[RKI_THETA][RKI_THETA];
    double low[RKI_PARAMETERS], high[RKI_PARAMETERS], here[RKI_PARAMETERS], more = 0, time,
                                                                            scale;
    const double cost = load_cost(s, s->task.load_at, here);
    int rows, i, j;

    for (rows = 1; rows <= LOAD_ROWS_MOST; rows *= 2) {
        more = 0.5 * (load_cost(s, s->task.load_at - (rows * row), low) +
                      load_cost(s, s->task.load_at + (rows * row), high)) -
               cost;
        if (more > variance) break;
    }
    rows = rows > LOAD_ROWS_MOST ? LOAD_ROWS_MOST : rows;
    /* A parabola that rises by a variance at one standard error; and what rows leave open. */
    time = (rows * row * rows * row * variance / fmax(more, variance)) + (row * row / 12.0);
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            s->covariance[i][j] += time * (high[i] - low[i]) * (high[j] - low[j]) /
                                   (4.0 * rows * row * rows * row);
        }
    }
    scale = before > 0 ? sqrt(s->covariance[RKI_THETA][RKI_THETA] / before) : 1.0;
    interval[0] = fmax(s->q[RKI_THETA] + (scale * (interval[0] - s->q[RKI_THETA])), 0.0);
    interval[1] = s->q[RKI_THETA] + (scale * (interval[1] - s->q[RKI_THETA]));
}

static rk_status profile_moves(rki_fit_work *b, rki_solution *s, rki_between *between,
                               const rki_solution *rival, double interval[2], rk_diag *diag)
{
    const double t = rki_t95(s);
    const bool coloured = rki_is_coloured(&s->task.colour);
    const double part = between->known ? 1.0 / (1.0 + exp(-between->evidence)) : 0.0;
    double curved[RKI_PARAMETERS][RKI_PARAMETERS], error, at_zero, low;
    rki_mixture m;
    rk_status status;

    memset(&m, 0, sizeof m);
    error = rki_take_curvature(s);
    memcpy(curved, s->covariance, sizeof curved);
    interval[0] = fmax(s->q[RKI_THETA] - (t * error), 0.0);
    interval[1] = s->q[RKI_THETA] + (t * error);
    status = walk_along(b, s, error, &m, diag);
    if (status != RK_OK) return status;
    if (m.count > 0) {
        /* The mean over the dead times scatters less than the highest of several peaks. */
        take_mixture(s, &m, coloured || rki_is_short(b), interval);
    }
    if (!between->known || !s->certain) return RK_OK;
    /* Of what the moves' instants leave open: from on rows, and from between rows. */
    rki_between_widen(between, curved, s->covariance);
    at_zero = rival == NULL ? m.at_zero : 0.0;
    low = rival == NULL ? interval[0] : HUGE_VAL;
    memset(&m, 0, sizeof m);
    m.at_zero = at_zero;
    add_normal(rival != NULL ? rival : s, s->q, &m);
    rki_mixture_scale(&m, m.count > 0 ? 1.0 - part : 0.0);
    rki_between_add(between, s->q, part, &m);
    take_mixture(s, &m, rival != NULL, interval);
    /* Moves on rows may be the less likely, but then they are so sure: their own end counts. */
    interval[0] = fmin(interval[0], low);
    return RK_OK;
}

rk_status rki_fit_profile(rki_fit_work *b, rki_solution *s, rki_between *between,
                          const rki_solution *rival, double interval[2], rk_diag *diag)
{
    const rk_status status = profile_moves(b, s, between, rival, interval, diag);

    if (status == RK_OK && rki_active(&s->task, RKI_LOAD) && s->certain) {
        widen_by_load(s, interval);
    }
    return status;
}
