/* SPDX-License-Identifier: MIT */
#include "rows.h"

#include <errno.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

/* More of the file behind what is left of it. */
static rk_status refill(rki_rows *r, rk_diag *diag)
{
    size_t got;

    memmove(r->buffer, r->buffer + r->next, r->end - r->next);
    r->end -= r->next;
    r->next = 0;
    got = fread(r->buffer + r->end, 1, sizeof r->buffer - r->end, r->file);
    r->end += got;
    if (ferror(r->file)) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: cannot read: %s", r->path, strerror(errno));
    }
    r->at_end = r->end < sizeof r->buffer;
    return RK_OK;
}

/* The next line, its newline included; length 0 at the end. */
static rk_status next_line(rki_rows *r, rki_cell *line, rk_diag *diag)
{
    for (;;) {
        const char *from = r->buffer + r->next;
        const char *newline = memchr(from, '\n', r->end - r->next);
        rk_status status;

        if (newline != NULL || r->at_end) {
            line->text = from;
            line->length = newline != NULL ? (size_t)(newline - from) + 1 : r->end - r->next;
            r->next += line->length;
            r->line += line->length > 0;
            return RK_OK;
        }
        if (r->next == 0 && r->end == sizeof r->buffer) {
            return rk_diag_set(diag, RK_ERR_FORMAT,
                               "%s:%lu: the line is longer than %d characters; is this a CSV "
                               "file?",
                               r->path, r->line + 1, RKI_LINE_MAX);
        }
        status = refill(r, diag);
        if (status != RK_OK) return status;
    }
}

static bool starts_with(rki_cell line, const char *word)
{
    const size_t width = strlen(word);

    return line.length >= width && memcmp(line.text, word, width) == 0;
}

/* A comment, but not the mark of a spreadsheet for a value that is missing. */
static bool is_comment(rki_cell line)
{
    return starts_with(line, "#") && !starts_with(line, "#N/A");
}

static rki_cell without_end(rki_cell line)
{
    while (line.length > 0 &&
           (line.text[line.length - 1] == '\n' || line.text[line.length - 1] == '\r')) {
        line.length--;
    }
    return line;
}

static void take_comment(rki_rows *r, rki_cell line)
{
    const rki_cell whole = without_end(line);
    const rki_cell said = rki_cell_trim((rki_cell){whole.text + 1, whole.length - 1});

    r->on_rows = r->on_rows || (said.length == strlen(RKI_ON_ROWS) &&
                                memcmp(said.text, RKI_ON_ROWS, said.length) == 0);
}

/* Tab before semicolon before comma: a decimal comma may stand beside the first two; blanks
   where there is none of them. */
static char find_separator(rki_cell line)
{
    size_t tabs = 0, semicolons = 0, commas = 0, blanks = 0, i;
    bool quoted = false;

    for (i = 0; i < line.length; i++) {
        const char c = line.text[i];

        quoted ^= c == '"';
        tabs += !quoted && c == '\t';
        semicolons += !quoted && c == ';';
        commas += !quoted && c == ',';
        blanks += !quoted && c == ' ' && i > 0 && line.text[i - 1] != ' ';
    }
    if (tabs >= 2 || (tabs == 1 && commas == 0)) return '\t';
    if (semicolons >= 2 || (semicolons == 1 && commas == 0)) return ';';
    return commas == 0 && blanks >= 1 ? ' ' : ',';
}

static void add_cell(rki_rows *r, const char *text, size_t length)
{
    if (r->count == RKI_CELLS_MAX) {
        r->too_long = true;
        return;
    }
    r->cell[r->count++] = (rki_cell){text, length};
}

static void split(rki_rows *r, rki_cell line)
{
    const rki_cell whole = without_end(line);
    const char *at = whole.text, *end = whole.text + whole.length;

    while (r->separator == ' ' && end > at && end[-1] == ' ') {
        end--;
    }
    for (;;) {
        while (r->separator == ' ' && at < end && *at == ' ') {
            at++; /* several are one */
        }
        const char *stop = memchr(at, r->separator, (size_t)(end - at));

        add_cell(r, at, (size_t)((stop != NULL ? stop : end) - at));
        if (stop == NULL) return;
        at = stop + 1;
    }
}

/* libcsv's callbacks. Its cells live in a buffer of its own that the next one overwrites. */
static void on_cell(void *text, size_t length, void *user)
{
    rki_rows *r = user;
    char *copy = r->unquoted + r->used;

    if (length > sizeof r->unquoted - r->used) {
        r->too_long = true;
        return;
    }
    if (length > 0) {
        memcpy(copy, text, length);
    }
    r->used += length;
    add_cell(r, copy, length);
}

static void on_row(int end, void *user)
{
    (void)end;
    ((rki_rows *)user)->row_done = true;
}

/* A row with quotes, which may go on over several lines. */
static rk_status parse_quoted(rki_rows *r, rki_cell line, rk_diag *diag)
{
    rk_status status = RK_OK;
    bool parsed = true;

    r->row_done = false;
    r->used = 0;
    csv_set_delim(&r->csv, (unsigned char)r->separator);
    while (parsed && !r->row_done && line.length > 0) {
        parsed = csv_parse(&r->csv, line.text, line.length, on_cell, on_row, r) == line.length;
        if (r->row_done || !parsed) break;
        status = next_line(r, &line, diag);
        if (status != RK_OK) return status;
    }
    if (parsed && !r->row_done) {
        parsed = csv_fini(&r->csv, on_cell, on_row, r) == 0;
    }
    if (parsed) return RK_OK;
    return rk_diag_set(diag, csv_error(&r->csv) == CSV_EPARSE ? RK_ERR_FORMAT : RK_ERR_MEMORY,
                       "%s:%lu: %s", r->path, r->line,
                       csv_error(&r->csv) == CSV_EPARSE
                           ? "a quote that does not close, or text behind it; correct the line"
                           : "out of memory");
}

