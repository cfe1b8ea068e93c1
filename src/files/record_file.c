/* SPDX-License-Identifier: MIT */
#include <redkettle/files/record_file.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/number.h>

#include "columns.h"
#include "rows.h"
#include "timestamp.h"

/* A file being read. */
typedef struct reading {
    const rk_columns *asked;
    rki_rows *rows;
    double first_time;
    rki_places places;
    rki_clock clock;
    size_t cells;           /* of the header */
    size_t read;            /* rows, the dropped ones too */
    unsigned long bad_line; /* of the first dropped row */
    rki_column bad_column;
    char bad_text[40];
    size_t bad[RKI_COLUMNS]; /* rows dropped for a column */
    rk_record *record;
    rk_import import;
    rk_diag *diag;
} reading;

/* Words of a quality that is good; a number counts as good from 192 on, as OPC has it, and 1
   and 100 do. Nothing at all is good too: some write only what is bad. */
static bool is_good(rki_cell cell)
{
    static const char *const words[] = {"good", "ok", "valid", "true", "g", "normal"};
    char lower[8] = "";
    double number;
    size_t i;

    cell = rki_cell_trim(cell);
    if (cell.length == 0) return true;
    if (rk_number_parse(cell.text, cell.length, &number)) {
        return number >= 192 || number == 1 || number == 100;
    }
    for (i = 0; i < cell.length && i < sizeof lower - 1; i++) {
        lower[i] = (char)(cell.text[i] | 0x20);
    }
    for (i = 0; i < sizeof words / sizeof words[0]; i++) {
        if (cell.length == strlen(words[i]) && strcmp(lower, words[i]) == 0) return true;
    }
    return false;
}

static const char *column_name(const reading *r, rki_column column)
{
    const char *const names[RKI_COLUMNS] = {r->import.time, r->import.out, r->import.pv,
                                            r->import.quality};

    return names[column];
}

static void drop(reading *r, rki_column column, rki_cell cell)
{
    static const char *const why[RKI_COLUMNS] = {"no time like the others", "not a number",
                                                 "not a number", "not good"};
    const bool cut = cell.length > sizeof r->bad_text - 4;

    r->bad[column]++;
    r->import.dropped++;
    if (r->import.dropped > 1) return;
    r->bad_line = r->rows->line;
    r->bad_column = column;
    (void)snprintf(r->bad_text, sizeof r->bad_text, "%.*s%s",
                   cut ? (int)sizeof r->bad_text - 4 : (int)cell.length, cell.text,
                   cut ? "..." : "");
    (void)snprintf(r->import.dropped_first, sizeof r->import.dropped_first,
                   "line %lu, column '%.30s': %s%s%s%s", r->bad_line, column_name(r, column),
                   cell.length > 0 ? "'" : "", cell.length > 0 ? r->bad_text : "empty",
                   cell.length > 0 ? "' is " : "", cell.length > 0 ? why[column] : "");
}

/* More late rows than this is no mishap of a logger. */
static bool too_many_late(const reading *r, size_t slack)
{
    return r->import.late > slack + (rk_record_rows(r->record) / 10);
}

static rk_status runs_backwards(const reading *r)
{
    return rk_diag_set(r->diag, RK_ERR_FORMAT,
                       "%s:%lu: time runs backwards in %zu of %zu rows: sort the rows by time, "
                       "or check the column '%s'",
                       r->rows->path, r->rows->line, r->import.late,
                       rk_record_rows(r->record) + r->import.repeated, r->import.time);
}

static rk_status place_row(reading *r, double time, double out, double pv)
{
    rk_placed placed;
    const rk_status status = rk_record_place(r->record, time, out, pv, &placed, r->diag);

    if (status != RK_OK) return status;
    r->import.repeated += placed == RK_PLACED_AGAIN;
    r->import.late += placed == RK_PLACED_BETWEEN;
    /* Each late row is moved past those behind it: stop a long file in good time. */
    return too_many_late(r, 1000) ? runs_backwards(r) : RK_OK;
}

/* PV is bad, but OUT may just have moved: its history stays whole. Of a row cut short OUT itself
   may be cut. */
static rk_status keep_out(reading *r, double time, double out)
{
    const size_t rows = rk_record_rows(r->record);
    rk_status status;

    if (r->import.no_out || r->rows->count < r->cells || rows == 0 ||
        time <= rk_record_time(r->record)[rows - 1]) {
        return RK_OK;
    }
    status = rk_record_add(r->record, time, out, nan(""), r->diag);
    r->import.only_out += rk_record_rows(r->record) - rows;
    return status;
}

