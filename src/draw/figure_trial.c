/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>

#include "figure_parts.h"
#include "gnuplot.h"

static void trial_title(rk_text *script, const rk_design *loop, const rk_trial_plan *plan,
                        const rk_figure_style *style)
{
    const double unit = rki_time_unit(style);
    char title[320];
    size_t used = (size_t)snprintf(title, sizeof title, "%s:", loop->name);

    if (plan->alone) {
        used +=
            (size_t)snprintf(title + used, sizeof title - used,
                             "  the controller alone, error %+.4g %s at %.4g %s", plan->sp_step,
                             loop->pv_units, plan->sp_at / unit, style->minutes ? "min" : "s");
    } else if (plan->sp_step != 0) {
        used += (size_t)snprintf(
            title + used, sizeof title - used, "  setpoint %s %+.4g %s at %.4g %s",
            rk_setpoint_shape_to_text(plan->shape), plan->sp_step, loop->pv_units,
            plan->sp_at / unit, style->minutes ? "min" : "s");
    }
    if (plan->load_step != 0) {
        (void)snprintf(title + used, sizeof title - used,
                       "%s  load %+.4g %s at the plant's %s at %.4g %s",
                       plan->sp_step != 0 ? "," : "", plan->load_step,
                       plan->load_at_output ? loop->pv_units : loop->out_units,
                       plan->load_at_output ? "output" : "input", plan->load_at / unit,
                       style->minutes ? "min" : "s");
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

static void draw_upper(rk_text *script, const rk_design *loop, const rk_trial *const *trials,
                       size_t count, bool overlay, const rk_figure_style *style)
{
    char label[80];
    size_t i;

    rki_with_units(label, sizeof label, "SP and PV", loop->pv_units);
    rki_panel_upper(script, style, label);
    if (count > 2) { /* the names take a second line, and more */
        rk_text_add(script, "set key at screen 0.97,0.935\n");
    }
    rk_text_add(script,
                "set offsets 0,0,graph 0.05,graph 0.05\nplot $sp with lines dt 2 lw 2 lc rgb "
                "'#000000' title 'SP'");
    for (i = 0; i < count; i++) {
        rki_plot_pv(script, i, rk_trial_name(trials[i]));
    }
    if (overlay) {
        rk_text_add(script,
                    ", $recorded_pv with lines lw 1.5 lc rgb '#555555' title 'recorded'");
    }
    rk_text_add(script, "\n");
}

static void draw_lower(rk_text *script, const rk_design *loop, const rk_trial *const *trials,
                       size_t count, bool overlay, const rk_figure_style *style)
{
    char label[80];

    rki_with_units(label, sizeof label, "OUT", loop->out_units);
    rki_panel_lower(script, style, label);
    rk_text_add(script, "plot ");
    rki_plot_outs(script, count);
    if (overlay) {
        rk_text_add(script, ", $recorded_out with lines lw 1.5 lc rgb '#555555' notitle");
    }
    if (rk_design_has_out_range(loop)) {
        add_limit(script, trials, count, loop->out_low);
        add_limit(script, trials, count, loop->out_high);
    }
    rk_text_add(script, "\nunset multiplot\n");
}

static void add_trial_data(rk_text *script, const rk_trial *const *trials, size_t count,
                           bool alone, double lead, double unit)
{
    /* Of a controller alone PV stands at its setpoint before it steps. */
    const double rest = alone ? rk_trial_sp(trials[0])[0] : rk_trial_pv(trials[0])[0];
    char block[32];
    size_t i;

    for (i = 0; i < count; i++) {
        const rk_trial *t = trials[i];
        const rki_curve pv = {
            NULL, 0, rk_trial_step(t), unit, rk_trial_pv(t), rk_trial_points(t), lead, rest};
        const rki_curve out = {NULL,
                               0,
                               rk_trial_scan_interval(t),
                               unit,
                               rk_trial_out(t),
                               rk_trial_scans(t),
                               lead,
                               rk_trial_out_start(t)};

        (void)snprintf(block, sizeof block, "pv%zu", i);
        if (alone) {
            rki_add_steps(script, block, &pv);
        } else {
            rki_add_curve(script, block, &pv);
        }
        (void)snprintf(block, sizeof block, "out%zu", i);
        rki_add_steps(script, block, &out);
    }
    {
        /* The setpoint of the first case is everyone's; a short lead shows where it came from.
         */
        const rki_curve sp = {NULL,
                              0,
                              rk_trial_scan_interval(trials[0]),
                              unit,
                              rk_trial_sp(trials[0]),
                              rk_trial_scans(trials[0]),
                              lead,
                              rest};

        rki_add_steps(script, "sp", &sp);
    }
}

static void add_overlay(rk_text *script, const rk_overlay *overlay, double unit)
{
    const rk_record *record = overlay->record;
    const double *time = rk_record_time(record), zero = time[0] - overlay->shift;
    const size_t rows = rk_record_rows(record);
    const rki_curve pv = {time, zero, 0, unit, rk_record_pv(record), rows, 0, 0};
    const rki_curve out = {time, zero, 0, unit, rk_record_out(record), rows, 0, 0};

    rki_add_curve(script, "recorded_pv", &pv);
    rki_add_steps(script, "recorded_out", &out);
}

rk_status rk_figure_trial(const rk_design *loop, const rk_trial_plan *plan,
                          const rk_trial *const *trials, size_t count,
                          const rk_overlay *overlay, const rk_figure_style *style,
                          rk_text *image, rk_diag *diag)
{
    const bool laid = overlay != NULL && rk_record_rows(overlay->record) > 0;
    rk_text *script;
    double lead;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || plan == NULL || trials == NULL || count == 0 || style == NULL ||
        image == NULL) {
        return RK_ERR_ARG;
    }
    script = rk_text_create();
    lead = 0.03 * plan->duration;
    if (script != NULL) {
        const double unit = rki_time_unit(style);

        add_trial_data(script, trials, count, plan->alone, lead, unit);
        if (laid) {
            add_overlay(script, overlay, unit);
        }
        trial_title(script, loop, plan, style);
        rk_text_add(script, "set xrange [");
        rk_text_add_real(script, -lead / unit);
        rk_text_add(script, ":");
        rk_text_add_real(script, plan->duration / unit);
        rk_text_add(script, "]\n");
        draw_upper(script, loop, trials, count, laid, style);
        draw_lower(script, loop, trials, count, laid && rk_record_moves(overlay->record) > 0,
                   style);
    }
    status = rki_gnuplot_run(script, image, diag);
    rk_text_free(script);
    return status;
}

/* An upright line of marks at a time, with words beside it. */
static void mark_time(rk_text *script, int number, double at, const char *words, double height)
{
    rk_text_add(script, "set arrow %d from ", number);
    rk_text_add_real(script, at);
    rk_text_add(script, ", graph 0 to ");
    rk_text_add_real(script, at);
    rk_text_add(script, ", graph 1 nohead dt 3 lc rgb '#555555'\nset label %d ", number + 10);
    rki_add_quoted(script, words);
    rk_text_add(script, " at ");
    rk_text_add_real(script, at);
    rk_text_add(script, ", graph %.2f left offset 0.7,0 tc rgb '#555555'\n", height);
}

static void mark_level(rk_text *script, int number, double level, const char *words)
{
    rk_text_add(script, "set arrow %d from graph 0, first ", number);
    rk_text_add_real(script, level);
    rk_text_add(script, " to graph 1, first ");
    rk_text_add_real(script, level);
    rk_text_add(script, " nohead dt 3 lc rgb '#555555'\nset label %d ", number + 10);
    rki_add_quoted(script, words);
    rk_text_add(script, " at graph 0.98, first ");
    rk_text_add_real(script, level);
    rk_text_add(script, " right offset 0,-0.8 tc rgb '#555555'\n");
}

rk_status rk_figure_open_step(const rk_design *loop, const rk_open_step *open,
                              const rk_trial *const *trials, size_t count,
                              const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    char words[320], unit_words[RK_GAIN_UNIT_CHARS], label[80];
    rk_text *script;
    rk_status status;
    size_t i;

    rk_diag_clear(diag);
    if (loop == NULL || open == NULL || trials == NULL || count < 1 || style == NULL ||
        image == NULL) {
        return RK_ERR_ARG;
    }
    script = rk_text_create();
    if (script != NULL) {
        const rk_trial *trial = trials[0];
        const double unit = rki_time_unit(style);
        const double length = rk_trial_step(trial) * (double)(rk_trial_points(trial) - 1);
        const char *time = style->minutes ? "min" : "s";

        add_trial_data(script, trials, count, false, 0.03 * length, unit);
        rk_design_gain_unit(loop, loop->model.kind, unit_words);
        (void)snprintf(words, sizeof words, "%s: OUT %+.4g %s, no controller; gain %.4g %s",
                       loop->name, open->out_step, loop->out_units, loop->model.gain,
                       unit_words);
        rki_page_begin(script, style, words);
        rk_text_add(script, "set xrange [");
        rk_text_add_real(script, -0.03 * length / unit);
        rk_text_add(script, ":");
        rk_text_add_real(script, length / unit);
        rk_text_add(script, "]\n");
        rki_with_units(label, sizeof label, "PV", loop->pv_units);
        rki_panel_upper(script, style, label);
        (void)snprintf(words, sizeof words, "dead time %.4g %s", open->dead_time / unit, time);
        mark_time(script, 1, open->dead_time / unit, words, 0.06);
        if (!isnan(open->at_63)) {
            const double way = open->pv_end - loop->model.pv0;

            (void)snprintf(words, sizeof words, "63.2 %% after %.4g %s", open->at_63 / unit,
                           time);
            mark_time(script, 2, open->at_63 / unit, words, 0.5);
            (void)snprintf(words, sizeof words, "28.3 %% after %.4g %s", open->at_28 / unit,
                           time);
            mark_time(script, 5, open->at_28 / unit, words, 0.28);
            mark_level(script, 6, loop->model.pv0 + (0.283 * way), "28.3 %");
            (void)snprintf(words, sizeof words, "rests at %.5g %s", open->pv_end,
                           loop->pv_units);
            mark_level(script, 3, open->pv_end, words);
            mark_level(script, 4, loop->model.pv0 + (0.632 * way), "63.2 %");
        }
        rk_text_add(script, "%sset offsets 0,0,graph 0.08,graph 0.08\nplot NaN notitle",
                    count > 1 ? "" : "unset key\n");
        rki_plot_pv(script, 0, count > 1 ? "the whole" : "PV");
        for (i = 1; i < count; i++) {
            rki_plot_pv(script, i, rk_trial_name(trials[i]));
        }
        rk_text_add(script, "\n");
        rki_with_units(label, sizeof label, "OUT", loop->out_units);
        rki_panel_lower(script, style, label);
        rk_text_add(script, "set offsets 0,0,graph 0.15,graph 0.15\nplot ");
        rki_plot_outs(script, 1);
        rk_text_add(script, "\nunset multiplot\n");
    }
    status = rki_gnuplot_run(script, image, diag);
    rk_text_free(script);
    return status;
}
