/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_WORKBENCH_WORKBENCH_H
#define REDKETTLE_WORKBENCH_WORKBENCH_H

#include <stddef.h>

#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * Settings tried by hand on a loop, as fast as a slider moves: a trial, the margins and the verdict of what
 * is set now, beside others that were kept. What it computes is what trial and check compute.
 *
 * It is called from a script in a page as well as from C, so that its arguments are numbers and texts, and
 * it keeps what went wrong: rk_workbench_error. Texts and arrays that it returns are its own, and last until
 * the next call.
 *
 * Units of all: s, pv-EU and out-EU, as in a loop.
 */
typedef struct rk_workbench rk_workbench;

/** Curves at most: of what is set now, and of those that were kept. */
enum { RK_WORKBENCH_CURVES = 7 };

/**
 * Of a loop as rk_design_to_text wrote it, with a model. A loop without settings begins with SIMC's, or those of the first
 * rule that its model has, one
 * without a scan at one that is fast enough not to matter. minutes: not 0 to show
 * times in minutes. NULL: no memory; else rk_workbench_error says
 * whether it can be used.
 */
rk_workbench *rk_workbench_create(const char *loop, int minutes);

/** What the last call did not like; "": nothing. */
const char *rk_workbench_error(const rk_workbench *bench);

/** A key of the loop as it was given, as its file would have it; "": not given, or no such key. */
const char *rk_workbench_key(rk_workbench *bench, const char *section, const char *key);

/** A number that the sliders begin with: "kc", "ti", "td", "tf", "sp-weight", "scan", "delay-scans", "lambda",
 * "sp-step", "load-step", "load-at", "for"; NaN for another. */
double rk_workbench_number(const rk_workbench *bench, const char *name);

/**
 * What is done to all: a setpoint of a shape (its word), its step and time, a load step and when, and for
 * how long. NaN: as trial chooses it. Those that were kept are run again.
 *
 * Errors  RK_ERR_RANGE as rk_trial_create, and RK_ERR_MEMORY; all stay as they were.
 */
rk_status rk_workbench_plan(rk_workbench *bench, const char *shape, double sp_step,
                            double sp_time, double load_step, double load_at, double duration);

/**
 * Try settings, and show them in place of those before: words as in a case of trial, "kc=-9 ti=60s scan=2s".
 * The process is taken to have so many times the model's gain, time constants and dead time.
 *
 * Errors  RK_ERR_RANGE or RK_ERR_FORMAT as rk_trial_case_change, or as rk_trial_create; RK_ERR_MEMORY. What
 * was shown stays.
 */
rk_status rk_workbench_try(rk_workbench *bench, const char *words, double gain, double time,
                           double dead_time);

/** Keep what is set now as a curve of this name. Errors  RK_ERR_RANGE: there is no more room. */
rk_status rk_workbench_keep(rk_workbench *bench, const char *name);

/** Let a kept one go; curve from 1 on. */
void rk_workbench_drop(rk_workbench *bench, size_t curve);

/** How many curves there are: 0 is what is set now, those from 1 on were kept. */
size_t rk_workbench_curves(const rk_workbench *bench);
const char *rk_workbench_name(const rk_workbench *bench, size_t curve);
double rk_workbench_scan(const rk_workbench *bench, size_t curve);
size_t rk_workbench_scans(const rk_workbench *bench, size_t curve);
const double *rk_workbench_sp(const rk_workbench *bench, size_t curve);
const double *rk_workbench_out(const rk_workbench *bench, size_t curve);
double rk_workbench_out_start(const rk_workbench *bench, size_t curve);
double rk_workbench_step(const rk_workbench *bench, size_t curve);
size_t rk_workbench_points(const rk_workbench *bench, size_t curve);
const double *rk_workbench_pv(const rk_workbench *bench, size_t curve);

/** The name of a rule that has a lambda, from 0 on, or of any rule; NULL behind the last. */
const char *rk_workbench_lambda_rule(const rk_workbench *bench, size_t place);
const char *rk_workbench_rule(const rk_workbench *bench, size_t place);

/** The settings that a rule gives for the model, as words to be tried; lambda NaN: the rule's own. "": it gives
 * none, and rk_workbench_error says why. */
const char *rk_workbench_settings_by(rk_workbench *bench, const char *rule, double lambda);

/** The verdict on what is set now; each requirement with its figure; how far kc may go, drawn; all curves
 * side by side: as HTML. */
const char *rk_workbench_verdict(rk_workbench *bench);
const char *rk_workbench_requirements(rk_workbench *bench);
const char *rk_workbench_gain_bar(rk_workbench *bench);
const char *rk_workbench_table(rk_workbench *bench);

/** What is set now as sections of a loop file, and as options of redkettle. */
const char *rk_workbench_block(rk_workbench *bench);
const char *rk_workbench_options(rk_workbench *bench);

/** NULL does nothing. */
void rk_workbench_free(rk_workbench *bench);

#ifdef __cplusplus
}
#endif

#endif
