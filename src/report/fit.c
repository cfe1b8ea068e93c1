/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

/* A number with its 95 % interval, which also says how many of its digits count. */
static void add_number(rk_report *r, const char *name, double value, const char *unit,
                       int per_time, const double interval[2], const char *more)
{
    const double whole = rki_style(r).minutes ? pow(60.0, per_time) : 1.0;
    const double half = 0.5 * (interval[1] - interval[0]) / whole;
    const int places = half > 0 && isfinite(half) ? (int)fmax(0, 1 - floor(log10(half))) : -1;

    rki_row_amount(r, NULL, name, value, unit, per_time, 7);
    rki_row_known_to(r, half * whole);
    if (places >= 0 && places <= 9) {
        rki_row_more(r, "95 %%: %.*f to %.*f%s", places, interval[0] / whole, places,
                     interval[1] / whole, more);
    } else {
        rki_row_more(r, "95 %%: %.7g to %.7g%s", interval[0] / whole, interval[1] / whole,
                     more);
    }
}

/* A time in the other unit too. */
static void add_time(rk_report *r, const char *name, double seconds, const double interval[2])
{
    char more[RKI_SHOWN_CHARS];

    if (rki_style(r).minutes) {
        (void)snprintf(more, sizeof more, " (%.4g s)", seconds);
    } else {
        (void)snprintf(more, sizeof more, " (%.4g min)", seconds / 60.0);
    }
    add_number(r, name, seconds, "", 1, interval, more);
}

static void add_model(rk_report *r, const rk_design *loop, const rk_fit *f)
{
    const bool integrates = rk_model_kind_integrates(f->model.kind);
    const double pct = rk_design_gain_pct(loop, f->model.gain);
    const int times = rk_model_kind_times(f->model.kind);
    char unit[RK_GAIN_UNIT_CHARS], more[80] = "";
    int i;

    rk_design_gain_unit(loop, f->model.kind, unit);
    if (!isnan(pct)) {
        (void)snprintf(more, sizeof more, " (%.4g %% of span%s per %%)", pct,
                       integrates ? " per s" : "");
    }
    add_number(r, "gain", f->model.gain, unit, 0, f->gain95, more);
    for (i = 0; i < times; i++) {
        add_time(r,
                 times == 1 ? "time constant"
                 : i == 0   ? "time constant 1"
                            : "time constant 2",
                 f->model.time_constant[i], f->tau95[i]);
    }
    if (f->model.kind == RK_MODEL_SOPDT_OSC) {
        add_number(r, "damping", f->model.damping, "", 0, f->damping95, "");
    }
    add_time(r, "dead time", f->model.dead_time, f->dead_time95);
    add_number(r, integrates ? "PV at first" : "PV at rest", f->model.pv0, loop->pv_units, 0,
               f->pv0_95, "");
    rki_row_number(r, NULL, integrates ? "balanced OUT" : "at OUT", f->model.out0,
                   loop->out_units, 4);
}

/* The numbers of the fit for machines. */
static void add_values(rk_report *r, const rk_fit *f)
{
    const double none[2] = {nan(""), nan("")};
    int i;

    rki_model(r, "model", &f->model);
    rki_row_group(r, "interval95", NULL, RK_LAYOUT_HIDDEN);
    rki_row_pair(r, "gain", f->gain95);
    rki_row_list(r, "time_constant");
    for (i = 0; i < rk_model_kind_times(f->model.kind); i++) {
        rki_row_pair(r, NULL, f->tau95[i]);
    }
    rki_row_end(r);
    if (f->model.kind == RK_MODEL_SOPDT_OSC) {
        rki_row_pair(r, "damping", f->damping95);
    } else {
        rki_row_value(r, "damping", none[0]);
    }
    rki_row_pair(r, "dead_time", f->dead_time95);
    rki_row_pair(r, "pv0", f->pv0_95);
    rki_row_end(r);
    rki_row_value(r, "fit_percent", f->fit_percent);
    rki_row_value(r, "rmse", f->rmse);
    rki_row_value(r, "noise", f->noise);
    rki_row_value(r, "residual_correlation", f->residual_correlation);
    rki_row_group(r, "noise_colour", NULL, RK_LAYOUT_HIDDEN);
    rki_row_count(r, "order", NULL, (size_t)f->noise_order);
    rki_row_value(r, "memory_s", f->noise_memory > 0 ? f->noise_memory : none[0]);
    rki_row_value(r, "white_correlation", f->white_correlation);
    rki_row_end(r);
    rki_row_group(r, "extras", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "drift_per_s", f->drift);
    rki_row_value(r, "initial", f->initial);
    rki_row_value(r, "initial_rate_per_s", f->initial_rate);
    rki_row_value(r, "load", f->load);
    rki_row_value(r, "load_at_s", f->load != 0 ? f->load_at : none[0]);
    rki_row_count(r, "left_out", NULL, f->left_out);
    rki_row_yes_no(r, "closed_loop", NULL, f->closed_loop);
    rki_row_yes_no(r, "moved_between_rows", NULL, f->moved_between);
    rki_row_value(r, "between_rows_probability",
                  f->open_instant > 0 ? f->between_rows : none[0]);
    rki_row_end(r);
}

