/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "cli.h"
#include "show.h"

enum { OPT_SORT = 0x8000, OPT_SPEED, OPT_FORMS };

/* The job is first, as run_command wants it. */
typedef struct tune_job {
    job j;
    const char *sort;
    bool speed, forms;

    rk_tuning list[RK_TUNINGS_MAX];
    rk_performance measures[RK_TUNINGS_MAX];
    int count;
    rk_trial *trials[CASES_MAX];
    rk_trial_plan plan;
} tune_job;

static const struct argp_option options[] = {
    {"sort", OPT_SORT, "COLUMN", 0,
     "order by rule, mode, kc, ti, td, gain-margin, phase-margin, ms, overshoot, settling, "
     "load-iae or travel (default: rules in their range first)",
     3},
    {"speed", OPT_SPEED, NULL, 0,
     "one knob from brisk to calm: what the closed-loop time constant costs and brings, by "
     "--rule "
     "(default: simc), with --figure as a fan of responses",
     3},
    {"forms", OPT_FORMS, NULL, 0,
     "one controller (by --rule, by hand, or the loop file's) in every form and unit", 3},
    {0},
};

static error_t parse(int key, char *arg, struct argp_state *state)
{
    tune_job *t = state->input;

    switch (key) {
    case OPT_SORT:
        t->sort = arg;
        return 0;
    case OPT_SPEED:
        t->speed = true;
        return 0;
    case OPT_FORMS:
        t->forms = true;
        return 0;
    default:
        return parse_common(key, arg, state);
    }
}

static const struct argp_child children[] = {
    {&column_options, 0, "The record, if there is no model:", 1},
    {&model_options, 0, "The model:", 2},
    {&tuning_options, 0, "The settings:", 3},
    {&settings_options, 0, NULL, 3},
    {&scan_options, 0, NULL, 3},
    {&output_options, 0, "Output:", 4},
    {&figure_option, 0, NULL, 4},
    {&save_option, 0, "Saving:", 5},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "[LOOP.loop|RECORD.csv]",
    "Settings by published rules, side by side, with what they do: margins, a setpoint step, a "
    "load "
    "step.\v"
    "Example: redkettle tune --gain -0.118 --time-constant 46.5s --dead-time 17.4s --sort ms",
    children,
    NULL,
    NULL};

/* The columns of the table, and how to sort by them. */
enum {
    RULE,
    MODE,
    KC,
    TI,
    TD,
    GAIN_MARGIN,
    PHASE_MARGIN,
    MS,
    OVERSHOOT,
    SETTLING,
    LOAD_IAE,
    TRAVEL,
    COLUMNS
};
static const char *const column_names[COLUMNS] = {
    "rule",         "mode", "kc",        "ti",       "td",       "gain-margin",
    "phase-margin", "ms",   "overshoot", "settling", "load-iae", "travel"};
typedef char row_cells[COLUMNS][SHOWN_CHARS];

static void values_of(const rk_tuning *t, const rk_performance *m, rk_form form,
                      double values[COLUMNS])
{
    const double none = nan("");
    rk_form_values v = {form, none, none, none, none};

    if (t->usable) {
        (void)rk_settings_to_form(&t->settings, form, &v, NULL);
    }
    values[RULE] = values[MODE] = none;
    values[KC] = v.gain;
    values[TI] = v.integral;
    values[TD] = v.derivative;
    values[GAIN_MARGIN] = m->margins.gain_margin;
    values[PHASE_MARGIN] = m->margins.phase_margin;
    values[MS] = m->margins.ms;
    values[OVERSHOOT] = m->overshoot;
    values[SETTLING] = m->settling;
    values[LOAD_IAE] = m->load_iae;
    values[TRAVEL] = m->travel;
}

