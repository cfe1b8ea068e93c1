/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_BASE_NUMBER_H
#define REDKETTLE_DESIGN_BASE_NUMBER_H

#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * Read a whole text as one finite decimal number with a point, blanks around it allowed,
 * independent of the locale. False for anything else: empty, "nan", "0x10", "1.2.3", "12 %".
 */
bool rk_number_parse(const char *text, size_t length, double *value);

/** The same where another mark, such as a comma, may stand for the point. */
bool rk_number_parse_with(const char *text, size_t length, char mark, double *value);

/**
 * The same with an optional time unit behind it: "200ms", "2s", "5min", "1h"; a bare number is
 * seconds. The value is in seconds.
 */
bool rk_time_parse(const char *text, size_t length, double *seconds);

enum { RK_FLAW_CHARS = 120 };

/** Why a text is no time, and how one is written: "is not a time: the unit 'm' is none of ms, s,
 * min, h". */
const char *rk_time_flaw(const char *text, char flaw[RK_FLAW_CHARS]);

/** Numbers, or times, with a separator between: "5,-10,5". Returns how many, 0 if one is none
 * or there are more than `most`. */
size_t rk_numbers_parse(const char *text, char separator, bool times, double *values,
                        size_t most);

/** Read a time unit alone, "ms", "s", "min" or "h", as its seconds. */
bool rk_time_unit_parse(const char *text, double *seconds);

#ifdef __cplusplus
}
#endif

#endif
