/* SPDX-License-Identifier: MIT */
/*
 * What is beside a model: a start off rest, a drift, a load step. Of all that the record does not
 * have yet the one is taken in that the Bayesian criterion speaks for most clearly, and again
 * until none is; then each has to show once more that it is needed.
 *
 * A load step has a time too, and a model without it has its other numbers wrong: at each of a
 * grid of times the whole model is led down on the thinned record, the best of them is refined,
 * and only then taken to all rows. What one of the others would gain is predicted from the
 * normal equations.
 */
#include <math.h>
#include <string.h>

#include "fit_stages.h"

/* An extra parameter must gain so much in the Bayesian criterion; one that was searched for in
   time more. */
#define CLEARLY 10.0
#define CLEARLY_SEARCHED 25.0
/* A predicted gain of less than this part of what is needed is not followed. */
#define HOPEFUL 0.3
/* Times tried for a load step, and halvings of what is between them. */
enum { LOADS = 24, HALVINGS = 5, EXTRAS = 3 };

static unsigned bit(rki_parameter p)
{
    return 1U << p;
}

/* What one more parameter would take off, on the thinned record: no descent, no pass over all
   rows. */
static double predicted_gain(const rki_fit_work *b, const rki_solution *s, rki_parameter extra)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS];
    rki_task task = rki_on_thin(b, s);
    rki_normal n;

    task.active |= bit(extra);
    rki_pass(&task, s->q, &n, NULL);
    return rki_predicted_decrease(task.active, &n, inverse, d) -
           rki_predicted_decrease(s->task.active, &n, inverse, d);
}

/* Where rows are missing nobody has seen a load come. */
#define GAP 5.0

static bool is_unseen(const rki_series *s, double at)
{
    size_t low = 0, high = s->samples - 1;

    while (high - low > 1) {
        const size_t middle = low + ((high - low) / 2);

        *(s->time[middle] < at ? &low : &high) = middle;
    }
    return s->time[high] - s->time[low] > GAP * s->interval;
}

/* A load step's time, and the model that goes with it. */
typedef struct load_place {
    double cost, at, q[RKI_PARAMETERS]; /* cost on the thinned record */
} load_place;

/* A load step at a time, everything led down from q: kept where it costs less. */
static void try_time(const rki_fit_work *b, const rki_task *task, const double *from, double at,
                     load_place *best)
{
    rki_task there = *task;
    double q[RKI_PARAMETERS];
    rki_normal n;

    if (is_unseen(&b->series, at)) return;
    there.load_at = at;
    memcpy(q, from, sizeof q);
    (void)rki_solve_linear(&there, q);
    rki_descend(&there, q, RKI_STEPS_THIN, &n);
    if (!(n.cost < best->cost)) return;
    best->cost = n.cost;
    best->at = at;
    memcpy(best->q, q, sizeof q);
}

/* The load step that explains most, from its place on the thinned record; false: none explains
   enough there. */
static bool search_load(const rki_fit_work *b, const rki_solution *from, rki_solution *made)
{
    const double start = b->thin.time[0], span = b->thin.time[b->thin.samples - 1] - start;
    load_place best = {.cost = HUGE_VAL, .at = start};
    rki_task task = rki_on_thin(b, from);
    double q[RKI_PARAMETERS], step = span / LOADS, without;
    rki_normal n;
    int i;

    memcpy(q, from->q, sizeof q);
    rki_descend(&task, q, RKI_STEPS_THIN, &n);
    without = n.cost;
    task.active |= bit(RKI_LOAD);
    for (i = 1; i < LOADS; i++) {
        try_time(b, &task, from->q, start + (i * step), &best);
    }
    for (i = 0; i < HALVINGS && isfinite(best.cost); i++) {
        const double middle = best.at;

        step *= 0.5;
        try_time(b, &task, best.q, middle - step, &best);
        try_time(b, &task, best.q, middle + step, &best);
    }
    if (!isfinite(best.cost)) return false;
    *made = *from;
    made->task.load_at = best.at;
    memset(&made->task.colour, 0, sizeof made->task.colour); /* its colour may be the load's */
    memcpy(made->q, best.q, sizeof made->q);
    return best.cost > 0 &&
           (double)b->thin.samples * log(without / best.cost) > CLEARLY_SEARCHED;
}

