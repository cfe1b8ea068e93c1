/* SPDX-License-Identifier: MIT */
#include <redkettle/files/record_file.h>

#include <errno.h>
#include <stdbool.h>
#include <stdio.h>
#include <string.h>

#include <csv.h>

#include <redkettle/files/number.h>

#include "timestamp.h"

enum { TIME, OUT, PV, WANTED };
enum { CELL_CHARS = 64, CHUNK = 65536, HEADER_CHARS = 2048 };

/* A file being read. */
typedef struct reading {
    const char *path;
    const rk_columns *columns;
    rk_record *record;
    rk_diag *diag;
    rk_status status;
    bool decimal_comma;
    unsigned long line; /* the one being parsed, from 1 */
    bool in_header;
    size_t column;        /* of the next cell, from 0 */
    size_t place[WANTED]; /* where the wanted columns stand */
    bool found[WANTED];
    bool seen[WANTED]; /* in the row being parsed */
    char cell[WANTED][CELL_CHARS];
    char header[HEADER_CHARS]; /* the names found, for a message */
    rki_clock clock;
} reading;

static const char *wanted_name(const reading *r, int what)
{
    const char *given[WANTED] = {NULL, NULL, NULL};
    static const char *const usual[WANTED] = {"time", "out", "pv"};

    if (r->columns != NULL) {
        given[TIME] = r->columns->time;
        given[OUT] = r->columns->out;
        given[PV] = r->columns->pv;
    }
    return given[what] != NULL && given[what][0] != '\0' ? given[what] : usual[what];
}

static bool same_letters(const char *a, const char *b, size_t length)
{
    size_t i;

    if (strlen(b) != length) return false;
    for (i = 0; i < length; i++) {
        const char x = (char)(a[i] >= 'A' && a[i] <= 'Z' ? a[i] - 'A' + 'a' : a[i]);
        const char y = (char)(b[i] >= 'A' && b[i] <= 'Z' ? b[i] - 'A' + 'a' : b[i]);

        if (x != y) return false;
    }
    return true;
}

static void header_cell(reading *r, const char *text, size_t length)
{
    const size_t used = strlen(r->header);
    int what;

    (void)snprintf(r->header + used, sizeof r->header - used, "%s%.*s", used > 0 ? ", " : "",
                   (int)length, text);
    for (what = 0; what < WANTED; what++) {
        if (r->found[what] || !same_letters(text, wanted_name(r, what), length)) continue;
        r->place[what] = r->column;
        r->found[what] = true;
    }
}

static void on_cell(void *text, size_t length, void *user)
{
    reading *r = user;
    int what;

    if (r->status != RK_OK) return;
    if (r->in_header) {
        header_cell(r, text != NULL ? text : "", length);
    }
    for (what = 0; what < WANTED && !r->in_header; what++) {
        if (r->place[what] != r->column) continue;
        r->seen[what] = true;
        if (text != NULL) {
            memcpy(r->cell[what], text, length < CELL_CHARS ? length : CELL_CHARS);
        }
        r->cell[what][length < CELL_CHARS ? length : CELL_CHARS - 1] = '\0';
        if (length >= CELL_CHARS) {
            /* Cut, a number would be another number: the dots make it none. */
            memcpy(r->cell[what] + CELL_CHARS - 4, "...", 4);
        }
    }
    r->column++;
}

static void end_header(reading *r)
{
    static const char *const option[WANTED] = {"--time", "--out", "--pv"};
    int what;

    r->in_header = false;
    for (what = 0; what < WANTED; what++) {
        if (r->found[what]) continue;
        r->status =
            rk_diag_set(r->diag, RK_ERR_FORMAT,
                        "%s:%lu: no column '%s'; there are: %.120s; name it with %s", r->path,
                        r->line, wanted_name(r, what), r->header, option[what]);
        return;
    }
}

static rk_status bad_cell(reading *r, int what, const char *why)
{
    return rk_diag_set(r->diag, RK_ERR_FORMAT,
                       "%s:%lu: column '%s': '%s' is not %s; mend or delete the row", r->path,
                       r->line, wanted_name(r, what), r->cell[what], why);
}

static rk_status read_number(reading *r, int what, double *value)
{
    char *cell = r->cell[what];
    char *comma = r->decimal_comma ? strchr(cell, ',') : NULL;

    if (comma != NULL) {
        *comma = '.';
    }
    if (!rk_number_parse(cell, strlen(cell), value)) {
        if (comma != NULL) {
            *comma = ',';
        }
        return bad_cell(r, what, "a number");
    }
    return RK_OK;
}

static rk_status read_time(reading *r, double *seconds)
{
    const char *cell = r->cell[TIME];

    if (rki_timestamp_parse(&r->clock, cell, seconds)) return RK_OK;
    if (r->clock.started) {
        return bad_cell(r, TIME, "an ISO 8601 date and time like the ones before");
    }
    if (read_number(r, TIME, seconds) != RK_OK) return RK_ERR_FORMAT;
    r->clock.in_seconds = true;
    return RK_OK;
}

