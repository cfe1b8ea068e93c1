/* SPDX-License-Identifier: MIT */
#include "timestamp.h"

#include <string.h>

#include <redkettle/files/number.h>

/* Exactly `count` digits at *at; moves on behind them. */
static bool digits(const char **at, int count, int *value)
{
    *value = 0;
    for (; count > 0; count--, ++*at) {
        if (**at < '0' || **at > '9') return false;
        *value = (*value * 10) + (**at - '0');
    }
    return true;
}

static bool mark(const char **at, char wanted)
{
    if (**at != wanted) return false;
    ++*at;
    return true;
}

/* Days from 1970-01-01 in the Gregorian calendar, by counting the leap days up to March 1st. */
static long days_from_civil(int year, int month, int day)
{
    const long y = month <= 2 ? year - 1L : year;
    const long m = month <= 2 ? month + 9L : month - 3L; /* March is 0 */

    return (365 * y) + (y / 4) - (y / 100) + (y / 400) + (((153 * m) + 2) / 5) + day - 719469L;
}

/* [Z|+hh:mm|+hhmm|+hh] at the end, as seconds east of UTC. */
static bool read_offset(const char *at, int *east)
{
    const int sign = *at == '-' ? -1 : 1;
    int hours, minutes = 0;

    *east = 0;
    if (*at == '\0') return true;
    if (strcmp(at, "Z") == 0 || strcmp(at, "z") == 0) return true;
    if (*at != '+' && *at != '-') return false;
    at++;
    if (!digits(&at, 2, &hours)) return false;
    if (*at != '\0') {
        (void)mark(&at, ':');
        if (!digits(&at, 2, &minutes)) return false;
    }
    *east = sign * ((hours * 3600) + (minutes * 60));
    return *at == '\0' && hours <= 18 && minutes < 60;
}

bool rki_timestamp_parse(rki_clock *clock, const char *text, double *seconds)
{
    int year, month, day, hour, minute, whole, east;
    const char *at = text;
    double second;
    size_t width;
    long days;

    if (clock->in_seconds) return false;
    if (!digits(&at, 4, &year) || !mark(&at, '-') || !digits(&at, 2, &month) ||
        !mark(&at, '-') || !digits(&at, 2, &day)) {
        return false;
    }
    if (!mark(&at, 'T') && !mark(&at, ' ')) return false;
    if (!digits(&at, 2, &hour) || !mark(&at, ':') || !digits(&at, 2, &minute) ||
        !mark(&at, ':')) {
        return false;
    }
    width = strspn(at, "0123456789.,");
    if (width < 2 || !rk_number_parse(at, 2, &second)) return false;
    whole = (int)second;
    if (width > 2) { /* ISO 8601 allows both marks before the fraction */
        char fraction[32] = "0.";

        if ((at[2] != '.' && at[2] != ',') || width - 3 > sizeof fraction - 3) return false;
        memcpy(fraction + 2, at + 3, width - 3);
        if (!rk_number_parse(fraction, width - 1, &second)) return false;
        second += whole;
    }
    if (!read_offset(at + width, &east)) return false;
    if (month < 1 || month > 12 || day < 1 || day > 31) return false;
    if (hour > 24 || minute > 59 || whole > 60) return false;

    days = days_from_civil(year, month, day);
    if (!clock->started) {
        clock->started = true;
        clock->day0 = days;
    }
    *seconds = ((double)(days - clock->day0) * 86400.0) + (hour * 3600.0) + (minute * 60.0) +
               second - east;
    return true;
}
