/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <strings.h>

#include <redkettle/design/base/memory.h>

#include "cli.h"

typedef struct emit_job {
    job j;
    const char *dir;
    bool st, c, xml, sheet, vectors, chosen, slim, force, show;
    rk_number number;
    bool fixed;

    /* What is written, all of it made before any of it is. */
    char path[RK_PROGRAM_FILES][RK_PROGRAM_PATH_CHARS];
    rk_text *text[RK_PROGRAM_FILES]; /* NULL: not this one */
} emit_job;

static void make(job *j)
{
    ((emit_job *)j)->dir = ".";
}

static void take_kinds(job *j, struct argp_state *state, const command_option *o,
                       const char *arg)
{
    static const char *const names[] = {"st", "c", "xml", "sheet", "vectors", NULL};
    emit_job *e = (emit_job *)j;
    bool *const wanted[] = {&e->st, &e->c, &e->xml, &e->sheet, &e->vectors};
    size_t length, i;

    for (;; arg += length + 1) {
        length = strcspn(arg, ",");
        for (i = 0; names[i] != NULL; i++) {
            if (strlen(names[i]) == length && strncasecmp(arg, names[i], length) == 0) break;
        }
        if (names[i] == NULL) {
            refuse_option(state, o->name,
                          ": unknown kind '%.*s'; known: st, c, xml, sheet, vectors",
                          (int)length, arg);
            return;
        }
        *wanted[i] = true;
        if (arg[length] == '\0') break;
    }
    e->chosen = true;
}

static void take_real(job *j, struct argp_state *state, const command_option *o,
                      const char *arg)
{
    emit_job *e = (emit_job *)j;
    rk_diag diag = {RK_OK, ""};

    e->fixed = strcasecmp(arg, "fixed") == 0;
    if (!e->fixed && rk_number_from_text(arg, &e->number, &diag) != RK_OK) {
        refuse_option(state, o->name, ": %s, fixed", diag.text);
    }
}

/* Text of a file; a settings sheet is the same whatever the text counts in. */
static rk_status make_text(const emit_job *e, rk_program_file file, rk_text *text,
                           rk_diag *diag)
{
    if (file == RK_PROGRAM_SHEET || file == RK_PROGRAM_SHEET_CSV) {
        return rk_program_sheet(&e->j.loop, NULL, file == RK_PROGRAM_SHEET_CSV, text, diag);
    }
    return rk_program_text(&e->j.loop, file, e->number, text, diag);
}

static int make_texts(job *j)
{
    emit_job *e = (emit_job *)j;
    const bool st = e->st && !e->slim, c = e->c && !e->slim,
               slim_st = e->st && e->slim && !e->fixed, slim_c = e->c && e->slim && !e->fixed;
    const bool wanted[RK_PROGRAM_FILES] = {
        [RK_PROGRAM_GENERAL_ST] = st,
        [RK_PROGRAM_PROGRAM] = st,
        [RK_PROGRAM_PLANT_ST] = st || slim_st,
        [RK_PROGRAM_VARIABLES] = st,
        [RK_PROGRAM_XML] = e->xml,
        [RK_PROGRAM_GENERAL_H] = c,
        [RK_PROGRAM_GENERAL_C] = c,
        [RK_PROGRAM_PREDICTOR_H] = c,
        [RK_PROGRAM_PREDICTOR_C] = c,
        [RK_PROGRAM_LOOP_H] = c,
        [RK_PROGRAM_LOOP_C] = c,
        [RK_PROGRAM_PLANT_H] = c || slim_c,
        [RK_PROGRAM_PLANT_C] = c || slim_c,
        [RK_PROGRAM_SLIM_ST] = slim_st,
        [RK_PROGRAM_SLIM_H] = slim_c,
        [RK_PROGRAM_SLIM_C] = slim_c,
        [RK_PROGRAM_FIXED_ST] = e->st && e->fixed,
        [RK_PROGRAM_FIXED_H] = e->c && e->fixed,
        [RK_PROGRAM_FIXED_C] = e->c && e->fixed,
        [RK_PROGRAM_SHEET] = e->sheet,
        [RK_PROGRAM_SHEET_CSV] = e->sheet,
        [RK_PROGRAM_VECTORS] = e->vectors,
    };
    rk_diag diag = {RK_OK, ""};
    int i;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        const rk_program_file file = (rk_program_file)i;
        rk_status status;

        if (!wanted[i] || !rk_program_has(&e->j.loop, file)) continue;
        rk_program_path(e->dir, &e->j.loop, file, e->number, e->path[i]);
        e->text[i] = rk_text_create();
        status = make_text(e, file, e->text[i], &diag);
        if (status != RK_OK) return fail_diag(&e->j, status, &diag);
    }
    return EXIT_DONE;
}

