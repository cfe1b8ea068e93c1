/* SPDX-License-Identifier: MIT */
#ifndef RELAY_TEST_H
#define RELAY_TEST_H

#include "cli.h"

/** A relay test to be made; numbers that were not given are NaN. */
typedef struct relay_plan {
    double amplitude;       /* out-EU */
    double hysteresis;      /* pv-EU; NaN: three deviations of the noise before */
    double cycles;          /* even ones to be averaged; NaN: 3 */
    double before;          /* PV is watched so long first, s */
    double patience;        /* s; NaN: 1000 scans at least, or an hour */
    double pv_low, pv_high; /* bounds, pv-EU; NaN: none */
    const char *record;     /* where the rows go; NULL: nowhere */
    bool force, real_time;
} relay_plan;

/** Make the test through the loop's port, print what it found, save it if that was asked for.
 * Signals must be caught. Returns the exit status. */
int run_relay_test(job *j, const relay_plan *plan);

#endif
