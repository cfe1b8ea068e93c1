/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <unistd.h>

#include <redkettle/design/base/memory.h>

#include "cli.h"
#include "clock.h"
#include "show.h"

/* Requirements have keys of their own from OPT_REQUIRE on, in the order of rk_require. */
enum {
    OPT_COST = 0x9000,
    OPT_WEIGH_ERROR,
    OPT_WEIGH_EFFORT,
    OPT_EFFORT,
    OPT_NOISE,
    OPT_OVER,
    OPT_MODEL_ERROR,
    OPT_SP_STEP,
    OPT_LOAD_STEP,
    OPT_THREADS,
    OPT_KC_RANGE,
    OPT_TI_RANGE,
    OPT_TD_RANGE,
    OPT_RUNS,
    OPT_REFINE,
    OPT_RATIO,
    OPT_REQUIRE = 0x9100
};

/* A grid of more points takes too long to wait for. */
enum { POINTS_MOST = 250000, REFINE_TURNS = 3 };

/* The job is first, as run_command wants it. */
typedef struct search_job {
    job j;
    const char *cost, *effort, *over;
    double weigh_error, weigh_effort, noise, model_error;
    double sp_step, load_step, threads;
    double limits[RK_REQUIRE_COUNT];
    rk_search_plan plan;
    rk_model_set set;
    rk_search_result found, without;
    bool has_without;    /* the same without the limiting requirement */
    double began, shown; /* wall clock */

    rk_grid grid;
    bool is_grid, refine;
    const char *runs;
    rk_grid_point *points;
    size_t best;
    double ratio;
} search_job;

static const struct argp_option options[] = {
    {"cost", OPT_COST, "COST", 0,
     "what is made small: load-, setpoint- or both- with iae, ise or itae (load-iae), or ms, "
     "the "
     "most robustness to spare (default: ms where settling, rise, peak or recovery is asked "
     "for, "
     "load-iae otherwise)",
     1},
    {"weigh-effort", OPT_WEIGH_EFFORT, "WEIGHT", 0,
     "add so much of the control effort to the cost (default: 0)", 1},
    {"weigh-error", OPT_WEIGH_ERROR, "WEIGHT", 0, "and take so much of the cost (default: 1)",
     1},
    {"effort", OPT_EFFORT, "HOW", 0,
     "control effort as squares of OUT's moves, or as travel (default: squares)", 1},
    {"sp-step", OPT_SP_STEP, "PV", 0,
     "the setpoint's step (default: [require] sp-step, or 5 % of PV's range)", 1},
    {"load-step", OPT_LOAD_STEP, "OUT", 0,
     "the load's (default: [require] load-step, or 5 % of OUT's range)", 1},
    {"noise", OPT_NOISE, "PV", 0,
     "standard deviation of PV's noise (default: [model] noise); OUT's then is at most 1 % of "
     "its range unless out-noise is asked for",
     1},
    {"over", OPT_OVER, "HOW", 0,
     "ask all of the worst or of the mean over what the model may be, not of the model alone",
     1},
    {"model-error", OPT_MODEL_ERROR, "PERCENT", 0,
     ".. which is each of its numbers wrong by so much (default: the fit's 95 % region)", 1},
    {"kc", OPT_KC_RANGE, "LOW:HIGH:STEP", 0, "sweep: run all of these gains instead", 1},
    {"ti", OPT_TI_RANGE, "LOW:HIGH:STEP", 0, ".. with these integral times", 1},
    {"td", OPT_TD_RANGE, "LOW:HIGH:STEP", 0, ".. and these derivative times", 1},
    {"refine", OPT_REFINE, NULL, 0, ".. and again, ever closer around the best", 1},
    {"runs", OPT_RUNS, "FILE.csv", 0, ".. and keep every run here", 1},
    {"tf-ratio", OPT_RATIO, "N", 0, "derivative filter time as td / N (default: 10)", 1},
    {"threads", OPT_THREADS, "N", 0, "processors to use (default: all; the result is the same)",
     1},
    {"gain-margin", OPT_REQUIRE + RK_REQUIRE_GAIN_MARGIN, "FACTOR", 0, "at least (default: 2)",
     2},
    {"phase-margin", OPT_REQUIRE + RK_REQUIRE_PHASE_MARGIN, "DEG", 0, "at least (default: 45)",
     2},
    {"delay-margin", OPT_REQUIRE + RK_REQUIRE_DELAY_MARGIN, "TIME", 0, "at least", 2},
    {"ms", OPT_REQUIRE + RK_REQUIRE_MS, "MS", 0, "at most (default: 1.6)", 2},
    {"overshoot", OPT_REQUIRE + RK_REQUIRE_OVERSHOOT, "PERCENT", 0,
     "at most, of the setpoint's step", 2},
    {"settling", OPT_REQUIRE + RK_REQUIRE_SETTLING, "TIME", 0, "at most, to 2 % of it", 2},
    {"rise", OPT_REQUIRE + RK_REQUIRE_RISE, "TIME", 0, "at most, 10 to 90 % of it", 2},
    {"steady-error", OPT_REQUIRE + RK_REQUIRE_STEADY_ERROR, "PV", 0,
     "at most, off the setpoint in the end", 2},
    {"peak", OPT_REQUIRE + RK_REQUIRE_PEAK, "PV", 0,
     "at most, largest deviation after the load", 2},
    {"recovery", OPT_REQUIRE + RK_REQUIRE_RECOVERY, "TIME", 0,
     "at most, after the load, to 2 % of the setpoint's step", 2},
    {"travel", OPT_REQUIRE + RK_REQUIRE_TRAVEL, "OUT", 0,
     "at most, OUT's whole way, of the step that takes more", 2},
    {"largest-move", OPT_REQUIRE + RK_REQUIRE_LARGEST_MOVE, "OUT", 0,
     "at most, OUT's largest move from a scan to the next", 2},
    {"out-noise", OPT_REQUIRE + RK_REQUIRE_OUT_NOISE, "OUT", 0,
     "at most, the standard deviation that PV's noise gives OUT", 2},
    {0},
};

