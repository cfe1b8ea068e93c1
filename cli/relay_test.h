/* SPDX-License-Identifier: MIT */
#ifndef RELAY_TEST_H
#define RELAY_TEST_H

#include "cli.h"

/** A relay test to be made. */
typedef struct relay_plan {
    rk_relay_plan relay;
    const char *record; /* where the rows go; NULL: nowhere */
    bool force, real_time;
} relay_plan;

/** Make the test through the loop's port, print what it found, save it if that was asked for.
 * Signals must be caught. Returns the exit status. */
int run_relay_test(job *j, const relay_plan *plan);

#endif
