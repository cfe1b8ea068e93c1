/* SPDX-License-Identifier: MIT */
/*
 * A report as people read it. The rows are walked once. Prose and headings are written as they
 * come; values and the rows or columns of a table are gathered until something else follows,
 * since their widths depend on all of them.
 *
 * A number is three pieces: what stands before its decimal point, the rest, and its unit. In a
 * column the first are set to the right and the others to the left, so that the points stand
 * below each other. A unit that a whole row or column shares moves into its heading.
 */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "rows.h"

/* A line of prose is at most this wide. A table of more is split. */
enum { LINE_WIDTH = 98, HANG = 4, CELL_CHARS = 160, ITEMS_MOST = 128, NAMES_MOST = 32 };

typedef struct cell {
    char head[CELL_CHARS]; /* of a number: up to its point; of words: all of them */
    char tail[24];
    char unit[RKI_UNIT_CHARS];
    bool number;
} cell;

/* What is gathered: rows from `from` up to `end`, shown as lines or as a table. */
typedef struct painter {
    const rk_report *r;
    rk_text *text;
    bool minutes, gathering;
    rk_row_layout layout; /* PLAIN: lines; ROW or COLUMN: a table */
    size_t from, items;
} painter;

/* Letters on the screen: the bytes of UTF-8 that do not continue one. */
static size_t width_of(const char *text)
{
    size_t width = 0;

    for (; *text != '\0'; text++) {
        width += ((unsigned char)*text & 0xC0) != 0x80;
    }
    return width;
}

static size_t larger(size_t a, size_t b)
{
    return a > b ? a : b;
}

static void pad(rk_text *text, size_t count)
{
    rk_text_add(text, "%*s", (int)count, "");
}

/* The place behind the end of the group that begins here. */
static size_t behind(const rk_report *r, size_t place)
{
    const rk_row *row;
    size_t depth = 0;

    for (; (row = rk_report_row(r, place)) != NULL; place++) {
        depth += row->kind == RK_ROW_GROUP || row->kind == RK_ROW_LIST;
        depth -= row->kind == RK_ROW_END;
        if (depth == 0) return place + 1;
    }
    return place;
}

static bool is_value(const rk_row *row)
{
    return row->kind >= RK_ROW_NUMBER && row->kind <= RK_ROW_WORD;
}

/* The next value that people see, from *place on and before `end`; NULL: none is left. */
static const rk_row *next_value(const rk_report *r, size_t *place, size_t end)
{
    const rk_row *row;

    while (*place < end && (row = rk_report_row(r, *place)) != NULL) {
        if (row->kind == RK_ROW_GROUP && row->layout == RK_LAYOUT_HIDDEN) {
            *place = behind(r, *place);
            continue;
        }
        ++*place;
        if (is_value(row) && row->name != NULL) return row;
    }
    return NULL;
}

/* The next group of a table's layout; its place, or `end` if none is left. */
static size_t next_item(const painter *p, size_t place, size_t end)
{
    for (; place < end; place++) {
        const rk_row *row = rk_report_row(p->r, place);

        if (row->kind == RK_ROW_GROUP && row->layout == p->layout) return place;
        if (row->kind == RK_ROW_GROUP && row->layout == RK_LAYOUT_HIDDEN) {
            place = behind(p->r, place) - 1;
        }
    }
    return end;
}

static void format_value(const painter *p, const rk_row *row, char shown[RKI_SHOWN_CHARS])
{
    const double value = p->minutes ? row->value / pow(60.0, row->per_time) : row->value;

    if (row->kind == RK_ROW_COUNT) {
        (void)snprintf(shown, RKI_SHOWN_CHARS, "%.0f", value);
    } else if (row->places >= 0 && fabs(value) < 1e7) {
        (void)snprintf(shown, RKI_SHOWN_CHARS, "%.*f", row->places, value);
    } else {
        (void)rki_show(shown, value, row->digits);
    }
}

