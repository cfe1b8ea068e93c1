/* SPDX-License-Identifier: MIT */
/*
 * A record as the fit sees it: times from the first row, PV from its first value, weights, and
 * the moves of OUT as events. Thinned, it has blocks of rows averaged to one sample: short
 * behind a move of OUT, where the response is quick, and growing with the time since, at most
 * RKI_COARSE_MAX of them. The mean of a smooth response over a block differs from the response
 * at its mean time by the curvature only, a few parts in a thousand with BLOCK_GROWTH as it is:
 * enough for a start.
 */
#include "series.h"

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/fit/fit.h>

#include "design/base/quantile.h"

static rk_status make_series(rki_series *series, size_t samples, size_t events, rk_diag *diag)
{
    memset(series, 0, sizeof *series);
    series->samples = samples;
    series->events = events;
    series->time = rk_memory_create(samples, sizeof(double));
    series->pv = rk_memory_create(samples, sizeof(double));
    series->weight = rk_memory_create(samples, sizeof(double));
    series->event_time = rk_memory_create(events, sizeof(double));
    series->event_size = rk_memory_create(events, sizeof(double));
    if (series->time == NULL || series->pv == NULL || series->weight == NULL ||
        series->event_time == NULL || series->event_size == NULL) {
        rki_series_free(series);
        (void)rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a record of %zu rows",
                          samples);
        return RK_ERR_MEMORY;
    }
    return RK_OK;
}

void rki_series_free(rki_series *series)
{
    rk_memory_free(series->time);
    rk_memory_free(series->pv);
    rk_memory_free(series->weight);
    rk_memory_free(series->event_time);
    rk_memory_free(series->event_size);
    rk_memory_free(series->calm);
    memset(series, 0, sizeof *series);
}

/* Gaps that a median is taken of: enough of them, evenly taken. */
enum { GAPS = 501 };

static double median_interval(const rki_series *series)
{
    const size_t intervals = series->samples - 1;
    const size_t step = (intervals / GAPS) + 1;
    double gap[GAPS];
    size_t count = 0, i;

    if (intervals == 0) return 0.0;
    for (i = 0; i < intervals; i += step) {
        gap[count++] = series->time[i + 1] - series->time[i];
    }
    return rki_quantile(gap, count, 0.5);
}

rk_status rki_series_create(rki_series *series, const rk_record *record, rk_diag *diag)
{
    const size_t rows = rk_record_rows(record);
    const double *time = rk_record_time(record), *out = rk_record_out(record);
    const double *pv = rk_record_pv(record);
    const rk_status status = make_series(series, rows, rk_record_moves(record), diag);
    size_t i, event = 0;

    if (status != RK_OK) return status;
    series->pv_ref = pv[0];
    series->out0 = out[0];
    for (i = 0; i < rows; i++) {
        series->time[i] = time[i] - time[0];
        series->pv[i] = pv[i] - pv[0];
        if (i > 0 && out[i] != out[i - 1]) {
            series->event_time[event] = series->time[i];
            series->event_size[event++] = out[i] - out[i - 1];
        }
    }
    series->interval = median_interval(series);
    for (i = 0; i < rows; i++) {
        series->weight[i] = 1.0;
    }
    return RK_OK;
}

/* A move below this part of OUT's range does not restart the blocks: feedback that jitters. */
#define JITTER 0.01
/* A block is at most this part of the time since the last move, counted in rows. */
#define BLOCK_GROWTH 0.05

