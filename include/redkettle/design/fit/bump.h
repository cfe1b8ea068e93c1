/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_FIT_BUMP_H
#define REDKETTLE_DESIGN_FIT_BUMP_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/diag.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/device/port.h>

#ifdef __cplusplus
extern "C" {
#endif

enum { RK_BUMP_MOVES_MAX = 32 };

/** A step test to be made through a port. Numbers that were not given are NaN. */
typedef struct rk_bump_plan {
    double ts;                      /* from a scan to the next, s */
    size_t moves;                   /* 1 to RK_BUMP_MOVES_MAX */
    double move[RK_BUMP_MOVES_MAX]; /* of OUT, each from where the one before left it, out-EU */
    double hold;                    /* after each move, s */
    double before;                  /* PV is watched for so long before the first move, s */
    double patience;                /* s to wait until it was steady so long; 0: move anyway */
    double pv_low, pv_high;         /* bounds: beyond them the test stops, pv-EU */
    double out_low, out_high;       /* OUT's limits, out-EU */
    double gain;                    /* how PV answers OUT; NaN: not known, and nobody looks */
    bool integrates;                /* then it is how fast, and dead_time how late */
    double dead_time;               /* s */
} rk_bump_plan;

/**
 * Choose what a plan leaves open, NaN, by what is known of the loop: its scan, OUT's limits,
 * PV's range and alarms as its bounds, how PV answers OUT; hold for the dead time and five times the time constants; PV steady for 30 scans
 * before, waited for 20 times as long.
 *
 * Errors  RK_ERR_RANGE for what the loop does not tell: scan, limits, or how long to hold.
 */
rk_status rk_bump_plan_complete(rk_bump_plan *plan, const rk_design *loop, rk_diag *diag);

/** Where a test stands. */
typedef enum rk_bump_state {
    RK_BUMP_WAITING = 0, /* for PV to be steady */
    RK_BUMP_MOVING = 1,  /* OUT was moved */
    RK_BUMP_DONE = 2,    /* all moves made, or enough of them, OUT back where it was */
    RK_BUMP_STOPPED = 3, /* ended early, OUT back where it was */
    RK_BUMP_STRANDED = 4 /* ended, but OUT could not be put back yet */
} rk_bump_state;

/** What a scan saw and did. */
typedef struct rk_bump_row {
    double time; /* s from the start */
    double out;  /* what stands on the valve from now on, out-EU */
    double pv;   /* pv-EU; NaN: there was none */
} rk_bump_row;

/** A step test under way. */
typedef struct rk_bump rk_bump;

/**
 * Read PV and OUT through the port and refuse what could hurt, before anything moves.
 *
 * Errors  RK_ERR_ARG for a NULL or a service of the port missing; RK_ERR_RANGE for a plan that
 * is out of range, a move beyond OUT's limits, one that would take PV beyond its bounds, or a
 * PV outside them; RK_ERR_IO if the
 * port does not answer or has no PV; RK_ERR_MEMORY. diag says which.
 */
rk_status rk_bump_create(const rk_bump_plan *plan, const rk_port *port, rk_bump **bump,
                         rk_diag *diag);

/**
 * One scan, every ts: read PV, move OUT when it is time to, and write it again each scan once it was
 * moved. A PV beyond its bounds, a bad PV or a port that does not answer three scans in a row ends the test: OUT
 * goes back to where it was. Stranded, it tries again to put OUT back. elapsed: s since the scan before by the
 * caller's clock, by which rows and moves are timed; the first scan is at 0.
 */
rk_bump_row rk_bump_scan(rk_bump *bump, double elapsed);

/** All that was wanted is known: the next scan puts OUT back and is the last; `why` is kept. Nothing if it
 * has ended. */
void rk_bump_finish(rk_bump *bump, const char *why);

/** End the test now and put OUT back; `why` is kept. Nothing if it has ended. */
void rk_bump_stop(rk_bump *bump, const char *why);

rk_bump_state rk_bump_get_state(const rk_bump *bump);

/** Why it ended early; "" if it did not. */
const char *rk_bump_why(const rk_bump *bump);

/** OUT at the start, out-EU: where it goes back to. */
double rk_bump_out_start(const rk_bump *bump);

/** s until the test is done, if PV is steady at once. */
double rk_bump_time_left(const rk_bump *bump);

/** Gives its memory back; a test that is under way is stopped first. NULL is fine. */
void rk_bump_free(rk_bump *bump);

#ifdef __cplusplus
}
#endif

#endif