/* "0.5:5:0.25", or one value. */
static void take_range(struct argp_state *state, const char *option, const char *arg, bool time,
                       rk_grid_axis *axis, bool *given)
{
    double v[3] = {0, 0, 0};
    const char *at = arg;
    int count = 0;

    for (; count < 3; at++) {
        const size_t width = strcspn(at, ":");

        if (time ? !rk_time_parse(at, width, &v[count])
                 : !rk_number_parse(at, width, &v[count])) {
            break;
        }
        count++;
        at += width;
        if (*at == '\0') break;
    }
    if (*at != '\0' || (count != 1 && count != 3) || (count == 3 && !(v[2] > 0)) ||
        (count == 3 && !(v[1] > v[0])) || (count == 3 && (v[1] - v[0]) / v[2] >= 1000)) {
        argp_failure(state, EXIT_USAGE, 0,
                     "--%s: '%s' is not LOW:HIGH:STEP such as 0.5:5:0.25, at most 1000 values",
                     option, arg);
    }
    axis->low = v[0];
    axis->count = count == 1 ? 1 : (size_t)floor(((v[1] - v[0]) / v[2]) + 1.000001);
    axis->high = count == 1 ? v[0] : v[0] + (v[2] * (double)(axis->count - 1));
    *given = true;
}

static error_t parse(int key, char *arg, struct argp_state *state)
{
    search_job *s = state->input;

    switch (key) {
    case OPT_COST:
        s->cost = arg;
        return 0;
    case OPT_WEIGH_ERROR:
        take_number(state, "weigh-error", arg, &s->weigh_error);
        return 0;
    case OPT_WEIGH_EFFORT:
        take_number(state, "weigh-effort", arg, &s->weigh_effort);
        return 0;
    case OPT_EFFORT:
        s->effort = arg;
        return 0;
    case OPT_NOISE:
        take_number(state, "noise", arg, &s->noise);
        return 0;
    case OPT_OVER:
        s->over = arg;
        return 0;
    case OPT_MODEL_ERROR:
        take_number(state, "model-error", arg, &s->model_error);
        return 0;
    case OPT_SP_STEP:
        take_number(state, "sp-step", arg, &s->sp_step);
        return 0;
    case OPT_LOAD_STEP:
        take_number(state, "load-step", arg, &s->load_step);
        return 0;
    case OPT_KC_RANGE:
        take_range(state, "kc", arg, false, &s->grid.kc, &s->is_grid);
        return 0;
    case OPT_TI_RANGE:
        take_range(state, "ti", arg, true, &s->grid.ti, &s->is_grid);
        return 0;
    case OPT_TD_RANGE:
        take_range(state, "td", arg, true, &s->grid.td, &s->is_grid);
        return 0;
    case OPT_RUNS:
        s->runs = arg;
        return 0;
    case OPT_REFINE:
        s->refine = true;
        return 0;
    case OPT_RATIO:
        take_number(state, "tf-ratio", arg, &s->ratio);
        return 0;
    case OPT_THREADS:
        take_number(state, "threads", arg, &s->threads);
        return 0;
    default:
        break;
    }
    if (key >= OPT_REQUIRE && key < OPT_REQUIRE + RK_REQUIRE_COUNT) {
        const rk_require what = (rk_require)(key - OPT_REQUIRE);

        if (rk_require_quantity(what) == RK_QUANTITY_TIME) {
            take_time(state, rk_require_to_text(what), arg, &s->limits[what]);
        } else {
            take_number(state, rk_require_to_text(what), arg, &s->limits[what]);
        }
        return 0;
    }
    return parse_common(key, arg, state);
}

