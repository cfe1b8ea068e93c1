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

typedef enum layer { COST, MS } layer;

/* What is drawn: a slice of the last turn's points, an axis to the right and one upwards. */
typedef struct map {
    const rk_grid *grid;
    const rk_grid_point *point;
    double lowest, unit; /* the best cost; of the axis upwards, a time */
} map;

static const rk_grid_point *at(const map *m, size_t x, size_t y)
{
    return &m->point[(y * m->grid->gain.count) + x];
}

static double value_of(const rk_grid_point *p, layer what, double lowest)
{
    if (!p->stable) return what == MS ? 10.0 : WORST * lowest;
    if (what == MS) return fmin(p->figure[RK_REQUIRE_MS], 10.0);
    return fmin(p->cost, WORST * lowest);
}

/* A matrix of one layer, a row each value upwards, with a blank line between as a surface wants it.
 */
static void add_layer(rk_text *script, const char *name, const map *m, layer what)
{
    size_t x, y;

    rk_text_add(script, "$%s << END\n", name);
    for (y = 0; y < m->grid->integral.count; y++) {
        for (x = 0; x < m->grid->gain.count; x++) {
            rk_text_add_real(script, rk_grid_value(&m->grid->gain, x));
            rk_text_add(script, " ");
            rk_text_add_real(script, rk_grid_value(&m->grid->integral, y) / m->unit);
            rk_text_add(script, " ");
            rk_text_add_real(script, value_of(at(m, x, y), what, m->lowest));
            rk_text_add(script, "\n");
        }
        rk_text_add(script, "\n");
    }
    rk_text_add(script, "END\n");
}

/* A value's edge towards the one before: between both, or half a step before the first. */
static double edge(const rk_grid_axis *axis, size_t i)
{
    const double step = (axis->high - axis->low) / (double)(axis->count - 1);

    return axis->low + (step * ((double)i - 0.5));
}

static void add_side(rk_text *script, const map *m, size_t x0, size_t y0, size_t x1, size_t y1)
{
    const size_t x[2] = {x0, x1}, y[2] = {y0, y1};
    int i;

    for (i = 0; i < 2; i++) {
        rk_text_add_real(script, edge(&m->grid->gain, x[i]));
        rk_text_add(script, " ");
        rk_text_add_real(script, edge(&m->grid->integral, y[i]) / m->unit);
        rk_text_add(script, "\n");
    }
    rk_text_add(script, "\n");
}

static bool is_met(const map *m, size_t x, size_t y)
{
    return x < m->grid->gain.count && y < m->grid->integral.count && at(m, x, y)->met;
}

/* The sides of all cells beyond which requirements are no longer met, the map's own end among them:
   a closed edge. Returns whether there is any. */
static bool add_edge(rk_text *script, const map *m)
{
    const size_t columns = m->grid->gain.count, lines = m->grid->integral.count;
    bool any = false;
    size_t x, y;

    rk_text_add(script, "$edge << END\n");
    for (y = 0; y <= lines; y++) {
        for (x = 0; x <= columns; x++) { /* one before the first is beyond the last, too */
            const bool here = is_met(m, x, y);

            if (here != is_met(m, x - 1, y)) {
                add_side(script, m, x, y, x, y + 1);
            }
            if (here != is_met(m, x, y - 1)) {
                add_side(script, m, x, y, x + 1, y);
            }
            any |= here;
        }
    }
    rk_text_add(script, "END\n");
    return any;
}

static void add_contours(rk_text *script)
{
    rk_text_add(script,
                "set contour base\nunset surface\nset cntrparam linear\n"
                "set cntrparam levels discrete %s\nset table $ms_lines\nsplot $ms using 1:2:3\n"
                "unset table\nset surface\nunset contour\n",
                levels);
}

/* What the colours count, and from where on they say no more. */
static void add_colours(rk_text *script, const rk_design *loop, const rk_search_plan *plan,
                        const map *m)
{
    const size_t count = m->grid->gain.count * m->grid->integral.count;
    char unit[RK_GAIN_UNIT_CHARS], words[200];
    size_t i;

    rk_cost_unit(plan, loop, unit);
    for (i = 0; i < count && value_of(&m->point[i], COST, m->lowest) < WORST * m->lowest; i++) {
        continue;
    }
    (void)snprintf(words, sizeof words, "Colour: %s%s%s%s", rk_cost_to_text(plan->cost),
                   plan->weigh_effort > 0 ? " and weighted effort" : "",
                   unit[0] != '\0' ? ", " : "", unit);
    rk_text_add(script, "set label 8 ");
    rki_add_quoted(script, words);
    rk_text_add(script, " at screen 0.97,0.035 right\n");
    if (i < count) {
        (void)snprintf(words, sizeof words, "The darkest: %.3g and above, or unstable",
                       WORST * m->lowest);
        rk_text_add(script, "set label 9 ");
        rki_add_quoted(script, words);
        rk_text_add(script, " at screen 0.03,0.035 left\n");
    }
}

