/* SPDX-License-Identifier: MIT */
#ifndef CHECK_VIEW_H
#define CHECK_VIEW_H

#include "cli.h"

/** check under way. The job is first, as run_command wants it. */
typedef struct check_job {
    job j;
    rk_check_plan plan;
    double model_error; /* percent; NaN: not given */
    double order;       /* NaN: the loop is drawn, not the model */
    rk_check check;
} check_job;

/** What was found, as text: the verdict first, then why. */
void print_check(const check_job *c);

#endif