static bool is_empty(const rki_rows *r)
{
    size_t i;

    for (i = 0; i < r->count; i++) {
        if (rki_cell_trim(r->cell[i]).length > 0) return false;
    }
    return true;
}

rk_status rki_rows_next(rki_rows *r, rk_diag *diag)
{
    rki_cell line = {"", 0};
    rk_status status;

    do {
        status = next_line(r, &line, diag);
        if (status != RK_OK) return status;
        r->ended = line.length == 0;
        r->count = 0;
        if (r->ended) return RK_OK;
        if (is_comment(line)) {
            take_comment(r, line);
            continue;
        }
        if (r->separator == '\0') {
            r->separator = find_separator(line);
        }
        if (memchr(line.text, '"', line.length) == NULL) {
            split(r, line);
        } else {
            status = parse_quoted(r, line, diag);
        }
        if (status == RK_OK && r->too_long) {
            status = rk_diag_set(diag, RK_ERR_FORMAT,
                                 "%s:%lu: a row of more than %d cells or %d characters",
                                 r->path, r->line, RKI_CELLS_MAX, RKI_LINE_MAX);
        }
        if (status != RK_OK) return status;
    } while (is_empty(r));
    return RK_OK;
}

static bool has_control_characters(rki_cell text)
{
    size_t i;

    for (i = 0; i < text.length; i++) {
        const char c = text.text[i];

        if (c >= 0 && c < ' ' && c != '\n' && c != '\r' && c != '\t' && c != '\f') return true;
    }
    return false;
}

/* What a first look at the file shows. */
static rk_status check_text(rki_rows *r, rk_diag *diag)
{
    static const char mark[] = "\xEF\xBB\xBF";
    const rki_cell all = {r->buffer, r->end};

    if (starts_with(all, "\xFF\xFE") || starts_with(all, "\xFE\xFF")) {
        return rk_diag_set(diag, RK_ERR_FORMAT,
                           "%s: is UTF-16 text; save or export it as CSV in UTF-8", r->path);
    }
    if (has_control_characters(all)) {
        return rk_diag_set(diag, RK_ERR_FORMAT, "%s: is no text file; export the record as CSV",
                           r->path);
    }
    if (starts_with(all, mark)) {
        r->next = sizeof mark - 1;
    }
    return RK_OK;
}

/* All of the standard input, to be read as often as need be; NULL: errno says why. */
static FILE *keep_input(void)
{
    FILE *kept = tmpfile();
    char block[4096];
    size_t got;

    while (kept != NULL && (got = fread(block, 1, sizeof block, stdin)) > 0) {
        if (fwrite(block, 1, got, kept) == got) continue;
        (void)fclose(kept);
        return NULL;
    }
    if (kept != NULL) {
        rewind(kept);
    }
    return kept;
}

rk_status rki_rows_open(rki_rows **rows, const char *path, rk_diag *diag)
{
    rki_rows *made = rk_memory_create(1, sizeof *made);
    rk_status status;

    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "%s: out of memory", path);
    made->path = path;
    if (csv_init(&made->csv, CSV_STRICT | CSV_STRICT_FINI) != 0) {
        rk_memory_free(made);
        return rk_diag_set(diag, RK_ERR_MEMORY, "%s: out of memory", path);
    }
    made->file = strcmp(path, "-") == 0 ? keep_input() : fopen(path, "rb");
    if (made->file == NULL) {
        status = rk_diag_set(diag, RK_ERR_IO, "%s: cannot open: %s", path, strerror(errno));
    } else {
        status = refill(made, diag);
    }
    if (status == RK_OK) {
        status = check_text(made, diag);
    }
    if (status != RK_OK) {
        rki_rows_close(made);
        return status;
    }
    *rows = made;
    return RK_OK;
}

rk_status rki_rows_rewind(rki_rows *r, rk_diag *diag)
{
    rk_status status;

    if (fseek(r->file, 0, SEEK_SET) != 0) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: cannot be read twice: %s", r->path,
                           strerror(errno));
    }
    r->next = r->end = r->count = r->used = 0;
    r->line = 0;
    r->at_end = r->ended = false;
    status = refill(r, diag);
    return status == RK_OK ? check_text(r, diag) : status;
}

void rki_rows_close(rki_rows *rows)
{
    if (rows == NULL) return;
    csv_free(&rows->csv);
    if (rows->file != NULL) {
        (void)fclose(rows->file);
    }
    rk_memory_free(rows);
}

rki_cell rki_cell_trim(rki_cell cell)
{
    while (cell.length > 0 && (*cell.text == ' ' || *cell.text == '\t')) {
        cell.text++;
        cell.length--;
    }
    while (cell.length > 0 &&
           (cell.text[cell.length - 1] == ' ' || cell.text[cell.length - 1] == '\t')) {
        cell.length--;
    }
    return cell;
}
