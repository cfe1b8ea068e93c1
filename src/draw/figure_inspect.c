/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>

#include <redkettle/design/base/memory.h>

#include "figure_parts.h"
#include "gnuplot.h"

/* Rows on each side of the median that the noise band lies around. */
enum { BAND_ROWS = 3, WORDS = 72, MOVES_TOLD = 10 };

static void add_real_after(rk_text *script, const char *words, double value)
{
    rk_text_add(script, "%s", words);
    rk_text_add_real(script, value);
}

/* Median of a few rows around one: a spike moves nothing. */
static double smooth(const rki_curve *pv, size_t i)
{
    double sorted[(2 * BAND_ROWS) + 1];
    size_t k = i > BAND_ROWS ? i - BAND_ROWS : 0, count = 0, at;

    for (; k <= i + BAND_ROWS && k < pv->count; k++, count++) {
        for (at = count; at > 0 && sorted[at - 1] > pv->y[k]; at--) {
            sorted[at] = sorted[at - 1];
        }
        sorted[at] = pv->y[k];
    }
    return sorted[count / 2];
}

/* The noise band, two deviations to each side: its lower edge, and its upper one on the way
   back. work has room for four columns. */
static void add_band(rk_text *script, const rki_curve *pv, double noise, double *work)
{
    const size_t rows = pv->count;
    rki_curve outline = *pv;
    size_t i;

    for (i = 0; i < rows; i++) {
        const double middle = smooth(pv, i);

        work[i] = work[(2 * rows) - 1 - i] = pv->x[i];
        work[(2 * rows) + i] = middle - (2.0 * noise);
        work[(4 * rows) - 1 - i] = middle + (2.0 * noise);
    }
    outline.x = work;
    outline.y = work + (2 * rows);
    outline.count = 2 * rows;
    rki_add_curve(script, "band", &outline);
}

static void shade(rk_text *script, double from, double until, const char *colour)
{
    add_real_after(script, "set object rectangle from ", from);
    add_real_after(script, ", graph 0 to ", until);
    rk_text_add(script, ", graph 1 fc rgb '%s' fs solid noborder behind\n", colour);
}

/* Gaps in grey, findings in a light red or yellow, their words staggered from the top. */
static void mark(rk_text *script, const rk_inspection *made, const rk_findings *findings,
                 const rk_figure_style *style)
{
    const double unit = rki_time_unit(style), end = made->facts.duration / unit;
    const bool terminal = style->format == RK_FIGURE_TERMINAL;
    int told = 0;
    size_t i;
    size_t g;

    for (g = 0; g < made->facts.gaps && g < RK_GAPS_MAX && !terminal; g++) {
        shade(script, made->facts.gap[g].at / unit,
              (made->facts.gap[g].at + made->facts.gap[g].length) / unit, "#e0e0e0");
    }
    for (i = 0; i < findings->count; i++) {
        const rk_finding *f = &findings->list[i];
        const double least = 0.004 * end, at = f->at / unit;
        const double until = fmax(f->until / unit, at + least);
        const bool late = at > 0.5 * end;
        char words[WORDS];

        if (isnan(f->at)) continue;
        if (!terminal) {
            shade(script, at, until, f->level == RK_LEVEL_NOTE ? "#e8f0f8" : "#fbe3d6");
        }
        (void)snprintf(words, sizeof words, "%s%s%s", late ? "" : " ", f->what,
                       late ? " " : "");
        rk_text_add(script, "set label %d ", 20 + told);
        rki_add_quoted(script, words);
        add_real_after(script, " at ", late ? fmin(until, end) : at);
        rk_text_add(script, ", graph %.2f %s front\n", 0.96 - (0.075 * (told % 5)),
                    late ? "right" : "left");
        told++;
    }
}

