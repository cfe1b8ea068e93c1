/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DRAW_FIGURE_H
#define REDKETTLE_DRAW_FIGURE_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/text.h>
#include <redkettle/design/check/check.h>
#include <redkettle/design/fit/fit.h>
#include <redkettle/design/fit/inspect.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/record/record.h>
#include <redkettle/design/search/search.h>
#include <redkettle/design/trial/trial.h>
#include <redkettle/design/tune/tune.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What a figure comes as. */
typedef enum rk_figure_format {
    RK_FIGURE_PNG = 0,
    RK_FIGURE_SVG = 1,
    RK_FIGURE_PDF = 2,
    RK_FIGURE_TERMINAL = 3, /* drawn with characters */
} rk_figure_format;

/** By a file name's ending: .png, .svg, .pdf; "-" is the terminal. Errors  RK_ERR_RANGE. */
rk_status rk_figure_format_from_name(const char *name, rk_figure_format *format, rk_diag *diag);

/** Of a curve with more points than this, the lowest and the highest of each stretch are drawn. */
enum { RK_FIGURE_DOTS_MOST = 800 };

/** How to draw. */
typedef struct rk_figure_style {
    rk_figure_format format;
    int columns, rows; /* of the terminal; 0: 100 by 36 */
    bool minutes;      /* the time axis is in minutes */
} rk_figure_style;

/**
 * The fit over its record, from top to bottom on one time axis: PV, the model, the other kinds
 * that were tried as thin lines and, of a single step, the ruler's 63.2 % point; what is left,
 * in its noise band; OUT. The model's numbers are in the title. hand and rival (a second fit to
 * show) may be NULL. The picture's bytes are appended to *image. gnuplot draws, as a child
 * process.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO if gnuplot cannot be run or fails; RK_ERR_MEMORY.
 */
rk_status rk_figure_fit(const rk_design *loop, const rk_record *record, const rk_fit *fit,
                        const rk_hand_fits *hand, const rk_fit *rival,
                        const rk_figure_style *style, rk_text *image, rk_diag *diag);

/** What one rule does at several speeds, from rk_tunings_compute_speeds: five of them side by
 * side, a setpoint step and a load step. Errors  as rk_figure_trial, and as rk_trial_create. */
rk_status rk_figure_speeds(const rk_design *loop, const rk_tuning *list, size_t count,
                           const rk_figure_style *style, rk_text *image, rk_diag *diag);

/** Trials side by side: setpoint and PV above, OUT below, one time axis; a record made
 * elsewhere laid over them, or NULL. Errors as rk_figure_fit. */
rk_status rk_figure_trial(const rk_design *loop, const rk_trial_plan *plan,
                          const rk_trial *const *trials, size_t count,
                          const rk_overlay *overlay, const rk_figure_style *style,
                          rk_text *image, rk_diag *diag);

/** A step of OUT before there is a controller: PV with its gain, dead time and 63.2 % marked
 * above, OUT below. Errors as rk_figure_fit. */
rk_status rk_figure_open_step(const rk_design *loop, const rk_open_step *open,
                              const rk_trial *const *trials, size_t count,
                              const rk_figure_style *style, rk_text *image, rk_diag *diag);

/** Runs of a loop, one beside the other: setpoint (once, if it is one array) and PV above, OUT
 * below; what they are stands in the title. Errors as rk_figure_fit. */
rk_status rk_figure_run(const rk_design *loop, const char *what, const rk_run_curves *runs,
                        size_t count, const rk_figure_style *style, rk_text *image,
                        rk_diag *diag);

/** Error against effort of searches with several weights, each weight beside its point. Errors  as
 * rk_figure_grid. */
rk_status rk_figure_tradeoff(const rk_design *loop, const rk_search_plan *plan,
                             const double *weights, const rk_search_result *results,
                             size_t count, const rk_figure_style *style, rk_text *image,
                             rk_diag *diag);

/**
 * A grid's costs over kc and ti (of the best point's td), light where they are low, with the
 * best point, contours of Ms and the edge within which all requirements are met. Errors as
 * rk_figure_fit.
 */
rk_status rk_figure_grid(const rk_design *loop, const rk_search_plan *plan,
                         const rk_grid_runs *runs, const rk_figure_style *style, rk_text *image,
                         rk_diag *diag);

/**
 * A record and what was seen in it: PV in its noise band above, OUT with its moves below, gaps
 * and findings marked where they happened. Errors as rk_figure_fit.
 */
rk_status rk_figure_inspect(const rk_design *loop, const rk_record *record,
                            const rk_inspection *inspection, const rk_findings *findings,
                            const rk_figure_style *style, rk_text *image, rk_diag *diag);

/**
 * The open loop over frequency, continuous and as it is scanned: size and phase with the
 * margins marked; and in the plane, the dead time's spiral and all, with -1 and the circle that
 * Ms keeps free. Errors as rk_figure_fit.
 */
rk_status rk_figure_frequency(const rk_design *loop, const rk_check *check,
                              const rk_check_plan *plan, const rk_figure_style *style,
                              rk_text *image, rk_diag *diag);

/**
 * The model alone over frequency: exact, its dead time as a rational function of an order from
 * 1 to RK_RATIONAL_MAX, and held at the loop's scan. Errors  as rk_figure_fit, and RK_ERR_RANGE
 * for the order.
 */
rk_status rk_figure_model(const rk_design *loop, int order, const rk_figure_style *style,
                          rk_text *image, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
