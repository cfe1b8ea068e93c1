/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/fit.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "fit_stages.h"

/* A kind with another lag must be better by so much in the Bayesian criterion. */
#define PREFER_SIMPLE 6.0
/* Rows that a fit needs, and more than it can take. */
enum { ROWS_LEAST = 5 };
#define ROWS_MOST 100000000
/* OUT that changes in more than one of so many rows moves all the time. */
#define DENSE 10

rk_fit_plan rk_fit_plan_make(void)
{
    const rk_fit_plan made = {.any_kind = true, .from = nan(""), .to = nan("")};

    return made;
}

static rk_status check_columns(const rk_record *record, rk_diag *diag)
{
    const size_t rows = rk_record_rows(record);
    const double *out = rk_record_out(record), *pv = rk_record_pv(record);
    size_t i, move;

    if (rows < ROWS_LEAST) {
        return rk_diag_set(diag, RK_ERR_DATA, "%zu rows are too few: a fit needs at least %d",
                           rows, ROWS_LEAST);
    }
    if (rows > ROWS_MOST) {
        return rk_diag_set(diag, RK_ERR_DATA, "%zu rows are too many: thin them to 100 million",
                           rows);
    }
    for (move = 1; move < rows && out[move] == out[0]; move++) {
        continue;
    }
    if (move == rows) {
        return rk_diag_set(
            diag, RK_ERR_DATA,
            "OUT never moves (%.6g in all %zu rows): a fit needs at least one move "
            "of OUT; widen the window or check the OUT column",
            out[0], rows);
    }
    if (rows - move < ROWS_LEAST - 1) {
        return rk_diag_set(
            diag, RK_ERR_DATA,
            "OUT first moves at row %zu of %zu: too few rows come after the move", move + 1,
            rows);
    }
    for (i = 1; i < rows && pv[i] == pv[0]; i++) {
        continue;
    }
    if (i < rows) return RK_OK;
    return rk_diag_set(
        diag, RK_ERR_DATA,
        "PV never moves (%.6g in all %zu rows): check the PV column and the sensor", pv[0],
        rows);
}

/* Rows without PV, out of the window or in an excluded stretch weigh nothing. */
static rk_status lay_window(const rk_fit_plan *plan, const bool *missing, rki_series *s,
                            rk_diag *diag)
{
    size_t kept = 0, i, k;

    for (i = 0; i < s->samples; i++) {
        bool out = missing[i] || s->time[i] < plan->from || s->time[i] > plan->to;

        for (k = 0; k < plan->excludes; k++) {
            out =
                out || (s->time[i] >= plan->exclude[k][0] && s->time[i] <= plan->exclude[k][1]);
        }
        s->weight[i] = out ? 0.0 : 1.0;
        kept += !out;
    }
    if (kept >= ROWS_LEAST) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE,
                       "the window leaves %zu rows of %zu: widen it, the record is %.6g s long",
                       kept, s->samples, s->time[s->samples - 1]);
}

static bool is_regular(const rki_series *s)
{
    size_t off = 0, i;

    for (i = 1; i < s->samples; i++) {
        off += fabs(s->time[i] - s->time[i - 1] - s->interval) > 0.02 * s->interval;
    }
    return off * 10 < s->samples;
}

/* What a plan says of the moves' instants, or else the record. */
static rk_move_instants instants_of(const rk_record *record, const rk_fit_plan *plan)
{
    return plan->instants == RK_MOVES_WEIGHED && rk_record_on_rows(record) ? RK_MOVES_ON_ROWS
                                                                           : plan->instants;
}

