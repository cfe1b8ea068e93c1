/* SPDX-License-Identifier: MIT */
#include "open_step.h"

#include <math.h>
#include <stdio.h>

#include "show.h"

/* What a step by hand shows, its trial kept for the figure. */
typedef struct opened {
    rk_open_step found;
    rk_trial *trial;
} opened;

static rk_status draw_open(const job *j, const void *what, const rk_figure_style *style,
                           rk_text *image, rk_diag *diag)
{
    const opened *o = what;

    return rk_figure_open_step(&j->loop, &o->found, o->trial, style, image, diag);
}

static void print_open(const job *j, const rk_open_step *o)
{
    enum { LINES = 7 };
    const rk_design *d = &j->loop;
    char cells[2 * LINES][SHOWN_CHARS], unit[RK_GAIN_UNIT_CHARS];
    static const char *const names[LINES] = {"gain",
                                             "dead time",
                                             "63.2 % of the way after",
                                             "rise, 10 to 90 %",
                                             "within 2 % after",
                                             "PV rests at",
                                             "steepest slope"};
    const double times[LINES] = {0, o->dead_time, o->at_63, o->rise, o->settling, o->pv_end, 0};
    size_t rows = 0, line;

    rk_design_gain_unit(d, d->model.kind, unit);
    (void)printf("%s: OUT %+.4g %s from %.4g, no controller\n\n", d->name, o->out_step,
                 d->out_units, d->model.out0);
    for (line = 0; line < LINES; line++) {
        char *cell = cells[(2 * rows) + 1];

        if (isnan(times[line])) continue; /* an integrator never rests */
        (void)snprintf(cells[2 * rows++], SHOWN_CHARS, "%s", names[line]);
        if (line == 0) {
            (void)snprintf(cell, SHOWN_CHARS, "%.4g %.32s", d->model.gain, unit);
        } else if (line == 5) {
            (void)snprintf(cell, SHOWN_CHARS, "%.5g %s", o->pv_end, d->pv_units);
        } else if (line == 6) {
            (void)snprintf(cell, SHOWN_CHARS, "%.4g %s/s", o->slope, d->pv_units);
        } else {
            show_time(cell, times[line], j->minutes);
        }
    }
    show_table(cells, rows, 2, 2);
}

int run_open_step(const job *j, double out_step)
{
    opened o = {.trial = NULL};
    rk_diag diag = {RK_OK, ""};
    const double own = rk_model_slowest(&j->loop.model) + j->loop.model.dead_time;
    const double ts = isnan(j->loop.ts) ? 0.01 * own : j->loop.ts;
    rk_status status =
        rk_open_step_compute(&j->loop.model, ts, out_step, &o.trial, &o.found, &diag);
    int result = EXIT_DONE;

    if (status == RK_ERR_RANGE) return fail(j, EXIT_USAGE, "--open-step: %s", diag.text);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    if (j->json) {
        rk_text *text = rk_text_create();

        status = rk_json_open_step(&o.found, &j->loop.model, text, &diag);
        result = print_json(j, text, status, &diag);
    } else {
        print_open(j, &o.found);
    }
    if (result == EXIT_DONE) {
        result = write_figure(j, draw_open, &o);
    }
    rk_trial_free(o.trial);
    return result;
}
