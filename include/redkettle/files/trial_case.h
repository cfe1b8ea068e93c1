/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_FILES_TRIAL_CASE_H
#define REDKETTLE_FILES_TRIAL_CASE_H

#include <redkettle/design/loop/design.h>
#include <redkettle/design/trial/trial.h>

#ifdef __cplusplus
extern "C" {
#endif

/** The keys of a case in a sentence. */
#define RK_TRIAL_CASE_KEYS                                                                     \
    "those of [settings] in a loop file, scan (a time or continuous), out-low, out-high, "     \
    "out-rate, the plant's kind, gain, time-constant, damping, dead-time, valve-rate, "        \
    "backlash and stiction, manual=OUT"

/**
 * The loop as it stands as a case: its controller on its model, or on its simulated plant with
 * the valve's faults.
 */
rk_trial_case rk_trial_case_of(const rk_design *loop, bool on_plant);

/**
 * Change a case of this loop by words, "KEY=VALUE ...": the keys of rk_trial_case_read.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE or RK_ERR_FORMAT for words that make no case; diag says why.
 */
rk_status rk_trial_case_change(const rk_design *loop, bool on_plant, const char *keys,
                               rk_trial_case *changed, rk_diag *diag);

/**
 * Another case beside it, from words: "NAME: KEY=VALUE ...", the keys those of the loop file's
 * [settings], scan, out-low, out-high, out-rate and of [plant], and the case's own; a rule sees
 * the loop's model, not the case's plant. Or the path of another loop file: its controller on
 * this loop's process.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for words that make no case; of a loop file
 *         RK_ERR_IO, RK_ERR_FORMAT, RK_ERR_DATA; diag says which and why.
 */
rk_status rk_trial_case_read(const rk_design *loop, bool on_plant, const char *words,
                             rk_trial_case *made, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