/* What the kinds gain: the smaller the criterion, the better. */
static void add_candidates(rk_report *r, const rk_fit *f)
{
    const bool shown = f->candidates > 1;
    double best = HUGE_VAL;
    size_t i;

    for (i = 0; i < f->candidates; i++) {
        best = fmin(best, f->candidate[i].bic);
    }
    if (shown) {
        rki_row_gap(r);
        rki_row_note(r, "Kinds tried (* chosen; the simplest within 6 of the best):");
    }
    rki_row_list(r, "candidates");
    for (i = 0; i < f->candidates; i++) {
        const rk_fit_candidate *c = &f->candidate[i];
        const char *kind = rk_model_kind_to_text(c->model.kind);

        rki_row_group(r, NULL, NULL, shown ? RK_LAYOUT_ROW : RK_LAYOUT_HIDDEN);
        rki_row_word(r, "kind", NULL, kind);
        rki_row_words(r, NULL, "kind", "%s%s", kind,
                      c->model.kind == f->model.kind ? " *" : "");
        rki_row_value(r, "bic", c->bic);
        rki_row_number(r, "fit_percent", "explains", c->fit_percent, "%", 4);
        rki_row_known_to(r, 1.0);
        rki_row_words(r, NULL, "BIC", c->bic == best ? "best" : "+%.0f", c->bic - best);
        rki_model(r, "model", &c->model);
        rki_row_end(r);
    }
    rki_row_end(r);
}

static void add_rival(rk_report *r, const rk_design *loop, const rk_fit *fit,
                      const rk_fit *rival)
{
    rk_design other = *loop;
    char process[RKI_PROCESS_CHARS];

    other.model = rival->model;
    rki_model_words(r, &other, process);
    rki_row_gap(r);
    if (isnan(rival->bic)) {
        rki_row_note(
            r,
            "The guess, %s: %s; it leaves %.3g %s (rms) where the fit leaves %.3g, and "
            "explains %.1f %%.",
            rk_model_kind_to_text(rival->model.kind), process, rival->rmse, loop->pv_units,
            fit->rmse, rival->fit_percent);
        rki_row_group(r, "guess", NULL, RK_LAYOUT_HIDDEN);
        rki_row_value(r, "rmse", rival->rmse);
        rki_row_value(r, "fit_percent", rival->fit_percent);
        rki_model(r, "model", &rival->model);
        rki_row_end(r);
        return;
    }
    rki_row_note(r, "Beside it %s: %s; it explains %.1f %%, BIC %+.0f against the model above.",
                 rk_model_kind_to_text(rival->model.kind), process, rival->fit_percent,
                 rival->bic - fit->bic);
}

static void add_hand(rk_report *r, const rk_design *loop, const rk_hand_fits *hand)
{
    char unit[RK_GAIN_UNIT_CHARS];
    size_t i;

    if (hand != NULL && hand->count > 0) {
        rki_row_gap(r);
    }
    rki_row_list(r, "by_hand");
    for (i = 0; hand != NULL && i < hand->count; i++) {
        const rk_hand_fit *h = &hand->fit[i];

        rk_design_gain_unit(loop, h->model.kind, unit);
        rki_row_group(r, NULL, NULL, RK_LAYOUT_ROW);
        rki_row_word(r, "method", "by hand", h->method);
        rki_row_number(r, "gain", "gain", h->model.gain, unit, 4);
        rki_row_time(r, "time_constant", "time constant", h->model.time_constant[0]);
        rki_row_time(r, "dead_time", "dead time", h->model.dead_time);
        rki_row_end(r);
    }
    rki_row_end(r);
}

static void add_validation(rk_report *r, const rk_design *loop, const rk_fit_results *results)
{
    const rk_validation *v = results->validation;

    if (v == NULL) {
        rki_row_word(r, "validation", NULL, NULL);
        return;
    }
    rki_row_group(r, "validation", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "fit_percent", v->fit_percent);
    rki_row_value(r, "rmse", v->rmse);
    rki_row_value(r, "offset", v->offset);
    rki_row_end(r);
    rki_row_gap(r);
    rki_row_note(
        r,
        "Validation on %s, a record that the fit has not seen: the model explains %.1f %% "
        "of PV's movement and leaves a residual of %.3g %s (rms); PV was shifted by %.3g "
        "%s.",
        results->validated_on != NULL ? results->validated_on : "another record",
        v->fit_percent, v->rmse, loop->pv_units, v->offset, loop->pv_units);
}

