/* SPDX-License-Identifier: MIT */
/*
 * One family of models (first order, second order, integrator, integrator with a lag) fitted to
 * a record by maximum likelihood, its dead time among the parameters, its noise coloured.
 *
 * 1. Starts: a grid over dead time and shape on a thinned record (fit_start.c). Each is led
 *    down by damped Gauss-Newton steps (fit_descend.c), first on the thinned record, then on
 *    all rows.
 * 2. Colour: the residual of least squares gives the noise's autoregression (fit_noise.c); the
 *    descent goes on with whitened residuals, twice at most. Families are compared by BIC = n
 *    ln(cost / n) + sum ln(variance of each innovation) + k ln n.
 * 3. Beside the model: initial state, drift and a load step (fit_extras.c).
 * 4. Dead time: OUT moves in steps, so that the cost is smooth between two samples and kinked
 *    at them, with a minimum in each interval where the noise is coloured. Its interval is
 *    therefore no curvature but a posterior: the likelihood, with the other parameters along
 *    their tangent, is summed over a grid of dead times (profile). Mean and covariance of all
 *    parameters are those of that mixture; the 95 % interval runs between its 2.5 and 97.5 %
 *    points.
 *
 * Where rows are too close for kinks to matter, and where the minimum is many rows wide, the
 * curvature of the normal equations serves.
 */
#include <math.h>
#include <string.h>

#include "fit_stages.h"

/* Steps of the descents: on the thinned record, on all rows, after the colour is known. */
enum { STEPS_THIN = RKI_STEPS_THIN, STEPS_ALL = 40, STEPS_COLOUR = 20, COLOURINGS = 3 };
/* Longer records have rows too close for the kinks between them to matter. */
enum { PROFILE_ROWS = 30000 };
/* A second start is taken along if its cost is within so many variances of the best one's. */
#define RIVAL 16.0
/* So far behind the rival in the Bayesian criterion, a minimum need not be known exactly. */
#define BEHIND 3.0
/* Starts whose dead times differ by less than this part of the time constant lead to one
   minimum; what lies between two rows is looked at later. */
#define SAME_START 0.05
/* Least squares that leave so many times more than another family's are not worth more. */
#define HOPELESS 2.0

static unsigned bit(rki_parameter p)
{
    return 1U << p;
}

static unsigned basic(rki_family family)
{
    unsigned active = bit(RKI_GAIN) | bit(RKI_START) | bit(RKI_THETA);

    if (family == RKI_INTEGRATOR || family == RKI_LAGGING) {
        active |= bit(RKI_DRIFT);
    }
    if (rki_family_shapes(family) > 0) {
        active |= bit(RKI_SHAPE);
    }
    if (rki_family_shapes(family) > 1) {
        active |= bit(RKI_SHAPE_2);
    }
    return active;
}

/* A pass whose residual is kept. */
static void take_pass(rki_fit_work *b, const rki_solution *at, rki_normal *normal)
{
    rki_pass(&at->task, at->q, normal, b->residual);
    b->residual_of = at->task;
    memcpy(b->residual_at, at->q, sizeof at->q);
}

void rki_take_residual(rki_fit_work *b, const rki_solution *at)
{
    bool known =
        b->residual_of.series == at->task.series && b->residual_of.family == at->task.family &&
        b->residual_of.active == at->task.active && b->residual_of.load_at == at->task.load_at;
    rki_normal n;
    int i;

    for (i = 0; i < RKI_PARAMETERS; i++) {
        known = known && b->residual_at[i] == at->q[i];
    }
    if (known) return;
    take_pass(b, at, &n);
}

/* The Bayesian criterion; the noise's own parameters count too. */
static void judge(rki_solution *s)
{
    const rki_series *series = s->task.series;
    const rki_colour *colour = &s->task.colour;
    const double rows = s->normal.count;
    const int noise = colour->order + (colour->memory > 0 ? 1 : 0);
    double logs = 0;
    size_t i;

    for (i = 1; i < series->samples && colour->memory > 0; i++) {
        const double r = exp((series->time[i - 1] - series->time[i]) / colour->memory);

        logs += log(1.0 - (r * r));
    }
    s->bic = (rows * log(fmax(s->normal.cost, 1e-300) / rows)) + logs +
             ((rki_count_active(s->task.active) + noise) * log(rows));
    s->found = isfinite(s->bic) && isfinite(s->q[RKI_GAIN]);
}

