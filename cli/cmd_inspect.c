/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"
#include "show.h"

enum { OPT_GAIN_WITHIN = 0x5000, OPT_DEAD_TIME_WITHIN };

/* The job is first, as run_command wants it. */
typedef struct inspect_job {
    job j;
    double gain_percent, dead_time_percent;
    rk_inspection inspection;
} inspect_job;

static const struct argp_option options[] = {
    {"gain-within", OPT_GAIN_WITHIN, "PERCENT", 0,
     "the next test shall give the gain to +- this (default 5)", 1},
    {"dead-time-within", OPT_DEAD_TIME_WITHIN, "PERCENT", 0,
     ".. and the dead time (default 10)", 1},
    {0},
};

static double percent(struct argp_state *state, const char *option, const char *arg)
{
    double value = 0;

    take_number(state, option, arg, &value);
    if (!(value > 0 && value <= 100)) {
        argp_failure(state, EXIT_USAGE, 0, "--%s %s: give a percentage above 0, up to 100",
                     option, arg);
    }
    return value;
}

static error_t parse(int key, char *arg, struct argp_state *state)
{
    inspect_job *i = state->input;

    switch (key) {
    case OPT_GAIN_WITHIN:
        i->gain_percent = percent(state, "gain-within", arg);
        return 0;
    case OPT_DEAD_TIME_WITHIN:
        i->dead_time_percent = percent(state, "dead-time-within", arg);
        return 0;
    default:
        return parse_common(key, arg, state);
    }
}

static const struct argp_child children[] = {
    {&column_options, 0, "The record:", 2},
    {&limit_options, 0, "OUT's limits, for the next test:", 3},
    {&output_options, 0, "Output:", 4},
    {&figure_option, 0, "Drawing:", 5},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "RECORD.csv|LOOP.loop",
    "Is a record fit for fitting, and what should the next test do better? The verdict is "
    "good, "
    "usable or unfit (exit status 1).\v"
    "Example: redkettle inspect test.csv --out-low 0 --out-high 100 --figure test.png",
    children,
    NULL,
    NULL};

rk_status inspect_record(const job *j, rk_inspection *inspection, double gain_percent,
                         double dead_time_percent, rk_diag *diag)
{
    rk_inspect_plan plan = rk_inspect_plan_make();

    plan.pv_low = j->loop.pv_low;
    plan.pv_high = j->loop.pv_high;
    plan.out_low = j->loop.out_low;
    plan.out_high = j->loop.out_high;
    plan.gain_wanted = gain_percent / 100.0;
    plan.dead_time_wanted = dead_time_percent / 100.0;
    plan.dropped = j->import.dropped;
    plan.read = j->import.dropped + rk_record_rows(j->record);
    return rk_inspection_compute(j->record, &plan, inspection, diag);
}

static const char *yes_no(rk_yes_no value)
{
    static const char *const words[] = {"no", "yes", "cannot be told"};

    return words[value];
}

static void print_moves(const job *j, const rk_inspection *made)
{
    size_t i;

    (void)printf("  moves of OUT     %zu", made->facts.moves);
    for (i = 0; i < made->facts.moves && i < RK_MOVES_MAX; i++) {
        const rk_move *m = &made->facts.move[i];
        char at[SHOWN_CHARS];

        show_time(at, m->at, j->minutes);
        (void)printf("%s%.4g to %.4g %s at %s",
                     i % 3 == 0 ? (i == 0 ? ":  " : ",\n                      ") : ",  ",
                     m->from, m->to, j->loop.out_units, at);
    }
    (void)printf("\n");
}

void print_inspection(const job *j, const rk_inspection *made)
{
    char text[400], shown[3][SHOWN_CHARS];

    show_level(rk_findings_worst(&made->findings));
    (void)printf(": %s\n\n", j->loop.record_file);
    show_time(shown[0], made->facts.duration, j->minutes);
    show_time(shown[1], made->facts.interval, j->minutes);
    (void)printf("  rows             %zu over %s, one every %s", made->facts.rows, shown[0],
                 shown[1]);
    if (made->facts.interval_max > 1.01 * made->facts.interval_min) {
        show_time(shown[0], made->facts.interval_min, j->minutes);
        show_time(shown[1], made->facts.interval_max, j->minutes);
        (void)printf(" (%s to %s)", shown[0], shown[1]);
    }
    (void)printf("\n");
    print_moves(j, made);
    (void)printf("  PV moved         %.4g %s", made->facts.pv_moved, j->loop.pv_units);
    if (isfinite(made->facts.signal_to_noise)) {
        (void)printf(", %.3g times its noise of %.3g %s", made->facts.signal_to_noise,
                     made->facts.noise, j->loop.pv_units);
    }
    if (made->facts.noise_correlation > 0.2) {
        (void)printf(" (correlation %.2f from row to row)", made->facts.noise_correlation);
    }
    (void)printf("\n  steady before    %s\n  steady after     %s\n",
                 yes_no(made->steady_before), yes_no(made->steady_after));
    if (made->has_model) {
        const rk_model *m = &made->rough.model;

        show_time(shown[0], m->dead_time, j->minutes);
        (void)printf("  a rough fit      %s: gain %.4g +-%.2g %%, dead time %s +-%.2g %s\n",
                     rk_model_kind_to_text(m->kind), m->gain, made->gain_percent, shown[0],
                     made->dead_time_error / (j->minutes ? 60.0 : 1.0),
                     j->minutes ? "min" : "s");
    }
    show_findings(&made->findings);
    (void)printf("\nThe next test:\n");
    rk_next_test_words(made, j->loop.out_units, text, sizeof text);
    show_paragraph(text);
}

static rk_status draw(const job *j, const void *what, const rk_figure_style *style,
                      rk_text *image, rk_diag *diag)
{
    return rk_figure_inspect(&j->loop, j->record, what, style, image, diag);
}

static int run(job *j)
{
    inspect_job *i = (inspect_job *)j; /* the job is its first member */
    rk_inspection *made = &i->inspection;
    rk_diag diag = {RK_OK, ""};
    int status = load(j);
    rk_status inspected;

    if (status == EXIT_DONE) {
        status = need_record(j);
    }
    if (status != EXIT_DONE) return status;
    inspected = inspect_record(j, made, i->gain_percent, i->dead_time_percent, &diag);
    if (inspected != RK_OK) return fail_diag(j, inspected, &diag);
    if (j->json) {
        rk_text *text = rk_text_create();
        const rk_status written = rk_json_inspect(made, j->import.dropped, text, &diag);

        status = print_json(j, text, written, &diag);
    } else {
        print_inspection(j, made);
    }
    if (status == EXIT_DONE) {
        status = write_figure(j, draw, made);
    }
    if (status != EXIT_DONE) return status;
    return rk_findings_worst(&made->findings) == RK_LEVEL_UNFIT ? EXIT_VERDICT_NO : EXIT_DONE;
}

int cmd_inspect(int argc, char **argv)
{
    inspect_job i = {.j = job_make("inspect"), .gain_percent = 5, .dead_time_percent = 10};

    return run_command(&argp, argc, argv, &i.j, run);
}