/* The record's first, since they make the fit's worth nothing. */
static rk_findings all_findings(const rk_fit_results *results)
{
    const rk_findings of_fit = rk_fit_findings(results->fit);
    rk_findings all = {.count = 0};
    size_t i;

    if (results->record != NULL) {
        all = *results->record;
    }
    for (i = 0; i < of_fit.count && all.count < RK_FINDINGS_MAX; i++) {
        all.list[all.count++] = of_fit.list[i];
    }
    return all;
}

static void add_head(rk_report *r, const rk_design *loop, const rk_fit_results *results)
{
    const rk_findings found = all_findings(results);
    const rk_fit *f = results->fit;

    if (results->as_given) {
        rki_row_say(r, "AS GIVEN: %s over %s", rk_model_kind_words(f->model.kind),
                    loop->record_file);
        rki_row_gap(r);
        rki_row_note(
            r,
            "The model explains %.1f %% of PV's movement and leaves a residual of %.3g %s "
            "(rms)%s.",
            f->fit_percent, f->rmse, loop->pv_units,
            results->pv0_laid ? "; its PV at rest was laid to fit best" : "");
        return;
    }
    rki_level(r, rk_findings_worst(&found), ": %s, %s, %zu rows, %zu move%s of OUT",
              rk_model_kind_words(f->model.kind), loop->record_file, f->rows, f->moves,
              f->moves == 1 ? "" : "s");
    rki_reason(r, &found);
    rki_row_gap(r);
    add_model(r, loop, f);
    rki_row_gap(r);
    rki_row_note(
        r,
        "The model explains %.1f %% of PV's movement. The residual is %.3g %s (rms), with "
        "a correlation from row to row of %.2f%s.",
        f->fit_percent, f->rmse, loop->pv_units, f->residual_correlation,
        f->noise_order > 0 || f->noise_memory > 0 ? "; the intervals allow for it"
                                                  : " (0: white noise)");
}

rk_status rk_report_add_fit(rk_report *report, const rk_design *loop,
                            const rk_fit_results *results)
{
    rk_report *r = report;
    rk_findings found;
    const rk_fit *f;

    if (loop == NULL || results == NULL || results->fit == NULL) return RK_ERR_ARG;
    f = results->fit;
    add_head(r, loop, results);
    add_values(r, f);
    add_candidates(r, f);
    if (results->rival != NULL) {
        add_rival(r, loop, f, results->rival);
    }
    if (results->as_given) { /* the methods by hand fit what was not asked for */
        rki_row_group(r, NULL, NULL, RK_LAYOUT_HIDDEN);
    }
    add_hand(r, loop, results->hand);
    if (results->as_given) {
        rki_row_end(r);
    }
    add_validation(r, loop, results);
    rki_row_count(r, "rows", NULL, f->rows);
    rki_row_count(r, "moves", NULL, f->moves);
    found = all_findings(results);
    rki_findings(r, &found);
    return RK_OK;
}

rk_status rk_report_add_move_fits(rk_report *report, const rk_design *loop,
                                  const rk_move_fits *fits)
{
    rk_report *r = report;
    char unit[RK_GAIN_UNIT_CHARS];
    rk_findings found;
    size_t i;

    if (loop == NULL || fits == NULL) return RK_ERR_ARG;
    rki_row_say(r, "%s, move by move:", loop->record_file);
    rki_row_gap(r);
    rki_row_list(r, "moves");
    for (i = 0; i < fits->count; i++) {
        const rk_move_fit *m = &fits->move[i];

        rki_row_group(r, NULL, NULL, RK_LAYOUT_ROW);
        rki_row_time(r, "at_s", "move at", m->at);
        rki_row_value(r, "from", m->from);
        rki_row_value(r, "to", m->to);
        rki_row_words(r, NULL, "OUT", "%.4g to %.4g", m->from, m->to);
        rki_model(r, "model", m->fitted ? &m->fit.model : NULL);
        if (m->fitted) {
            rk_design_gain_unit(loop, m->fit.model.kind, unit);
            rki_row_number(r, NULL, "gain", m->fit.model.gain, unit, 4);
            rki_row_time(r, NULL, "time constant", m->fit.model.time_constant[0]);
            rki_row_time(r, NULL, "dead time", m->fit.model.dead_time);
            rki_row_words(r, NULL, "95 % of the gain", "%.4g to %.4g", m->fit.gain95[0],
                          m->fit.gain95[1]);
            rki_row_pair(r, "gain95", m->fit.gain95);
        } else {
            rki_row_word(r, NULL, "gain", "no fit");
            rki_row_word(r, "gain95", NULL, NULL);
        }
        rki_row_end(r);
    }
    rki_row_end(r);
    found = rk_move_fits_findings(fits);
    rki_findings(r, &found);
    return RK_OK;
}