static void fill_row(const tune_job *job_, int at, row_cells cells)
{
    const job *j = &job_->j;
    const rk_tuning *t = &job_->list[at];
    const double unit = j->minutes ? 60.0 : 1.0;
    double values[COLUMNS];
    int i;

    values_of(t, &job_->measures[at], j->typed.given.form, values);
    values[TI] =
        j->typed.given.form == RK_FORM_PARALLEL ? values[TI] * unit : values[TI] / unit;
    values[TD] /= unit;
    values[SETTLING] /= unit;
    values[LOAD_IAE] /= unit;
    (void)snprintf(cells[RULE], SHOWN_CHARS, "%s%s", t->rule, t->in_range ? "" : " *");
    (void)snprintf(cells[MODE], SHOWN_CHARS, "%s", t->mode);
    for (i = KC; i < COLUMNS; i++) {
        show_number(cells[i], values[i], i >= GAIN_MARGIN ? 3 : 4);
    }
    if (t->usable && !job_->measures[at].margins.stable) {
        (void)snprintf(cells[GAIN_MARGIN], SHOWN_CHARS, "UNSTABLE");
    }
}

static void fill_header(const job *j, row_cells cells)
{
    const bool parallel = j->typed.given.form == RK_FORM_PARALLEL;
    const char *const time = j->minutes ? "min" : "s";

    (void)snprintf(cells[RULE], SHOWN_CHARS, "rule");
    (void)snprintf(cells[MODE], SHOWN_CHARS, "mode");
    (void)snprintf(cells[KC], SHOWN_CHARS, "%s, %.20s/%.20s", parallel ? "kp" : "kc",
                   j->loop.out_units, j->loop.pv_units);
    (void)snprintf(cells[TI], SHOWN_CHARS, parallel ? "ki, 1/%s" : "ti, %s", time);
    (void)snprintf(cells[TD], SHOWN_CHARS, parallel ? "kd, %s" : "td, %s", time);
    (void)snprintf(cells[GAIN_MARGIN], SHOWN_CHARS, "GM");
    (void)snprintf(cells[PHASE_MARGIN], SHOWN_CHARS, "PM, deg");
    (void)snprintf(cells[MS], SHOWN_CHARS, "Ms");
    (void)snprintf(cells[OVERSHOOT], SHOWN_CHARS, "over, %%");
    (void)snprintf(cells[SETTLING], SHOWN_CHARS, "settled, %s", time);
    (void)snprintf(cells[LOAD_IAE], SHOWN_CHARS, "load IAE");
    (void)snprintf(cells[TRAVEL], SHOWN_CHARS, "travel");
}

static void print_table(const tune_job *t)
{
    row_cells rows[RK_TUNINGS_MAX + 1];
    int i;

    fill_header(&t->j, rows[0]);
    for (i = 0; i < t->count; i++) {
        fill_row(t, i, rows[i + 1]);
    }
    show_table(rows[0], (size_t)t->count + 1, COLUMNS, 2);
}

static bool says_the_same(const rk_tuning *a, const rk_tuning *b)
{
    return strcmp(a->rule, b->rule) == 0 && strcmp(a->note, b->note) == 0;
}

static void print_notes(const tune_job *t)
{
    char line[600];
    int i, k;

    for (i = 0; i < t->count; i++) {
        const rk_tuning *one = &t->list[i];
        size_t used;

        if (one->note[0] == '\0' || (i > 0 && says_the_same(one, &t->list[i - 1]))) continue;
        used = (size_t)snprintf(line, sizeof line, "%s %s", one->rule, one->mode);
        for (k = i + 1; k < t->count && says_the_same(one, &t->list[k]); k++) {
            used += (size_t)snprintf(line + used, sizeof line - used, ", %s", t->list[k].mode);
        }
        (void)snprintf(line + used, sizeof line - used, ": %s.", one->note);
        show_paragraph(line);
    }
    if (t->j.rule == NULL) return;
    for (i = 0; i < t->count; i++) {
        if (i > 0 && strcmp(t->list[i].source, t->list[i - 1].source) == 0) continue;
        (void)snprintf(line, sizeof line, "Source: %s.", t->list[i].source);
        show_paragraph(line);
    }
}