static cell cell_of(const painter *p, const rk_row *row, bool with_unit)
{
    cell made = {"", "", "", false};
    char shown[RKI_SHOWN_CHARS];

    if (row->kind == RK_ROW_WORD) {
        (void)snprintf(made.head, sizeof made.head, "%s",
                       row->words != NULL ? row->words : "-");
    } else if (row->kind == RK_ROW_YES_NO) {
        (void)snprintf(made.head, sizeof made.head, "%s", row->value != 0 ? "yes" : "no");
    } else {
        size_t width;

        format_value(p, row, shown);
        width = strcspn(shown, ".e");
        (void)snprintf(made.head, sizeof made.head, "%.*s", (int)width, shown);
        (void)snprintf(made.tail, sizeof made.tail, "%.23s", shown + width);
        if (with_unit && isfinite(row->value)) {
            rki_unit(row, p->minutes, made.unit);
        }
        made.number = true;
    }
    return made;
}

/* ---- prose ---- */

/* Broken into lines at blanks, from a column on; lines after the first are set in. */
static void write_prose(rk_text *text, const char *words, size_t column, size_t indent,
                        size_t hang)
{
    bool first = true;

    while (*words != '\0') {
        const size_t length = strcspn(words, " ");

        if (!first && column + 1 + length > LINE_WIDTH) {
            rk_text_add(text, "\n");
            column = 0;
            indent = hang;
            first = true;
        }
        if (column == 0) {
            pad(text, indent);
            column = indent;
        } else if (!first) {
            rk_text_add(text, " ");
            column++;
        }
        rk_text_add_bytes(text, words, length);
        column += length;
        words += length + strspn(words + length, " ");
        first = false;
    }
    rk_text_add(text, "\n");
}

static void write_verdict(const painter *p, const rk_row *row)
{
    const bool colour = rki_style(p->r).colour;

    if (colour) {
        rk_text_add(p->text, "\033[%dm%s\033[0m", row->value != 0 ? 32 : 31, row->name);
    } else {
        rk_text_add(p->text, "%s", row->name);
    }
    write_prose(p->text, row->words, width_of(row->name), 0, HANG);
}

/* ---- lines: name, number, unit, words ---- */

typedef struct widths {
    size_t name, head, tail, unit;
} widths;

static void write_line(const painter *p, const rk_row *row, const widths *w)
{
    const cell c = cell_of(p, row, true);
    const size_t start = 2 + w->name + 2;
    const size_t column = start + w->head + w->tail + 1 + w->unit + 2;

    rk_text_add(p->text, "  %s", row->name);
    if (c.head[0] == '\0') {
        rk_text_add(p->text, "\n");
        return;
    }
    pad(p->text, w->name - width_of(row->name) + 2);
    if (!c.number) {
        write_prose(p->text, c.head, start, start, start);
        return;
    }
    pad(p->text, w->head - width_of(c.head));
    rk_text_add(p->text, "%s%s", c.head, c.tail);
    if (c.unit[0] != '\0' || row->words != NULL) {
        pad(p->text, w->tail - width_of(c.tail) + (c.unit[0] != '\0' ? 1 : 0));
        rk_text_add(p->text, "%s", c.unit);
    }
    if (row->words == NULL) {
        rk_text_add(p->text, "\n");
        return;
    }
    pad(p->text, w->unit - width_of(c.unit) + (c.unit[0] != '\0' ? 2 : 3));
    write_prose(p->text, row->words, column, column, column);
}

static void write_lines(const painter *p, size_t end)
{
    widths w = {0, 0, 0, 0};
    const rk_row *row;
    size_t place = p->from;

    while ((row = next_value(p->r, &place, end)) != NULL) {
        const cell c = cell_of(p, row, true);

        w.name = larger(w.name, width_of(row->name));
        if (!c.number) continue;
        w.head = larger(w.head, width_of(c.head));
        w.tail = larger(w.tail, width_of(c.tail));
        w.unit = larger(w.unit, width_of(c.unit));
    }
    for (place = p->from; (row = next_value(p->r, &place, end)) != NULL;) {
        write_line(p, row, &w);
    }
}

/* ---- tables ---- */

typedef struct table {
    const painter *p;
    size_t item[ITEMS_MOST], items;
    const char *name[NAMES_MOST];
    size_t names;
    char unit[NAMES_MOST][RKI_UNIT_CHARS]; /* that all values of this name share; "": none */
    bool titled;                           /* the items have headings */
} table;

/* The value of this name in an item; NULL: it has none. */
static const rk_row *value_in(const table *t, size_t item, size_t name)
{
    size_t place = t->item[item] + 1;
    const size_t end = behind(t->p->r, t->item[item]);
    const rk_row *row;

    while ((row = next_value(t->p->r, &place, end)) != NULL) {
        if (strcmp(row->name, t->name[name]) == 0) return row;
    }
    return NULL;
}

