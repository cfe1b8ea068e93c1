/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/margins/margins.h>

#include "parts.h"

rk_status rk_report_add_emitted(rk_report *report, const rk_design *loop, bool slim,
                                const rk_emitted_file *file, size_t count)
{
    char notes[RK_EMIT_NOTES_MAX][RK_EMIT_NOTE_CHARS], scan[RKI_SHOWN_CHARS];
    rk_report *r = report;
    size_t told, i;

    if (loop == NULL || file == NULL) return RK_ERR_ARG;
    told = rk_emit_notes(loop, slim, notes);
    rki_row_say(r, "%s controller of %s for a scan of %s (%s acting):",
                rk_settings_mode(&loop->settings), loop->name, rki_show_time(r, scan, loop->ts),
                loop->settings.kc < 0 ? "direct" : "reverse");
    rki_row_list(r, "files");
    for (i = 0; i < count; i++) {
        rki_row_word(r, NULL, NULL, file[i].path);
    }
    rki_row_end(r);
    for (i = 0; i < count; i++) {
        rki_row_word(r, NULL, file[i].path, file[i].meaning);
    }
    rki_row_list(r, "notes");
    for (i = 0; i < told; i++) {
        rki_row_word(r, NULL, NULL, notes[i]);
    }
    rki_row_end(r);
    for (i = 0; i < told; i++) {
        rki_row_say(r, "%s", notes[i]);
    }
    rki_row_say(r,
                slim ? "Call the block from a cyclic task with an interval of %s."
                     : "The program's task has an interval of %s, no other.",
                scan);
    return RK_OK;
}

/* What a way to sum the error makes of the margins; the first is the continuous loop's. */
static void add_scheme(rk_report *r, const char *name, const rk_margins *m)
{
    rki_row_group(r, NULL, NULL, RK_LAYOUT_ROW);
    rki_row_word(r, "integral", "integral", name);
    rki_row_number(r, "gain_margin", "gain margin", m->gain_margin, "", 4);
    rki_row_number(r, "phase_margin_deg", "phase margin", m->phase_margin, "deg", 4);
    rki_row_number(r, "ms", "Ms", m->ms, "", 4);
    if (m->kc_range_exists) {
        rki_row_words(r, NULL, "stable kc", "%.4g to %.4g", m->kc_stable[0], m->kc_stable[1]);
        rki_row_pair(r, "kc_stable", m->kc_stable);
    } else {
        rki_row_word(r, NULL, "stable kc", "none");
        rki_row_word(r, "kc_stable", NULL, NULL);
    }
    rki_row_end(r);
}

static void add_schemes(rk_report *r, const rk_design *loop)
{
    rk_margins m;
    int scheme;

    if (rk_loop_margins_compute(rk_design_process(loop), &loop->model, &loop->settings, NULL,
                                &m, NULL) != RK_OK)
        return;
    rki_row_list(r, "schemes");
    add_scheme(r, "(continuous)", &m);
    for (scheme = 0; scheme < 3; scheme++) {
        const rk_sampling sampling = {loop->ts, rk_design_delay(loop), (rk_scheme)scheme};
        char name[48];

        if (rk_loop_margins_compute(rk_design_process(loop), &loop->model, &loop->settings,
                                    &sampling, &m, NULL) != RK_OK) {
            continue;
        }
        (void)snprintf(name, sizeof name, "%s%s", rk_scheme_to_text((rk_scheme)scheme),
                       scheme == (int)loop->settings.integral ? ", as above" : "");
        add_scheme(r, name, &m);
    }
    rki_row_end(r);
}

rk_status rk_report_add_equations(rk_report *report, const rk_design *loop, rk_number number,
                                  rk_diag *diag)
{
    rk_text *text;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL) return RK_ERR_ARG;
    text = rk_text_create();
    status = rk_emit_equations(loop, number, text, diag);
    if (status == RK_OK) {
        rki_row_print(report, rk_text_chars(text));
    }
    rk_text_free(text);
    if (status == RK_OK && loop->has_model) {
        add_schemes(report, loop);
    }
    return status;
}
