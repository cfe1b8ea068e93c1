/* SPDX-License-Identifier: MIT */
#include "columns.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/number.h>

/* What a column is called, as a word of its own in the header or a tag's suffix. A status word
   beside another makes it a quality column: AT210.PV.quality. */
static const char *const usual[RKI_COLUMNS][20] = {
    {"time", "timestamp", "datetime", "date", "t", "millis", "milliseconds", "msec", "ms",
     "seconds", "secs", "sec", "minutes", "hours", "epoch", "elapsed", "unixtime", NULL},
    {"out", "op", "co", "mv", "output", NULL},
    {"pv", NULL},
    {"quality", "status", NULL},
};

static const char *column_word(rki_column column)
{
    static const char *const words[RKI_COLUMNS] = {"time", "OUT", "PV", "quality"};

    return words[column];
}

static char lower(char c)
{
    return (char)(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
}

static bool same(rki_cell cell, const char *word)
{
    size_t i;

    for (i = 0; i < cell.length; i++) {
        if (word[i] == '\0' || lower(cell.text[i]) != lower(word[i])) return false;
    }
    return word[cell.length] == '\0';
}

static bool is_word_char(char c)
{
    return (c >= '0' && c <= '9') || (lower(c) >= 'a' && lower(c) <= 'z') || c == '%' ||
           (unsigned char)c >= 0x80;
}

/* The next word of a header at *at. */
static bool next_word(rki_cell header, size_t *at, rki_cell *word)
{
    size_t end;

    while (*at < header.length && !is_word_char(header.text[*at])) {
        ++*at;
    }
    end = *at;
    while (end < header.length && is_word_char(header.text[end])) {
        end++;
    }
    *word = (rki_cell){header.text + *at, end - *at};
    *at = end;
    return word->length > 0;
}

/* Does the header have one of the column's words? *behind is where the last of them ends. */
static bool has_word(rki_cell header, rki_column column, size_t *behind)
{
    size_t at = 0;
    bool found = false;
    rki_cell word;
    int i;

    while (next_word(header, &at, &word)) {
        for (i = 0; usual[column][i] != NULL; i++) {
            if (same(word, usual[column][i])) {
                found = true;
                *behind = at;
            }
        }
    }
    return found;
}

static const char *asked_name(const rk_columns *asked, rki_column column)
{
    const char *const names[RKI_COLUMNS] = {asked->time, asked->out, asked->pv, asked->quality};

    return names[column] != NULL && names[column][0] != '\0' ? names[column] : NULL;
}

/* The names in the header, or the cells of a first row without; a message needs them. */
static void list_columns(const rki_rows *rows, char *list, size_t room)
{
    size_t used = 0, i;

    list[0] = '\0';
    for (i = 0; i < rows->count; i++) {
        const rki_cell cell = rki_cell_trim(rows->cell[i]);
        const int wide = cell.length > 32 ? 32 : (int)cell.length;

        if (used + (size_t)wide + 16 > room) {
            (void)snprintf(list + used, room - used, ", ...");
            return;
        }
        used += (size_t)snprintf(list + used, room - used, "%s%zu '%.*s'", i > 0 ? ", " : "",
                                 i + 1, wide, cell.text);
    }
}

/* "no column 'level'; there are: 1 'time', 2 'out'; name it with --pv" */
static rk_status tell(const rki_rows *rows, rki_column column, rk_diag *diag,
                      const char *advice, const char *problem, const char *name)
{
    static const char *const option[RKI_COLUMNS] = {"--time", "--out", "--pv", "--quality"};
    char list[130], said[80];

    (void)snprintf(said, sizeof said, problem, name);
    list_columns(rows, list, sizeof list);
    return rk_diag_set(diag, RK_ERR_FORMAT, "%s:%lu: %s; there are: %s; %s with %s", rows->path,
                       rows->line, said, list, advice, option[column]);
}

/* A name as it stands there, else in any case of letters, else a number. */
static rk_status find_asked(const rki_rows *rows, bool names, const char *name,
                            rki_column column, rki_places *places, rk_diag *diag)
{
    size_t count = 0, exact = 0, i;
    double number;

    for (i = 0; i < rows->count && names; i++) {
        const rki_cell cell = rki_cell_trim(rows->cell[i]);
        const bool letter =
            cell.length == strlen(name) && memcmp(cell.text, name, cell.length) == 0;

        if (!letter && (exact > 0 || !same(cell, name))) continue;
        if (count == 0 || (letter && exact == 0)) {
            places->place[column] = i;
        }
        count++;
        exact += letter;
    }
    if (exact > 1 || (exact == 0 && count > 1)) {
        return tell(rows, column, diag, "give its number", "more than one column '%.40s'",
                    name);
    }
    places->found[column] = true;
    if (count > 0) return RK_OK;
    if (rk_number_parse(name, strlen(name), &number) && number >= 1 &&
        number <= (double)rows->count && number == (double)(size_t)number) {
        places->place[column] = (size_t)number - 1;
        return RK_OK;
    }
    return tell(rows, column, diag, "name it", "no column '%.40s'", name);
}

/* One column whose whole name is a usual word, else one that has such a word. */
static void guess(const rki_rows *rows, rki_column column, rki_places *places, size_t *count)
{
    size_t whole = 0, behind, i;
    int w;

    *count = 0;
    for (i = 0; i < rows->count; i++) {
        const rki_cell cell = rki_cell_trim(rows->cell[i]);
        bool is_whole = false;

        if (column != RKI_QUALITY && has_word(cell, RKI_QUALITY, &behind)) continue;
        if (!has_word(cell, column, &behind)) continue;
        for (w = 0; usual[column][w] != NULL; w++) {
            is_whole = is_whole || same(cell, usual[column][w]);
        }
        if (*count == 0 || (is_whole && whole == 0)) {
            places->place[column] = i;
        }
        ++*count;
        whole += is_whole;
    }
    if (whole == 1) {
        *count = 1;
    }
    places->found[column] = *count == 1;
}

/* A unit as the tool shows it: pct is %, L_per_min is L/min, kPa_abs is kPa abs. */
static void take_unit(rki_cell unit, char *to)
{
    static const char per[] = "_per_";
    size_t used = 0, i;

    unit = rki_cell_trim(unit);
    if (same(unit, "pct") || same(unit, "percent")) {
        unit = (rki_cell){"%", 1};
    }
    if (unit.length == 0 || unit.length >= RK_UNITS_CHARS) return;
    for (i = 0; i < unit.length; i++) {
        if (unit.length - i >= sizeof per - 1 &&
            memcmp(unit.text + i, per, sizeof per - 1) == 0) {
            to[used++] = '/';
            i += sizeof per - 2;
        } else {
            to[used++] = (char)(unit.text[i] == '_' ? ' ' : unit.text[i]);
        }
    }
    to[used] = '\0';
}

static void take_time_unit(rki_cell cell, rk_import *import)
{
    static const struct {
        const char *words[6];
        double seconds;
    } units[] = {
        {{"s", "sec", "secs", "second", "seconds", NULL}, 1},
        {{"ms", "msec", "millis", "millisecond", "milliseconds", NULL}, 1e-3},
        {{"min", "mins", "minute", "minutes", NULL}, 60},
        {{"h", "hr", "hrs", "hour", "hours", NULL}, 3600},
        {{"d", "day", "days", NULL}, 86400},
    };
    size_t i, w;

    for (i = 0; i < sizeof units / sizeof units[0]; i++) {
        for (w = 0; units[i].words[w] != NULL; w++) {
            if (same(cell, units[i].words[w])) {
                import->time_unit = units[i].seconds;
            }
        }
    }
}

void rki_columns_unit(rki_cell cell, rki_column column, rk_import *import)
{
    cell = rki_cell_trim(cell);
    while (cell.length > 0 && strchr("[(_/, ", cell.text[0]) != NULL) {
        cell.text++;
        cell.length--;
    }
    while (cell.length > 0 && strchr(")] ", cell.text[cell.length - 1]) != NULL) {
        cell.length--;
    }
    if (column == RKI_TIME) {
        take_time_unit(cell, import);
    }
    if (column == RKI_OUT) {
        take_unit(cell, import->out_units);
    }
    if (column == RKI_PV) {
        take_unit(cell, import->pv_units);
    }
}

/* The unit in a header: between brackets, or behind the column's word: AT210.PV_degBx. */
static void unit_of_header(rki_cell header, rki_column column, rk_import *import)
{
    static const char brackets[] = "[(";
    size_t behind = 0, i;

    for (i = 0; i < 2; i++) {
        const char *open = memchr(header.text, brackets[i], header.length);

        if (open == NULL) continue;
        rki_columns_unit((rki_cell){open, header.length - (size_t)(open - header.text)}, column,
                         import);
        return;
    }
    if (column == RKI_TIME) { /* "millis", "elapsed_minutes" */
        rki_cell word;
        size_t at = 0;

        while (next_word(header, &at, &word)) {
            take_time_unit(word, import);
        }
    }
    if (!has_word(header, column, &behind) || behind == header.length) return;
    if (header.text[behind] != '_' && header.text[behind] != ' ') return;
    rki_columns_unit((rki_cell){header.text + behind, header.length - behind}, column, import);
}

double rki_columns_time_unit(const char *name)
{
    rk_import import = {.time_unit = 1};

    unit_of_header((rki_cell){name, strlen(name)}, RKI_TIME, &import);
    return import.time_unit;
}

static void report(const rki_rows *rows, bool names, rki_column column,
                   const rki_places *places, rk_import *import)
{
    char *const to[RKI_COLUMNS] = {import->time, import->out, import->pv, import->quality};
    const rki_cell cell = rki_cell_trim(rows->cell[places->place[column]]);

    if (names) {
        (void)snprintf(to[column], RK_COLUMN_CHARS, "%.*s",
                       (int)(cell.length < RK_COLUMN_CHARS ? cell.length : RK_COLUMN_CHARS - 1),
                       cell.text);
        unit_of_header(cell, column, import);
    } else {
        (void)snprintf(to[column], RK_COLUMN_CHARS, "%zu", places->place[column] + 1);
    }
}

/* Is it told how OUT was moved, by hand? Then no column is looked for. */
static bool out_is_told(const rk_columns *asked)
{
    return !isnan(asked->move) && asked->move != 0;
}

rk_status rki_columns_find(const rki_rows *rows, bool names, const rk_columns *asked,
                           rki_places *places, rk_import *import, rk_diag *diag)
{
    int column;

    *places = (rki_places){{false}, {0}};
    for (column = 0; column < RKI_COLUMNS; column++) {
        const char *name = asked_name(asked, (rki_column)column);
        const char *what = column_word((rki_column)column);
        size_t count = 0;

        if (column == RKI_QUALITY && name != NULL && strcmp(name, "none") == 0) continue;
        if (column == RKI_OUT && out_is_told(asked)) {
            if (name != NULL) {
                return rk_diag_set(
                    diag, RK_ERR_FORMAT,
                    "%s: OUT is column '%.40s', or was moved as --move says: give "
                    "one",
                    rows->path, name);
            }
            import->no_out = true;
            continue;
        }
        if (name != NULL) {
            const rk_status status =
                find_asked(rows, names, name, (rki_column)column, places, diag);

            if (status != RK_OK) return status;
        } else if (names) {
            guess(rows, (rki_column)column, places, &count);
            if (places->found[column] &&
                !same(rki_cell_trim(rows->cell[places->place[column]]), usual[column][0])) {
                import->guessed = true;
            }
        }
        if (!places->found[column] && column == RKI_OUT && count == 0 && asked->curve) {
            import->no_out = true;
            continue;
        }
        if (!places->found[column] && column != RKI_QUALITY) {
            if (!names) {
                return tell(rows, (rki_column)column, diag, "give its number",
                            "the first row has no names; which column is %s?", what);
            }
            return tell(rows, (rki_column)column, diag,
                        column == RKI_OUT && count == 0
                            ? "tell how it was moved with --moved-at and --move, or name it"
                            : "name it",
                        count > 1 ? "more than one column could be %s"
                                  : "no column looks like %s",
                        what);
        }
        if (places->found[column]) {
            report(rows, names, (rki_column)column, places, import);
        }
    }
    return RK_OK;
}
