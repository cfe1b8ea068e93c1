/* SPDX-License-Identifier: MIT */
#ifndef RKI_FILES_TIMESTAMP_H
#define RKI_FILES_TIMESTAMP_H

#include <stdbool.h>
#include <stddef.h>

/** What the times of one file are; the first that can be read decides. */
typedef enum rki_time_kind {
    RKI_TIME_NOT_KNOWN = 0,
    RKI_TIME_NUMBER, /* in time units */
    RKI_TIME_OF_DAY, /* hh:mm:ss */
    RKI_TIME_DATE,   /* ISO 8601 */
} rki_time_kind;

/** The time column's state. Make it zero, but for unit and decimal. */
typedef struct rki_clock {
    rki_time_kind kind;
    double unit;       /* s a number counts */
    char decimal;      /* the mark that may stand for the point */
    long day0;         /* of the first stamp: times count from its midnight, to keep digits */
    double last, pace; /* the time read last, and the last distance between two, s */
    double days;       /* s that midnights have added to times of day */
    double shift;      /* s that clock changes have added */
    int clock_changes; /* how many */
    bool ticking;      /* last holds */
} rki_clock;

/**
 * A time cell in seconds: a number in the clock's unit; hh:mm:ss[.fff], where a fall by more
 * than half a day is a midnight; or an ISO 8601 date and time with T or a blank, fraction, Z or
 * offset, in the extended or the basic format. Stamps without an offset are local: a leap by an
 * hour at the full hour is a clock change and taken out. False for anything else, or a time of
 * another kind than the first.
 */
bool rki_clock_read(rki_clock *clock, const char *text, size_t length, double *seconds);

#endif
