/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "cli.h"

typedef struct fit_job {
    job j;
    bool by_move, as_given, guess, force;
    rk_model guessed;
    rk_findings slips;
    const char *validate, *compare;
    rk_hand_fits hand;
    rk_validation validation;
    bool validated, has_rival, pv0_laid;
    rk_fit rival; /* of --compare or --guess */
    rk_move_fits moves;
} fit_job;

static void make(job *j)
{
    j->fit_plan.any_kind = true;
}

static void take_stretch(job *j, struct argp_state *state, const command_option *o,
                         const char *arg)
{
    rk_fit_plan *plan = &j->fit_plan;
    double *pair = plan->exclude[plan->excludes < RK_FIT_EXCLUDES ? plan->excludes : 0];

    if (plan->excludes == RK_FIT_EXCLUDES) {
        refuse_option(state, o->name, ": at most %d of them", RK_FIT_EXCLUDES);
    } else if (rk_numbers_parse(arg, ':', true, pair, 2) != 2 || !(pair[0] <= pair[1])) {
        refuse_option(state, o->name, ": '%s' is not two times such as 30s:45s", arg);
    } else {
        plan->excludes++;
    }
}

static void take_instants(job *j, struct argp_state *state, const command_option *o,
                          const char *arg)
{
    if (strcmp(arg, "on-rows") == 0) {
        j->fit_plan.instants = RK_MOVES_ON_ROWS;
    } else if (strcmp(arg, "between-rows") == 0) {
        j->fit_plan.instants = RK_MOVES_BETWEEN_ROWS;
    } else {
        refuse_option(state, o->name, ": '%s' is neither on-rows nor between-rows", arg);
    }
}

static rk_status draw(const job *j, const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    const fit_job *f = (const fit_job *)j;

    return rk_figure_fit(&j->loop, j->record, &j->fit, &f->hand,
                         f->has_rival ? &f->rival : NULL, style, image, diag);
}

/* The second record, read as the first one is. */
static int validate(job *j)
{
    fit_job *f = (fit_job *)j;
    rk_record *other = NULL;
    rk_import import;
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (f->validate == NULL && f->j.loop.validate_path[0] != '\0') {
        f->validate = f->j.loop.validate_path;
    }
    if (f->validate == NULL) return EXIT_DONE;
    if (strlen(f->validate) >= RK_PATH_CHARS) {
        return fail(&f->j, EXIT_USAGE, "'%.40s...': the path is too long", f->validate);
    }
    status = read_record(&f->j, f->validate, &other, &import, &diag);
    if (status == RK_OK) {
        status = rk_validation_compute(&f->j.fit.model, other, &f->validation, &diag);
    }
    rk_record_free(other);
    f->validated = status == RK_OK;
    return status == RK_OK ? EXIT_DONE : fail_diag(&f->j, status, &diag);
}

static int compare(job *j)
{
    fit_job *f = (fit_job *)j;
    rk_fit_plan plan = f->j.fit_plan;
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (f->compare == NULL) return EXIT_DONE;
    if (rk_model_kind_from_text(f->compare, &plan.kind, &diag) != RK_OK) {
        return fail(&f->j, EXIT_USAGE, "--compare: %s", diag.text);
    }
    plan.any_kind = false;
    status = rk_fit_compute(f->j.record, &plan, &f->rival, &diag);
    f->has_rival = status == RK_OK;
    return status == RK_OK ? EXIT_DONE : fail_diag(&f->j, status, &diag);
}

/* What may be moved of a model that is laid over a record: what was not given. */
static rk_lay_over not_given(const job *j)
{
    return (rk_lay_over){!is_given(j, "model", "out0") && !j->is_loop_file,
                         !is_given(j, "model", "pv0")};
}

/* A guess beside the fit: how much worse is it? */
static int lay_guess(job *j)
{
    fit_job *f = (fit_job *)j;
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (!f->guess) return EXIT_DONE;
    status = rk_fit_lay_over(j->record, &f->guessed, not_given(j), &f->rival, &diag);
    f->has_rival = status == RK_OK;
    return status == RK_OK ? EXIT_DONE : fail_diag(j, status, &diag);
}