static rk_status set_up(rki_fit_work *b, const rk_record *record, const rk_fit_plan *plan,
                        rk_diag *diag)
{
    rk_status status;

    memset(b, 0, sizeof *b);
    status = rki_series_create(&b->series, record, diag);
    if (status != RK_OK) return status;
    status = lay_window(plan, rk_record_missing(record), &b->series, diag);
    if (status != RK_OK) return status;
    b->series.visits = &b->visits;
    b->regular = is_regular(&b->series);
    b->closed_loop = rki_answers_pv(record);
    b->residual = rk_memory_create(b->series.samples, sizeof(double));
    if (b->residual == NULL) {
        (void)rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit %zu rows",
                          b->series.samples);
        return RK_ERR_MEMORY;
    }
    b->plain = plan->plain;
    b->instants = instants_of(record, plan);
    if (!b->plain) {
        /* What stands off the line between its neighbours, before there is a model. */
        memcpy(b->residual, b->series.pv, b->series.samples * sizeof(double));
        b->left_out = rki_leave_out_spikes(b, false);
    }
    if (rki_series_sum(&b->series) != RK_OK) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit %zu rows",
                           b->series.samples);
    }
    status = rki_series_thin(&b->thin, &b->series, diag);
    b->dense = DENSE * b->series.events > b->series.samples;
    if (status == RK_OK && b->dense) {
        status = rki_series_chunk(&b->chunk, &b->series, diag);
    }
    return status;
}

static void clean_up(rki_fit_work *b)
{
    rki_coarse_undo(b);
    rki_series_free(&b->series);
    rki_series_free(&b->thin);
    rki_series_free(&b->chunk);
    rk_memory_free(b->residual);
}

static bool is_complex(rki_family family)
{
    return family == RKI_SECOND || family == RKI_LAGGING;
}

static void take_candidate(const rk_fit *made, rk_fit *fit)
{
    rk_fit_candidate *c = &fit->candidate[fit->candidates++];

    c->model = made->model;
    c->bic = made->bic;
    c->fit_percent = made->fit_percent;
    c->drift = made->drift;
    c->initial = made->initial;
    c->initial_rate = made->initial_rate;
    c->load = made->load;
    c->load_at = made->load_at;
}

static void add_candidate(rki_fit_work *b, const rki_solution *s, rk_fit *fit)
{
    rk_fit made;

    memset(&made, 0, sizeof made);
    rki_fit_describe(b, s, &made);
    take_candidate(&made, fit);
}

/* How much better a family must be, or may be worse, to take the best one's place. */
static double handicap(const rki_fit_work *b, const rki_solution *best, rki_family family)
{
    if (!best->found) return 0.0;
    if (is_complex(family) && !is_complex(best->task.family)) return PREFER_SIMPLE;
    if (family == RKI_INTEGRATOR && exp(best->q[RKI_SHAPE]) > RKI_INTEGRATING * rki_span(b)) {
        return -PREFER_SIMPLE;
    }
    return 0.0;
}

/* Does a family's model say all there is, with nothing beside it and white noise left? */
static bool is_plain(const rki_solution *s)
{
    const unsigned extras = rki_bit(RKI_INITIAL) | rki_bit(RKI_LOAD) |
                            (rki_family_integrates(s->task.family) ? 0U : rki_bit(RKI_DRIFT));

    return (s->task.active & extras) == 0 && !rki_is_coloured(&s->task.colour);
}

/* A family beside the best one with what is beside it, so that like is compared with like: only
   where the best needs nothing may a family be left out for being far behind without. */
static void complete(rki_fit_work *b, const rki_solution *best, rki_solution *made)
{
    if (is_plain(best)) {
        rki_fit_extras(b, made);
    } else if (rki_could_rival(b, made, best)) {
        if (made->hopeless) {
            rki_fit_family(b, made->task.family, NULL, made);
        }
        rki_fit_extras(b, made);
    }
}