/* The load step on all rows, its time to the row; false: there is none. */
static bool try_load(rki_fit_work *b, const rki_solution *from, rki_solution *trial)
{
    const double row = b->series.interval;
    const double span = b->series.time[b->series.samples - 1] - b->series.time[0];
    double step = span / (LOADS << HALVINGS);
    rki_solution place;
    int side;

    if (!search_load(b, from, &place)) return false;
    rki_fit_on(b, &place, from->task.active | bit(RKI_LOAD), place.task.load_at, trial);
    for (; step > 0.5 * row && trial->found; step *= 0.5) {
        const rki_solution middle = *trial;

        for (side = -1; side <= 1; side += 2) {
            rki_solution beside;

            rki_fit_on(b, &middle, middle.task.active, middle.task.load_at + (side * step),
                       &beside);
            if (beside.found && beside.bic < trial->bic) {
                *trial = beside;
            }
        }
    }
    return trial->found;
}

/* The extra that the criterion speaks for most clearly; false: for none. */
static bool take_one(rki_fit_work *b, rki_solution *best)
{
    static const rki_parameter plain[] = {RKI_INITIAL, RKI_DRIFT};
    double least = best->bic;
    rki_solution trial, chosen = *best, from = *best;
    size_t i;

    memset(&from.task.colour, 0, sizeof from.task.colour); /* it may be the extra's own */
    for (i = 0; i < 2; i++) {
        if (rki_active(&best->task, (int)plain[i]) ||
            predicted_gain(b, best, plain[i]) < HOPEFUL * CLEARLY * rki_variance(best)) {
            continue;
        }
        rki_fit_on(b, &from, from.task.active | bit(plain[i]), from.task.load_at, &trial);
        if (trial.found && trial.bic + CLEARLY < least) {
            least = trial.bic + CLEARLY;
            chosen = trial;
        }
    }
    /* A load step that was missed leaves anything but white noise. */
    if (best->task.family != RKI_LAGGING && !rki_active(&best->task, RKI_LOAD) &&
        rki_is_coloured(&best->task.colour)) {
        if (try_load(b, &from, &trial) && trial.bic + CLEARLY_SEARCHED < least) {
            least = trial.bic + CLEARLY_SEARCHED;
            chosen = trial;
        }
    }
    if (!(least < best->bic)) return false;
    *best = chosen;
    return true;
}

/* What was taken in on the way to the minimum may not be needed there: each extra has to show it
   once more, from where the others have led. */
static void prune(rki_fit_work *b, rki_solution *best)
{
    static const struct {
        rki_parameter extra;
        double needed;
    } extras[EXTRAS] = {
        {RKI_LOAD, CLEARLY_SEARCHED}, {RKI_DRIFT, CLEARLY}, {RKI_INITIAL, CLEARLY}};
    size_t i;

    for (i = 0; i < EXTRAS; i++) {
        const rki_parameter extra = extras[i].extra;
        rki_solution from = *best, without;

        if (!rki_active(&best->task, (int)extra) ||
            (extra == RKI_DRIFT && rki_family_integrates(best->task.family))) {
            continue;
        }
        from.q[extra] = 0.0;
        rki_fit_on(b, &from, from.task.active & ~bit(extra),
                   extra == RKI_LOAD ? 0.0 : from.task.load_at, &without);
        if (without.found && without.bic < best->bic + extras[i].needed) {
            *best = without;
        }
    }
}

/* A lag so much longer than the record is an integrator's, which has its own family: whatever is
   beside it only makes up for that. */
#define INTEGRATING 5.0

static bool is_integrator_in_disguise(const rki_fit_work *b, const rki_solution *s)
{
    return !rki_family_integrates(s->task.family) &&
           exp(s->q[RKI_SHAPE]) > INTEGRATING * b->series.time[b->series.samples - 1];
}

void rki_fit_extras(rki_fit_work *b, rki_solution *best)
{
    int turn;

    if (best->task.family == RKI_INTEGRATOR || b->plain || best->hopeless ||
        is_integrator_in_disguise(b, best)) {
        return;
    }
    for (turn = 0; turn < EXTRAS && take_one(b, best); turn++) {
        continue;
    }
    prune(b, best);
}
