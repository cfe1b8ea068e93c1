/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>
#include <strings.h>

#include <redkettle/design/base/memory.h>

#include "cli.h"
#include "show.h"

enum { OPT_DIR = 0x3000, OPT_TO, OPT_FORCE, OPT_SHOW, OPT_REAL };

/* The job and what only emit is asked. The job is first: child parsers see it alone. */
typedef struct emit_job {
    job j;
    const char *dir;
    bool st, c, xml, sheet, vectors, chosen, force, show;
    rk_number number;
    bool fixed;
} emit_job;

static const struct argp_option options[] = {
    {"dir", OPT_DIR, "DIR", 0, "where to write (default: here)", 1},
    {"to", OPT_TO, "KIND[,KIND]", 0,
     "what to write: st, c, xml (for exchange between PLC tools), sheet (settings in every "
     "form), "
     "vectors (of a test); default: all",
     1},
    {"real", OPT_REAL, "TYPE", 0,
     "what the text counts in: lreal (LREAL, double; default), real (REAL, float), or fixed (C "
     "alone: integers)",
     1},
    {"show", OPT_SHOW, NULL, 0, "print the equations and coefficients, and write nothing", 1},
    {"force", OPT_FORCE, NULL, 0, "replace files that stand there with other content", 1},
    {0},
};

static void take_kinds(struct argp_state *state, const char *arg, emit_job *e)
{
    const struct {
        const char *name;
        bool *wanted;
    } kinds[] = {{"st", &e->st},
                 {"c", &e->c},
                 {"xml", &e->xml},
                 {"sheet", &e->sheet},
                 {"vectors", &e->vectors}};
    size_t length, i;

    for (;; arg += length + 1) {
        length = strcspn(arg, ",");
        for (i = 0; i < sizeof kinds / sizeof kinds[0]; i++) {
            if (strlen(kinds[i].name) == length &&
                strncasecmp(arg, kinds[i].name, length) == 0) {
                *kinds[i].wanted = true;
                break;
            }
        }
        if (i == sizeof kinds / sizeof kinds[0]) {
            argp_failure(state, EXIT_USAGE, 0,
                         "--to: unknown kind '%.*s'; known: st, c, xml, sheet, vectors",
                         (int)length, arg);
        }
        if (arg[length] == '\0') break;
    }
    e->chosen = true;
}

static void take_real(struct argp_state *state, const char *arg, emit_job *e)
{
    rk_diag diag = {RK_OK, ""};

    e->fixed = strcasecmp(arg, "fixed") == 0;
    if (!e->fixed && rk_number_from_text(arg, &e->number, &diag) != RK_OK) {
        argp_failure(state, EXIT_USAGE, 0, "--real: %s, fixed", diag.text);
    }
}

static error_t parse(int key, char *arg, struct argp_state *state)
{
    emit_job *e = state->input;

    switch (key) {
    case OPT_DIR:
        e->dir = arg;
        return 0;
    case OPT_TO:
        take_kinds(state, arg, e);
        return 0;
    case OPT_REAL:
        take_real(state, arg, e);
        return 0;
    case OPT_SHOW:
        e->show = true;
        return 0;
    case OPT_FORCE:
        e->force = true;
        return 0;
    default:
        return parse_common(key, arg, state);
    }
}

static const struct argp_child children[] = {
    {&output_options, 0, "Output:", 2},
    {0},
};
static const struct argp argp = {
    options,
    parse,
    "LOOP.loop",
    "Program text of the tuned controller at the loop's scan interval, and of a twin of the "
    "plant to try it on: IEC 61131-3 Structured Text function blocks, and C99; the settings in "
    "every form and unit; test vectors.\v"
    "The text is yours. It is headed by where its numbers come from: record, model, rule, "
    "margins. "
    "Exit status 1: the loop is unstable on its model, and nothing is written.",
    children,
    NULL,
    NULL};

enum { FILES_MAX = 14 };
/* What a file's name begins with. */
typedef enum about { CONTROLLER, PLANT, LOOP } about;
typedef rk_status emit_function(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag);

