/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/memory.h>

#include "gnuplot.h"

/* Colours that the colour-blind tell apart too; every line also has a dash of its own. */
static const char *const colours[] = {"#0072b2", "#d55e00", "#009e73",
                                      "#cc79a7", "#e69f00", "#56b4e9"};
enum { COLOURS = sizeof colours / sizeof colours[0] };

rk_status rk_figure_format_from_name(const char *name, rk_figure_format *format, rk_diag *diag)
{
    static const char *const endings[] = {".png", ".svg", ".pdf"};
    size_t length, i;

    if (name == NULL || format == NULL) return RK_ERR_ARG;
    if (strcmp(name, "-") == 0) {
        *format = RK_FIGURE_TERMINAL;
        return RK_OK;
    }
    length = strlen(name);
    for (i = 0; i < 3; i++) {
        if (length > 4 && strcmp(name + length - 4, endings[i]) == 0) {
            *format = (rk_figure_format)i;
            return RK_OK;
        }
    }
    return rk_diag_set(
        diag, RK_ERR_RANGE,
        "figure '%s': give a name ending in .png, .svg or .pdf, or - for the terminal", name);
}

static double time_unit(const rk_figure_style *style)
{
    return style->minutes ? 60.0 : 1.0;
}

static void with_units(char *label, size_t room, const char *what, const char *units)
{
    (void)snprintf(label, room, "%s, %s", what, units);
}

static void interval_words(char *words, size_t room, const char *what, double value,
                           const double *interval, const char *unit)
{
    if (isfinite(interval[0]) && isfinite(interval[1])) {
        (void)snprintf(words, room, "%s %.4g (%.4g to %.4g) %s", what, value, interval[0],
                       interval[1], unit);
    } else {
        (void)snprintf(words, room, "%s %.4g %s (not known)", what, value, unit);
    }
}

static void fit_title(const rk_loop_design *loop, const rk_fit *fit,
                      const rk_figure_style *style, rk_text *script)
{
    const double unit = time_unit(style);
    const double tau[2] = {fit->tau95[0] / unit, fit->tau95[1] / unit};
    const double theta[2] = {fit->dead_time95[0] / unit, fit->dead_time95[1] / unit};
    const char *time = style->minutes ? "min" : "s";
    const bool integrates = rk_model_kind_integrates(fit->model.kind);
    char gain_unit[2 * RK_UNITS_CHARS + 8], words[3][160] = {"", "", ""}, title[640];

    (void)snprintf(gain_unit, sizeof gain_unit, integrates ? "%s/(%s s)" : "%s/%s",
                   loop->pv_units, loop->out_units);
    interval_words(words[0], sizeof words[0], "gain", fit->model.gain, fit->gain95, gain_unit);
    if (rk_model_kind_times(fit->model.kind) > 0) {
        interval_words(words[1], sizeof words[1], ",  time constant",
                       fit->model.time_constant[0] / unit, tau, time);
    }
    interval_words(words[2], sizeof words[2], "dead time", fit->model.dead_time / unit, theta,
                   time);
    (void)snprintf(title, sizeof title,
                   "%s: %s, explains %.1f %% of PV's movement (in brackets: 95 %%)", loop->name,
                   rk_model_kind_words(fit->model.kind), fit->fit_percent);
    rki_page_begin(script, style, title);
    (void)snprintf(title, sizeof title, "%s%s,  %s", words[0], words[1], words[2]);
    rk_text_add(script, "set label 2 ");
    rki_add_quoted(script, title);
    rk_text_add(script, " at screen 0.09,0.925 left%s\n",
                style->format == RK_FIGURE_TERMINAL ? "" : " font ',12'");
}

/* Where OUT first moves, s from the first row. */
static double first_move(const rk_record *record)
{
    const double *out = rk_record_out(record), *time = rk_record_time(record);
    size_t i;

    for (i = 1; i < rk_record_rows(record); i++) {
        if (out[i] != out[0]) return time[i] - time[0];
    }
    return 0;
}

