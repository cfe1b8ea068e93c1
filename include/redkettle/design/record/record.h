/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_RECORD_RECORD_H
#define REDKETTLE_DESIGN_RECORD_RECORD_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/diag.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A test's time series: rows of time, OUT and PV, time rising. OUT of a row is held from that
 * row's time to the next row's; before the first row OUT stood where the first row has it.
 */
typedef struct rk_record rk_record;

/** A new empty record. Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY. */
rk_status rk_record_create(rk_record **record, rk_diag *diag);

/**
 * Append a row. A PV of NaN is missing or bad there: the row is kept where OUT moves, so that OUT's
 * history is whole, with a PV drawn between its neighbours that weighs nothing in a fit; where OUT
 * stands, or as the first row, it tells nothing and is left out.
 *
 * Units   time in s, out in out-EU, pv in pv-EU.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for another value that is not finite, or a time not
 * after the last row's; RK_ERR_MEMORY. The record is then unchanged.
 */
rk_status rk_record_add(rk_record *record, double time, double out, double pv, rk_diag *diag);

/** Where rk_record_place put a row. */
typedef enum rk_placed {
    RK_PLACED_LAST = 0,    /* behind the others, as it should be */
    RK_PLACED_AGAIN = 1,   /* over the row that had the same time */
    RK_PLACED_BETWEEN = 2, /* before rows that came earlier */
} rk_placed;

/**
 * Put a row where its time belongs; slow if that is far from the end. Errors  as
 * rk_record_add, but for the time.
 */
rk_status rk_record_place(rk_record *record, double time, double out, double pv,
                          rk_placed *placed, rk_diag *diag);

size_t rk_record_rows(const rk_record *record);

/** The columns, rk_record_rows long; valid until the next rk_record_add. Time as it was given,
 * s. */
const double *rk_record_time(const rk_record *record);
const double *rk_record_out(const rk_record *record);
const double *rk_record_pv(const rk_record *record);

/** Which rows have no PV of their own. */
const bool *rk_record_missing(const rk_record *record);

/**
 * Was OUT written by what wrote the rows, so that each of its moves came on a row? A new record says
 * no: OUT may have moved at any instant since the row before.
 */
void rk_record_set_on_rows(rk_record *record, bool on_rows);
bool rk_record_on_rows(const rk_record *record);

/** How often OUT changes from a row to the next. */
size_t rk_record_moves(const rk_record *record);

/** The mean interval between rows, s; NaN for fewer than two. */
double rk_record_interval(const rk_record *record);

void rk_record_free(rk_record *record);

/** A move of OUT; a ramp is one. Times in s from the first row. */
typedef struct rk_move {
    double at, until; /* from its first row on, until OUT stands again */
    double from, to;  /* out-EU */
} rk_move;

/** No rows for longer than three intervals: from `at`, s from the first row. */
typedef struct rk_gap {
    double at, length;
} rk_gap;

enum { RK_MOVES_MAX = 64, RK_GAPS_MAX = 64 };

/** What can be read off a record without a model. */
typedef struct rk_record_facts {
    size_t rows;
    double duration;                             /* s */
    double interval, interval_min, interval_max; /* median and extremes, s */
    size_t gaps, moves;                          /* how many, also beyond the room below */
    rk_gap gap[RK_GAPS_MAX];
    rk_move move[RK_MOVES_MAX];
    double out_noise;         /* jitter of OUT that counts as no move, out-EU */
    double noise;             /* standard deviation of PV's noise, pv-EU; robust */
    double noise_correlation; /* of it from a row to the next, 0..0.99 */
    double quantum;           /* the step that PV comes in, pv-EU; 0: none seen */
    double pv_moved;          /* how far PV went, pv-EU */
    double signal_to_noise;   /* pv_moved / noise; infinite without noise */
} rk_record_facts;

#ifdef __cplusplus
}
#endif

#endif
