/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_REPORT_PROGRAM_FILES_H
#define REDKETTLE_REPORT_PROGRAM_FILES_H

#include <redkettle/emit/emit.h>
#include <redkettle/prove/prove.h>

#ifdef __cplusplus
extern "C" {
#endif

/** The files of a loop's program text, in the order in which emit writes them. */
typedef enum rk_program_file {
    RK_PROGRAM_ST = 0,
    RK_PROGRAM_H,
    RK_PROGRAM_C,
    RK_PROGRAM_FIXED_H,
    RK_PROGRAM_FIXED_C,
    RK_PROGRAM_PLANT_ST,
    RK_PROGRAM_PLANT_H,
    RK_PROGRAM_PLANT_C,
    RK_PROGRAM_SHEET,
    RK_PROGRAM_SHEET_CSV,
    RK_PROGRAM_VECTORS,
    RK_PROGRAM_PROGRAM,
    RK_PROGRAM_VARIABLES,
    RK_PROGRAM_XML,
    RK_PROGRAM_FILES
} rk_program_file;

enum { RK_PROGRAM_PATH_CHARS = RK_PATH_CHARS + RK_BLOCK_NAME_CHARS + 16 };

/** Where one of them stands. */
void rk_program_path(const char *dir, const rk_design *loop, rk_program_file file,
                     char path[RK_PROGRAM_PATH_CHARS]);

/** What it is, for people; "": it goes with the one before. */
const char *rk_program_meaning(rk_program_file file);

/** Its text. number: what the text counts in, where it counts. Errors  as rk_emit_st. */
rk_status rk_program_text(const rk_design *loop, rk_program_file file, rk_number number,
                          rk_text *text, rk_diag *diag);

/** The settings sheet, as a page or as CSV; proof may be NULL. Errors  as rk_emit_st. */
rk_status rk_program_sheet(const rk_design *loop, const rk_proof *proof, bool csv,
                           rk_text *text, rk_diag *diag);

/** Is a sheet that stands there this loop's, with a proof behind it or without? */
typedef enum rk_sheet_state {
    RK_SHEET_OTHER = 0, /* not this loop's as it is now */
    RK_SHEET_PLAIN,
    RK_SHEET_PROVEN,
} rk_sheet_state;

/** Compare it. Errors  RK_ERR_ARG for a NULL; as rk_emit_st. */
rk_status rk_program_sheet_compare(const rk_design *loop, const char *standing, size_t length,
                                   bool csv, rk_sheet_state *state, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