static void add_best(rk_text *script, const rk_grid_point *best, const map *m)
{
    const bool parallel = m->grid->form == RK_FORM_PARALLEL;
    const rk_settings *s = &best->settings;

    rk_text_add(script, "$best << END\n");
    rk_text_add_real(script, s->kc);
    rk_text_add(script, " ");
    rk_text_add_real(script, parallel ? s->kc / s->ti : s->ti / m->unit);
    rk_text_add(script, "\nEND\n");
}

static void add_axes(rk_text *script, const rk_design *loop, bool parallel, bool minutes)
{
    rk_text_add(script, "set xlabel '%s, %.16s/%.16s'\n", parallel ? "kp" : "kc",
                loop->out_units, loop->pv_units);
    if (parallel) {
        rk_text_add(script, "set ylabel 'ki, %.16s/(%.16s s)'\n", loop->out_units,
                    loop->pv_units);
    } else {
        rk_text_add(script, "set ylabel 'ti, %s'\n", minutes ? "min" : "s");
    }
}

/* The value of the first turn's derivative axis that is nearest to the best point's. */
static size_t nearest(const rk_grid *grid, const rk_grid_point *best)
{
    const rk_settings *s = &best->settings;
    const double wanted = grid->form == RK_FORM_PARALLEL ? s->kc * s->td : s->td;
    size_t found = 0, i;

    for (i = 1; i < grid->derivative.count; i++) {
        if (fabs(rk_grid_value(&grid->derivative, i) - wanted) <
            fabs(rk_grid_value(&grid->derivative, found) - wanted)) {
            found = i;
        }
    }
    return found;
}

rk_status rk_figure_grid(const rk_design *loop, const rk_search_plan *plan,
                         const rk_grid_runs *runs, const rk_figure_style *style, rk_text *image,
                         rk_diag *diag)
{
    const rk_grid_point *best;
    bool parallel, any;
    char title[240];
    rk_text *script;
    rk_status status;
    size_t slice;
    map m;

    rk_diag_clear(diag);
    if (loop == NULL || plan == NULL || runs == NULL || runs->point == NULL || style == NULL ||
        image == NULL) {
        return RK_ERR_ARG;
    }
    parallel = runs->grid.form == RK_FORM_PARALLEL;
    if (runs->grid.gain.count < 2 || runs->grid.integral.count < 2) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a map needs at least two values of %s and of %s",
                           parallel ? "kp" : "kc", parallel ? "ki" : "ti");
    }
    slice = runs->first.gain.count * runs->first.integral.count;
    best = &runs->point[runs->last + runs->best];
    m = (map){&runs->first, &runs->point[slice * nearest(&runs->first, best)], best->cost,
              parallel ? 1.0 : rki_time_unit(style)};
    script = rk_text_create();
    if (script != NULL) {
        add_layer(script, "cost", &m, COST);
        add_layer(script, "ms", &m, MS);
        any = add_edge(script, &m);
        add_contours(script);
        add_best(script, best, &m);
        (void)snprintf(title, sizeof title, "%s: %s over %s%s", loop->name,
                       rk_cost_to_text(plan->cost), parallel ? "kp and ki" : "kc and ti",
                       !(best->settings.td > 0) ? ""
                       : parallel               ? ", at the best kd"
                                                : ", at the best td");
        rki_map_begin(script, style, title);
        add_colours(script, loop, plan, &m);
        add_axes(script, loop, parallel, style->minutes);
        rk_text_add(
            script,
            "plot $cost using 1:2:3 with image notitle, $ms_lines using 1:2 with lines "
            "lw 1.5 lc rgb '#000000' title 'Ms %s', $ms_lines using 1:2:3 every 40::20 "
            "with labels font ',11' notitle%s, $best using 1:2 with points pt 3 ps 3 lw "
            "3 lc rgb '#d00000' title 'best'\n",
            levels,
            any ? ", $edge using 1:2 with lines lw 4 lc rgb '#7a1fa2' title 'all "
                  "requirements met within'"
                : ", NaN with lines lw 4 lc rgb '#7a1fa2' title 'nowhere are all "
                  "requirements met'");
    }
    status = rki_gnuplot_run(script, image, diag);
    rk_text_free(script);
    return status;
}