static void find_names(table *t, size_t item)
{
    size_t place = t->item[item] + 1, i;
    const size_t end = behind(t->p->r, t->item[item]);
    const rk_row *row;

    while ((row = next_value(t->p->r, &place, end)) != NULL && t->names < NAMES_MOST) {
        for (i = 0; i < t->names && strcmp(t->name[i], row->name) != 0; i++) {
            continue;
        }
        if (i == t->names) {
            t->name[t->names++] = row->name;
        }
    }
}

static void find_unit(table *t, size_t name)
{
    char unit[RKI_UNIT_CHARS];
    bool found = false;
    size_t i;

    t->unit[name][0] = '\0';
    for (i = 0; i < t->items; i++) {
        const rk_row *row = value_in(t, i, name);

        if (row == NULL || row->kind != RK_ROW_NUMBER) continue;
        rki_unit(row, t->p->minutes, unit);
        if (found && strcmp(unit, t->unit[name]) != 0) {
            t->unit[name][0] = '\0';
            return;
        }
        (void)snprintf(t->unit[name], RKI_UNIT_CHARS, "%s", unit);
        found = true;
    }
}

static cell words_cell(const char *words)
{
    cell made = {"", "", "", false};

    (void)snprintf(made.head, sizeof made.head, "%s", words != NULL ? words : "");
    return made;
}

static cell name_cell(const table *t, size_t name)
{
    cell made = words_cell(t->name[name]);
    const size_t used = strlen(made.head);

    if (t->unit[name][0] != '\0') {
        (void)snprintf(made.head + used, sizeof made.head - used, ", %s", t->unit[name]);
    }
    return made;
}

static cell value_cell(const table *t, size_t item, size_t name)
{
    const rk_row *row = value_in(t, item, name);

    return row != NULL ? cell_of(t->p, row, t->unit[name][0] == '\0') : words_cell("");
}

/* The grid as it is printed: line 0 is the heading; of columns, column 0 holds the names. */
static cell grid_cell(const table *t, size_t line, size_t column)
{
    if (t->p->layout == RK_LAYOUT_ROW) {
        return line == 0 ? name_cell(t, column) : value_cell(t, line - 1, column);
    }
    if (line == 0) {
        return words_cell(column == 0 ? "" : rk_report_row(t->p->r, t->item[column - 1])->name);
    }
    return column == 0 ? name_cell(t, line - 1) : value_cell(t, column - 1, line - 1);
}

typedef struct column {
    size_t head, tail, unit, whole;
    bool number;
} column;

static column measure(const table *t, size_t lines, size_t at)
{
    const bool titles = t->p->layout == RK_LAYOUT_COLUMN && at == 0;
    column made = {0, 0, 0, 0, false};
    size_t line;

    for (line = 1; line < lines && !titles; line++) {
        made.number = made.number || grid_cell(t, line, at).number;
    }
    for (line = 0; line < lines; line++) {
        const cell c = grid_cell(t, line, at);
        const size_t unit = width_of(c.unit);

        if (line == 0 || !made.number) {
            made.whole = larger(made.whole, width_of(c.head));
            continue;
        }
        made.head = larger(made.head, width_of(c.head));
        made.tail = larger(made.tail, width_of(c.tail));
        made.unit = larger(made.unit, unit > 0 ? unit + 1 : 0);
    }
    made.whole = larger(made.whole, made.head + made.tail + made.unit);
    return made;
}

/* A cell in its column; `owed` blanks are written before anything that is no blank. */
static void write_cell(rk_text *text, const cell *c, const column *k, bool heading,
                       size_t *owed)
{
    const size_t tail = width_of(c->tail),
                 unit = c->unit[0] != '\0' ? width_of(c->unit) + 1 : 0;

    if (!k->number || heading) {
        const size_t rest = k->whole - width_of(c->head);

        *owed += k->number ? rest : 0;
        if (c->head[0] != '\0') {
            pad(text, *owed);
            *owed = 0;
        } else {
            *owed += k->number ? 0 : k->whole;
            return;
        }
        rk_text_add(text, "%s", c->head);
        *owed = k->number ? 0 : rest;
        return;
    }
    *owed += k->whole - k->tail - k->unit - width_of(c->head);
    if (c->head[0] != '\0') {
        pad(text, *owed);
        *owed = 0;
    } else {
        *owed += k->tail + k->unit;
        return;
    }
    rk_text_add(text, "%s%s", c->head, c->tail);
    *owed = k->tail - tail;
    if (unit > 0) {
        pad(text, *owed + 1);
        rk_text_add(text, "%s", c->unit);
        *owed = 0;
    }
    *owed += k->unit - unit;
}

