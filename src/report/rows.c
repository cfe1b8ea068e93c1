/* SPDX-License-Identifier: MIT */
#include "rows.h"

#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

/* Texts of rows stay where they are: they are kept in blocks that do not move. */
typedef struct block {
    struct block *next;
    size_t used, room;
    char chars[];
} block;

enum { BLOCK_CHARS = 4000, ROWS_FIRST = 64, WORDS_MOST = 2400 };

struct rk_report {
    rk_report_style style;
    rk_row *rows;
    size_t count, room;
    block *words; /* the block that is being filled; full ones behind it */
    bool failed;
};

rk_report *rk_report_create(rk_report_style style)
{
    rk_report *r = rk_memory_create(1, sizeof *r);

    if (r == NULL) return NULL;
    r->style = style;
    return r;
}

void rk_report_free(rk_report *report)
{
    if (report == NULL) return;
    while (report->words != NULL) {
        block *next = report->words->next;

        rk_memory_free(report->words);
        report->words = next;
    }
    rk_memory_free(report->rows);
    rk_memory_free(report);
}

const rk_row *rk_report_row(const rk_report *report, size_t place)
{
    return report != NULL && place < report->count ? &report->rows[place] : NULL;
}

rk_report_style rki_style(const rk_report *r)
{
    const rk_report_style plain = {false, false, false};

    return r != NULL ? r->style : plain;
}

rk_status rki_report_check(const rk_report *r, rk_diag *diag)
{
    if (r != NULL && !r->failed) return RK_OK;
    return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the report");
}

/* A copy that lasts as long as the report; NULL of NULL. */
static const char *keep(rk_report *r, const char *words)
{
    const size_t wanted = words != NULL ? strlen(words) + 1 : 0;
    char *kept;

    if (words == NULL || r->failed) return NULL;
    if (wanted == 1) return "";
    if (r->words == NULL || r->words->room - r->words->used < wanted) {
        const size_t room = wanted > BLOCK_CHARS ? wanted : BLOCK_CHARS;
        block *made = rk_memory_create(1, sizeof *made + room);

        if (made == NULL) {
            r->failed = true;
            return NULL;
        }
        made->room = room;
        made->next = r->words;
        r->words = made;
    }
    kept = r->words->chars + r->words->used;
    memcpy(kept, words, wanted);
    r->words->used += wanted;
    return kept;
}

/* The row after the last; NULL: no room. */
static rk_row *add(rk_report *r, rk_row_kind kind, const char *key, const char *name)
{
    rk_row *row;

    if (r == NULL || r->failed) return NULL;
    if (r->count == r->room) {
        const size_t room = r->room > 0 ? 2 * r->room : ROWS_FIRST;
        rk_row *rows = rk_memory_resize(r->rows, room, sizeof *rows);

        if (rows == NULL) {
            r->failed = true;
            return NULL;
        }
        r->rows = rows;
        r->room = room;
    }
    row = &r->rows[r->count++];
    memset(row, 0, sizeof *row);
    row->kind = kind;
    row->key = keep(r, key);
    row->name = keep(r, name);
    row->value = nan("");
    row->unit = "";
    row->places = -1;
    return row;
}

static rk_row *last(rk_report *r)
{
    return r != NULL && !r->failed && r->count > 0 ? &r->rows[r->count - 1] : NULL;
}

void rki_row_group(rk_report *r, const char *key, const char *name, rk_row_layout layout)
{
    rk_row *row = add(r, RK_ROW_GROUP, key, name);

    if (row != NULL) {
        row->layout = layout;
    }
}

void rki_row_list(rk_report *r, const char *key)
{
    (void)add(r, RK_ROW_LIST, key, NULL);
}

void rki_row_end(rk_report *r)
{
    (void)add(r, RK_ROW_END, NULL, NULL);
}

void rki_row_amount(rk_report *r, const char *key, const char *name, double value,
                    const char *unit, int per_time, int digits)
{
    rk_row *row = add(r, RK_ROW_NUMBER, key, name);

    if (row == NULL) return;
    row->value = value;
    row->unit = keep(r, unit);
    row->per_time = per_time;
    row->digits = digits;
}

void rki_row_number(rk_report *r, const char *key, const char *name, double value,
                    const char *unit, int digits)
{
    rki_row_amount(r, key, name, value, unit, 0, digits);
}

void rki_row_time(rk_report *r, const char *key, const char *name, double seconds)
{
    rki_row_amount(r, key, name, seconds, "", 1, 4);
}

void rki_row_value(rk_report *r, const char *key, double value)
{
    rki_row_amount(r, key, NULL, value, "", 0, 4);
}

void rki_row_pair(rk_report *r, const char *key, const double pair[2])
{
    rki_row_list(r, key);
    rki_row_value(r, NULL, pair[0]);
    rki_row_value(r, NULL, pair[1]);
    rki_row_end(r);
}

