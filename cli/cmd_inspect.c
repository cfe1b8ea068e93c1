/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "cli.h"

typedef struct inspect_job {
    job j;
    double gain_percent, dead_time_percent;
    rk_inspection inspection;
    rk_findings findings;
} inspect_job;

static void make(job *j)
{
    inspect_job *i = (inspect_job *)j;

    i->gain_percent = 5;
    i->dead_time_percent = 10;
}

rk_status inspect_record(const job *j, double gain_percent, double dead_time_percent,
                         rk_inspection *inspection, rk_findings *findings, rk_diag *diag)
{
    rk_inspect_plan plan = rk_inspect_plan_of(&j->loop);

    plan.gain_wanted = gain_percent / 100.0;
    plan.dead_time_wanted = dead_time_percent / 100.0;
    plan.dropped = j->import.dropped;
    plan.read = j->import.dropped + rk_record_rows(j->record);
    return rk_inspection_compute(j->record, &plan, inspection, findings, diag);
}

static rk_status draw(const job *j, const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    const inspect_job *i = (const inspect_job *)j;

    return rk_figure_inspect(&j->loop, j->record, &i->inspection, &i->findings, style, image,
                             diag);
}

static int check_options(job *j)
{
    const inspect_job *i = (const inspect_job *)j;
    const bool gain = !(i->gain_percent > 0 && i->gain_percent <= 100);
    const double percent = gain ? i->gain_percent : i->dead_time_percent;

    if (percent > 0 && percent <= 100) return EXIT_DONE;
    return fail(j, EXIT_USAGE, "--%s %g: give a percentage above 0, up to 100",
                gain ? "gain-within" : "dead-time-within", percent);
}

static int inspect(job *j)
{
    inspect_job *i = (inspect_job *)j;
    rk_report *report;
    rk_diag diag = {RK_OK, ""};
    rk_status status = inspect_record(j, i->gain_percent, i->dead_time_percent, &i->inspection,
                                      &i->findings, &diag);
    int result;

    if (status != RK_OK) return fail_diag(j, status, &diag);
    report = report_make(j);
    status = rk_report_add_inspection(report, &j->loop, &i->inspection, &i->findings,
                                      j->import.dropped);
    result = show_report(j, report, status, draw);
    if (result != EXIT_DONE) return result;
    return i->inspection.level == RK_LEVEL_UNFIT ? EXIT_VERDICT_NO : EXIT_DONE;
}

#define TO(field) offsetof(inspect_job, field)

static const command_option options[] = {
    {NULL, NULL, 1, "What the next test shall give:", TAKE_HEADING},
    {"gain-within", "PERCENT", 1, "the next test shall give the gain to +- this (default: 5)",
     TAKE_NUMBER, TO(gain_percent)},
    {"dead-time-within", "PERCENT", 1,
     "the next test shall give the dead time to +- this (default: 10)", TAKE_NUMBER,
     TO(dead_time_percent)},
    {0},
};
static const struct argp_child groups[] = {
    {&column_options, 0, "The record:", 2},
    {&limit_options, 0, "OUT's limits, for the next test:", 3},
    {&output_options, 0, "Output:", 4},
    {&figure_option, 0, "Drawing:", 5},
    {0},
};

const command command_inspect = {
    .name = "inspect",
    .what = "is a record fit for fitting; what the next test should do better",
    .input = "RECORD.csv|LOOP.loop",
    .help = "Is a record fit for fitting, and what should the next test do better? The verdict "
            "is good, usable or unfit (exit status 1).\v"
            "Example: redkettle inspect test.csv --out-low 0 --out-high 100 --figure test.png",
    .options = options,
    .groups = groups,
    .size = sizeof(inspect_job),
    .make = make,
    .steps = (step_function *const[]){check_options, need_record, inspect, NULL},
};