/* OUT of a record that has none: moved by hand, at a time from its first row. */
static double out_as_told(reading *r, double time)
{
    const rk_columns *a = r->asked;

    if (rk_record_rows(r->record) == 0) {
        r->first_time = time;
    }
    if (isnan(a->move) || a->move == 0) return a->out_start;
    return time - r->first_time >= a->moved_at ? a->out_start + a->move : a->out_start;
}

static void take_stamp(rk_import *import, rki_cell cell)
{
    (void)snprintf(import->last_stamp, sizeof import->last_stamp, "%.*s", (int)cell.length,
                   cell.text);
    if (import->first_stamp[0] == '\0') {
        memcpy(import->first_stamp, import->last_stamp, sizeof import->first_stamp);
    }
}

static rk_status read_row(reading *r)
{
    const rki_rows *rows = r->rows;
    rki_cell cell[RKI_COLUMNS] = {{"", 0}, {"", 0}, {"", 0}, {"", 0}};
    double time = 0, value[RKI_COLUMNS] = {0};
    rki_column bad = RKI_COLUMNS;
    int column;
    size_t i;

    r->read++;
    for (i = r->cells; i < rows->count; i++) {
        if (rki_cell_trim(rows->cell[i]).length == 0) continue;
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s:%lu: %zu cells in a row, %zu in the first one; decimal commas "
                           "need quotes, or ; or tab between the cells",
                           rows->path, rows->line, rows->count, r->cells);
    }
    for (column = 0; column < RKI_COLUMNS; column++) {
        if (r->places.found[column] && r->places.place[column] < rows->count) {
            cell[column] = rki_cell_trim(rows->cell[r->places.place[column]]);
        }
    }
    for (column = RKI_OUT; column <= RKI_PV && bad == RKI_COLUMNS; column++) {
        if (column == RKI_OUT && r->import.no_out) continue;
        if (!rk_number_parse_with(cell[column].text, cell[column].length, r->clock.decimal,
                                  &value[column])) {
            bad = (rki_column)column;
        }
    }
    if (bad == RKI_COLUMNS && r->places.found[RKI_QUALITY] && !is_good(cell[RKI_QUALITY])) {
        bad = RKI_QUALITY;
    }
    if (bad != RKI_COLUMNS) {
        drop(r, bad, cell[bad]);
    }
    if (bad != RKI_OUT &&
        !rki_clock_read(&r->clock, cell[RKI_TIME].text, cell[RKI_TIME].length, &time)) {
        if (bad == RKI_COLUMNS) {
            drop(r, RKI_TIME, cell[RKI_TIME]);
        }
        return RK_OK;
    }
    if (bad != RKI_COLUMNS) return bad == RKI_OUT ? RK_OK : keep_out(r, time, value[RKI_OUT]);
    take_stamp(&r->import, cell[RKI_TIME]);
    if (r->import.no_out) {
        value[RKI_OUT] = out_as_told(r, time);
    }
    return place_row(r, time, value[RKI_OUT], value[RKI_PV]);
}

static bool is_value(const reading *r, rki_cell cell)
{
    rki_clock clock = r->clock;
    double value;

    cell = rki_cell_trim(cell);
    return cell.length == 0 || rki_clock_read(&clock, cell.text, cell.length, &value);
}

/* A first row of nothing but numbers and times has no names. */
static bool has_names(const reading *r)
{
    size_t i;

    for (i = 0; i < r->rows->count; i++) {
        if (!is_value(r, r->rows->cell[i])) return true;
    }
    return false;
}

/* Below the names: neither a time nor numbers. */
static bool is_units_row(const reading *r)
{
    int column;

    for (column = RKI_TIME; column <= RKI_PV; column++) {
        const size_t place = r->places.place[column];

        if (!r->places.found[column]) continue;
        if (place >= r->rows->count) return false;
        if (rki_cell_trim(r->rows->cell[place]).length > 0 &&
            is_value(r, r->rows->cell[place])) {
            return false;
        }
    }
    return true;
}

/* Numbers this large count from 1970, in units that their size tells: seconds are 1e9 since 2001,
   and milliseconds, microseconds and nanoseconds a thousand times that each. */
