/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"

typedef struct trial_job {
    job j;
    rk_trial_plan plan; /* NaN: not given */
    double ramp, train, sine, load_out, band, seed, open_step;
    bool on_plant;
    const char *words[CASES_MAX]; /* of --case */
    size_t words_count;
    const char *curves, *overlay;
    bool comma; /* in the curves' numbers */
    double overlay_at, error_step;

    rk_trial_case cases[CASES_MAX + 1];
    rk_trial *trials[CASES_MAX + 1];
    size_t count;
    rk_record *recorded;
    rk_overlay laid;
    rk_open_step opened;
} trial_job;

static void take_case(job *j, struct argp_state *state, const command_option *o,
                      const char *arg)
{
    trial_job *t = (trial_job *)j;

    if (t->words_count == CASES_MAX) {
        refuse_option(state, o->name, ": at most %d of them", CASES_MAX);
    } else {
        t->words[t->words_count++] = arg;
    }
}

/* The first case is the loop as it stands, unless it has no settings but other cases are given.
 */
static int make_cases(job *j)
{
    trial_job *t = (trial_job *)j;
    rk_diag diag = {RK_OK, ""};
    size_t i;

    if (j->loop.has_settings || j->rule != NULL || t->words_count == 0) {
        const int status = need_settings(j);

        if (status != EXIT_DONE) return status;
        t->cases[t->count++] = rk_trial_case_of(&j->loop, t->on_plant);
    }
    for (i = 0; i < t->words_count; i++) {
        const rk_status status =
            rk_trial_case_read(&j->loop, t->on_plant, t->words[i], &t->cases[t->count], &diag);

        if (status != RK_OK) return fail_range(j, status, &diag);
        t->count++;
    }
    return EXIT_DONE;
}

static int make_plan(job *j)
{
    trial_job *t = (trial_job *)j;
    rk_trial_plan *p = &t->plan;

    p->shape = !isnan(t->ramp)    ? RK_SETPOINT_SHAPE_RAMP
               : !isnan(t->train) ? RK_SETPOINT_SHAPE_TRAIN
               : !isnan(t->sine)  ? RK_SETPOINT_SHAPE_SINE
                                  : RK_SETPOINT_SHAPE_STEP;
    p->sp_time = fmax(fmax(t->ramp, t->train), t->sine); /* of numbers and NaN the number */
    if (!isnan(t->load_out)) {
        p->load_step = t->load_out;
        p->load_at_output = true;
    }
    if (isnan(p->noise) && t->on_plant) {
        p->noise = t->j.loop.plant.noise;
    }
    if (!isnan(t->error_step)) {
        p->alone = true;
        p->sp_step = t->error_step;
        p->load_step = 0.0;
    }
    p->seed = isnan(t->seed) ? 1U : (unsigned)t->seed;
    p->band = t->band / 100.0;
    rk_trial_plan_complete(p, &j->loop, t->cases, t->count);
    if (t->recorded != NULL) {
        t->laid = rk_overlay_make(t->recorded, p, t->overlay_at);
    }
    return EXIT_DONE;
}

static int run_cases(job *j)
{
    trial_job *t = (trial_job *)j;
    size_t i;

    for (i = 0; i < t->count; i++) {
        rk_diag diag = {RK_OK, ""};
        const rk_status status = rk_trial_create(&t->cases[i], &t->plan, &t->trials[i], &diag);

        if (status == RK_ERR_MEMORY) return fail_diag(&t->j, status, &diag);
        if (status != RK_OK) {
            return fail(&t->j, EXIT_USAGE, "case '%s': %s", t->cases[i].name, diag.text);
        }
    }
    return EXIT_DONE;
}

static rk_status draw(const job *j, const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    const trial_job *t = (const trial_job *)j;

    if (!isnan(t->open_step)) {
        return rk_figure_open_step(&j->loop, &t->opened, (const rk_trial *const *)t->trials,
                                   t->count, style, image, diag);
    }
    return rk_figure_trial(&j->loop, &t->plan, (const rk_trial *const *)t->trials, t->count,
                           t->recorded != NULL ? &t->laid : NULL, style, image, diag);
}

static int write_curves(job *j)
{
    const trial_job *t = (const trial_job *)j;
    rk_diag diag = {RK_OK, ""};
    rk_text *text;
    rk_status status;

    if (t->curves == NULL) return EXIT_DONE;
    text = rk_text_create();
    status = rk_curves_to_csv((const rk_trial *const *)t->trials, t->count, text, &diag);
    return write_curves_file(j, t->curves, t->comma, text, status, &diag);
}