static void print_tunings(const tune_job *t)
{
    const job *j = &t->j;
    char process[200], lambda[SHOWN_CHARS];
    int i, out = 0;

    for (i = 0; i < t->count; i++) {
        out += !t->list[i].in_range;
    }
    describe_model(j, process, sizeof process);
    (void)printf("%s form, for %s\n\n", rk_form_to_text(j->typed.given.form), process);
    print_table(t);
    (void)printf(
        "\n  over, settled, travel: setpoint step of 1 %s, OUT unlimited; load IAE in %s %s "
        "for a load of 1 %s.\n",
        j->loop.pv_units, j->loop.pv_units, j->minutes ? "min" : "s", j->loop.out_units);
    show_time(lambda,
              isnan(j->knobs.lambda) ? rk_lambda_default(&j->loop.model) : j->knobs.lambda,
              j->minutes);
    (void)printf("  lambda %s%s.\n", lambda,
                 isnan(j->knobs.lambda) ? " unless a note says more: the dead time, at least a "
                                          "tenth of the time constant"
                                        : "");
    if (out > 0) {
        (void)printf("  * : outside the range that the rule was made for\n");
    }
    if (!isnan(j->knobs.ultimate_gain)) {
        show_time(lambda, j->knobs.ultimate_period, j->minutes);
        (void)printf("  Ultimate point as measured: gain %.4g %s/%s, period %s.\n",
                     j->knobs.ultimate_gain, j->loop.out_units, j->loop.pv_units, lambda);
    }
    print_notes(t);
}

static int measure_all(tune_job *t)
{
    rk_diag diag = {RK_OK, ""};
    int i;

    for (i = 0; i < t->count; i++) {
        rk_status status;

        t->measures[i] = rk_performance_none();
        if (!t->list[i].usable) continue;
        status = rk_performance_compute(&t->j.loop.model, &t->list[i].settings, t->j.loop.ts,
                                        &t->measures[i], &diag);
        if (status != RK_OK) return fail_diag(&t->j, status, &diag);
    }
    return EXIT_DONE;
}

static bool comes_before(const tune_job *t, int a, int b, int column)
{
    double left[COLUMNS], right[COLUMNS];

    if (column == RULE) return strcmp(t->list[a].rule, t->list[b].rule) < 0;
    if (column == MODE) return strcmp(t->list[a].mode, t->list[b].mode) < 0;
    values_of(&t->list[a], &t->measures[a], RK_FORM_IDEAL, left);
    values_of(&t->list[b], &t->measures[b], RK_FORM_IDEAL, right);
    if (isnan(left[column])) return false;
    return isnan(right[column]) || fabs(left[column]) < fabs(right[column]);
}

static int find_column(const tune_job *t, int *column)
{
    for (*column = 0; t->sort != NULL && *column < COLUMNS; ++*column) {
        if (strcasecmp(column_names[*column], t->sort) == 0) return EXIT_DONE;
    }
    if (t->sort == NULL) return EXIT_DONE;
    return fail(&t->j, EXIT_USAGE,
                "--sort: no column '%s'; known: rule, mode, kc, ti, td, gain-margin, "
                "phase-margin, ms, overshoot, settling, load-iae, travel",
                t->sort);
}

/* What does not exist goes last; equal ones keep their order. */
static void sort_rows(tune_job *t, int column)
{
    int i, k;

    for (i = 1; i < t->count && t->sort != NULL; i++) {
        for (k = i; k > 0 && comes_before(t, k, k - 1, column); k--) {
            const rk_tuning tuning = t->list[k];
            const rk_performance measures = t->measures[k];

            t->list[k] = t->list[k - 1];
            t->measures[k] = t->measures[k - 1];
            t->list[k - 1] = tuning;
            t->measures[k - 1] = measures;
        }
    }
}

