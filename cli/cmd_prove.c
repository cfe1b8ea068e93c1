/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "cli.h"

typedef struct prove_job {
    job j;
    const char *dir, *block, *curves;
    bool comma; /* in the curves' numbers */
    double scans;
    bool no_c, changed, pinned;
    rk_prove_plan plan;
    char path[RK_PROGRAM_FILES][RK_PROGRAM_PATH_CHARS];
    char *content[RK_PROGRAM_FILES]; /* of those that stand there and are looked at */
    size_t length[RK_PROGRAM_FILES];
    rk_twin_run twin;
    bool has_twin;
    rk_block_pins pins;
    rk_block_steps steps;
} prove_job;

static void make(job *j)
{
    prove_job *p = (prove_job *)j;

    p->dir = ".";
    p->scans = 10000;
}

/* Those of the block for all loops are named by the number type: what is there decides. */
static rk_status read_file(prove_job *p, rk_program_file file, rk_diag *diag)
{
    int number;

    for (number = 0; number < RK_NUMBERS; number++) {
        rk_program_path(p->dir, &p->j.loop, file, (rk_number)number, p->path[file]);
        if (p->content[file] == NULL && file_stands(p->path[file])) {
            return rk_file_read(p->path[file], &p->content[file], &p->length[file], diag);
        }
    }
    return RK_OK;
}

/* A directory may hold both blocks for all loops: the loop's program says which is its own. */
static rk_status read_general(prove_job *p, rk_program_file file, const char *user,
                              rk_diag *diag)
{
    const bool real = user != NULL && (strstr(user, "LOOP_CONTROLLER_REAL") != NULL ||
                                       strstr(user, "loop_controller_real") != NULL);

    rk_program_path(p->dir, &p->j.loop, file, real ? RK_NUMBER_REAL : RK_NUMBER_LREAL,
                    p->path[file]);
    if (!file_stands(p->path[file])) return RK_OK;
    return rk_file_read(p->path[file], &p->content[file], &p->length[file], diag);
}

static int read_files(job *j)
{
    prove_job *p = (prove_job *)j;
    rk_diag diag = {RK_OK, ""};
    rk_status status = RK_OK;
    int i;

    for (i = 0; i < RK_PROGRAM_FILES && status == RK_OK; i++) {
        if (i == RK_PROGRAM_GENERAL_ST || i == RK_PROGRAM_GENERAL_H ||
            i == RK_PROGRAM_GENERAL_C) {
            continue;
        }
        status = read_file(p, (rk_program_file)i, &diag);
    }
    for (i = 0; i < 3 && status == RK_OK; i++) {
        static const rk_program_file general[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_GENERAL_H,
                                                  RK_PROGRAM_GENERAL_C};

        status = read_general(
            p, general[i], p->content[i == 0 ? RK_PROGRAM_PROGRAM : RK_PROGRAM_LOOP_H], &diag);
    }
    if (status != RK_OK) return fail_diag(&p->j, status, &diag);
    if (p->content[RK_PROGRAM_PROGRAM] == NULL && p->content[RK_PROGRAM_LOOP_C] == NULL &&
        p->content[RK_PROGRAM_SLIM_ST] == NULL && p->content[RK_PROGRAM_SLIM_C] == NULL &&
        p->content[RK_PROGRAM_FIXED_ST] == NULL && p->content[RK_PROGRAM_FIXED_C] == NULL) {
        return fail(&p->j, EXIT_BAD_INPUT,
                    "nothing to prove: neither %s nor a controller in C or slim is there; see "
                    "redkettle emit",
                    p->path[RK_PROGRAM_PROGRAM]);
    }
    return EXIT_DONE;
}

/* The vectors that stand there are those of the loop, in the precision of its text. */
static int check_vectors(const prove_job *p, rk_number number, bool *same)
{
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};
    rk_status status = RK_OK;

    *same = true;
    if (p->content[RK_PROGRAM_VECTORS] != NULL) {
        status = rk_emit_vectors(&p->j.loop, number, text, &diag);
        *same =
            status == RK_OK && strcmp(rk_text_chars(text), p->content[RK_PROGRAM_VECTORS]) == 0;
    }
    rk_text_free(text);
    return status == RK_OK ? EXIT_DONE : fail_diag(&p->j, status, &diag);
}

/* Write the verdict into a settings sheet, if it is this loop's. */
static int write_sheet(const prove_job *p, rk_program_file file, const rk_proof *proof,
                       bool *written)
{
    const bool csv = file == RK_PROGRAM_SHEET_CSV;
    rk_sheet_state state = RK_SHEET_OTHER;
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    rk_text *proven;

    if (p->content[file] == NULL) return EXIT_DONE;
    status = rk_program_sheet_compare(&p->j.loop, p->content[file], p->length[file], csv,
                                      &state, &diag);
    if (status != RK_OK || state == RK_SHEET_OTHER) {
        return status == RK_OK ? EXIT_DONE : fail_diag(&p->j, status, &diag);
    }
    *written = true;
    proven = rk_text_create();
    status = rk_program_sheet(&p->j.loop, proof, csv, proven, &diag);
    return write_text(&p->j, p->path[file], proven, status, &diag);
}