static void label_moves(rk_text *script, const rk_inspection *made,
                        const rk_figure_style *style)
{
    const double unit = rki_time_unit(style);
    size_t i;

    for (i = 0; i < made->facts.moves && i < MOVES_TOLD; i++) {
        const rk_move *m = &made->facts.move[i];

        rk_text_add(script, "set label %zu ' %+.3g' at ", 40 + i, m->to - m->from);
        rk_text_add_real(script, m->until / unit);
        rk_text_add(script, ", ");
        rk_text_add_real(script, m->to);
        rk_text_add(script, " left offset 0,%s front\n", m->to > m->from ? "0.8" : "-0.8");
    }
}

static void title(rk_text *script, const rk_design *loop, const rk_inspection *made,
                  const rk_figure_style *style)
{
    char text[400];

    (void)snprintf(text, sizeof text, "%s: the record is %s", loop->name,
                   rk_inspection_verdict(made));
    rki_page_begin(script, style, text);
    (void)snprintf(
        text, sizeof text,
        "%zu rows every %.4g s,  %zu move%s of OUT,  PV moved %.3g times its noise of "
        "%.3g %s",
        made->facts.rows, made->facts.interval, made->facts.moves,
        made->facts.moves == 1 ? "" : "s", made->facts.signal_to_noise, made->facts.noise,
        loop->pv_units);
    rk_text_add(script, "set label 2 ");
    rki_add_quoted(script, text);
    rk_text_add(script, " at screen 0.09,0.925 left%s\n",
                style->format == RK_FIGURE_TERMINAL ? "" : " font ',12'");
}

static void draw(rk_text *script, const rk_design *loop, const rk_record *record,
                 const rk_inspection *made, const rk_findings *findings,
                 const rk_figure_style *style, double *work)
{
    const double *time = rk_record_time(record);
    rki_curve curve = {
        time, time[0], 0, rki_time_unit(style), rk_record_pv(record), made->facts.rows, 0, 0};
    const bool terminal = style->format == RK_FIGURE_TERMINAL;
    char label[80];

    rki_add_dots(script, "pv", &curve);
    add_band(script, &curve, made->facts.noise, work);
    curve.y = rk_record_out(record);
    rki_add_steps(script, "out", &curve);

    title(script, loop, made, style);
    rki_with_units(label, sizeof label, "PV", loop->pv_units);
    rki_panel_upper(script, style, label);
    add_real_after(script, "set xrange [0:", made->facts.duration / rki_time_unit(style));
    rk_text_add(script, "]\nset offsets 0,0,graph 0.25,graph 0.05\n");
    mark(script, made, findings, style);
    rk_text_add(script, "plot ");
    if (!terminal) {
        rk_text_add(script, "$band with filledcurves closed fc rgb '#cfe3f3' title 'noise, two "
                            "deviations', ");
    }
    rk_text_add(script, "$pv with points pt 7 ps 0.4 lc rgb '#555555' title 'PV, recorded'\n");
    rki_with_units(label, sizeof label, "OUT", loop->out_units);
    rki_panel_lower(script, style, label);
    rk_text_add(script, "unset object\nset offsets 0,0,graph 0.2,graph 0.15\n");
    label_moves(script, made, style);
    rk_text_add(script, "plot $out with lines lw 2.5 lc rgb '%s' notitle\nunset multiplot\n",
                rki_colours[0]);
}

rk_status rk_figure_inspect(const rk_design *loop, const rk_record *record,
                            const rk_inspection *inspection, const rk_findings *findings,
                            const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    rk_text *script;
    double *work;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || record == NULL || inspection == NULL || findings == NULL ||
        style == NULL || image == NULL) {
        return RK_ERR_ARG;
    }
    script = rk_text_create();
    work = rk_memory_create(4 * rk_record_rows(record), sizeof *work);
    if (script == NULL || work == NULL) {
        status = RK_ERR_MEMORY;
        (void)rk_diag_set(diag, status, "out of memory for a figure");
    } else {
        draw(script, loop, record, inspection, findings, style, work);
        status = rki_gnuplot_run(script, image, diag);
    }
    rk_memory_free(work);
    rk_text_free(script);
    return status;
}
