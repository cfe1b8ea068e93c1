/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/number.h>

#include <locale.h>
#include <math.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Powers of ten that a double holds exactly. */
static const double exact_ten[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                   1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                   1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

/* A decimal taken apart: digits times ten to the exponent. */
typedef struct decimal {
    bool negative;
    bool exact; /* all digits are in mantissa */
    uint64_t mantissa;
    int exponent;
} decimal;

static bool is_digit(char c)
{
    return c >= '0' && c <= '9';
}

/* Digits from at on; counts them and, behind the point, their places. */
static size_t read_digits(const char *text, size_t at, size_t length, bool fraction, decimal *d)
{
    const size_t start = at;

    for (; at < length && is_digit(text[at]); at++) {
        if (d->mantissa > (UINT64_MAX / 10) - 1) {
            d->exact = false;
        } else {
            d->mantissa = (d->mantissa * 10) + (uint64_t)(text[at] - '0');
            if (fraction) {
                d->exponent--;
            }
        }
    }
    return at - start;
}

static bool read_exponent(const char *text, size_t at, size_t length, decimal *d)
{
    const bool negative = at < length && text[at] == '-';
    int value = 0;

    if (at < length && (text[at] == '-' || text[at] == '+')) {
        at++;
    }
    if (at == length) return false;
    for (; at < length; at++) {
        if (!is_digit(text[at])) return false;
        if (value < 100000) {
            value = (value * 10) + (text[at] - '0');
        }
    }
    d->exponent += negative ? -value : value;
    return true;
}

/* False unless text is [+-]digits[.digits][e[+-]digits] with a digit before the exponent. */
static bool take_apart(const char *text, size_t length, char mark, decimal *d)
{
    size_t at = 0, digits;

    *d = (decimal){.exact = true};
    if (at < length && (text[at] == '-' || text[at] == '+')) {
        d->negative = text[at++] == '-';
    }
    digits = read_digits(text, at, length, false, d);
    at += digits;
    if (at < length && (text[at] == '.' || text[at] == mark)) {
        const size_t places = read_digits(text, at + 1, length, true, d);

        digits += places;
        at += 1 + places;
    }
    if (digits == 0) return false;
    if (at == length) return true;
    if (text[at] != 'e' && text[at] != 'E') return false;
    return read_exponent(text, at + 1, length, d);
}

/* The C library rounds what the quick way cannot; it wants the locale's decimal mark. */
static bool convert_slowly(const char *text, size_t length, char mark, double *value)
{
    char copy[512];
    char *point;

    if (length >= sizeof copy) return false;
    memcpy(copy, text, length);
    copy[length] = '\0';
    point = strchr(copy, '.');
    if (point == NULL) {
        point = strchr(copy, mark);
    }
    if (point != NULL) {
        *point = localeconv()->decimal_point[0];
    }
    *value = strtod(copy, NULL);
    return isfinite(*value);
}

static void trim(const char **text, size_t *length)
{
    while (*length > 0 && (**text == ' ' || **text == '\t')) {
        ++*text;
        --*length;
    }
    while (*length > 0 && ((*text)[*length - 1] == ' ' || (*text)[*length - 1] == '\t')) {
        --*length;
    }
}

bool rk_number_parse(const char *text, size_t length, double *value)
{
    return rk_number_parse_with(text, length, '.', value);
}

bool rk_number_parse_with(const char *text, size_t length, char mark, double *value)
{
    decimal d;
    double made;

    trim(&text, &length);
    if (!take_apart(text, length, mark, &d)) return false;
    /* Both exact in a double, so that one operation gives the correctly rounded value. */
    if (!d.exact || d.mantissa > (UINT64_C(1) << 53) || d.exponent < -22 || d.exponent > 22) {
        return convert_slowly(text, length, mark, value);
    }
    made = (double)d.mantissa;
    made = d.exponent < 0 ? made / exact_ten[-d.exponent] : made * exact_ten[d.exponent];
    *value = d.negative ? -made : made;
    return true;
}

/* The unit that ends with the text's end comes first: "ms" before "s". */
static const struct {
    const char *unit;
    double seconds;
} time_units[] = {{"ms", 1e-3}, {"min", 60.0}, {"s", 1.0}, {"h", 3600.0}};

enum { TIME_UNITS = sizeof time_units / sizeof time_units[0] };

bool rk_time_parse(const char *text, size_t length, double *seconds)
{
    size_t i;

    trim(&text, &length);
    for (i = 0; i < TIME_UNITS; i++) {
        const double unit = time_units[i].seconds;
        const size_t width = strlen(time_units[i].unit);

        if (length > width && memcmp(text + length - width, time_units[i].unit, width) == 0) {
            if (!rk_number_parse(text, length - width, seconds)) return false;
            /* 200 / 1000 is correctly rounded, 200 * 0.001 is not. */
            *seconds = unit < 1 ? *seconds / 1000.0 : *seconds * unit;
            return isfinite(*seconds);
        }
    }
    return rk_number_parse(text, length, seconds);
}

const char *rk_time_flaw(const char *text, char flaw[RK_FLAW_CHARS])
{
    const size_t digits = strspn(text, "+-.0123456789");
    const char *unit = text + digits + strspn(text + digits, " ");
    const size_t letters = strcspn(unit, ",; 0123456789");

    if (digits > 0 && *unit == ',') {
        (void)snprintf(flaw, RK_FLAW_CHARS,
                       "is not a time; use a decimal point: seconds, or 200ms, 2s, 5min, 1h");
    } else if (digits > 0 && letters > 0 && unit[letters] == '\0' && letters < 16) {
        (void)snprintf(
            flaw, RK_FLAW_CHARS,
            "is not a time: the unit '%s' is none of ms, s, min, h; a bare number is "
            "seconds",
            unit);
    } else {
        (void)snprintf(flaw, RK_FLAW_CHARS,
                       "is not a time; give seconds, or 200ms, 2s, 5min, 1h");
    }
    return flaw;
}

size_t rk_numbers_parse(const char *text, char separator, bool times, double *values,
                        size_t most)
{
    size_t count = 0;

    for (;; text++) {
        const char *end = strchr(text, separator);
        const size_t width = end != NULL ? (size_t)(end - text) : strlen(text);

        if (count == most ||
            !(times ? rk_time_parse : rk_number_parse)(text, width, &values[count])) {
            return 0;
        }
        count++;
        if (end == NULL) return count;
        text = end;
    }
}

bool rk_time_unit_parse(const char *text, double *seconds)
{
    size_t i;

    for (i = 0; i < TIME_UNITS; i++) {
        if (strcmp(text, time_units[i].unit) == 0) {
            *seconds = time_units[i].seconds;
            return true;
        }
    }
    return false;
}