/* All families; the simplest that the criterion does not clearly speak against. */
static void choose(rki_fit_work *b, bool rough, rki_solution *best, rk_fit *fit)
{
    enum { FAMILIES = 4 };
    static const rki_family families[FAMILIES] = {RKI_FIRST, RKI_INTEGRATOR, RKI_SECOND,
                                                  RKI_LAGGING};
    rki_solution made[FAMILIES];
    const int families_tried = rough ? 2 : FAMILIES;
    int first = -1, i;

    best->found = false;
    b->choosing = true;
    for (i = 0; i < families_tried; i++) {
        rki_fit_family(b, families[i], first >= 0 ? &made[first] : NULL, &made[i]);
        if (made[i].found && (first < 0 || made[i].bic < made[first].bic)) {
            first = i;
        }
    }
    if (first < 0) return;
    rki_fit_extras(b, &made[first]);
    for (i = 0; i < families_tried; i++) {
        if (!made[i].found) continue;
        if (i != first) {
            complete(b, &made[first], &made[i]);
        }
        add_candidate(b, &made[i], fit);
        if (!best->found || made[i].bic + handicap(b, best, families[i]) < best->bic) {
            *best = made[i];
        }
    }
}

/* Spikes that only the model shows, on a slope, are left out too. */
static void clean(rki_fit_work *b, rki_solution *best)
{
    size_t more;

    if (b->plain) return;
    rki_take_residual(b, best);
    more = rki_leave_out_spikes(b, true);
    if (more == 0) return;
    b->left_out += more;
    (void)rki_series_sum(&b->series); /* there is room for them already */
    rki_fit_on(b, best, best->task.active, best->task.load_at, best);
}

/* From this damping on an underdamped model counts as two lags. Each kind has its own side. */
#define LN_EQUAL_LAGS (-0.0512932943875505) /* ln 0.95 */
/* A hair apart: of two equal lags the step response has no derivative by their ratio. */
#define LN_LAGS_LEAST 1e-6
#define LN_DAMPED_MOST (-0.06187540371808753) /* ln 0.94 */

/* Two lags or an underdamped process, whichever was asked for: where the record has the other,
   the nearest of its own, and *own is the damping that the record has. */
static void keep_kind(rki_fit_work *b, rk_model_kind kind, rki_solution *best, double *own)
{
    const bool lags = best->q[RKI_SHAPE_2] >= LN_EQUAL_LAGS;
    rki_solution from = *best;

    if (!best->found || best->task.family != RKI_SECOND ||
        !rki_active(&best->task, RKI_SHAPE_2) || lags == (kind == RK_MODEL_SOPDT)) {
        return;
    }
    *own = exp(best->q[RKI_SHAPE_2]);
    from.q[RKI_SHAPE_2] = kind == RK_MODEL_SOPDT ? LN_LAGS_LEAST : LN_DAMPED_MOST;
    rki_fit_on(b, &from, from.task.active & ~rki_bit(RKI_SHAPE_2), from.task.load_at, best);
}

static void fit_kind(rki_fit_work *b, rk_model_kind kind, rki_solution *best, double *own)
{
    rki_fit_family(b, rki_family_of(kind), NULL, best);
    keep_kind(b, kind, best, own);
    if (best->found) {
        rki_fit_extras(b, best);
        keep_kind(b, kind, best, own);
    }
}

/* The best model, with the moves of OUT as they stand. */
static rk_status find_best(rki_fit_work *b, const rk_fit_plan *plan, rki_solution *best,
                           double *own, rk_fit *fit, rk_diag *diag)
{
    fit->candidates = 0;
    if (plan->any_kind) {
        choose(b, plan->rough, best, fit);
    } else {
        fit_kind(b, plan->kind, best, own);
    }
    if (!best->found || best->q[RKI_GAIN] == 0) {
        return rk_diag_set(diag, RK_ERR_DATA, "no model answers OUT as this PV does");
    }
    clean(b, best);
    return RK_OK;
}

/* Rows so much closer than the dead time is known, in its standard errors, do not matter. */
#define CLOSE_ROWS 0.2
/* So much likelier moves between rows must be to be taken so: ln 10 by the record, and ln 4 that they
   are before it is looked at. */
#define CLEARLY_BETWEEN 3.6888794541139363

/* How much earlier than a row shows it OUT may have moved, at most. */
static double longest(const rki_fit_work *b)
{
    double most = 0;
    int k;

    for (k = 0; k < b->moves.count; k++) {
        most = fmax(most, b->moves.room[k]);
    }
    return most;
}

/* What is left is the rounding of the numbers: PV answers moves on rows exactly. */
#define EXACTLY 1e-7

