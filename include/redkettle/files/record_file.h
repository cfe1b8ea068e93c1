/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_FILES_RECORD_FILE_H
#define REDKETTLE_FILES_RECORD_FILE_H

#include <redkettle/design/record.h>

/** Which columns of a CSV file hold what, by the names in its header. */
typedef struct rk_columns {
    const char *time; /* NULL or "": a column called time, in any case of letters */
    const char *out;  /* .. called out */
    const char *pv;   /* .. called pv */
} rk_columns;

/**
 * Read a record from a CSV file (RFC 4180) with a header row.
 *
 * Separator comma, semicolon or tab, whichever stands most often in the header; with semicolon
 * or tab a decimal comma is understood. Time in seconds, or ISO 8601 date and time with T or a
 * blank, fraction, Z or offset (without: UTC). Lines that start with # and empty lines are
 * passed over; a byte order mark too.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO if the file cannot be read; RK_ERR_FORMAT for an
 * empty file, a missing column, a cell that cannot be read or a time that does not rise: diag
 *         says file:line and the column.
 */
rk_status rk_record_read(const char *path, const rk_columns *columns, rk_record **record,
                         rk_diag *diag);

#endif