static void guess_epoch(reading *r)
{
    const size_t place = r->places.place[RKI_TIME];
    static const struct {
        double from, unit;
    } sizes[] = {{1e17, 1e-9}, {1e14, 1e-6}, {1e11, 1e-3}, {1e9, 1}};
    rki_cell cell;
    double value;
    size_t i;

    if (place >= r->rows->count) return;
    cell = rki_cell_trim(r->rows->cell[place]);
    if (!rk_number_parse_with(cell.text, cell.length, r->clock.decimal, &value)) return;
    for (i = 0; i < sizeof sizes / sizeof sizes[0]; i++) {
        if (!(value >= sizes[i].from)) continue;
        r->import.time_unit = sizes[i].unit;
        r->import.epoch = true;
        return;
    }
}

static rk_status read_head(reading *r, const rk_columns *asked)
{
    bool names;
    rk_status status = rki_rows_next(r->rows, r->diag);
    int column;

    if (status != RK_OK) return status;
    if (r->rows->ended) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s: is empty; a header row and rows of time, OUT and PV are needed",
                           r->rows->path);
    }
    r->clock.decimal = r->rows->separator == ',' ? '.' : ',';
    r->clock.unit = 1;
    names = has_names(r);
    r->cells = r->rows->count;
    status = rki_columns_find(r->rows, names, asked, &r->places, &r->import, r->diag);
    if (status == RK_OK && names) {
        status = rki_rows_next(r->rows, r->diag);
        if (status == RK_OK && !r->rows->ended && is_units_row(r)) {
            for (column = RKI_TIME; column <= RKI_PV; column++) {
                if (!r->places.found[column]) continue;
                rki_columns_unit(r->rows->cell[r->places.place[column]], (rki_column)column,
                                 &r->import);
            }
            status = rki_rows_next(r->rows, r->diag);
        }
    }
    if (asked->time_unit > 0) {
        r->import.time_unit = asked->time_unit;
    }
    if (status == RK_OK && !(r->import.time_unit > 0)) {
        guess_epoch(r);
    }
    if (!(r->import.time_unit > 0)) {
        r->import.time_unit = 1;
    }
    r->clock.unit = r->import.time_unit;
    return status;
}

static rki_cell time_cell(const reading *r)
{
    const size_t place = r->places.place[RKI_TIME];

    return place < r->rows->count ? rki_cell_trim(r->rows->cell[place]) : (rki_cell){"", 0};
}

/* Dates whose order is open are looked through once, and then read from the start. */
static rk_status settle_order(reading *r, const rk_columns *asked)
{
    rki_date_evidence evidence = {0};
    rk_status status = RK_OK;
    rki_cell cell = time_cell(r);
    char first[40];

    r->clock.order = asked->order == RK_DATE_ORDER_BY_FILE ? RKI_DATE_NOT_KNOWN
                                                           : (rki_date_order)asked->order;
    if (r->rows->ended || asked->order != RK_DATE_ORDER_BY_FILE ||
        !rki_date_look(&evidence, cell.text, cell.length)) {
        return RK_OK;
    }
    (void)snprintf(first, sizeof first, "%.*s",
                   (int)(cell.length < sizeof first ? cell.length : sizeof first - 1),
                   cell.text);
    while (status == RK_OK && !r->rows->ended) {
        cell = time_cell(r);
        (void)rki_date_look(&evidence, cell.text, cell.length);
        status = rki_rows_next(r->rows, r->diag);
    }
    if (status == RK_OK) {
        status = rki_rows_rewind(r->rows, r->diag);
    }
    if (status == RK_OK) {
        status = read_head(r, asked);
    }
    if (status != RK_OK) return status;
    r->clock.order = rki_date_settle(&evidence);
    if (r->clock.order != RKI_DATE_NOT_KNOWN) return RK_OK;
    return rk_diag_set(r->diag, RK_ERR_FORMAT,
                       "%s:%lu: dates such as '%s' could be day/month or month/day: say which "
                       "with --date-order day-first or month-first",
                       r->rows->path, r->rows->line, first);
}