/* Where the first case's setpoint needs OUT; false: nobody knows. */
static bool find_held(const trial_job *t, rk_operating *held)
{
    const rk_trial_case *c = &t->cases[0];

    return t->plan.sp_step != 0 && !t->plan.alone && rk_design_has_out_range(&t->j.loop) &&
           rk_operating_compute(&c->plant, &c->limits, c->plant.pv0 + t->plan.sp_step, held,
                                NULL) == RK_OK;
}

static int tell(job *j)
{
    trial_job *t = (trial_job *)j;
    rk_operating held;
    const rk_trials results = {(const rk_trial *const *)t->trials, t->count, &t->plan,
                               t->recorded != NULL ? &t->laid : NULL,
                               find_held(t, &held) ? &held : NULL};
    rk_report *report = report_make(&t->j);

    return show_report(j, report, rk_report_add_trials(report, &j->loop, &results), draw);
}

static int run_open_step(job *j)
{
    trial_job *t = (trial_job *)j;
    const rk_model *m = rk_design_process(&t->j.loop);
    const double own = rk_model_slowest(m) + m->dead_time;
    rk_report *report;
    rk_diag diag = {RK_OK, ""};
    size_t parts = 0;
    rk_status status;
    int shown;

    status =
        rk_open_step_compute(m, isnan(t->j.loop.ts) ? 0.01 * own : t->j.loop.ts, t->open_step,
                             t->plan.duration, &t->trials[0], &t->opened, &diag);
    if (status == RK_ERR_RANGE) return fail(j, EXIT_USAGE, "--open-step: %s", diag.text);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    t->count = 1;
    status = rk_open_parts_create(m, t->open_step, t->trials[0], &t->trials[1], &parts, &diag);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    t->count += parts;
    report = report_make(&t->j);
    shown = show_report(j, report, rk_report_add_open_step(report, &j->loop, &t->opened), draw);
    return shown == EXIT_DONE ? write_curves(j) : shown;
}

static int check_options(job *j)
{
    const trial_job *t = (const trial_job *)j;
    const bool sp = !isnan(t->plan.sp_step), alone = !isnan(t->error_step);
    const bool load_in = !isnan(t->plan.load_step), load_out = !isnan(t->load_out);
    const int shapes = !isnan(t->ramp) + !isnan(t->train) + !isnan(t->sine);
    const wrong_option list[] = {
        {t->comma && t->curves == NULL, "--decimal-comma goes with --curves: give both"},
        {!isnan(t->open_step) &&
             (sp || load_in || load_out || alone || t->words_count > 0 || t->overlay != NULL ||
              t->on_plant || !isnan(t->plan.noise) || !isnan(t->seed) || !isnan(t->band)),
         "--open-step goes without setpoints, loads, cases, noise, --band, --plant and --overlay"},
        {!isnan(t->plan.load_at) && !load_in && !load_out && sp,
         "--load-at goes with --load-step: give one"},
        {shapes > 1,
         "the setpoint has one shape: give one of --sp-ramp, --sp-train, --sp-sine"},
        {load_in && load_out, "one load at a time: give --load-step or --load-out"},
        {t->on_plant && !j->loop.has_plant, "--plant: the loop file has no [plant]: give one"},
        {!isnan(t->seed) &&
             !(t->seed >= 0 && t->seed < 4294967296.0 && t->seed == floor(t->seed)),
         "--seed: give a whole number, 0 or more"},
        {alone && (sp || load_in || load_out || shapes > 0 || t->on_plant),
         "--error-step is of the controller alone: it goes without setpoints, loads and --plant"},
        {t->error_step == 0, "--error-step 0: give a step that is not 0"},
        {!isnan(t->overlay_at) && t->overlay == NULL,
         "--overlay-at goes with --overlay: give both"},
        {t->overlay != NULL && j->figure == NULL && j->json,
         "--overlay: give --figure FILE to see it"},
        {0},
    };

    if (take_table(j, "curves", t->curves) != EXIT_DONE) return EXIT_USAGE;
    return refuse_wrong(j, list);
}

