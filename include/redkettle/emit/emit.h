/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_EMIT_EMIT_H
#define REDKETTLE_EMIT_EMIT_H

#include <stdint.h>

#include <redkettle/design/base/text.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/rig/rig.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What the emitted text counts in. */
typedef enum rk_number {
    RK_NUMBER_LREAL = 0, /* LREAL, double: the bits of the design */
    RK_NUMBER_REAL =
        1, /* REAL, float: the bits of the device blocks built with RK_CFG_FLOAT 1 */
} rk_number;

enum { RK_NUMBERS = 2 };

/** "lreal", "real". */
const char *rk_number_to_text(rk_number number);

/** Errors  RK_ERR_RANGE for a word that names none; diag lists them. */
rk_status rk_number_from_text(const char *text, rk_number *number, rk_diag *diag);

/** Room for a block name. */
enum { RK_BLOCK_NAME_CHARS = RK_NAME_CHARS + 16 };

/**
 * The controller block's name from the loop's: letters, digits and single underscores, lower
 * case, ending in _controller; valid in C and in IEC 61131-3. "Blend Brix" gives
 * blend_brix_controller.
 */
void rk_emit_block_name(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS]);

/** The same for the plant twin: blend_brix_plant. */
void rk_emit_plant_name(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS]);

/**
 * The slim controller of a loop, its constants folded at the loop's scan interval, for the smallest
 * controllers: an IEC 61131-3 Structured Text function block, or a C99 header and source with no
 * dependencies. All do the arithmetic of rk_pid in its order with its coefficients, so they give
 * its bits, in double or in single precision; they have none of rk_loop's alarms and know no safe
 * output. Each is headed by where the numbers come from: record, model with intervals, rule,
 * margins.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_design_check and rk_settings_pid_params, or
 *          if the loop has no scan, no settings or no output range; RK_ERR_MEMORY.
 */
rk_status rk_emit_st(const rk_design *loop, rk_number number, rk_text *text, rk_diag *diag);
rk_status rk_emit_c_header(const rk_design *loop, rk_number number, rk_text *text,
                           rk_diag *diag);
rk_status rk_emit_c_source(const rk_design *loop, rk_number number, rk_text *text,
                           rk_diag *diag);

/**
 * The function block that is the same for all loops, LOOP_CONTROLLER (or LOOP_CONTROLLER_REAL),
 * as Structured Text: the whole law of rk_loop, its settings as inputs. rk_emit_program_st wires
 * an instance of it for a loop.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY.
 */
rk_status rk_emit_general_st(rk_number number, rk_text *text, rk_diag *diag);

/** The same block as C99: a structure loop_controller (or loop_controller_real), and its
 * functions. Errors  as rk_emit_general_st. */
rk_status rk_emit_general_c_header(rk_number number, rk_text *text, rk_diag *diag);
rk_status rk_emit_general_c_source(rk_number number, rk_text *text, rk_diag *diag);

/**
 * A loop as C99: a structure blend_brix_loop with the block in it, blend_brix_loop_init that gives
 * it the loop's settings, and blend_brix_loop_scan; and the predictor's block of a loop that has
 * one.
 *
 * Errors  as rk_emit_program_st; RK_ERR_RANGE for a predictor that there is none of.
 */
rk_status rk_emit_loop_c_header(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag);
rk_status rk_emit_loop_c_source(const rk_design *loop, rk_number number, rk_text *text,
                                rk_diag *diag);
rk_status rk_emit_predictor_c_header(const rk_design *loop, rk_number number, rk_text *text,
                                     rk_diag *diag);
rk_status rk_emit_predictor_c_source(const rk_design *loop, rk_number number, rk_text *text,
                                     rk_diag *diag);

/**
 * The loop's model as a plant twin at the scan interval, to try a PLC's program on: a function
 * block, or a C99 header and source. It starts at rest at the operating point and gives the
 * bits of rk_plant.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_design_check, for a loop without model
 * or scan, or a dead time of more than 65535 scans; RK_ERR_MEMORY.
 */
rk_status rk_emit_plant_st(const rk_design *loop, rk_number number, rk_text *text,
                           rk_diag *diag);