static const struct argp_child children[] = {
    {&column_options, 0, "The record, if there is no model:", 3},
    {&model_options, 0, "The model:", 3},
    {&tuning_options, 0, "The controller (--mode, --form):", 4},
    {&scan_options, 0, NULL, 4},
    {&limit_options, 0, NULL, 4},
    {&output_options, 0, "Output:", 5},
    {&figure_option, 0, NULL, 5},
    {&save_option, 0, NULL, 5},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "[LOOP.loop|RECORD.csv]",
    "Settings that meet the requirements (options, or the loop file's [require]) at the lowest "
    "cost, or the closest settings found and the limiting requirement. The search sees OUT's "
    "limits and rate, and the scan.\v"
    "Example: redkettle search blend-brix.loop --overshoot 5 --settling 3min --mode PID",
    children,
    NULL,
    NULL};

/* On a terminal how far it is, and what is left. */
static bool show_progress(void *user, double part)
{
    search_job *s = user;
    const double now = wall_clock();
    char left[SHOWN_CHARS] = "";

    if (s->began == 0) {
        s->began = now;
    }
    if (isatty(STDERR_FILENO) && !s->j.json && now - s->shown > 0.2) {
        if (part > 0.05) {
            (void)snprintf(left, sizeof left, ", about %.0f s left",
                           (now - s->began) * (1.0 - part) / part);
        }
        (void)fprintf(stderr, "\r  searching: %3.0f %%%s; Ctrl-C takes the best so far   ",
                      100.0 * part, left);
        s->shown = now;
    }
    return !is_caught();
}

/* What is asked: options before the loop file before the defaults, of which Ms is stricter than
   check's: what is asked for gets some to spare. */
static int take_requirements(search_job *s)
{
    /* These need control to be active: without one of them robustness alone would be none. */
    static const rk_require hasten[] = {RK_REQUIRE_SETTLING, RK_REQUIRE_RISE, RK_REQUIRE_PEAK,
                                        RK_REQUIRE_RECOVERY};
    rk_design *d = &s->j.loop;
    rk_search_plan *p = &s->plan;
    rk_requirements asked;
    rk_diag diag = {RK_OK, ""};
    bool in_a_hurry = false;
    int i;

    d->requirements.sp_step = isnan(s->sp_step) ? d->requirements.sp_step : s->sp_step;
    d->requirements.load_step = isnan(s->load_step) ? d->requirements.load_step : s->load_step;
    d->noise = isnan(s->noise) ? d->noise : s->noise;
    if (rk_design_check(d, &diag) != RK_OK) {
        return fail(&s->j, EXIT_USAGE, "%s", diag.text);
    }
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (!isnan(s->limits[i]) && rk_requirements_set(&d->requirements, (rk_require)i,
                                                        s->limits[i], &diag) != RK_OK) {
            return fail(&s->j, EXIT_USAGE, "%s", diag.text);
        }
    }
    for (i = 0; i < (int)(sizeof hasten / sizeof hasten[0]); i++) {
        in_a_hurry = in_a_hurry || !isnan(d->requirements.limit[hasten[i]]);
    }
    asked = rk_design_requirements(d);
    if (asked.by_default[RK_REQUIRE_MS]) {
        asked.limit[RK_REQUIRE_MS] = p->requirements.limit[RK_REQUIRE_MS];
    }
    p->requirements = asked;
    p->cost = in_a_hurry ? RK_COST_MS : RK_COST_LOAD_IAE;
    return EXIT_DONE;
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
    status =
        isnan(s->model_error)
            ? rk_model_set_from_covariance(&d->model, d->covariance, over, &s->set, &diag)
            : rk_model_set_from_part(&d->model, s->model_error / 100.0, over, &s->set, &diag);
    if (status != RK_OK) return fail(&s->j, EXIT_USAGE, "--over: %s", diag.text);
    s->plan.set = &s->set;
    return EXIT_DONE;
}

