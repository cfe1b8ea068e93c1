/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>

#include "parts.h"

/* The settings' names in a form: parallel has others. */
static const char *const setting_names[2][3] = {{"kc", "ti", "td"}, {"kp", "ki", "kd"}};

/* What the figures of a table are known to, so that they show so many decimal places. */
#define TENTHS 1.0
#define HUNDREDTHS 0.1

/* Settings in the form that was asked for. */
static void add_values(rk_report *r, const rk_design *loop, const rk_form_values *v,
                       bool derivative)
{
    const bool parallel = v->form == RK_FORM_PARALLEL;
    const char *const *name = setting_names[parallel];
    char unit[RKI_UNIT_CHARS];

    rki_kc_unit(loop, unit);
    rki_row_number(r, name[0], name[0], v->gain, unit, 4);
    rki_row_amount(r, name[1], name[1], v->integral, parallel ? unit : "", parallel ? -1 : 1,
                   4);
    rki_row_amount(r, name[2], derivative ? name[2] : NULL, v->derivative, parallel ? unit : "",
                   1, 4);
    rki_row_value(r, "tf", v->tf);
}

static void add_performance(rk_report *r, const rk_design *loop, const rk_tuning *t,
                            const rk_performance *m)
{
    const bool unstable = t->usable && !m->margins.stable;

    rki_row_yes_no(r, "stable", NULL, t->usable && m->margins.stable);
    rki_row_number(r, "gain_margin", unstable ? NULL : "GM", m->margins.gain_margin, "", 3);
    rki_row_known_to(r, HUNDREDTHS);
    if (unstable) {
        rki_row_word(r, NULL, "GM", "UNSTABLE");
    }
    rki_row_number(r, "phase_margin_deg", "PM", m->margins.phase_margin, "deg", 3);
    rki_row_known_to(r, TENTHS);
    rki_row_number(r, "ms", "Ms", m->margins.ms, "", 3);
    rki_row_known_to(r, HUNDREDTHS);
    rki_row_number(r, "overshoot_percent", "over", m->overshoot, "%", 3);
    rki_row_known_to(r, TENTHS);
    rki_row_amount(r, "settling_time", "settle", m->settling, "", 1, 3);
    rki_row_value(r, "load_iae", m->load_iae);
    rki_row_number(r, NULL, "IAE", rki_style(r).minutes ? m->load_iae / 60.0 : m->load_iae, "",
                   3);
    rki_row_number(r, "travel", "travel", m->travel, loop->out_units, 3);
}

/* A column that would hold zeros alone is none. */
static bool has_derivative(const rk_tune_results *results)
{
    size_t i;

    for (i = 0; i < results->count; i++) {
        if (results->tuning[i].usable && results->tuning[i].settings.td > 0) return true;
    }
    return false;
}

/* Small errors of the model, or of the gain, make such a loop swing. */
#define FRAGILE_MS 2.0
#define FRAGILE_GAIN_MARGIN 2.0

static bool is_fragile(const rk_tune_results *results, size_t at)
{
    const rk_margins *m;

    if (results->performance == NULL || !results->tuning[at].usable) return false;
    m = &results->performance[at].margins;
    if (!m->stable) return false;
    return m->ms > FRAGILE_MS || m->gain_margin < FRAGILE_GAIN_MARGIN;
}

static void add_tuning(rk_report *r, const rk_design *loop, const rk_tune_results *results,
                       size_t at)
{
    const rk_tuning *t = &results->tuning[at];
    const double none = nan(""), theta = loop->model.dead_time;
    rk_form_values v = {results->form, none, none, none, none};
    rk_diag why = {RK_OK, ""};
    const rk_status status =
        t->usable ? rk_settings_to_form(&t->settings, results->form, &v, &why) : RK_OK;

    v.form = results->form;
    rki_row_group(r, NULL, NULL, RK_LAYOUT_ROW);
    rki_row_word(r, "rule", NULL, t->rule);
    if (results->speeds) {
        rki_row_amount(r, NULL, "lambda", t->lambda, "", 1, 4);
        rki_row_number(r, NULL, "in dead times", theta > 0 ? t->lambda / theta : HUGE_VAL, "",
                       3);
        rki_row_word(r, "mode", NULL, t->mode);
    } else {
        rki_row_words(r, NULL, "rule", "%s%s%s", t->rule, t->in_range ? "" : "*",
                      is_fragile(results, at) ? "!" : "");
        rki_row_word(r, "mode", "mode", t->mode);
    }
    rki_row_word(r, "form", NULL, rk_form_to_text(results->form));
    add_values(r, loop, &v, has_derivative(results));
    rki_row_value(r, "lambda", t->lambda);
    rki_row_yes_no(r, "usable", NULL, t->usable);
    rki_row_yes_no(r, "in_range", NULL, t->in_range);
    rki_row_yes_no(r, "fragile", NULL, is_fragile(results, at));
    rki_row_value(r, "sp_weight", t->settings.sp_weight);
    rki_row_word(r, "note", NULL, status == RK_OK ? t->note : why.text);
    rki_row_word(r, "source", NULL, t->source);
    if (results->performance != NULL) {
        add_performance(r, loop, t, &results->performance[at]);
    }
    rki_row_end(r);
}

