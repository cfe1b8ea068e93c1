/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_PACE_H
#define REDKETTLE_LIVE_PACE_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/fit/bump.h>
#include <redkettle/design/record/record.h>
#include <redkettle/files/record_log.h>
#include <redkettle/live/live.h>
#include <redkettle/live/live_port.h>
#include <redkettle/live/relay_test.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * The executor: it makes scans at fixed times of a clock that only goes forward, each told the time that
 * really passed since the one before. The deadlines are absolute, began + k ts, so that lateness does not
 * add up. After a stall the missed ones are left out: the next scan comes at the first deadline that is
 * half a scan away or more.
 */

/** What drives a test or a run from outside: the clock, and whoever watches. A function may be NULL.
 * None may block: the scan waits for them. */
typedef struct rk_pace {
    double (*now)(void *user); /* s of the clock; NULL: a simulated plant's clock runs ahead */
    void (*wait_until)(void *user, double when); /* of that clock, or until something ends it */
    bool
        keeps_time; /* the clock is that of the plant: scans are told what passed by it; else it only
                        sets the pace */
    const char *(*stopped)(void *user); /* what ends it now, in words; NULL: nothing does */
    bool (*seen)(void *user, double time, double pv, double out); /* after each scan; false
                                                                     ends a run */
    bool (*command)(void *user,
                    rk_event *event); /* of a run: the next that somebody gave; false:
                                                     there is none */
    void (*refused)(void *user, const char *why); /* that command changed nothing */
    void *user;
} rk_pace;

/** How well the clock was kept. */
typedef struct rk_timing {
    size_t scans;
    size_t late;    /* began more than half a scan after their time */
    double latest;  /* s after its time, at most */
    double usual;   /* s: 99.9 % of the scans began within it of their time, to a tenth of it */
    double longest; /* s from a scan to the next, at most */
    double longest_at; /* s from the start */
} rk_timing;

/** Was there a gap of more than three scans? */
bool rk_timing_is_stalled(const rk_timing *timing, double ts);

/** OUT that cannot be put back is tried for so long, s. */
#define RK_BUMP_TRY_FOR 60.0
/** A safe output that cannot be written is tried for so long, s. */
#define RK_SAFE_TRY_FOR 5.0

/** How a step test was run. */
typedef struct rk_bump_run_result {
    size_t rows;
    double length; /* s */
    bool held;     /* it ended because the device does not enable OUT: OUT was left to it */
    rk_timing timing;
} rk_bump_run_result;

/**
 * Make a step test to its end, scan by scan: each scan's row goes into the record and the log,
 * the last one shows OUT back, and a comment of the log says how the test ended. A stall is told in the
 * log. A log that cannot be written ends the test.
 */
void rk_bump_run(rk_bump *bump, double ts, const char *out_units, rk_live_port *port,
                 rk_record *record, rk_record_log *log, const rk_pace *pace,
                 rk_bump_run_result *result);

/** How a relay test was run. */
typedef struct rk_relay_run {
    size_t rows;
    bool unwritten; /* it ended because a row could not be written, */
    bool held;      /* or because the device does not enable OUT: OUT was left to it */
    rk_timing timing;
} rk_relay_run;

/** Make a relay test to its end; log may be NULL. The rest as rk_bump_run. Errors  as
 * rk_relay_test_scan tells them in its diag: RK_ERR_RANGE for a relay that cannot be made. */
rk_status rk_relay_test_run(rk_relay_test *test, double ts, rk_live_port *port,
                            rk_record_log *log, const rk_pace *pace, rk_relay_run *run,
                            rk_diag *diag);

/**
 * Run a loop until its clock shows `until`, s, or pace ends it; events in order of their times.
 * log and timing may be NULL.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO if a row could not be written: the run ends with it.
 */
rk_status rk_live_run(rk_live *live, const rk_event *events, size_t count, double until,
                      rk_record_log *log, const rk_pace *pace, rk_timing *timing,
                      rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
