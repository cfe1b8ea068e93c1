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
enum { LOADS = 24, HALVINGS = 5, PLACES = 3, EXTRAS = 3 };
/* A load's time is known to this part of a row at best. */
#define LEAST_STEP 0.5

/* An extra's parameters: a second order off rest has a rate of its own, too. */
static unsigned bits_of(rki_parameter extra, rki_family family)
{
    return rki_bit(extra) |
           (extra == RKI_INITIAL && family == RKI_SECOND ? rki_bit(RKI_RATE) : 0U);
}

/* Can a family have it? An integrator's start and drift are its own. */
static bool is_possible(rki_parameter extra, const rki_solution *s)
{
    if (rki_active(&s->task, (int)extra)) return false;
    return extra != RKI_INITIAL || s->task.family != RKI_INTEGRATOR;
}

/* What an extra would take off, on the thinned record: no descent, no pass over all rows. */
static double predicted_gain(const rki_fit_work *b, const rki_solution *s, rki_parameter extra)
{
    double inverse[RKI_PARAMETERS][RKI_PARAMETERS], d[RKI_PARAMETERS];
    rki_task task = rki_on_thin(b, s);
    rki_normal n;

    task.active |= bits_of(extra, s->task.family);
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

/* A load step at a time, everything led down from q; near enough while it is one of many. */
static load_place try_time(const rki_fit_work *b, const rki_task *task, const double *from,
                           double at, bool many)
{
    load_place made = {.cost = HUGE_VAL, .at = at};
    rki_task there = *task;
    rki_normal n;

    if (is_unseen(&b->series, at)) return made;
    there.load_at = at;
    there.searching = many;
    memcpy(made.q, from, sizeof made.q);
    (void)rki_solve_linear(&there, made.q);
    rki_descend(&there, made.q, RKI_STEPS_THIN, &n);
    made.cost = n.cost;
    return made;
}

static void keep_better(load_place *best, load_place other)
{
    if (other.cost < best->cost) {
        *best = other;
    }
}

/* The places where the cost along the load's time has its lowest minima, each refined between its
   neighbours, best first: two loads may explain PV nearly as well, one with a wrong gain. Only
   those that cost less than `most` are looked at closer. */
static int find_places(const rki_fit_work *b, const rki_task *task, const double *from,
                       double most, load_place place[PLACES])
{
    const double start = b->thin.time[0], span = b->thin.time[b->thin.samples - 1] - start;
    load_place line[LOADS + 1] = {{.cost = HUGE_VAL}};
    int count = 0, i, k, halving;

    for (i = 1; i < LOADS; i++) {
        line[i] = try_time(b, task, from, start + (i * span / LOADS), true);
    }
    line[LOADS].cost = HUGE_VAL;
    for (i = 1; i < LOADS; i++) {
        double step = span / LOADS;
        load_place best = line[i];

        if (!(best.cost < line[i - 1].cost && best.cost <= line[i + 1].cost) ||
            !(best.cost < most)) {
            continue;
        }
        for (halving = 0; halving < HALVINGS; halving++) {
            const load_place middle = best;

            step *= 0.5;
            keep_better(&best, try_time(b, task, middle.q, middle.at - step, false));
            keep_better(&best, try_time(b, task, middle.q, middle.at + step, false));
        }
        for (k = count < PLACES ? count++ : PLACES; k > 0; k--) {
            if (!(best.cost < place[k - 1].cost)) break;
            if (k < PLACES) {
                place[k] = place[k - 1];
            }
        }
        if (k < PLACES) {
            place[k] = best;
        }
    }
    return count;
}

/* A place on all rows, its time to the row. */
static void settle_load(rki_fit_work *b, const rki_solution *from, const load_place *place,
                        rki_solution *trial)
{
    const double row = b->series.interval;
    const double span = b->series.time[b->series.samples - 1] - b->series.time[0];
    double step = span / (LOADS << HALVINGS);
    rki_solution at = *from;
    int side;

    memcpy(at.q, place->q, sizeof at.q);
    memset(&at.task.colour, 0, sizeof at.task.colour); /* its colour may be the load's */
    rki_fit_on(b, &at, from->task.active | rki_bit(RKI_LOAD), place->at, trial);
    for (; step > LEAST_STEP * row && trial->found; step *= 0.5) {
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
}

/* The next best place for the load, if there was one before. */
static void remember_other(rki_solution *best, const rki_solution *other)
{
    if (!other->found || (best->other_load.bic != 0 && best->other_load.bic <= other->bic)) {
        return;
    }
    best->other_load =
        (rki_other_load){other->bic, other->q[RKI_GAIN],
                         other->q[RKI_LOAD] / other->q[RKI_GAIN], other->task.load_at};
}

/* The load step that explains most; false: none explains enough even on the thinned record. */
static bool try_load(rki_fit_work *b, const rki_solution *from, rki_solution *trial)
{
    rki_task task = rki_on_thin(b, from);
    double q[RKI_PARAMETERS], without;
    load_place place[PLACES];
    rki_normal n;
    int count, i;

    memcpy(q, from->q, sizeof q);
    rki_descend(&task, q, RKI_STEPS_THIN, &n);
    without = n.cost;
    task.active |= rki_bit(RKI_LOAD);
    count = find_places(b, &task, from->q, HUGE_VAL, place);
    trial->found = false;
    for (i = 0; i < count; i++) {
        rki_solution made;

        if (!(place[i].cost > 0) ||
            (double)b->thin.samples * log(without / place[i].cost) <= CLEARLY_SEARCHED) {
            continue;
        }
        settle_load(b, from, &place[i], &made);
        if (!made.found) continue;
        if (!trial->found || made.bic < trial->bic) {
            remember_other(&made, trial);
            *trial = made;
        } else {
            remember_other(trial, &made);
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
        if (!is_possible(plain[i], best) ||
            predicted_gain(b, best, plain[i]) < HOPEFUL * CLEARLY * rki_variance(best)) {
            continue;
        }
        rki_fit_on(b, &from, from.task.active | bits_of(plain[i], from.task.family),
                   from.task.load_at, &trial);
        if (trial.found && trial.bic + CLEARLY < least) {
            least = trial.bic + CLEARLY;
            chosen = trial;
        }
    }
    /* A load step that was missed leaves anything but white noise. */
    if (is_possible(RKI_LOAD, best) && rki_is_coloured(&best->task.colour)) {
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
        from.q[RKI_RATE] = extra == RKI_INITIAL ? 0.0 : from.q[RKI_RATE];
        rki_fit_on(b, &from, from.task.active & ~bits_of(extra, from.task.family),
                   extra == RKI_LOAD ? 0.0 : from.task.load_at, &without);
        if (without.found && without.bic < best->bic + extras[i].needed) {
            *best = without;
        }
    }
}

/* Whatever is beside a lag that is an integrator's only makes up for that. */
static bool is_integrator_in_disguise(const rki_fit_work *b, const rki_solution *s)
{
    return !rki_family_integrates(s->task.family) &&
           exp(s->q[RKI_SHAPE]) > RKI_INTEGRATING * rki_span(b);
}

/* So many times the other's cost, on the thinned record with everything beside the model, is out of
   reach. */
#define OUT_OF_REACH 1.5
/* A place for its load step is refined where it already costs less than so many times that. */
#define REFINED 4.0

bool rki_could_rival(const rki_fit_work *b, const rki_solution *s, const rki_solution *best)
{
    rki_task task = rki_on_thin(b, s), other = rki_on_thin(b, best);
    double q[RKI_PARAMETERS], enough;
    load_place place[PLACES];
    rki_normal n;

    if (b->dense) return true;
    memcpy(q, best->q, sizeof q);
    rki_descend(&other, q, RKI_STEPS_THIN, &n);
    enough = OUT_OF_REACH * n.cost;
    task.active |= rki_bit(RKI_DRIFT);
    if (is_possible(RKI_INITIAL, s)) {
        task.active |= bits_of(RKI_INITIAL, s->task.family);
    }
    memcpy(q, s->q, sizeof q);
    rki_descend(&task, q, RKI_STEPS_THIN, &n);
    task.active |= rki_bit(RKI_LOAD);
    return n.cost <= enough ||
           (find_places(b, &task, q, REFINED * enough, place) > 0 && place[0].cost <= enough);
}

void rki_fit_extras(rki_fit_work *b, rki_solution *best)
{
    int turn;

    if (b->plain || best->hopeless || is_integrator_in_disguise(b, best)) {
        return;
    }
    for (turn = 0; turn < EXTRAS && take_one(b, best); turn++) {
        continue;
    }
    prune(b, best);
}
