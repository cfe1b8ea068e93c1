/* SPDX-License-Identifier: MIT */
#ifndef RKI_DRAW_FIGURE_PARTS_H
#define RKI_DRAW_FIGURE_PARTS_H

#include <redkettle/draw/figure.h>

/** Colours that the colour-blind tell apart too; every line also has a dash of its own. */
enum { RKI_COLOURS = 6 };
extern const char *const rki_colours[RKI_COLOURS];

/** s in a unit of the time axis. */
double rki_time_unit(const rk_figure_style *style);

/** "PV, degBx". */
void rki_with_units(char *label, size_t room, const char *what, const char *units);

/** The line of the data block $pv0, $pv1, .. of a case, after another line of its plot. */
void rki_plot_pv(rk_text *script, size_t at, const char *name);

/** The lines of $out0, $out1, .., the first of their plot. */
void rki_plot_outs(rk_text *script, size_t count);

#endif
