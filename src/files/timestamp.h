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
    RKI_TIME_DATE,   /* a date and a time of day */
} rki_time_kind;

/** Which of two numbers is the day in a date such as 03/04/2026. */
typedef enum rki_date_order {
    RKI_DATE_NOT_KNOWN = 0, /* either is read, the day first where both could be */
    RKI_DATE_DAY_FIRST,
    RKI_DATE_MONTH_FIRST,
} rki_date_order;

/** The time column's state. Make it zero, but for unit and decimal. */
typedef struct rki_clock {
    rki_time_kind kind;
    double unit;  /* s a number counts */
    char decimal; /* the mark that may stand for the point */
    rki_date_order order;
    long day0;         /* of the first stamp: times count from its midnight, to keep digits */
    double last, pace; /* the time read last, and the last distance between two, s */
    double days;       /* s that midnights have added to times of day */
    double shift;      /* s that clock changes have added */
    int clock_changes; /* how many */
    bool ticking;      /* last holds */
} rki_clock;

/**
 * A time cell in seconds: a number in the clock's unit; hh:mm:ss[.fff] with or without AM or PM,
 * where a fall by more than half a day is a midnight; or a date and a time of day: ISO 8601 with
 * T or a blank, fraction, Z or offset, in the extended or the basic format, 2026/03/17,
 * 17.03.2026, 17-Mar-2026, and 17/03/2026 or 03/17/2026 by the clock's order. Stamps without an offset are local: a leap by an
 * hour at the full hour is a clock change and taken out. False for anything else, or a time of
 * another kind than the first.
 */
bool rki_clock_read(rki_clock *clock, const char *text, size_t length, double *seconds);

/** What the dates of a file say about their order. Make it zero. */
typedef struct rki_date_evidence {
    bool seen, day_first, month_first; /* a number above 12 stood in the one place, the other */
    bool differ;                       /* not all dates are the same */
    bool back[2];                      /* by the day first, by the month first: time ran back */
    long leap[2];                      /* the largest step between neighbours, days */
    long last[2];
} rki_date_evidence;

/** A date whose order is open, such as 03/04/2026; false: it is none, and tells nothing. */
bool rki_date_look(rki_date_evidence *evidence, const char *text, size_t length);

/** The order, or RKI_DATE_NOT_KNOWN: the dates do not tell. */
rki_date_order rki_date_settle(const rki_date_evidence *evidence);

#endif