rk_status rk_emit_plant_c_header(const rk_design *loop, rk_number number, rk_text *text,
                                 rk_diag *diag);
rk_status rk_emit_plant_c_source(const rk_design *loop, rk_number number, rk_text *text,
                                 rk_diag *diag);

/** The loop's name as a word: blend_brix. It stands before all names that the loop needs. */
void rk_emit_prefix(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS]);

/**
 * The controller for targets without floating point, as Structured Text and as C99 of the same
 * text, NAME_fixed: 32-bit integers in counts of the units, scaled from the ranges, and 64-bit
 * products. No input makes it overflow; its head states how far OUT can be from the floating
 * block's over 10,000 scans. (With conditional integration one increment comes on top where one of
 * both just stops at a limit.)
 *
 * Errors  as rk_emit_c_source; RK_ERR_RANGE for a loop without PV's range, or gains that leave
 * too few digits; RK_ERR_UNSUPPORTED for the velocity algorithm and sums other than backward.
 */
rk_status rk_emit_fixed_st(const rk_design *loop, rk_text *text, rk_diag *diag);
rk_status rk_emit_fixed_header(const rk_design *loop, rk_text *text, rk_diag *diag);
rk_status rk_emit_fixed_source(const rk_design *loop, rk_text *text, rk_diag *diag);

/** What the block is called, in lower case. */
void rk_emit_fixed_name(const rk_design *loop, char name[RK_BLOCK_NAME_CHARS]);

/** The filter's own value is counted in so many parts of PV's counts. */
enum { RK_FIXED_WIDER = 65536 };

/** The integers in it. A product with kc is divided by kc_div, to the nearest, and so on: that gives
 * the counts of the sums. */
typedef struct rk_fixed_numbers {
    double pv_unit, out_unit; /* counts of one unit */
    int64_t kc, ki_ts, kd, kc_div, ki_div, kd_div;
    int64_t p_weight, d_weight, kt_ts, ad, pv_part, fade; /* in 2^30 */
    int64_t bias, out_lo, out_hi, out_step, out_div;      /* the sums' counts */
    bool derivative, conditional, filter, biased, rate;
} rk_fixed_numbers;

/** Errors  as rk_emit_fixed_st. */
rk_status rk_emit_fixed_numbers(const rk_design *loop, rk_fixed_numbers *numbers,
                                rk_diag *diag);

/** That error, out-EU. Errors  as above. */
rk_status rk_emit_fixed_error(const rk_design *loop, double *error, rk_diag *diag);

/**
 * The program of a loop: an instance of rk_emit_general_st's block with the loop's settings as
 * variables that may be changed while it runs, its predictor, the twin behind a switch that freezes
 * the output, the channels' counts, and a check at run time that the task's interval is the scan;
 * the variables that it shares with the PLC; a configuration whose task has the scan as its
 * interval. A cold start is in manual where the valve stands, or at the safe output; a warm one as
 * [program] says.
 *
 * Errors  as rk_emit_st and rk_emit_plant_st; RK_ERR_RANGE for a scan below 0.1 ms.
 */
rk_status rk_emit_program_st(const rk_design *loop, rk_number number, rk_text *text,
                             rk_diag *diag);

enum { RK_VARIABLES_MAX = 80, RK_VARIABLE_CHARS = RK_BLOCK_NAME_CHARS + 16 };

/** A variable that the program shares with the rest of the PLC. */
typedef struct rk_variable {
    char name[RK_VARIABLE_CHARS]; /* with the loop's prefix: "blend_brix_sp" */
    const char *word;             /* without: "sp" */
    const char *
        type; /* "LREAL" (or REAL, by the number type), "BOOL", "INT", "DINT", "UINT", "UDINT", "REAL" */
    bool retain;      /* a warm restart goes on with it */
    double initial;   /* of a BOOL: 0 or 1 */
    double low, high; /* its range; NaN: not known */
    const char *meaning;
    char units[RK_GAIN_UNIT_CHARS];
    const char *at; /* its address; "": it has none, NULL: it has one that is left open */
    char note[32];  /* what it is to be mapped to: "Modbus holding 0"; "": nothing */
} rk_variable;

