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

static bool is_date(int month, int day)
{
    return month >= 1 && month <= 12 && day >= 1 && day <= 31;
}

/* One digit or two. */
static bool short_number(scan *s, int *value)
{
    const bool two = s->end - s->at >= 2 && is_digit(s->at[0]) && is_digit(s->at[1]);

    return digits(s, two ? 2 : 1, value);
}

/* The first letters of a month's English name, in any case, and what follows of it. */
static bool month_name(scan *s, int *month)
{
    static const char names[] = "janfebmaraprmayjunjulaugsepoctnovdec";
    int m, i;

    if (s->end - s->at < 3) return false;
    for (m = 0; m < 12; m++) {
        for (i = 0; i < 3 && (s->at[i] | 0x20) == names[(3 * m) + i]; i++) {
            continue;
        }
        if (i < 3) continue;
        *month = m + 1;
        s->at += 3;
        while (s->at < s->end && (*s->at | 0x20) >= 'a' && (*s->at | 0x20) <= 'z') {
            s->at++;
        }
        return true;
    }
    return false;
}

/* Two numbers and a year with the same mark between: 17/03/2026; no year of two digits. */
static bool two_and_year(scan *s, char *between, int number[2], int *year)
{
    if (!short_number(s, &number[0]) || s->at == s->end) return false;
    *between = *s->at++;
    if (strchr("./-", *between) == NULL) return false;
    return short_number(s, &number[1]) && mark(s, *between) && digits(s, 4, year) &&
           (s->at == s->end || !is_digit(*s->at));
}

/* YYYY-MM-DD, YYYY/MM/DD or YYYYMMDD. */
static bool read_year_first(scan *s, long *days)
{
    int year, month, day;
    char between = '\0';

    if (!digits(s, 4, &year)) return false;
    if (s->at < s->end && (*s->at == '-' || *s->at == '/')) {
        between = *s->at++;
    }
    if (!digits(s, 2, &month) || (between != '\0' && !mark(s, between)) ||
        !digits(s, 2, &day)) {
        return false;
    }
    *days = days_from_civil(year, month, day);
    return is_date(month, day);
}

/* 17-Mar-2026, 17 March 2026. */
static bool read_named_month(scan *s, long *days)
{
    int day, month, year;
    char between;

    if (!short_number(s, &day) || s->at == s->end) return false;
    between = *s->at++;
    if (strchr("-./ ", between) == NULL || !month_name(s, &month) || !mark(s, between) ||
        !digits(s, 4, &year)) {
        return false;
    }
    *days = days_from_civil(year, month, day);
    return is_date(month, day);
}

/* With points the day stands first everywhere. */
static bool read_by_order(scan *s, rki_date_order order, long *days)
{
    int number[2], year;
    bool day_first;
    char between;

    if (!two_and_year(s, &between, number, &year)) return false;
    day_first = between == '.' || order == RKI_DATE_DAY_FIRST ||
                (order == RKI_DATE_NOT_KNOWN && number[1] <= 12);
    *days = days_from_civil(year, number[day_first ? 1 : 0], number[day_first ? 0 : 1]);
    return is_date(number[day_first ? 1 : 0], number[day_first ? 0 : 1]);
}

static bool read_date(scan *s, rki_date_order order, long *days)
{
    const scan start = *s;

    if (read_year_first(s, days)) return true;
    *s = start;
    if (read_named_month(s, days)) return true;
    *s = start;
    return read_by_order(s, order, days);
}

bool rki_date_look(rki_date_evidence *e, const char *text, size_t length)
{
    scan s = {text, text + length};
    int number[2], year, way;
    char between;

    if (!two_and_year(&s, &between, number, &year) || between == '.') return false;
    e->day_first = e->day_first || number[0] > 12;
    e->month_first = e->month_first || number[1] > 12;
    for (way = 0; way < 2; way++) {
        const int day = number[way == 0 ? 0 : 1], month = number[way == 0 ? 1 : 0];
        const long days = days_from_civil(year, month, day);

        if (e->seen) {
            e->differ = e->differ || days != e->last[way];
            e->back[way] = e->back[way] || days < e->last[way];
            e->leap[way] =
                days - e->last[way] > e->leap[way] ? days - e->last[way] : e->leap[way];
        }
        e->last[way] = days;
    }
    e->seen = true;
    return true;
}

/* A step between neighbours that a record may have, days, and one that it hardly has. */
enum { LEAP_FINE = 3, LEAP_ODD = 25 };

rki_date_order rki_date_settle(const rki_date_evidence *e)
{
    if (e->day_first != e->month_first) {
        return e->day_first ? RKI_DATE_DAY_FIRST : RKI_DATE_MONTH_FIRST;
    }
    if (e->day_first) return RKI_DATE_NOT_KNOWN; /* they contradict one another */
    if (!e->differ) return RKI_DATE_DAY_FIRST;   /* one day: it does not matter which */
    if (e->back[0] != e->back[1]) {
        return e->back[1] ? RKI_DATE_DAY_FIRST : RKI_DATE_MONTH_FIRST;
    }
    if (e->leap[0] <= LEAP_FINE && e->leap[1] >= LEAP_ODD) return RKI_DATE_DAY_FIRST;
    if (e->leap[1] <= LEAP_FINE && e->leap[0] >= LEAP_ODD) return RKI_DATE_MONTH_FIRST;
    return RKI_DATE_NOT_KNOWN;
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

/* " AM", "pm": the hours of half a day. */
static bool read_half_day(scan *s, int hour, double *seconds)
{
    const scan start = *s;
    char half;

    (void)mark(s, ' ');
    if (s->end - s->at < 2 || (s->at[1] | 0x20) != 'm') {
        *s = start;
        return true;
    }
    half = (char)(s->at[0] | 0x20);
    if (half != 'a' && half != 'p') {
        *s = start;
        return true;
    }
    s->at += 2;
    if (hour < 1 || hour > 12) return false;
    *seconds += half == 'a' ? (hour == 12 ? -12 * HOUR : 0.0) : (hour == 12 ? 0.0 : 12 * HOUR);
    return true;
}

/* hh:mm[:ss[.fff]] or hhmm[ss[.fff]], with AM or PM behind; seconds are needed where no date
   stands before. */
static bool read_time_of_day(scan *s, bool alone, double *seconds)
{
    int hour, minute, second = 0;
    bool extended;

    if (s->end - s->at >= 2 && s->at[1] == ':') {
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
    return hour <= 24 && minute < 60 && second <= 60 && read_half_day(s, hour, seconds);
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

    if (!read_date(s, c->order, &days)) return false;
    if (!mark(s, 'T') && !mark(s, ' ')) return false;
    (void)mark(s, ' ');
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
