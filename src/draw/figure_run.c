/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>

#include "figure_parts.h"
#include "gnuplot.h"

static void add_data(rk_text *script, const rk_run_curves *runs, size_t count, double unit)
{
    char block[32];
    size_t i;

    for (i = 0; i < count; i++) {
        const rk_run_curves *r = &runs[i];
        const rki_curve pv = {r->time, 0, 0, unit, r->pv, r->count, 0, 0};
        const rki_curve sp = {r->time, 0, 0, unit, r->sp, r->count, 0, 0};
        const rki_curve out = {r->time, 0, 0, unit, r->out, r->count, 0, 0};

        (void)snprintf(block, sizeof block, "pv%zu", i);
        rki_add_curve(script, block, &pv);
        (void)snprintf(block, sizeof block, "sp%zu", i);
        rki_add_steps(script, block, &sp);
        (void)snprintf(block, sizeof block, "out%zu", i);
        rki_add_steps(script, block, &out);
    }
}

static void draw_upper(rk_text *script, const rk_design *loop, const rk_run_curves *runs,
                       size_t count, const rk_figure_style *style)
{
    char label[80];
    size_t i;

    rki_with_units(label, sizeof label, "SP and PV", loop->pv_units);
    rki_panel_upper(script, style, label);
    rk_text_add(script, "set offsets 0,0,graph 0.05,graph 0.05\nplot ");
    for (i = 0; i < count; i++) {
        if (i > 0 && runs[i].sp == runs[0].sp) continue;
        rk_text_add(script, "%s$sp%zu with lines dt 2 lw 2 lc rgb '%s' title ",
                    i > 0 ? ", " : "", i, i == 0 ? "#000000" : "#888888");
        rki_add_quoted(script, i == 0 ? "SP" : "SP, stepped");
    }
    for (i = 0; i < count; i++) {
        rki_plot_pv(script, i, runs[i].name);
    }
    rk_text_add(script, "\n");
}

static void draw_lower(rk_text *script, const rk_design *loop, size_t count,
                       const rk_figure_style *style)
{
    char label[80];

    rki_with_units(label, sizeof label, "OUT", loop->out_units);
    rki_panel_lower(script, style, label);
    rk_text_add(script, "plot ");
    rki_plot_outs(script, count);
    rk_text_add(script, "\nunset multiplot\n");
}

rk_status rk_figure_run(const rk_design *loop, const char *what, const rk_run_curves *runs,
                        size_t count, const rk_figure_style *style, rk_text *image,
                        rk_diag *diag)
{
    char title[160];
    rk_text *script;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || what == NULL || runs == NULL || count == 0 || style == NULL ||
        image == NULL) {
        return RK_ERR_ARG;
    }
    script = rk_text_create();
    if (script != NULL) {
        add_data(script, runs, count, rki_time_unit(style));
        (void)snprintf(title, sizeof title, "%s: %s, scan %g s", loop->name, what, loop->ts);
        rki_page_begin(script, style, title);
        rk_text_add(script, "set xrange [0:");
        rk_text_add_real(script, runs[0].time[runs[0].count - 1] / rki_time_unit(style));
        rk_text_add(script, "]\n");
        draw_upper(script, loop, runs, count, style);
        draw_lower(script, loop, count, style);
    }
    status = rki_gnuplot_run(script, image, diag);
    rk_text_free(script);
    return status;
}
