/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_RUN_ROWS_H
#define REDKETTLE_LIVE_RUN_ROWS_H

#include <stddef.h>

#include <redkettle/design/trial/trial.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A scan's row. */
typedef struct rk_live_row {
    double time;   /* s */
    double sp, pv; /* pv-EU; a pv of NaN: there was none */
    double out;    /* out-EU */
} rk_live_row;

/** Rows that are kept for a picture, at most. */
enum { RK_LIVE_ROWS_MOST = 16384 };

/** Rows for a picture: each, or, when they filled their room, every stride-th. */
typedef struct rk_run_rows {
    double time[RK_LIVE_ROWS_MOST], sp[RK_LIVE_ROWS_MOST], pv[RK_LIVE_ROWS_MOST],
        out[RK_LIVE_ROWS_MOST];
    size_t count, stride, seen; /* all zero: none yet */
} rk_run_rows;

/** The next row. */
void rk_run_rows_add(rk_run_rows *rows, const rk_live_row *row);

/** What is kept; without a name, until the next is added. */
rk_run_curves rk_run_rows_curves(const rk_run_rows *rows);

#ifdef __cplusplus
}
#endif

#endif
