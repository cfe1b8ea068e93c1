/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>

#include "parts.h"

enum { RANGE_CHARS = (2 * RKI_SHOWN_CHARS) + RK_UNITS_CHARS + 12 };

/* " (0 to 100 %)"; nothing for a range that is not known. */
static void range_words(double low, double high, const char *units, char words[RANGE_CHARS])
{
    char from[RKI_SHOWN_CHARS], to[RKI_SHOWN_CHARS];

    words[0] = '\0';
    if (isfinite(low) && isfinite(high)) {
        (void)snprintf(words, RANGE_CHARS, " (%s to %s %s)", rki_show(from, low, 4),
                       rki_show(to, high, 4), units);
    }
}

rk_status rk_report_add_loop(rk_report *report, const rk_design *loop)
{
    char out[RANGE_CHARS], pv[RANGE_CHARS], scan[RKI_SHOWN_CHARS], band[RKI_SHOWN_CHARS];

    if (loop == NULL) return RK_ERR_ARG;
    range_words(loop->out_low, loop->out_high, loop->out_units, out);
    range_words(loop->pv_low, loop->pv_high, loop->pv_units, pv);
    rki_row_say(report, "The loop: OUT%s holds PV%s%s%s%s%s.", out, pv,
                isnan(loop->ts) ? "" : ", scanned every ",
                isnan(loop->ts) ? "" : rki_show_time(report, scan, loop->ts),
                loop->action != RK_ACTION_NOT_SAID ? ", action " : "",
                loop->action != RK_ACTION_NOT_SAID ? rk_action_to_text(loop->action) : "");
    if (loop->has_settings && rk_settings_is_on_off(&loop->settings)) {
        rki_row_say(report, "Two-position control, with %s %s to each side of the setpoint.",
                    rki_show(band, loop->settings.on_off, 4), loop->pv_units);
    }
    return RK_OK;
}

rk_status rk_report_add_origins(rk_report *report, const rk_origin *origins, size_t count)
{
    size_t i;

    if (origins == NULL) return RK_ERR_ARG;
    rki_row_group(report, NULL, "Where the numbers come from", RK_LAYOUT_PLAIN);
    for (i = 0; i < count; i++) {
        rki_row_group(report, NULL, NULL, RK_LAYOUT_ROW);
        rki_row_word(report, NULL, "step", origins[i].step);
        rki_row_word(report, NULL, "when", origins[i].when);
        rki_row_word(report, NULL, "from", origins[i].from);
        rki_row_end(report);
    }
    rki_row_end(report);
    return RK_OK;
}
