/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "cases.h"
#include "cli.h"
#include "open_step.h"
#include "show.h"

enum {
    OPT_SP_STEP = 0x2000,
    OPT_SP_RAMP,
    OPT_SP_TRAIN,
    OPT_SP_SINE,
    OPT_LOAD_STEP,
    OPT_LOAD_OUT,
    OPT_LOAD_AT,
    OPT_NOISE,
    OPT_SEED,
    OPT_PLANT,
    OPT_OPEN_STEP,
    OPT_FOR,
    OPT_BAND,
    OPT_CASE,
    OPT_CURVES,
    OPT_OVERLAY
};

/* The job and what only a trial is asked. The job is first: child parsers see it alone. */
typedef struct trial_job {
    job j;
    double sp_step, load_step, load_at, duration, band; /* NaN: not given */
    rk_setpoint_shape shape;
    double sp_time, load_out, noise, seed, open_step;
    bool on_plant;
    const char *cases[CASES_MAX];
    int case_count;
    const char *curves, *overlay;
} trial_job;

static const struct argp_option options[] = {
    {NULL, 0, NULL, 0, "The trial:", 8},
    {"sp-step", OPT_SP_STEP, "PV", 0, "setpoint step at 0 s, pv units", 8},
    {"sp-ramp", OPT_SP_RAMP, "TIME", 0, "it takes so long over it", 8},
    {"sp-train", OPT_SP_TRAIN, "PERIOD", 0, "or steps there and back, again and again", 8},
    {"sp-sine", OPT_SP_SINE, "PERIOD", 0, "or swings so far to both sides", 8},
    {"load-step", OPT_LOAD_STEP, "OUT", 0, "load step at the plant's input, out units", 8},
    {"load-out", OPT_LOAD_OUT, "PV", 0, "or at its output, pv units", 8},
    {"noise", OPT_NOISE, "PV", 0,
     "standard deviation of the noise that the controller sees (default: none)", 8},
    {"seed", OPT_SEED, "N", 0, "of the noise (default: 1)", 8},
    {"plant", OPT_PLANT, NULL, 0,
     "run on the loop file's [plant], its valve's faults and noise, not on the model", 8},
    {"open-step", OPT_OPEN_STEP, "OUT", 0,
     "instead of all that: step OUT by hand, and show what the process does", 8},
    {"load-at", OPT_LOAD_AT, "TIME", 0, "when the load steps (default: half way)", 8},
    {"for", OPT_FOR, "TIME", 0, "how long to run (default: long enough to settle)", 8},
    {"band", OPT_BAND, "PERCENT", 0, "settling band (default 2)", 8},
    {"case", OPT_CASE, "NAME: KEY=VALUE ...", 0,
     "another case beside the first, or another loop file; keys: " CASE_KEYS, 8},
    {"overlay", OPT_OVERLAY, "RECORD.csv", 0, "lay a recorded curve over it in the figure", 9},
    {"curves", OPT_CURVES, "FILE.csv", 0, "write every curve", 9},
    {0},
};

static void take_shape(struct argp_state *state, const char *arg, rk_setpoint_shape shape,
                       trial_job *t)
{
    char option[16];

    (void)snprintf(option, sizeof option, "sp-%s", rk_setpoint_shape_to_text(shape));
    if (t->shape != RK_SETPOINT_SHAPE_STEP) {
        argp_failure(state, EXIT_USAGE, 0, "--%s: the setpoint has one shape: give one",
                     option);
    }
    t->shape = shape;
    take_time(state, option, arg, &t->sp_time);
}

