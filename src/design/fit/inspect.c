/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/inspect.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "design/record/trend.h"
#include "inspect_parts.h"

rk_inspect_plan rk_inspect_plan_make(void)
{
    const double none = nan("");
    const rk_inspect_plan made = {none, none, none, none, 0.05, 0.10, 0, 0};

    return made;
}

rk_inspect_plan rk_inspect_plan_of(const rk_design *loop)
{
    rk_inspect_plan made = rk_inspect_plan_make();

    made.pv_low = loop->pv_low;
    made.pv_high = loop->pv_high;
    made.out_low = loop->out_low;
    made.out_high = loop->out_high;
    return made;
}

const char *rk_inspection_verdict(const rk_inspection *inspection)
{
    static const char *const words[] = {"good", "usable", "unfit"};

    return words[inspection->level];
}

/* Intervals that differ by more than this part of the median are irregular. */
#define IRREGULAR 0.2
/* More gaps and spikes than this are told by their number alone. */
enum { TOLD = 3 };

static void judge_sampling(const rki_columns_view *v, const rk_inspect_plan *plan,
                           rk_inspection *made, rk_findings *found)
{
    size_t uneven = 0, i;

    for (i = 1; i < v->rows; i++) {
        uneven += fabs(v->time[i] - v->time[i - 1] - made->facts.interval) >
                  IRREGULAR * made->facts.interval;
    }
    if (uneven > v->rows / 20) {
        rk_findings_add(
            found, RK_LEVEL_NOTE,
            "nothing for this fit; a logger that samples at a fixed interval is better",
            "rows come irregularly: %zu of %zu intervals are off the median of %.4g s", uneven,
            v->rows - 1, made->facts.interval);
    }
    for (i = 0; i < made->facts.gaps && i < TOLD; i++) {
        rk_findings_add(
            found,
            made->facts.gap[i].length > 0.1 * made->facts.duration ? RK_LEVEL_CAUTION
                                                                   : RK_LEVEL_NOTE,
            "check that OUT did not move and nothing happened meanwhile",
            "no rows for %.4g s, from %.6g s on%s", made->facts.gap[i].length,
            made->facts.gap[i].at,
            i == TOLD - 1 && made->facts.gaps > TOLD ? ", and more gaps behind it" : "");
        rk_findings_place(found, made->facts.gap[i].at,
                          made->facts.gap[i].at + made->facts.gap[i].length);
    }
    if (plan->dropped > 0) {
        rk_findings_add(found,
                        20 * plan->dropped > plan->read ? RK_LEVEL_CAUTION : RK_LEVEL_NOTE,
                        "see why PV or OUT was bad before the next test",
                        "%zu of %zu rows were bad and were dropped", plan->dropped, plan->read);
    }
}

/* OUT on its way for more than this part of the record is a controller's work. */
#define ALWAYS_MOVING 0.3

static void judge_moves(const rki_columns_view *v, const rk_inspect_plan *plan,
                        rk_inspection *made, rk_findings *found)
{
    double under_way = 0;
    size_t on_limit = 0, i;

    if (made->facts.moves == 0) {
        rk_findings_add(
            found, RK_LEVEL_UNFIT, "move OUT in manual and record again; check the column",
            "OUT never moves%s", made->facts.out_noise > 0 ? " by more than its jitter" : "");
        return;
    }
    for (i = 0; i < made->facts.moves && i < RK_MOVES_MAX; i++) {
        under_way += made->facts.move[i].until - made->facts.move[i].at;
    }
    if (under_way > ALWAYS_MOVING * made->facts.duration || made->facts.moves > RK_MOVES_MAX) {
        rk_findings_add(
            found, RK_LEVEL_CAUTION,
            "make the step test in manual: a controller's own moves hide the process",
            "OUT moves for %.0f %% of the time: was the loop in automatic?",
            100.0 * fmin(under_way / made->facts.duration, 1.0));
    }
    for (i = 0; i < v->rows; i++) { /* beyond them it is the units that are wrong */
        on_limit += v->out[i] == plan->out_low || v->out[i] == plan->out_high;
    }
    if (on_limit > 0) {
        rk_findings_add(found, RK_LEVEL_CAUTION,
                        "keep OUT away from its limits: a valve is not linear there",
                        "OUT is saturated in %zu of %zu rows", on_limit, v->rows);
    }
}

