/* SPDX-License-Identifier: MIT */
/*
 * How far kc may go, drawn: a bar from 0 to where the loop ends, hatched beyond that, a letter where each
 * requirement reaches its limit, and kc as it is set. Colours are the page's; what they say stands in words
 * below the bar too.
 */
#include <math.h>
#include <stdio.h>

#include "parts.h"

enum {
    LEFT = 8,
    LONG = 624,
    TOP = 26,
    HIGH = 20,
    LETTERS = TOP + HIGH + 18,
    LINE = 14,
    LETTER = 12
};

double rki_gain_bar_end(const rk_design *loop, const rk_gain_limits *limits)
{
    const double kc = loop->settings.kc;
    double end = limits->on_off;
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT && isnan(limits->on_off); i++) {
        if (!isnan(limits->at[i]) && !(fabs(end) > fabs(limits->at[i]))) {
            end = 1.1 * limits->at[i];
        }
    }
    return fabs(kc) > fabs(end) ? 1.05 * kc : end;
}

/* Where a kc lies on the bar, of whose length the last part is beyond the end. */
static double place(double kc, double end)
{
    const double part = kc / end / 1.08;

    return LEFT + (LONG * fmin(fmax(part, 0.0), 1.0));
}

static void add_mark(rk_text *svg, double x, const char *letter, int line)
{
    rk_text_add(svg,
                "<path class=\"limit\" d=\"M%.1f %dV%d\"/><text x=\"%.1f\" y=\"%d\" "
                "text-anchor=\"middle\">%s</text>",
                x, TOP - 4, TOP + HIGH + 4, x, LETTERS + (line * LINE), letter);
}

static void add_words(const rk_design *loop, const rk_requirements *asked,
                      const rk_gain_limits *limits, rk_text *words)
{
    char unit[RKI_UNIT_CHARS], limit[RKI_SHOWN_CHARS], shown[RKI_SHOWN_CHARS];
    int i, marks = 0;

    rki_kc_unit(loop, unit);
    rk_text_add(words, "kc is %s %s", rki_show(shown, loop->settings.kc, 4), unit);
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (isnan(limits->at[i])) continue;
        rk_text_add(words, "; %c %s %s at %s", 'a' + marks++, rk_require_to_text((rk_require)i),
                    rki_show_requirement(NULL, loop, (rk_require)i, asked->limit[i], limit),
                    rki_show(shown, limits->at[i], 4));
    }
    if (!isnan(limits->on_off)) {
        rk_text_add(words, "; from %s on %s", rki_show(shown, limits->on_off, 4),
                    limits->by_noise ? "PV's noise alone fills OUT's range"
                                     : "unstable: OUT swings between its limits");
    }
}

rk_status rk_gain_bar_to_svg(const rk_design *loop, const rk_requirements *asked,
                             const rk_gain_limits *limits, rk_text *svg, rk_diag *diag)
{
    rk_text *words;
    double end, lost, before = -LETTER;
    int i, marks = 0, line = 0;

    rk_diag_clear(diag);
    if (loop == NULL || asked == NULL || limits == NULL || svg == NULL) return RK_ERR_ARG;
    end = rki_gain_bar_end(loop, limits);
    words = rk_text_create();
    add_words(loop, asked, limits, words);
    if (!isnan(end)) {
        lost = isnan(limits->on_off) ? LEFT + LONG : place(limits->on_off, end);
        rk_text_add(svg,
                    "<svg class=\"gain-bar\" viewBox=\"0 0 640 %d\" role=\"img\" aria-label=\"",
                    LETTERS + LINE + 8);
        rk_html_add(svg, rk_text_chars(words));
        rk_text_add(svg,
                    "\"><defs><pattern id=\"hatch\" width=\"6\" height=\"6\" "
                    "patternUnits=\"userSpaceOnUse\"><path class=\"hatch\" d=\"M0 6L6 "
                    "0\"/></pattern></defs><rect class=\"stable\" x=\"%d\" y=\"%d\" "
                    "width=\"%.1f\" height=\"%d\"/><rect class=\"unstable\" x=\"%.1f\" "
                    "y=\"%d\" width=\"%.1f\" height=\"%d\" fill=\"url(#hatch)\"/>",
                    LEFT, TOP, lost - LEFT, HIGH, lost, TOP, LEFT + LONG - lost, HIGH);
        for (i = 0; i < RK_REQUIRE_COUNT; i++) {
            const char letter[2] = {(char)('a' + marks), '\0'};
            const double x = place(limits->at[i], end);

            if (isnan(limits->at[i])) continue;
            line = fabs(x - before) < LETTER ? 1 - line : 0; /* one letter not over the other */
            add_mark(svg, x, letter, line);
            before = x;
            marks++;
        }
        rk_text_add(
            svg,
            "<path class=\"kc\" d=\"M%.1f %dl-7 -12h14z\"/><text x=\"%d\" y=\"%d\">0</text>"
            "</svg>\n",
            place(loop->settings.kc, end), TOP + 2, LEFT, LETTERS);
    }
    rk_text_add(svg, "<p class=\"note\">");
    rk_html_add(svg, rk_text_chars(words));
    rk_text_add(svg, "</p>\n");
    if (rk_text_check(words, diag) != RK_OK) {
        rk_text_fail(svg);
    }
    rk_text_free(words);
    return rk_text_check(svg, diag);
}
