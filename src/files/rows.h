/* SPDX-License-Identifier: MIT */
#ifndef RKI_FILES_ROWS_H
#define RKI_FILES_ROWS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

#include <csv.h>

#include <redkettle/design/base/diag.h>

/** A cell's characters; no NUL ends them. */
typedef struct rki_cell {
    const char *text;
    size_t length;
} rki_cell;

/** What a comment says of a record whose writer moved OUT himself, each move on a row. */
#define RKI_ON_ROWS "OUT moves on the rows"

enum { RKI_CELLS_MAX = 1024, RKI_LINE_MAX = 65536 };

/** The rows of a CSV file, one after the other. Cells are valid until the next row. */
typedef struct rki_rows {
    const char *path;
    FILE *file;
    struct csv_parser csv;
    char separator;
    unsigned long line; /* where the row that was read last ends, from 1 */
    bool ended;
    size_t count;
    rki_cell cell[RKI_CELLS_MAX];

    char buffer[RKI_LINE_MAX]; /* of the file; the lines still to come stand at next..end */
    size_t next, end;
    bool at_end;
    char unquoted[RKI_LINE_MAX]; /* the cells of a row with quotes */
    size_t used;
    bool row_done, too_long;
    bool on_rows; /* a comment says RKI_ON_ROWS */
} rki_rows;

/**
 * Open a file, "-" for the standard input, which is kept in a temporary file: comma, semicolon,
 * tab or blanks, whichever its first row shows; RFC 4180 quotes. A byte order mark, empty lines and lines that start with # are passed over.
 *
 * Errors  RK_ERR_IO; RK_ERR_FORMAT for a file that is no text; RK_ERR_MEMORY.
 */
rk_status rki_rows_open(rki_rows **rows, const char *path, rk_diag *diag);

/** The next row, or rows->ended. Errors  RK_ERR_IO, RK_ERR_FORMAT; diag says file:line. */
rk_status rki_rows_next(rki_rows *rows, rk_diag *diag);

/** From the first row again. Errors  RK_ERR_IO. */
rk_status rki_rows_rewind(rki_rows *rows, rk_diag *diag);

/** NULL is fine. */
void rki_rows_close(rki_rows *rows);

/** The cell without the blanks around it. */
rki_cell rki_cell_trim(rki_cell cell);

#endif