/* The longest run of one PV that chance would hardly bring: a stuck sensor. */
static void judge_sensor(const rki_columns_view *v, rk_inspection *made, rk_findings *found)
{
    size_t equal = 0, run = 1, longest = 1, end = 0, i;
    double chance;

    for (i = 1; i < v->rows; i++) {
        run = v->pv[i] == v->pv[i - 1] ? run + 1 : 1;
        equal += run > 1;
        if (run > longest) {
            longest = run;
            end = i;
        }
    }
    if (longest == v->rows) {
        rk_findings_add(found, RK_LEVEL_UNFIT, "check the sensor, its wiring and the column",
                        "PV never moves: a dead sensor?");
        return;
    }
    /* Without noise PV stands still whenever OUT does. */
    if (!(made->facts.noise > made->facts.quantum)) return;
    /* Of equal neighbours by chance, outside this run: runs grow with the log of the rows. */
    chance = fmax((double)(equal + 1 - longest) / (double)(v->rows - longest + 1), 1e-6);
    if (chance >= 0.9 || (double)longest < 10 + (3 * log((double)v->rows) / -log(chance)))
        return;
    rk_findings_add(found,
                    (double)longest > 0.2 * (double)v->rows ? RK_LEVEL_UNFIT : RK_LEVEL_CAUTION,
                    "leave these rows out, and see whether the sensor or its logger stuck",
                    "PV stays at %.6g for %zu rows, from %.6g s on: stuck", v->pv[end], longest,
                    v->time[end + 1 - longest]);
    rk_findings_place(found, v->time[end + 1 - longest], v->time[end]);
}

/* PV within this part of its range from an end of it is on it. */
#define ON_LIMIT 0.001

static void judge_range(const rki_columns_view *v, const rk_inspect_plan *plan,
                        rk_findings *found)
{
    const double band = ON_LIMIT * (plan->pv_high - plan->pv_low);
    size_t on_limit = 0, first = 0, i;

    for (i = 0; i < v->rows && !isnan(band); i++) {
        if (fabs(v->pv[i] - plan->pv_low) > band && fabs(v->pv[i] - plan->pv_high) > band)
            continue;
        if (on_limit++ == 0) {
            first = i;
        }
    }
    if (on_limit < 3) return;
    rk_findings_add(found, 20 * on_limit > v->rows ? RK_LEVEL_UNFIT : RK_LEVEL_CAUTION,
                    "make a smaller move, or widen the transmitter's range",
                    "PV is at an end of its range in %zu rows, from %.6g s on: it is cut off",
                    on_limit, v->time[first]);
    rk_findings_place(found, v->time[first], v->time[first]);
}

/* A spike stands out from both neighbours by so many deviations of the noise. */
#define SPIKE 7.0

static void judge_spikes(const rki_columns_view *v, rk_inspection *made, rk_findings *found)
{
    const double least = fmax(SPIKE * made->facts.noise, 0.02 * made->facts.pv_moved);
    size_t first = 0, i;

    for (i = 1; i + 1 < v->rows; i++) {
        const double up = v->pv[i] - v->pv[i - 1], down = v->pv[i] - v->pv[i + 1];

        if (up * down > 0 && fmin(fabs(up), fabs(down)) > least && made->spikes++ == 0) {
            first = i;
        }
    }
    if (made->spikes == 0) return;
    rk_findings_add(found, 100 * made->spikes > v->rows ? RK_LEVEL_CAUTION : RK_LEVEL_NOTE,
                    "see what they are; the fit counts them as noise",
                    "%zu spike%s in PV, the first at %.6g s", made->spikes,
                    made->spikes > 1 ? "s" : "", v->time[first]);
    rk_findings_place(found, v->time[first], v->time[first]);
}

enum { STEADY_ROWS = 8 };

static rk_yes_no steady(const rki_columns_view *v, size_t first, size_t end,
                        const rk_inspection *made, rki_trend *line)
{
    if (end < first + STEADY_ROWS) return RK_NOT_KNOWN;
    *line = rki_trend_of(v->time, v->pv, first, end - 1);
    return rki_trend_is_steady(line, fmax(made->facts.quantum, 0.01 * made->facts.pv_moved))
               ? RK_YES
               : RK_NO;
}

static void judge_before(const rki_columns_view *v, rk_inspection *made, rk_findings *found)
{
    const size_t before = rki_rows_before(v, &made->facts);
    rki_trend line;

    made->steady_before = steady(v, 0, before, made, &line);
    if (made->steady_before == RK_NOT_KNOWN) {
        rk_findings_add(found, RK_LEVEL_CAUTION,
                        "record at least 20 rows before the first move",
                        "only %zu row%s before the first move: where PV stood is hardly known",
                        before, before == 1 ? "" : "s");
    } else if (made->steady_before == RK_NO) {
        rk_findings_add(
            found, RK_LEVEL_CAUTION,
            "wait until PV is steady before the first move; a drift goes into the gain",
            "PV was not steady before the first move: it went %.3g in %.4g s",
            line.slope * line.span, line.span);
        rk_findings_place(found, 0, v->time[before - 1]);
    }
}

/* PV has come to rest this many time constants after the dead time. */
#define SETTLED 4.0