/* Two upright lines: OUT moves; the dead time later PV begins to. */
static void mark_dead_time(rk_text *script, const rk_record *record, const rk_fit *fit,
                           double unit)
{
    const double at[2] = {first_move(record) / unit,
                          (first_move(record) + fit->model.dead_time) / unit};
    int i;

    for (i = 0; i < 2; i++) {
        rk_text_add(script, "set arrow %d from ", i + 1);
        rk_text_add_real(script, at[i]);
        rk_text_add(script, ", graph 0 to ");
        rk_text_add_real(script, at[i]);
        rk_text_add(script, ", graph 1 nohead dt 3 lc rgb '#555555'\n");
    }
    rk_text_add(script, "set label 3 ' dead time' at ");
    rk_text_add_real(script, at[1]);
    rk_text_add(script, ", graph 0.04 left tc rgb '#555555'\n");
}

static void draw_fit(rk_text *script, const rk_loop_design *loop, const rk_record *record,
                     const rk_fit *fit, const double *model, const rk_figure_style *style)
{
    const double *time = rk_record_time(record);
    const double unit = time_unit(style);
    rki_curve curve = {time, time[0], 0, unit, rk_record_pv(record), rk_record_rows(record),
                       0,    0};
    char label[80];

    rki_add_curve(script, "pv", &curve);
    curve.y = model;
    rki_add_curve(script, "model", &curve);
    curve.y = rk_record_out(record);
    rki_add_steps(script, "out", &curve);

    fit_title(loop, fit, style, script);
    with_units(label, sizeof label, "PV", loop->pv_units);
    rki_panel_upper(script, style, label);
    rk_text_add(script, "set xrange [0:");
    rk_text_add_real(script, (time[curve.count - 1] - time[0]) / unit);
    rk_text_add(script, "]\n");
    mark_dead_time(script, record, fit, unit);
    rk_text_add(script,
                "plot $pv with points pt 7 ps 0.4 lc rgb '#8c8c8c' title 'PV, recorded', "
                "$model with lines lw 2.5 lc rgb '%s' title 'model'\n",
                colours[1]);
    with_units(label, sizeof label, "OUT", loop->out_units);
    rki_panel_lower(script, style, label);
    rk_text_add(script,
                "set offsets 0,0,graph 0.1,graph 0.1\n"
                "plot $out with lines lw 2.5 lc rgb '%s' notitle\nunset multiplot\n",
                colours[0]);
}

rk_status rk_figure_fit(const rk_loop_design *loop, const rk_record *record, const rk_fit *fit,
                        const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    rk_text *script;
    double *model;
    rk_status status;

    if (loop == NULL || record == NULL || fit == NULL || style == NULL || image == NULL) {
        return RK_ERR_ARG;
    }
    script = rk_text_create();
    model = rk_memory_create(rk_record_rows(record), sizeof *model);
    if (script == NULL || model == NULL) {
        status = rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a figure");
    } else {
        status = rk_model_response(&fit->model, record, model, diag);
    }
    if (status == RK_OK) {
        draw_fit(script, loop, record, fit, model, style);
        status = rki_gnuplot_run(script, image, diag);
    }
    rk_memory_free(model);
    rk_text_free(script);
    return status;
}

static void trial_title(rk_text *script, const rk_loop_design *loop, const rk_trial_plan *plan,
                        const rk_figure_style *style)
{
    const double unit = time_unit(style);
    char title[320];
    size_t used = (size_t)snprintf(title, sizeof title, "%s:", loop->name);

    if (plan->sp_step != 0) {
        used += (size_t)snprintf(title + used, sizeof title - used,
                                 "  setpoint %+.4g %s at 0 s", plan->sp_step, loop->pv_units);
    }
    if (plan->load_step != 0) {
        (void)snprintf(title + used, sizeof title - used,
                       "%s  load %+.4g %s at the plant's input at %.4g %s",
                       plan->sp_step != 0 ? "," : "", plan->load_step, loop->out_units,
                       plan->load_at / unit, style->minutes ? "min" : "s");
    }
    rki_page_begin(script, style, title);
}

/* A line at a limit, if OUT was ever on it. */
static void add_limit(rk_text *script, const rk_trial *const *trials, size_t count,
                      double level)
{
    bool reached = false;
    size_t i, scan;

    for (i = 0; i < count; i++) {
        for (scan = 0; scan < rk_trial_scans(trials[i]) && !reached; scan++) {
            reached = rk_trial_out(trials[i])[scan] == level;
        }
    }
    if (!reached) return;
    rk_text_add(script, ", ");
    rk_text_add_real(script, level);
    rk_text_add(script, " with lines dt 3 lw 1.5 lc rgb '#000000' notitle");
}