static bool answers_exactly(const rki_fit_work *b, const rki_solution *best)
{
    double moved = 0;
    size_t e;

    for (e = 0; e < b->series.events; e++) {
        moved = fmax(moved, fabs(best->q[RKI_GAIN] * b->series.event_size[e]));
    }
    return sqrt(rki_variance(best)) < EXACTLY * moved;
}

static rk_status refuse_between(const char *why, rk_diag *diag)
{
    return rk_diag_set(
        diag, RK_ERR_DATA,
        "the moves of OUT cannot be placed between rows: %s; leave out that they "
        "came there",
        why);
}

/* Did OUT move on rows or between them? If between, all is fitted again with the moves where they
   came, and *rival is what was best before. */
static rk_status weigh_instants(rki_fit_work *b, const rk_fit_plan *plan, rki_solution *best,
                                rki_solution *rival, rki_between *between, double *own,
                                rk_fit *fit, rk_diag *diag)
{
    const bool asked = b->instants == RK_MOVES_BETWEEN_ROWS;
    const double error = rki_take_curvature(best);
    rki_solution moved;
    rk_status status;

    if (b->instants == RK_MOVES_ON_ROWS) return RK_OK;
    rki_between_find(b);
    if (asked && b->moves.count == 0) {
        return refuse_between(b->plain         ? "a plain fit places none"
                              : b->closed_loop ? "OUT answers PV"
                                               : "OUT moves all the time, or too often",
                              diag);
    }
    if (!(longest(b) > CLOSE_ROWS * error) || (!asked && answers_exactly(b, best))) {
        b->moves.count = 0;
        return RK_OK;
    }
    if (rki_is_coloured(&best->task.colour) && b->series.samples > RKI_PROFILE_ROWS) {
        if (asked) return refuse_between("too many rows of coloured noise", diag);
        fit->open_instant = longest(b); /* all of it is left open */
        fit->between_rows = nan("");
        return RK_OK;
    }
    status = rki_between_lead(b, best, &moved, diag);
    if (status == RK_OK) {
        status = rki_between_weigh(b, best, &moved, between, diag);
    }
    if (status != RK_OK) return status;
    if (asked && !between->known) {
        return refuse_between("no dead time goes with all of them there", diag);
    }
    if (!between->known || !(asked || between->evidence > CLEARLY_BETWEEN)) {
        return rki_between_undo(b, diag);
    }
    *rival = *best;
    fit->moved_between = true;
    status = find_best(b, plan, best, own, fit, diag);
    if (status == RK_OK) {
        status = rki_between_lead(b, best, &moved, diag);
    }
    if (status == RK_OK) {
        *best = moved;
        status = rki_between_weigh(b, rival, best, between, diag);
    }
    between->evidence = asked ? HUGE_VAL : between->evidence;
    return status;
}

/* Of a coarse PV all is less certain, the moves' instants too. */
static rk_status refine_coarse(rki_fit_work *b, rki_solution *best, rki_between *between,
                               rk_diag *diag)
{
    rki_between again;
    rk_status status = rki_fit_coarse(b, best, diag);

    if (status != RK_OK || b->kept.pv == NULL || !between->known) return status;
    (void)rki_take_curvature(best);
    status = rki_between_weigh(b, best, best, &again, diag);
    again.evidence = between->evidence;
    if (again.known) {
        *between = again;
    }
    return status;
}

/* The criterion of "PV stays where it is", its noise coloured as it then must be. */
static double bic_of_no_answer(rki_fit_work *b, double start)
{
    const rki_series *s = &b->series;
    const rki_solution none = {.task = {.family = RKI_FIRST}, .q = {[RKI_START] = start}};
    double rows = 0, mean = 0, squares = 0, part;
    rki_solution still;
    rki_colour colour;
    size_t i;

    if (rki_is_short(b) || !b->regular) {
        rki_fit_on(b, &none, rki_bit(RKI_START), 0.0, &still);
        return still.bic;
    }
    /* Of many rows the mean and its autoregression are as good, and quick. */
    for (i = 0; i < s->samples; i++) {
        rows += s->weight[i];
        mean += s->weight[i] * s->pv[i];
    }
    mean /= rows;
    for (i = 0; i < s->samples; i++) {
        b->residual[i] = s->pv[i] - mean;
        squares += s->weight[i] * b->residual[i] * b->residual[i];
    }
    rki_forget_residual(b);
    colour = rki_colour_of(b);
    part = colour.order > 0 ? colour.first : 1.0;
    return (rows * log(part * part * squares / rows)) + ((1 + colour.order) * log(rows));
}

