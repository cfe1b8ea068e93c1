/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_INSPECT_PARTS_H
#define RKI_DESIGN_FIT_INSPECT_PARTS_H

#include <redkettle/design/fit/inspect.h>

/** A record's columns, time from the first row, and room for one more column. */
typedef struct rki_columns_view {
    size_t rows;
    double *time;
    const double *out, *pv;
    double *work;
} rki_columns_view;

/** Intervals and gaps. */
void rki_inspect_sampling(const rki_columns_view *view, rk_inspection *made);

/** Moves of OUT, by its jitter. */
void rki_inspect_moves(const rki_columns_view *view, rk_inspection *made);

/** Noise, quantum, how far PV moved. Needs the moves. */
void rki_inspect_noise(const rki_columns_view *view, rk_inspection *made);

/** The next test. Needs the rough model and the noise. */
void rki_inspect_next(const rki_columns_view *view, const rk_inspect_plan *plan,
                      rk_inspection *made);

/** The rows before the first move: 0 to the one returned, not included; all without a move. */
size_t rki_rows_before(const rki_columns_view *view, const rk_inspection *made);

/** The first row that is not before this time. */
size_t rki_row_at(const rki_columns_view *view, double time);

#endif