static int read_overlay(job *j)
{
    trial_job *t = (trial_job *)j;
    rk_columns columns = record_columns(j);
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (t->overlay == NULL) return EXIT_DONE;
    columns.curve = true;
    status = rk_record_read(t->overlay, &columns, &t->recorded, NULL, &diag);
    if (status == RK_ERR_FORMAT) { /* from elsewhere, with columns of its own */
        columns.time = columns.out = columns.pv = columns.quality = NULL;
        status = rk_record_read(t->overlay, &columns, &t->recorded, NULL, &diag);
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(j, status, &diag);
}

static int try(job *j)
{
    static step_function *const trials[] = {need_scan, read_overlay, make_cases,   make_plan,
                                            run_cases, tell,         write_curves, NULL};

    return isnan(((trial_job *)j)->open_step) ? take_steps(j, trials) : run_open_step(j);
}

static void free_trials(job *j)
{
    trial_job *t = (trial_job *)j;
    size_t i;

    for (i = 0; i < t->count; i++) {
        rk_trial_free(t->trials[i]);
    }
    rk_record_free(t->recorded);
}

#define TO(field) offsetof(trial_job, field)

static const command_option options[] = {
    {NULL, NULL, 8, "The trial:", TAKE_HEADING},
    {"sp-step", "PV", 8, "setpoint step, pv units", TAKE_NUMBER, TO(plan.sp_step)},
    {"sp-step-at", "TIME", 8, "when the setpoint steps (default: 0 s)", TAKE_TIME,
     TO(plan.sp_at)},
    {"sp-ramp", "TIME", 8, "the setpoint takes so long over its step", TAKE_TIME, TO(ramp)},
    {"sp-train", "PERIOD", 8, "the setpoint steps there and back, again and again", TAKE_TIME,
     TO(train)},
    {"sp-sine", "PERIOD", 8, "the setpoint swings to both sides as far as its step", TAKE_TIME,
     TO(sine)},
    {"load-step", "OUT", 8, "load step at the plant's input, out units", TAKE_NUMBER,
     TO(plan.load_step)},
    {"load-out", "PV", 8, "load step at the plant's output instead, pv units", TAKE_NUMBER,
     TO(load_out)},
    {"noise", "PV", 8,
     "standard deviation of the noise that the controller sees (default: none)", TAKE_NUMBER,
     TO(plan.noise)},
    {"seed", "N", 8, "seed of the noise (default: 1)", TAKE_NUMBER, TO(seed)},
    {"plant", NULL, 8,
     "run on the loop file's [plant], its valve's faults and noise, not on the model",
     TAKE_FLAG, TO(on_plant)},
    {"open-step", "OUT", 8, "step OUT by hand, and show what the process does by itself",
     TAKE_NUMBER, TO(open_step)},
    {"error-step", "PV", 8,
     "the controller alone: what OUT does when the error steps by so much and stays",
     TAKE_NUMBER, TO(error_step)},
    {"load-at", "TIME", 8, "when the load steps (default: half way)", TAKE_TIME,
     TO(plan.load_at)},
    {"for", "TIME", 8, "how long to run (default: long enough to settle)", TAKE_TIME,
     TO(plan.duration)},
    {"band", "PERCENT", 8, "settling band (default: 2)", TAKE_NUMBER, TO(band)},
    {"case", "NAME: KEY=VALUE ...", 8,
     "another case beside the first, or another loop file; keys: " RK_TRIAL_CASE_KEYS, TAKE_OWN,
     0, take_case},
    {"overlay", "RECORD.csv", 9, "lay a recorded curve over it in the figure", TAKE_TEXT,
     TO(overlay)},
    {"overlay-at", "TIME", 9,
     "where in that record its step is, from its first row (default: OUT's sudden move)",
     TAKE_TIME, TO(overlay_at)},
    {"curves", "FILE.csv", 9, "write every curve", TAKE_TEXT, TO(curves)},
    {"decimal-comma", NULL, 9, "--curves with decimal commas, and ; between the cells",
     TAKE_FLAG, TO(comma)},
    {0},
};
static const struct argp_child groups[] = {
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

const command command_trial = {
    .name = "trial",
    .what = "the loop run on paper, cases side by side, with a figure",
    .input = "[LOOP.loop|RECORD.csv]",
    .help =
        "Run the loop on paper, scan by scan, several cases side by side.\v"
        "Without an operating point (--out0, --pv0 or the loop file) a trial starts at rest "
        "at zero. Example: redkettle trial plant.loop --sp-step 0.5 --load-step -5 --case "
        "\"calm: rule=lambda lambda=60s\" --figure trial.png",
    .options = options,
    .groups = groups,
    .size = sizeof(trial_job),
    .steps = (step_function *const[]){need_model, check_options, try, NULL},
    .free = free_trials,
};