/* A settings sheet that stands there with a proof behind it: it is as good as new. */
static bool is_proven(const emit_job *e, int file)
{
    rk_sheet_state state = RK_SHEET_OTHER;
    char *standing;
    size_t length;

    if (file != RK_PROGRAM_SHEET && file != RK_PROGRAM_SHEET_CSV) return false;
    if (rk_file_read(e->path[file], &standing, &length, NULL) != RK_OK) return false;
    (void)rk_program_sheet_compare(&e->j.loop, standing, length, file == RK_PROGRAM_SHEET_CSV,
                                   &state, NULL);
    rk_memory_free(standing);
    return state == RK_SHEET_PROVEN;
}

/* All of them, or none. */
static int write_texts(job *j)
{
    const emit_job *e = (const emit_job *)j;
    rk_file_content list[RK_PROGRAM_FILES];
    rk_diag diag = {RK_OK, ""};
    rk_status status = rk_directory_make(e->dir, &diag);
    size_t count = 0;
    int i;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        if (e->text[i] == NULL || is_proven(e, i)) continue;
        list[count++] = (rk_file_content){e->path[i], rk_text_chars(e->text[i]),
                                          rk_text_length(e->text[i])};
    }
    if (status == RK_OK) {
        status = rk_files_write(list, count, e->force, &diag);
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(&e->j, status, &diag);
}

static int tell(job *j)
{
    const emit_job *e = (const emit_job *)j;
    rk_emitted_file files[RK_PROGRAM_FILES];
    char loop[SHELL_WORD_CHARS], dir[SHELL_WORD_CHARS];
    rk_report *report = report_make(&e->j);
    size_t count = 0;
    int status, i;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        if (e->text[i] == NULL) continue;
        files[count++] = (rk_emitted_file){e->path[i], rk_program_meaning((rk_program_file)i)};
    }
    status = show_report(j, report,
                         rk_report_add_emitted(report, &j->loop, e->slim, files, count), NULL);
    if (status == EXIT_DONE) {
        say(&e->j, "Prove it before it meets a PLC: redkettle prove %s --dir %s\n",
            rk_shell_word(e->j.input, loop, sizeof loop),
            rk_shell_word(e->dir, dir, sizeof dir));
    }
    return status;
}

/* A controller that is known to be unstable must not reach a PLC by this way. */
static int check_stable(job *j)
{
    const emit_job *e = (const emit_job *)j;
    const rk_design *loop = &e->j.loop;
    char file[SHELL_WORD_CHARS];
    rk_diag diag = {RK_OK, ""};
    rk_sampling room;
    rk_margins margins;
    rk_status status;

    if (!loop->has_model || !loop->has_settings || rk_settings_is_on_off(&loop->settings)) {
        return EXIT_DONE; /* two-position control cycles, by its nature */
    }
    status = rk_loop_margins_compute(rk_design_process(loop), &loop->model, &loop->settings,
                                     rk_design_sampling(loop, &room), &margins, &diag);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    if (margins.stable) return EXIT_DONE;
    return fail(j, EXIT_VERDICT_NO,
                "the loop is unstable on its model as it is scanned; nothing written; see "
                "redkettle check %s",
                rk_shell_word(j->input, file, sizeof file));
}