static int tune_all(tune_job *t)
{
    const job *j = &t->j;
    const char *rule = j->rule != NULL && strcasecmp(j->rule, "all") != 0 ? j->rule : NULL;
    rk_diag diag = {RK_OK, ""};
    const rk_status status =
        rk_tunings_compute(&j->loop.model, rule, j->mode, &j->knobs, t->list, &t->count, &diag);
    int i;

    for (i = 0; status == RK_OK && i < t->count; i++) { /* no rule knows it; the loop has it */
        t->list[i].settings.pv_filter = j->loop.settings.pv_filter;
    }
    return status == RK_OK ? EXIT_DONE : fail(j, EXIT_USAGE, "--rule: %s", diag.text);
}

/* The knob in dead times, or in tenths of a slow process's time constant. */
static const double speeds[] = {0.25, 0.5, 0.75, 1, 1.5, 2, 3, 5, 8};
enum { SPEEDS = sizeof speeds / sizeof speeds[0] };

static int tune_speeds(tune_job *t)
{
    const char *rule = t->j.rule != NULL ? t->j.rule : "simc";
    const double base = rk_lambda_default(&t->j.loop.model);
    rk_knobs knobs = t->j.knobs;
    rk_diag diag = {RK_OK, ""};
    int i;

    for (i = 0; i < SPEEDS; i++) {
        knobs.lambda = speeds[i] * base;
        if (rk_tuning_compute(&t->j.loop.model, rule, t->j.mode, &knobs, &t->list[i], &diag) !=
            RK_OK) {
            return fail(&t->j, EXIT_USAGE, "--speed by %s: %s", rule, diag.text);
        }
        if (isnan(t->list[i].lambda)) {
            return fail(&t->j, EXIT_USAGE, "--speed: the rule %s has no lambda to turn", rule);
        }
        t->list[i].settings.pv_filter = t->j.loop.settings.pv_filter;
    }
    t->count = SPEEDS;
    return EXIT_DONE;
}

static void print_speeds(const tune_job *t)
{
    const double unit = t->j.minutes ? 60.0 : 1.0;
    char process[200];
    row_cells rows[SPEEDS + 1];
    int i;

    describe_model(&t->j, process, sizeof process);
    (void)printf("%s %s, from brisk to calm, for %s\n\n", t->list[0].rule, t->list[0].mode,
                 process);
    fill_header(&t->j, rows[0]);
    (void)snprintf(rows[0][RULE], SHOWN_CHARS, "lambda, %s", t->j.minutes ? "min" : "s");
    (void)snprintf(rows[0][MODE], SHOWN_CHARS, "in dead times");
    for (i = 0; i < SPEEDS; i++) {
        fill_row(t, i, rows[i + 1]);
        show_number(rows[i + 1][RULE], t->list[i].lambda / unit, 4);
        show_number(rows[i + 1][MODE],
                    t->j.loop.model.dead_time > 0
                        ? t->list[i].lambda / t->j.loop.model.dead_time
                        : HUGE_VAL,
                    3);
    }
    show_table(rows[0], SPEEDS + 1, COLUMNS, 0);
    (void)printf(
        "\n  A larger lambda buys margin (Ms nearer 1) with slower recovery (load IAE). Ms 1.4 "
        "to 1.6 stands\n  most errors of a model; beyond 2 little.\n");
}

/* The fan: a setpoint step and, when all have settled, a load step. */
static int fan_out(tune_job *t)
{
    static const int shown[] = {1, 3, 5, 6, 7};
    const rk_design *d = &t->j.loop;
    double length = 0;
    rk_diag diag = {RK_OK, ""};
    size_t i;

    for (i = 0; i < 5; i++) {
        const rk_trial_case c = {.plant = d->model, .settings = t->list[shown[i]].settings};

        length = fmax(length, 0.5 * rk_trial_time_to_settle(&c));
    }
    t->plan = (rk_trial_plan){.sp_step = 1.0,
                              .load_step = copysign(1.0 / fabs(d->model.gain), d->model.gain),
                              .load_at = length,
                              .duration = 2.0 * length,
                              .band = 0.02};
    if (rk_model_kind_integrates(d->model.kind)) {
        t->plan.load_step = 0.3 * t->list[3].settings.kc;
    }
    for (i = 0; i < 5; i++) {
        rk_trial_case c = {.plant = d->model,
                           .settings = t->list[shown[i]].settings,
                           .limits = rk_limits_none()};
        rk_status status;

        c.ts = isnan(d->ts) ? rk_scan_fast(&c.plant, &c.settings) : d->ts;
        (void)snprintf(c.name, sizeof c.name, "lambda %.3g s", t->list[shown[i]].lambda);
        status = rk_trial_create(&c, &t->plan, &t->trials[i], &diag);
        if (status != RK_OK) return fail_diag(&t->j, status, &diag);
    }
    return EXIT_DONE;
}

