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
    bool back, doublet, force, real_time, priority;
    const char *record;
    double gain_within, dead_time_within; /* percent; NaN: the test is made to its end */

    rk_live_port port;
    rk_enough *enough;
    rk_bump *bump;
    rk_relay_test *test;
    rk_relay_run run; /* of it */
    rk_record_log *log;
    rk_bump_run_result made; /* of a step test */
    int recorded;            /* is all of the record on the disk? An exit status */
    double shown;            /* the progress, by the wall clock, s */
} bump_job;

/** The port is opened; an exit status. */
int open_port(bump_job *b);

/** Once the port was read: does the device let OUT be moved? */
int check_enabled(const bump_job *b);

/** Signals are caught, the terminal is written to beside, and priority is had if it was asked for. */
int begin_test(bump_job *b);

/** OUT is where it belongs, or cannot be: the record is finished and the terminal given back. */
int end_test(bump_job *b, int status);

/** How far it is, for whoever watches. */
bool is_time_to_show(bump_job *b);

/** How the step test ended, and what its record is worth. */
int tell_test(job *j);

/** The relay test: made, recorded if a file was given, and told. */
int run_relay(job *j);

#endif
