/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_FILES_RECORD_FILE_H
#define REDKETTLE_FILES_RECORD_FILE_H

#include <stdbool.h>

#include <redkettle/design/base/text.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/record/record.h>

#ifdef __cplusplus
extern "C" {
#endif

enum { RK_COLUMN_CHARS = RK_NAME_CHARS, RK_STAMP_CHARS = 40 };

/**
 * Which columns of a CSV file hold what: a name in the header, or a number from 1. NULL or "":
 * guessed from the usual names as words of their own or tag suffixes (FV210.OUT): time,
 * timestamp, millis; out, op, co, mv; pv; quality, status.
 */
typedef struct rk_columns {
    const char *time, *out, *pv;
    const char *quality; /* rows that it calls bad are dropped; "none": there is no such one */
    double time_unit;    /* s that a number in the time column counts; 0: as its header says */
    rk_date_order order; /* of dates such as 03/04/2026 */
    /* A record without OUT, which was moved by hand: from out_start, by `move` at moved_at, s from
       the first row. Read where move is neither 0 nor NaN. */
    double moved_at, move, out_start;
    bool curve; /* time and PV are enough: without an OUT column OUT is 0 */
} rk_columns;

/** What was found in a file, and what was done about it. */
typedef struct rk_import {
    char time[RK_COLUMN_CHARS], out[RK_COLUMN_CHARS], pv[RK_COLUMN_CHARS];
    char quality[RK_COLUMN_CHARS];                            /* "": none */
    bool guessed;                                             /* a column was, from its name */
    char pv_units[RK_UNITS_CHARS], out_units[RK_UNITS_CHARS]; /* "": the file does not say */
    char first_stamp[RK_STAMP_CHARS],
        last_stamp[RK_STAMP_CHARS]; /* times of the first and the last row
                                                                  that was read, as they stand there */
    double time_unit;               /* s; 1 where the file does not say */
    bool time_is_number;            /* no dates, no time of day */
    bool epoch;  /* numbers that count from 1970; time_unit was taken from their size */
    bool no_out; /* there is no OUT column */
    double moved_at, move; /* .. and OUT is what was said of it */

    size_t dropped;          /* rows with a bad cell, or that the quality column calls bad */
    char dropped_first[120]; /* the first of them, and why */
    size_t only_out;         /* of them, whose PV is bad while OUT moves: OUT is kept */
    size_t repeated;         /* rows with the time of another: the last one stays */
    size_t late;             /* rows that came out of order and were sorted in */
    int clock_changes;       /* leaps of local time by an hour that were taken out */
} rk_import;

/** What the engineer should know of how a file was read, a line each; nothing: nothing. */
void rk_import_words(const rk_import *import, rk_text *text);

/**
 * Read a record from a CSV file (RFC 4180).
 *
 * "-" is the standard input. Separator comma, semicolon, tab or blanks; with all but the comma a
 * decimal comma is understood, whatever the locale. The first row names the columns, or there are
 * no names at all; a row of units may follow. Time is a number, hh:mm:ss, or a date and a time of
 * day in the usual ways to write them; which of two numbers is the day is taken from the file, or
 * asked for where that does not tell. Large numbers count seconds, milliseconds, .. from 1970. A
 * record across midnight or a clock change does not break. Lines that start with # and empty lines are passed over.
 *
 * A row with a cell that is no number is dropped and counted; OUT that moves in it is kept; one with the time of another
 * replaces it; a few rows out of order are sorted. `import` tells; it may be NULL.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO if the file cannot be read; RK_ERR_FORMAT for an
 * empty file, a column or an order of dates that cannot be told, more bad rows than good ones, a time that runs
 *         backwards: diag says file:line and the column.
 */
rk_status rk_record_read(const char *path, const rk_columns *columns, rk_record **record,
                         rk_import *import, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
