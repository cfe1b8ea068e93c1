/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "cli.h"
#include "show.h"

enum {
    OPT_FROM = 0x7000,
    OPT_TO,
    OPT_EXCLUDE,
    OPT_BY_MOVE,
    OPT_AS_GIVEN,
    OPT_VALIDATE,
    OPT_COMPARE
};

/* The job is first, as run_command wants it. */
typedef struct fit_job {
    job j;
    bool by_move, as_given;
    const char *validate, *compare;
    rk_hand_fits hand;
    rk_validation validation;
    bool validated, compared;
    rk_fit rival; /* of --compare */
    rk_move_fits moves;
} fit_job;

static const struct argp_option options[] = {
    {"from", OPT_FROM, "TIME", 0, "use only rows from this time on, counted from the first row",
     1},
    {"to", OPT_TO, "TIME", 0, ".. and up to this time", 1},
    {"exclude", OPT_EXCLUDE, "TIME:TIME", 0, "leave the rows between out; may be repeated", 1},
    {"by-move", OPT_BY_MOVE, NULL, 0, "fit each move of OUT alone, in one table", 1},
    {"as-given", OPT_AS_GIVEN, NULL, 0,
     "do not fit: lay the model of the options or the loop file over the record", 1},
    {"validate", OPT_VALIDATE, "RECORD.csv", 0, "run the model on this record too", 1},
    {"compare", OPT_COMPARE, "KIND", 0, "fit this kind too, and show it beside", 1},
    {0},
};

static void take_stretch(struct argp_state *state, const char *arg, rk_fit_plan *plan)
{
    const char *colon = strchr(arg, ':');
    double *pair = plan->exclude[plan->excludes < RK_FIT_EXCLUDES ? plan->excludes : 0];

    if (plan->excludes == RK_FIT_EXCLUDES) {
        argp_failure(state, EXIT_USAGE, 0, "--exclude: at most %d of them", RK_FIT_EXCLUDES);
    }
    if (colon == NULL || !rk_time_parse(arg, (size_t)(colon - arg), &pair[0]) ||
        !rk_time_parse(colon + 1, strlen(colon + 1), &pair[1]) || !(pair[0] <= pair[1])) {
        argp_failure(state, EXIT_USAGE, 0, "--exclude: '%s' is not two times such as 30s:45s",
                     arg);
    }
    plan->excludes++;
}

static error_t parse(int key, char *arg, struct argp_state *state)
{
    fit_job *f = state->input;

    switch (key) {
    case OPT_FROM:
        take_time(state, "from", arg, &f->j.fit_plan.from);
        return 0;
    case OPT_TO:
        take_time(state, "to", arg, &f->j.fit_plan.to);
        return 0;
    case OPT_EXCLUDE:
        take_stretch(state, arg, &f->j.fit_plan);
        return 0;
    case OPT_BY_MOVE:
        f->by_move = true;
        return 0;
    case OPT_AS_GIVEN:
        f->as_given = true;
        return 0;
    case OPT_VALIDATE:
        f->validate = arg;
        return 0;
    case OPT_COMPARE:
        f->compare = arg;
        return 0;
    default:
        return parse_common(key, arg, state);
    }
}

static const struct argp_child children[] = {
    {&column_options, 0, "The record:", 2},
    {&model_options, 0, "The model (its numbers with --as-given only):", 3},
    {&output_options, 0, "Output:", 4},
    {&figure_option, 0, "Drawing:", 5},
    {&save_option, 0, "Saving:", 6},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "RECORD.csv|LOOP.loop",
    "Fit a process model to a step test, with 95 % intervals. The kind is chosen, the simplest "
    "that "
    "the record does not clearly speak against; --kind KIND asks for one.\v"
    "The record has columns for time, OUT and PV; OUT is held from a row to the next. Example: "
    "redkettle fit test.csv --time time_s --out FV210.OUT --pv AT210.PV --figure fit.png",
    children,
    NULL,
    NULL};

static void print_line(const char *what, double value, const char *unit, const double *interval,
                       const char *more)
{
    const int places = show_places(0.5 * (interval[1] - interval[0]));
    char shown[SHOWN_CHARS], low[SHOWN_CHARS], high[SHOWN_CHARS];

    show_fixed(shown, value, places);
    show_fixed(low, interval[0], places);
    show_fixed(high, interval[1], places);
    (void)printf("  %-15s %9s %-10s 95 %%: %s to %s%s\n", what, shown, unit, low, high, more);
}

static void print_time_line(const char *what, double seconds, const double *interval,
                            bool minutes)
{
    const double unit = minutes ? 60.0 : 1.0;
    const double shown[2] = {interval[0] / unit, interval[1] / unit};
    char other[SHOWN_CHARS + 8], value[SHOWN_CHARS];

    show_time(value, seconds, !minutes);
    (void)snprintf(other, sizeof other, "   = %s", value);
    print_line(what, seconds / unit, minutes ? "min" : "s", shown, other);
}

