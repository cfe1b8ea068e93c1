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
 * 4. Moves of OUT that came between two rows (fit_between.c), and how sure each number is
 *    (fit_profile.c).
 */
#include <math.h>
#include <string.h>

#include "fit_stages.h"

/* Steps of the descents: on the thinned record, on all rows, after the colour is known. */
enum {
    STEPS_THIN = RKI_STEPS_THIN,
    STEPS_ALL = 40,
    STEPS_COLOUR = RKI_STEPS_COLOUR,
    COLOURINGS = 3
};
/* A second start is taken along if its cost is within so many variances of the best one's. */
#define RIVAL 16.0
/* So far behind the rival in the Bayesian criterion, a minimum need not be known exactly. */
#define BEHIND 3.0
/* Starts whose dead times differ by less than this part of the time constant lead to one
   minimum; what lies between two rows is looked at later. */
#define SAME_START 0.05
/* Least squares that leave so many times more than another family's are not worth more. */
#define HOPELESS 2.0

static unsigned basic(rki_family family)
{
    unsigned active = rki_bit(RKI_GAIN) | rki_bit(RKI_START) | rki_bit(RKI_THETA);

    if (family == RKI_INTEGRATOR || family == RKI_LAGGING) {
        active |= rki_bit(RKI_DRIFT);
    }
    if (rki_family_shapes(family) > 0) {
        active |= rki_bit(RKI_SHAPE);
    }
    if (rki_family_shapes(family) > 1) {
        active |= rki_bit(RKI_SHAPE_2);
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

void rki_forget_residual(rki_fit_work *b)
{
    b->residual_of.series = NULL;
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

/* A first order so much slower than the record is long creeps towards the integrator that it is. */
static bool is_integrator(const rki_fit_work *b, rki_family family, const rki_start *start)
{
    return family == RKI_FIRST && exp(start->q[RKI_SHAPE]) > RKI_INTEGRATING * rki_span(b);
}

void rki_fit_family(rki_fit_work *b, rki_family family, const rki_solution *rival,
                    rki_solution *made)
{
    rki_task task = {.family = family, .active = basic(family)};
    rki_start starts[RKI_STARTS];
    int count;

    memset(made, 0, sizeof *made);
    count = find_starts(&b->thin, task, rival, starts);
    if (count > 0 && (is_hopeless(b, rival, &starts[0]) ||
                      (b->choosing && is_integrator(b, family, &starts[0])))) {
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
