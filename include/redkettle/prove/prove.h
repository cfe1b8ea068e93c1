/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_PROVE_PROVE_H
#define REDKETTLE_PROVE_PROVE_H

#include <redkettle/design/loop/design.h>
#include <redkettle/design/record/record.h>
#include <redkettle/design/trial/trial.h>
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

enum { RK_PROOF_PARTS = 10 };

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
 *   fixed      the same in integers, beside the same law in integers, bit for bit; and that within
 *              its stated error of rk_pid wherever its inputs are within their ranges.
 *
 * A text that cannot be read, lacks a pin or stops is a finding in *proof, not an error.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_emit_st, or for a plan without scans;
 *         RK_ERR_MEMORY; RK_ERR_IO if no temporary file can be written.
 */
rk_status rk_proof_compute(const rk_design *loop, const rk_program *program,
                           const rk_prove_plan *plan, rk_proof *proof, rk_diag *diag);

/** What the pins of a user's own block are called; NULL: as ours. */
typedef struct rk_block_pins {
    const char *sp, *pv, *out;          /* it must have these, all LREAL or all REAL */
    const char *automatic, *manual_out; /* used if it has them: BOOL, and a number */
    const char *out_start;              /* where OUT stands at the first scan */
} rk_block_pins;

/**
 * The same for a block of the user's own, the last function block of its Structured Text. Its
 * controller need not have the design's bits: a scan counts whose OUT is off by more than a
 * millionth of its range. Both start at rest, in manual where it has that, from the same output.
 * Values that are no numbers are left out.
 *
 * Errors  as rk_proof_compute. pins NULL: all called as ours.
 */
rk_status rk_proof_compute_block(const rk_design *loop, const char *text,
                                 const rk_block_pins *pins, const rk_prove_plan *plan,
                                 rk_proof_part *part, rk_diag *diag);

enum { RK_BLOCK_LOOKS = 6, RK_BLOCK_LOOK_CHARS = 120 };

/** What such a block is, by what it answers. */
typedef struct rk_block_probe {
    char why[256];         /* why that cannot be told; "": it can */
    double kc, ti, td, tf; /* of the ideal form, out-EU per pv-EU and s; ti infinite: none */
    double pv_filter;      /* s; 0: none */
    double sp_weight, d_sp_weight;
    char look[RK_BLOCK_LOOKS]
             [RK_BLOCK_LOOK_CHARS]; /* where it departs from the design, and what
                                                       that looks like */
    int looks;
} rk_block_probe;

/**
 * Ask it: a step of PV and one of the setpoint, from rest, in an open loop.
 *
 * Errors  as rk_proof_compute_block. A text that cannot be read or run is told in why.
 */
rk_status rk_block_probe_compute(const rk_design *loop, const char *text,
                                 const rk_block_pins *pins, rk_block_probe *probe,
                                 rk_diag *diag);

/** The block and the design in a closed loop with the model, a setpoint step and a load step:
 * curves for a picture. */
typedef struct rk_block_steps {
    size_t rows;
    double *columns; /* freed by rk_block_steps_free */
    rk_run_curves design, block;
} rk_block_steps;

/** Errors  as rk_proof_compute_block; RK_ERR_RANGE for a loop without a model; RK_ERR_FORMAT for a
 * text that cannot be run. */
rk_status rk_block_steps_compute(const rk_design *loop, const char *text,
                                 const rk_block_pins *pins, rk_block_steps *steps,
                                 rk_diag *diag);
void rk_block_steps_free(rk_block_steps *steps);

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
