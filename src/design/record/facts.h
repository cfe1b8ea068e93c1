/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_RECORD_FACTS_H
#define RKI_DESIGN_RECORD_FACTS_H

#include <redkettle/design/record/record.h>

/** A record's columns, time from the first row, and room for one more column. */
typedef struct rki_columns_view {
    size_t rows;
    double *time;
    const double *out, *pv;
    double *work;
} rki_columns_view;

/** Intervals and gaps. */
void rki_facts_sampling(const rki_columns_view *view, rk_record_facts *made);

/** Moves of OUT, by its jitter. */
void rki_facts_moves(const rki_columns_view *view, rk_record_facts *made);

/** Noise, quantum, how far PV moved. Needs the moves. */
void rki_facts_noise(const rki_columns_view *view, rk_record_facts *made);

/** The step PV comes in: the smallest change, if nearly all are multiples of it; 0: none. */
double rki_quantum(const double *pv, size_t rows);

/** The rows before the first move: 0 to the one returned, not included; all without a move. */
size_t rki_rows_before(const rki_columns_view *view, const rk_record_facts *facts);

/** The first row that is not before this time. */
size_t rki_row_at(const rki_columns_view *view, double time);

#endif