/** They: as many as *count. Errors  as rk_emit_program_st. */
rk_status rk_emit_variable_list(const rk_design *loop, rk_number number,
                                rk_variable list[RK_VARIABLES_MAX], int *count, rk_diag *diag);

/** A variable's word as the function block's pin is called: "alarm_far" is alarm_deviation. */
const char *rk_emit_pin_of(const char *word);

/** Those variables as CSV: name, type, unit, low, high, initial, retain, meaning. Errors  as
 * rk_emit_program_st. */
rk_status rk_emit_variables(const rk_design *loop, rk_number number, rk_text *text,
                            rk_diag *diag);

/**
 * All of it, blocks, program, task and variables, as XML for exchange between PLC tools: the
 * structure of PLCopen's TC6 XML 2.01, which IEC 61131-10 standardises further.
 *
 * Errors  as rk_emit_program_st.
 */
rk_status rk_emit_xml(const rk_design *loop, rk_number number, rk_text *text, rk_diag *diag);

/**
 * Read such XML back: as the Structured Text that it stands for, units, variables and task.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_FORMAT for what is no such XML; RK_ERR_MEMORY.
 */
rk_status rk_emit_xml_read(const char *xml, size_t length, rk_text *text, rk_diag *diag);

/** A scan of the controller's test: what it is given, and what the device block answers. */
typedef struct rk_vector {
    double sp, pv; /* NaN: no number */
    bool automatic;
    double manual_out;
    double out;
    bool held;
} rk_vector;

/**
 * Test vectors of the controller, from its start at the operating point's output: *rows is
 * freed by rk_memory_free. rk_emit_vectors writes the same as text.
 *
 * Errors  as rk_emit_st.
 */
rk_status rk_vectors_create(const rk_design *loop, rk_number number, rk_vector **rows,
                            size_t *count, rk_diag *diag);

/**
 * The settings of a loop, as the rig and the function block take them: with all that the loop file
 * asks of a running loop, or, slim, the law alone.
 *
 * Errors  as rk_emit_st, and as rk_design_block_params.
 */
rk_status rk_emit_rig_settings(const rk_design *loop, rk_number number, bool slim,
                               rk_rig_settings *settings, rk_diag *diag);

/**
 * The device blocks of a loop, with the plant twin or without; freed by rk_rig_free.
 *
 * Errors  as rk_emit_st and rk_emit_plant_st; RK_ERR_RANGE if single precision cannot hold
 * them.
 */
rk_status rk_emit_rig_create(const rk_design *loop, rk_number number, bool twin, rk_rig **made,
                             rk_diag *diag);

/** Room for a note, and how many there are at most. */
enum { RK_EMIT_NOTE_CHARS = 160, RK_EMIT_NOTES_MAX = 8 };

/** What of the loop file is not in the text, and what it does because a key is not given: a sentence
 * each; how many. slim: of the slim controller. */
size_t rk_emit_notes(const rk_design *loop, bool slim,
                     char notes[RK_EMIT_NOTES_MAX][RK_EMIT_NOTE_CHARS]);

/** What the slim controller starts from unless it is told: the safe output, or the low limit; never
 * the model's operating point, as no one knows whether the valve stands there. Errors  as rk_emit_st. */
rk_status rk_emit_out_start(const rk_design *loop, double *out_start, rk_diag *diag);

/**
 * Test vectors of the controller as CSV: scan, sp, pv, automatic (1 or 0), manual_out, and what
 * the device block answers: out and held. The loop runs on its model from its start to rest, a setpoint
 * step, both limits, manual within and beyond the range, automatic again, a PV and a setpoint
 * that are no numbers ("NaN"), and recovery. Every number reads back to the bit.
 *
 * Errors  as rk_emit_st.
 */
rk_status rk_emit_vectors(const rk_design *loop, rk_number number, rk_text *text,
                          rk_diag *diag);

/** Where a controller's numbers come from, as all its texts begin: record, model with
 * intervals, rule, settings, margins. Errors  as rk_emit_st. */
rk_status rk_emit_provenance(const rk_design *loop, rk_text *text, rk_diag *diag);

/** The difference equations and their coefficients alone. Errors  as rk_emit_st. */
rk_status rk_emit_equations(const rk_design *loop, rk_number number, rk_text *text,
                            rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
