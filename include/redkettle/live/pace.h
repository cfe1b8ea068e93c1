/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_PACE_H
#define REDKETTLE_LIVE_PACE_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/fit/bump.h>
#include <redkettle/design/record/record.h>
#include <redkettle/files/record_log.h>
#include <redkettle/live/live.h>
#include <redkettle/live/relay_test.h>
#include <redkettle/live/sim_plant.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What drives a test or a run from outside: the clock, and whoever watches. Each function may
 * be NULL. */
typedef struct rk_pace {
    double (*now)(void *user);                   /* s; NULL: every scan is taken as in time */
    void (*wait_until)(void *user, double time); /* s from the start; NULL: no waiting, a
                                                    simulated plant's clock runs ahead */
    const char *(*stopped)(void *user); /* what ends it now, in words; NULL: nothing does */
    bool (*seen)(void *user, double time, double pv, double out); /* after each scan; false
                                                                     ends a run */
    void *user;
} rk_pace;

/** OUT that cannot be put back is tried for so long, s. */
#define RK_BUMP_TRY_FOR 60.0

/**
 * Make a step test to its end, scan by scan: each scan's row goes into the record and the log,
 * the last one shows OUT back, and a comment of the log says how the test ended. A log that
 * cannot be written ends the test. plant: the simulated plant behind the port; NULL: hardware.
 *
 * ts: s. Returns how many rows were written.
 */
size_t rk_bump_run(rk_bump *bump, double ts, const char *out_units, rk_sim_plant *plant,
                   rk_record *record, rk_record_log *log, const rk_pace *pace);

/** How a relay test was run. */
typedef struct rk_relay_run {
    size_t rows;
    bool unwritten; /* it ended because a row could not be written */
} rk_relay_run;

/** Make a relay test to its end; log may be NULL. The rest as rk_bump_run. Errors  as
 * rk_relay_test_scan tells them in its diag: RK_ERR_RANGE for a relay that cannot be made. */
rk_status rk_relay_test_run(rk_relay_test *test, double ts, rk_sim_plant *plant,
                            rk_record_log *log, const rk_pace *pace, rk_relay_run *run,
                            rk_diag *diag);

/**
 * Run a loop until its clock shows `until`, s, or pace ends it; events in order of their times.
 * log may be NULL.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO if a row could not be written: the run ends with it.
 */
rk_status rk_live_run(rk_live *live, const rk_event *events, size_t count, double until,
                      rk_record_log *log, const rk_pace *pace, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
