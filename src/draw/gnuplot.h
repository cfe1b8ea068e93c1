/* SPDX-License-Identifier: MIT */
#ifndef RKI_DRAW_GNUPLOT_H
#define RKI_DRAW_GNUPLOT_H

#include <redkettle/draw/figure.h>

/** Values of a curve: x[i], or x0 + i * dx where x is NULL. */
typedef struct rki_curve {
    const double *x;
    double x0, dx, unit; /* x is divided by unit */
    const double *y;
    size_t count;
    double lead, lead_y; /* of steps: how long before x0 they stood at lead_y; 0: not shown */
} rki_curve;

/** Terminal, fonts, grid and the top of a two-panel page with its title. */
void rki_page_begin(rk_text *script, const rk_figure_style *style, const char *title);

/** The same for a page with one map: colours for values, a colour box at the right. */
void rki_map_begin(rk_text *script, const rk_figure_style *style, const char *title);

/** From here on the upper, the lower panel. */
void rki_panel_upper(rk_text *script, const rk_figure_style *style, const char *y_label);
void rki_panel_lower(rk_text *script, const rk_figure_style *style, const char *y_label);

/** The same for a page of three, from top to bottom; places are parts of the page. */
void rki_panel_first(rk_text *script, const rk_figure_style *style, const char *y_label,
                     double bottom);
void rki_panel_next(rk_text *script, const rk_figure_style *style, const char *y_label,
                    double top, double bottom);
void rki_panel_last(rk_text *script, const rk_figure_style *style, const char *y_label,
                    double top);

/** A named data block of the curve, thinned to what a page can show, extremes kept: as a line, or as dots. */
void rki_add_curve(rk_text *script, const char *block, const rki_curve *curve);
void rki_add_dots(rk_text *script, const char *block, const rki_curve *curve);

/** The same for values that hold until the next, as a line with steps. */
void rki_add_steps(rk_text *script, const char *block, const rki_curve *curve);

/** A text in gnuplot's single quotes. */
void rki_add_quoted(rk_text *script, const char *words);

/** Run the script; what gnuplot draws is appended to *image. */
rk_status rki_gnuplot_run(const rk_text *script, rk_text *image, rk_diag *diag);

#endif