/* The twin's text on the record, if there are both. */
static int run_twin(prove_job *p)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    rk_text *text;
    int result;

    if (p->content[RK_PROGRAM_PLANT_ST] == NULL || p->j.loop.record_path[0] == '\0' ||
        !file_stands(p->j.loop.record_path)) {
        if (p->curves == NULL) return EXIT_DONE;
        return fail(&p->j, EXIT_BAD_INPUT,
                    "--curves needs the plant's Structured Text and the loop's record");
    }
    result = need_record(&p->j);
    if (result != EXIT_DONE) return result;
    status = rk_twin_run_compute(&p->j.loop, p->content[RK_PROGRAM_PLANT_ST], p->j.record,
                                 &p->twin, &diag);
    if (status != RK_OK) return fail_diag(&p->j, status, &diag);
    p->has_twin = true;
    if (p->curves == NULL) return EXIT_DONE;
    text = rk_text_create();
    status = rk_twin_run_to_csv(&p->twin, text, &diag);
    return write_curves_file(&p->j, p->curves, p->comma, text, status, &diag);
}

static int prove_files(job *j)
{
    prove_job *p = (prove_job *)j;
    rk_program program = {.text = {NULL}};
    rk_diag diag = {RK_OK, ""};
    rk_proof proof;
    rk_proof_results results = {.proof = &proof,
                                .where = p->dir,
                                .has_vectors = p->content[RK_PROGRAM_VECTORS] != NULL};
    rk_report *report;
    rk_status proved;
    int status, i;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        program.text[i] = p->content[i];
    }
    proved = rk_proof_compute(&p->j.loop, &program, &p->plan, &proof, &diag);
    if (proved != RK_OK) return fail_diag(&p->j, proved, &diag);
    status = check_vectors(p, proof.part[0].number, &results.same_vectors);
    if (status == EXIT_DONE) {
        status = write_sheet(p, RK_PROGRAM_SHEET, &proof, &results.in_sheet);
    }
    if (status == EXIT_DONE) {
        status = write_sheet(p, RK_PROGRAM_SHEET_CSV, &proof, &results.in_sheet);
    }
    if (status == EXIT_DONE) {
        status = run_twin(p);
    }
    if (status != EXIT_DONE) return status;
    results.twin = p->has_twin ? &p->twin : NULL;
    report = report_make(&p->j);
    status = show_report(j, report, rk_report_add_proof(report, &j->loop, &results), NULL);
    if (status != EXIT_DONE) return status;
    return proof.proven && results.same_vectors ? EXIT_DONE : EXIT_VERDICT_NO;
}

static rk_status draw_steps(const job *j, const rk_figure_style *style, rk_text *image,
                            rk_diag *diag)
{
    const prove_job *p = (const prove_job *)j;
    const rk_run_curves curves[] = {p->steps.design, p->steps.block};

    return rk_figure_run(&j->loop, "the design and a block of your own", curves, 2, style,
                         image, diag);
}

/* A block of the user's own. */
static int prove_block(job *j)
{
    prove_job *p = (prove_job *)j;
    rk_diag diag = {RK_OK, ""};
    rk_block_probe probe;
    rk_proof_part part;
    rk_report *report;
    size_t length;
    char *text;
    int result;
    rk_status status = rk_file_read(p->block, &text, &length, &diag);

    if (status != RK_OK) return fail_diag(&p->j, status, &diag);
    status = rk_proof_compute_block(&p->j.loop, text, &p->pins, &p->plan, &part, &diag);
    if (status == RK_OK && (part.ran || part.scans > 0)) {
        status = rk_block_probe_compute(&p->j.loop, text, &p->pins, &probe, &diag);
    }
    if (status == RK_OK && j->figure != NULL && part.ran) {
        status = rk_block_steps_compute(&p->j.loop, text, &p->pins, &p->steps, &diag);
    }
    rk_memory_free(text);
    if (status != RK_OK) return fail_diag(&p->j, status, &diag);
    if (!part.ran && part.scans == 0) {
        return fail(&p->j, EXIT_BAD_INPUT, "%s: %s", p->block, part.refused);
    }
    report = report_make(&p->j);
    status = rk_report_add_block_proof(report, &p->j.loop, &part, &probe, p->block);
    result = show_report(j, report, status, p->steps.rows > 0 ? draw_steps : NULL);
    if (result != EXIT_DONE) return result;
    return part.ran && part.mismatches == 0 ? EXIT_DONE : EXIT_VERDICT_NO;
}

