/* SPDX-License-Identifier: MIT */
#ifndef CMD_SEARCH_H
#define CMD_SEARCH_H

#include "cli.h"

/** A search or a sweep. */
typedef struct search_job {
    job j;
    const char *cost, *effort, *over, *runs;
    const char *weigh_effort; /* one weight, or several */
    double weigh_error, model_error, threads, ratio;
    bool refine, is_grid;
    rk_search_plan plan;
    rk_model_set set;
    rk_search_result found, without;
    double weight[RK_WEIGHTS_MAX];
    rk_search_result weighed[RK_WEIGHTS_MAX];
    size_t weights;          /* 2 or more: a table of them */
    bool has_without;        /* the same without the limiting requirement */
    double began, shown;     /* wall clock */
    rk_grid ideal, parallel; /* as they were typed; count 0: not */
    rk_grid_runs swept;
} search_job;

/** --kc, --ti and --td, or --kp, --ki and --kd: an axis of the sweep's grid each. */
void take_axis(job *j, struct argp_state *state, const command_option *o, const char *arg);

/** Every point of the grid, and the best of them. */
int run_sweep(search_job *s);

#endif
