/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_SERIES_H
#define RKI_DESIGN_FIT_SERIES_H

#include <stddef.h>

#include <redkettle/design/record/record.h>

#include "calm.h"

/** What a fit works on: samples of PV, and the moves of OUT as events. The caller owns the
 * arrays. */
typedef struct rki_series {
    size_t samples;
    double *time;   /* of the samples, s from the first row */
    double *pv;     /* less pv_ref */
    double *weight; /* how many rows a sample stands for; 0: it is left out */
    size_t events;
    double *event_time; /* when OUT moved, s from the first row */
    double *event_size; /* by how much, out-EU */
    double pv_ref;
    double out0;
    double interval; /* median sampling interval, s */
    double *visits;  /* counts the samples that were visited; shared by all copies */
    rki_calm *calm;  /* sums over pieces of it, by rki_series_sum; NULL: none */
} rki_series;

/** All rows of a record. Errors  RK_ERR_MEMORY. */
rk_status rki_series_create(rki_series *series, const rk_record *record, rk_diag *diag);

/**
 * A thinner copy for the search: rows averaged in blocks, short after each move of OUT and
 * growing with the time since; at most about RKI_COARSE_MAX of them.
 */
rk_status rki_series_thin(rki_series *thin, const rki_series *full, rk_diag *diag);

/** The same of other values at the same times, with the short blocks so much later than the
 * moves, s: where a dead time ends; at most about RKI_FINE_MAX of them. */
rk_status rki_series_thin_late(rki_series *thin, const rki_series *full, double *values,
                               double late, rk_diag *diag);

/**
 * Rows as they are, at most RKI_CHUNK_MAX of them from a little before OUT first moves: for a
 * record whose OUT moves all the time, which blocks would blur.
 */
rk_status rki_series_chunk(rki_series *chunk, const rki_series *full, rk_diag *diag);

/** Make the sums of all pieces, or make them again after weights have changed. Errors
 * RK_ERR_MEMORY. */
rk_status rki_series_sum(rki_series *series);

/** The piece that starts with this row, if all of it counts; NULL: there is none. */
const rki_calm *rki_series_calm(const rki_series *series, size_t first);

void rki_series_free(rki_series *series);

enum { RKI_COARSE_MAX = 300, RKI_FINE_MAX = 1200, RKI_CHUNK_MAX = 1200 };

#endif
