/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_FILES_CURVES_FILE_H
#define REDKETTLE_FILES_CURVES_FILE_H

#include <stddef.h>

#include <redkettle/design/base/text.h>
#include <redkettle/design/search/search.h>
#include <redkettle/design/trial/trial.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * Trials as CSV (RFC 4180): time_s, sp, and each trial's "pv NAME" and "out NAME", a row every
 * scan of the one that scans fastest; PV exact there, OUT as it stands.
 *
 * Errors  RK_ERR_ARG for a NULL or no trial; RK_ERR_MEMORY.
 */
rk_status rk_curves_to_csv(const rk_trial *const *trials, size_t count, rk_text *text,
                           rk_diag *diag);

/**
 * Points of a sweep as CSV, a row each that was run: its turn, settings in the grid's form, stable,
 * met, cost, a figure each requirement, and the sums of its runs; empty where a thing does not
 * exist.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY.
 */
rk_status rk_grid_to_csv(const rk_grid_runs *runs, rk_text *text, rk_diag *diag);

/**
 * A table of numbers with a point and a comma between the cells as one with a decimal comma and
 * semicolons, for spreadsheets of countries that write so. Its first row is words.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY.
 */
rk_status rk_csv_with_comma(const rk_text *csv, rk_text *text, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
