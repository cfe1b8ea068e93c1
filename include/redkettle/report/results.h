/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_REPORT_RESULTS_H
#define REDKETTLE_REPORT_RESULTS_H

#include <redkettle/design/check/check.h>
#include <redkettle/design/fit/bump.h>
#include <redkettle/design/fit/fit.h>
#include <redkettle/design/fit/inspect.h>
#include <redkettle/design/fit/relay_point.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/search/search.h>
#include <redkettle/design/trial/performance.h>
#include <redkettle/design/trial/trial.h>
#include <redkettle/design/tune/tune.h>
#include <redkettle/device/relay.h>
#include <redkettle/emit/emit.h>
#include <redkettle/prove/prove.h>
#include <redkettle/report/report.h>

#ifdef __cplusplus
extern "C" {
#endif

/*
 * Each call appends the rows of one result to a report. `loop` gives name and units.
 *
 * Errors of all: RK_ERR_ARG for a NULL where no NULL is allowed. A report without memory takes
 * nothing, and says so when it is rendered.
 */

/** dropped: rows of the file that were not used. */
rk_status rk_report_add_inspection(rk_report *report, const rk_design *loop,
                                   const rk_inspection *inspection, const rk_findings *findings,
                                   size_t dropped);

typedef struct rk_fit_results {
    const rk_fit *fit;
    const rk_hand_fits *hand;        /* may be NULL, as all that follows */
    const rk_validation *validation; /* of the model on another record, .. */
    const char *validated_on;        /* .. and its name */
    const rk_fit *rival; /* another kind beside it, or a guess laid over: its bic is NaN */
    bool as_given;       /* the model was laid over the record, not fitted, .. */
    bool pv0_laid;       /* .. and its PV at rest moved to where it fits best */
    const rk_findings *record; /* what is wrong with the record for this loop */
} rk_fit_results;

rk_status rk_report_add_fit(rk_report *report, const rk_design *loop,
                            const rk_fit_results *results);

/** The model of each move alone. */
rk_status rk_report_add_move_fits(rk_report *report, const rk_design *loop,
                                  const rk_move_fits *fits);

typedef struct rk_tune_results {
    const rk_tuning *tuning;
    const rk_performance *performance; /* of each; NULL: not known */
    size_t count;
    rk_form form; /* the settings are written in it; one that has no such form says so */
    const rk_knobs *knobs; /* as they were asked for */
    bool speeds;           /* one rule, its lambda turned */
    bool sources;          /* name them */
} rk_tune_results;

rk_status rk_report_add_tunings(rk_report *report, const rk_design *loop,
                                const rk_tune_results *results);

/**
 * Put settings in the order of a column: rule, mode, kc, ti, td, gain-margin, phase-margin, ms,
 * overshoot, settling, load-iae or travel, the smaller size first. What does not exist goes
 * last; equal ones keep their order.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for another column; diag lists them.
 */
rk_status rk_tunings_sort(rk_tuning *list, rk_performance *performance, size_t count,
                          const char *by, rk_diag *diag);

/** The loop's settings in every form and unit, side by side. */
rk_status rk_report_add_forms(rk_report *report, const rk_design *loop);

typedef struct rk_search_results {
    const rk_search_result *found;
    const rk_search_plan *plan;
    const rk_search_result *without; /* the limiting requirement; NULL: not searched */
    rk_form form;
    double model_error; /* that plan->set is made of, percent; NaN: the fit's region */
    bool at_edge;       /* the best point of a grid lies there */
} rk_search_results;

rk_status rk_report_add_search(rk_report *report, const rk_design *loop,
                               const rk_search_results *results);

/** A search for several weights of the effort: settings, error and effort side by side. */
typedef struct rk_tradeoff_results {
    const double *weight;
    const rk_search_result *found; /* of each */
    size_t count;
    const rk_search_plan *plan;
    double model_error; /* as of a search */
} rk_tradeoff_results;

rk_status rk_report_add_tradeoff(rk_report *report, const rk_design *loop,
                                 const rk_tradeoff_results *results);

rk_status rk_report_add_check(rk_report *report, const rk_design *loop,
                              const rk_check_plan *plan, const rk_check *check);

/** What is nearest to its limit of all that is asked and met. */
rk_status rk_report_add_nearest(rk_report *report, const rk_design *loop,
                                const rk_check *check);

/** Parts of a check, to be shown in different places. */
typedef enum rk_check_part {
    RK_CHECK_JUDGEMENT = 0, /* the verdict, the requirements, what to do */
    RK_CHECK_MARGINS,       /* margins, a wrong model, the scan, how far kc may go */
    RK_CHECK_LIMITS,        /* the valve's limits and the integral */
} rk_check_part;

/** Errors  also RK_ERR_RANGE for another part. */
rk_status rk_report_add_check_part(rk_report *report, const rk_design *loop,
                                   const rk_check_plan *plan, const rk_check *check,
                                   rk_check_part part);

typedef struct rk_trials {
    const rk_trial *const *trial;
    size_t count;
    const rk_trial_plan *plan;
    const rk_overlay *overlay; /* to be compared with the first; NULL: none */
    const rk_operating *held;  /* the setpoint's OUT; NULL: not known */
} rk_trials;

rk_status rk_report_add_trials(rk_report *report, const rk_design *loop,
                               const rk_trials *results);

/** Settings that are tried on a loop: what they are, and what they do. */
typedef struct rk_try {
    const char *name;
    const rk_design *loop;   /* with these settings, this scan and these limits */
    const rk_model *process; /* as it is taken to be */
    rk_margins margins;      /* on the process as it is tried */
    rk_requirements asked;
    rk_verdict verdict;
    const rk_trial *trial; /* NULL: none could be run */
} rk_try;

/** The verdict on one; each requirement with its figure. */
rk_status rk_report_add_try_verdict(rk_report *report, const rk_try *tried);
rk_status rk_report_add_try_requirements(rk_report *report, const rk_try *tried);

/** Several side by side. */
rk_status rk_report_add_tries(rk_report *report, const rk_try *tries, size_t count);

/** Append how far kc may go as a drawing, an <svg> element with classes for its parts. */
rk_status rk_gain_bar_to_svg(const rk_design *loop, const rk_requirements *asked,
                             const rk_gain_limits *limits, rk_text *svg, rk_diag *diag);

rk_status rk_report_add_open_step(rk_report *report, const rk_design *loop,
                                  const rk_open_step *open);

/** A file of program text. */
typedef struct rk_emitted_file {
    const char *path;
    const char *meaning; /* "": it goes with the one before */
} rk_emitted_file;

rk_status rk_report_add_emitted(rk_report *report, const rk_design *loop, bool slim,
                                const rk_emitted_file *file, size_t count);

/** The difference equations, and what each way to sum the error makes of the margins. */
rk_status rk_report_add_equations(rk_report *report, const rk_design *loop, rk_number number,
                                  rk_diag *diag);

typedef struct rk_proof_results {
    const rk_proof *proof;
    const char *where;              /* the texts stand */
    bool has_vectors, same_vectors; /* test vectors stand there, and are this loop's */
    bool in_sheet;                  /* the verdict was written into the settings sheet */
    const rk_twin_run *twin;        /* on the loop's record; NULL: was not run */
} rk_proof_results;

rk_status rk_report_add_proof(rk_report *report, const rk_design *loop,
                              const rk_proof_results *results);

/** A block of the user's own; file: its text. */
rk_status rk_report_add_block_proof(rk_report *report, const rk_design *loop,
                                    const rk_proof_part *part, const rk_block_probe *probe,
                                    const char *file);

/**
 * The settings in every form and unit, to hand to whoever types them into a block that stands
 * there; rendered as text or CSV. proof: NULL, or what a proof of the program text found.
 *
 * Errors  as rk_emit_st.
 */
rk_status rk_report_add_sheet(rk_report *report, const rk_design *loop, const rk_proof *proof,
                              rk_diag *diag);

/** How a step test ended. */
typedef struct rk_bump_result {
    const char *file;
    size_t rows;
    rk_bump_state state;
    const char *why;  /* "": it did not end early */
    double out_start; /* where OUT is back, or should be */
    double length;    /* s */
    bool real_time;
    bool held;                          /* it ended because the device does not enable OUT */
    size_t late_scans;                  /* in real time: by more than half a scan */
    double usual_lateness;              /* s: of 99.9 % */
    double longest_gap, longest_gap_at; /* s without a scan, and when it ended */
    bool stalled;                       /* it was that long */
} rk_bump_result;

rk_status rk_report_add_bump(rk_report *report, const rk_design *loop,
                             const rk_bump_result *result);

/** What the record of a step test is worth, after how it ended. */
rk_status rk_report_add_bumped(rk_report *report, const rk_design *loop,
                               const rk_inspection *inspection, const rk_findings *findings);

/** How a relay test ended that found something. */
typedef struct rk_relay_results {
    const rk_relay_result *found;
    const rk_relay_point *point; /* by a model of the same record; NULL: none fits */
    size_t rows;
    double out;                         /* where OUT is back */
    double hysteresis;                  /* pv-EU */
    const char *file;                   /* NULL: none was written */
    double longest_gap, longest_gap_at; /* s without a scan, and when it ended */
    bool stalled;                       /* it was that long */
} rk_relay_results;

rk_status rk_report_add_relay(rk_report *report, const rk_design *loop,
                              const rk_relay_results *results);

/** How a run ended. */
typedef struct rk_run_result {
    size_t rows;
    double length;     /* s */
    const char *file;  /* NULL: none was written */
    const char *clock; /* "real time" */
    const char *mode;
    const char *alarms; /* all that came, "" for none */
    double sp, pv, out;
    const char *stopped;                /* by what signal; NULL: by none */
    bool safe_wanted;                   /* then, or at the end, */
    bool made_safe;                     /* the safe output, and it is on the valve */
    bool held;                          /* the device does not enable OUT */
    bool real_time;                     /* these are known then: */
    size_t late_scans;                  /* by more than half a scan */
    double usual_lateness, latest;      /* s: of 99.9 %, and of the latest */
    double longest_gap, longest_gap_at; /* s without a scan, and when it ended */
    size_t reconnects;                  /* connections made anew */
    const char *refused; /* why the system gave no priority; "": it did; NULL: nobody asked */
    const rk_run_figures *figures, *stepped; /* of the run; of the same with setpoint steps */
} rk_run_result;

rk_status rk_report_add_run(rk_report *report, const rk_design *loop,
                            const rk_run_result *result);

/** What a loop is, in a sentence. */
rk_status rk_report_add_loop(rk_report *report, const rk_design *loop);

/** Where the numbers of a step come from, and when. */
typedef struct rk_origin {
    const char *step, *when, *from;
} rk_origin;

rk_status rk_report_add_origins(rk_report *report, const rk_origin *origins, size_t count);

/** A page about a loop that was written. */
typedef struct rk_page_result {
    const char *verdict;  /* "met", "not met", "no settings", "no model" */
    bool judged, met;     /* there are settings to be judged, and they meet what is asked */
    bool workbench_built; /* this build has one .. */
    bool has_workbench;   /* .. and the loop can be tried in it */
    bool has_figures;     /* gnuplot could draw */
    size_t rows, drawn;   /* of the record */
} rk_page_result;

/** bytes: of the file. */
rk_status rk_report_add_page(rk_report *report, const char *file, size_t bytes,
                             const rk_page_result *page);

#ifdef __cplusplus
}
#endif

#endif
