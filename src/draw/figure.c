/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/memory.h>

#include "figure_parts.h"
#include "gnuplot.h"

/* Colours that the colour-blind tell apart too; every line also has a dash of its own. */
const char *const rki_colours[RKI_COLOURS] = {"#0072b2", "#d55e00", "#009e73",
                                              "#cc79a7", "#e69f00", "#56b4e9"};

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

double rki_time_unit(const rk_figure_style *style)
{
    return style->minutes ? 60.0 : 1.0;
}

void rki_with_units(char *label, size_t room, const char *what, const char *units)
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
    const double unit = rki_time_unit(style);
    const double tau[2] = {fit->tau95[0][0] / unit, fit->tau95[0][1] / unit};
    const double theta[2] = {fit->dead_time95[0] / unit, fit->dead_time95[1] / unit};
    const char *time = style->minutes ? "min" : "s";
    char gain_unit[RK_GAIN_UNIT_CHARS], words[3][160] = {"", "", ""}, title[640];

    rk_loop_design_gain_unit(loop, fit->model.kind, gain_unit);
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
    const double unit = rki_time_unit(style);
    rki_curve curve = {time, time[0], 0, unit, rk_record_pv(record), rk_record_rows(record),
                       0,    0};
    char label[80];

    rki_add_curve(script, "pv", &curve);
    curve.y = model;
    rki_add_curve(script, "model", &curve);
    curve.y = rk_record_out(record);
    rki_add_steps(script, "out", &curve);

    fit_title(loop, fit, style, script);
    rki_with_units(label, sizeof label, "PV", loop->pv_units);
    rki_panel_upper(script, style, label);
    rk_text_add(script, "set xrange [0:");
    rk_text_add_real(script, (time[curve.count - 1] - time[0]) / unit);
    rk_text_add(script, "]\n");
    mark_dead_time(script, record, fit, unit);
    rk_text_add(script,
                "plot $pv with points pt 7 ps 0.4 lc rgb '#8c8c8c' title 'PV, recorded', "
                "$model with lines lw 2.5 lc rgb '%s' title 'model'\n",
                rki_colours[1]);
    rki_with_units(label, sizeof label, "OUT", loop->out_units);
    rki_panel_lower(script, style, label);
    rk_text_add(script,
                "set offsets 0,0,graph 0.1,graph 0.1\n"
                "plot $out with lines lw 2.5 lc rgb '%s' notitle\nunset multiplot\n",
                rki_colours[0]);
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
