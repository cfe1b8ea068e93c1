/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/loop/design_text.h>
#include <redkettle/emit/program_files.h>
#include <redkettle/report/program_sheet.h>

#include "assets.h"
#include "parts.h"

/* ---- 1: the verdict ---- */

/* Why there is no verdict, and what to do. */
static void say_no_verdict(rki_writer *w)
{
    const rki_page_work *k = w->work;

    rk_text_add(w->html, "<p class=\"verdict bad\"><strong>NO VERDICT</strong>: ");
    if (!k->loop.has_model && k->page->record == NULL) {
        rk_text_add(w->html,
                    "the loop has no model and no record. What to do: make a step test with "
                    "bump, or import one, and fit it.");
    } else if (!k->loop.has_model) {
        rk_text_add(w->html, "the record gives no usable model");
        if (k->why_no_fit[0] != '\0') {
            rk_text_add(w->html, ": ");
            rk_html_add(w->html, k->why_no_fit);
        }
        rk_text_add(w->html, ". What to do: see the next section.");
    } else if (!k->loop.has_settings) {
        rk_text_add(w->html,
                    "the loop has no settings yet. What to do: choose a rule below, or try "
                    "some in the workbench, and save them with tune.");
    } else {
        rk_html_add(w->html, k->why_no_check);
    }
    rk_text_add(w->html, "</p>\n");
}

enum { ORIGINS_MOST = 4, ORIGIN_CHARS = 140 };

static const char *or_empty(const char *text)
{
    return text != NULL ? text : "";
}

/* The record's first and last time as they stand in it. */
static rk_origin record_origin(const rk_page *p, char when[ORIGIN_CHARS],
                               char from[ORIGIN_CHARS])
{
    (void)snprintf(when, ORIGIN_CHARS, "%s", "");
    if (p->record == NULL) {
        (void)snprintf(from, ORIGIN_CHARS,
                       p->record_is_lost ? "%.80s, which could not be read" : "none",
                       p->loop->record_file);
        return (rk_origin){"Record", when, from};
    }
    (void)snprintf(when, ORIGIN_CHARS, "no date in it");
    if (p->import != NULL && !p->import->time_is_number) {
        (void)snprintf(when, ORIGIN_CHARS, "%s to %s", p->import->first_stamp,
                       p->import->last_stamp);
    }
    (void)snprintf(from, ORIGIN_CHARS, "%.80s, %zu rows", p->loop->record_file,
                   rk_record_rows(p->record));
    return (rk_origin){"Record", when, from};
}

static rk_origin model_origin(const rki_page_work *k, char from[ORIGIN_CHARS])
{
    const rk_page *p = k->page;

    if (k->fitted_model) {
        return (rk_origin){"Model", or_empty(p->made), "fitted to the record for this report"};
    }
    (void)snprintf(from, ORIGIN_CHARS, "%.80s, %s%s", or_empty(p->loop_file),
                   k->loop.has_process ? "[process]; rules take its reduction" : "[model], ",
                   k->loop.has_process ? "" : rk_model_kind_to_text(k->loop.model.kind));
    return (rk_origin){"Model", or_empty(p->loop_saved), from};
}

/* The date of each step, and where its numbers come from. */
static void add_origins(rki_writer *w)
{
    const rki_page_work *k = w->work;
    const rk_page *p = k->page;
    char when[ORIGIN_CHARS], record[ORIGIN_CHARS], model[ORIGIN_CHARS], settings[ORIGIN_CHARS];
    rk_origin list[ORIGINS_MOST];
    rk_report *report = rki_page_report(w);
    size_t count = 0;

    list[count++] = record_origin(p, when, record);
    if (k->loop.has_model) {
        list[count++] = model_origin(k, model);
    }
    if (k->loop.has_settings) {
        (void)snprintf(settings, sizeof settings, "%.80s, [settings], %s%s",
                       or_empty(p->loop_file), k->loop.rule[0] != '\0' ? "rule " : "by hand",
                       k->loop.rule);
        list[count++] = (rk_origin){"Settings", or_empty(p->loop_saved), settings};
    }
    list[count++] = (rk_origin){"Verdict, margins, program text", or_empty(p->made),
                                "computed for this report"};
    rki_page_put(w, report, rk_report_add_origins(report, list, count));
}

