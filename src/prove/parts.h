/* SPDX-License-Identifier: MIT */
#ifndef RKI_PROVE_PARTS_H
#define RKI_PROVE_PARTS_H

#include <redkettle/prove/prove.h>
#include <redkettle/softplc/softplc.h>

/** What a scan is given. All numbers, so that a program reads them as they are. */
typedef struct rki_input {
    double start;     /* 1: begin anew, the output at out_start, the twin at rest */
    double out_start; /* out-EU; any number, or none */
    double closed;    /* 1: PV is the twin's and pv is added to it; 0: PV is pv */
    double sp, pv, automatic, manual_out, load;
} rki_input;

enum { RKI_INPUT_NUMBERS = sizeof(rki_input) / sizeof(double) };

/** What it answers: pv is the twin's, at the end of the scan. */
typedef struct rki_output {
    double out, held, pv;
} rki_output;

enum { RKI_OUTPUT_NUMBERS = sizeof(rki_output) / sizeof(double) };

/** What is run: a loop, with its twin or without. */
typedef struct rki_rig {
    const rk_design *loop;
    rk_number number; /* what the text counts in */
    bool twin;
    bool emitted;     /* the block is ours: what it starts from is held to the design too */
    double out_start; /* the emitted default, out-EU */
    const rk_block_pins *pins; /* names; NULL: ours */
    const rki_input *inputs;
    size_t count;
} rki_rig;

/** The vectors' inputs, then `scans` of closed and open loops; sane: no values that are no
 * numbers. *inputs is freed by rk_memory_free. */
rk_status rki_inputs_create(const rki_rig *rig, size_t scans, bool sane, rki_input **inputs,
                            size_t *count, rk_diag *diag);

/** Each start from where the other side stood behind its first scan. */
void rki_start_alike(rki_input *inputs, size_t count, const rki_output *got, size_t done);

/** By the device blocks. */
rk_status rki_run_device(const rki_rig *rig, rki_output *outputs, rk_diag *diag);

/** What a text counts in, by its words. */
rk_number rki_number_of_st(const char *text);
rk_number rki_number_of_block(const char *text, const rk_block_pins *pins);
enum { RKI_REFUSED = 256 };
rk_number rki_number_of_c(const char *header);

/** Load a text, and make an instance of its last function block; `name` stands in what is said of it.
 * Errors  RK_ERR_MEMORY; RK_ERR_FORMAT. */
rk_status rki_load_block(rk_plc *plc, const char *name, const char *text,
                         rk_plc_instance **instance, rk_diag *diag);

/** By the stand-in PLC: how many scans it did, and in refused why not all. */
rk_status rki_run_text(const rki_rig *rig, const rk_program *program, rki_output *outputs,
                       size_t *done, char refused[256], rk_diag *diag);

/** The program in the stand-in PLC, scan by scan, into *part. Errors  RK_ERR_MEMORY; as
 * rk_emit_program_st. */
rk_status rki_run_program(const rk_design *loop, const rk_program *program,
                          const rk_prove_plan *plan, rk_proof_part *part, rk_diag *diag);

/** The block for all loops by itself. Errors  RK_ERR_MEMORY. */
rk_status rki_run_block(const rk_program *program, const rk_prove_plan *plan,
                        rk_proof_part *part, rk_diag *diag);

/** What a program counts in, by its words. */
rk_number rki_number_of_program(const char *text);

/** The C of the block that is the same for all loops, and of this loop; part->number is given. */
rk_status rki_run_general_c(const rk_design *loop, const rk_program *program, size_t scans,
                            rk_proof_part *part, rk_diag *diag);

/** The slim controller in integers, as Structured Text or as C, beside the same law in integers, bit
 * for bit; that is to keep within its stated error of the design's. Errors  RK_ERR_MEMORY; as
 * rk_emit_fixed_st. */
rk_status rki_run_fixed(const rk_design *loop, const rk_program *program, bool st, size_t scans,
                        rk_proof_part *part, rk_diag *diag);

/** The XML beside the Structured Text. Errors  RK_ERR_MEMORY. */
enum { RKI_FIRST_CHARS = 256 };
rk_status rki_prove_xml(const rk_design *loop, const rk_program *program, rk_proof_part *part,
                        rk_diag *diag);

/** By the C compiler; excused: there is none. */
rk_status rki_run_c(const rki_rig *rig, const rk_program *program, rki_output *outputs,
                    size_t *done, char refused[256], bool *excused, rk_diag *diag);

#endif
