/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"
#include "show.h"

static const struct argp_child children[] = {
    {&column_options, 0, "The record:", 1}, {&kind_option, 0, "The model:", 1},
    {&output_options, 0, "Output:", 2},     {&figure_option, 0, "Drawing:", 3},
    {&save_option, 0, "Saving:", 4},        {0},
};
static const struct argp argp = {
    NULL,
    parse_common,
    "RECORD.csv|LOOP.loop",
    "Fit a process model to a step test, with 95 % intervals: first order plus dead time, or "
    "with "
    "--kind ipdt an integrator plus dead time.\v"
    "The record has columns for time, OUT and PV; OUT is held from a row to the next. Example: "
    "redkettle fit test.csv --time time_s --out FV210.OUT --pv AT210.PV --figure fit.png",
    children,
    NULL,
    NULL};

static void print_line(const char *what, double value, const char *unit, const double *interval,
                       const char *more)
{
    const int places = show_places(0.5 * (interval[1] - interval[0]));
    char shown[SHOWN_CHARS], low[SHOWN_CHARS], high[SHOWN_CHARS];

    show_fixed(shown, value, places);
    show_fixed(low, interval[0], places);
    show_fixed(high, interval[1], places);
    (void)printf("  %-14s %9s %-10s 95 %%: %s to %s%s\n", what, shown, unit, low, high, more);
}

static void print_time_line(const char *what, double seconds, const double *interval,
                            bool minutes)
{
    const double unit = minutes ? 60.0 : 1.0;
    const double shown[2] = {interval[0] / unit, interval[1] / unit};
    char other[SHOWN_CHARS + 8], value[SHOWN_CHARS];

    show_time(value, seconds, !minutes);
    (void)snprintf(other, sizeof other, "   = %s", value);
    print_line(what, seconds / unit, minutes ? "min" : "s", shown, other);
}

static void print_model(const job *j)
{
    const rk_fit *f = &j->fit;
    const bool integrates = rk_model_kind_integrates(f->model.kind);
    const double pct = rk_loop_design_gain_pct(&j->loop, f->model.gain);
    char unit[RK_GAIN_UNIT_CHARS], more[80] = "";

    rk_loop_design_gain_unit(&j->loop, f->model.kind, unit);
    if (!isnan(pct)) {
        (void)snprintf(more, sizeof more, "   = %.4g %% of PV span%s per %% of OUT span", pct,
                       integrates ? " per s" : "");
    }
    print_line("gain", f->model.gain, unit, f->gain95, more);
    if (rk_model_kind_times(f->model.kind) > 0) {
        print_time_line("time constant", f->model.time_constant[0], f->tau95[0], j->minutes);
    }
    print_time_line("dead time", f->model.dead_time, f->dead_time95, j->minutes);
    print_line(integrates ? "PV at first" : "PV at rest", f->model.pv0, j->loop.pv_units,
               f->pv0_95, "");
    (void)printf("  %-14s %9.4g %s\n\n", integrates ? "balanced OUT" : "at OUT", f->model.out0,
                 j->loop.out_units);
}

static void print_fit(const job *j)
{
    const rk_fit *f = &j->fit;
    const rk_level worst = rk_findings_worst(&f->findings);
    static const char *const verdicts[] = {"GOOD", "USABLE, with care", "UNFIT"};

    show_verdict(verdicts[worst], worst != RK_LEVEL_UNFIT);
    (void)printf(": %s, %s, %zu rows, %zu move%s of OUT\n\n",
                 rk_model_kind_words(f->model.kind), j->loop.record_file, f->rows, f->moves,
                 f->moves == 1 ? "" : "s");
    print_model(j);
    (void)printf(
        "  The model explains %.1f %% of PV's movement. It leaves %.3g %s (rms), with a\n"
        "  correlation from row to row of %.2f (0: pure noise).\n",
        f->fit_percent, f->rmse, j->loop.pv_units, f->residual_correlation);
    show_findings(&f->findings);
}

static rk_status draw(const job *j, const void *what, const rk_figure_style *style,
                      rk_text *image, rk_diag *diag)
{
    return rk_figure_fit(&j->loop, j->record, what, style, image, diag);
}

static int run(job *j)
{
    rk_diag diag = {RK_OK, ""};
    int status = load(j);

    if (status == EXIT_DONE) {
        j->loop.has_model = false; /* a model in the file is what this command replaces */
        status = need_record(j);
    }
    if (status == EXIT_DONE) {
        status = need_model(j);
    }
    if (status == EXIT_DONE && j->json) {
        rk_text *text = rk_text_create();
        const rk_status made = rk_json_fit(&j->fit, text, &diag);

        status = print_json(j, text, made, &diag);
    } else if (status == EXIT_DONE) {
        print_fit(j);
    }
    if (status == EXIT_DONE) {
        status = write_figure(j, draw, &j->fit);
    }
    if (status != EXIT_DONE) return status;
    if (rk_findings_worst(&j->fit.findings) == RK_LEVEL_UNFIT) {
        if (j->save) {
            (void)fail(j, 0, "an unfit model is not saved");
        }
        return EXIT_VERDICT_NO;
    }
    if (j->save) {
        const rk_status saved = rk_loop_file_save_model(j->input, &j->loop, &diag);

        if (saved != RK_OK) return fail_diag(j, saved, &diag);
        if (!j->json) {
            (void)printf("\nSaved as [model] in %s.\n", j->input);
        }
    }
    return EXIT_DONE;
}

int cmd_fit(int argc, char **argv)
{
    job j = job_make("fit");

    return run_command(&argp, argc, argv, &j, run);
}
