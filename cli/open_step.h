/* SPDX-License-Identifier: MIT */
#ifndef OPEN_STEP_H
#define OPEN_STEP_H

#include "cli.h"

/** trial --open-step: step OUT by hand, and show what the process does. Returns an exit status.
 */
int run_open_step(const job *j, double out_step);

#endif
