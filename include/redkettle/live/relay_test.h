/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_RELAY_TEST_H
#define REDKETTLE_LIVE_RELAY_TEST_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/loop/design.h>
#include <redkettle/design/record/record.h>
#include <redkettle/device/port.h>
#include <redkettle/device/relay.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A relay test to be made; numbers that are not given are NaN. */
typedef struct rk_relay_plan {
    double amplitude;       /* to each side of where OUT stands, out-EU */
    double hysteresis;      /* pv-EU; NaN: three deviations of the noise before */
    double cycles;          /* even ones to be averaged, 1 to 100; NaN: 3 */
    double before;          /* PV is watched so long first, s */
    double patience;        /* s; NaN: 1000 scans at least, or an hour */
    double pv_low, pv_high; /* bounds, pv-EU; NaN: none */
} rk_relay_plan;

/** Where a test is, or how it ended. In every end but STRANDED OUT is back where it stood. */
typedef enum rk_relay_stage {
    RK_RELAY_TEST_WATCHING = 0, /* OUT was not moved yet */
    RK_RELAY_TEST_SWINGING,
    RK_RELAY_TEST_PUTTING_BACK, /* OUT or its port is tried again */
    RK_RELAY_TEST_DONE,         /* the ultimate point is known */
    RK_RELAY_TEST_STOPPED,      /* from outside */
    RK_RELAY_TEST_NO_PV,        /* before OUT was moved */
    RK_RELAY_TEST_PV_BAD,
    RK_RELAY_TEST_PV_OUT,    /* PV left its bounds */
    RK_RELAY_TEST_TIMED_OUT, /* PV did not swing evenly in time */
    RK_RELAY_TEST_NO_SWING,  /* PV swung no further than the hysteresis */
    RK_RELAY_TEST_NO_WRITE,  /* OUT could not be written meanwhile */
    RK_RELAY_TEST_REFUSED,   /* the relay cannot be made of this plan; diag said why */
    RK_RELAY_TEST_STRANDED,  /* OUT could not be put back: set it by hand, now */
} rk_relay_stage;

typedef struct rk_relay_test rk_relay_test;

/**
 * Get ready; nothing is written to the port. design and plan are copied, the port too.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for no scan, no output range, an amplitude that
 *         leaves the limits, or cycles out of range; RK_ERR_IO for a port that does not say
 *         where OUT stands; RK_ERR_MEMORY.
 */
rk_status rk_relay_test_create(const rk_design *design, const rk_port *port,
                               const rk_relay_plan *plan, rk_relay_test **test, rk_diag *diag);

/** One scan, `elapsed` s after the one before: PV is read, OUT written; *pv is NaN without one. False when
 * it was the last. */
bool rk_relay_test_scan(rk_relay_test *test, double elapsed, double *pv, rk_diag *diag);

/** The last scan's time, s from the first. */
double rk_relay_test_time(const rk_relay_test *test);

/** End it: the scans that follow put OUT back. */
void rk_relay_test_stop(rk_relay_test *test);

rk_relay_stage rk_relay_test_stage(const rk_relay_test *test);

/** OUT as last written, and where it stood at the start, out-EU; the hysteresis in use, pv-EU,
 * NaN until the relay swings. */
double rk_relay_test_out(const rk_relay_test *test);
double rk_relay_test_out_start(const rk_relay_test *test);
double rk_relay_test_hysteresis(const rk_relay_test *test);

/** What it found. Errors  RK_ERR_DATA unless it is done. */
rk_status rk_relay_test_result(const rk_relay_test *test, rk_relay_result *result,
                               rk_diag *diag);

/** The rows so far, OUT as it stands behind each scan; the test's own. */
const rk_record *rk_relay_test_record(const rk_relay_test *test);

/** NULL does nothing. */
void rk_relay_test_free(rk_relay_test *test);

#ifdef __cplusplus
}
#endif

#endif