/* What is written, all of it made before any of it is. */
typedef struct output {
    char path[FILES_MAX][RK_PATH_CHARS + RK_BLOCK_NAME_CHARS];
    const char *meaning[FILES_MAX];
    rk_text *text[FILES_MAX];
    bool stays[FILES_MAX]; /* it stands there, with a proof behind it */
    size_t count;
} output;

static int add_output(const emit_job *e, output *o, about what, const char *ending,
                      const char *meaning, emit_function *emit)
{
    rk_diag diag = {RK_OK, ""};
    char name[RK_BLOCK_NAME_CHARS];
    rk_status status;

    if (what == PLANT) {
        rk_emit_plant_name(&e->j.loop, name);
    } else if (what == CONTROLLER) {
        rk_emit_block_name(&e->j.loop, name);
    } else {
        rk_emit_prefix(&e->j.loop, name);
    }
    (void)snprintf(o->path[o->count], sizeof o->path[o->count], "%s/%s%s", e->dir, name,
                   ending);
    o->meaning[o->count] = meaning;
    o->text[o->count] = rk_text_create();
    status = emit(&e->j.loop, e->number, o->text[o->count], &diag);
    o->count++;
    return status == RK_OK ? EXIT_DONE : fail_diag(&e->j, status, &diag);
}

/* The settings are the same whatever the text counts in. */
static rk_status emit_sheet(const rk_design *loop, rk_number number, rk_text *text,
                            rk_diag *diag)
{
    (void)number;
    return rk_emit_sheet(loop, text, diag);
}

static rk_status emit_sheet_csv(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag)
{
    (void)number;
    return rk_emit_sheet_csv(loop, text, diag);
}

static rk_status emit_fixed_header(const rk_design *loop, rk_number number, rk_text *text,
                                   rk_diag *diag)
{
    (void)number;
    return rk_emit_fixed_header(loop, text, diag);
}

static rk_status emit_fixed_source(const rk_design *loop, rk_number number, rk_text *text,
                                   rk_diag *diag)
{
    (void)number;
    return rk_emit_fixed_source(loop, text, diag);
}

/* Without a model there is no twin. */
static int make_outputs(const emit_job *e, output *o)
{
    const bool twin = e->j.loop.has_model;
    const struct {
        bool wanted;
        about what;
        const char *ending;
        const char *meaning;
        emit_function *emit;
    } all[FILES_MAX] = {
        {e->st, CONTROLLER, ".st", "the controller, Structured Text", rk_emit_st},
        {e->c && !e->fixed, CONTROLLER, ".h", "the controller, C99", rk_emit_c_header},
        {e->c && !e->fixed, CONTROLLER, ".c", "", rk_emit_c_source},
        {e->c && e->fixed, CONTROLLER, "_fixed.h", "the controller in integers, C99",
         emit_fixed_header},
        {e->c && e->fixed, CONTROLLER, "_fixed.c", "", emit_fixed_source},
        {e->st && twin, PLANT, ".st", "the plant's twin, Structured Text", rk_emit_plant_st},
        {e->c && twin && !e->fixed, PLANT, ".h", "the plant's twin, C99",
         rk_emit_plant_c_header},
        {e->c && twin && !e->fixed, PLANT, ".c", "", rk_emit_plant_c_source},
        {e->sheet, CONTROLLER, "_settings.txt",
         "the settings in every form and unit, and the proof", emit_sheet},
        {e->sheet, CONTROLLER, "_settings.csv", "", emit_sheet_csv},
        {e->vectors, CONTROLLER, "_vectors.csv", "a test: what goes in, what must come out",
         rk_emit_vectors},
        {e->st, LOOP, "_program.st", "program, task and variables around the blocks",
         rk_emit_program_st},
        {e->st, LOOP, "_variables.csv", "the variables: types, units, ranges",
         rk_emit_variables},
        {e->xml, LOOP, ".xml", "all of it, for exchange between PLC tools", rk_emit_xml},
    };
    int status = EXIT_DONE;
    size_t i;

    for (i = 0; i < FILES_MAX && status == EXIT_DONE; i++) {
        if (all[i].wanted) {
            status = add_output(e, o, all[i].what, all[i].ending, all[i].meaning, all[i].emit);
        }
    }
    return status;
}

