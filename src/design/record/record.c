/* SPDX-License-Identifier: MIT */
#include <redkettle/design/record/record.h>

#include <math.h>
#include <stdbool.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

struct rk_record {
    double *time, *out, *pv;
    bool *missing; /* PV there is drawn between its neighbours */
    size_t rows, room;
    bool on_rows;
};

rk_status rk_record_create(rk_record **record, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (record == NULL) return RK_ERR_ARG;
    *record = rk_memory_create(1, sizeof **record);
    if (*record == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a record");
    return RK_OK;
}

static rk_status widen(double **column, size_t room)
{
    double *wider = rk_memory_resize(*column, room, sizeof **column);

    if (wider == NULL) return RK_ERR_MEMORY;
    *column = wider;
    return RK_OK;
}

static rk_status widen_flags(bool **column, size_t room)
{
    bool *wider = rk_memory_resize(*column, room, sizeof **column);

    if (wider == NULL) return RK_ERR_MEMORY;
    *column = wider;
    return RK_OK;
}

static rk_status make_room(rk_record *record, rk_diag *diag)
{
    /* Half as much again, so that a long record never holds twice what it needs. */
    const size_t room = record->room + (record->room / 2) + 64;

    if (record->rows < record->room) return RK_OK;
    if (widen(&record->time, room) != RK_OK || widen(&record->out, room) != RK_OK ||
        widen(&record->pv, room) != RK_OK || widen_flags(&record->missing, room) != RK_OK) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory at row %zu of the record",
                           record->rows + 1);
    }
    record->room = room;
    return RK_OK;
}

static rk_status check_row(const rk_record *record, double time, double out, double pv,
                           rk_diag *diag)
{
    if (isfinite(time) && isfinite(out) && !isinf(pv)) return RK_OK;
    return rk_diag_set(diag, RK_ERR_RANGE, "row %zu: time %g, OUT %g, PV %g must be finite",
                       record->rows + 1, time, out, pv);
}

/* A run of rows without PV, which one with PV always comes before: on the line to the next one; at
   the record's end level. */
static void draw_run(rk_record *record, size_t row)
{
    const double *t = record->time;
    size_t first = row, last = row, i;
    double *pv = record->pv;

    while (record->missing[first - 1]) {
        first--;
    }
    while (last + 1 < record->rows && record->missing[last + 1]) {
        last++;
    }
    for (i = first; i <= last; i++) {
        pv[i] = pv[first - 1];
        if (last + 1 < record->rows) {
            pv[i] += (pv[last + 1] - pv[first - 1]) * (t[i] - t[first - 1]) /
                     (t[last + 1] - t[first - 1]);
        }
    }
}

/* After a row has been put in its place. A run at the end stays level as it grows. */
static void draw_missing(rk_record *record, size_t at)
{
    if (record->missing[at]) {
        if (at + 1 == record->rows) {
            record->pv[at] = record->pv[at - 1];
        } else {
            draw_run(record, at);
        }
        return;
    }
    if (at > 0 && record->missing[at - 1]) {
        draw_run(record, at - 1);
    }
    if (at + 1 < record->rows && record->missing[at + 1]) {
        draw_run(record, at + 1);
    }
}

/* Does OUT move at a time that has no row yet? All that a row without PV tells. */
static bool moves_there(const rk_record *record, size_t at, double time, double out)
{
    return at > 0 && record->time[at - 1] < time && record->out[at - 1] != out;
}

rk_status rk_record_place(rk_record *record, double time, double out, double pv,
                          rk_placed *placed, rk_diag *diag)
{
    size_t at, behind;
    rk_status status;

    rk_diag_clear(diag);
    if (record == NULL || placed == NULL) return RK_ERR_ARG;
    status = check_row(record, time, out, pv, diag);
    if (status == RK_OK) {
        status = make_room(record, diag);
    }
    if (status != RK_OK) return status;

    at = record->rows;
    while (at > 0 && record->time[at - 1] > time) {
        at--;
    }
    behind = record->rows - at;
    *placed = behind > 0 ? RK_PLACED_BETWEEN : RK_PLACED_LAST;
    if (isnan(pv) && !moves_there(record, at, time, out)) return RK_OK;
    if (at > 0 && record->time[at - 1] == time) {
        at--;
        *placed = RK_PLACED_AGAIN;
    } else {
        memmove(record->time + at + 1, record->time + at, behind * sizeof(double));
        memmove(record->out + at + 1, record->out + at, behind * sizeof(double));
        memmove(record->pv + at + 1, record->pv + at, behind * sizeof(double));
        memmove(record->missing + at + 1, record->missing + at, behind * sizeof(bool));
        record->rows++;
    }
    record->time[at] = time;
    record->out[at] = out;
    record->pv[at] = pv;
    record->missing[at] = isnan(pv);
    draw_missing(record, at);
    return RK_OK;
}

rk_status rk_record_add(rk_record *record, double time, double out, double pv, rk_diag *diag)
{
    rk_placed placed;

    rk_diag_clear(diag);
    if (record == NULL) return RK_ERR_ARG;
    if (record->rows > 0 && isfinite(time) && !(time > record->time[record->rows - 1])) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "row %zu: time %.10g s does not come after the row before (%.10g s)",
                           record->rows + 1, time, record->time[record->rows - 1]);
    }
    return rk_record_place(record, time, out, pv, &placed, diag);
}

size_t rk_record_rows(const rk_record *record)
{
    return record->rows;
}

const double *rk_record_time(const rk_record *record)
{
    return record->time;
}

const double *rk_record_out(const rk_record *record)
{
    return record->out;
}

const double *rk_record_pv(const rk_record *record)
{
    return record->pv;
}

const bool *rk_record_missing(const rk_record *record)
{
    return record->missing;
}

void rk_record_set_on_rows(rk_record *record, bool on_rows)
{
    record->on_rows = on_rows;
}

bool rk_record_on_rows(const rk_record *record)
{
    return record->on_rows;
}

size_t rk_record_moves(const rk_record *record)
{
    size_t moves = 0, i;

    for (i = 1; i < record->rows; i++) {
        if (record->out[i] != record->out[i - 1]) {
            moves++;
        }
    }
    return moves;
}

double rk_record_interval(const rk_record *record)
{
    const size_t rows = rk_record_rows(record);
    const double *time = rk_record_time(record);

    return rows > 1 ? (time[rows - 1] - time[0]) / (double)(rows - 1) : nan("");
}

void rk_record_free(rk_record *record)
{
    if (record == NULL) return;
    rk_memory_free(record->time);
    rk_memory_free(record->out);
    rk_memory_free(record->pv);
    rk_memory_free(record->missing);
    rk_memory_free(record);
}
