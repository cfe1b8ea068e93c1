/* SPDX-License-Identifier: MIT */
#ifndef RKI_EMIT_PROGRAM_H
#define RKI_EMIT_PROGRAM_H

#include "block.h"
#include "plant.h"

enum { RKI_GLOBALS_MAX = 12, RKI_GLOBAL_CHARS = RK_BLOCK_NAME_CHARS + 16 };

/** A variable that the program shares with the rest of the PLC. */
typedef struct rki_global {
    char name[RKI_GLOBAL_CHARS];
    const char *type; /* "LREAL" or "BOOL" */
    bool retain;      /* a warm restart goes on with it */
    double initial;   /* of a BOOL: 0 or 1 */
    double low, high; /* its range; NaN: not known */
    const char *meaning, *units;
} rki_global;

/** All that a PLC needs of a loop: the blocks, the program that wires them, the task. */
typedef struct rki_project {
    const rk_design *loop;
    rk_number number;
    rki_controller controller;
    rki_twin twin;
    bool has_twin;
    bool fails_safe;                        /* [alarm] hold and [out] safe are given */
    char prefix[RK_BLOCK_NAME_CHARS];       /* blend_brix */
    char upper_prefix[RK_BLOCK_NAME_CHARS]; /* BLEND_BRIX */
    char interval[32];                      /* T#1000ms */
    rki_global global[RKI_GLOBALS_MAX];
    int globals;
} rki_project;

rk_status rki_project_make(const rk_design *loop, rk_number number, rki_project *made,
                           rk_diag *diag);

rki_block rki_ramp_block(const rki_project *p);
rki_block rki_program_block(const rki_project *p);

/** A global's initial value as the standard writes it. */
void rki_global_initial(const rki_global *g, rk_number number, char chars[RK_REAL_CHARS + 8]);

#endif