static error_t parse(int key, char *arg, struct argp_state *state)
{
    trial_job *t = state->input;

    switch (key) {
    case OPT_SP_RAMP:
        take_shape(state, arg, RK_SETPOINT_SHAPE_RAMP, t);
        return 0;
    case OPT_SP_TRAIN:
        take_shape(state, arg, RK_SETPOINT_SHAPE_TRAIN, t);
        return 0;
    case OPT_SP_SINE:
        take_shape(state, arg, RK_SETPOINT_SHAPE_SINE, t);
        return 0;
    case OPT_LOAD_OUT:
        take_number(state, "load-out", arg, &t->load_out);
        return 0;
    case OPT_NOISE:
        take_number(state, "noise", arg, &t->noise);
        return 0;
    case OPT_SEED:
        take_number(state, "seed", arg, &t->seed);
        return 0;
    case OPT_PLANT:
        t->on_plant = true;
        return 0;
    case OPT_OPEN_STEP:
        take_number(state, "open-step", arg, &t->open_step);
        return 0;
    case OPT_CURVES:
        t->curves = arg;
        return 0;
    case OPT_OVERLAY:
        t->overlay = arg;
        return 0;
    case OPT_SP_STEP:
        take_number(state, "sp-step", arg, &t->sp_step);
        return 0;
    case OPT_LOAD_STEP:
        take_number(state, "load-step", arg, &t->load_step);
        return 0;
    case OPT_LOAD_AT:
        take_time(state, "load-at", arg, &t->load_at);
        return 0;
    case OPT_FOR:
        take_time(state, "for", arg, &t->duration);
        return 0;
    case OPT_BAND:
        take_number(state, "band", arg, &t->band);
        return 0;
    case OPT_CASE:
        if (t->case_count == CASES_MAX) {
            argp_failure(state, EXIT_USAGE, 0, "at most %d cases", CASES_MAX);
        }
        t->cases[t->case_count++] = arg;
        return 0;
    default:
        return parse_common(key, arg, state);
    }
}

static const struct argp_child children[] = {
    {&column_options, 0, "The record, if there is no model:", 1},
    {&model_options, 0, "The model:", 2},
    {&tuning_options, 0, "The settings of the first case, by a rule:", 3},
    {&settings_options, 0, "The settings of the first case, by hand:", 4},
    {&windup_options, 0, "Anti-windup:", 5},
    {&scan_options, 0, "The PLC:", 6},
    {&limit_options, 0, "The valve:", 7},
    {&output_options, 0, "Output:", 10},
    {&figure_option, 0, "Drawing:", 9},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "[LOOP.loop|RECORD.csv]",
    "Run the loop on paper, scan by scan, several cases side by side.\v"
    "Without an operating point (--out0, --pv0 or the loop file) a trial starts at rest at "
    "zero. "
    "Example: redkettle trial plant.loop --sp-step 0.5 --load-step -5 --case \"calm: "
    "rule=lambda "
    "lambda=60s\" --figure trial.png",
    children,
    NULL,
    NULL};

/* A whole run: the plan and a trial each case. */
typedef struct runs {
    rk_trial_plan plan;
    rk_trial_case cases[CASES_MAX + 1];
    rk_trial *trials[CASES_MAX + 1];
    size_t count;
    rk_record *overlay;
} runs;

static void free_runs(runs *r)
{
    size_t i;

    for (i = 0; i < r->count; i++) {
        rk_trial_free(r->trials[i]);
    }
    rk_record_free(r->overlay);
}

/* The first case is the loop as it stands, unless it has no settings but other cases are given.
 */
static int make_cases(trial_job *t, runs *r)
{
    job *j = &t->j;
    const bool first = j->loop.has_settings || j->rule != NULL || t->case_count == 0;
    int status = EXIT_DONE, i;

    if (first) {
        status = need_settings(j);
        if (status != EXIT_DONE) return status;
        case_from_loop(j, t->on_plant, &r->cases[r->count]);
        r->count++;
    }
    for (i = 0; i < t->case_count && status == EXIT_DONE; i++) {
        status = case_from_text(j, t->on_plant, t->cases[i], &r->cases[r->count]);
        if (status == EXIT_DONE) {
            r->count++;
        }
    }
    return status;
}

/* Two significant digits, rounded up: a time that reads well. */
static double round_up(double seconds)
{
    const double unit = pow(10.0, floor(log10(seconds)) - 1.0);

    return unit * ceil(seconds / unit);
}

/* Whole swings of a train or a sine that are shown. */
#define SWINGS 3.0

/* Steps of a size that suits the loop: 5 % of PV's span, and the load that would move PV as
 * far. */