void rki_row_count(rk_report *r, const char *key, const char *name, size_t count)
{
    rk_row *row = add(r, RK_ROW_COUNT, key, name);

    if (row != NULL) {
        row->value = (double)count;
    }
}

void rki_row_yes_no(rk_report *r, const char *key, const char *name, bool yes)
{
    rk_row *row = add(r, RK_ROW_YES_NO, key, name);

    if (row != NULL) {
        row->value = yes ? 1 : 0;
    }
}

void rki_row_word(rk_report *r, const char *key, const char *name, const char *words)
{
    rk_row *row = add(r, RK_ROW_WORD, key, name);

    if (row != NULL) {
        row->words = keep(r, words);
    }
}

/* What printf makes of `format` and the arguments behind it, as `words`, cut at the end of the
 * room. */
#define MAKE_WORDS                                                                             \
    va_list args;                                                                              \
    char words[WORDS_MOST];                                                                    \
                                                                                               \
    va_start(args, format);                                                                    \
    (void)vsnprintf(words, sizeof words, format, args);                                        \
    va_end(args)

void rki_row_words(rk_report *r, const char *key, const char *name, const char *format, ...)
{
    MAKE_WORDS;
    rki_row_word(r, key, name, words);
}

void rki_row_more(rk_report *r, const char *format, ...)
{
    MAKE_WORDS;
    if (last(r) != NULL) {
        last(r)->words = keep(r, words);
    }
}

void rki_row_known_to(rk_report *r, double uncertainty)
{
    rk_row *row = last(r);

    if (row == NULL) return;
    if (r->style.minutes) {
        uncertainty /= pow(60.0, row->per_time);
    }
    if (!(uncertainty > 0) || isinf(uncertainty)) return;
    /* Two digits of the uncertainty are shown; beyond nine places it says nothing. */
    row->places = (int)fmax(0, 1 - floor(log10(uncertainty)));
    if (row->places > 9) {
        row->places = -1;
    }
}

void rki_unit(const rk_row *row, bool minutes, char unit[RKI_UNIT_CHARS])
{
    const char *time = minutes ? "min" : "s";

    if (row->per_time == 0) {
        (void)snprintf(unit, RKI_UNIT_CHARS, "%s", row->unit);
    } else if (row->per_time < 0) {
        (void)snprintf(unit, RKI_UNIT_CHARS, "%s/%s", row->unit[0] != '\0' ? row->unit : "1",
                       time);
    } else {
        (void)snprintf(unit, RKI_UNIT_CHARS, "%s%s%s%s", row->unit,
                       row->unit[0] != '\0' ? " " : "", time, row->per_time == 2 ? "^2" : "");
    }
}

static void add_prose(rk_report *r, rk_row_layout layout, const char *words)
{
    rk_row *row = add(r, RK_ROW_PROSE, NULL, NULL);

    if (row == NULL) return;
    row->layout = layout;
    row->words = keep(r, words);
}

void rki_row_verdict(rk_report *r, bool good, const char *word, const char *format, ...)
{
    rk_row *row = add(r, RK_ROW_VERDICT, NULL, NULL);
    MAKE_WORDS;

    if (row != NULL) {
        row->value = good ? 1 : 0;
        row->name = keep(r, word);
        row->words = keep(r, words);
    }
}

void rki_row_say(rk_report *r, const char *format, ...)
{
    MAKE_WORDS;
    add_prose(r, RK_LAYOUT_PLAIN, words);
}

void rki_row_note(rk_report *r, const char *format, ...)
{
    MAKE_WORDS;
    add_prose(r, RK_LAYOUT_INDENTED, words);
}

void rki_row_print(rk_report *r, const char *words)
{
    add_prose(r, RK_LAYOUT_VERBATIM, words);
}

void rki_row_gap(rk_report *r)
{
    rki_row_print(r, "");
}

const char *rki_show(char shown[RKI_SHOWN_CHARS], double value, int digits)
{
    if (isnan(value)) {
        (void)snprintf(shown, RKI_SHOWN_CHARS, "-");
    } else if (isinf(value)) {
        (void)snprintf(shown, RKI_SHOWN_CHARS, "none");
    } else {
        (void)snprintf(shown, RKI_SHOWN_CHARS, "%.*g", digits, value + 0.0); /* no -0 */
    }
    return shown;
}

const char *rki_show_time(const rk_report *r, char shown[RKI_SHOWN_CHARS], double seconds)
{
    const bool minutes = rki_style(r).minutes;

    (void)rki_show(shown, minutes ? seconds / 60.0 : seconds, 4);
    if (isfinite(seconds)) {
        (void)strcat(shown, minutes ? " min" : " s");
    }
    return shown;
}