/* At another dead time: the normal equations of the other parameters, which follow along their
   tangent. */
static unsigned others_at(const rki_solution *s, double theta, rki_normal *n)
{
    double at[RKI_PARAMETERS];
    rki_task others = s->task;

    others.active &= ~bit(RKI_THETA);
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
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], cost[ACROSS_PLACES], at[ACROSS_PLACES];
    double reach = ACROSS_LEAST * interval;
    rki_solution best = *s;
    int count = 0, i, n;

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
        rki_descend(&trial.task, trial.q, STEPS_COLOUR, &trial.normal);
        if (trial.normal.cost < best.normal.cost) {
            best = trial;
        }
        for (i = lowest > 1 ? lowest - 2 : 0; i <= lowest + 2 && i < count; i++) {
            cost[i] = HUGE_VAL;
        }
    }
    *s = best;
}

/* Least squares, then the colour of what is left, and again with it. */
static void settle(rki_fit_work *b, const rki_solution *rival, rki_solution *s)
{
    int turn;

    s->task.series = &b->series;
    for (turn = 0; turn < COLOURINGS; turn++) {
        const bool coloured = rki_is_coloured(&s->task.colour); /* as the one before may be */

        rki_descend(&s->task, s->q, turn == 0 ? STEPS_ALL : STEPS_COLOUR, &s->normal);
        if (turn == 0) {
            s->plain_cost = s->normal.cost;
            s->hopeless = rival != NULL && s->plain_cost > HOPELESS * rival->plain_cost;
        }
        if (turn + 1 == COLOURINGS || b->plain || s->hopeless) break;
        rki_take_residual(b, s);
        s->task.colour = rki_colour_of(b);
        if (!rki_is_coloured(&s->task.colour)) {
            if (coloured) {
                rki_descend(&s->task, s->q, STEPS_COLOUR, &s->normal);
            }
            break;
        }
    }
    judge(s);
}

/* Starts from a part of the record, each led down on it, best first. */
static int find_starts(const rki_series *part, rki_task task, const rki_solution *near,
                       rki_start starts[RKI_STARTS])
{
    int count, i;

    task.series = part;
    task.searching = true;
    count = rki_search(&task, near, starts);
    for (i = 0; i < count; i++) {
        rki_normal n;
        int k;

        rki_descend(&task, starts[i].q, STEPS_THIN, &n);
        starts[i].cost = n.cost;
        for (k = i; k > 0 && starts[k].cost < starts[k - 1].cost; k--) {
            const rki_start better = starts[k];

            starts[k] = starts[k - 1];
            starts[k - 1] = better;
        }
    }
    return count;
}

/* Take the starts to all rows, the first one and those that could be better; the best is kept.
 */
static void follow(rki_fit_work *b, const rki_task *task, const rki_solution *rival,
                   const rki_start *starts, int count, rki_solution *made)
{
    int i;

    for (i = 0; i < count; i++) {
        rki_solution s = {.task = *task};

        if (i > 0 && !b->dense &&
            (starts[i].cost - starts[0].cost > RIVAL * rki_variance(made) ||
             fabs(starts[i].q[RKI_THETA] - starts[0].q[RKI_THETA]) <
                 fmax(b->series.interval, SAME_START * exp(starts[0].q[RKI_SHAPE])))) {
            continue;
        }
        memcpy(s.q, starts[i].q, sizeof s.q);
        s.task.searching = rival != NULL;
        settle(b, rival, &s);
        if (rival != NULL && !(s.bic > rival->bic + BEHIND)) {
            s.task.searching = false;
            settle(b, rival, &s);
        }
        if (s.found && (!made->found || s.bic < made->bic)) {
            *made = s;
        }
    }
}