static void make_plan(const trial_job *t, runs *r)
{
    const rk_design *loop = &t->j.loop;
    const bool said = !isnan(t->sp_step) || !isnan(t->load_step) || !isnan(t->load_out);
    const double usual = isnan(loop->pv_low) ? 1.0 : 0.05 * (loop->pv_high - loop->pv_low);
    double settle = 0;
    size_t i;

    r->plan.sp_step = said ? 0.0 : usual;
    r->plan.load_step = said ? 0.0 : -usual / fabs(loop->model.gain);
    if (!isnan(t->sp_step)) {
        r->plan.sp_step = t->sp_step;
    }
    if (!isnan(t->load_step)) {
        r->plan.load_step = t->load_step;
    }
    if (!isnan(t->load_out)) {
        r->plan.load_step = t->load_out;
        r->plan.load_at_output = true;
    }
    r->plan.shape = t->shape;
    r->plan.sp_time = t->sp_time;
    r->plan.noise = isnan(t->noise) ? 0.0 : t->noise;
    if (isnan(t->noise) && t->on_plant && loop->plant.noise > 0) {
        r->plan.noise = loop->plant.noise;
    }
    r->plan.seed = isnan(t->seed) ? 1U : (unsigned)t->seed;
    r->plan.band = isnan(t->band) ? 0.02 : t->band / 100.0;

    for (i = 0; i < r->count; i++) {
        settle = fmax(settle, rk_trial_time_to_settle(&r->cases[i]));
    }
    settle = round_up(settle + (t->shape == RK_SETPOINT_SHAPE_RAMP ? t->sp_time : 0.0));
    if (t->shape == RK_SETPOINT_SHAPE_TRAIN || t->shape == RK_SETPOINT_SHAPE_SINE) {
        settle = fmax(settle, SWINGS * t->sp_time);
    }
    if (r->plan.sp_step != 0 && r->plan.load_step != 0) {
        settle *= 2.0;
    }
    r->plan.duration = isnan(t->duration) ? settle : t->duration;
    r->plan.load_at = isnan(t->load_at) ? 0.5 * r->plan.duration : t->load_at;
    if (isnan(t->load_at) && r->plan.sp_step == 0) {
        r->plan.load_at = 0;
    }
}

static int run_cases(const job *j, runs *r)
{
    size_t i;

    for (i = 0; i < r->count; i++) {
        rk_diag diag = {RK_OK, ""};
        const rk_status status = rk_trial_create(&r->cases[i], &r->plan, &r->trials[i], &diag);

        if (status == RK_ERR_MEMORY) return fail_diag(j, status, &diag);
        if (status != RK_OK) {
            return fail(j, EXIT_USAGE, "case '%s': %s", r->cases[i].name, diag.text);
        }
    }
    return EXIT_DONE;
}

/* The lines of the table: which step they belong to, and their unit as powers of three. */
enum { OF_SETPOINT, OF_LOAD, OF_OUT, METRICS = 14 };
static const struct {
    const char *name;
    int part, pv, out, time;
} metrics[METRICS] = {
    {"rise time", OF_SETPOINT, 0, 0, 1},     {"overshoot, %", OF_SETPOINT, 0, 0, 0},
    {"settling time", OF_SETPOINT, 0, 0, 1}, {"steady error", OF_SETPOINT, 1, 0, 0},
    {"IAE", OF_SETPOINT, 1, 0, 1},           {"ISE", OF_SETPOINT, 2, 0, 1},
    {"ITAE", OF_SETPOINT, 1, 0, 2},          {"load: peak", OF_LOAD, 1, 0, 0},
    {"load: recovery", OF_LOAD, 0, 0, 1},    {"load: IAE", OF_LOAD, 1, 0, 1},
    {"OUT travel", OF_OUT, 0, 1, 0},         {"OUT largest move", OF_OUT, 0, 1, 0},
    {"OUT reversals", OF_OUT, 0, 0, 0},      {"OUT saturated", OF_OUT, 0, 0, 1},
};

