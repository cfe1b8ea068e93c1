/* SPDX-License-Identifier: MIT */
#ifndef CASES_H
#define CASES_H

#include "cli.h"

/** The keys of a case's text. */
#define CASE_KEYS                                                                              \
    "rule, lambda, form, kc, ti, td, tf, kp, ki, kd, sp-weight, anti-windup, tracking-time, "  \
    "out-low, out-high, out-rate, scan, gain, time-constant, dead-time, manual"

/** The loop as it stands, as a trial's case. It has a model, settings and a scan. */
void case_from_loop(const job *j, rk_trial_case *made);

/** A case from a text "name: key=value key=value", over the loop as it stands. */
int case_from_text(const job *j, const char *text, rk_trial_case *made);

#endif
