/* SPDX-License-Identifier: MIT */
#include <redkettle/draw/figure.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "figure_parts.h"
#include "gnuplot.h"

rk_status rk_figure_format_from_name(const char *name, rk_figure_format *format, rk_diag *diag)
{
    static const char *const endings[] = {".png", ".svg", ".pdf"};
    size_t length, i;

    rk_diag_clear(diag);
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

static void interval_words(char *words, size_t room, const char *what, double value,
                           const double *interval, const char *unit)
{
    if (interval[0] == 0 && interval[1] == 0) {
        (void)snprintf(words, room, "%s %.4g %s", what, value, unit); /* as given */
    } else if (isfinite(interval[0]) && isfinite(interval[1])) {
        (void)snprintf(words, room, "%s %.4g (%.4g to %.4g) %s", what, value, interval[0],
                       interval[1], unit);
    } else {
        (void)snprintf(words, room, "%s %.4g %s (not known)", what, value, unit);
    }
}

static void fit_title(const rk_design *loop, const rk_fit *fit, const rk_figure_style *style,
                      rk_text *script)
{
    const double unit = rki_time_unit(style);
    const double tau[2] = {fit->tau95[0][0] / unit, fit->tau95[0][1] / unit};
    const double theta[2] = {fit->dead_time95[0] / unit, fit->dead_time95[1] / unit};
    const char *time = style->minutes ? "min" : "s";
    char gain_unit[RK_GAIN_UNIT_CHARS], words[3][160] = {"", "", ""}, title[640];

    rk_design_gain_unit(loop, fit->model.kind, gain_unit);
    interval_words(words[0], sizeof words[0], "gain", fit->model.gain, fit->gain95, gain_unit);
    if (rk_model_kind_times(fit->model.kind) == 1) {
        interval_words(words[1], sizeof words[1], ",  time constant",
                       fit->model.time_constant[0] / unit, tau, time);
    }
    if (rk_model_kind_times(fit->model.kind) == 2) {
        (void)snprintf(words[1], sizeof words[1], ",  time constants %.4g and %.4g %s",
                       fit->model.time_constant[0] / unit, fit->model.time_constant[1] / unit,
                       time);
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

/* Everything a fit's page shows; the columns are as long as the record. */
typedef struct page {
    const rk_design *loop;
    const rk_record *record;
    const rk_fit *fit, *rival;
    const rk_hand_fits *hand;
    const rk_figure_style *style;
    rki_curve curve; /* the record's time; y is set for each curve */
    double *model, *work;
    rk_fit *other; /* room for a kind that was tried */
} page;

/* The kinds that were tried beside the one chosen, as thin lines; how many. */
static int add_candidates(rk_text *script, page *p)
{
    int shown = 0;
    char block[16];
    size_t i;

    for (i = 0; i < p->fit->candidates; i++) {
        const rk_fit_candidate *c = &p->fit->candidate[i];

        if (c->model.kind == p->fit->model.kind) continue;
        p->other->model = c->model;
        p->other->drift = c->drift;
        p->other->initial = c->initial;
        p->other->initial_rate = c->initial_rate;
        memcpy(p->other->early, p->fit->early, sizeof p->other->early);
        p->other->load = c->load;
        p->other->load_at = c->load_at;
        if (rk_fit_response_compute(p->other, p->record, p->work, NULL) != RK_OK) continue;
        p->curve.y = p->work;
        (void)snprintf(block, sizeof block, "other%d", shown++);
        rki_add_curve(script, block, &p->curve);
    }
    return shown;
}

static bool add_rival(rk_text *script, page *p)
{
    if (p->rival == NULL ||
        rk_fit_response_compute(p->rival, p->record, p->work, NULL) != RK_OK) {
        return false;
    }
    p->curve.y = p->work;
    rki_add_curve(script, "rival", &p->curve);
    return true;
}

/* Where 63.2 % of the way is gone: a time constant after PV begins to move. */
static void mark_63(rk_text *script, const page *p, double unit)
{
    const rk_hand_fits *h = p->hand;

    if (h == NULL || h->count == 0) return;
    rk_text_add(script, "set label 4 ' 63.2 %%' at ");
    rk_text_add_real(script, h->at_63 / unit);
    rk_text_add(script, ",");
    rk_text_add_real(script, h->pv_before + (0.632 * (h->pv_after - h->pv_before)));
    rk_text_add(script, " left point pt 6 ps 1.5 lc rgb '#000000' front\n");
}

static void plot_upper(rk_text *script, page *p, int others, bool rival)
{
    int i;

    rk_text_add(script,
                "plot $pv with points pt 7 ps 0.4 lc rgb '#8c8c8c' title 'PV, recorded'");
    for (i = 0; i < others; i++) {
        rk_text_add(script, ", $other%d with lines lw 1.5 dt 3 lc rgb '#8060b0' %s", i,
                    i == 0 ? "title 'other kinds'" : "notitle");
    }
    if (rival) {
        rk_text_add(
            script, ", $rival with lines lw 2 dt 2 lc rgb '%s' title '%s'", rki_colours[2],
            isnan(p->rival->bic) ? "guess" : rk_model_kind_to_text(p->rival->model.kind));
    }
    rk_text_add(script, ", $model with lines lw 2.5 lc rgb '%s' title 'model, %s'\n",
                rki_colours[1], rk_model_kind_to_text(p->fit->model.kind));
}

static void plot_residual(rk_text *script, const page *p)
{
    const double band = 2.0 * p->fit->noise;
    int side;

    rk_text_add(script, "set yrange [*:*]\nset ytics font ',9'\nplot ");
    for (side = -1; side <= 1 && band > 0; side += 2) {
        rk_text_add_real(script, side * band);
        rk_text_add(script, " with lines dt 3 lc rgb '#555555' notitle, ");
    }
    rk_text_add(script, "$left with points pt 7 ps 0.3 lc rgb '%s' notitle\n", rki_colours[0]);
}

static void draw_fit(rk_text *script, page *p)
{
    const double *time = rk_record_time(p->record), *pv = rk_record_pv(p->record);
    const double unit = rki_time_unit(p->style);
    const bool terminal = p->style->format == RK_FIGURE_TERMINAL;
    char label[80];
    int others;
    bool rival;
    size_t i;

    p->curve.y = pv;
    rki_add_dots(script, "pv", &p->curve);
    p->curve.y = p->model;
    rki_add_curve(script, "model", &p->curve);
    for (i = 0; i < p->curve.count; i++) {
        p->work[i] = pv[i] - p->model[i];
    }
    p->curve.y = p->work;
    rki_add_dots(script, "left", &p->curve);
    others = terminal ? 0 : add_candidates(script, p);
    rival = add_rival(script, p);
    p->curve.y = rk_record_out(p->record);
    rki_add_steps(script, "out", &p->curve);

    fit_title(p->loop, p->fit, p->style, script);
    rki_with_units(label, sizeof label, "PV", p->loop->pv_units);
    rki_panel_first(script, p->style, label, terminal ? 0.42 : 0.50);
    rk_text_add(script, "set xrange [0:");
    rk_text_add_real(script, (time[p->curve.count - 1] - time[0]) / unit);
    rk_text_add(script, "]\n");
    mark_dead_time(script, p->record, p->fit, unit);
    mark_63(script, p, unit);
    plot_upper(script, p, others, rival);
    if (!terminal) {
        rki_panel_next(script, p->style, "residual", 0.46, 0.33);
        plot_residual(script, p);
    }
    rki_with_units(label, sizeof label, "OUT", p->loop->out_units);
    rki_panel_last(script, p->style, label, terminal ? 0.37 : 0.29);
    rk_text_add(script,
                "set offsets 0,0,graph 0.1,graph 0.1\n"
                "plot $out with lines lw 2.5 lc rgb '%s' notitle\nunset multiplot\n",
                rki_colours[0]);
}

rk_status rk_figure_fit(const rk_design *loop, const rk_record *record, const rk_fit *fit,
                        const rk_hand_fits *hand, const rk_fit *rival,
                        const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    page p = {.loop = loop,
              .record = record,
              .fit = fit,
              .rival = rival,
              .hand = hand,
              .style = style};
    rk_text *script;
    size_t rows;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || record == NULL || fit == NULL || style == NULL || image == NULL) {
        return RK_ERR_ARG;
    }
    rows = rk_record_rows(record);
    script = rk_text_create();
    p.model = rk_memory_create(rows, sizeof *p.model);
    p.work = rk_memory_create(rows, sizeof *p.work);
    p.other = rk_memory_create(1, sizeof *p.other);
    if (script == NULL || p.model == NULL || p.work == NULL || p.other == NULL) {
        status = RK_ERR_MEMORY;
        (void)rk_diag_set(diag, status, "out of memory for a figure");
    } else {
        status = rk_fit_response_compute(fit, record, p.model, diag);
    }
    if (status == RK_OK) {
        p.curve = (rki_curve){rk_record_time(record),
                              rk_record_time(record)[0],
                              0,
                              rki_time_unit(style),
                              NULL,
                              rows,
                              0,
                              0};
        draw_fit(script, &p);
        status = rki_gnuplot_run(script, image, diag);
    }
    rk_memory_free(p.model);
    rk_memory_free(p.work);
    rk_memory_free(p.other);
    rk_text_free(script);
    return status;
}
