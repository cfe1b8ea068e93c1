/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_REPORT_PROGRAM_SHEET_H
#define REDKETTLE_REPORT_PROGRAM_SHEET_H

#include <redkettle/emit/emit.h>
#include <redkettle/prove/prove.h>

#ifdef __cplusplus
extern "C" {
#endif

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
