/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "check_view.h"

enum { OPT_DELAY_SCANS = 0xA000, OPT_TASK, OPT_MODEL_ERROR, OPT_SP, OPT_ORDER };

static const struct argp_option options[] = {
    {NULL, 0, NULL, 0, "What to look at:", 5},
    {"delay-scans", OPT_DELAY_SCANS, "N", 0,
     "scans from PV's sample to OUT's change: computing, communication (default: 0)", 5},
    {"task", OPT_TASK, "TIME", 0, "interval of the PLC's task that calls the block", 5},
    {"sp", OPT_SP, "PV", 0, "can OUT hold this setpoint? May be given several times", 5},
    {"model-error", OPT_MODEL_ERROR, "PERCENT", 0,
     "each number of the model wrong by so much (default: 20)", 5},
    {"order", OPT_ORDER, "N", 0,
     "--figure shows the model, beside its dead time as a rational function of this order", 7},
    {0},
};

static error_t parse(int key, char *arg, struct argp_state *state)
{
    check_job *c = state->input;

    switch (key) {
    case OPT_DELAY_SCANS:
        take_number(state, "delay-scans", arg, &c->plan.delay_scans);
        return 0;
    case OPT_TASK:
        take_time(state, "task", arg, &c->plan.task);
        return 0;
    case OPT_MODEL_ERROR:
        take_number(state, "model-error", arg, &c->model_error);
        return 0;
    case OPT_ORDER:
        take_number(state, "order", arg, &c->order);
        return 0;
    case OPT_SP:
        if (c->plan.setpoints == RK_CHECK_SETPOINTS) {
            argp_failure(state, EXIT_USAGE, 0, "--sp: at most %d of them", RK_CHECK_SETPOINTS);
        }
        take_number(state, "sp", arg, &c->plan.setpoint[c->plan.setpoints++]);
        return 0;
    default:
        return parse_common(key, arg, state);
    }
}

static const struct argp_child children[] = {
    {&column_options, 0, "The record, if there is no model:", 1},
    {&model_options, 0, "The model:", 2},
    {&tuning_options, 0, "The settings, by a rule:", 3},
    {&settings_options, 0, "The settings, by hand:", 4},
    {&windup_options, 0, NULL, 4},
    {&scan_options, 0, "The PLC:", 6},
    {&limit_options, 0, NULL, 6},
    {&output_options, 0, "Output:", 7},
    {&figure_option, 0, NULL, 7},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "[LOOP.loop|RECORD.csv]",
    "Margins, gain limits and a verdict, with the exact dead time; what the scan, the valve's "
    "range, windup, the arithmetic and a wrong model make of them.\v"
    "What the loop must do is asked for in its file's [require]. Exit status 1: a requirement "
    "is missed. Example: redkettle check --gain 2 --time-constant 10s --dead-time 5s --kc 1.2 "
    "--ti 10s --scan 1s",
    children,
    NULL,
    NULL};

/* How often the record was sampled that the model is from; NaN: not known. */
static double record_interval(const job *j)
{
    const rk_design *d = &j->loop;
    const rk_columns columns = {d->time_column, d->out_column, d->pv_column, d->quality_column,
                                d->record_time_unit};
    rk_record *read = NULL;
    const rk_record *record = j->record;
    rk_import import;
    double interval = nan("");

    if (record == NULL && d->record_path[0] != '\0' &&
        rk_record_read(d->record_path, &columns, &read, &import, NULL) == RK_OK) {
        record = read;
    }
    if (record != NULL && rk_record_rows(record) > 1) {
        const size_t last = rk_record_rows(record) - 1;
        const double *time = rk_record_time(record);

        interval = (time[last] - time[0]) / (double)last;
    }
    rk_record_free(read);
    return interval;
}

static rk_status draw(const job *j, const void *what, const rk_figure_style *style,
                      rk_text *image, rk_diag *diag)
{
    const check_job *c = what;

    if (!isnan(c->order)) return rk_figure_model(&j->loop, (int)c->order, style, image, diag);
    return rk_figure_frequency(&j->loop, &c->check, &c->plan, style, image, diag);
}

static int run(job *j)
{
    check_job *c = (check_job *)j; /* the job is its first member */
    rk_diag diag = {RK_OK, ""};
    int result = load(j);
    rk_status status;

    if (result == EXIT_DONE) {
        result = need_model(j);
    }
    if (result == EXIT_DONE) {
        result = need_settings(j);
    }
    if (result != EXIT_DONE) return result;
    if (!isnan(c->order) &&
        (j->figure == NULL || !(c->order >= 1 && c->order <= RK_RATIONAL_MAX) ||
         c->order != floor(c->order))) {
        return fail(j, EXIT_USAGE, "--order goes with --figure: give a whole number, 1 to %d",
                    RK_RATIONAL_MAX);
    }
    if (!isnan(c->model_error)) {
        c->plan.model_error = c->model_error / 100.0;
    }
    c->plan.record_interval = record_interval(j);
    status = rk_check_compute(&j->loop, &c->plan, &c->check, &diag);
    if (status == RK_ERR_RANGE) return fail(j, EXIT_USAGE, "%s", diag.text);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    if (j->json) {
        rk_text *text = rk_text_create();
        const rk_status made = rk_json_check(&c->check, &c->plan, &j->loop, text, &diag);

        result = print_json(j, text, made, &diag);
    } else {
        print_check(c);
    }
    if (result == EXIT_DONE) {
        result = write_figure(j, draw, c);
    }
    if (result != EXIT_DONE) return result;
    return c->check.verdict.met ? EXIT_DONE : EXIT_VERDICT_NO;
}

int cmd_check(int argc, char **argv)
{
    check_job c = {.j = job_make("check"),
                   .plan = rk_check_plan_make(),
                   .model_error = nan(""),
                   .order = nan("")};

    return run_command(&argp, argc, argv, &c.j, run);
}