static void print_model(const job *j)
{
    const rk_fit *f = &j->fit;
    const bool integrates = rk_model_kind_integrates(f->model.kind);
    const double pct = rk_design_gain_pct(&j->loop, f->model.gain);
    const int times = rk_model_kind_times(f->model.kind);
    char unit[RK_GAIN_UNIT_CHARS], more[80] = "";
    int i;

    rk_design_gain_unit(&j->loop, f->model.kind, unit);
    if (!isnan(pct)) {
        (void)snprintf(more, sizeof more, "   = %.4g %% of PV span%s per %% of OUT span", pct,
                       integrates ? " per s" : "");
    }
    print_line("gain", f->model.gain, unit, f->gain95, more);
    for (i = 0; i < times; i++) {
        print_time_line(times == 1 ? "time constant"
                        : i == 0   ? "time constant 1"
                                   : "time constant 2",
                        f->model.time_constant[i], f->tau95[i], j->minutes);
    }
    if (f->model.kind == RK_MODEL_SOPDT_OSC) {
        print_line("damping", f->model.damping, "", f->damping95, "");
    }
    print_time_line("dead time", f->model.dead_time, f->dead_time95, j->minutes);
    print_line(integrates ? "PV at first" : "PV at rest", f->model.pv0, j->loop.pv_units,
               f->pv0_95, "");
    (void)printf("  %-15s %9.4g %s\n\n", integrates ? "balanced OUT" : "at OUT", f->model.out0,
                 j->loop.out_units);
}

/* What the kinds gain: the smaller the criterion, the better. */
static void print_candidates(const rk_fit *f)
{
    char cells[RK_MODEL_KINDS + 1][3][SHOWN_CHARS] = {{"kind", "explains %", "BIC"}};
    double best = HUGE_VAL;
    size_t i;

    if (f->candidates < 2) return;
    for (i = 0; i < f->candidates; i++) {
        best = fmin(best, f->candidate[i].bic);
    }
    for (i = 0; i < f->candidates; i++) {
        const rk_fit_candidate *c = &f->candidate[i];

        (void)snprintf(cells[i + 1][0], SHOWN_CHARS, "%s%s",
                       rk_model_kind_to_text(c->model.kind),
                       c->model.kind == f->model.kind ? " *" : "");
        (void)snprintf(cells[i + 1][1], SHOWN_CHARS, "%.1f", c->fit_percent);
        (void)snprintf(cells[i + 1][2], SHOWN_CHARS, c->bic == best ? "best" : "+%.0f",
                       c->bic - best);
    }
    (void)printf("\n  Kinds tried (* chosen; the simplest within 6 of the best):\n");
    show_table(cells[0], f->candidates + 1, 3, 1);
}

static void print_hand(const job *j, const rk_hand_fits *hand)
{
    char cells[RK_HAND_FITS_MAX + 1][4][SHOWN_CHARS] = {
        {"by hand", "gain", "time constant", "dead time"}};
    size_t i;

    if (hand->count == 0) return;
    for (i = 0; i < hand->count; i++) {
        (void)snprintf(cells[i + 1][0], SHOWN_CHARS, "%s", hand->fit[i].method);
        show_number(cells[i + 1][1], hand->fit[i].model.gain, 4);
        show_time(cells[i + 1][2], hand->fit[i].model.time_constant[0], j->minutes);
        show_time(cells[i + 1][3], hand->fit[i].model.dead_time, j->minutes);
    }
    (void)printf("\n");
    show_table(cells[0], hand->count + 1, 4, 1);
}

static void print_rival(const job *j, const rk_fit *rival)
{
    char times[3 * SHOWN_CHARS] = "", theta[SHOWN_CHARS], tau[SHOWN_CHARS];
    int i;

    for (i = 0; i < rk_model_kind_times(rival->model.kind); i++) {
        const size_t used = strlen(times);

        show_time(tau, rival->model.time_constant[i], j->minutes);
        (void)snprintf(times + used, sizeof times - used, "%s%s", used > 0 ? " and " : "", tau);
    }
    show_time(theta, rival->model.dead_time, j->minutes);
    (void)printf(
        "\n  Beside it %s: gain %.4g, %s%s%sdead time %s; it explains %.1f %%, BIC %+.0f "
        "against the model above.\n",
        rk_model_kind_to_text(rival->model.kind), rival->model.gain,
        times[0] != '\0' ? "time constant " : "", times, times[0] != '\0' ? ", " : "", theta,
        rival->fit_percent, rival->bic - j->fit.bic);
}