/* A model that was not fitted, over the record: how far off is it? */
static int lay_over(job *j)
{
    fit_job *f = (fit_job *)j;
    const rk_lay_over moves = not_given(j);
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (!j->loop.has_model) {
        return fail(j, EXIT_USAGE,
                    "--as-given: give the model: --gain, --time-constant and --dead-time, or "
                    "[model]");
    }
    status = rk_fit_lay_over(j->record, &j->loop.model, moves, &j->fit, &diag);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    j->loop.model = j->fit.model;
    f->pv0_laid = moves.pv0;
    return EXIT_DONE;
}

static int tell(job *j)
{
    const fit_job *f = (const fit_job *)j;
    const rk_fit_results results = {.fit = &f->j.fit,
                                    .hand = &f->hand,
                                    .validation = f->validated ? &f->validation : NULL,
                                    .validated_on = f->validate,
                                    .rival = f->has_rival ? &f->rival : NULL,
                                    .as_given = f->as_given,
                                    .pv0_laid = f->pv0_laid,
                                    .record = f->as_given ? NULL : &f->slips};
    rk_report *report = report_make(&f->j);

    return show_report(j, report, rk_report_add_fit(report, &j->loop, &results), draw);
}

/* What inspect calls unfit is not saved: a fit may look good on it. */
static int refuse_unfit_record(const job *j)
{
    rk_inspection inspection;
    rk_findings found;
    rk_diag diag = {RK_OK, ""};
    const rk_status status = inspect_record(j, 5, 10, &inspection, &found, &diag);
    size_t i;

    if (status != RK_OK) return fail_diag(j, status, &diag);
    for (i = 0; i < found.count; i++) {
        if (found.list[i].level != RK_LEVEL_UNFIT) continue;
        return fail(j, EXIT_VERDICT_NO,
                    "not saved: the record is unfit: %s; --force saves the model all the same",
                    found.list[i].what);
    }
    return EXIT_DONE;
}

static int save(job *j)
{
    rk_diag diag = {RK_OK, ""};

    const fit_job *f = (const fit_job *)j;
    int verdict = EXIT_DONE, status;

    if (f->as_given) return EXIT_DONE;
    if (rk_fit_level(&j->fit) == RK_LEVEL_UNFIT ||
        rk_findings_worst(&f->slips) == RK_LEVEL_UNFIT) {
        verdict = EXIT_VERDICT_NO;
    }
    if (!j->save) return verdict;
    if (!f->force) {
        status = refuse_unfit_record(j);
        if (status != EXIT_DONE) return status;
        if (verdict != EXIT_DONE) {
            return fail(j, EXIT_VERDICT_NO,
                        "an unfit model is not saved; --force saves it all the same");
        }
    }
    status = tell_saved(j, "model", rk_design_save_model(j->input, &j->loop, &diag), &diag);
    if (status == EXIT_DONE && j->loop.has_process) {
        note(
            j, j->input,
            "rules take this model from now on; margins, trials and runs are still of [process]: "
            "take that section out to have them of the model");
    }
    return status != EXIT_DONE ? status : verdict;
}

static int run_moves(job *j)
{
    fit_job *f = (fit_job *)j;
    rk_report *report;
    rk_diag diag = {RK_OK, ""};
    const rk_status status =
        rk_move_fits_compute(f->j.record, f->j.fit_plan.kind, &f->moves, &diag);

    if (status != RK_OK) return fail_diag(&f->j, status, &diag);
    report = report_make(&f->j);
    return show_report(j, report, rk_report_add_move_fits(report, &j->loop, &f->moves), NULL);
}

static int fit(job *j)
{
    fit_job *f = (fit_job *)j;
    rk_diag diag = {RK_OK, ""};
    const int status = f->as_given ? lay_over(j) : need_model(j);

    if (status != EXIT_DONE) return status;
    if (!f->as_given) {
        const rk_inspect_plan plan = rk_inspect_plan_of(&j->loop);

        rk_record_slips(j->record, &plan, &f->slips);
    }
    if (rk_hand_fits_compute(j->record, &f->hand, &diag) == RK_OK) return EXIT_DONE;
    return fail_diag(j, diag.status, &diag);
}