static int make_plan(search_job *s)
{
    const rk_design *d = &s->j.loop;
    rk_search_plan *p = &s->plan;
    rk_conditions c;
    rk_diag diag = {RK_OK, ""};
    int status;

    *p = rk_search_plan_make(&d->model);
    status = take_requirements(s);
    if (status == EXIT_DONE) {
        status = take_models(s);
    }
    if (status != EXIT_DONE) return status;
    if (s->cost != NULL && rk_cost_from_text(s->cost, &p->cost, &diag) != RK_OK) {
        return fail(&s->j, EXIT_USAGE, "--cost: %s", diag.text);
    }
    if (s->effort != NULL && rk_effort_from_text(s->effort, &p->effort, &diag) != RK_OK) {
        return fail(&s->j, EXIT_USAGE, "--effort: %s", diag.text);
    }
    if (isnan(s->weigh_effort) && (s->effort != NULL || !isnan(s->weigh_error))) {
        return fail(&s->j, EXIT_USAGE, "%s: give --weigh-effort too",
                    s->effort != NULL ? "--effort says how"
                                      : "--weigh-error alone weighs nothing");
    }
    p->weigh_error = isnan(s->weigh_error) ? p->weigh_error : s->weigh_error;
    p->weigh_effort = isnan(s->weigh_effort) ? 0.0 : s->weigh_effort;
    p->mode = s->j.mode != NULL ? s->j.mode : "PI";
    p->filter_ratio = isnan(s->ratio) ? p->filter_ratio : s->ratio;
    c = rk_design_conditions(d);
    p->pv_filter = d->settings.pv_filter;
    p->ts = c.ts;
    p->limits = c.limits;
    p->sp_step = c.sp_step;
    p->load_step = c.load_step;
    p->noise = isnan(c.noise) ? 0.0 : c.noise;
    p->threads = isnan(s->threads) ? 0 : (int)s->threads;
    p->go_on = show_progress;
    p->user = s;
    return EXIT_DONE;
}

static int run_search(search_job *s)
{
    rk_diag diag = {RK_OK, ""};
    rk_search_plan plan = s->plan;
    rk_status status = rk_search_compute(&s->plan, &s->found, &diag);

    if (status == RK_OK && !s->found.met && !s->found.stopped) {
        plan.requirements.limit[s->found.limiting] = nan("");
        if (plan.cost == RK_COST_MS) {
            plan.cost = RK_COST_LOAD_IAE; /* robustness alone would be no control at all */
        }
        s->has_without = rk_search_compute(&plan, &s->without, &diag) == RK_OK;
    }
    if (isatty(STDERR_FILENO) && !s->j.json) {
        (void)fprintf(stderr, "\r%79s\r", "");
    }
    if (status == RK_ERR_RANGE) return fail(&s->j, EXIT_USAGE, "%s", diag.text);
    return status == RK_OK ? EXIT_DONE : fail_diag(&s->j, status, &diag);
}

static void add_cell(rk_text *text, bool comma, double value)
{
    rk_text_add(text, "%s", comma ? "," : "");
    if (isfinite(value)) {
        rk_text_add_real(text, value);
    }
}

/* Axes that were not given: the mode needs them, or one value will do. */
static int check_grid(search_job *s)
{
    const bool integral = strchr(s->plan.mode, 'I') != NULL;
    const bool derivative = strchr(s->plan.mode, 'D') != NULL;
    rk_grid *g = &s->grid;

    if (g->kc.count == 0 || (integral && g->ti.count == 0) ||
        (derivative && g->td.count == 0)) {
        return fail(&s->j, EXIT_USAGE, "a sweep of %s needs --kc%s%s", s->plan.mode,
                    integral ? " and --ti" : "", derivative ? " and --td" : "");
    }
    if (!integral || g->ti.count == 0) {
        g->ti = (rk_grid_axis){1.0, 1.0, 1};
    }
    if (!derivative || g->td.count == 0) {
        g->td = (rk_grid_axis){0.0, 0.0, 1};
    }
    if (g->kc.count * g->ti.count > POINTS_MOST ||
        g->kc.count * g->ti.count * g->td.count > POINTS_MOST) {
        return fail(&s->j, EXIT_USAGE, "%zu points are too many: at most %d",
                    g->kc.count * g->ti.count * g->td.count, POINTS_MOST);
    }
    return EXIT_DONE;
}

