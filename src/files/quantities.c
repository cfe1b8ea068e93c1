/* SPDX-License-Identifier: MIT */
/*
 * Sums of products of powers, read from left to right by one function a rank. The first flaw is kept
 * and ends the reading; a number that is not finite is a flaw where it came from.
 */
#include "quantities.h"

#include <ctype.h>
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/number.h>
#include <redkettle/design/base/text.h>

/* Brackets and signs within each other. */
enum { DEPTH_MOST = 64 };

typedef struct reader {
    rki_quantities *q;
    const char *text, *at, *end;
    int line, column, depth;
    rki_flaw *flaw;
    bool failed;
} reader;

static double sum_of(reader *r);

static double fail_at(reader *r, const char *place, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

static double fail_at(reader *r, const char *place, const char *format, ...)
{
    va_list args;

    if (r->failed) return 0.0;
    r->failed = true;
    r->flaw->line = r->line;
    r->flaw->column = r->column + (int)(place - r->text);
    va_start(args, format);
    (void)vsnprintf(r->flaw->words, sizeof r->flaw->words, format, args);
    va_end(args);
    return 0.0;
}

static void skip_blanks(reader *r)
{
    while (r->at < r->end && isspace((unsigned char)*r->at)) {
        r->at++;
    }
}

static bool is_next(reader *r, char c)
{
    skip_blanks(r);
    return r->at < r->end && *r->at == c;
}

/* "+-", or its sign in UTF-8, which begins a tolerance and no sum. */
static bool is_tolerance(const reader *r)
{
    return r->end - r->at >= 2 &&
           (memcmp(r->at, "+-", 2) == 0 || memcmp(r->at, "\xC2\xB1", 2) == 0);
}

static bool take(reader *r, char c)
{
    if (!is_next(r, c) || is_tolerance(r)) return false;
    r->at++;
    return true;
}

static bool begins_name(char c)
{
    return isalpha((unsigned char)c) || c == '_';
}

static size_t name_length(const char *at, const char *end)
{
    size_t length = 0;

    while (at + length < end && (isalnum((unsigned char)at[length]) || at[length] == '_')) {
        length++;
    }
    return length;
}

/* Digits, a point and an exponent, and a time unit behind them. */
static double number_of(reader *r)
{
    const char *from = r->at;
    double value = 0;

    while (r->at < r->end && (isdigit((unsigned char)*r->at) || *r->at == '.')) {
        r->at++;
    }
    if (r->end - r->at > 1 && (*r->at == 'e' || *r->at == 'E') &&
        (isdigit((unsigned char)r->at[1]) ||
         (r->end - r->at > 2 && strchr("+-", r->at[1]) != NULL &&
          isdigit((unsigned char)r->at[2])))) {
        r->at += 2;
        while (r->at < r->end && isdigit((unsigned char)*r->at)) {
            r->at++;
        }
    }
    r->at += name_length(r->at, r->end);
    if (rk_time_parse(from, (size_t)(r->at - from), &value)) return value;
    return fail_at(r, from, "'%.*s' is not a number, nor a time in ms, s, min or h",
                   (int)(r->at - from), from);
}

static const struct {
    const char *name;
    double (*function)(double x);
    bool takes_0, takes_negative;
} functions[] = {
    {"sqrt", sqrt, true, false}, {"exp", exp, true, true}, {"log", log, false, false}};

enum { FUNCTIONS = sizeof functions / sizeof functions[0] };

static int find_function(const char *name, size_t length)
{
    int i;

    for (i = 0; i < FUNCTIONS; i++) {
        if (strlen(functions[i].name) == length && memcmp(functions[i].name, name, length) == 0)
            return i;
    }
    return -1;
}

static double in_brackets(reader *r)
{
    double value;

    if (!take(r, '(')) return fail_at(r, r->at, "a '(' is missing here");
    value = sum_of(r);
    if (!take(r, ')')) return fail_at(r, r->at, "a ')' is missing here");
    return value;
}

static double function_of(reader *r, int which, const char *from)
{
    const double x = in_brackets(r);

    if (r->failed) return 0.0;
    if ((x == 0 && !functions[which].takes_0) || (x < 0 && !functions[which].takes_negative)) {
        return fail_at(r, from, "%s of %g does not exist", functions[which].name, x);
    }
    return functions[which].function(x);
}

static bool settle_one(rki_quantities *q, rki_quantity *one, rki_flaw *flaw);

static double unknown_name(reader *r, const char *from, size_t length)
{
    const char *known[RKI_QUANTITIES_MAX + FUNCTIONS + 1] = {NULL};
    char what[RKI_QUANTITY_CHARS + 16], name[RKI_QUANTITY_CHARS];
    rk_diag diag = {RK_OK, ""};
    size_t count = 0, i;

    for (i = 0; i < r->q->count; i++) {
        known[count++] = r->q->list[i].name;
    }
    for (i = 0; i < FUNCTIONS; i++) {
        known[count++] = functions[i].name;
    }
    (void)snprintf(name, sizeof name, "%.*s", (int)length, from);
    (void)snprintf(what, sizeof what, "name '%s'", name);
    (void)rk_word_unknown(known, what, name, &diag);
    return fail_at(r, from, "%s", diag.text);
}

static double name_value(reader *r)
{
    const char *from = r->at;
    const size_t length = name_length(r->at, r->end);
    const int which = find_function(from, length);
    size_t i;

    r->at += length;
    if (which >= 0) return function_of(r, which, from);
    for (i = 0; i < r->q->count; i++) {
        rki_quantity *one = &r->q->list[i];

        if (strlen(one->name) != length || memcmp(one->name, from, length) != 0) continue;
        if (one->asked) {
            return fail_at(r, from,
                           "'%s' is made of itself: give one of the names in the "
                           "circle a number",
                           one->name);
        }
        if (!one->known && !settle_one(r->q, one, r->flaw)) {
            r->failed = true;
            return 0.0;
        }
        return one->value + (i == r->q->moved ? r->q->by * one->tolerance : 0.0);
    }
    return unknown_name(r, from, length);
}

static double primary(reader *r)
{
    skip_blanks(r);
    if (r->at == r->end) return fail_at(r, r->at, "a number or a name is missing here");
    if (isdigit((unsigned char)*r->at) || *r->at == '.') return number_of(r);
    if (begins_name(*r->at)) return name_value(r);
    if (*r->at == '(') return in_brackets(r);
    return fail_at(r, r->at, "'%.1s' is no number, name or '('", r->at);
}

static double sign_of(reader *r);

static double power_of(reader *r)
{
    const double base = primary(r);
    const char *place = r->at;
    double value;

    if (r->failed || !take(r, '^')) return base;
    value = pow(base, sign_of(r));
    return isfinite(value) ? value : fail_at(r, place, "this power does not exist");
}

static double sign_of(reader *r)
{
    double value;

    if (++r->depth > DEPTH_MOST) {
        return fail_at(r, r->at, "more than %d brackets or signs within each other",
                       DEPTH_MOST);
    }
    if (take(r, '-')) {
        value = -sign_of(r);
    } else {
        value = take(r, '+') ? sign_of(r) : power_of(r);
    }
    r->depth--;
    return value;
}

static double product_of(reader *r)
{
    double value = sign_of(r);

    while (!r->failed) {
        const char *place;

        if (take(r, '*')) {
            value *= sign_of(r);
            continue;
        }
        if (!take(r, '/')) break;
        place = r->at - 1;
        {
            const double below = sign_of(r);

            if (below == 0 && !r->failed) return fail_at(r, place, "division by zero");
            value /= below;
        }
    }
    return value;
}

static double sum_of(reader *r)
{
    double value = product_of(r);

    while (!r->failed) {
        if (take(r, '+')) {
            value += product_of(r);
        } else if (take(r, '-')) {
            value -= product_of(r);
        } else {
            break;
        }
    }
    return value;
}

static reader reader_of(rki_quantities *q, const char *text, size_t length, int line,
                        int column, rki_flaw *flaw)
{
    return (reader){.q = q,
                    .text = text,
                    .at = text,
                    .end = text + length,
                    .line = line,
                    .column = column,
                    .flaw = flaw};
}

/* Nothing may stand behind. */
static bool ends(reader *r, const double *value)
{
    skip_blanks(r);
    if (!r->failed && is_tolerance(r)) {
        (void)fail_at(r, r->at, "a tolerance belongs into [let]");
    }
    if (!r->failed && r->at < r->end) {
        (void)fail_at(r, r->at, "'%.*s' has no meaning here", (int)(r->end - r->at), r->at);
    }
    if (!r->failed && !isfinite(*value)) {
        (void)fail_at(r, r->text, "this is beyond all numbers");
    }
    return !r->failed;
}

bool rki_expression_value(rki_quantities *q, const char *text, size_t length, int line,
                          int column, double *value, rki_flaw *flaw)
{
    reader r = reader_of(q, text, length, line, column, flaw);
    const double made = sum_of(&r);

    if (!ends(&r, &made)) return false;
    *value = made;
    return true;
}

/* "+- 5%" or "+- 20" behind a value. */
static double tolerance_of(reader *r, double value)
{
    const char *place;
    double size;
    bool percent;

    skip_blanks(r);
    if (r->failed || !is_tolerance(r)) return 0.0;
    place = r->at;
    r->at += 2;
    size = sum_of(r);
    percent = take(r, '%');
    size *= percent ? 0.01 * fabs(value) : 1.0;
    if (r->failed) return 0.0;
    if (!(size > 0)) return fail_at(r, place, "a tolerance of %g: give one above 0", size);
    if (!(size < fabs(value))) {
        return fail_at(r, place,
                       "a tolerance of 100 %% or more leaves nothing known of it: give less");
    }
    return size;
}

static bool settle_one(rki_quantities *q, rki_quantity *one, rki_flaw *flaw)
{
    reader r = reader_of(q, one->text, strlen(one->text), one->line, one->column, flaw);
    double value, tolerance;

    one->asked = true;
    value = sum_of(&r);
    tolerance = tolerance_of(&r, value);
    one->asked = false;
    if (!ends(&r, &value)) return false;
    one->value = value;
    one->tolerance = tolerance;
    one->known = true;
    return true;
}

bool rki_quantities_settle(rki_quantities *q, rki_flaw *flaw)
{
    size_t i;

    for (i = 0; i < q->count; i++) {
        q->list[i].known = false;
    }
    for (i = 0; i < q->count; i++) {
        if (!q->list[i].known && !settle_one(q, &q->list[i], flaw)) return false;
    }
    return true;
}

bool rki_quantity_add(rki_quantities *q, const char *name, const char *text, int line,
                      int column, rki_flaw *flaw)
{
    const size_t length = strlen(name);
    rki_quantity *made = &q->list[q->count];
    size_t i;

    *flaw = (rki_flaw){.line = line, .column = 1};
    if (!begins_name(name[0]) || name_length(name, name + length) != length ||
        length >= RKI_QUANTITY_CHARS || find_function(name, length) >= 0) {
        (void)snprintf(flaw->words, sizeof flaw->words,
                       "'%.60s' cannot name a quantity: give up to %d letters, digits and _, a "
                       "letter first, and no function's name",
                       name, RKI_QUANTITY_CHARS - 1);
        return false;
    }
    for (i = 0; i < q->count; i++) {
        if (strcmp(q->list[i].name, name) != 0) continue;
        (void)snprintf(flaw->words, sizeof flaw->words,
                       "'%s' is given twice, in line %d before; delete one", name,
                       q->list[i].line);
        return false;
    }
    if (q->count == RKI_QUANTITIES_MAX || strlen(text) >= RKI_EXPRESSION_CHARS) {
        (void)snprintf(flaw->words, sizeof flaw->words,
                       "'%s' is too much: at most %d quantities of %d characters", name,
                       RKI_QUANTITIES_MAX, RKI_EXPRESSION_CHARS - 1);
        return false;
    }
    memset(made, 0, sizeof *made);
    strcpy(made->name, name);
    strcpy(made->text, text);
    made->line = line;
    made->column = column;
    q->count++;
    return true;
}
