/* SPDX-License-Identifier: MIT */
#include "timestamp.h"

#include <math.h>
#include <string.h>

#include <redkettle/design/base/number.h>

#define DAY 86400.0
#define HOUR 3600.0

/* Text being read: no NUL ends it. */
typedef struct scan {
    const char *at, *end;
} scan;

static bool is_digit(char c)
{
    return c >= '0' && c <= '9';
}

static bool digits(scan *s, int count, int *value)
{
    *value = 0;
    for (; count > 0; count--, s->at++) {
        if (s->at == s->end || !is_digit(*s->at)) return false;
        *value = (*value * 10) + (*s->at - '0');
    }
    return true;
}

static bool mark(scan *s, char wanted)
{
    if (s->at == s->end || *s->at != wanted) return false;
    s->at++;
    return true;
}

/* Days from 1970-01-01 in the Gregorian calendar, by counting the leap days up to March 1st. */
static long days_from_civil(int year, int month, int day)
{
    const long y = month <= 2 ? year - 1L : year;
    const long m = month <= 2 ? month + 9L : month - 3L; /* March is 0 */

    return (365 * y) + (y / 4) - (y / 100) + (y / 400) + (((153 * m) + 2) / 5) + day - 719469L;
}

/* YYYY-MM-DD or YYYYMMDD. */
static bool read_date(scan *s, long *days)
{
    int year, month, day;
    bool extended;

    if (!digits(s, 4, &year)) return false;
    extended = mark(s, '-');
    if (!digits(s, 2, &month) || (extended && !mark(s, '-')) || !digits(s, 2, &day)) {
        return false;
    }
    *days = days_from_civil(year, month, day);
    return month >= 1 && month <= 12 && day >= 1 && day <= 31;
}

/* Behind the whole seconds: both marks are allowed by ISO 8601. */
static bool read_fraction(scan *s, double *seconds)
{
    char fraction[32] = "0.";
    size_t width = 0;
    double value;

    if (!mark(s, '.') && !mark(s, ',')) return true;
    while (s->at < s->end && is_digit(*s->at)) {
        if (width < sizeof fraction - 3) {
            fraction[2 + width++] = *s->at;
        }
        s->at++;
    }
    if (width == 0 || !rk_number_parse(fraction, width + 2, &value)) return false;
    *seconds += value;
    return true;
}

/* hh:mm[:ss[.fff]] or hhmm[ss[.fff]]; seconds are needed where no date stands before. */
static bool read_time_of_day(scan *s, bool alone, double *seconds)
{
    int hour, minute, second = 0;
    bool extended;

    if (alone && s->end - s->at >= 2 && s->at[1] == ':') {
        if (!digits(s, 1, &hour)) return false; /* 6:12:00 */
    } else if (!digits(s, 2, &hour)) {
        return false;
    }
    extended = mark(s, ':');
    if ((alone && !extended) || !digits(s, 2, &minute)) return false;
    *seconds = (hour * HOUR) + (minute * 60.0);
    if (extended ? mark(s, ':') : s->at < s->end && is_digit(*s->at)) {
        if (!digits(s, 2, &second)) return false;
        *seconds += second;
        if (!read_fraction(s, seconds)) return false;
    } else if (alone) {
        return false;
    }
    return hour <= 24 && minute < 60 && second <= 60;
}

/* [Z|+hh:mm|+hhmm|+hh] at the end, as seconds east of UTC. */
static bool read_offset(scan *s, int *east, bool *given)
{
    const bool west = s->at < s->end && *s->at == '-';
    int hours, minutes = 0;

    *east = 0;
    *given = s->at < s->end;
    if (!*given) return true;
    if (mark(s, 'Z') || mark(s, 'z')) return s->at == s->end;
    if (!mark(s, '+') && !mark(s, '-')) return false;
    if (!digits(s, 2, &hours)) return false;
    if (s->at < s->end) {
        (void)mark(s, ':');
        if (!digits(s, 2, &minutes)) return false;
    }
    *east = (west ? -1 : 1) * ((hours * 3600) + (minutes * 60));
    return s->at == s->end && hours <= 18 && minutes < 60;
}