/* Two steps to each side of a value, as many as before. */
static void zoom(rk_grid_axis *axis, double value)
{
    const double step =
        axis->count > 1 ? (axis->high - axis->low) / (double)(axis->count - 1) : 0.0;

    if (axis->count < 2) return;
    axis->low = fmax(value - (1.5 * step), axis->low > 0 ? 0.05 * value : value - (1.5 * step));
    axis->high = value + (1.5 * step);
}

/* One turn of a sweep, in place of the one before unless it was cut short. */
static int run_turn(search_job *s, const rk_grid *grid, bool first)
{
    const size_t count = grid->kc.count * grid->ti.count * grid->td.count;
    rk_grid_point *points = rk_memory_create(count, sizeof *points);
    const size_t tried = first ? 0 : s->found.tried;
    rk_search_result found;
    rk_diag diag = {RK_OK, ""};
    size_t best = 0;
    rk_status made;

    if (points == NULL) return fail(&s->j, EXIT_NO_ACCESS, "out of memory for the runs");
    made = rk_search_grid_compute(&s->plan, grid, points, &best, &found, &diag);
    if (is_caught() && !first) { /* what was found before stands */
        rk_memory_free(points);
        return EXIT_DONE;
    }
    if (made != RK_OK) {
        rk_memory_free(points);
        return made == RK_ERR_RANGE ? fail(&s->j, EXIT_USAGE, "%s", diag.text)
                                    : fail_diag(&s->j, made, &diag);
    }
    rk_memory_free(s->points);
    s->points = points;
    s->grid = *grid;
    s->best = best;
    s->found = found;
    s->found.tried += tried;
    return EXIT_DONE;
}

static int run_grid(search_job *s)
{
    int status = check_grid(s), turn;

    for (turn = 0; turn <= (s->refine ? REFINE_TURNS : 0) && status == EXIT_DONE; turn++) {
        rk_grid grid = s->grid;

        if (turn > 0 && is_caught()) break;
        if (turn > 0) {
            zoom(&grid.kc, s->found.settings.kc);
            zoom(&grid.ti, s->found.settings.ti);
            zoom(&grid.td, s->found.settings.td);
        }
        status = run_turn(s, &grid, turn == 0);
    }
    s->found.stopped = is_caught();
    return status;
}

static rk_status write_csv(const search_job *s, rk_text *text, rk_diag *diag)
{
    const size_t count = s->grid.kc.count * s->grid.ti.count * s->grid.td.count;
    size_t i;
    int k;

    rk_text_add(text, "kc,ti_s,td_s,tf_s,stable,met,cost");
    for (k = 0; k < RK_REQUIRE_COUNT; k++) {
        rk_text_add(text, ",%s", rk_require_to_text((rk_require)k));
    }
    rk_text_add(text, ",setpoint_iae,load_iae,travel\n");
    for (i = 0; i < count; i++) {
        const rk_grid_point *p = &s->points[i];
        const double first[] = {p->settings.kc, p->settings.ti, p->settings.td, p->settings.tf};
        const double last[] = {p->setpoint.iae, p->load.iae, p->setpoint.travel};

        for (k = 0; k < 4; k++) {
            add_cell(text, k > 0, first[k]);
        }
        rk_text_add(text, ",%d,%d", p->stable, p->met);
        add_cell(text, true, p->cost);
        for (k = 0; k < RK_REQUIRE_COUNT; k++) {
            add_cell(text, true, p->figure[k]);
        }
        for (k = 0; k < 3; k++) {
            add_cell(text, true, p->stable ? last[k] : nan(""));
        }
        rk_text_add(text, "\n");
    }
    return rk_text_check(text, diag);
}

static int write_runs(const search_job *s)
{
    rk_diag diag = {RK_OK, ""};
    rk_text *text = rk_text_create();
    rk_status status = RK_OK;

    status = write_csv(s, text, &diag);
    if (status == RK_OK) {
        status = rk_file_write(s->runs, rk_text_chars(text), rk_text_length(text), true, &diag);
    }
    rk_text_free(text);
    return status == RK_OK ? EXIT_DONE : fail_diag(&s->j, status, &diag);
}

