/* SPDX-License-Identifier: MIT */
#ifndef CMD_BUMP_H
#define CMD_BUMP_H

#include "cli.h"

/** A step test or a relay test, and how it stands. */
typedef struct bump_job {
    job j;
    rk_bump_plan plan;
    rk_relay_plan relay; /* amplitude NaN: a step test */
    double move;
    bool back, doublet, force, real_time;
    const char *record;

    rk_sim_plant *plant;
    rk_bump *bump;
    rk_relay_test *test;
    rk_relay_run run; /* of it */
    rk_record_log *log;
    size_t rows;
    double shown; /* the progress, by the wall clock, s */
} bump_job;

/** The relay test: made, recorded if a file was given, and told. */
int run_relay(job *j);

#endif