/* The clocks change at the full hour: the last stamp before it, and this one after, are within
   some rows of it. */
#define ROWS_NEAR 10.0

static bool is_clock_change(const rki_clock *c, double leap, double seconds)
{
    const double near = ROWS_NEAR * c->pace;
    const double turn = ceil(c->last / HOUR) * HOUR; /* the full hour that was to come */

    if (!c->ticking || !(c->pace > 0) || !(near < HOUR / 2)) return false;
    return turn - c->last <= near && seconds >= turn + leap && seconds - turn - leap <= near;
}

/* Local time to time that runs on. */
static double run_on(rki_clock *c, double seconds)
{
    const double local = seconds + c->shift;

    if (is_clock_change(c, -HOUR, local)) {
        c->shift += HOUR;
    } else if (is_clock_change(c, HOUR, local)) {
        c->shift -= HOUR;
    } else {
        return local;
    }
    c->clock_changes++;
    return seconds + c->shift;
}

static bool read_clock_time(rki_clock *c, scan *s, double *seconds)
{
    double of_day;

    if (!read_time_of_day(s, true, &of_day) || s->at != s->end) return false;
    of_day += c->days;
    if (c->ticking && of_day + c->shift < c->last - (DAY / 2)) {
        c->days += DAY;
        of_day += DAY;
    } else if (c->ticking && of_day + c->shift > c->last + (DAY / 2)) {
        of_day -= DAY; /* a late row from before midnight */
    }
    *seconds = run_on(c, of_day);
    return true;
}

static bool read_stamp(rki_clock *c, scan *s, double *seconds)
{
    bool absolute;
    double of_day;
    long days;
    int east;

    if (!read_date(s, &days)) return false;
    if (!mark(s, 'T') && !mark(s, ' ')) return false;
    if (!read_time_of_day(s, false, &of_day) || !read_offset(s, &east, &absolute)) return false;
    if (c->kind == RKI_TIME_NOT_KNOWN) {
        c->day0 = days;
    }
    *seconds = ((double)(days - c->day0) * DAY) + of_day - east;
    if (!absolute) {
        *seconds = run_on(c, *seconds);
    }
    return true;
}

static bool read_as(rki_clock *c, rki_time_kind kind, const char *text, size_t length,
                    double *seconds)
{
    scan s = {text, text + length};

    switch (kind) {
    case RKI_TIME_NUMBER:
        if (!rk_number_parse_with(text, length, c->decimal, seconds)) return false;
        /* 200 / 1000 is correctly rounded, 200 * 0.001 is not. */
        *seconds = c->unit < 1 ? *seconds / round(1.0 / c->unit) : *seconds * c->unit;
        return isfinite(*seconds);
    case RKI_TIME_OF_DAY:
        return read_clock_time(c, &s, seconds);
    case RKI_TIME_DATE:
        return read_stamp(c, &s, seconds);
    default:
        return false;
    }
}

bool rki_clock_read(rki_clock *c, const char *text, size_t length, double *seconds)
{
    const rki_time_kind first = c->kind != RKI_TIME_NOT_KNOWN ? c->kind : RKI_TIME_NUMBER;
    const rki_time_kind last = c->kind != RKI_TIME_NOT_KNOWN ? c->kind : RKI_TIME_DATE;
    rki_time_kind kind = first;

    while (kind <= last && !read_as(c, kind, text, length, seconds)) {
        kind++;
    }
    if (kind > last) return false;
    c->kind = kind;
    if (c->ticking && *seconds > c->last) {
        c->pace = *seconds - c->last;
    }
    if (!c->ticking || *seconds > c->last) {
        c->last = *seconds;
    }
    c->ticking = true;
    return true;
}