static rk_status draw(const job *j, const void *what, const rk_figure_style *style,
                      rk_text *image, rk_diag *diag)
{
    const search_job *s = what;

    return rk_figure_grid(&j->loop, &s->plan, &s->grid, s->points, s->best, style, image, diag);
}

static void print_settings(const search_job *s, const rk_search_result *r)
{
    const rk_design *d = &s->j.loop;
    rk_form_values v;
    rk_diag why = {RK_OK, ""};
    char ti[SHOWN_CHARS], td[SHOWN_CHARS], tf[SHOWN_CHARS];
    const bool parallel = s->j.typed.given.form == RK_FORM_PARALLEL;

    if (rk_settings_to_form(&r->settings, s->j.typed.given.form, &v, &why) != RK_OK) {
        (void)printf("  %s\n", why.text);
        return;
    }
    show_time(td, v.derivative, s->j.minutes);
    show_time(tf, v.tf, s->j.minutes);
    if (parallel) {
        (void)snprintf(ti, sizeof ti, "ki %.5g per s", v.integral);
        (void)snprintf(td, sizeof td, "%.5g s", v.derivative);
    } else {
        char time[SHOWN_CHARS];

        show_time(time, v.integral, s->j.minutes);
        (void)snprintf(ti, sizeof ti, "ti %.40s", time);
    }
    (void)printf("  %s, %s form: %s %.5g %s/%s, %s", rk_settings_mode(&r->settings),
                 rk_form_to_text(v.form), parallel ? "kp" : "kc", v.gain, d->out_units,
                 d->pv_units, ti);
    if (r->settings.td > 0) {
        (void)printf(", %s %s, tf %s", parallel ? "kd" : "td", td, tf);
    }
    (void)printf("\n");
}

/* Which models the figures stand for. */
static void print_over(const search_job *s)
{
    char text[200];

    if (isnan(s->model_error)) {
        (void)snprintf(text, sizeof text, "models of the fit's 95 %% region");
    } else {
        (void)snprintf(text, sizeof text, "models with each number wrong by %s%.3g %%",
                       s->set.over == RK_OVER_WORST ? "" : "up to ", s->model_error);
    }
    (void)printf("Figures: the %s over %zu %s\n", rk_over_to_text(s->set.over), s->set.count,
                 text);
}

/* What they do on the model itself, each figure "-" where there is none. */
static void print_measures(const search_job *s)
{
    const rk_performance *m = &s->found.measures;
    const double sp = fabs(s->plan.sp_step), load = fabs(s->plan.load_step);
    char overshoot[SHOWN_CHARS], travel[SHOWN_CHARS], iae[SHOWN_CHARS], peak[SHOWN_CHARS];

    show_number(overshoot, m->overshoot, 3);
    show_number(travel, m->travel * sp, 4);
    show_number(iae, m->load_iae * load, 4);
    show_number(peak, m->peak * load, 4);
    (void)printf("\n  setpoint step: overshoot %s %%, OUT travel %s %s (OUT unlimited)\n",
                 overshoot, travel, s->j.loop.out_units);
    (void)printf("  load: IAE %s %s s, peak %s %s\n", iae, s->j.loop.pv_units, peak,
                 s->j.loop.pv_units);
}

static bool on_edge(const rk_grid_axis *axis, size_t at)
{
    return axis->count > 2 && (at == 0 || at == axis->count - 1);
}

static bool at_edge(const search_job *s)
{
    const rk_grid *g = &s->grid;

    return on_edge(&g->kc, s->best % g->kc.count) ||
           on_edge(&g->ti, (s->best / g->kc.count) % g->ti.count) ||
           on_edge(&g->td, s->best / (g->kc.count * g->ti.count));
}

