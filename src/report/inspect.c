/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

/* JSON true, false, or null; for people in words. */
static void add_yes_no(rk_report *r, const char *key, const char *name, rk_yes_no value)
{
    if (value == RK_NOT_KNOWN) {
        rki_row_word(r, key, NULL, NULL);
        rki_row_word(r, NULL, name, "cannot be told");
    } else {
        rki_row_yes_no(r, key, name, value == RK_YES);
    }
}

static void add_rows(rk_report *r, const rk_record_facts *f, size_t dropped)
{
    char length[RKI_SHOWN_CHARS], every[RKI_SHOWN_CHARS], low[RKI_SHOWN_CHARS],
        high[RKI_SHOWN_CHARS], range[3 * RKI_SHOWN_CHARS] = "";

    if (f->interval_max > 1.01 * f->interval_min) {
        (void)snprintf(range, sizeof range, " (%s to %s)",
                       rki_show_time(r, low, f->interval_min),
                       rki_show_time(r, high, f->interval_max));
    }
    rki_row_count(r, "rows", NULL, f->rows);
    rki_row_words(r, NULL, "rows", "%zu over %s, one every %s%s", f->rows,
                  rki_show_time(r, length, f->duration), rki_show_time(r, every, f->interval),
                  range);
    rki_row_count(r, "dropped", NULL, dropped);
    rki_row_group(r, "interval_s", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "median", f->interval);
    rki_row_value(r, "min", f->interval_min);
    rki_row_value(r, "max", f->interval_max);
    rki_row_end(r);
}

static void add_gaps(rk_report *r, const rk_record_facts *f)
{
    size_t i;

    rki_row_list(r, "gaps");
    for (i = 0; i < f->gaps && i < RK_GAPS_MAX; i++) {
        rki_row_group(r, NULL, NULL, RK_LAYOUT_HIDDEN);
        rki_row_value(r, "at_s", f->gap[i].at);
        rki_row_value(r, "length_s", f->gap[i].length);
        rki_row_end(r);
    }
    rki_row_end(r);
}

static void add_moves(rk_report *r, const rk_design *loop, const rk_record_facts *f)
{
    const size_t count = f->moves < RK_MOVES_MAX ? f->moves : RK_MOVES_MAX;
    char words[1600], at[RKI_SHOWN_CHARS];
    size_t used, i;

    used = (size_t)snprintf(words, sizeof words, "%zu", f->moves);
    rki_row_list(r, "moves");
    for (i = 0; i < count; i++) {
        const rk_move *m = &f->move[i];

        rki_row_group(r, NULL, NULL, RK_LAYOUT_HIDDEN);
        rki_row_value(r, "at_s", m->at);
        rki_row_value(r, "until_s", m->until);
        rki_row_value(r, "from", m->from);
        rki_row_value(r, "to", m->to);
        rki_row_end(r);
        if (used < sizeof words) {
            used += (size_t)snprintf(words + used, sizeof words - used,
                                     "%s %.4g to %.4g %s at %s", i == 0 ? ":" : ",", m->from,
                                     m->to, loop->out_units, rki_show_time(r, at, m->at));
        }
    }
    rki_row_end(r);
    rki_row_word(r, NULL, "moves of OUT", words);
}

static void add_noise(rk_report *r, const rk_design *loop, const rk_record_facts *f)
{
    char words[200];
    size_t used;

    rki_row_value(r, "noise", f->noise);
    rki_row_value(r, "quantum", f->quantum);
    rki_row_value(r, "pv_moved", f->pv_moved);
    rki_row_value(r, "signal_to_noise", f->signal_to_noise);
    used = (size_t)snprintf(words, sizeof words, "%.4g %s", f->pv_moved, loop->pv_units);
    if (isfinite(f->signal_to_noise)) {
        used += (size_t)snprintf(words + used, sizeof words - used,
                                 ", %.3g times its noise of %.3g %s", f->signal_to_noise,
                                 f->noise, loop->pv_units);
    }
    if (f->noise_correlation > 0.2) {
        (void)snprintf(words + used, sizeof words - used, " (correlation %.2f from row to row)",
                       f->noise_correlation);
    }
    rki_row_word(r, NULL, "PV moved", words);
}

static void add_model(rk_report *r, const rk_inspection *made)
{
    const rk_model *m = made->has_model ? &made->rough.model : NULL;
    const double unit = rki_style(r).minutes ? 60.0 : 1.0;
    char time[RKI_SHOWN_CHARS];

    rki_model(r, "model", m);
    rki_row_value(r, "gain_percent", m != NULL ? made->gain_percent : nan(""));
    if (m == NULL) return;
    rki_row_words(r, NULL, "rough fit", "%s: gain %.4g +-%.2g %%, dead time %s +-%.2g %s",
                  rk_model_kind_to_text(m->kind), m->gain, made->gain_percent,
                  rki_show_time(r, time, m->dead_time), made->dead_time_error / unit,
                  rki_style(r).minutes ? "min" : "s");
}

static void add_next(rk_report *r, const rk_next_test *n)
{
    if (!n->known) {
        rki_row_word(r, "next", NULL, NULL);
        return;
    }
    rki_row_group(r, "next", NULL, RK_LAYOUT_HIDDEN);
    rki_row_yes_no(r, "possible", NULL, n->possible);
    if (n->possible) {
        rki_row_yes_no(r, "needed", NULL, n->needed);
        rki_row_value(r, "out_move", n->out_move);
        rki_row_value(r, "wait_s", n->wait);
        rki_row_count(r, "moves", NULL, (size_t)n->moves);
        rki_row_value(r, "gain_percent", n->gain_percent);
        rki_row_value(r, "dead_time_error_s", n->dead_time_error);
    }
    rki_row_end(r);
}

rk_status rk_report_add_inspection(rk_report *report, const rk_design *loop,
                                   const rk_inspection *inspection, const rk_findings *findings,
                                   size_t dropped)
{
    rk_report *r = report;
    const rk_inspection *made = inspection;
    char words[400];

    if (loop == NULL || made == NULL || findings == NULL) return RK_ERR_ARG;
    rki_level(r, made->level, ": %s", loop->record_file);
    rki_reason(r, findings);
    rki_row_gap(r);
    add_rows(r, &made->facts, dropped);
    add_gaps(r, &made->facts);
    add_moves(r, loop, &made->facts);
    add_noise(r, loop, &made->facts);
    add_yes_no(r, "steady_before", "steady before", made->steady_before);
    add_yes_no(r, "steady_after", "steady after", made->steady_after);
    add_model(r, made);
    add_next(r, &made->next);
    rki_findings(r, findings);
    rki_row_word(r, "verdict", NULL, rk_inspection_verdict(made));
    rk_next_test_words(made, loop->out_units, words, sizeof words);
    rki_row_gap(r);
    rki_row_say(r, "The next test:");
    rki_row_note(r, "%s", words);
    return RK_OK;
}
