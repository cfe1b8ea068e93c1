/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <unistd.h>

#include <redkettle/design/base/number.h>

#include "clock.h"
#include "cmd_search.h"

/* On a terminal how far it is, and what is left. */
static bool show_progress(void *user, double part)
{
    search_job *s = user;
    const double now = rk_clock_now();

    if (s->began == 0) {
        s->began = now;
    }
    if (!s->j.json && now - s->shown > 0.2) {
        const double left = (now - s->began) * (1.0 - part) / part;

        if (part > 0.05) {
            show_progress_line(
                "  searching: %3.0f %%, about %.0f s left; Ctrl-C takes the best "
                "so far",
                100.0 * part, left);
        } else {
            show_progress_line("  searching: %3.0f %%; Ctrl-C takes the best so far",
                               100.0 * part);
        }
        s->shown = now;
    }
    return !is_caught();
}

static int take_models(search_job *s)
{
    rk_design *d = &s->j.loop;
    rk_over over = RK_OVER_WORST;
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (s->over == NULL && isnan(s->model_error)) return EXIT_DONE;
    if (s->over != NULL && rk_over_from_text(s->over, &over, &diag) != RK_OK) {
        return fail(&s->j, EXIT_USAGE, "--over: %s", diag.text);
    }
    status = isnan(s->model_error)
                 ? rk_model_set_from_covariance(&d->model, &d->covariance, over, &s->set, &diag)
                 : rk_model_set_from_part(rk_design_process(d), s->model_error / 100.0, over,
                                          &s->set, &diag);
    if (status != RK_OK) return fail(&s->j, EXIT_USAGE, "--over: %s", diag.text);
    if (d->has_process && isnan(s->model_error)) {
        rk_model_set_take_process(&s->set, &d->model, &d->process);
    }
    s->plan.set = &s->set;
    return EXIT_DONE;
}

static int make_plan(job *j)
{
    search_job *s = (search_job *)j;
    rk_search_plan *p = &s->plan;
    rk_diag diag = {RK_OK, ""};

    *p = rk_search_plan_for(&s->j.loop);
    if (s->weigh_effort != NULL) {
        s->weights = rk_numbers_parse(s->weigh_effort, ',', false, s->weight, RK_WEIGHTS_MAX);
        if (s->weights == 0) {
            return fail(&s->j, EXIT_USAGE,
                        "--weigh-effort '%s': give a number, or up to %d with commas between: "
                        "0,0.1,1",
                        s->weigh_effort, RK_WEIGHTS_MAX);
        }
    }
    if (s->cost != NULL && rk_cost_from_text(s->cost, &p->cost, &diag) != RK_OK) {
        return fail(&s->j, EXIT_USAGE, "--cost: %s", diag.text);
    }
    if (s->effort != NULL && rk_effort_from_text(s->effort, &p->effort, &diag) != RK_OK) {
        return fail(&s->j, EXIT_USAGE, "--effort: %s", diag.text);
    }
    if (s->weigh_effort == NULL && (s->effort != NULL || !isnan(s->weigh_error))) {
        return fail(&s->j, EXIT_USAGE, "%s: give --weigh-effort too",
                    s->effort != NULL ? "--effort says how"
                                      : "--weigh-error alone weighs nothing");
    }
    p->weigh_error = isnan(s->weigh_error) ? p->weigh_error : s->weigh_error;
    p->weigh_effort = s->weights > 0 ? s->weight[0] : 0.0;
    p->mode = s->j.mode != NULL ? s->j.mode : "PI";
    p->filter_ratio = isnan(s->ratio) ? p->filter_ratio : s->ratio;
    p->threads = isnan(s->threads) ? 0 : (int)s->threads;
    p->go_on = show_progress;
    p->user = s;
    return take_models(s);
}

static int run_search(search_job *s)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (s->weights > 1) {
        return fail_range(
            &s->j, rk_tradeoff_compute(&s->plan, s->weight, s->weights, s->weighed, &diag),
            &diag);
    }
    status = rk_search_compute(&s->plan, &s->found, &diag);

    s->has_without = status == RK_OK && !s->found.stopped &&
                     rk_search_compute_without(&s->plan, &s->found, &s->without, NULL) == RK_OK;
    return fail_range(&s->j, status, &diag);
}