/* A line's figure, by its place in the list above. */
static double metric_of(const rk_trial_metrics *m, size_t which)
{
    const double all[METRICS] = {m->setpoint.rise_time,
                                 m->setpoint.overshoot_percent,
                                 m->setpoint.settling_time,
                                 m->setpoint.steady_error,
                                 m->setpoint.iae,
                                 m->setpoint.ise,
                                 m->setpoint.itae,
                                 m->load.peak_deviation,
                                 m->load.recovery_time,
                                 m->load.iae,
                                 m->travel,
                                 m->largest_move,
                                 (double)m->reversals,
                                 m->saturated_time};

    return all[which];
}

/* Append a unit to a name: a comma before the first, a blank before the next. */
static void add_unit(char *name, const char *unit, int power, bool *first)
{
    const size_t used = strlen(name);

    if (power == 0) return;
    (void)snprintf(name + used, SHOWN_CHARS - used, "%s%s%s", *first ? ", " : " ", unit,
                   power == 2 ? "^2" : "");
    *first = false;
}

static void fill_line(const job *j, const runs *r, size_t which, char (*row)[SHOWN_CHARS])
{
    const double unit = j->minutes ? 60.0 : 1.0;
    bool first = true;
    size_t i;

    (void)snprintf(row[0], SHOWN_CHARS, "%s", metrics[which].name);
    add_unit(row[0], j->loop.pv_units, metrics[which].pv, &first);
    add_unit(row[0], j->loop.out_units, metrics[which].out, &first);
    add_unit(row[0], j->minutes ? "min" : "s", metrics[which].time, &first);
    for (i = 0; i < r->count; i++) {
        const double value = metric_of(rk_trial_results(r->trials[i]), which);

        show_number(row[i + 1], value / pow(unit, metrics[which].time), 4);
    }
}

/* A header and a line each metric, a column each case; returns how many lines. */
static size_t fill_table(const job *j, const runs *r, char (*cells)[SHOWN_CHARS],
                         size_t columns)
{
    size_t lines = 1, i;

    cells[0][0] = '\0';
    for (i = 0; i < r->count; i++) {
        (void)snprintf(cells[i + 1], SHOWN_CHARS, "%s", r->cases[i].name);
    }
    for (i = 0; i < METRICS; i++) {
        if (metrics[i].part == OF_SETPOINT && r->plan.sp_step == 0) continue;
        if (metrics[i].part == OF_LOAD && r->plan.load_step == 0) continue;
        fill_line(j, r, i, cells + (lines++ * columns));
    }
    return lines;
}

static bool any_missing(char (*cells)[SHOWN_CHARS], size_t count)
{
    size_t i;

    for (i = 0; i < count; i++) {
        if (strcmp(cells[i], "-") == 0) return true;
    }
    return false;
}

/* A setpoint that OUT's limits cannot hold is said before its figures are read. */
static void print_hold(const job *j, const runs *r)
{
    const rk_trial_case *c = &r->cases[0];
    const double sp = c->plant.pv0 + r->plan.sp_step;
    rk_operating o;

    if (r->plan.sp_step == 0 || !rk_design_has_out_range(&j->loop) ||
        rk_operating_compute(&c->plant, &c->limits, sp, &o, NULL) != RK_OK || o.holds) {
        return;
    }
    (void)printf(
        "CAUTION: setpoint %.5g %s needs OUT at %.4g %s: the limits hold PV from %.5g to "
        "%.5g\n",
        sp, j->loop.pv_units, o.out, j->loop.out_units, o.pv_low, o.pv_high);
}

static void print_cut_short(const runs *r)
{
    size_t i;

    for (i = 0; i < r->count; i++) {
        const rk_trial_metrics *m = rk_trial_results(r->trials[i]);

        if (!m->setpoint.cut_short && !m->load.cut_short) continue;
        (void)printf(
            "  '%s' is in the band, but not for as long as PV could take to leave it: %s "
            "is not told; give a longer --for%s\n",
            r->cases[i].name, m->setpoint.cut_short ? "settling" : "recovery",
            m->setpoint.cut_short && m->has_load ? " and a later --load-at" : "");
    }
}

