/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>

#include "figure_parts.h"
#include "gnuplot.h"

/* Costs beyond this many times the best are all drawn alike. */
#define WORST 5.0
/* Contours of Ms. */
static const char levels[] = "1.2,1.4,1.6,2.0";

typedef enum layer { COST, MS, MET } layer;

static double value_of(const rk_grid_point *p, layer what, double lowest)
{
    if (what == MET) return p->met ? 1.0 : 0.0;
    if (!p->stable) return what == MS ? 10.0 : WORST * lowest;
    if (what == MS) return fmin(p->figure[RK_REQUIRE_MS], 10.0);
    return fmin(p->cost, WORST * lowest);
}

/* A matrix of one layer, a row each ti, with a blank line between as a surface wants it. */
static void add_layer(rk_text *script, const char *name, const rk_grid *g,
                      const rk_grid_point *points, layer what, double lowest, double unit)
{
    size_t k, i;

    rk_text_add(script, "$%s << END\n", name);
    for (i = 0; i < g->ti.count; i++) {
        for (k = 0; k < g->kc.count; k++) {
            rk_text_add_real(script, rk_grid_value(&g->kc, k));
            rk_text_add(script, " ");
            rk_text_add_real(script, rk_grid_value(&g->ti, i) / unit);
            rk_text_add(script, " ");
            rk_text_add_real(script, value_of(&points[(i * g->kc.count) + k], what, lowest));
            rk_text_add(script, "\n");
        }
        rk_text_add(script, "\n");
    }
    rk_text_add(script, "END\n");
}

static void add_contours(rk_text *script)
{
    rk_text_add(script,
                "set contour base\nunset surface\nset cntrparam linear\n"
                "set cntrparam levels discrete %s\nset table $ms_lines\nsplot $ms using 1:2:3\n"
                "unset table\nset cntrparam levels discrete 0.5\nset table $edge\n"
                "splot $met using 1:2:3\nunset table\nset surface\nunset contour\n",
                levels);
}

static void add_marks(rk_text *script, const rk_grid_point *best, double unit)
{
    rk_text_add(script, "$best << END\n");
    rk_text_add_real(script, best->settings.kc);
    rk_text_add(script, " ");
    rk_text_add_real(script, best->settings.ti / unit);
    rk_text_add(script, "\nEND\n");
}

rk_status rk_figure_grid(const rk_design *loop, const rk_search_plan *plan, const rk_grid *grid,
                         const rk_grid_point *points, size_t best, const rk_figure_style *style,
                         rk_text *image, rk_diag *diag)
{
    const double unit = style != NULL ? rki_time_unit(style) : 1.0;
    const rk_grid_point *slice;
    char title[240];
    rk_text *script;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || plan == NULL || grid == NULL || points == NULL || style == NULL ||
        image == NULL) {
        return RK_ERR_ARG;
    }
    if (grid->kc.count < 2 || grid->ti.count < 2) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a map needs at least two values of kc and of ti");
    }
    slice =
        points + ((best / (grid->kc.count * grid->ti.count)) * grid->kc.count * grid->ti.count);
    script = rk_text_create();
    if (script != NULL) {
        add_layer(script, "cost", grid, slice, COST, points[best].cost, unit);
        add_layer(script, "ms", grid, slice, MS, points[best].cost, unit);
        add_layer(script, "met", grid, slice, MET, points[best].cost, unit);
        add_contours(script);
        add_marks(script, &points[best], unit);
        (void)snprintf(title, sizeof title, "%s: %s over kc and ti%s", loop->name,
                       rk_cost_to_text(plan->cost),
                       points[best].settings.td > 0 ? ", at the best td" : "");
        rki_map_begin(script, style, title);
        rk_text_add(script, "set cblabel '%s'\n", rk_cost_to_text(plan->cost));
        rk_text_add(script, "set xlabel 'kc, %.16s/%.16s'\nset ylabel 'ti, %s'\n",
                    loop->out_units, loop->pv_units, style->minutes ? "min" : "s");
        rk_text_add(
            script,
            "plot $cost using 1:2:3 with image notitle, $ms_lines using 1:2 with lines lw "
            "1.5 lc rgb '#000000' title 'Ms %s', $ms_lines using 1:2:3 every 40::20 with "
            "labels font ',11' notitle, $edge using 1:2 with lines lw 3 dt 2 lc rgb "
            "'#000000' title 'all requirements met within', $best using 1:2 with points pt "
            "3 ps 3 lw 3 lc rgb '#d00000' title 'best'\n",
            levels);
    }
    status = rki_gnuplot_run(script, image, diag);
    rk_text_free(script);
    return status;
}