static rk_status draw(const job *j, const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    const search_job *s = (const search_job *)j;

    if (s->weights > 1) {
        return rk_figure_tradeoff(&j->loop, &s->plan, s->weight, s->weighed, s->weights, style,
                                  image, diag);
    }
    return rk_figure_grid(&j->loop, &s->plan, &s->swept, style, image, diag);
}

static int tell_tradeoff(job *j)
{
    search_job *s = (search_job *)j;
    const rk_tradeoff_results results = {.weight = s->weight,
                                         .found = s->weighed,
                                         .count = s->weights,
                                         .plan = &s->plan,
                                         .model_error = s->model_error};
    rk_report *report = report_make(j);

    return show_report(j, report, rk_report_add_tradeoff(report, &j->loop, &results), draw);
}

static int tell(job *j)
{
    search_job *s = (search_job *)j;
    const rk_search_results results = {
        .found = &s->found,
        .plan = &s->plan,
        .without = s->has_without ? &s->without : NULL,
        .form = s->j.typed.given.form,
        .model_error = s->model_error,
        .at_edge = s->is_grid && !s->refine && rk_grid_is_edge(&s->swept.grid, s->swept.best)};
    rk_report *report = report_make(&s->j);
    rk_diag diag = {RK_OK, ""};
    const int status =
        show_report(j, report, rk_report_add_search(report, &j->loop, &results), draw);
    rk_text *text;
    rk_status made;

    if (status != EXIT_DONE || s->runs == NULL) return status;
    text = rk_text_create();
    made = rk_grid_to_csv(&s->swept, text, &diag);
    return write_text(j, s->runs, text, made, &diag);
}

static int tell_all(job *j)
{
    return ((search_job *)j)->weights > 1 ? tell_tradeoff(j) : tell(j);
}

static int save(job *j)
{
    search_job *s = (search_job *)j;
    rk_design *d = &s->j.loop;
    size_t i;

    for (i = 0; i < s->weights && s->weights > 1; i++) {
        if (!s->weighed[i].met) return EXIT_VERDICT_NO;
    }
    if (s->weights > 1) return EXIT_DONE;

    if (!s->found.met) {
        return j->save ? fail(j, EXIT_VERDICT_NO, "not saved: a requirement is not met")
                       : EXIT_VERDICT_NO;
    }
    rk_settings_take_numbers(&d->settings, &s->found.settings);
    d->has_settings = true;
    (void)snprintf(d->rule, sizeof d->rule, "search %s", rk_cost_to_text(s->plan.cost));
    d->lambda = nan("");
    return save_settings(j);
}

/* Several weights of the effort. */
static bool has_weights(const search_job *s)
{
    return s->weigh_effort != NULL && strchr(s->weigh_effort, ',') != NULL;
}

static int check_options(job *j)
{
    const search_job *s = (const search_job *)j;

    if (s->j.rule != NULL) {
        return fail(&s->j, EXIT_USAGE, "settings are what is searched: leave --rule out");
    }
    if (!s->is_grid && (s->runs != NULL || (s->j.figure != NULL && !has_weights(s)))) {
        return fail(&s->j, EXIT_USAGE, "%s",
                    s->runs != NULL
                        ? "--runs keeps the runs of a sweep: give --kc and --ti LOW:HIGH:STEP"
                        : "--figure draws a sweep, or several weights of the effort: give --kc "
                          "and --ti LOW:HIGH:STEP, or --weigh-effort 0,1,10");
    }
    if (take_table(j, "runs", s->runs) != EXIT_DONE) return EXIT_USAGE;
    if (has_weights(s) && (s->is_grid || s->j.save)) {
        return fail(&s->j, EXIT_USAGE, "%s: give one weight of the effort, not several",
                    s->is_grid ? "a sweep" : "--save keeps one controller");
    }
    if (s->refine && !s->is_grid) {
        return fail(&s->j, EXIT_USAGE, "--refine goes with a sweep: give --kc LOW:HIGH:STEP");
    }
    return EXIT_DONE;
}

static int search(job *j)
{
    search_job *s = (search_job *)j;
    int status;

    catch_signals();
    status = s->is_grid ? run_sweep(s) : run_search(s);
    show_progress_line(NULL);
    return status;
}

static void free_points(job *j)
{
    rk_grid_runs_free(&((search_job *)j)->swept);
}

#define TO(field) offsetof(search_job, field)