/* How far the first case is from what was recorded. */
static void print_overlay(const runs *r)
{
    const rk_trial *t = r->trials[0];
    double square = 0;
    size_t rows = 0, i;

    if (r->overlay == NULL) return;
    for (i = 0; i < rk_record_rows(r->overlay); i++) {
        const double time = rk_record_time(r->overlay)[i] - rk_record_time(r->overlay)[0];
        const size_t at = (size_t)((time / rk_trial_step(t)) + 0.5);
        double off;

        if (at >= rk_trial_points(t)) break;
        off = rk_record_pv(r->overlay)[i] - rk_trial_pv(t)[at];
        square += off * off;
        rows++;
    }
    (void)printf(
        "  recorded beside it: %zu rows within the trial; '%s' is off by %.4g (root mean "
        "square)\n",
        rows, r->cases[0].name, sqrt(square / (double)rows));
}

static void print_trials(const job *j, const runs *r)
{
    const size_t columns = r->count + 1;
    char cells[(METRICS + 1) * (CASES_MAX + 2)][SHOWN_CHARS];
    char length[SHOWN_CHARS], load_at[SHOWN_CHARS];
    size_t lines;

    show_time(length, r->plan.duration, j->minutes);
    show_time(load_at, r->plan.load_at, j->minutes);
    (void)printf("%s, %s from OUT %.4g %s, PV %.4g %s", j->loop.name, length,
                 j->loop.model.out0, j->loop.out_units, j->loop.model.pv0, j->loop.pv_units);
    if (r->plan.sp_step != 0) {
        (void)printf("; setpoint %s%s%+.4g %s at 0 s",
                     r->plan.shape == RK_SETPOINT_SHAPE_STEP
                         ? ""
                         : rk_setpoint_shape_to_text(r->plan.shape),
                     r->plan.shape == RK_SETPOINT_SHAPE_STEP ? "" : " ", r->plan.sp_step,
                     j->loop.pv_units);
    }
    if (r->plan.load_step != 0) {
        (void)printf("; load %+.4g %s at %s%s", r->plan.load_step,
                     r->plan.load_at_output ? j->loop.pv_units : j->loop.out_units,
                     r->plan.load_at_output ? "the output, " : "", load_at);
    }
    if (r->plan.noise > 0) {
        (void)printf("; noise %.3g %s", r->plan.noise, j->loop.pv_units);
    }
    (void)printf("\n");
    print_hold(j, r);
    if (!rk_design_has_out_range(&j->loop)) {
        (void)printf("No output range given: OUT is not limited.\n");
    }
    (void)printf("\n");
    lines = fill_table(j, r, cells, columns);
    show_table(cells, lines, columns, 1);
    (void)printf("\n  settled: within %.3g %% of the step%s\n", 100.0 * r->plan.band,
                 any_missing(cells, lines * columns) ? "; - : not reached within the trial"
                                                     : "");
    if (r->plan.noise > 0) {
        (void)printf("  rise, overshoot, settling, peak and recovery: of the same run without "
                     "the noise\n");
    }
    print_cut_short(r);
    print_overlay(r);
}

static rk_status draw(const job *j, const void *what, const rk_figure_style *style,
                      rk_text *image, rk_diag *diag)
{
    const runs *r = what;

    return rk_figure_trial(&j->loop, &r->plan, (const rk_trial *const *)r->trials, r->count,
                           r->overlay, style, image, diag);
}

static int show(const job *j, const runs *r)
{
    rk_diag diag = {RK_OK, ""};
    int status = EXIT_DONE;

    if (j->json) {
        rk_text *text = rk_text_create();
        const rk_status made =
            rk_json_trial((const rk_trial *const *)r->trials, r->count, text, &diag);

        status = print_json(j, text, made, &diag);
    } else {
        print_trials(j, r);
    }
    return status == EXIT_DONE ? write_figure(j, draw, r) : status;
}

