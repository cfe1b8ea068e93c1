/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_FILES_LOOP_FILE_H
#define REDKETTLE_FILES_LOOP_FILE_H

#include <redkettle/design/loop/design.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * Read a loop file: INI, sections [loop] [pv] [out] [alarm] [record] [model] [relay] [settings]
 * [require] [plant]. Times take a unit (200ms, 2s, 5min, 1h) and are seconds without one. A
 * record's file name is taken relative to the loop file. Comments start with ; or #.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO; RK_ERR_FORMAT for a line, section, key or number
 * that cannot be read; RK_ERR_RANGE for a word that is not known, or as rk_design_check.
 *         diag says file:line.
 */
rk_status rk_design_read(const char *path, rk_design *loop, rk_diag *diag);

/**
 * Write the loop's model, what a relay test found, or its settings, back into the file's own
 * section, atomically. Only the keys of that section change; a comment, an order of lines and
 * every other section stay.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO; RK_ERR_MEMORY; RK_ERR_RANGE if the loop has none.
 */
rk_status rk_design_save_model(const char *path, const rk_design *loop, rk_diag *diag);
rk_status rk_design_save_relay(const char *path, const rk_design *loop, rk_diag *diag);
rk_status rk_design_save_settings(const char *path, const rk_design *loop, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
