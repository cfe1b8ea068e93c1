/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_PROVE_PROVE_H
#define REDKETTLE_PROVE_PROVE_H

#include <redkettle/design/loop/design.h>
#include <redkettle/design/record/record.h>
#include <redkettle/emit/program_files.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Program text of a loop, as it stands in its files; NULL: there is none. */
typedef struct rk_program {
    const char *text[RK_PROGRAM_FILES];
} rk_program;

typedef struct rk_prove_plan {
    size_t scans; /* 1 or more */
    bool compile; /* build and run the C too, .. */
    bool changed; /* .. also where it is not what emit writes */
    bool brief;   /* the program stops at the first scan that differs */
} rk_prove_plan;

/** 10,000 scans, and the C compiled. */
rk_prove_plan rk_prove_plan_make(void);

/** One program beside the device blocks. */
typedef struct rk_proof_part {
    const char *what; /* "program", "XML", .. */
    rk_number number; /* what it counts in; the device blocks beside it too */
    bool ran;
    char refused[256];        /* why it did not, or stopped; "": it ran to the end */
    bool excused;             /* it could not be tried here, which says nothing of the text */
    size_t scans, mismatches; /* a scan whose OUT, HELD or PV has another bit */
    double worst; /* largest difference of OUT, out-EU; infinite: a number against none */
    size_t first; /* the first scan that differs, .. */
    char pin[RK_VARIABLE_CHARS]; /* .. which of its outputs or variables, .. */
    double wanted, got;
    double sp, pv; /* .. and what stood at its inputs */
    bool automatic;
} rk_proof_part;

enum { RK_PROOF_PARTS = 8 };

typedef struct rk_proof {
    rk_proof_part part[RK_PROOF_PARTS];
    size_t parts;
    size_t scans, mismatches;
    double worst_difference; /* out-EU */
    bool proven;             /* all that could run ran, without a difference */
} rk_proof;

/**
 * Hold all of a loop's program text against the loop, in the precision that the text counts in:
 *
 *   program    block, twin, program, variables and task in the stand-in PLC, beside rk_loop on a port
 *              that is moved by hand: cold and warm starts, modes, settings changed while it runs
 *              and nonsense among them, limits, a PV that fails in each way and comes back, reads of
 *              the valve, simulation, late scans. Every variable after every scan, bit for bit.
 *   XML        read back, it is the same text; so are the variables' list and the test vectors.
 *   C          compiled by `cc` in a directory of its own that is removed, and run as the block is.
 *              What is not what emit writes is not compiled, but by `changed`.
 *   slim       the controller with its constants folded, in either language, beside rk_pid.
 *
 * A text that cannot be read, lacks a pin or stops is a finding in *proof, not an error.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_emit_st, or for a plan without scans;
 *         RK_ERR_MEMORY; RK_ERR_IO if no temporary file can be written.
 */
rk_status rk_proof_compute(const rk_design *loop, const rk_program *program,
                           const rk_prove_plan *plan, rk_proof *proof, rk_diag *diag);

/**
 * The same for a block of the user's own, Structured Text whose last function block has the
 * pins sp, pv (inputs), out (output), all LREAL or REAL; used if it has them: automatic (BOOL),
 * manual_out, out_start. Its controller need not have the design's bits: a scan counts whose
 * OUT is off by more than a millionth of its range. Values that are no numbers are left out.
 *
 * Errors  as rk_proof_compute.
 */
rk_status rk_proof_compute_block(const rk_design *loop, const char *text,
                                 const rk_prove_plan *plan, rk_proof_part *part, rk_diag *diag);

/** A twin beside a record. */
typedef struct rk_twin_run {
    size_t rows;
    double *time, *out, *measured, *twin; /* at each row; freed by rk_twin_run_free */
    double rms, worst;                    /* of measured - twin, pv-EU */
    double worst_at;                      /* s */
} rk_twin_run;

/**
 * Run a plant twin's Structured Text on a record's OUT at the loop's scan, from the record's
 * start: what it makes of it beside the PV that was measured. PV before the first move is taken
 * as rest.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_emit_plant_st; RK_ERR_FORMAT for text that
 * is no twin; RK_ERR_DATA for a record of fewer than 2 rows; RK_ERR_MEMORY.
 */
rk_status rk_twin_run_compute(const rk_design *loop, const char *plant_st,
                              const rk_record *record, rk_twin_run *run, rk_diag *diag);

/** The run as CSV: time_s, out, pv, twin. Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY. */
rk_status rk_twin_run_to_csv(const rk_twin_run *run, rk_text *text, rk_diag *diag);

void rk_twin_run_free(rk_twin_run *run);

/** In a sentence: "20,726 scans, no bit differs", or what does. */
enum { RK_PROOF_WORDS_CHARS = 768 };
void rk_proof_part_words(const rk_proof_part *part, char words[RK_PROOF_WORDS_CHARS]);

#ifdef __cplusplus
}
#endif

#endif