/* The first row at or after a time. */
static size_t row_at(const rki_series *full, size_t low, size_t high, double time)
{
    while (low < high) {
        const size_t middle = low + ((high - low) / 2);

        if (full->time[middle] < time) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return low;
}

/* A walk over the rows in blocks. */
typedef struct blocks {
    size_t least; /* rows in a block */
    double jitter;
    size_t first, last_move, event; /* the next move of note is this one or a later one */
} blocks;

/* Down to a number of three binary digits: equal blocks have equal steps between them. */
static size_t round_down(size_t length)
{
    size_t unit = 1;

    while (length / unit >= 8) {
        unit *= 2;
    }
    return length - (length % unit);
}

/* Ends the block that starts at w->first (one past its last row), and starts the next. */
static size_t next_block(const rki_series *full, blocks *w)
{
    size_t length = (size_t)(BLOCK_GROWTH * (double)(w->first - w->last_move)), end;

    length = length < w->least ? w->least : round_down(length);
    end = length < full->samples - w->first ? w->first + length : full->samples;
    while (w->event < full->events && (full->event_time[w->event] <= full->time[w->first] ||
                                       fabs(full->event_size[w->event]) <= w->jitter)) {
        w->event++;
    }
    if (w->event < full->events && full->event_time[w->event] <= full->time[end - 1]) {
        /* A move of note starts a block of its own. */
        end = row_at(full, w->first + 1, end, full->event_time[w->event]);
        w->last_move = end;
    }
    w->first = end;
    return end;
}

static double jitter_size(const rki_series *full)
{
    double level = 0.0, low = 0.0, high = 0.0;
    size_t i;

    for (i = 0; i < full->events; i++) {
        level += full->event_size[i];
        low = fmin(low, level);
        high = fmax(high, level);
    }
    return JITTER * (high - low);
}

static size_t count_blocks(const rki_series *full, size_t least, double jitter)
{
    blocks walk = {.least = least, .jitter = jitter};
    size_t count = 0;

    while (walk.first < full->samples) {
        (void)next_block(full, &walk);
        count++;
    }
    return count;
}

/* Rows first..end-1 become sample `block`. */
static void add_block(rki_series *thin, const rki_series *full, size_t block, size_t first,
                      size_t end)
{
    double time = 0.0, pv = 0.0, weight = 0.0;
    size_t i;

    for (i = first; i < end; i++) {
        time += full->weight[i] * full->time[i];
        pv += full->weight[i] * full->pv[i];
        weight += full->weight[i];
    }
    thin->weight[block] = weight;
    thin->time[block] = weight > 0 ? time / weight : full->time[first];
    thin->pv[block] = weight > 0 ? pv / weight : 0.0;
}

/* At most so many samples. */
static rk_status thin_to(rki_series *thin, const rki_series *full, size_t most, rk_diag *diag)
{
    blocks walk = {.least = 1, .jitter = jitter_size(full)};
    size_t block, count, taken = 0;
    rk_status status;

    while ((count = count_blocks(full, walk.least, walk.jitter)) > most) {
        if (walk.least > full->samples / most) {
            walk.jitter *= 2.0; /* OUT moves all the time: smaller moves count as jitter too */
        }
        walk.least *= 2;
    }
    status = make_series(thin, count, count, diag);
    if (status != RK_OK) return status;
    thin->pv_ref = full->pv_ref;
    thin->out0 = full->out0;
    thin->interval = full->interval;
    thin->visits = full->visits;

    thin->events = 0;
    for (block = 0; block < count; block++) {
        const size_t first = walk.first, end = next_block(full, &walk);
        const size_t before = taken;
        double moved = 0.0;

        for (; taken < full->events && full->event_time[taken] <= full->time[end - 1];
             taken++) {
            moved += full->event_size[taken];
        }
        if (moved != 0.0) {
            /* What jitters within a block becomes one small move at its start. */
            thin->event_time[thin->events] =
                taken == before + 1 ? full->event_time[before] : full->time[first];
            thin->event_size[thin->events++] = moved;
        }
        add_block(thin, full, block, first, end);
    }
    return RK_OK;
}

rk_status rki_series_thin(rki_series *thin, const rki_series *full, rk_diag *diag)
{
    return thin_to(thin, full, RKI_COARSE_MAX, diag);
}

rk_status rki_series_thin_late(rki_series *thin, const rki_series *full, double *values,
                               double late, rk_diag *diag)
{
    rki_series shifted = *full;
    double *times = rk_memory_create(full->events, sizeof *times);
    rk_status status;
    size_t i;

    if (times == NULL) {
        (void)rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to thin a record");
        return RK_ERR_MEMORY;
    }
    for (i = 0; i < full->events; i++) {
        times[i] = full->event_time[i] + late;
    }
    shifted.event_time = times;
    shifted.pv = values;
    status = thin_to(thin, &shifted, RKI_FINE_MAX, diag);
    for (i = 0; status == RK_OK && i < thin->events; i++) {
        thin->event_time[i] -= late;
    }
    rk_memory_free(times);
    return status;
}

/* Rows of a chunk before OUT first moves. */
enum { CHUNK_BEFORE = RKI_CHUNK_MAX / 6 };

rk_status rki_series_chunk(rki_series *chunk, const rki_series *full, rk_diag *diag)
{
    const size_t move = row_at(full, 0, full->samples, full->event_time[0]);
    const size_t first = move > CHUNK_BEFORE ? move - CHUNK_BEFORE : 0;
    size_t samples = full->samples - first, events = 0;
    rk_status status;

    if (samples > RKI_CHUNK_MAX) {
        samples = RKI_CHUNK_MAX;
    }
    while (events < full->events &&
           full->event_time[events] <= full->time[first + samples - 1]) {
        events++;
    }
    status = make_series(chunk, samples, events, diag);
    if (status != RK_OK) return status;
    memcpy(chunk->time, full->time + first, samples * sizeof(double));
    memcpy(chunk->pv, full->pv + first, samples * sizeof(double));
    memcpy(chunk->weight, full->weight + first, samples * sizeof(double));
    memcpy(chunk->event_time, full->event_time, events * sizeof(double));
    memcpy(chunk->event_size, full->event_size, events * sizeof(double));
    chunk->pv_ref = full->pv_ref;
    chunk->out0 = full->out0;
    chunk->interval = full->interval;
    chunk->visits = full->visits;
    return RK_OK;
}
