/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <strings.h>

#include "cli.h"

typedef struct tune_job {
    job j;
    const char *sort;
    bool speed, forms;
    rk_tuning list[RK_TUNINGS_MAX];
    rk_performance performance[RK_TUNINGS_MAX];
    size_t count;
} tune_job;

/* Settings that were typed, in a row of their own before the rules'. */
static const char typed[] = "as typed";

static void add_typed(tune_job *t)
{
    rk_tuning *row = t->list;

    if (t->count == RK_TUNINGS_MAX) {
        t->count--;
    }
    memmove(t->list + 1, t->list, t->count * sizeof *t->list);
    memset(row, 0, sizeof *row);
    row->rule = typed;
    row->mode = rk_settings_mode(&t->j.loop.settings);
    row->source = "by hand";
    row->settings = t->j.loop.settings;
    row->lambda = nan("");
    row->usable = row->in_range = true;
    t->count++;
}

/* Settings by the rules, or by one rule at several speeds, each within the loop's others: what a
 * row's figures hold for is what is saved. */
static int tune_all(job *j)
{
    tune_job *t = (tune_job *)j;
    const char *rule = j->rule != NULL && strcasecmp(j->rule, "all") != 0 ? j->rule : NULL;
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    size_t i;

    if (j->save && settings_are_given(j)) {
        status = RK_OK; /* they alone */
    } else if (t->speed) {
        t->count = RK_TUNING_SPEEDS;
        status = rk_tunings_compute_speeds(&j->loop.model, rule != NULL ? rule : "simc",
                                           j->mode, &j->knobs, t->list, &diag);
    } else {
        status = rk_tunings_compute(j->loop.has_model ? &j->loop.model : NULL, rule, j->mode,
                                    &j->knobs, t->list, &t->count, &diag);
    }
    if (status != RK_OK) {
        return fail(j, EXIT_USAGE, "%s: %s", t->speed ? "--speed" : "--rule", diag.text);
    }
    if (settings_are_given(j)) {
        add_typed(t);
    }
    for (i = 0; i < t->count && j->loop.has_model; i++) {
        t->performance[i] = rk_performance_none();
        if (!t->list[i].usable) continue;
        if (t->list[i].rule != typed) {
            within_loop(j, &t->list[i]);
        }
        status = rk_design_performance_compute(&j->loop, &t->list[i].settings,
                                               &t->performance[i], &diag);
        if (status != RK_OK) return fail_diag(j, status, &diag);
    }
    if (t->sort != NULL && !j->loop.has_model) {
        return fail(j, EXIT_USAGE, "--sort: there is no model, and nothing to sort by");
    }
    if (t->sort != NULL &&
        rk_tunings_sort(t->list, t->performance, t->count, t->sort, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "--sort: %s", diag.text);
    }
    return EXIT_DONE;
}

static rk_status draw(const job *j, const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    const tune_job *t = (const tune_job *)j;

    return rk_figure_speeds(&j->loop, t->list, t->count, style, image, diag);
}

/* Of several modes the one is saved that the rule alone would give; which, is said. */
static int save(job *j)
{
    const tune_job *t = (const tune_job *)j;
    size_t usable = 0, i;

    for (i = 0; i < t->count; i++) {
        usable += t->list[i].usable;
    }
    if (j->save && usable > 1) {
        note(j, j->input, "of the %zu rows the %s is saved; --mode takes another", usable,
             rk_settings_mode(&j->loop.settings));
    }
    return save_settings(j);
}

static int show_forms(const job *j)
{
    rk_report *report;

    if (rk_settings_is_on_off(&j->loop.settings)) {
        return fail(j, EXIT_USAGE, "on-off is two-position control: it has no forms");
    }
    report = report_make(j);

    return show_report(j, report, rk_report_add_forms(report, &j->loop), NULL);
}

