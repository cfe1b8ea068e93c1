/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "cli.h"
#include "show.h"

enum { OPT_DIR = 0x3100, OPT_SCANS, OPT_BLOCK, OPT_NO_C, OPT_CURVES };

/* The job and what only prove is asked. The job is first: child parsers see it alone. */
typedef struct prove_job {
    job j;
    const char *dir, *block, *curves;
    double scans;
    bool no_c;
} prove_job;

static const struct argp_option options[] = {
    {"dir", OPT_DIR, "DIR", 0, "where the text stands that emit wrote (default: here)", 1},
    {"scans", OPT_SCANS, "N", 0,
     "scans of open and closed loops beside the test vectors "
     "(default 10000)",
     1},
    {"block", OPT_BLOCK, "FILE.st", 0,
     "not what emit wrote: a function block of your own with the pins sp, pv and out; tells "
     "how "
     "far its answers are from the design's",
     1},
    {"no-c", OPT_NO_C, NULL, 0, "leave the C alone", 1},
    {"curves", OPT_CURVES, "FILE.csv", 0,
     "write what the plant's text makes of the record's OUT, beside the measured PV", 1},
    {0},
};

static error_t parse(int key, char *arg, struct argp_state *state)
{
    prove_job *p = state->input;

    switch (key) {
    case OPT_DIR:
        p->dir = arg;
        return 0;
    case OPT_SCANS:
        take_number(state, "--scans", arg, &p->scans);
        return 0;
    case OPT_BLOCK:
        p->block = arg;
        return 0;
    case OPT_NO_C:
        p->no_c = true;
        return 0;
    case OPT_CURVES:
        p->curves = arg;
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
    "Runs the program text that emit wrote, scan by scan, beside the loop's own blocks: the "
    "Structured Text in a stand-in PLC that reads it by the standard, the C compiled by cc. "
    "Each "
    "output of each scan is compared bit for bit: through start, setpoint and load steps, both "
    "limits, manual and automatic, and NaN and infinite values; in a closed loop with the "
    "plant's text as well.\v"
    "The verdict is printed, and written into the settings sheet that stands there. "
    "Exit status 1: something differs, or a text cannot be run.",
    children,
    NULL,
    NULL};

/* The files of a loop's program text, in the order of rk_program's texts and then the rest. */
enum { ST, PLANT_ST, C, H, PLANT_C, PLANT_H, SHEET, SHEET_CSV, VECTORS, FILES };

typedef struct texts {
    char path[FILES][RK_PATH_CHARS + RK_BLOCK_NAME_CHARS + 16];
    char *content[FILES];
    size_t length[FILES];
} texts;

static void name_files(const prove_job *p, texts *t)
{
    static const struct {
        bool plant;
        const char *ending;
    } files[FILES] = {{false, ".st"},
                      {true, ".st"},
                      {false, ".c"},
                      {false, ".h"},
                      {true, ".c"},
                      {true, ".h"},
                      {false, "_settings.txt"},
                      {false, "_settings.csv"},
                      {false, "_vectors.csv"}};
    char name[RK_BLOCK_NAME_CHARS];
    int i;

    for (i = 0; i < FILES; i++) {
        if (files[i].plant) {
            rk_emit_plant_name(&p->j.loop, name);
        } else {
            rk_emit_block_name(&p->j.loop, name);
        }
        (void)snprintf(t->path[i], sizeof t->path[i], "%s/%s%s", p->dir, name, files[i].ending);
    }
}

static bool stands(const char *path)
{
    FILE *file = fopen(path, "r");

    if (file == NULL) return false;
    (void)fclose(file);
    return true;
}

static int read_files(const prove_job *p, texts *t)
{
    rk_diag diag = {RK_OK, ""};
    int i;

    name_files(p, t);
    for (i = 0; i < FILES; i++) {
        rk_status status;

        if (!stands(t->path[i])) continue;
        status = rk_file_read(t->path[i], &t->content[i], &t->length[i], &diag);
        if (status != RK_OK) return fail_diag(&p->j, status, &diag);
    }
    if (t->content[ST] == NULL && t->content[C] == NULL) {
        return fail(&p->j, EXIT_BAD_INPUT,
                    "nothing to prove: neither %s nor .c stands there; see redkettle emit",
                    t->path[ST]);
    }
    return EXIT_DONE;
}

static void free_files(texts *t)
{
    int i;

    for (i = 0; i < FILES; i++) {
        rk_memory_free(t->content[i]);
    }
}

/* The vectors that stand there are those of the loop, in the precision of its text. */
static int check_vectors(const prove_job *p, const texts *t, rk_number number, bool *same)
{
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};
    const rk_status status = rk_emit_vectors(&p->j.loop, number, text, &diag);

    *same = status == RK_OK && strcmp(rk_text_chars(text), t->content[VECTORS]) == 0;
    rk_text_free(text);
    return status == RK_OK ? EXIT_DONE : fail_diag(&p->j, status, &diag);
}

