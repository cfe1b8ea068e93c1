/* SPDX-License-Identifier: MIT */
#ifndef RKI_FILES_TIMESTAMP_H
#define RKI_FILES_TIMESTAMP_H

#include <stdbool.h>

/** What the time stamps of one file have in common. */
typedef struct rki_clock {
    bool started;    /* a stamp was read; day0 holds */
    bool in_seconds; /* the file counts seconds: no stamps */
    long day0; /* of the first stamp: times count from its midnight, to keep their digits */
} rki_clock;

/**
 * An ISO 8601 date and time, YYYY-MM-DDThh:mm:ss[.fff][Z|+hh:mm], a blank for T allowed, as
 * seconds from the midnight (UTC) of the first one read. False if the text is none.
 */
bool rki_timestamp_parse(rki_clock *clock, const char *text, double *seconds);

#endif