static void draw_upper(rk_text *script, const rk_loop_design *loop,
                       const rk_trial *const *trials, size_t count,
                       const rk_figure_style *style)
{
    char label[80];
    size_t i;

    with_units(label, sizeof label, "SP and PV", loop->pv_units);
    rki_panel_upper(script, style, label);
    rk_text_add(script,
                "set offsets 0,0,graph 0.05,graph 0.05\nplot $sp with steps dt 2 lw 2 lc rgb "
                "'#000000' title 'SP'");
    for (i = 0; i < count; i++) {
        rk_text_add(script, ", $pv%zu with lines lw 2.5 dt %zu lc rgb '%s' title ", i,
                    i == 0 ? (size_t)1 : (i % 4) + 2, colours[i % COLOURS]);
        rki_add_quoted(script, rk_trial_name(trials[i]));
    }
    rk_text_add(script, "\n");
}

static void draw_lower(rk_text *script, const rk_loop_design *loop,
                       const rk_trial *const *trials, size_t count,
                       const rk_figure_style *style)
{
    char label[80];
    size_t i;

    with_units(label, sizeof label, "OUT", loop->out_units);
    rki_panel_lower(script, style, label);
    rk_text_add(script, "plot ");
    for (i = 0; i < count; i++) {
        rk_text_add(script, "%s$out%zu with lines lw 2.5 dt %zu lc rgb '%s' notitle",
                    i > 0 ? ", " : "", i, i == 0 ? (size_t)1 : (i % 4) + 2,
                    colours[i % COLOURS]);
    }
    if (rk_loop_design_has_out_range(loop)) {
        add_limit(script, trials, count, loop->out_low);
        add_limit(script, trials, count, loop->out_high);
    }
    rk_text_add(script, "\nunset multiplot\n");
}

static void add_trial_data(rk_text *script, const rk_trial *const *trials, size_t count,
                           double lead, double unit)
{
    char block[32];
    size_t i;

    for (i = 0; i < count; i++) {
        const rk_trial *t = trials[i];
        const rki_curve pv = {
            NULL, 0, rk_trial_step(t), unit, rk_trial_pv(t), rk_trial_points(t), 0, 0};
        const rki_curve out = {NULL,
                               0,
                               rk_trial_scan_interval(t),
                               unit,
                               rk_trial_out(t),
                               rk_trial_scans(t),
                               lead,
                               rk_trial_out_start(t)};

        (void)snprintf(block, sizeof block, "pv%zu", i);
        rki_add_curve(script, block, &pv);
        (void)snprintf(block, sizeof block, "out%zu", i);
        rki_add_steps(script, block, &out);
    }
    /* The setpoint of the first case is everyone's; a short lead shows where it came from. */
    rk_text_add(script, "$sp << END\n");
    rk_text_add_real(script, -lead / unit);
    rk_text_add(script, " ");
    rk_text_add_real(script, rk_trial_pv(trials[0])[0]);
    rk_text_add(script, "\n0 ");
    rk_text_add_real(script, rk_trial_sp(trials[0])[0]);
    rk_text_add(script, "\n");
    rk_text_add_real(script, rk_trial_step(trials[0]) *
                                 (double)(rk_trial_points(trials[0]) - 1) / unit);
    rk_text_add(script, " ");
    rk_text_add_real(script, rk_trial_sp(trials[0])[0]);
    rk_text_add(script, "\nEND\n");
}

rk_status rk_figure_trial(const rk_loop_design *loop, const rk_trial_plan *plan,
                          const rk_trial *const *trials, size_t count,
                          const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    rk_text *script;
    double lead;
    rk_status status;

    if (loop == NULL || plan == NULL || trials == NULL || count == 0 || style == NULL ||
        image == NULL) {
        return RK_ERR_ARG;
    }
    script = rk_text_create();
    lead = 0.03 * plan->duration;
    if (script != NULL) {
        const double unit = time_unit(style);

        add_trial_data(script, trials, count, lead, unit);
        trial_title(script, loop, plan, style);
        rk_text_add(script, "set xrange [");
        rk_text_add_real(script, -lead / unit);
        rk_text_add(script, ":");
        rk_text_add_real(script, plan->duration / unit);
        rk_text_add(script, "]\n");
        draw_upper(script, loop, trials, count, style);
        draw_lower(script, loop, trials, count, style);
    }
    status = rki_gnuplot_run(script, image, diag);
    rk_text_free(script);
    return status;
}