static const command_option options[] = {
    {NULL, NULL, 1, "The search:", TAKE_HEADING},
    {"cost", "COST", 1,
     "the cost to minimise: load-, setpoint- or both- with iae, ise or itae (load-iae), or ms, "
     "the lowest maximum sensitivity (default: ms where settling, rise, peak or recovery is "
     "asked for, load-iae otherwise)",
     TAKE_TEXT, TO(cost)},
    {"weigh-effort", "WEIGHT[,..]", 1,
     "add the control effort times this to the cost (default: 0); several weights: a table of what "
     "less effort costs",
     TAKE_TEXT, TO(weigh_effort)},
    {"weigh-error", "WEIGHT", 1, "count the cost itself times this (default: 1)", TAKE_NUMBER,
     TO(weigh_error)},
    {"effort", "HOW", 1,
     "control effort as squares of OUT's moves, as travel, or as energy, the integral of (OUT - "
     "OUT at rest)^2 (default: squares)",
     TAKE_TEXT, TO(effort)},
    {"over", "HOW", 1,
     "judge by the worst case or by the mean over an uncertain model: worst or mean", TAKE_TEXT,
     TO(over)},
    {"model-error", "PERCENT", 1,
     "how uncertain the model is: each of its numbers wrong by so much (default: the model's 95 "
     "% region)",
     TAKE_NUMBER, TO(model_error)},
    {"tf-ratio", "N", 1, "derivative filter time as td / N (default: 10)", TAKE_NUMBER,
     TO(ratio)},
    {"threads", "N", 1, "processors to use (default: all; the result is the same)", TAKE_NUMBER,
     TO(threads)},
    {NULL, NULL, 2, "A sweep, instead of a search: every point of a grid", TAKE_HEADING},
    {"kc", "LOW:HIGH:STEP", 2, "sweep: the gains", TAKE_OWN, TO(ideal.gain), take_axis},
    {"ti", "LOW:HIGH:STEP", 2, "sweep: the integral times", TAKE_OWN, TO(ideal.integral),
     take_axis},
    {"td", "LOW:HIGH:STEP", 2, "sweep: the derivative times", TAKE_OWN, TO(ideal.derivative),
     take_axis},
    {"kp", "LOW:HIGH:STEP", 2, "sweep: the gains of the parallel form, instead of --kc",
     TAKE_OWN, TO(parallel.gain), take_axis},
    {"ki", "LOW:HIGH:STEP", 2, "sweep: its integral gains, OUT units per PV unit and second",
     TAKE_OWN, TO(parallel.integral), take_axis},
    {"kd", "LOW:HIGH:STEP", 2, "sweep: its derivative gains, OUT units seconds per PV unit",
     TAKE_OWN, TO(parallel.derivative), take_axis},
    {"refine", NULL, 2, "sweep again, ever closer around the best point", TAKE_FLAG,
     TO(refine)},
    {"runs", "FILE.csv", 2, "write every point of the sweep here", TAKE_TEXT, TO(runs)},
    {0},
};
static const struct argp_child groups[] = {
    {&require_options, 0, "What the loop must do (default: [require]; ms: 1.6):", 3},
    {&noise_option, 0, "PV's noise:", 3},
    {&column_options, 0, "The record, if there is no model:", 4},
    {&model_options, 0, "The model:", 4},
    {&tuning_options, 0, "The controller (--mode, --form):", 5},
    {&scan_options, 0, NULL, 5},
    {&limit_options, 0, NULL, 5},
    {&output_options, 0, "Output:", 6},
    {&figure_option, 0, "Drawing a sweep, or several weights:", 7},
    {&save_option, 0, "Saving:", 8},
    {0},
};

const command command_search = {
    .name = "search",
    .what = "settings that meet requirements at the lowest cost",
    .input = "[LOOP.loop|RECORD.csv]",
    .help = "Settings that meet the requirements (options, or the loop file's [require]) at "
            "the lowest cost, or the closest settings found and the limiting requirement. The "
            "search sees OUT's limits and rate, and the scan.\v"
            "Example: redkettle search blend-brix.loop --overshoot 5 --settling 3min --mode "
            "PID",
    .options = options,
    .groups = groups,
    .size = sizeof(search_job),
    .steps = (step_function *const[]){check_options, need_model, make_plan, search, tell_all,
                                      save, NULL},
    .free = free_points,
};