/* What the ways to sum the error do to the margins at this scan; the blocks sum backward. */
static void print_schemes(const emit_job *e)
{
    enum { COLUMNS = 5, ROWS = 5 };
    const rk_design *loop = &e->j.loop;
    char cells[ROWS * COLUMNS][SHOWN_CHARS];
    static const char *const head[COLUMNS] = {"integral", "gain margin", "phase margin, deg",
                                              "Ms", "stable kc"};
    rk_margins m;
    int row, i;

    if (!loop->has_model) return;
    for (i = 0; i < COLUMNS; i++) {
        (void)snprintf(cells[i], SHOWN_CHARS, "%s", head[i]);
    }
    for (row = 1; row < ROWS; row++) {
        char(*cell)[SHOWN_CHARS] = cells + ((size_t)row * COLUMNS);
        const rk_sampling sampling = {loop->ts, 0.0, (rk_scheme)(row - 2)};
        const rk_status status =
            row == 1 ? rk_margins_compute(&loop->model, &loop->settings, &m, NULL)
                     : rk_sampled_margins_compute(&loop->model, &loop->settings, &sampling, &m,
                                                  NULL);

        if (status != RK_OK) return;
        (void)snprintf(cell[0], SHOWN_CHARS, "%s%s",
                       row == 1 ? "(continuous)" : rk_scheme_to_text((rk_scheme)(row - 2)),
                       row == (int)loop->settings.integral + 2 ? ", as above" : "");
        show_number(cell[1], m.gain_margin, 4);
        show_number(cell[2], m.phase_margin, 4);
        show_number(cell[3], m.ms, 4);
        (void)snprintf(cell[4], SHOWN_CHARS, "none");
        if (m.kc_range_exists) {
            (void)snprintf(cell[4], SHOWN_CHARS, "%.4g to %.4g", m.kc_stable[0],
                           m.kc_stable[1]);
        }
    }
    (void)printf("\n");
    show_table(cells, ROWS, COLUMNS, 1);
}

/* The equations alone. */
static int show_equations(const emit_job *e)
{
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};
    const rk_status status = rk_emit_equations(&e->j.loop, e->number, text, &diag);

    if (status == RK_OK) {
        (void)fwrite(rk_text_chars(text), 1, rk_text_length(text), stdout);
        print_schemes(e);
    }
    rk_text_free(text);
    return status == RK_OK ? EXIT_DONE : fail_diag(&e->j, status, &diag);
}

/* A settings sheet that stands there with a proof behind it: it is as good as new. */
static bool is_proven(const char *path, const rk_text *text)
{
    const size_t wanted = rk_text_length(text);
    char *standing;
    size_t length;
    bool proven;

    if (strstr(path, "_settings.") == NULL) return false;
    if (rk_file_read(path, &standing, &length, NULL) != RK_OK) return false;
    proven = length > wanted && memcmp(standing, rk_text_chars(text), wanted) == 0;
    rk_memory_free(standing);
    return proven;
}

static int write_outputs(const emit_job *e, output *o)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status = rk_directory_make(e->dir, &diag);
    size_t i;

    for (i = 0; i < o->count && status == RK_OK; i++) { /* all of them, or none */
        o->stays[i] = is_proven(o->path[i], o->text[i]);
        if (o->stays[i]) continue;
        status = rk_file_may_write(o->path[i], rk_text_chars(o->text[i]),
                                   rk_text_length(o->text[i]), e->force, &diag);
    }
    for (i = 0; i < o->count && status == RK_OK; i++) {
        if (o->stays[i]) continue;
        status = rk_file_write(o->path[i], rk_text_chars(o->text[i]),
                               rk_text_length(o->text[i]), e->force, &diag);
    }
    return status == RK_OK ? EXIT_DONE : fail_diag(&e->j, status, &diag);
}