static void print_found(const search_job *s)
{
    const rk_search_result *r = &s->found;
    const rk_design *d = &s->j.loop;
    char process[200], then[SHOWN_CHARS], limit[SHOWN_CHARS];

    describe_model(&s->j, process, sizeof process);
    show_verdict(r->met ? "MET" : "MISSED", r->met);
    if (!r->met) {
        (void)printf(": closest settings found; limiting requirement: %s\n",
                     rk_require_to_text(r->limiting));
    } else if (s->plan.cost == RK_COST_MS) {
        (void)printf(": all requirements met, with the lowest Ms\n");
    } else {
        (void)printf(": all requirements met, with the lowest %s\n",
                     rk_cost_to_text(s->plan.cost));
    }
    (void)printf("Process: %s\n", process);
    show_conditions(d, &s->plan.requirements);
    if (s->plan.set != NULL) {
        print_over(s);
    }
    (void)printf("\n");
    print_settings(s, r);
    (void)printf("\n");
    show_verdict_lines(d, &s->plan.requirements, &r->verdict, false, s->j.minutes);
    print_measures(s);
    if (s->is_grid && !s->refine && at_edge(s)) {
        show_paragraph("CAUTION: the best point lies at the edge of the grid: widen it.");
    }
    (void)printf("  %zu settings tried%s\n", r->tried,
                 r->stopped ? "; stopped: the best so far" : "");
    if (!s->has_without) return;
    (void)printf("\nWithout %s %s:\n", rk_require_to_text(r->limiting),
                 s->without.met ? "all other requirements are met"
                                : "others are still not met");
    print_settings(s, &s->without);
    show_requirement(then, d, r->limiting, s->without.verdict.figure[r->limiting],
                     s->j.minutes);
    show_requirement(limit, d, r->limiting, s->plan.requirements.limit[r->limiting],
                     s->j.minutes);
    (void)printf("    %s is then %s instead of %s\n", rk_require_to_text(r->limiting), then,
                 limit);
}

static int save(search_job *s)
{
    rk_design *d = &s->j.loop;

    if (!s->j.save) return EXIT_DONE;
    if (!s->found.met) {
        return fail(&s->j, EXIT_VERDICT_NO, "not saved: a requirement is missed");
    }
    d->settings.kc = s->found.settings.kc;
    d->settings.ti = s->found.settings.ti;
    d->settings.td = s->found.settings.td;
    d->settings.tf = s->found.settings.tf;
    d->has_settings = true;
    (void)snprintf(d->rule, sizeof d->rule, "search %s", rk_cost_to_text(s->plan.cost));
    d->lambda = nan("");
    return save_settings(&s->j);
}

static int tell(search_job *s)
{
    rk_diag diag = {RK_OK, ""};
    rk_text *text;

    if (!s->j.json) {
        print_found(s);
        return EXIT_DONE;
    }
    text = rk_text_create();
    return print_json(&s->j, text,
                      rk_json_search(&s->found, &s->plan.requirements, text, &diag), &diag);
}

static int run(job *j)
{
    search_job *s = (search_job *)j; /* the job is its first member */
    int status = load(j);

    if (status == EXIT_DONE && j->rule != NULL) {
        status = fail(j, EXIT_USAGE, "settings are what is searched: leave --rule out");
    }
    if (status == EXIT_DONE && !s->is_grid && (s->runs != NULL || j->figure != NULL)) {
        status = fail(j, EXIT_USAGE, "%s of a sweep: give --kc and --ti LOW:HIGH:STEP",
                      s->runs != NULL ? "--runs keeps the runs" : "--figure draws the map");
    }
    if (status == EXIT_DONE && s->refine && !s->is_grid) {
        status = fail(j, EXIT_USAGE, "--refine goes with a sweep: give --kc LOW:HIGH:STEP");
    }
    if (status == EXIT_DONE) {
        status = need_model(j);
    }
    if (status == EXIT_DONE) {
        status = make_plan(s);
    }
    if (status == EXIT_DONE) {
        catch_signals();
        status = s->is_grid ? run_grid(s) : run_search(s);
    }
    if (status == EXIT_DONE) {
        status = tell(s);
    }
    if (status == EXIT_DONE && s->runs != NULL) {
        status = write_runs(s);
    }
    if (status == EXIT_DONE) {
        status = write_figure(j, draw, s);
    }
    if (status == EXIT_DONE) {
        status = save(s);
    }
    rk_memory_free(s->points);
    if (status != EXIT_DONE) return status;
    return s->found.met ? EXIT_DONE : EXIT_VERDICT_NO;
}

int cmd_search(int argc, char **argv)
{
    const double none = nan("");
    search_job s = {.j = job_make("search"),
                    .weigh_error = none,
                    .weigh_effort = none,
                    .noise = none,
                    .model_error = none,
                    .sp_step = none,
                    .load_step = none,
                    .threads = none,
                    .ratio = none};
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        s.limits[i] = none;
    }
    return run_command(&argp, argc, argv, &s.j, run);
}