static bool says_the_same(const rk_tuning *a, const rk_tuning *b)
{
    return strcmp(a->rule, b->rule) == 0 && strcmp(a->note, b->note) == 0;
}

/* What a rule says of its settings; modes of which it says the same are named together. */
static void add_notes(rk_report *r, const rk_tune_results *results)
{
    const rk_tuning *list = results->tuning;
    char modes[200];
    size_t i, k;

    for (i = 0; i < results->count; i++) {
        size_t used;

        if (list[i].note[0] == '\0' || (i > 0 && says_the_same(&list[i], &list[i - 1]))) {
            continue;
        }
        used = (size_t)snprintf(modes, sizeof modes, "%s", list[i].mode);
        for (k = i + 1; k < results->count && says_the_same(&list[i], &list[k]); k++) {
            used += (size_t)snprintf(modes + used, sizeof modes - used, ", %s", list[k].mode);
        }
        rki_row_note(r, "%s %s: %s.", list[i].rule, modes, list[i].note);
    }
    for (i = 0; results->sources && i < results->count; i++) {
        if (i > 0 && strcmp(list[i].source, list[i - 1].source) == 0) continue;
        rki_row_note(r, "Source: %s.", list[i].source);
    }
}

/* So many times what the process takes by itself is no tuning that anybody wants. */
#define LAMBDA_LONG 10.0

static void say_lambda(rk_report *r, const rk_design *loop, double lambda)
{
    const double own = rk_model_slowest(&loop->model) + loop->model.dead_time;
    char time[RKI_SHOWN_CHARS];

    if (!(lambda > LAMBDA_LONG * own)) return;
    rki_row_note(
        r,
        "CAUTION: that lambda is %.0f times what the process takes by itself, %s: was it "
        "typed in another unit?",
        lambda / own, rki_show_time(r, time, own));
}

static void say_steps(rk_report *r, const rk_design *loop)
{
    char scan[RKI_SHOWN_CHARS];

    rki_row_note(r,
                 "Over (overshoot), settle (settling time) and travel: setpoint step of 1 %s, "
                 "OUT unlimited. IAE, in %s %s: load step of 1 %s.",
                 loop->pv_units, loop->pv_units, rki_style(r).minutes ? "min" : "s",
                 loop->out_units);
    if (!isnan(loop->ts)) {
        rki_row_note(r, "Margins and steps as the loop is scanned, every %s%s.",
                     rki_show_time(r, scan, loop->ts),
                     loop->delay_scans > 0 ? ", with its delay" : "");
    }
}

/* Under which conditions the figures hold. */
static void add_conditions(rk_report *r, const rk_design *loop, const rk_tune_results *results)
{
    const rk_knobs *knobs = results->knobs;
    char time[RKI_SHOWN_CHARS], unit[RKI_UNIT_CHARS];
    size_t i, out = 0, fragile = 0, filtered = 0;

    if (results->performance != NULL) {
        say_steps(r, loop);
    }
    if (!loop->has_model) {
        rki_row_note(r, "Without a model nobody knows what they do: try them with care.");
    } else if (knobs != NULL && isnan(knobs->lambda)) {
        rki_row_note(
            r,
            "lambda %s unless a note says more: the dead time, at least a tenth of the "
            "time constant.",
            rki_show_time(r, time, rk_lambda_default(&loop->model)));
    } else if (knobs != NULL) {
        rki_row_note(r, "lambda %s.", rki_show_time(r, time, knobs->lambda));
        say_lambda(r, loop, knobs->lambda);
    }
    for (i = 0; i < results->count; i++) {
        out += !results->tuning[i].in_range;
        fragile += is_fragile(results, i);
        filtered += results->tuning[i].usable && results->tuning[i].settings.td > 0;
    }
    if (out > 0) {
        rki_row_note(r, "*: outside the range that the rule was made for.");
    }
    if (fragile > 0) {
        rki_row_note(r,
                     "!: fragile, Ms above 2 or a gain margin below 2: a process a little off "
                     "its model makes it swing.");
    }
    if (filtered > 0) {
        rki_row_note(r, "The derivative is filtered with tf = td/10, which no rule names.");
    }
    if (knobs != NULL && !isnan(knobs->ultimate_gain)) {
        rki_kc_unit(loop, unit);
        rki_row_note(r, "Ultimate point as measured: gain %.4g %s, period %s.",
                     knobs->ultimate_gain, unit,
                     rki_show_time(r, time, knobs->ultimate_period));
    }
}

