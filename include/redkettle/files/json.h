/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_FILES_JSON_H
#define REDKETTLE_FILES_JSON_H

#include <redkettle/design/base/text.h>
#include <redkettle/design/check/check.h>
#include <redkettle/design/fit/bump.h>
#include <redkettle/design/fit/fit.h>
#include <redkettle/design/fit/inspect.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/search/search.h>
#include <redkettle/design/trial/performance.h>
#include <redkettle/design/trial/trial.h>
#include <redkettle/design/tune/tune.h>
#include <redkettle/device/relay.h>
#include <redkettle/prove/prove.h>

#ifdef __cplusplus
extern "C" {
#endif

/*
 * Results as one JSON object each, appended to a text: seconds, engineering units, full
 * precision; null where a number does not exist. Errors of all: RK_ERR_ARG for a NULL;
 * RK_ERR_MEMORY.
 */

rk_status rk_json_inspect(const rk_inspection *inspection, size_t dropped, rk_text *text,
                          rk_diag *diag);

/** How a step test ended. */
typedef struct rk_bump_result {
    const char *file;
    size_t rows;
    rk_bump_state state;
    const char *why;  /* "": it did not end early */
    double out_start; /* where OUT is back, or should be */
} rk_bump_result;

rk_status rk_json_bump(const rk_bump_result *result, rk_text *text, rk_diag *diag);

/** out: where OUT is back. */
rk_status rk_json_relay(const rk_relay_result *result, size_t rows, double out, rk_text *text,
                        rk_diag *diag);

/** How a run ended. */
typedef struct rk_run_result {
    size_t rows;
    const char *file; /* NULL: none was written */
    const char *mode;
    const char *alarms; /* all that came, "" for none */
    double sp, pv, out;
    bool stopped, made_safe; /* by a signal; and the safe output is on the valve */
    rk_run_figures figures;
} rk_run_result;

rk_status rk_json_run(const rk_run_result *result, rk_text *text, rk_diag *diag);

/** hand and validation may be NULL. */
rk_status rk_json_fit(const rk_fit *fit, const rk_hand_fits *hand,
                      const rk_validation *validation, rk_text *text, rk_diag *diag);

rk_status rk_json_moves(const rk_move_fits *fits, rk_text *text, rk_diag *diag);

/** The settings are written in `form`; what they do is beside them, measures may be NULL; one
 * that has no such form gets nulls and says so. */
rk_status rk_json_tune(const rk_tuning *tunings, const rk_performance *measures, int count,
                       rk_form form, rk_text *text, rk_diag *diag);

rk_status rk_json_search(const rk_search_result *result, const rk_requirements *requirements,
                         rk_text *text, rk_diag *diag);

rk_status rk_json_check(const rk_check *check, const rk_check_plan *plan, const rk_design *loop,
                        rk_text *text, rk_diag *diag);

rk_status rk_json_trial(const rk_trial *const *trials, size_t count, rk_text *text,
                        rk_diag *diag);

rk_status rk_json_open_step(const rk_open_step *open, const rk_model *model, rk_text *text,
                            rk_diag *diag);

rk_status rk_json_emit(const char *const *files, size_t count, rk_text *text, rk_diag *diag);

rk_status rk_json_proof(const rk_proof *proof, rk_text *text, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