static void end_row(reading *r)
{
    double time = 0, out = 0, pv = 0;
    const size_t rows = rk_record_rows(r->record);
    int what;

    for (what = 0; what < WANTED; what++) {
        if (r->seen[what]) continue;
        r->status = rk_diag_set(r->diag, RK_ERR_FORMAT,
                                "%s:%lu: the row ends before column '%s'; mend or delete it",
                                r->path, r->line, wanted_name(r, what));
        return;
    }
    r->status = read_time(r, &time);
    if (r->status == RK_OK) {
        r->status = read_number(r, OUT, &out);
    }
    if (r->status == RK_OK) {
        r->status = read_number(r, PV, &pv);
    }
    if (r->status != RK_OK) return;
    if (rows > 0 && !(time > rk_record_time(r->record)[rows - 1])) {
        r->status =
            rk_diag_set(r->diag, RK_ERR_FORMAT,
                        "%s:%lu: time '%s' does not come after the row before; sort the rows "
                        "and drop repeated times",
                        r->path, r->line, r->cell[TIME]);
        return;
    }
    r->status = rk_record_add(r->record, time, out, pv, r->diag);
}

static void on_row(int end, void *user)
{
    reading *r = user;

    (void)end;
    if (r->status != RK_OK) return;
    if (r->in_header) {
        end_header(r);
    } else {
        end_row(r);
    }
    r->column = 0;
    memset(r->seen, 0, sizeof r->seen);
}

/* The separator that stands most often in the first line that is no comment. */
static char find_separator(const char *text, size_t length)
{
    static const char candidates[] = {',', ';', '\t'};
    size_t at = 0, count[3] = {0, 0, 0};
    int i, best = 0;

    while (at < length && (text[at] == '#' || text[at] == '\n' || text[at] == '\r')) {
        while (at < length && text[at] != '\n') {
            at++;
        }
        if (at < length) {
            at++;
        }
    }
    for (; at < length && text[at] != '\n'; at++) {
        for (i = 0; i < 3; i++) {
            if (text[at] == candidates[i]) {
                count[i]++;
            }
        }
    }
    for (i = 1; i < 3; i++) {
        if (count[i] > count[best]) {
            best = i;
        }
    }
    return candidates[best];
}

/* Feed a chunk line by line, so that a message can name the line; '#' lines are left out. */
static bool feed(reading *r, struct csv_parser *csv, const char *chunk, size_t length,
                 bool *at_start, bool *comment)
{
    while (length > 0 && r->status == RK_OK) {
        const char *newline = memchr(chunk, '\n', length);
        const size_t part = newline != NULL ? (size_t)(newline - chunk) + 1 : length;

        if (*at_start) {
            *comment = chunk[0] == '#';
        }
        if (!*comment && csv_parse(csv, chunk, part, on_cell, on_row, r) != part) return false;
        *at_start = newline != NULL;
        if (newline != NULL) {
            r->line++;
        }
        chunk += part;
        length -= part;
    }
    return true;
}

static rk_status read_all(reading *r, FILE *file, struct csv_parser *csv)
{
    char chunk[CHUNK];
    bool at_start = true, comment = false, first = true, parsed = true;
    size_t length;

    while (parsed && r->status == RK_OK && (length = fread(chunk, 1, sizeof chunk, file)) > 0) {
        size_t skip = 0;

        if (first) {
            const char separator = find_separator(chunk, length);

            if (length >= 3 && memcmp(chunk, "\xEF\xBB\xBF", 3) == 0) {
                skip = 3;
            }
            csv_set_delim(csv, (unsigned char)separator);
            r->decimal_comma = separator != ',';
            first = false;
        }
        parsed = feed(r, csv, chunk + skip, length - skip, &at_start, &comment);
    }
    if (ferror(file)) {
        return rk_diag_set(r->diag, RK_ERR_IO, "%s: cannot read: %s", r->path, strerror(errno));
    }
    if (parsed && r->status == RK_OK) {
        parsed = csv_fini(csv, on_cell, on_row, r) == 0;
    }
    if (!parsed && r->status == RK_OK) {
        return rk_diag_set(
            r->diag, csv_error(csv) == CSV_EPARSE ? RK_ERR_FORMAT : RK_ERR_MEMORY, "%s:%lu: %s",
            r->path, r->line,
            csv_error(csv) == CSV_EPARSE ? "a quote that does not close, or text after it"
                                         : "out of memory");
    }
    if (r->status == RK_OK && r->in_header) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT,
                           "%s: is empty; a header row and rows of time, OUT "
                           "and PV are needed",
                           r->path);
    }
    if (r->status == RK_OK && rk_record_rows(r->record) == 0) {
        return rk_diag_set(r->diag, RK_ERR_FORMAT, "%s: has a header but no rows", r->path);
    }
    return r->status;
}

rk_status rk_record_read(const char *path, const rk_columns *columns, rk_record **record,
                         rk_diag *diag)
{
    reading r = {.path = path, .columns = columns, .diag = diag, .line = 1, .in_header = true};
    struct csv_parser csv;
    FILE *file;

    if (path == NULL || record == NULL) return RK_ERR_ARG;
    file = fopen(path, "rb");
    if (file == NULL) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: cannot open: %s", path, strerror(errno));
    }
    if (csv_init(&csv, CSV_STRICT | CSV_STRICT_FINI) != 0) {
        (void)fclose(file);
        return rk_diag_set(diag, RK_ERR_MEMORY, "%s: out of memory", path);
    }
    r.status = rk_record_create(&r.record, diag);
    if (r.status == RK_OK) {
        r.status = read_all(&r, file, &csv);
    }
    csv_free(&csv);
    (void)fclose(file);
    if (r.status != RK_OK) {
        rk_record_free(r.record);
        return r.status;
    }
    *record = r.record;
    return RK_OK;
}