rk_status rk_report_add_tunings(rk_report *report, const rk_design *loop,
                                const rk_tune_results *results)
{
    rk_report *r = report;
    char process[RKI_PROCESS_CHARS];
    size_t i;

    if (loop == NULL || results == NULL || results->tuning == NULL) return RK_ERR_ARG;
    rki_model_words(r, loop, process);
    if (!loop->has_model) {
        (void)snprintf(process, sizeof process, "an ultimate point, without a model");
    }
    if (results->speeds) {
        rki_row_say(r, "%s %s, from fast to slow, for %s", results->tuning[0].rule,
                    results->tuning[0].mode, process);
    } else {
        rki_row_say(r, "%s form, for %s", rk_form_to_text(results->form), process);
    }
    if (loop->has_process) {
        rki_process_words(r, loop, process);
        rki_row_say(r, "Figures on the whole process: %s", process);
        rki_reduction(r, loop);
    }
    rki_row_gap(r);
    rki_row_list(r, "settings");
    for (i = 0; i < results->count; i++) {
        add_tuning(r, loop, results, i);
    }
    rki_row_end(r);
    rki_row_gap(r);
    if (results->speeds) {
        rki_row_note(
            r, "A larger lambda gives more margin (Ms nearer 1) and slower recovery (load "
               "IAE). With Ms of 1.4 to 1.6 a loop tolerates most errors of its model, beyond "
               "2 few.");
        return RK_OK;
    }
    add_conditions(r, loop, results);
    add_notes(r, results);
    return RK_OK;
}

/* One controller as a form writes it; without that form nothing but its name. */
static void add_form(rk_report *r, const rk_design *loop, rk_form form)
{
    const bool parallel = form == RK_FORM_PARALLEL;
    const double none = nan("");
    rk_form_values v = {form, none, none, none, none};
    char unit[RKI_UNIT_CHARS];
    double pct;

    (void)rk_settings_to_form(&loop->settings, form, &v, NULL);
    pct = rk_design_kc_pct(loop, v.gain);
    rki_row_group(r, NULL, rk_form_to_text(form), RK_LAYOUT_COLUMN);
    rki_row_word(r, "form", NULL, rk_form_to_text(form));
    rki_kc_unit(loop, unit);
    rki_row_number(r, "gain", "gain kc or kp", v.gain, unit, 5);
    rki_row_number(r, "gain_percent", "gain, % of span per % of span", pct, "", 5);
    rki_row_number(r, "band_percent", "proportional band, % of PV's range",
                   parallel ? none : 100.0 / fabs(pct), "", 5);
    rki_row_number(r, "ti_s", "integral time ti, s", parallel ? none : v.integral, "", 5);
    rki_row_number(r, NULL, "integral time ti, min", parallel ? none : v.integral / 60.0, "",
                   5);
    rki_row_number(r, "repeats_per_min", "integral action, repeats per min",
                   parallel ? none : 60.0 / v.integral, "", 5);
    rki_row_amount(r, "ki", "integral gain ki", parallel ? v.integral : none, unit, -1, 5);
    rki_row_number(r, "ki_percent_per_min", "ki, % of span per % of span, per min",
                   parallel ? 60.0 * rk_design_kc_pct(loop, v.integral) : none, "", 5);
    rki_row_number(r, "td_s", "derivative time td, s", parallel ? none : v.derivative, "", 5);
    rki_row_number(r, NULL, "derivative time td, min", parallel ? none : v.derivative / 60.0,
                   "", 5);
    rki_row_amount(r, "kd", "derivative gain kd", parallel ? v.derivative : none, unit, 1, 5);
    rki_row_number(r, "kd_percent_min", "kd, % of span per % of span, min",
                   parallel ? rk_design_kc_pct(loop, v.derivative) / 60.0 : none, "", 5);
    rki_row_number(r, "tf_s", "derivative filter tf, s", v.tf, "", 5);
    rki_row_number(r, NULL, "td / tf", v.tf > 0 && !parallel ? v.derivative / v.tf : none, "",
                   4);
    rki_row_end(r);
}