static rk_status draw_fan(const job *j, const void *what, const rk_figure_style *style,
                          rk_text *image, rk_diag *diag)
{
    const tune_job *t = what;

    return rk_figure_trial(&j->loop, &t->plan, (const rk_trial *const *)t->trials, 5, NULL,
                           style, image, diag);
}

static int run_speeds(tune_job *t)
{
    int status = tune_speeds(t);

    if (status == EXIT_DONE) {
        status = measure_all(t);
    }
    if (status != EXIT_DONE) return status;
    if (t->j.json) {
        rk_diag diag = {RK_OK, ""};
        rk_text *text = rk_text_create();

        return print_json(
            &t->j, text,
            rk_json_tune(t->list, t->measures, t->count, t->j.typed.given.form, text, &diag),
            &diag);
    }
    print_speeds(t);
    if (t->j.figure == NULL) return EXIT_DONE;
    status = fan_out(t);
    return status == EXIT_DONE ? write_figure(&t->j, draw_fan, t) : status;
}

/* One controller as each form and unit writes it. */
enum {
    FORM,
    GAIN,
    GAIN_PCT,
    BAND,
    INTEGRAL_S,
    INTEGRAL_MIN,
    REPEATS,
    DERIVATIVE_S,
    DERIVATIVE_MIN,
    FILTER,
    FILTER_RATIO,
    FORM_COLUMNS
};

static void fill_form(const job *j, rk_form form, char (*cells)[SHOWN_CHARS])
{
    const rk_settings *s = &j->loop.settings;
    const bool parallel = form == RK_FORM_PARALLEL;
    rk_form_values v;
    rk_diag why = {RK_OK, ""};
    double pct;
    int i;

    (void)snprintf(cells[FORM], SHOWN_CHARS, "%s", rk_form_to_text(form));
    for (i = GAIN; i < FORM_COLUMNS; i++) {
        (void)snprintf(cells[i], SHOWN_CHARS, "-");
    }
    if (rk_settings_to_form(s, form, &v, &why) != RK_OK) return;
    pct = rk_design_kc_pct(&j->loop, v.gain);
    show_number(cells[GAIN], v.gain, 5);
    show_number(cells[GAIN_PCT], pct, 5);
    show_number(cells[BAND], parallel ? nan("") : 100.0 / fabs(pct), 5);
    show_number(cells[INTEGRAL_S], v.integral, 5);
    show_number(cells[INTEGRAL_MIN], parallel ? 60.0 * v.integral : v.integral / 60.0, 5);
    show_number(cells[REPEATS], parallel ? nan("") : 60.0 / v.integral, 5);
    show_number(cells[DERIVATIVE_S], v.derivative, 5);
    show_number(cells[DERIVATIVE_MIN], v.derivative / 60.0, 5);
    show_number(cells[FILTER], v.tf, 5);
    show_number(cells[FILTER_RATIO], v.tf > 0 && !parallel ? v.derivative / v.tf : nan(""), 4);
}