static void judge_after(const rki_columns_view *v, rk_inspection *made, rk_findings *found)
{
    const rk_model *m = &made->rough.model;
    const double last =
        made->facts
            .move[made->facts.moves <= RK_MOVES_MAX ? made->facts.moves - 1 : RK_MOVES_MAX - 1]
            .until;
    const double rest = m->dead_time + (SETTLED * m->time_constant[0]);
    const double tail = fmax(last + rest, last + (0.75 * (made->facts.duration - last)));
    rki_trend line;

    if (rk_model_kind_integrates(m->kind)) {
        made->steady_after = RK_NOT_KNOWN;
        if (made->facts.moves > 1) return;
        rk_findings_add(
            found, RK_LEVEL_CAUTION,
            "wait until PV settles; if it does not, move OUT back and record that too",
            "PV was still moving when the record ended: an integrator or a slow "
            "process, which cannot be told apart");
        return;
    }
    if (last + rest > made->facts.duration) {
        const double waited = made->facts.duration - last;

        made->steady_after = RK_NO;
        rk_findings_add(found,
                        waited < m->dead_time + m->time_constant[0] ? RK_LEVEL_CAUTION
                                                                    : RK_LEVEL_NOTE,
                        "wait dead time + 4 time constants after the last move",
                        "the record ends %.4g s after the last move; PV needs about %.4g s to "
                        "come to rest",
                        waited, rest);
        return;
    }
    made->steady_after = steady(v, rki_row_at(v, tail), v->rows, made, &line);
    if (made->steady_after == RK_NO) {
        rk_findings_add(found, RK_LEVEL_CAUTION,
                        "look for a disturbance or a drift; fit the part before it",
                        "PV moves on after the last move: %.3g in the last %.4g s",
                        line.slope * line.span, line.span);
        rk_findings_place(found, v->time[rki_row_at(v, tail)], made->facts.duration);
    }
}

/* The simple kind that explains more; none if it is not usable. */
static rk_status rough_model(const rk_record *record, rk_inspection *made, rk_diag *why)
{
    rk_fit_plan plan = rk_fit_plan_make();
    rk_status status;

    plan.rough = true;
    status = rk_fit_compute(record, &plan, &made->rough, why);
    if (status == RK_ERR_MEMORY) return status;
    made->has_model = status == RK_OK && rk_fit_level(&made->rough) != RK_LEVEL_UNFIT;
    if (made->has_model || status != RK_OK) return RK_OK;
    /* A record cut short may make an integrator, if no lag. */
    status = rk_fit_compute_kind(record, RK_MODEL_IPDT, &made->rough, why);
    if (status == RK_ERR_MEMORY) return status;
    made->has_model = status == RK_OK && rk_fit_level(&made->rough) != RK_LEVEL_UNFIT;
    return RK_OK;
}

/* The colour of the noise shows in the rows before the first move and in what the model leaves;
   chance colours a few rows, and a wrong model the other. */
static void settle_colour(rk_inspection *made)
{
    const double left = made->has_model ? made->rough.residual_correlation : 0.0;
    const double chance = 2.0 / sqrt((double)made->facts.rows);

    made->facts.noise_correlation = fmin(made->facts.noise_correlation, left);
    if (!(made->facts.noise_correlation > chance)) {
        made->facts.noise_correlation = 0.0;
    }
}

/* Of few rows most stand in the response, whose bend looks like noise: what a model leaves is less
   then. A step of the converter is the least there is. */
#define CLEARLY_LESS 0.8

static void settle_noise(rk_inspection *made)
{
    rk_record_facts *f = &made->facts;

    if (!made->has_model || !(made->rough.noise < CLEARLY_LESS * f->noise)) return;
    f->noise = fmax(made->rough.noise, f->quantum / sqrt(12.0));
    f->signal_to_noise = f->noise > 0 ? f->pv_moved / f->noise : HUGE_VAL;
}