static int check_options(job *j)
{
    const fit_job *f = (const fit_job *)j;
    const wrong_option list[] = {
        {f->as_given && (j->save || f->by_move || f->compare != NULL),
         "--as-given fits nothing: leave --save, --by-move, --compare out"},
        {(f->as_given || f->by_move) && j->fit_plan.instants != RK_MOVES_WEIGHED,
         "--out-moves is for a fit of the whole record: leave it out"},
        {f->force && !j->save, "--force goes with --save: give both"},
        {f->by_move && (j->save || j->figure != NULL || f->validate != NULL),
         "--by-move is a table: leave --save, --figure, --validate out"},
        {!f->as_given && !f->guess && model_is_given(j),
         "the model's numbers are what is fitted: leave them out, lay them over with --as-given, "
         "or beside the fit with --guess"},
        {f->guess && (f->as_given || f->by_move || f->compare != NULL),
         "--guess lays a guess beside one fit: leave --as-given, --by-move, --compare out"},
        {f->guess && !j->loop.has_model,
         "--guess: give the guess: --gain, --time-constant and --dead-time, or [model]"},
        {0},
    };

    if (f->guess && j->loop.has_model) {
        ((fit_job *)j)->guessed = j->loop.model;
    }
    if (!f->as_given) {
        j->loop.has_model = false; /* a model in the file is what this command replaces */
    }
    return refuse_wrong(j, list);
}

static int run(job *j)
{
    static step_function *const one[] = {fit, compare, lay_guess, validate, tell, save, NULL};

    return ((fit_job *)j)->by_move ? run_moves(j) : take_steps(j, one);
}

#define TO(field) offsetof(fit_job, field)

static const command_option options[] = {
    {NULL, NULL, 1, "The fit:", TAKE_HEADING},
    {"from", "TIME", 1, "use only rows from this time on, counted from the first row",
     TAKE_TIME, TO(j.fit_plan.from)},
    {"to", "TIME", 1, "use only rows up to this time", TAKE_TIME, TO(j.fit_plan.to)},
    {"exclude", "TIME:TIME", 1, "leave the rows between out; may be repeated", TAKE_OWN, 0,
     take_stretch},
    {"out-moves", "on-rows|between-rows", 1,
     "when OUT moved: on the row that first shows it (OUT was written by what wrote the rows), or at "
     "some instant since the row before (moved by hand); default: judged by PV, or as the record says",
     TAKE_OWN, 0, take_instants},
    {"by-move", NULL, 1, "fit each move of OUT alone, in one table", TAKE_FLAG, TO(by_move)},
    {"as-given", NULL, 1,
     "do not fit: lay the model of the options or the loop file over the record", TAKE_FLAG,
     TO(as_given)},
    {"guess", NULL, 1, "fit, and lay the model of the options or the loop file beside it",
     TAKE_FLAG, TO(guess)},
    {"validate", "RECORD.csv", 1, "run the model on this record too", TAKE_TEXT, TO(validate)},
    {"force", NULL, 1, "--save although the record or the model is unfit", TAKE_FLAG,
     TO(force)},
    {"compare", "KIND", 1, "fit this kind too, and show it beside", TAKE_TEXT, TO(compare)},
    {0},
};
static const struct argp_child groups[] = {
    {&column_options, 0, "The record:", 2},
    {&model_options, 0, "The model (its numbers with --as-given or --guess only):", 3},
    {&output_options, 0, "Output:", 4},
    {&figure_option, 0, "Drawing:", 5},
    {&save_option, 0, "Saving:", 6},
    {0},
};

const command command_fit = {
    .name = "fit",
    .what = "a process model from a step test, with its certainty",
    .input = "RECORD.csv|LOOP.loop",
    .help = "Fit a process model to a step test, with 95 % intervals. The kind is chosen, "
            "the simplest that the record does not clearly speak against; --kind KIND asks "
            "for one.\vThe record has columns for time, OUT and PV; OUT is held from a row "
            "to the next. Example: redkettle fit test.csv --time time_s --out FV210.OUT "
            "--pv AT210.PV --figure fit.png",
    .options = options,
    .groups = groups,
    .size = sizeof(fit_job),
    .make = make,
    .steps = (step_function *const[]){check_options, need_record, run, NULL},
};
