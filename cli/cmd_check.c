/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"

typedef struct check_job {
    job j;
    rk_check_plan plan;
    double task, model_error, order;
    rk_check check;
} check_job;

static void make(job *j)
{
    ((check_job *)j)->plan = rk_check_plan_make();
}

static void take_setpoint(job *j, struct argp_state *state, const command_option *o,
                          const char *arg)
{
    rk_check_plan *plan = &((check_job *)j)->plan;
    double value = 0;

    if (!rk_number_parse(arg, strlen(arg), &value)) {
        refuse_option(state, o->name, ": '%s' is not a number; use a decimal point", arg);
    } else if (plan->setpoints == RK_CHECK_SETPOINTS) {
        refuse_option(state, o->name, ": at most %d of them", RK_CHECK_SETPOINTS);
    } else {
        plan->setpoint[plan->setpoints++] = value;
    }
}

static int make_plan(job *j)
{
    check_job *c = (check_job *)j;
    if (!isnan(c->order) &&
        (c->j.figure == NULL || !(c->order >= 1 && c->order <= RK_RATIONAL_MAX) ||
         c->order != floor(c->order))) {
        return fail(&c->j, EXIT_USAGE,
                    "--order goes with --figure: give a whole number, 1 to %d",
                    RK_RATIONAL_MAX);
    }
    if (!isnan(c->model_error)) {
        c->plan.model_error = c->model_error / 100.0;
    }
    c->plan.task = c->task;
    if (j->record == NULL && j->loop.record_path[0] != '\0') { /* the model is from it */
        (void)read_record(j, j->loop.record_path, &j->record, &j->import, NULL);
    }
    if (j->record != NULL) {
        c->plan.record_interval = rk_record_interval(j->record);
    }
    return EXIT_DONE;
}

static rk_status draw(const job *j, const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    const check_job *c = (const check_job *)j;

    if (!isnan(c->order)) return rk_figure_model(&j->loop, (int)c->order, style, image, diag);
    return rk_figure_frequency(&j->loop, &c->check, &c->plan, style, image, diag);
}

static int check(job *j)
{
    check_job *c = (check_job *)j;
    rk_report *report;
    rk_diag diag = {RK_OK, ""};
    rk_status status = rk_check_compute(&j->loop, &c->plan, &c->check, &diag);
    int result;

    if (status != RK_OK) return fail_range(j, status, &diag);
    report = report_make(j);
    status = rk_report_add_check(report, &j->loop, &c->plan, &c->check);
    result = show_report(j, report, status, draw);
    if (result != EXIT_DONE) return result;
    return c->check.verdict.met ? EXIT_DONE : EXIT_VERDICT_NO;
}

#define TO(field) offsetof(check_job, field)

static const command_option options[] = {
    {NULL, NULL, 5, "What to look at:", TAKE_HEADING},
    {"task", "TIME", 5, "interval of the PLC's task that calls the block", TAKE_TIME, TO(task)},
    {"sp", "PV", 5, "can OUT hold this setpoint? May be given several times", TAKE_OWN, 0,
     take_setpoint},
    {"model-error", "PERCENT", 5, "each number of the model wrong by so much (default: 20)",
     TAKE_NUMBER, TO(model_error)},
    {"order", "N", 9,
     "--figure shows the model, beside its dead time as a rational function of this order",
     TAKE_NUMBER, TO(order)},
    {0},
};
static const struct argp_child groups[] = {
    {&column_options, 0, "The record, if there is no model:", 1},
    {&model_options, 0, "The model:", 2},
    {&tuning_options, 0, "The settings, by a rule:", 3},
    {&settings_options, 0, "The settings, by hand:", 4},
    {&windup_options, 0, NULL, 4},
    {&require_options, 0, "What the loop must do (default: [require]):", 6},
    {&noise_option, 0, "PV's noise:", 6},
    {&scan_options, 0, "The PLC:", 7},
    {&limit_options, 0, NULL, 7},
    {&output_options, 0, "Output:", 8},
    {&figure_option, 0, "Drawing:", 9},
    {0},
};

const command command_check = {
    .name = "check",
    .what = "margins, gain limits and a verdict",
    .input = "[LOOP.loop|RECORD.csv]",
    .help = "Margins, gain limits and a verdict, with the exact dead time; what the scan, the "
            "valve's range, windup, the arithmetic and a wrong model make of them.\v"
            "Exit status 1: a requirement is not met. Example: redkettle check --gain 2 "
            "--time-constant 10s --dead-time 5s --kc 1.2 --ti 10s --scan 1s",
    .options = options,
    .groups = groups,
    .size = sizeof(check_job),
    .make = make,
    .steps = (step_function *const[]){need_model, need_settings, make_plan, check, NULL},
};