static int check_options(job *j)
{
    emit_job *e = (emit_job *)j;
    const wrong_option list[] = {
        {!j->is_loop_file, "give a loop file (.loop) with scan, out range and settings"},
        {strlen(e->dir) >= RK_PATH_CHARS - 2, "--dir: the path is too long"},
        {e->show && (e->chosen || e->force),
         "--show prints, and writes nothing: give it alone"},
        {e->fixed && !e->slim, "--real fixed is of the slim controller: give --slim too"},
        {e->slim && e->xml, "--slim has no XML: it is a block alone"},
        {e->fixed && (e->vectors || e->show),
         "--real fixed has neither test vectors nor --show: --to st,c,sheet"},
        {0},
    };

    if (!e->chosen) {
        e->st = e->c = e->sheet = true;
        e->vectors = !e->fixed;
        e->xml = !e->slim;
    }
    return refuse_wrong(j, list);
}

static int show_equations(job *j)
{
    const emit_job *e = (const emit_job *)j;
    rk_report *report = report_make(&e->j);
    rk_diag diag = {RK_OK, ""};
    const rk_status status = rk_report_add_equations(report, &e->j.loop, e->number, &diag);

    if (status == RK_OK) return show_report(j, report, status, NULL);
    rk_report_free(report);
    return fail_diag(&e->j, status, &diag);
}

static int emit(job *j)
{
    static step_function *const write[] = {make_texts, check_stable, write_texts, tell, NULL};

    return ((emit_job *)j)->show ? show_equations(j) : take_steps(j, write);
}

static void free_texts(job *j)
{
    int i;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        rk_text_free(((emit_job *)j)->text[i]);
    }
}

#define TO(field) offsetof(emit_job, field)

static const command_option options[] = {
    {NULL, NULL, 1, "The program text:", TAKE_HEADING},
    {"dir", "DIR", 1, "where to write (default: here)", TAKE_TEXT, TO(dir)},
    {"to", "KIND[,KIND]", 1,
     "what to write: st, c, xml (for exchange between PLC tools), sheet (settings in every "
     "form), vectors (of a test); default: all",
     TAKE_OWN, 0, take_kinds},
    {"real", "TYPE", 1,
     "the text's number type: lreal (LREAL, double; default), real (REAL, float), or fixed "
     "(integers; with --slim)",
     TAKE_OWN, 0, take_real},
    {"slim", NULL, 1,
     "a controller with its constants folded, for the smallest controllers: without alarms, safe "
     "output and program",
     TAKE_FLAG, TO(slim)},
    {"show", NULL, 1, "print the equations and coefficients, and write nothing", TAKE_FLAG,
     TO(show)},
    {"force", NULL, 1, "replace files that stand there with other content", TAKE_FLAG,
     TO(force)},
    {0},
};
static const struct argp_child groups[] = {
    {&program_options, 0, "The PLC:", 2}, {&output_options, 0, "Output:", 3}, {0}};

const command command_emit = {
    .name = "emit",
    .what = "the controller as program text for a PLC",
    .input = "LOOP.loop",
    .help =
        "Program text of the tuned controller: IEC 61131-3 Structured Text, with one function "
        "block that is the same for all loops and this loop's program around it, and the same in "
        "C99; a twin of the plant to try it on; XML for exchange between PLC tools; the settings "
        "in every form and unit; test vectors.\v"
        "The text is yours. It is headed by where its numbers come from: record, model, "
        "rule, margins. Exit status 1: the loop is unstable on its model, and nothing is "
        "written.",
    .options = options,
    .groups = groups,
    .size = sizeof(emit_job),
    .make = make,
    .steps = (step_function *const[]){check_options, emit, NULL},
    .free = free_texts,
};
