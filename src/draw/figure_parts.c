/* SPDX-License-Identifier: MIT */
#include "figure_parts.h"

#include <stdio.h>

#include "gnuplot.h"

/* Colours that the colour-blind tell apart too; every line also has a dash of its own. */
const char *const rki_colours[RKI_COLOURS] = {"#0072b2", "#d55e00", "#009e73",
                                              "#cc79a7", "#e69f00", "#56b4e9"};

double rki_time_unit(const rk_figure_style *style)
{
    return style->minutes ? 60.0 : 1.0;
}

void rki_with_units(char *label, size_t room, const char *what, const char *units)
{
    (void)snprintf(label, room, "%s, %s", what, units);
}

static void add_style(rk_text *script, size_t at)
{
    rk_text_add(script, " with lines lw 2.5 dt %zu lc rgb '%s' ",
                at == 0 ? (size_t)1 : (at % 4) + 2, rki_colours[at % RKI_COLOURS]);
}

void rki_plot_pv(rk_text *script, size_t at, const char *name)
{
    rk_text_add(script, ", $pv%zu", at);
    add_style(script, at);
    rk_text_add(script, "title ");
    rki_add_quoted(script, name);
}

void rki_plot_outs(rk_text *script, size_t count)
{
    size_t i;

    for (i = 0; i < count; i++) {
        rk_text_add(script, "%s$out%zu", i > 0 ? ", " : "", i);
        add_style(script, i);
        rk_text_add(script, "notitle");
    }
}
