/* SPDX-License-Identifier: MIT */
#ifndef CASES_H
#define CASES_H

#include "cli.h"

/** The keys of a case's text, as help tells them. */
#define CASE_KEYS                                                                              \
    "those of [settings] in a loop file, scan (a time or continuous), out-low, out-high, "     \
    "out-rate, the plant's kind, gain, time-constant, damping, dead-time, valve-rate, "        \
    "backlash and stiction, deadband, predictor=yes, on-off=HYSTERESIS, manual=OUT"

/** The loop as it stands, as a trial's case, on its model or on the plant of its file's
 * [plant]. It has a model, settings and a scan. */
void case_from_loop(const job *j, bool on_plant, rk_trial_case *made);

/** A case from a text "name: key=value key=value", over the loop as it stands; or from another
 * loop file, whose settings, limits and scan it takes. */
int case_from_text(const job *j, bool on_plant, const char *text, rk_trial_case *made);

#endif