/* What limits a loop that is as it should be, and what comes next; of another the remedies stand above. */
static void say_what_to_do(rki_writer *w)
{
    const rki_page_work *k = w->work;
    rk_report *report = rki_page_report(w);

    rki_page_put(w, report, rk_report_add_nearest(report, &k->loop, &k->check));
    if (k->check.verdict.met) {
        rki_page_say(
            w, "What to do: emit the program text, prove it, load it into the PLC; start in "
               "manual, and change to automatic when PV is steady.");
    }
}

void rki_page_verdict(rki_writer *w)
{
    const rki_page_work *k = w->work;
    rk_report *loop = rki_page_report(w);

    if (k->has_check) {
        rk_report *report = rki_page_report(w);

        rki_page_put(w, report,
                     rk_report_add_check_part(report, &k->loop, &k->plan, &k->check,
                                              RK_CHECK_JUDGEMENT));
        say_what_to_do(w);
    } else {
        say_no_verdict(w);
    }
    rki_page_put(w, loop, rk_report_add_loop(loop, &k->loop));
    add_origins(w);
}

/* ---- 2: the record and its model ---- */

static rk_status draw_inspection(const rki_page_work *k, const rk_figure_style *style,
                                 rk_text *image, rk_diag *diag)
{
    return rk_figure_inspect(&k->loop, k->page->record, &k->inspection, &k->seen, style, image,
                             diag);
}

static rk_status draw_fit(const rki_page_work *k, const rk_figure_style *style, rk_text *image,
                          rk_diag *diag)
{
    return rk_figure_fit(&k->loop, k->page->record, &k->fit, &k->hand,
                         k->has_rival ? &k->rival : NULL, style, image, diag);
}

static void add_fit(rki_writer *w)
{
    const rki_page_work *k = w->work;
    const rk_fit_results results = {.fit = &k->fit,
                                    .hand = &k->hand,
                                    .validation = k->has_validation ? &k->validation : NULL,
                                    .validated_on = k->page->validation_file,
                                    .rival = k->has_rival ? &k->rival : NULL,
                                    .record = &k->slips};
    rk_report *report = rki_page_report(w);

    rk_text_add(w->html, "<h3>The model</h3>\n");
    rki_page_put(w, report, rk_report_add_fit(report, &k->loop, &results));
    if (k->has_rival) {
        rki_page_say(
            w, "The loop file's own model is another one than this record gives; it is drawn "
               "beside it, and all that follows is of the loop file's model.");
    }
    rki_page_figure(w, draw_fit,
                    "PV with the model over it; what is left, in its noise band; OUT.");
}

void rki_page_record(rki_writer *w)
{
    const rki_page_work *k = w->work;

    if (k->page->record_is_lost) {
        rki_page_say(
            w,
            "The record %s could not be read when this report was made: nothing here is held "
            "against it.",
            k->loop.record_file);
        return;
    }
    if (k->page->record == NULL) {
        rki_page_say(w, "There is no record: %s",
                     k->loop.has_model
                         ? "the model was given, and nothing here says how sure it is "
                           "beyond its tolerances."
                         : "make a step test, or import one.");
        return;
    }
    if (k->has_inspection) {
        rk_report *report = rki_page_report(w);

        rk_text_add(w->html, "<h3>The record</h3>\n");
        rki_page_put(
            w, report,
            rk_report_add_inspection(report, &k->loop, &k->inspection, &k->seen,
                                     k->page->import != NULL ? k->page->import->dropped : 0));
        rki_page_figure(
            w, draw_inspection,
            "PV in its noise band; OUT with its moves; what was found, where it was.");
    }
    if (w->result->drawn < w->result->rows) {
        rki_page_say(
            w,
            "The figures show at most %zu of the %zu rows, the lowest and the highest of "
            "each stretch; all rows were used to compute.",
            w->result->drawn, w->result->rows);
    }
    if (k->has_fit) {
        add_fit(w);
    } else {
        rki_page_say(w, "No model could be fitted: %s", k->why_no_fit);
    }
}

/* ---- 3: rules and settings ---- */

static rk_status draw_speeds(const rki_page_work *k, const rk_figure_style *style,
                             rk_text *image, rk_diag *diag)
{
    return rk_figure_speeds(&k->loop, k->speeds, RK_TUNING_SPEEDS, style, image, diag);
}

