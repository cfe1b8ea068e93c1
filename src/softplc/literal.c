/* SPDX-License-Identifier: MIT */
#include <locale.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "parts.h"

enum { NUMBER_CHARS = 128 };

/* The number without its underscores, with the locale's decimal mark, which the C library's
   readers want; false: longer than any number. */
static bool copy_plain(const char *from, char plain[NUMBER_CHARS])
{
    const char mark = localeconv()->decimal_point[0];
    size_t length = 0;

    for (; *from != '\0'; from++) {
        if (*from == '_') continue;
        if (length == NUMBER_CHARS - 1) return false;
        plain[length++] = (char)(*from == '.' ? mark : *from);
    }
    plain[length] = '\0';
    return true;
}

static rki_code *constant(rki_compiler *c, rki_place at, int base)
{
    return rki_code_make(c, RKI_OP_CONSTANT, at, rki_type_elementary(base), NULL, NULL);
}

static rki_code *refuse(rki_compiler *c, const rki_syntax *s, const char *why)
{
    rki_complain(c->parse, s->at, "'%.60s' %s", s->word, why);
    return NULL;
}

/* Digits of a base, with a sign; false: none, or more than 64 bits. */
static bool read_whole(const char *chars, int64_t *value)
{
    const bool negative = *chars == '-';
    unsigned long long magnitude = 0, base = 10;
    const char *mark;

    chars += *chars == '-' || *chars == '+';
    mark = strchr(chars, '#');
    if (mark != NULL) {
        base = strtoull(chars, NULL, 10);
        chars = mark + 1;
    }
    for (; *chars != '\0'; chars++) {
        const char *digits = "0123456789abcdef0123456789ABCDEF";
        const char *found = strchr(digits, *chars);
        unsigned long long digit;

        if (found == NULL) return false;
        digit = (unsigned long long)(found - digits) % 16;
        if (digit >= base || magnitude > (UINT64_MAX - digit) / base) return false;
        magnitude = (magnitude * base) + digit;
    }
    if (magnitude > (unsigned long long)INT64_MAX + (negative ? 1 : 0)) return false;
    *value = negative ? (int64_t)(0ULL - magnitude) : (int64_t)magnitude;
    return true;
}

static rki_code *whole(rki_compiler *c, const rki_syntax *s, const char *chars, int base)
{
    rki_code *made = constant(c, s->at, base);

    if (made == NULL) return NULL;
    if (!read_whole(chars, &made->value.whole)) {
        return refuse(c, s, "is no whole number of 64 bits");
    }
    return rki_type_holds(made->type, made->value.whole)
               ? made
               : refuse(c, s, "is beyond the range of its type");
}

static rki_code *real(rki_compiler *c, const rki_syntax *s, const char *chars, int base)
{
    rki_code *made = constant(c, s->at, base);

    if (made == NULL) return NULL;
    if (strchr(chars, '#') != NULL) {
        return refuse(c, s, "is a real number with a base; write it in decimal");
    }
    made->value.real = base == RK_PLC_REAL ? (double)strtof(chars, NULL) : strtod(chars, NULL);
    return isfinite(made->value.real) ? made : refuse(c, s, "is beyond the range of its type");
}

/* Adds one field of a duration: 1.5s; what follows it, or NULL. */
static const char *add_span(const char *chars, double *sum, int *last)
{
    static const struct {
        const char *unit;
        double ns;
    } units[] = {{"d", 86400e9}, {"h", 3600e9}, {"ms", 1e6}, {"us", 1e3},
                 {"ns", 1},      {"m", 60e9},   {"s", 1e9}};
    static const int order[] = {0, 1, 4, 5, 6, 2, 3}; /* large units come first */
    char *end;
    const double value = strtod(chars, &end);
    size_t i, length;

    for (i = 0; i < sizeof units / sizeof units[0]; i++) {
        length = strlen(units[i].unit);
        if ((end[0] | 0x20) != units[i].unit[0]) continue;
        if (length == 2 && (end[1] | 0x20) != units[i].unit[1]) continue;
        if (order[i] <= *last) return NULL;
        *last = order[i];
        *sum += value * units[i].ns;
        return end + length;
    }
    return NULL;
}

static rki_code *duration(rki_compiler *c, const rki_syntax *s, const char *chars)
{
    const bool negative = *chars == '-';
    rki_code *made = constant(c, s->at, RK_PLC_TIME);
    double sum = 0;
    int last = -1;

    if (made == NULL) return NULL;
    chars += *chars == '-' || *chars == '+';
    while (chars != NULL && *chars != '\0') {
        chars = add_span(chars, &sum, &last);
    }
    if (chars == NULL) {
        return refuse(c, s, "is no duration: units go from d, h, m, s, ms, us to ns");
    }
    if (!(sum < 9e18)) return refuse(c, s, "is longer than a TIME can be");
    made->value.whole = (int64_t)llround(negative ? -sum : sum);
    return made;
}

static rki_code *boolean(rki_compiler *c, const rki_syntax *s, const char *chars)
{
    const bool yes = rki_same_word(chars, "TRUE") || rki_same_word(chars, "1");
    rki_code *made = constant(c, s->at, RK_PLC_BOOL);

    if (made == NULL) return NULL;
    if (!yes && !rki_same_word(chars, "FALSE") && !rki_same_word(chars, "0")) {
        return refuse(c, s, "is neither TRUE nor FALSE");
    }
    made->value.whole = yes;
    return made;
}

/* TYPE#value. */
static rki_code *typed(rki_compiler *c, const rki_syntax *s, char *chars)
{
    char *mark = strchr(chars, '#');
    const rki_type *type;

    *mark = '\0';
    type = rki_type_by_name(rki_same_word(chars, "T") ? "TIME" : chars);
    if (type == NULL) return refuse(c, s, "names no type before its #");
    if (type->base == RK_PLC_TIME) return duration(c, s, mark + 1);
    if (type->base == RK_PLC_BOOL) return boolean(c, s, mark + 1);
    if (rki_type_is_real(type)) return real(c, s, mark + 1, type->base);
    if (strchr(s->word, '.') != NULL) return refuse(c, s, "is no whole number");
    return whole(c, s, mark + 1, type->base);
}

rki_code *rki_compile_literal(rki_compiler *c, const rki_syntax *s)
{
    char plain[NUMBER_CHARS];
    const char *mark;

    if (!copy_plain(s->word, plain)) return refuse(c, s, "is longer than any number");
    mark = strchr(plain, '#');
    if (mark != NULL && (plain[0] < '0' || plain[0] > '9')) return typed(c, s, plain);
    if (mark == NULL && strchr(s->word, '.') != NULL)
        return real(c, s, plain, RKI_LITERAL_REAL);
    if (rki_same_word(plain, "TRUE") || rki_same_word(plain, "FALSE")) {
        return boolean(c, s, plain);
    }
    return whole(c, s, plain, RKI_LITERAL_INT);
}