static int write_curves(const trial_job *t, const runs *r)
{
    rk_diag diag = {RK_OK, ""};
    rk_text *text;
    rk_status status;

    if (t->curves == NULL) return EXIT_DONE;
    text = rk_text_create();
    status = rk_curves_to_csv((const rk_trial *const *)r->trials, r->count, text, &diag);
    if (status == RK_OK) {
        status =
            rk_file_write(t->curves, rk_text_chars(text), rk_text_length(text), true, &diag);
    }
    rk_text_free(text);
    return status == RK_OK ? EXIT_DONE : fail_diag(&t->j, status, &diag);
}

static int read_overlay(const trial_job *t, runs *r)
{
    const rk_design *d = &t->j.loop;
    const rk_columns columns = {d->time_column, d->out_column, d->pv_column, d->quality_column,
                                d->record_time_unit};
    rk_diag diag = {RK_OK, ""};
    rk_import import;
    rk_status status;

    if (t->overlay == NULL) return EXIT_DONE;
    status = rk_record_read(t->overlay, &columns, &r->overlay, &import, &diag);
    return status == RK_OK ? EXIT_DONE : fail_diag(&t->j, status, &diag);
}

static int open_step(const trial_job *t)
{
    if (t->case_count > 0 || !isnan(t->sp_step) || !isnan(t->load_step) ||
        !isnan(t->load_out) || t->curves != NULL || t->overlay != NULL) {
        return fail(&t->j, EXIT_USAGE,
                    "--open-step goes without setpoints, loads, cases and curves");
    }
    return run_open_step(&t->j, t->open_step);
}

static int check_options(const trial_job *t)
{
    const job *j = &t->j;

    if (!isnan(t->load_at) && isnan(t->load_step) && isnan(t->load_out) && !isnan(t->sp_step)) {
        return fail(j, EXIT_USAGE, "--load-at goes with --load-step: give one");
    }
    if (!isnan(t->load_step) && !isnan(t->load_out)) {
        return fail(j, EXIT_USAGE, "one load at a time: give --load-step or --load-out");
    }
    if (t->on_plant && !j->loop.has_plant) {
        return fail(j, EXIT_USAGE, "--plant: the loop file has no [plant]: give one");
    }
    if (!isnan(t->seed) &&
        !(t->seed >= 0 && t->seed < 4294967296.0 && t->seed == floor(t->seed))) {
        return fail(j, EXIT_USAGE, "--seed: give a whole number, 0 or more");
    }
    if (t->overlay != NULL && j->figure == NULL && j->json) {
        return fail(j, EXIT_USAGE, "--overlay: give --figure FILE to see it");
    }
    return EXIT_DONE;
}

static int run(job *j)
{
    trial_job *t = (trial_job *)j; /* the job is its first member */
    runs *r = calloc(1, sizeof *r);
    int status = load(j);

    if (r == NULL) return fail(j, EXIT_NO_ACCESS, "out of memory");
    if (status == EXIT_DONE) {
        status = need_model(j);
    }
    if (status == EXIT_DONE && !isnan(t->open_step)) {
        free(r);
        return open_step(t);
    }
    if (status == EXIT_DONE && isnan(j->loop.ts)) {
        status = fail(j, EXIT_USAGE,
                      "no scan interval: give --scan, or a loop file with [loop] scan");
    }
    if (status == EXIT_DONE) {
        status = check_options(t);
    }
    if (status == EXIT_DONE) {
        status = read_overlay(t, r);
    }
    if (status == EXIT_DONE) {
        status = make_cases(t, r);
    }
    if (status == EXIT_DONE) {
        make_plan(t, r);
        status = run_cases(j, r);
    }
    if (status == EXIT_DONE) {
        status = show(j, r);
    }
    if (status == EXIT_DONE) {
        status = write_curves(t, r);
    }
    free_runs(r);
    free(r);
    return status;
}

int cmd_trial(int argc, char **argv)
{
    const double none = nan("");
    trial_job t = {.j = job_make("trial"),
                   .sp_step = none,
                   .load_step = none,
                   .load_at = none,
                   .duration = none,
                   .band = none,
                   .sp_time = none,
                   .load_out = none,
                   .noise = none,
                   .seed = none,
                   .open_step = none};

    return run_command(&argp, argc, argv, &t.j, run);
}
