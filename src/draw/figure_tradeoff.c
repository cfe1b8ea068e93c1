/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <stdio.h>

#include "gnuplot.h"

/* Error against effort, the points joined and each with its weight beside it. */
static void add_points(rk_text *script, const double *weights, const rk_search_result *results,
                       size_t count)
{
    size_t i;

    rk_text_add(script, "$points << END\n");
    for (i = 0; i < count; i++) {
        rk_text_add_real(script, results[i].effort);
        rk_text_add(script, " ");
        rk_text_add_real(script, results[i].error);
        rk_text_add(script, " \"%.4g\" %d\n", weights[i], results[i].met);
    }
    rk_text_add(script, "END\n");
}

static void add_label(rk_text *script, const char *axis, const char *name, const char *unit)
{
    char words[200];

    (void)snprintf(words, sizeof words, "%s%s%s", name, unit[0] != '\0' ? ", " : "", unit);
    rk_text_add(script, "set %slabel ", axis);
    rki_add_quoted(script, words);
    rk_text_add(script, "\n");
}

rk_status rk_figure_tradeoff(const rk_design *loop, const rk_search_plan *plan,
                             const double *weights, const rk_search_result *results,
                             size_t count, const rk_figure_style *style, rk_text *image,
                             rk_diag *diag)
{
    char title[240], name[64], unit[RK_GAIN_UNIT_CHARS];
    rk_text *script;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || plan == NULL || weights == NULL || results == NULL || style == NULL ||
        image == NULL) {
        return RK_ERR_ARG;
    }
    script = rk_text_create();
    if (script != NULL) {
        (void)snprintf(title, sizeof title, "%s: what less effort costs, by its weight",
                       loop->name);
        rki_map_begin(script, style, title);
        add_points(script, weights, results, count);
        rk_cost_unit(plan, loop, unit);
        add_label(script, "y", rk_cost_to_text(plan->cost), unit);
        rk_effort_unit(plan, loop, unit);
        (void)snprintf(name, sizeof name, "effort as %s", rk_effort_to_text(plan->effort));
        add_label(script, "x", name, unit);
        rk_text_add(
            script,
            "set offsets graph 0.08, graph 0.12, graph 0.1, graph 0.08\nset grid lc rgb "
            "'#d8d8d8'\n"
            "plot $points using 1:2 with lines lw 2 lc rgb '#225ea8' notitle, $points "
            "using 1:($4 > 0 ? $2 : NaN) with points pt 7 ps 1.6 lc rgb '#225ea8' title "
            "'requirements met', $points using 1:($4 > 0 ? NaN : $2) with points pt 6 ps "
            "1.8 lw 2 lc rgb '#d00000' title 'not met', $points using 1:2:3 with labels "
            "left offset 1.2,0.5 notitle\n");
    }
    status = rki_gnuplot_run(script, image, diag);
    rk_text_free(script);
    return status;
}
