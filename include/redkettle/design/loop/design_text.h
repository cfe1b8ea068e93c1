/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_DESIGN_TEXT_H
#define REDKETTLE_DESIGN_LOOP_DESIGN_TEXT_H

#include <redkettle/design/base/text.h>
#include <redkettle/design/loop/design.h>

#ifdef __cplusplus
extern "C" {
#endif

/*
 * A loop as a text that gives the same loop elsewhere, to the last bit: for a program that computes with it
 * and has no files. Each line is "SECTION KEY VALUE", from the table of keys.
 */

/** Append what a computation needs of a loop: not its record, simulated plant, alarms, program and port. Errors  RK_ERR_ARG for a
 * NULL; RK_ERR_MEMORY. */
rk_status rk_design_to_text(const rk_design *loop, rk_text *text, rk_diag *diag);

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_FORMAT for a line that is none; RK_ERR_RANGE as
 * rk_design_check. */
rk_status rk_design_from_text(const char *text, rk_design *loop, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