static rk_status run(rki_fit_work *b, const rk_fit_plan *plan, rk_fit *fit, rk_diag *diag)
{
    rki_between between = {.known = false};
    double own = nan("");
    rki_solution best, rival;
    double interval[2];
    rk_status status;

    memset(fit, 0, sizeof *fit);
    status = find_best(b, plan, &best, &own, fit, diag);
    if (status == RK_OK) {
        status = weigh_instants(b, plan, &best, &rival, &between, &own, fit, diag);
    }
    if (status == RK_OK) {
        rki_polish(&best);
        status = refine_coarse(b, &best, &between, diag);
    }
    if (status == RK_OK) {
        status = rki_fit_profile(b, &best, &between, fit->moved_between ? &rival : NULL,
                                 interval, diag);
    }
    if (status != RK_OK) return status;
    rki_coarse_undo(b);
    fit->quantum = b->kept.quantum;
    fit->dead_time95[0] = fmin(interval[0], best.q[RKI_THETA]);
    fit->dead_time95[1] = fmax(interval[1], best.q[RKI_THETA]) + fit->open_instant;
    best.covariance[RKI_THETA][RKI_THETA] += fit->open_instant * fit->open_instant / 3.0;
    if (between.known) {
        fit->between_rows = 1.0 / (1.0 + exp(-between.evidence));
        fit->open_instant = longest(b);
    }
    rki_fit_report(b, &best, fit);
    /* Of an OUT that answers PV, or moves all the time, its own colour explains such a PV too. */
    fit->answers_by = b->closed_loop || b->dense
                          ? nan("")
                          : bic_of_no_answer(b, best.q[RKI_START]) - best.bic;
    fit->own_damping = own;
    fit->passes = b->visits / (double)b->series.samples;
    if (!plan->any_kind) {
        take_candidate(fit, fit);
    }
    return RK_OK;
}

rk_status rk_fit_compute(const rk_record *record, const rk_fit_plan *plan, rk_fit *fit,
                         rk_diag *diag)
{
    rki_fit_work bench;
    rk_fit *made;
    rk_status status;

    rk_diag_clear(diag);
    if (record == NULL || plan == NULL || fit == NULL) return RK_ERR_ARG;
    status = check_columns(record, diag);
    if (status != RK_OK) return status;
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a fit");
    status = set_up(&bench, record, plan, diag);
    if (status == RK_OK) {
        status = run(&bench, plan, made, diag);
    }
    if (status == RK_OK) {
        *fit = *made;
    }
    clean_up(&bench);
    rk_memory_free(made);
    return status;
}

rk_status rk_fit_compute_kind(const rk_record *record, rk_model_kind kind, rk_fit *fit,
                              rk_diag *diag)
{
    rk_fit_plan plan = rk_fit_plan_make();

    rk_diag_clear(diag);
    plan.any_kind = false;
    plan.kind = kind;
    return rk_fit_compute(record, &plan, fit, diag);
}

void rk_fit_to_loop(const rk_fit *fit, rk_design *loop)
{
    loop->has_model = true;
    loop->model = fit->model;
    memcpy(loop->gain95, fit->gain95, sizeof loop->gain95);
    memcpy(loop->tau95, fit->tau95, sizeof loop->tau95);
    loop->covariance = fit->covariance;
    memcpy(loop->dead_time95, fit->dead_time95, sizeof loop->dead_time95);
    loop->noise = fit->noise > 0 ? fit->noise : nan("");
}