static void add_rules(rki_writer *w)
{
    const rki_page_work *k = w->work;
    const rk_knobs knobs = rk_knobs_make();
    const rk_tune_results results = {.tuning = k->rules,
                                     .performance = k->performance,
                                     .count = k->rule_count,
                                     .form = RK_FORM_IDEAL,
                                     .knobs = &knobs};
    rk_report *report = rki_page_report(w);

    rk_text_add(w->html, "<h3>Published rules side by side</h3>\n");
    rki_page_put(w, report, rk_report_add_tunings(report, &k->loop, &results));
    if (k->has_speeds) {
        rki_page_figure(w, draw_speeds,
                        "One rule from fast to slow: a setpoint step and a load step.");
    }
}

/* What is typed into a block that stands there. */
static void add_forms(rki_writer *w)
{
    const rki_page_work *k = w->work;
    rk_report *report = rki_page_report(w);

    rk_text_add(w->html, "<h3>The settings in every form and unit, to be typed in</h3>\n");
    rki_page_put(w, report, rk_report_add_forms(report, &k->loop));
}

void rki_page_settings(rki_writer *w)
{
    const rki_page_work *k = w->work;

    if (k->loop.has_settings && !rk_settings_is_on_off(&k->loop.settings)) {
        add_forms(w);
    } else if (k->loop.has_settings) {
        rki_page_say(w, "Two-position control has no forms to be typed in.");
    }
    if (k->rule_count > 0) {
        add_rules(w);
    } else {
        rki_page_say(w, "No rule gives settings %s.",
                     k->loop.has_model ? "for this model" : "without a model");
    }
}

/* ---- 4: margins and limits ---- */

static rk_status draw_frequency(const rki_page_work *k, const rk_figure_style *style,
                                rk_text *image, rk_diag *diag)
{
    return rk_figure_frequency(&k->loop, &k->check, &k->plan, style, image, diag);
}

static rk_status draw_trial(const rki_page_work *k, const rk_figure_style *style,
                            rk_text *image, rk_diag *diag)
{
    const rk_trial *const list[] = {k->trial};

    return rk_figure_trial(&k->loop, &k->trial_plan, list, 1, NULL, style, image, diag);
}

static void add_check_part(rki_writer *w, rk_check_part part)
{
    const rki_page_work *k = w->work;
    rk_report *report = rki_page_report(w);

    rki_page_put(w, report,
                 rk_report_add_check_part(report, &k->loop, &k->plan, &k->check, part));
}

static void add_trial(rki_writer *w)
{
    const rki_page_work *k = w->work;
    const rk_trial *const list[] = {k->trial};
    const rk_trials results = {.trial = list, .count = 1, .plan = &k->trial_plan};
    rk_report *report = rki_page_report(w);

    rk_text_add(w->html, "<h3>A setpoint step and a load step, on paper</h3>\n");
    rki_page_put(w, report, rk_report_add_trials(report, &k->loop, &results));
    rki_page_figure(w, draw_trial, "Setpoint and PV; OUT, for the settings of the loop file.");
}

void rki_page_margins(rki_writer *w)
{
    const rki_page_work *k = w->work;

    if (!k->has_check) {
        rki_page_say(w, "Margins need a model and settings.");
        return;
    }
    add_check_part(w, RK_CHECK_MARGINS);
    rk_text_add(w->html, "<h3>How far kc may go</h3>\n");
    if (rk_gain_bar_to_svg(&k->loop, &k->check.requirements, &k->check.gain, w->html,
                           w->diag) == RK_ERR_MEMORY) {
        w->status = RK_ERR_MEMORY;
    }
    if (rk_check_judged(&k->check)->stable) {
        rki_page_figure(
            w, draw_frequency,
            "The open loop over frequency, the margins marked; and in the plane, with the "
            "circle that Ms keeps free.");
    }
    rk_text_add(w->html, "<h3>The valve and the integral</h3>\n");
    add_check_part(w, RK_CHECK_LIMITS);
    if (k->trial != NULL) {
        add_trial(w);
    }
}

/* ---- 5: the workbench ---- */

