/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_FIT_INSPECT_H
#define REDKETTLE_DESIGN_FIT_INSPECT_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/finding.h>
#include <redkettle/design/base/yes_no.h>
#include <redkettle/design/fit/fit.h>
#include <redkettle/design/record/record.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What is known of the loop, and what the next test is wanted to give. NaN: not known. */
typedef struct rk_inspect_plan {
    double pv_low, pv_high;   /* transmitter range, pv-EU */
    double out_low, out_high; /* OUT's limits, out-EU */
    double gain_wanted;       /* half a 95 % interval as a part of the gain: 0.05 */
    double dead_time_wanted;  /* .. of the dead time: 0.1 */
    size_t dropped;           /* rows that could not be read, and those that could */
    size_t read;
} rk_inspect_plan;

/** Nothing known, the gain wanted to 5 % and the dead time to 10 %. */
rk_inspect_plan rk_inspect_plan_make(void);

/** The same with a loop's ranges. */
rk_inspect_plan rk_inspect_plan_of(const rk_design *loop);

/** A better test than this one, from the noise and a rough model. */
typedef struct rk_next_test {
    bool known;              /* there is a rough model to compute it from */
    bool needed;             /* this record does not give what is wanted */
    bool possible;           /* within OUT's limits */
    int moves;               /* 1: a step; 2: there and back; 3: a doublet; more: pairs */
    double out_move;         /* the first one, with its sign, out-EU */
    double wait;             /* after each move, s */
    double gain_percent;     /* what it would give: half of the 95 % interval, in percent */
    double dead_time_error;  /* .. of the dead time, s */
    double dead_time_wanted; /* what is wanted of it, s */
} rk_next_test;

/** What a record is like. */
typedef struct rk_inspection {
    rk_record_facts facts;
    rk_yes_no steady_before, steady_after; /* the first move, the last */
    size_t spikes;
    bool has_model;
    rk_fit rough;        /* fopdt or ipdt, whichever explains more */
    double gain_percent; /* of rough: half of the 95 % interval, colour of noise allowed for */
    double dead_time_error; /* .. of its dead time, s */
    rk_next_test next;
    rk_level level; /* the gravest of its findings */
} rk_inspection;

/**
 * Judge a record: sampling, moves of OUT, noise, whether it was steady, what went wrong, how
 * well a model could be known from it, and what the next test should do better. The verdict is
 * the gravest level of the findings: good, usable, unfit. findings may be NULL.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_DATA for fewer than 2 rows; RK_ERR_MEMORY. A record
 * that is unfit is no error.
 */
rk_status rk_inspection_compute(const rk_record *record, const rk_inspect_plan *plan,
                                rk_inspection *inspection, rk_findings *findings,
                                rk_diag *diag);

/**
 * What makes a record wrong for this loop though it may be sound in itself: columns taken for
 * one another, numbers in other units than the plan's ranges. One pass over the rows; an
 * inspection has these findings too.
 */
void rk_record_slips(const rk_record *record, const rk_inspect_plan *plan,
                     rk_findings *findings);

/** "good", "usable", "unfit". */
const char *rk_inspection_verdict(const rk_inspection *inspection);

/** The next test in a sentence or two, into text[0..room). */
void rk_next_test_words(const rk_inspection *inspection, const char *out_units, char *text,
                        size_t room);

#ifdef __cplusplus
}
#endif

#endif