/* Of the gain: a caution from twice what is wanted, unfit from ten times. */
static void judge_certainty(const rk_inspect_plan *plan, const rk_diag *why,
                            rk_inspection *made, rk_findings *found)
{
    const rk_fit *f = &made->rough;
    const double theta = f->model.dead_time, tau = f->model.time_constant[0];
    const double wanted = 100 * plan->gain_wanted;

    if (!made->has_model && why->status != RK_OK) {
        rk_findings_add(found, RK_LEVEL_UNFIT, "make a longer test, with a larger move",
                        "no model can be fitted: %.150s", why->text);
        return;
    }
    if (!made->has_model) {
        rk_findings_add(found, RK_LEVEL_UNFIT,
                        "make a larger move, or check that this PV answers this OUT",
                        "no model explains PV by OUT (PV moved %.3g times its noise)",
                        made->facts.signal_to_noise);
        return;
    }
    made->gain_percent = 50.0 * (f->gain95[1] - f->gain95[0]) / fabs(f->model.gain);
    made->dead_time_error = 0.5 * (f->dead_time95[1] - f->dead_time95[0]);
    if (made->gain_percent > 2 * wanted) {
        rk_findings_add(found,
                        made->gain_percent > 10 * wanted ? RK_LEVEL_UNFIT : RK_LEVEL_CAUTION,
                        "make the next test as it stands below",
                        "the gain is known to +-%.2g %% only (PV moved %.3g times its noise)",
                        made->gain_percent, made->facts.signal_to_noise);
    }
    if (made->dead_time_error > 0.5 * theta && made->dead_time_error > 0.1 * (theta + tau)) {
        rk_findings_add(found, RK_LEVEL_CAUTION, "make the next test as it stands below",
                        "the dead time, %.3g s, is known to +-%.2g s only", theta,
                        made->dead_time_error);
    }
    if (tau > 0 && theta + tau < 5 * made->facts.interval) {
        rk_findings_add(found, RK_LEVEL_CAUTION, "record at least ten rows while PV responds",
                        "rows come every %.4g s, and PV responds within %.3g s: too coarse",
                        made->facts.interval, theta + tau);
    }
    if (made->facts.quantum > 0.05 * made->facts.pv_moved) {
        rk_findings_add(found, RK_LEVEL_CAUTION,
                        "make a larger move, or read PV with more digits",
                        "PV comes in steps of %.4g and moved only %.3g", made->facts.quantum,
                        made->facts.pv_moved);
    }
}

/* The gravest of the findings from a place on. */
static rk_level worst_from(const rk_findings *found, size_t first)
{
    rk_level worst = RK_LEVEL_NOTE;
    size_t i;

    for (i = first; i < found->count; i++) {
        worst = found->list[i].level > worst ? found->list[i].level : worst;
    }
    return worst;
}

static rk_status look(const rki_columns_view *v, const rk_record *record,
                      const rk_inspect_plan *plan, rk_inspection *made, rk_findings *found)
{
    rk_diag why = {RK_OK, ""};
    rk_status status;
    size_t slips;

    made->steady_before = made->steady_after = RK_NOT_KNOWN;
    rki_facts_sampling(v, &made->facts);
    rki_facts_moves(v, &made->facts);
    rki_facts_noise(v, &made->facts);
    rk_record_slips(record, plan, found);
    slips = found->count;
    judge_moves(v, plan, made, found);
    judge_sensor(v, made, found);
    if (made->facts.moves > 0 && worst_from(found, slips) < RK_LEVEL_UNFIT) {
        status = rough_model(record, made, &why);
        if (status != RK_OK) return status;
        settle_noise(made);
        settle_colour(made);
        judge_certainty(plan, &why, made, found);
        judge_before(v, made, found);
        if (made->has_model) {
            judge_after(v, made, found);
        }
    }
    judge_range(v, plan, found);
    judge_spikes(v, made, found);
    judge_sampling(v, plan, made, found);
    rki_inspect_next(v, plan, made);
    return RK_OK;
}

rk_status rk_inspection_compute(const rk_record *record, const rk_inspect_plan *plan,
                                rk_inspection *inspection, rk_findings *findings, rk_diag *diag)
{
    rk_findings found = {.count = 0};
    rki_columns_view v = {0};
    rk_inspection *made;
    rk_status status;
    size_t i;

    rk_diag_clear(diag);
    if (record == NULL || plan == NULL || inspection == NULL) return RK_ERR_ARG;
    v.rows = rk_record_rows(record);
    if (v.rows < 2) {
        return rk_diag_set(diag, RK_ERR_DATA, "%zu row: a record needs 2 at least", v.rows);
    }
    v.out = rk_record_out(record);
    v.pv = rk_record_pv(record);
    v.time = rk_memory_create(v.rows, sizeof(double));
    v.work = rk_memory_create(v.rows, sizeof(double));
    made = rk_memory_create(1, sizeof *made);
    status = v.time == NULL || v.work == NULL || made == NULL ? RK_ERR_MEMORY : RK_OK;
    if (status == RK_OK) {
        for (i = 0; i < v.rows; i++) {
            v.time[i] = rk_record_time(record)[i] - rk_record_time(record)[0];
        }
        made->facts.rows = v.rows;
        made->facts.duration = v.time[v.rows - 1];
        status = look(&v, record, plan, made, &found);
    }
    if (status == RK_OK) {
        made->level = rk_findings_worst(&found);
        *inspection = *made;
        if (findings != NULL) {
            *findings = found;
        }
    } else {
        (void)rk_diag_set(diag, status, "out of memory to inspect %zu rows", v.rows);
    }
    rk_memory_free(v.time);
    rk_memory_free(v.work);
    rk_memory_free(made);
    return status;
}
