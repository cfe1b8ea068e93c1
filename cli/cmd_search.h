/* SPDX-License-Identifier: MIT */
#ifndef CMD_SEARCH_H
#define CMD_SEARCH_H

#include "cli.h"

/** A search or a sweep. */
typedef struct search_job {
    job j;
    const char *cost, *effort, *over, *runs;
    double weigh_error, weigh_effort, model_error, threads, ratio;
    bool refine, is_grid;
    rk_search_plan plan;
    rk_model_set set;
    rk_search_result found, without;
    bool has_without;    /* the same without the limiting requirement */
    double began, shown; /* wall clock */
    rk_grid grid;
    rk_grid_point *points;
    size_t best;
} search_job;

/** --kc, --ti and --td: an axis of the sweep's grid each; the last two are times. */
void take_axis(job *j, struct argp_state *state, const command_option *o, const char *arg);

/** Every point of the grid, and the best of them. */
int run_sweep(search_job *s);

#endif