/* ---- the settings sheet ---- */

typedef rk_status sheet_function(const rk_design *loop, const char *const *proof, int lines,
                                 rk_text *text, rk_diag *diag);

/* Write the verdict into a sheet, if it is this loop's. */
static int write_sheet(const prove_job *p, const texts *t, int which, sheet_function *emit,
                       const char *const *proof, int lines, bool *written)
{
    rk_text *plain = rk_text_create(), *proven = rk_text_create();
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    *written = false;
    status = emit(&p->j.loop, NULL, 0, plain, &diag);
    if (status == RK_OK) {
        status = emit(&p->j.loop, proof, lines, proven, &diag);
    }
    /* The proof comes last: all before it must be this loop's. */
    if (status == RK_OK && t->content[which] != NULL &&
        strncmp(t->content[which], rk_text_chars(plain), rk_text_length(plain)) == 0) {
        status = rk_file_write(t->path[which], rk_text_chars(proven), rk_text_length(proven),
                               true, &diag);
        *written = status == RK_OK;
    }
    rk_text_free(plain);
    rk_text_free(proven);
    return status == RK_OK ? EXIT_DONE : fail_diag(&p->j, status, &diag);
}

/* ---- the twin and the record ---- */

static int write_curves(const prove_job *p, const rk_twin_run *run)
{
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    size_t i;

    rk_text_add(text, "time_s,out,pv,twin\r\n");
    for (i = 0; i < run->rows; i++) {
        const double row[] = {run->time[i], run->out[i], run->measured[i], run->twin[i]};
        size_t k;

        for (k = 0; k < 4; k++) {
            rk_text_add(text, k > 0 ? "," : "");
            rk_text_add_real(text, row[k]);
        }
        rk_text_add(text, "\r\n");
    }
    status = rk_text_check(text, &diag);
    if (status == RK_OK) {
        status =
            rk_file_write(p->curves, rk_text_chars(text), rk_text_length(text), true, &diag);
    }
    rk_text_free(text);
    return status == RK_OK ? EXIT_DONE : fail_diag(&p->j, status, &diag);
}

static int run_twin(prove_job *p, const texts *t)
{
    rk_diag diag = {RK_OK, ""};
    rk_twin_run run;
    rk_status status;
    int exit_status;

    if (t->content[PLANT_ST] == NULL || p->j.loop.record_path[0] == '\0' ||
        !stands(p->j.loop.record_path)) {
        if (p->curves == NULL) return EXIT_DONE;
        return fail(&p->j, EXIT_BAD_INPUT,
                    "--curves needs the plant's Structured Text and the loop's record");
    }
    exit_status = need_record(&p->j);
    if (exit_status != EXIT_DONE) return exit_status;
    status = rk_twin_run_compute(&p->j.loop, t->content[PLANT_ST], p->j.record, &run, &diag);
    if (status != RK_OK) return fail_diag(&p->j, status, &diag);
    if (!p->j.json) {
        (void)printf("  %-16s %.4g %s (rms) from the measured PV, at most %.4g\n",
                     "twin on record", run.rms, p->j.loop.pv_units, run.worst);
    }
    if (p->curves != NULL) {
        exit_status = write_curves(p, &run);
    }
    rk_twin_run_free(&run);
    return exit_status;
}