rki_task rki_on_thin(const rki_fit_work *b, const rki_solution *s)
{
    rki_task task = s->task;

    task.series = &b->thin;
    memset(&task.colour, 0, sizeof task.colour);
    return task;
}

/* Is the best start so far behind on the thinned record that no steps on all rows can help? */
static bool is_hopeless(const rki_fit_work *b, const rki_solution *rival,
                        const rki_start *start)
{
    rki_task task;
    rki_normal n;

    if (rival == NULL || b->dense) return false;
    task = rki_on_thin(b, rival);
    rki_pass(&task, rival->q, &n, NULL);
    return start->cost - n.cost > (HOPELESS - 1.0) * rival->plain_cost;
}

/* As it is on the thinned record, for the table of candidates. */
static void look_at(rki_fit_work *b, const rki_task *task, const rki_start *start,
                    rki_solution *made)
{
    made->task = *task;
    made->task.series = &b->series;
    made->hopeless = true;
    memcpy(made->q, start->q, sizeof made->q);
    take_pass(b, made, &made->normal);
    made->plain_cost = made->normal.cost;
    judge(made);
}

void rki_fit_family(rki_fit_work *b, rki_family family, const rki_solution *rival,
                    rki_solution *made)
{
    rki_task task = {.family = family, .active = basic(family)};
    rki_start starts[RKI_STARTS];
    int count;

    memset(made, 0, sizeof *made);
    count = find_starts(&b->thin, task, rival, starts);
    if (count > 0 && is_hopeless(b, rival, &starts[0])) {
        look_at(b, &task, &starts[0], made);
        return;
    }
    follow(b, &task, rival, starts, count, made);
    if (b->dense) {
        count = find_starts(&b->chunk, task, rival, starts);
        follow(b, &task, rival, starts, count, made);
    }
}

void rki_fit_on(rki_fit_work *b, const rki_solution *from, unsigned active, double load_at,
                rki_solution *made)
{
    *made = *from;
    made->task.active = active;
    made->task.load_at = load_at;
    settle(b, NULL, made);
}

/* The profile's grid: parts of an error, or of an interval where the noise is coloured, over so
   many of them. */
#define GRID_ERROR 0.45
#define GRID_ROW 0.25
#define REACH_ERRORS 4.5
enum { REACH_ROWS = 3, GRID_MOST = 161 };

/* Sums over the grid of dead times, each weighed by its likelihood. */
typedef struct mixture {
    double weight, mean[RKI_PARAMETERS];
    double second[RKI_PARAMETERS][RKI_PARAMETERS]; /* about the best point */
    double theta[GRID_MOST], part[GRID_MOST];
    int count;
    double at_zero; /* the likelihood at no dead time, relative to the best; -1: not seen */
} mixture;

/* The likelihood at a dead time, where the others go with it and how sure they are there. */
static void add_point(const rki_solution *s, double theta, mixture *m)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS];
    const double variance = rki_variance(s);
    double gained, weight;
    rki_normal n;
    const unsigned others = others_at(s, theta, &n);
    int i, j;

    if (!rki_invert(others, n.h[0], inverse)) return;
    gained = rki_predicted_decrease(others, &n, inverse, d);
    weight = exp(0.5 * (s->normal.cost - (n.cost + s->spare - gained)) / variance);
    d[RKI_THETA] = theta - s->q[RKI_THETA];
    m->theta[m->count] = theta;
    m->part[m->count++] = weight;
    m->weight += weight;
    if (theta == 0) {
        m->at_zero = weight;
    }
    for (i = 0; i < RKI_PARAMETERS; i++) {
        m->mean[i] += weight * d[i];
        for (j = 0; j < RKI_PARAMETERS; j++) {
            m->second[i][j] += weight * ((d[i] * d[j]) + (variance * inverse[i][j]));
        }
    }
}

/* Where the summed likelihood reaches this part of all. */
static double quantile(const mixture *m, double part)
{
    double sum = 0, before = 0;
    int i;

    for (i = 0; i < m->count; i++) {
        before = sum;
        sum += m->part[i] / m->weight;
        if (sum >= part) break;
    }
    if (i == 0 || i >= m->count) return m->theta[i == 0 ? 0 : m->count - 1];
    /* Each point stands for half a step to both sides. */
    return m->theta[i] +
           ((m->theta[i] - m->theta[i - 1]) * (((part - before) / (sum - before)) - 0.5));
}