static int tell(job *j)
{
    tune_job *t = (tune_job *)j;
    const rk_tune_results results = {.tuning = t->list,
                                     .performance = j->loop.has_model ? t->performance : NULL,
                                     .count = t->count,
                                     .form = t->j.typed.given.form,
                                     .knobs = &t->j.knobs,
                                     .speeds = t->speed,
                                     .sources = t->j.rule != NULL};
    rk_report *report = report_make(&t->j);

    return show_report(j, report, rk_report_add_tunings(report, &j->loop, &results), draw);
}

static int check_options(job *j)
{
    const tune_job *t = (const tune_job *)j;
    const wrong_option list[] = {
        {isnan(j->knobs.ultimate_gain) != isnan(j->knobs.ultimate_period),
         "an ultimate point is a gain and a period: give --ultimate-gain and --ultimate-period"},
        {j->save && !settings_are_given(j) &&
             (j->rule == NULL || strcasecmp(j->rule, "all") == 0),
         "--save needs one rule, or settings: add --rule NAME, or --kc and --ti"},
        {j->figure != NULL && !t->speed,
         "--figure draws the fan of --speed: add it, or use trial"},
        {t->speed && settings_are_given(j),
         "--speed shows one rule's settings: leave settings of your own out"},
        {(t->speed || t->forms) && (j->save || t->sort != NULL),
         "--speed and --forms: leave --save and --sort out"},
        {0},
    };

    return refuse_wrong(j, list);
}

/* A relay test's result, and neither a model nor a record to fit one to. */
static bool ultimate_alone(const job *j)
{
    return !isnan(j->knobs.ultimate_gain) && !isnan(j->knobs.ultimate_period) &&
           !j->loop.has_model && j->loop.record_path[0] == '\0';
}

static int tune(job *j)
{
    static step_function *const rules[] = {tune_all, tell, save, NULL};
    const tune_job *t = (const tune_job *)j;
    int status = EXIT_DONE;

    if (!(t->forms && j->rule == NULL && j->loop.has_settings) && !ultimate_alone(j)) {
        status = need_model(j);
    }
    if (status == EXIT_DONE && (t->forms || j->save)) {
        status = need_settings(j);
    }
    if (status != EXIT_DONE) return status;
    return t->forms ? show_forms(j) : take_steps(j, rules);
}

#define TO(field) offsetof(tune_job, field)

static const command_option options[] = {
    {"sort", "COLUMN", 3,
     "order by rule, mode, kc, ti, td, gain-margin, phase-margin, ms, overshoot, settling, "
     "load-iae or travel (default: rules in their range first)",
     TAKE_TEXT, TO(sort)},
    {"speed", NULL, 3,
     "one rule with its closed-loop time constant lambda from fast to slow, by --rule "
     "(default: simc); --figure draws the responses",
     TAKE_FLAG, TO(speed)},
    {"forms", NULL, 3,
     "one controller (by --rule, by hand, or the loop file's) in every form and unit",
     TAKE_FLAG, TO(forms)},
    {0},
};
static const struct argp_child groups[] = {
    {&column_options, 0, "The record, if there is no model:", 1},
    {&model_options, 0, "The model:", 2},
    {&tuning_options, 0, "The settings:", 3},
    {&settings_options, 0, NULL, 3},
    {&windup_options, 0, NULL, 3},
    {&scan_options, 0, NULL, 3},
    {&output_options, 0, "Output:", 4},
    {&figure_option, 0, "Drawing --speed:", 4},
    {&save_option, 0, "Saving:", 5},
    {0},
};

const command command_tune = {
    .name = "tune",
    .what = "settings by published rules, side by side",
    .input = "[LOOP.loop|RECORD.csv]",
    .help = "Settings by published rules, side by side, with what they do: margins, a "
            "setpoint step, a load step.\vExample: redkettle tune --gain -0.118 "
            "--time-constant 46.5s --dead-time 17.4s --sort ms",
    .options = options,
    .groups = groups,
    .size = sizeof(tune_job),
    .steps = (step_function *const[]){check_options, tune, NULL},
};