static int report(const emit_job *e, const output *o)
{
    const char *files[FILES_MAX] = {NULL};
    rk_diag diag = {RK_OK, ""};
    char scan[SHOWN_CHARS], loop[SHELL_WORD_CHARS], dir[SHELL_WORD_CHARS];
    int width = 0;
    size_t i;

    for (i = 0; i < o->count; i++) {
        files[i] = o->path[i];
        if ((int)strlen(files[i]) > width) {
            width = (int)strlen(files[i]);
        }
    }
    if (e->j.json) {
        rk_text *text = rk_text_create();
        const rk_status made = rk_json_emit(files, o->count, text, &diag);

        return print_json(&e->j, text, made, &diag);
    }
    show_time(scan, e->j.loop.ts, false);
    (void)printf("%s controller of %s for a scan of %s (%s):\n",
                 rk_settings_mode(&e->j.loop.settings), e->j.loop.name, scan,
                 e->j.loop.settings.kc < 0 ? "direct acting" : "reverse acting");
    for (i = 0; i < o->count; i++) {
        (void)printf("  %-*s%s\n", o->meaning[i][0] != '\0' ? width + 2 : 0, files[i],
                     o->meaning[i]);
    }
    (void)printf("Call the block from a cyclic task with an interval of %s.\n", scan);
    if (!e->fixed) {
        (void)printf("Prove it before it meets a PLC: redkettle prove %s --dir %s\n",
                     show_shell_word(loop, e->j.input), show_shell_word(dir, e->dir));
    }
    return EXIT_DONE;
}

/* A controller that is known to be unstable must not reach a PLC by this way. */
static int check_stable(const emit_job *e)
{
    char file[SHELL_WORD_CHARS];
    const rk_design *loop = &e->j.loop;
    rk_diag diag = {RK_OK, ""};
    rk_margins margins;
    bool sampled = false;
    rk_status status;

    if (!loop->has_model || !loop->has_settings) return EXIT_DONE;
    status = rk_margins_compute(&loop->model, &loop->settings, &margins, &diag);
    if (status != RK_OK) return fail_diag(&e->j, status, &diag);
    if (margins.stable && !isnan(loop->ts)) {
        const rk_sampling sampling = {loop->ts, 0.0, loop->settings.integral};

        sampled = true;
        status = rk_sampled_margins_compute(&loop->model, &loop->settings, &sampling, &margins,
                                            &diag);
        if (status != RK_OK) return fail_diag(&e->j, status, &diag);
    }
    if (margins.stable) return EXIT_DONE;
    return fail(&e->j, EXIT_VERDICT_NO,
                "the loop is unstable on its model%s; nothing written; see redkettle check %s",
                sampled ? " at its scan" : "", show_shell_word(file, e->j.input));
}

static int run(job *j)
{
    emit_job *e = (emit_job *)j; /* the job is its first member */
    output o = {.count = 0};
    int status = load(&e->j);
    size_t i;

    if (status == EXIT_DONE && !e->j.is_loop_file) {
        status = fail(&e->j, EXIT_USAGE,
                      "give a loop file (.loop) with scan, out range and settings");
    }
    if (status == EXIT_DONE && strlen(e->dir) >= RK_PATH_CHARS - 2) {
        status = fail(&e->j, EXIT_USAGE, "--dir: the path is too long");
    }
    if (status == EXIT_DONE && e->show && (e->chosen || e->force || e->j.json)) {
        status = fail(&e->j, EXIT_USAGE, "--show prints, and writes nothing: give it alone");
    }
    if (status == EXIT_DONE && e->fixed && (e->st || e->xml || e->vectors || e->show)) {
        status = fail(&e->j, EXIT_USAGE, "--real fixed is of the C alone: --to c,sheet");
    }
    if (!e->chosen && e->fixed) {
        e->c = e->sheet = true;
    } else if (!e->chosen) {
        e->st = e->c = e->xml = e->sheet = e->vectors = true;
    }
    if (status == EXIT_DONE && e->show) return show_equations(e);
    if (status == EXIT_DONE) {
        status = make_outputs(e, &o);
    }
    if (status == EXIT_DONE) {
        status = check_stable(e);
    }
    if (status == EXIT_DONE) {
        status = write_outputs(e, &o);
    }
    if (status == EXIT_DONE) {
        status = report(e, &o);
    }
    for (i = 0; i < o.count; i++) {
        rk_text_free(o.text[i]);
    }
    return status;
}

int cmd_emit(int argc, char **argv)
{
    emit_job e = {.j = job_make("emit"), .dir = "."};

    return run_command(&argp, argc, argv, &e.j, run);
}