/* ---- to print ---- */

static void print_where(const rk_proof_part *part)
{
    if (part->mismatches == 0) return;
    (void)printf("    before it: sp %.9g, pv %.9g, %s\n", part->sp, part->pv,
                 part->automatic ? "automatic" : "manual");
}

static int print_proof(const prove_job *p, const rk_proof *proof, const texts *t, bool vectors)
{
    char words[RK_PROOF_WORDS_CHARS];
    int i;

    (void)printf("%s, what stands in %s beside the loop's own blocks:\n", p->j.loop.name,
                 p->dir);
    for (i = 0; i < proof->parts; i++) {
        rk_proof_part_words(&proof->part[i], words);
        (void)printf("  %-16s %s\n", proof->part[i].what, words);
        print_where(&proof->part[i]);
    }
    if (t->content[VECTORS] != NULL) {
        (void)printf("  %-16s %s\n", "test vectors",
                     vectors ? "are this loop's" : "are NOT this loop's: emit again");
    }
    return EXIT_DONE;
}

static void print_verdict(const rk_proof *proof, bool vectors, bool sheet)
{
    if (proof->proven && vectors) {
        (void)printf("Verdict: PROVEN%s\n",
                     sheet ? ", and written into the settings sheet" : "");
    } else {
        (void)printf("Verdict: NOT PROVEN: do not load this text into a PLC; emit it again\n");
    }
}

/* The lines of the settings sheet. */
static int proof_lines(const rk_proof *proof, char lines[][RK_PROOF_WORDS_CHARS + 32],
                       const char **list)
{
    char words[RK_PROOF_WORDS_CHARS];
    int i;

    for (i = 0; i < proof->parts; i++) {
        rk_proof_part_words(&proof->part[i], words);
        (void)snprintf(lines[i], RK_PROOF_WORDS_CHARS + 32, "%s: %s", proof->part[i].what,
                       words);
        list[i] = lines[i];
    }
    (void)snprintf(lines[i], RK_PROOF_WORDS_CHARS + 32, "verdict: %s",
                   proof->proven ? "proven" : "NOT PROVEN");
    list[i] = lines[i];
    return i + 1;
}

static int prove_files(prove_job *p, const rk_prove_plan *plan, const texts *t)
{
    const rk_program program = {
        .controller_st = t->content[ST],
        .plant_st = t->content[PLANT_ST],
        .controller_c = t->content[C],
        .controller_h = t->content[H],
        .plant_c = t->content[PLANT_C],
        .plant_h = t->content[PLANT_H],
    };
    char lines[RK_PROOF_PARTS + 1][RK_PROOF_WORDS_CHARS + 32];
    const char *list[RK_PROOF_PARTS + 1];
    rk_diag diag = {RK_OK, ""};
    bool vectors = true, sheet = false, csv = false;
    rk_proof proof;
    int count, status;
    const rk_status proved = rk_proof_compute(&p->j.loop, &program, plan, &proof, &diag);

    if (proved != RK_OK) return fail_diag(&p->j, proved, &diag);
    status = t->content[VECTORS] != NULL ? check_vectors(p, t, proof.part[0].number, &vectors)
                                         : EXIT_DONE;
    count = proof_lines(&proof, lines, list);
    if (status == EXIT_DONE) {
        status = write_sheet(p, t, SHEET, rk_emit_sheet_proven, list, count, &sheet);
    }
    if (status == EXIT_DONE) {
        status = write_sheet(p, t, SHEET_CSV, rk_emit_sheet_csv_proven, list, count, &csv);
    }
    if (status == EXIT_DONE && p->j.json) {
        rk_text *text = rk_text_create();
        const rk_status made = rk_json_proof(&proof, text, &diag);

        status = print_json(&p->j, text, made, &diag);
    } else if (status == EXIT_DONE) {
        status = print_proof(p, &proof, t, vectors);
    }
    if (status == EXIT_DONE) {
        status = run_twin(p, t);
    }
    if (status != EXIT_DONE) return status;
    if (!p->j.json) {
        print_verdict(&proof, vectors, sheet || csv);
    }
    return proof.proven && vectors ? EXIT_DONE : EXIT_VERDICT_NO;
}