static void print_validation(const fit_job *f)
{
    (void)printf(
        "\n  On %s, which it has not seen, the model run freely explains %.1f %% of PV's\n"
        "  movement and leaves %.3g %s (rms); PV was shifted by %.3g %s.\n",
        f->validate, f->validation.fit_percent, f->validation.rmse, f->j.loop.pv_units,
        f->validation.offset, f->j.loop.pv_units);
}

static void print_fit(const fit_job *f)
{
    const job *j = &f->j;
    const rk_fit *fit = &j->fit;

    show_level(rk_findings_worst(&fit->findings));
    (void)printf(": %s, %s, %zu rows, %zu move%s of OUT\n\n",
                 rk_model_kind_words(fit->model.kind), j->loop.record_file, fit->rows,
                 fit->moves, fit->moves == 1 ? "" : "s");
    print_model(j);
    (void)printf(
        "  The model explains %.1f %% of PV's movement. It leaves %.3g %s (rms), with a\n"
        "  correlation from row to row of %.2f%s.\n",
        fit->fit_percent, fit->rmse, j->loop.pv_units, fit->residual_correlation,
        fit->noise_order > 0 || fit->noise_memory > 0 ? "; the intervals allow for it"
                                                      : " (0: pure noise)");
    print_candidates(fit);
    if (f->compared) {
        print_rival(j, &f->rival);
    }
    print_hand(j, &f->hand);
    if (f->validated) {
        print_validation(f);
    }
    show_findings(&fit->findings);
}

static void print_moves(const fit_job *f)
{
    char cells[RK_MOVE_FITS_MAX + 1][6][SHOWN_CHARS] = {
        {"move", "OUT", "gain", "time constant", "dead time", "95 % of the gain"}};
    const bool minutes = f->j.minutes;
    size_t i;

    for (i = 0; i < f->moves.count; i++) {
        const rk_move_fit *m = &f->moves.move[i];
        char(*row)[SHOWN_CHARS] = cells[i + 1];

        show_time(row[0], m->at, minutes);
        (void)snprintf(row[1], SHOWN_CHARS, "%.4g to %.4g", m->from, m->to);
        if (!m->fitted) {
            (void)snprintf(row[2], SHOWN_CHARS, "cannot be fitted");
            continue;
        }
        show_number(row[2], m->fit.model.gain, 4);
        show_time(row[3], m->fit.model.time_constant[0], minutes);
        show_time(row[4], m->fit.model.dead_time, minutes);
        (void)snprintf(row[5], SHOWN_CHARS, "%.4g to %.4g", m->fit.gain95[0], m->fit.gain95[1]);
    }
    (void)printf("%s, move by move:\n\n", f->j.loop.record_file);
    show_table(cells[0], f->moves.count + 1, 6, 2);
    show_findings(&f->moves.findings);
}

static rk_status draw(const job *j, const void *what, const rk_figure_style *style,
                      rk_text *image, rk_diag *diag)
{
    const fit_job *f = what;

    return rk_figure_fit(&j->loop, j->record, &j->fit, &f->hand, f->compared ? &f->rival : NULL,
                         style, image, diag);
}

/* The second record, read as the first one is. */
static int validate(fit_job *f)
{
    job other = f->j;
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    int result;

    if (f->validate == NULL && f->j.loop.validate_path[0] != '\0') {
        f->validate = f->j.loop.validate_path;
    }
    if (f->validate == NULL) return EXIT_DONE;
    other.record = NULL;
    if (strlen(f->validate) >= sizeof other.loop.record_path) {
        return fail(&f->j, EXIT_USAGE, "'%.40s...': the path is too long", f->validate);
    }
    strcpy(other.loop.record_path, f->validate);
    result = need_record(&other);
    if (result != EXIT_DONE) return result;
    status = rk_validation_compute(&f->j.fit.model, other.record, &f->validation, &diag);
    job_free(&other);
    f->validated = status == RK_OK;
    return status == RK_OK ? EXIT_DONE : fail_diag(&f->j, status, &diag);
}

static int compare(fit_job *f)
{
    rk_fit_plan plan = f->j.fit_plan;
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (f->compare == NULL) return EXIT_DONE;
    if (rk_model_kind_from_text(f->compare, &plan.kind, &diag) != RK_OK) {
        return fail(&f->j, EXIT_USAGE, "--compare: %s", diag.text);
    }
    plan.any_kind = false;
    status = rk_fit_compute(f->j.record, &plan, &f->rival, &diag);
    f->compared = status == RK_OK;
    return status == RK_OK ? EXIT_DONE : fail_diag(&f->j, status, &diag);
}