static void write_table(const painter *p, size_t end)
{
    const bool by_row = p->layout == RK_LAYOUT_ROW;
    column columns[ITEMS_MOST + 1];
    size_t place, lines, count, line, at, i;
    table t;

    memset(&t, 0, sizeof t);
    t.p = p;
    for (place = p->from; (place = next_item(p, place, end)) < end;) {
        t.item[t.items++] = place;
        place = behind(p->r, place);
    }
    for (i = 0; i < t.items; i++) {
        find_names(&t, i);
    }
    for (i = 0; i < t.names; i++) {
        find_unit(&t, i);
    }
    lines = 1 + (by_row ? t.items : t.names);
    count = by_row ? t.names : 1 + t.items;
    for (at = 0; at < count; at++) {
        columns[at] = measure(&t, lines, at);
    }
    for (line = 0; line < lines; line++) {
        size_t owed = 2;

        for (at = 0; at < count; at++) {
            const cell c = grid_cell(&t, line, at);

            write_cell(p->text, &c, &columns[at], line == 0, &owed);
            owed += 2;
        }
        rk_text_add(p->text, "\n");
    }
}

/* ---- the walk ---- */

static void flush(painter *p, size_t end)
{
    if (!p->gathering) return;
    if (p->layout == RK_LAYOUT_PLAIN) {
        write_lines(p, end);
    } else {
        write_table(p, end);
    }
    p->gathering = false;
    p->items = 0;
}

/* Something of this layout is gathered from here on, with what was before if that is alike. */
static void gather(painter *p, rk_row_layout layout, size_t place)
{
    if (p->gathering && (p->layout != layout || p->items == ITEMS_MOST)) {
        flush(p, place);
    }
    if (!p->gathering) {
        p->gathering = true;
        p->layout = layout;
        p->from = place;
    }
    p->items++;
}

/* Take the row at this place; gives the next one's. */
static size_t take(painter *p, size_t place)
{
    const rk_row *row = rk_report_row(p->r, place);

    switch (row->kind) {
    case RK_ROW_GROUP:
        if (row->layout == RK_LAYOUT_HIDDEN) return behind(p->r, place);
        if (row->layout != RK_LAYOUT_PLAIN) {
            gather(p, row->layout, place);
            return behind(p->r, place);
        }
        if (row->name != NULL) {
            flush(p, place);
            rk_text_add(p->text, "\n%s\n", row->name);
        }
        break;
    case RK_ROW_LIST:
    case RK_ROW_END:
        break;
    case RK_ROW_VERDICT:
        flush(p, place);
        write_verdict(p, row);
        break;
    case RK_ROW_PROSE:
        flush(p, place);
        if (row->layout == RK_LAYOUT_VERBATIM) {
            rk_text_add(p->text, "%s\n", row->words);
        } else {
            const size_t indent = row->layout == RK_LAYOUT_INDENTED ? 2 : 0;

            write_prose(p->text, row->words, 0, indent, indent + 2);
        }
        break;
    default:
        if (row->name != NULL) {
            gather(p, RK_LAYOUT_PLAIN, place);
            p->items = 0; /* lines are never split */
        }
        break;
    }
    return place + 1;
}

rk_status rk_report_to_text(const rk_report *report, rk_text *text, rk_diag *diag)
{
    painter p = {report, text, rki_style(report).minutes, false, RK_LAYOUT_PLAIN, 0, 0};
    rk_status status;
    size_t place = 0;

    rk_diag_clear(diag);
    if (text == NULL) return RK_ERR_ARG;
    status = rki_report_check(report, diag);
    if (status != RK_OK) return status;
    while (rk_report_row(report, place) != NULL) {
        place = take(&p, place);
    }
    flush(&p, place);
    return rk_text_check(text, diag);
}