static rk_status check_rows(reading *r, const rk_columns *asked)
{
    static const char *const advice[RKI_COLUMNS] = {
        "give seconds, hh:mm:ss or ISO 8601 such as 2026-03-17T09:40:00",
        "check the column and its decimal mark", "check the column and its decimal mark",
        "leave the column out with --quality none"};
    const char *path = r->rows->path;

    if (r->read == 0) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s: has a header but no rows", path);
    }
    if (2 * r->import.dropped > r->read) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s:%lu: column '%.40s': '%s' cannot be used, and %zu of %zu rows "
                           "are like it: %s",
                           path, r->bad_line, column_name(r, r->bad_column), r->bad_text,
                           r->import.dropped, r->read, advice[r->bad_column]);
    }
    if (too_many_late(r, 0) && r->import.late > 1) return runs_backwards(r);
    if (r->clock.kind != RKI_TIME_NUMBER && asked->time_unit > 0) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s: column '%s' holds dates or times of day: leave --time-unit out",
                           path, r->import.time);
    }
    if (r->import.no_out && !isnan(asked->move)) {
        r->import.move = asked->move;
        r->import.moved_at = asked->moved_at;
    }
    rk_record_set_on_rows(r->record, r->rows->on_rows);
    r->import.time_is_number = r->clock.kind == RKI_TIME_NUMBER;
    r->import.clock_changes = r->clock.clock_changes;
    return RK_OK;
}

rk_status rk_record_read(const char *path, const rk_columns *columns, rk_record **record,
                         rk_import *import, rk_diag *diag)
{
    const rk_columns nothing = {.move = nan("")};
    const rk_columns *asked = columns != NULL ? columns : &nothing;
    reading r = {.diag = diag, .asked = asked};
    rk_status status;

    rk_diag_clear(diag);
    if (path == NULL || record == NULL) return RK_ERR_ARG;
    if (!isnan(asked->move) && asked->move != 0 && !(asked->moved_at >= 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "OUT was moved by %g, but when? give --moved-at, from the first row",
                           asked->move);
    }
    status = rki_rows_open(&r.rows, path, diag);
    if (status != RK_OK) return status;
    status = rk_record_create(&r.record, diag);
    if (status == RK_OK) {
        status = read_head(&r, asked);
    }
    if (status == RK_OK) {
        status = settle_order(&r, asked);
    }
    while (status == RK_OK && !r.rows->ended) {
        status = read_row(&r);
        if (status == RK_OK) {
            status = rki_rows_next(r.rows, diag);
        }
    }
    if (status == RK_OK) {
        status = check_rows(&r, asked);
    }
    rki_rows_close(r.rows);
    if (status != RK_OK) {
        rk_record_free(r.record);
        return status;
    }
    *record = r.record;
    if (import != NULL) {
        *import = r.import;
    }
    return RK_OK;
}

void rk_import_words(const rk_import *import, rk_text *text)
{
    const rk_import *m = import;

    if (m->guessed) {
        rk_text_add(text, "columns by their names: time '%s', %s%s%sPV '%s'%s%s%s\n", m->time,
                    m->no_out ? "" : "OUT '", m->out, m->no_out ? "" : "', ", m->pv,
                    m->quality[0] != '\0' ? ", quality '" : "", m->quality,
                    m->quality[0] != '\0' ? "'" : "");
    }
    if (m->time_is_number && (m->time_unit != 1 || m->epoch)) {
        rk_text_add(text, "a number in '%s' counts %g s%s\n", m->time, m->time_unit,
                    m->epoch ? " from 1970, by its size; --time-unit says otherwise" : "");
    }
    if (m->no_out) {
        rk_text_add(text,
                    m->move != 0 ? "no OUT column: OUT moves by %g at %g s, as was said\n"
                                 : "no OUT column\n",
                    m->move, m->moved_at);
    }
    if (m->dropped > 0) {
        rk_text_add(text, "%zu row%s dropped, the first: %s\n", m->dropped,
                    m->dropped > 1 ? "s" : "", m->dropped_first);
    }
    if (m->only_out > 0) {
        rk_text_add(text, "OUT moves in %zu of them: its move is kept there\n", m->only_out);
    }
    if (m->repeated > 0) {
        rk_text_add(text, "%zu row%s had the time of another: the last one was kept\n",
                    m->repeated, m->repeated > 1 ? "s" : "");
    }
    if (m->late > 0) {
        rk_text_add(text, "%zu row%s came out of order and %s sorted\n", m->late,
                    m->late > 1 ? "s" : "", m->late > 1 ? "were" : "was");
    }
    if (m->clock_changes > 0) {
        rk_text_add(text, "the clock leaps by an hour, %d time%s: taken out\n",
                    m->clock_changes, m->clock_changes > 1 ? "s" : "");
    }
}