/* ---- a block of the user's ---- */

static int prove_block(const prove_job *p, const rk_prove_plan *plan)
{
    rk_diag diag = {RK_OK, ""};
    char words[RK_PROOF_WORDS_CHARS];
    rk_proof_part part;
    size_t length;
    char *text;
    rk_status status = rk_file_read(p->block, &text, &length, &diag);

    if (status != RK_OK) return fail_diag(&p->j, status, &diag);
    status = rk_proof_compute_block(&p->j.loop, text, plan, &part, &diag);
    rk_memory_free(text);
    if (status != RK_OK) return fail_diag(&p->j, status, &diag);
    if (!part.ran && part.scans == 0) {
        return fail(&p->j, EXIT_BAD_INPUT, "%s: %s", p->block, part.refused);
    }
    if (p->j.json) {
        rk_proof proof = {.parts = 1, .scans = part.scans, .mismatches = part.mismatches};
        rk_text *json = rk_text_create();
        rk_status made;
        int printed;

        proof.part[0] = part;
        proof.worst_difference = part.worst;
        proof.proven = part.ran && part.mismatches == 0;
        made = rk_json_proof(&proof, json, &diag);
        printed = print_json(&p->j, json, made, &diag);
        if (printed != EXIT_DONE) return printed;
    } else {
        const double span = p->j.loop.out_high - p->j.loop.out_low;

        rk_proof_part_words(&part, words);
        (void)printf(
            "%s beside the design of %s, in a closed loop with its model and open:\n  %s\n",
            p->block, p->j.loop.name, words);
        print_where(&part);
        if (part.mismatches > 0) {
            (void)printf("  The largest difference is %.3g %% of OUT's range.\n",
                         100.0 * part.worst / span);
        }
    }
    return part.ran && part.mismatches == 0 ? EXIT_DONE : EXIT_VERDICT_NO;
}

static int run(job *j)
{
    prove_job *p = (prove_job *)j; /* the job is its first member */
    rk_prove_plan plan = rk_prove_plan_make();
    texts t = {.content = {NULL}};
    int status = load(&p->j);

    if (status == EXIT_DONE && !p->j.is_loop_file) {
        status =
            fail(&p->j, EXIT_USAGE, "give the loop file (.loop) that the text was made of");
    }
    if (status == EXIT_DONE && strlen(p->dir) >= RK_PATH_CHARS - 2) {
        status = fail(&p->j, EXIT_USAGE, "--dir: the path is too long");
    }
    if (status == EXIT_DONE && !(p->scans >= 1 && p->scans <= 1e7)) {
        status = fail(&p->j, EXIT_USAGE, "--scans: from 1 to 10000000");
    }
    if (status != EXIT_DONE) return status;
    plan.scans = (size_t)p->scans;
    plan.compile = !p->no_c;
    if (p->block != NULL) return prove_block(p, &plan);
    status = read_files(p, &t);
    if (status == EXIT_DONE) {
        status = prove_files(p, &plan, &t);
    }
    free_files(&t);
    return status;
}

int cmd_prove(int argc, char **argv)
{
    prove_job p = {.j = job_make("prove"), .dir = ".", .scans = 10000};

    return run_command(&argp, argc, argv, &p.j, run);
}
