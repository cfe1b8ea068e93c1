/* SPDX-License-Identifier: MIT */
#ifndef REPORT_PARTS_H
#define REPORT_PARTS_H

#include <redkettle/report/results.h>

#include "rows.h"

/*
 * What several results have in common.
 */

/** Room for a loop's gain unit, and for a process in words. */
enum { RKI_PROCESS_CHARS = 400 };

/** The unit of a controller's gain: "%/degBx". */
void rki_kc_unit(const rk_design *loop, char unit[RKI_UNIT_CHARS]);

/** A model for machines; NULL: null. */
void rki_model(rk_report *r, const char *key, const rk_model *model);

/** "gain -0.118 degBx/%, time constant 46.5 s, dead time 17.4 s", as the model's kind has it.
 */
/** What a loop's settings have beside the numbers, in words: "deadband 0.1 degBx, predictor". */
void rki_features_words(const rk_report *r, const rk_design *loop,
                        char words[RKI_PROCESS_CHARS]);

void rki_process_words(const rk_report *r, const rk_design *loop,
                       char words[RKI_PROCESS_CHARS]);

/** The same of the model alone, as the rules take it. */
void rki_model_words(const rk_report *r, const rk_design *loop, char words[RKI_PROCESS_CHARS]);

/** Of a process made of parts: its model and what that is off by; nothing else says it. */
void rki_reduction(rk_report *r, const rk_design *loop);

/** The verdict on a record or a fit by its gravest finding: GOOD, USABLE, with care, UNFIT. */
void rki_level(rk_report *r, rk_level worst, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

/** Why a verdict is unfit: its first finding of that level, in a line below it. */
void rki_reason(rk_report *r, const rk_findings *findings);

/** Findings as a list, and a paragraph each: level, what was seen, what to do. */
void rki_findings(rk_report *r, const rk_findings *findings);

/** A figure or limit of a requirement: with its unit, for people, and as a row. */
const char *rki_show_requirement(const rk_report *r, const rk_design *loop, rk_require what,
                                 double value, char shown[RKI_SHOWN_CHARS]);
void rki_requirement(rk_report *r, const char *key, const char *name, const rk_design *loop,
                     rk_require what, double value);

/** The requirements that are asked, a row each: figure, limit, met or not. remedies may be
 * NULL.
 */
void rki_requirements(rk_report *r, const rk_design *loop, const rk_requirements *requirements,
                      const rk_verdict *verdict, const rk_remedy *remedies);

/** What is wrong, in a few words: "phase-margin, ms". */
void rki_missed_words(const rk_verdict *verdict, char *words, size_t room);

/** The figures of a trial, a row each. */
void rki_trial_metrics(rk_report *r, const rk_design *loop, const rk_trial_metrics *metrics);

/** The far end of the bar that shows how far kc may go: where the loop ends, or a little beyond the last
 * mark. NaN: there is nothing to show. */
double rki_gain_bar_end(const rk_design *loop, const rk_gain_limits *limits);

/** What the requirements are asked of: the steps, and PV's noise if it is known. */
void rki_conditions(rk_report *r, const rk_design *loop, const rk_requirements *requirements);

/** What a verdict rests on: the loop as it is scanned, or continuous. */
void rki_judged(rk_report *r, const rk_design *loop);

#endif