rk_status rk_report_add_forms(rk_report *report, const rk_design *loop)
{
    rk_report *r = report;
    rk_diag why = {RK_OK, ""};
    rk_form_values v;
    int i;

    if (loop == NULL) return RK_ERR_ARG;
    rki_row_say(r, "%s, %s action: %s", rk_settings_mode(&loop->settings),
                loop->settings.kc < 0 ? "direct" : "reverse",
                loop->settings.kc < 0 ? "OUT rises with PV" : "OUT falls as PV rises");
    if (loop->settings.kc < 0) {
        rki_row_say(r,
                    "Type either the minus, or action direct and the gains without it: never "
                    "both. Before automatic, raise OUT a little in manual: PV must fall.");
    } else {
        rki_row_say(r, "Before automatic, raise OUT a little in manual: PV must rise.");
    }
    rki_row_gap(r);
    rki_row_list(r, "forms");
    for (i = 0; i < 3; i++) {
        add_form(r, loop, (rk_form)i);
    }
    rki_row_end(r);
    if (isnan(loop->pv_low) || isnan(loop->out_low)) {
        rki_row_gap(r);
        rki_row_note(r, "Percent needs both ranges: give [pv] and [out] low and high.");
    }
    if (rk_settings_to_form(&loop->settings, RK_FORM_SERIES, &v, &why) != RK_OK) {
        rki_row_gap(r);
        rki_row_note(r, "%s", why.text);
    }
    return RK_OK;
}

/* ---- in order of a column ---- */

enum { BY_RULE, BY_MODE, COLUMNS = 12 };

static double value_of(const rk_tuning *t, const rk_performance *p, int column)
{
    const rk_settings *s = &t->settings;
    const double values[COLUMNS] = {0,
                                    0,
                                    s->kc,
                                    s->ti,
                                    s->td,
                                    p->margins.gain_margin,
                                    p->margins.phase_margin,
                                    p->margins.ms,
                                    p->overshoot,
                                    p->settling,
                                    p->load_iae,
                                    p->travel};

    return t->usable ? fabs(values[column]) : nan("");
}

static bool comes_before(const rk_tuning *list, const rk_performance *performance, size_t a,
                         size_t b, int column)
{
    const double left = value_of(&list[a], &performance[a], column);
    const double right = value_of(&list[b], &performance[b], column);

    if (column == BY_RULE) return strcmp(list[a].rule, list[b].rule) < 0;
    if (column == BY_MODE) return strcmp(list[a].mode, list[b].mode) < 0;
    if (isnan(left)) return false;
    return isnan(right) || left < right;
}

rk_status rk_tunings_sort(rk_tuning *list, rk_performance *performance, size_t count,
                          const char *by, rk_diag *diag)
{
    static const char *const columns[COLUMNS + 1] = {
        "rule", "mode",      "kc",       "ti",       "td",     "gain-margin", "phase-margin",
        "ms",   "overshoot", "settling", "load-iae", "travel", NULL};
    size_t i, k;
    int column = 0;

    rk_diag_clear(diag);
    if (list == NULL || performance == NULL || by == NULL) return RK_ERR_ARG;
    while (column < COLUMNS && strcasecmp(columns[column], by) != 0) {
        column++;
    }
    if (column == COLUMNS) {
        char what[64];

        (void)snprintf(what, sizeof what, "column '%.40s'", by);
        return rk_word_unknown(columns, what, by, diag);
    }
    for (i = 1; i < count; i++) {
        for (k = i; k > 0 && comes_before(list, performance, k, k - 1, column); k--) {
            const rk_tuning tuning = list[k];
            const rk_performance moved = performance[k];

            list[k] = list[k - 1];
            performance[k] = performance[k - 1];
            list[k - 1] = tuning;
            performance[k - 1] = moved;
        }
    }
    return RK_OK;
}
