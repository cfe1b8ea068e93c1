/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_EMIT_PROGRAM_FILES_H
#define REDKETTLE_EMIT_PROGRAM_FILES_H

#include <redkettle/emit/emit.h>

#ifdef __cplusplus
extern "C" {
#endif

/** The files of a loop's program text, in the order in which they are written. */
typedef enum rk_program_file {
    RK_PROGRAM_GENERAL_ST = 0, /* the block that is the same for all loops */
    RK_PROGRAM_PROGRAM,        /* the loop's program, variables and task */
    RK_PROGRAM_PLANT_ST,
    RK_PROGRAM_VARIABLES,
    RK_PROGRAM_XML,
    RK_PROGRAM_GENERAL_H,
    RK_PROGRAM_GENERAL_C,
    RK_PROGRAM_PREDICTOR_H,
    RK_PROGRAM_PREDICTOR_C,
    RK_PROGRAM_LOOP_H,
    RK_PROGRAM_LOOP_C,
    RK_PROGRAM_PLANT_H,
    RK_PROGRAM_PLANT_C,
    RK_PROGRAM_SLIM_ST, /* the controller with its constants folded */
    RK_PROGRAM_SLIM_H,
    RK_PROGRAM_SLIM_C,
    RK_PROGRAM_FIXED_ST, /* the same in integers */
    RK_PROGRAM_FIXED_H,
    RK_PROGRAM_FIXED_C,
    RK_PROGRAM_SHEET,
    RK_PROGRAM_SHEET_CSV,
    RK_PROGRAM_VECTORS,
    RK_PROGRAM_FILES
} rk_program_file;

enum { RK_PROGRAM_PATH_CHARS = RK_PATH_CHARS + RK_BLOCK_NAME_CHARS + 16 };

/** Where one of them stands. number: of those that are named by it. */
void rk_program_path(const char *dir, const rk_design *loop, rk_program_file file,
                     rk_number number, char path[RK_PROGRAM_PATH_CHARS]);

/** What it is, for people; "": it goes with the one before. */
const char *rk_program_meaning(rk_program_file file);

/** Has this loop such a file? Without a model there is no twin, without a predictor none of it. */
bool rk_program_has(const rk_design *loop, rk_program_file file);

/** Its text; a settings sheet has its own, see rk_program_sheet. number: what the text counts in,
 * where it counts. Errors  as rk_emit_st and rk_emit_program_st. */
rk_status rk_program_text(const rk_design *loop, rk_program_file file, rk_number number,
                          rk_text *text, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
