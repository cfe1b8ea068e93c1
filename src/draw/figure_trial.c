/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <stdio.h>

#include "figure_parts.h"
#include "gnuplot.h"

static void trial_title(rk_text *script, const rk_loop_design *loop, const rk_trial_plan *plan,
                        const rk_figure_style *style)
{
    const double unit = rki_time_unit(style);
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

    rki_with_units(label, sizeof label, "SP and PV", loop->pv_units);
    rki_panel_upper(script, style, label);
    rk_text_add(script,
                "set offsets 0,0,graph 0.05,graph 0.05\nplot $sp with steps dt 2 lw 2 lc rgb "
                "'#000000' title 'SP'");
    for (i = 0; i < count; i++) {
        rki_plot_pv(script, i, rk_trial_name(trials[i]));
    }
    rk_text_add(script, "\n");
}

static void draw_lower(rk_text *script, const rk_loop_design *loop,
                       const rk_trial *const *trials, size_t count,
                       const rk_figure_style *style)
{
    char label[80];

    rki_with_units(label, sizeof label, "OUT", loop->out_units);
    rki_panel_lower(script, style, label);
    rk_text_add(script, "plot ");
    rki_plot_outs(script, count);
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
        const double unit = rki_time_unit(style);

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