/* A model that was not fitted, over the record: how far off is it? */
static int lay_over(fit_job *f)
{
    rk_model *m = &f->j.loop.model;
    rk_diag diag = {RK_OK, ""};
    rk_validation v;
    rk_status status;

    if (!f->j.loop.has_model) {
        return fail(&f->j, EXIT_USAGE,
                    "--as-given: give the model: --gain, --time-constant and --dead-time, or "
                    "[model]");
    }
    if (!is_given(&f->j, "model", "out0") && !f->j.is_loop_file &&
        !rk_model_kind_integrates(m->kind)) {
        m->out0 = rk_record_out(f->j.record)[0];
    }
    status = rk_validation_compute(m, f->j.record, &v, &diag);
    if (status != RK_OK) return fail_diag(&f->j, status, &diag);
    if (!is_given(&f->j, "model", "pv0")) {
        m->pv0 += v.offset;
    }
    memset(&f->j.fit, 0, sizeof f->j.fit);
    f->j.fit.model = *m;
    f->j.fit.fit_percent = v.fit_percent;
    f->j.fit.rmse = v.rmse;
    if (f->j.json) return EXIT_DONE;
    (void)printf(
        "AS GIVEN: %s over %s\n\n  The model explains %.1f %% of PV's movement and leaves "
        "%.3g %s (rms)%s.\n",
        rk_model_kind_words(m->kind), f->j.loop.record_file, v.fit_percent, v.rmse,
        f->j.loop.pv_units,
        !is_given(&f->j, "model", "pv0") ? "; its PV at rest was laid to fit best" : "");
    return EXIT_DONE;
}

static int tell(fit_job *f)
{
    job *j = &f->j;
    rk_diag diag = {RK_OK, ""};

    if (j->json) {
        rk_text *text = rk_text_create();
        const rk_status made =
            rk_json_fit(&j->fit, &f->hand, f->validated ? &f->validation : NULL, text, &diag);

        return print_json(j, text, made, &diag);
    }
    if (!f->as_given) {
        print_fit(f);
    }
    return EXIT_DONE;
}

static int save(job *j)
{
    rk_diag diag = {RK_OK, ""};
    rk_status saved;

    if (rk_findings_worst(&j->fit.findings) == RK_LEVEL_UNFIT) {
        if (j->save) {
            (void)fail(j, 0, "an unfit model is not saved");
        }
        return EXIT_VERDICT_NO;
    }
    if (!j->save) return EXIT_DONE;
    saved = rk_design_save_model(j->input, &j->loop, &diag);
    if (saved != RK_OK) return fail_diag(j, saved, &diag);
    if (!j->json) {
        (void)printf("\nSaved as [model] in %s.\n", j->input);
    }
    return EXIT_DONE;
}

static int run_moves(fit_job *f)
{
    rk_diag diag = {RK_OK, ""};
    const rk_status status =
        rk_move_fits_compute(f->j.record, f->j.fit_plan.kind, &f->moves, &diag);

    if (status != RK_OK) return fail_diag(&f->j, status, &diag);
    if (f->j.json) {
        rk_text *text = rk_text_create();
        const rk_status made = rk_json_moves(&f->moves, text, &diag);

        return print_json(&f->j, text, made, &diag);
    }
    print_moves(f);
    return EXIT_DONE;
}

static int run_one(fit_job *f)
{
    job *j = &f->j;
    rk_diag diag = {RK_OK, ""};
    int status = f->as_given ? lay_over(f) : need_model(j);

    if (status == EXIT_DONE && rk_hand_fits_compute(j->record, &f->hand, &diag) != RK_OK) {
        status = fail_diag(j, diag.status, &diag);
    }
    if (status == EXIT_DONE) {
        status = compare(f);
    }
    if (status == EXIT_DONE) {
        status = validate(f);
    }
    if (status == EXIT_DONE) {
        status = tell(f);
    }
    if (status == EXIT_DONE) {
        status = write_figure(j, draw, f);
    }
    return status == EXIT_DONE && !f->as_given ? save(j) : status;
}

static int run(job *j)
{
    fit_job *f = (fit_job *)j; /* the job is its first member */
    int status = load(j);

    if (status != EXIT_DONE) return status;
    if (f->as_given && (j->save || f->by_move || f->compare != NULL)) {
        return fail(j, EXIT_USAGE,
                    "--as-given fits nothing: leave --save, --by-move, --compare out");
    }
    if (f->by_move && (j->save || j->figure != NULL || f->validate != NULL)) {
        return fail(j, EXIT_USAGE,
                    "--by-move is a table: leave --save, --figure, --validate out");
    }
    if (!f->as_given) {
        if (model_is_given(j)) {
            return fail(j, EXIT_USAGE,
                        "the model's numbers are what is fitted: leave them out, or "
                        "lay them over with --as-given");
        }
        j->loop.has_model = false; /* a model in the file is what this command replaces */
    }
    status = need_record(j);
    if (status != EXIT_DONE) return status;
    return f->by_move ? run_moves(f) : run_one(f);
}

int cmd_fit(int argc, char **argv)
{
    fit_job f = {.j = job_make("fit")};

    return run_command(&argp, argc, argv, &f.j, run);
}
