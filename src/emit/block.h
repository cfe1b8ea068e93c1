/* SPDX-License-Identifier: MIT */
#ifndef RKI_EMIT_BLOCK_H
#define RKI_EMIT_BLOCK_H

#include "controller.h"

/** Where a variable of a unit is declared, in the order in which the sections are written. */
typedef enum rki_section {
    RKI_EXTERNALS,
    RKI_INPUTS,
    RKI_OUTPUTS,
    RKI_CONSTANTS,
    RKI_LOCALS,
    RKI_TEMPS, /* they need not outlive a scan */
    RKI_SECTIONS
} rki_section;

enum { RKI_PIN_CHARS = RK_BLOCK_NAME_CHARS + 16, RKI_PIN_COMMENT_CHARS = 128 };

typedef struct rki_pin {
    rki_section section;
    char name[RKI_PIN_CHARS], type[RKI_PIN_CHARS];
    char initial[RKI_PIN_CHARS]; /* "": none */
    char comment[RKI_PIN_COMMENT_CHARS];
} rki_pin;

/** A function block or program: its interface as a list, its body as Structured Text. Written
 * for LREAL; `number` is what it is to count in. */
typedef struct rki_block {
    bool program;
    rk_number number;
    char name[RK_BLOCK_NAME_CHARS];
    rki_pin *pin;
    int pins, room;
    rk_text *body; /* it has failed if there was no memory */
} rki_block;

/** An empty one; freed by rki_block_free. */
rki_block rki_block_make(const char *name, bool program, rk_number number);
void rki_block_free(rki_block *b);

/** One more variable; initial NULL: none; comment NULL: none. */
void rki_block_pin(rki_block *b, rki_section section, const char *name, const char *type,
                   const char *initial, const char *comment);

/** A number with a unit; value NaN: no initial value. */
void rki_block_number(rki_block *b, rki_section section, const char *name, double value,
                      const char *what, const char *units);
void rki_block_constants(rki_block *b, const rki_constant *list, int count);

/** As Structured Text: FUNCTION_BLOCK to END_FUNCTION_BLOCK. */
void rki_block_add_st(rk_text *text, const rki_block *b);

/** As C99: a structure with its functions NAME_init and NAME_scan. */
void rki_block_add_c_header(rk_text *text, const rki_block *b);
void rki_block_add_c_source(rk_text *text, const rki_block *b);

/** Read a block's interface and body from Structured Text in the layout that rki_block_add_st
 * writes, a variable a line; false: it is none. The block is freed either way. */
bool rki_block_read(const char *text, rki_block *b);

/** The type that is the same for all loops, and its name: LOOP_CONTROLLER. */
const char *rki_general_name(rk_number number);
rki_block rki_general_block(rk_number number);

/** The comment lines at its head. */
void rki_general_head(rk_text *text, rk_number number);

/** What its settings are where an instance says nothing. Errors  RK_ERR_MEMORY. */
rk_status rki_general_defaults(rk_rig_settings *defaults, rk_diag *diag);

/** The lines of a predictor: its variables; both models at rest at `out`; a scan, into q_0 and w_0. */
void rki_predictor_variables(rki_block *b, const rki_controller *c);
void rki_predictor_start(rk_text *text, const rki_controller *c, const char *out);
void rki_predictor_scan(rk_text *text, const rki_controller *c, const char *out);

/** The comment lines at the head of a predictor's block; each starts with `lead`. */
void rki_predictor_head(rk_text *text, const rki_controller *c, const char *lead);

/** The blocks of a loop. */
rki_block rki_predictor_block(const rki_controller *c);
rki_block rki_controller_block(const rki_controller *c);
struct rki_twin;
rki_block rki_twin_block(const struct rki_twin *t);

#endif