static int show_forms(tune_job *t)
{
    static const char *const units[FORM_COLUMNS] = {
        "form",        "gain",       "gain, %/%", "band, %", "integral", "in min",
        "repeats/min", "derivative", "in min",    "tf, s",   "N = td/tf"};
    char cells[4 * FORM_COLUMNS][SHOWN_CHARS];
    rk_diag why = {RK_OK, ""};
    rk_form_values v;
    int status = need_settings(&t->j), i;

    if (status != EXIT_DONE) return status;
    if (t->j.json) return fail(&t->j, EXIT_USAGE, "--forms prints a table: leave --json out");
    for (i = 0; i < FORM_COLUMNS; i++) {
        (void)snprintf(cells[i], SHOWN_CHARS, "%s", units[i]);
    }
    for (i = 0; i < 3; i++) {
        fill_form(&t->j, (rk_form)i, cells + ((size_t)(i + 1) * FORM_COLUMNS));
    }
    (void)printf("%s, %s action: %s\n\n", rk_settings_mode(&t->j.loop.settings),
                 t->j.loop.settings.kc < 0 ? "direct" : "reverse",
                 t->j.loop.settings.kc < 0 ? "OUT rises with PV" : "OUT falls as PV rises");
    show_table(cells, 4, FORM_COLUMNS, 1);
    (void)printf(
        "\n  gain in %s per %s; ideal and series: integral ti and derivative td in s; "
        "parallel: gain kp, ki per s\n  (per min), kd in s (min). Band: proportional band "
        "in percent of PV's range.\n",
        t->j.loop.out_units, t->j.loop.pv_units);
    if (isnan(t->j.loop.pv_low) || isnan(t->j.loop.out_low)) {
        show_paragraph("Percent needs both ranges: give [pv] and [out] low and high.");
    }
    if (rk_settings_to_form(&t->j.loop.settings, RK_FORM_SERIES, &v, &why) != RK_OK) {
        show_paragraph(why.text);
    }
    return EXIT_DONE;
}

static int save(job *j)
{
    const int status = need_settings(j);

    return status == EXIT_DONE ? save_settings(j) : status;
}

static int print(tune_job *t)
{
    rk_diag diag = {RK_OK, ""};
    rk_text *text;

    if (!t->j.json) {
        print_tunings(t);
        return EXIT_DONE;
    }
    text = rk_text_create();
    return print_json(
        &t->j, text,
        rk_json_tune(t->list, t->measures, t->count, t->j.typed.given.form, text, &diag),
        &diag);
}

static int run_rules(tune_job *t)
{
    int column, status = find_column(t, &column);

    if (status == EXIT_DONE) {
        status = tune_all(t);
    }
    if (status == EXIT_DONE) {
        status = measure_all(t);
    }
    if (status == EXIT_DONE) {
        sort_rows(t, column);
        status = print(t);
    }
    return status == EXIT_DONE && t->j.save ? save(&t->j) : status;
}

static int run(job *j)
{
    tune_job *t = (tune_job *)j; /* the job is its first member */
    int status = load(j), i;

    if (status == EXIT_DONE && j->save &&
        (j->rule == NULL || strcasecmp(j->rule, "all") == 0)) {
        status = fail(j, EXIT_USAGE, "--save needs one rule: add --rule NAME");
    }
    if (status == EXIT_DONE && j->figure != NULL && !t->speed) {
        status = fail(j, EXIT_USAGE, "--figure draws the fan of --speed: add it, or use trial");
    }
    if (status == EXIT_DONE && (t->speed || t->forms) && (j->save || t->sort != NULL)) {
        status = fail(j, EXIT_USAGE, "--speed and --forms: leave --save and --sort out");
    }
    if (status == EXIT_DONE && t->forms && j->rule == NULL && j->loop.has_settings) {
        return show_forms(t);
    }
    if (status == EXIT_DONE) {
        status = need_model(j);
    }
    if (status == EXIT_DONE) {
        status = t->forms ? show_forms(t) : t->speed ? run_speeds(t) : run_rules(t);
    }
    for (i = 0; i < CASES_MAX; i++) {
        rk_trial_free(t->trials[i]);
    }
    return status;
}

int cmd_tune(int argc, char **argv)
{
    tune_job *t = calloc(1, sizeof *t);
    int status;

    if (t == NULL) return EXIT_NO_ACCESS;
    t->j = job_make("tune");
    status = run_command(&argp, argc, argv, &t->j, run);
    free(t);
    return status;
}