/* "sp=SW pv=XW": what the pins of a user's block are called. */
static void take_pins(job *j, struct argp_state *state, const command_option *o,
                      const char *arg)
{
    static const char *const words[] = {"sp",         "pv",        "out", "automatic",
                                        "manual-out", "out-start", NULL};
    prove_job *p = (prove_job *)j;
    const char **const names[] = {&p->pins.sp,        &p->pins.pv,         &p->pins.out,
                                  &p->pins.automatic, &p->pins.manual_out, &p->pins.out_start};
    const size_t width = strcspn(arg, "=");
    size_t i = 0;

    while (words[i] != NULL &&
           (strlen(words[i]) != width || strncmp(words[i], arg, width) != 0)) {
        i++;
    }
    if (words[i] == NULL || arg[width] == '\0' || arg[width + 1] == '\0') {
        refuse_option(state, o->name,
                      " %s: give PIN=NAME, where PIN is one of sp, pv, out, automatic, "
                      "manual-out, out-start",
                      arg);
        return;
    }
    *names[i] = arg + width + 1;
    p->pinned = true;
}

static int check_options(job *j)
{
    prove_job *p = (prove_job *)j;
    if (!p->j.is_loop_file) {
        return fail(&p->j, EXIT_USAGE, "give the loop file (.loop) that the text was made of");
    }
    if (strlen(p->dir) >= RK_PATH_CHARS - 2) {
        return fail(&p->j, EXIT_USAGE, "--dir: the path is too long");
    }
    if (!(p->scans >= 1 && p->scans <= 1e7)) {
        return fail(&p->j, EXIT_USAGE, "--scans: from 1 to 10000000");
    }
    if (take_table(j, "curves", p->curves) != EXIT_DONE) return EXIT_USAGE;
    if (p->comma && p->curves == NULL) {
        return fail(&p->j, EXIT_USAGE, "--decimal-comma goes with --curves: give both");
    }
    if (p->block == NULL && p->j.figure != NULL) {
        return fail(&p->j, EXIT_USAGE, "--figure goes with --block: give both");
    }
    if (p->block == NULL && p->pinned) {
        return fail(&p->j, EXIT_USAGE, "--pin goes with --block: give both");
    }
    p->plan = rk_prove_plan_make();
    p->plan.scans = (size_t)p->scans;
    p->plan.compile = !p->no_c;
    p->plan.changed = p->changed;
    return EXIT_DONE;
}

static int prove(job *j)
{
    static step_function *const files[] = {read_files, prove_files, NULL};

    return ((prove_job *)j)->block != NULL ? prove_block(j) : take_steps(j, files);
}

static void free_files(job *j)
{
    prove_job *p = (prove_job *)j;
    int i;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        rk_memory_free(p->content[i]);
    }
    rk_twin_run_free(&p->twin);
    rk_block_steps_free(&p->steps);
}

#define TO(field) offsetof(prove_job, field)

static const command_option options[] = {
    {NULL, NULL, 1, "The proof:", TAKE_HEADING},
    {"dir", "DIR", 1, "the directory of the text that emit wrote (default: here)", TAKE_TEXT,
     TO(dir)},
    {"scans", "N", 1, "scans of open and closed loops beside the test vectors (default: 10000)",
     TAKE_NUMBER, TO(scans)},
    {"block", "FILE.st", 1,
     "hold a function block of your own against the design instead: what kind of controller it "
     "is, and how far its answers are from the design's; --figure draws both",
     TAKE_TEXT, TO(block)},
    {"pin", "PIN=NAME", 1,
     "what a pin of that block is called: sp, pv, out; automatic, manual-out and out-start if it "
     "has them; give it as often as needed",
     TAKE_OWN, 0, take_pins},
    {"no-c", NULL, 1, "leave the C out", TAKE_FLAG, TO(no_c)},
    {"run-changed-c", NULL, 1, "compile and run C that is not what emit writes, too", TAKE_FLAG,
     TO(changed)},
    {"curves", "FILE.csv", 1,
     "write the plant text's PV for the record's OUT, beside the measured PV", TAKE_TEXT,
     TO(curves)},
    {"decimal-comma", NULL, 1, "--curves with decimal commas, and ; between the cells",
     TAKE_FLAG, TO(comma)},
    {0},
};
static const struct argp_child groups[] = {{&program_options, 0, "The PLC:", 2},
                                           {&output_options, 0, "Output:", 3},
                                           {&figure_option, 0, "Drawing:", 4},
                                           {0}};

const command command_prove = {
    .name = "prove",
    .what = "the emitted text runs and gives the design's numbers, bit for bit",
    .input = "LOOP.loop",
    .help =
        "Runs the program text that emit wrote, scan by scan, beside the loop's own blocks: "
        "the Structured Text in a stand-in PLC that reads it by the standard, the C "
        "compiled by cc. Each output of each scan is compared bit for bit: through start, "
        "setpoint and load steps, both limits, manual and automatic, and NaN and infinite "
        "values; in a closed loop with the plant's text as well.\v"
        "The verdict is printed, and written into the settings sheet beside the text. "
        "Exit status 1: something differs, or a text cannot be run.",
    .options = options,
    .groups = groups,
    .size = sizeof(prove_job),
    .make = make,
    .steps = (step_function *const[]){check_options, prove, NULL},
    .free = free_files,
};
