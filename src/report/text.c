/* SPDX-License-Identifier: MIT */
/*
 * A report as people read it in a terminal. In a column what stands before the decimal points of numbers
 * is set to the right and the rest to the left, so that the points stand below each other.
 */
#include <stdio.h>
#include <string.h>

#include "layout.h"

/* A line of prose is at most this wide. */
enum { LINE_WIDTH = 98, HANG = 4 };

static size_t larger(size_t a, size_t b)
{
    return a > b ? a : b;
}

static void pad(rk_text *text, size_t count)
{
    rk_text_add(text, "%*s", (int)count, "");
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

static void write_verdict(rki_layout *p, const rk_row *row)
{
    const bool colour = rki_style(p->r).colour;

    if (colour) {
        rk_text_add(p->text, "\033[%dm%s\033[0m", row->value != 0 ? 32 : 31, row->name);
    } else {
        rk_text_add(p->text, "%s", row->name);
    }
    write_prose(p->text, row->words, rki_width(row->name), 0, HANG);
}

/* ---- lines: name, number, unit, words ---- */

typedef struct widths {
    size_t name, head, tail, unit;
} widths;

static void write_line(const rki_layout *p, const rk_row *row, const widths *w)
{
    const rki_cell c = rki_cell_of(p, row, true);
    const size_t start = 2 + w->name + 2;
    const size_t column = start + w->head + w->tail + 1 + w->unit + 2;

    rk_text_add(p->text, "  %s", row->name);
    if (c.head[0] == '\0') {
        rk_text_add(p->text, "\n");
        return;
    }
    pad(p->text, w->name - rki_width(row->name) + 2);
    if (!c.number) {
        write_prose(p->text, c.head, start, start, start);
        return;
    }
    pad(p->text, w->head - rki_width(c.head));
    rk_text_add(p->text, "%s%s", c.head, c.tail);
    if (c.unit[0] != '\0' || row->words != NULL) {
        pad(p->text, w->tail - rki_width(c.tail) + (c.unit[0] != '\0' ? 1 : 0));
        rk_text_add(p->text, "%s", c.unit);
    }
    if (row->words == NULL) {
        rk_text_add(p->text, "\n");
        return;
    }
    pad(p->text, w->unit - rki_width(c.unit) + (c.unit[0] != '\0' ? 2 : 3));
    write_prose(p->text, row->words, column, column, column);
}

static void write_lines(rki_layout *p, size_t end)
{
    widths w = {0, 0, 0, 0};
    const rk_row *row;
    size_t place = p->from;

    while ((row = rki_next_value(p->r, &place, end)) != NULL) {
        const rki_cell c = rki_cell_of(p, row, true);

        w.name = larger(w.name, rki_width(row->name));
        if (!c.number) continue;
        w.head = larger(w.head, rki_width(c.head));
        w.tail = larger(w.tail, rki_width(c.tail));
        w.unit = larger(w.unit, rki_width(c.unit));
    }
    for (place = p->from; (row = rki_next_value(p->r, &place, end)) != NULL;) {
        write_line(p, row, &w);
    }
}

/* ---- tables ---- */

typedef struct column {
    size_t head, tail, unit, whole;
    bool number;
} column;

static column measure(const rki_table *t, size_t lines, size_t at)
{
    const bool titles = t->l->layout == RK_LAYOUT_COLUMN && at == 0;
    column made = {0, 0, 0, 0, false};
    size_t line;

    for (line = 1; line < lines && !titles; line++) {
        made.number = made.number || rki_table_cell(t, line, at).number;
    }
    for (line = 0; line < lines; line++) {
        const rki_cell c = rki_table_cell(t, line, at);
        const size_t unit = rki_width(c.unit);

        if (line == 0 || !made.number) {
            made.whole = larger(made.whole, rki_width(c.head));
            continue;
        }
        made.head = larger(made.head, rki_width(c.head));
        made.tail = larger(made.tail, rki_width(c.tail));
        made.unit = larger(made.unit, unit > 0 ? unit + 1 : 0);
    }
    made.whole = larger(made.whole, made.head + made.tail + made.unit);
    return made;
}

/* A cell in its column; `owed` blanks are written before anything that is no blank. */
static void write_cell(rk_text *text, const rki_cell *c, const column *k, bool heading,
                       size_t *owed)
{
    const size_t tail = rki_width(c->tail),
                 unit = c->unit[0] != '\0' ? rki_width(c->unit) + 1 : 0;

    if (!k->number || heading) {
        const size_t rest = k->whole - rki_width(c->head);

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
    *owed += k->whole - k->tail - k->unit - rki_width(c->head);
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

static void write_table(rki_layout *l, size_t end)
{
    column columns[RKI_ITEMS_MOST + 1];
    size_t line, at;
    rki_table t;

    rki_table_gather(l, end, &t);
    for (at = 0; at < t.columns; at++) {
        columns[at] = measure(&t, t.lines, at);
    }
    for (line = 0; line < t.lines; line++) {
        size_t owed = 2;

        for (at = 0; at < t.columns; at++) {
            const rki_cell c = rki_table_cell(&t, line, at);

            write_cell(l->text, &c, &columns[at], line == 0, &owed);
            owed += 2;
        }
        rk_text_add(l->text, "\n");
    }
}

/* ---- the pieces ---- */

static void write_heading(rki_layout *l, const char *name)
{
    rk_text_add(l->text, "\n%s\n", name);
}

static void write_words(rki_layout *l, const rk_row *row)
{
    const size_t indent = row->layout == RK_LAYOUT_INDENTED ? 2 : 0;

    if (row->layout == RK_LAYOUT_VERBATIM) {
        rk_text_add(l->text, "%s\n", row->words);
    } else {
        write_prose(l->text, row->words, 0, indent, indent + 2);
    }
}

rk_status rk_report_to_text(const rk_report *report, rk_text *text, rk_diag *diag)
{
    static const rki_painter painter = {write_heading, write_verdict, write_words, write_lines,
                                        write_table};

    return rki_layout_paint(report, &painter, text, diag);
}