/* The curvature at the minimum alone: for records whose rows are too close for kinks. */
static double take_curvature(rki_solution *s)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS];
    const double variance = rki_variance(s);
    int i, j;

    s->certain = rki_invert(s->task.active, s->normal.h[0], inverse);
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            s->covariance[i][j] = s->certain ? variance * inverse[i][j] : 0.0;
        }
    }
    return s->certain ? sqrt(s->covariance[RKI_THETA][RKI_THETA]) : HUGE_VAL;
}

static void take_mixture(rki_solution *s, mixture *m, double interval[2])
{
    const double t = rki_t95(s);
    int i, j;

    for (i = 0; i < RKI_PARAMETERS; i++) {
        m->mean[i] /= m->weight;
    }
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            s->covariance[i][j] = (m->second[i][j] / m->weight) - (m->mean[i] * m->mean[j]);
        }
    }
    /* The mean over the dead times scatters less than the highest of several peaks. */
    for (i = 0; i < RKI_PARAMETERS && rki_is_coloured(&s->task.colour); i++) {
        s->q[i] += m->mean[i];
    }
    interval[0] = quantile(m, 0.025);
    interval[1] = quantile(m, 0.975);
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
static rk_status thin_out(rki_fit_work *b, const rki_solution *s, double reach,
                          rki_series *fine, rk_diag *diag)
{
    const double late = s->q[RKI_THETA] - reach - (ROWS_BEFORE * b->series.interval);
    double left[RKI_COARSE_MAX];
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

static void sum_up(rki_solution *s, double step, double reach, mixture *m)
{
    const int places = (int)fmin(2.0 * ceil(reach / step), GRID_MOST - 1);
    const double theta = s->q[RKI_THETA];
    int i;

    step = 2.0 * reach / places;
    for (i = 0; i <= places; i++) {
        const double place = theta - reach + (i * step);

        if (place <= -step) continue;
        add_point(s, fmax(place, 0.0), m);
    }
}

rk_status rki_fit_profile(rki_fit_work *b, rki_solution *s, double interval[2], rk_diag *diag)
{
    const bool coloured = rki_is_coloured(&s->task.colour);
    const double row = b->series.interval, t = rki_t95(s);
    double step, reach, error;
    mixture m = {.at_zero = -1.0};
    rki_series fine;
    rk_status status;

    if (coloured && b->series.samples <= PROFILE_ROWS) {
        look_across(s);
    }
    error = take_curvature(s);
    interval[0] = fmax(s->q[RKI_THETA] - (t * error), 0.0);
    interval[1] = s->q[RKI_THETA] + (t * error);
    if ((coloured && b->series.samples > PROFILE_ROWS) || !isfinite(error) ||
        error < 1e-3 * row) {
        return RK_OK;
    }
    /* So many rows wide, the minimum is smooth, and far from no dead time at all. */
    if (!coloured && error > SMOOTH_ROWS * row && s->q[RKI_THETA] > SMOOTH_ROWS * error) {
        return RK_OK;
    }
    step = coloured ? fmin(GRID_ERROR * error, GRID_ROW * row) : GRID_ERROR * error;
    reach = fmax(REACH_ERRORS * error, coloured ? REACH_ROWS * row : 0.0);
    status = thin_out(b, s, reach, &fine, diag);
    if (status != RK_OK) return status;
    if (fine.samples > 0) {
        rki_normal n;

        /* The thinned cost lacks what the blocks average out. */
        s->task.series = &fine;
        rki_pass(&s->task, s->q, &n, NULL);
        s->spare = s->normal.cost - n.cost;
    }
    sum_up(s, step, reach, &m);
    s->task.series = &b->series;
    s->spare = 0;
    rki_series_free(&fine);
    if (m.count > 2) {
        take_mixture(s, &m, interval);
    }
    return RK_OK;
}