static void add_attribute(rki_writer *w, const char *name, const char *value)
{
    rk_text_add(w->html, " data-%s=\"", name);
    rk_html_add(w->html, value);
    rk_text_add(w->html, "\"");
}

static void add_attributes(rki_writer *w)
{
    const rk_design *d = &w->work->loop;
    char file[(4 * RK_PATH_CHARS) + 4], kc[(2 * RK_UNITS_CHARS) + 4];

    (void)snprintf(kc, sizeof kc, "%s/%s", d->out_units, d->pv_units);
    add_attribute(w, "file",
                  rk_shell_word(or_empty(w->work->page->loop_file), file, sizeof file));
    add_attribute(w, "pv", d->pv_units);
    add_attribute(w, "out", d->out_units);
    add_attribute(w, "kc-unit", kc);
    add_attribute(w, "minutes", w->work->page->minutes ? "yes" : "");
}

void rki_page_workbench(rki_writer *w)
{
    rk_text *loop;

    if (w->result->has_workbench) {
        add_attributes(w);
    }
    rk_text_add(w->html, "><h2>5 Workbench</h2>\n");
    if (!rk_page_has_workbench()) {
        rki_page_say(
            w, "This report was made by a redkettle without the workbench, in which settings "
               "are tried by sliders. To have it: make report, where Red Kettle was built, "
               "and make this report again.");
        return;
    }
    if (!w->result->has_workbench) {
        rki_page_say(w, w->work->loop.has_model
                            ? "Two-position control has no settings to be tried by sliders."
                            : "Without a model there is nothing to try settings on.");
        return;
    }
    rk_text_add(w->html,
                "<noscript><p>The workbench needs a browser that runs scripts; all else on "
                "this page is there without.</p></noscript>\n");
    rk_text_add_bytes(w->html, (const char *)rki_workbench_html, rki_workbench_html_length);
    loop = rk_text_create();
    w->status = rk_design_to_text(&w->work->loop, loop, w->diag);
    rk_text_add(w->html, "<pre id=\"loop-text\" hidden>\n");
    if (w->status == RK_OK) {
        rk_html_add(w->html, rk_text_chars(loop));
    }
    rk_text_add(w->html, "</pre>\n");
    rk_text_free(loop);
}

/* ---- 6: the program text ---- */

/* One file's text; false, and it is said why, if there is none. */
static bool add_text(rki_writer *w, rk_program_file file, const char *class_name)
{
    rk_text *text = rk_text_create();
    char path[RK_PROGRAM_PATH_CHARS];
    rk_diag why;
    const rk_status status = rk_program_text(&w->work->loop, file, RK_NUMBER_LREAL, text, &why);

    if (status == RK_OK && rk_text_check(text, NULL) == RK_OK) {
        rk_program_path("", &w->work->loop, file, RK_NUMBER_LREAL, path);
        rk_text_add(w->html, "<div class=\"%s\"><h3>", class_name);
        rk_html_add(w->html, path[0] == '/' ? path + 1 : path);
        rk_text_add(w->html, "</h3>\n<p class=\"soft\">");
        rk_html_add(w->html, rk_program_meaning(file));
        rk_text_add(w->html, "</p>\n<div class=\"copied\"><pre class=\"text\" tabindex=\"0\">");
        rk_html_add(w->html, rk_text_chars(text));
        rk_text_add(w->html, "</pre></div></div>\n");
    } else {
        rki_page_say(w, "There is no program text: %s", why.text);
    }
    rk_text_free(text);
    return status == RK_OK;
}

void rki_page_program(rki_writer *w)
{
    const rki_page_work *k = w->work;

    if (!k->loop.has_settings) {
        rki_page_say(w, "There is no program text yet: it needs settings.");
        return;
    }
    if (k->has_check && !rk_check_judged(&k->check)->stable) {
        rki_page_say(w,
                     "The loop is unstable on its model: its program text is not given away.");
        return;
    }
    rki_page_say(
        w, "Structured Text by IEC 61131-3 of the settings in the loop file. emit writes it, "
           "with the same in C, XML, a twin of the plant and test vectors; prove proves it.");
    if (add_text(w, RK_PROGRAM_PROGRAM, "own")) {
        (void)add_text(w, RK_PROGRAM_GENERAL_ST, "on-screen");
    }
}
