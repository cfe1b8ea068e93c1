/* SPDX-License-Identifier: MIT */
/*
 * A report as pieces of an HTML page: paragraphs and tables. Each number is a <data> element, whose
 * value has all digits that the number has. Decimal points of a column stand below each other: what
 * follows them is filled up with blanks as wide as a digit.
 *
 * Whatever words hold, they stay words: nothing of a text from outside becomes markup.
 */
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/text.h>

#include "layout.h"

#define FIGURE_SPACE "&#8199;"
#define POINT_SPACE "&#8200;"
#define UNREADABLE "&#65533;"

void rk_html_add(rk_text *text, const char *words)
{
    while (*words != '\0') {
        const size_t length = rk_letter_length(words);
        const char c = *words;

        if (c == '&') {
            rk_text_add(text, "&amp;");
        } else if (c == '<') {
            rk_text_add(text, "&lt;");
        } else if (c == '>') {
            rk_text_add(text, "&gt;");
        } else if (c == '"') {
            rk_text_add(text, "&quot;");
        } else if (c == '\'') {
            rk_text_add(text, "&#39;");
        } else if (length == 0 || (length == 1 && c < ' ' && c != '\n' && c != '\t') ||
                   c == 0x7F) {
            rk_text_add(text, UNREADABLE);
        } else {
            rk_text_add_bytes(text, words, length);
        }
        words += length > 0 ? length : 1;
    }
}

static void add_element(rk_text *text, const char *open, const char *words, const char *close)
{
    rk_text_add(text, "%s", open);
    rk_html_add(text, words);
    rk_text_add(text, "%s", close);
}

/* A number, filled up behind its point to so many letters. */
static void add_number(rk_text *text, const rki_cell *c, size_t tail)
{
    size_t used = strlen(c->tail);

    rk_text_add(text, "<data value=\"");
    rk_text_add_real(text, c->value);
    rk_text_add(text, "\">%s%s</data>", c->head, c->tail);
    if (used == 0 && tail > 0) {
        rk_text_add(text, POINT_SPACE);
        used = 1;
    }
    for (; used < tail; used++) {
        rk_text_add(text, FIGURE_SPACE);
    }
}

/* What the eye finds first in a table of verdicts; the words say it too. */
static const char *class_of(const char *words)
{
    if (strcmp(words, "met") == 0) return " class=\"good\"";
    if (strncmp(words, "NOT MET", 7) == 0 || strncmp(words, "not met", 7) == 0)
        return " class=\"bad\"";
    return "";
}

/* ---- lines ---- */

static void write_line(rki_layout *l, const rk_row *row, size_t tail)
{
    const rki_cell c = rki_cell_of(l, row, true);

    add_element(l->text, "<tr><th scope=\"row\">", row->name, "</th>");
    if (!c.number) {
        add_element(l->text, "<td colspan=\"3\">",
                    row->kind == RK_ROW_WORD && row->words != NULL ? row->words : c.head,
                    "</td></tr>\n");
        return;
    }
    rk_text_add(l->text, "<td class=\"number\">");
    add_number(l->text, &c, tail);
    add_element(l->text, "</td><td>", c.unit, "</td>");
    add_element(l->text, "<td>", row->words != NULL ? row->words : "", "</td></tr>\n");
}

static void write_lines(rki_layout *l, size_t end)
{
    const rk_row *row;
    size_t place = l->from, tail = 0;

    while ((row = rki_next_value(l->r, &place, end)) != NULL) {
        const rki_cell c = rki_cell_of(l, row, true);

        tail = c.number && strlen(c.tail) > tail ? strlen(c.tail) : tail;
    }
    rk_text_add(l->text, "<table class=\"lines\"><tbody>\n");
    for (place = l->from; (row = rki_next_value(l->r, &place, end)) != NULL;) {
        write_line(l, row, tail);
    }
    rk_text_add(l->text, "</tbody></table>\n");
}

/* ---- tables ---- */

/* The longest tail of a column's numbers; whether it has numbers, and units of their own. */
typedef struct column {
    size_t tail;
    bool numbers, units;
} column;

static column measure(const rki_table *t, size_t at)
{
    column made = {0, false, false};
    size_t line;

    for (line = 1; line < t->lines; line++) {
        const rki_cell c = rki_table_cell(t, line, at);

        if (!c.number) continue;
        made.numbers = true;
        made.units = made.units || c.unit[0] != '\0';
        made.tail = strlen(c.tail) > made.tail ? strlen(c.tail) : made.tail;
    }
    return made;
}

static void write_cell(rk_text *text, const rki_cell *c, const column *k, bool heads_row)
{
    if (heads_row) {
        add_element(text, "<th scope=\"row\">", c->head, "</th>");
        return;
    }
    if (!c->number) {
        rk_text_add(text, "<td%s%s>", class_of(c->head), k->units ? " colspan=\"2\"" : "");
        rk_html_add(text, c->head);
        rk_text_add(text, "</td>");
        return;
    }
    rk_text_add(text, "<td class=\"number\">");
    add_number(text, c, k->tail);
    rk_text_add(text, "</td>");
    if (k->units) {
        add_element(text, "<td class=\"unit\">", c->unit, "</td>");
    }
}

static void write_heads(rk_text *text, const rki_table *t, const column *columns)
{
    size_t at;

    for (at = 0; at < t->columns; at++) {
        rk_text_add(text, "<th scope=\"col\"%s%s>",
                    columns[at].numbers ? " class=\"number\"" : "",
                    columns[at].units ? " colspan=\"2\"" : "");
        add_element(text, "", rki_table_cell(t, 0, at).head, "</th>");
    }
}

static void write_table(rki_layout *l, size_t end)
{
    column columns[RKI_ITEMS_MOST + 1];
    size_t line, at;
    rki_table t;

    rki_table_gather(l, end, &t);
    for (at = 0; at < t.columns; at++) {
        columns[at] = measure(&t, at);
    }
    rk_text_add(l->text, "<div class=\"wide\"><table><thead><tr>");
    write_heads(l->text, &t, columns);
    rk_text_add(l->text, "</tr></thead><tbody>\n");
    for (line = 1; line < t.lines; line++) {
        rk_text_add(l->text, "<tr>");
        for (at = 0; at < t.columns; at++) {
            const rki_cell c = rki_table_cell(&t, line, at);

            write_cell(l->text, &c, &columns[at], at == 0);
        }
        rk_text_add(l->text, "</tr>\n");
    }
    rk_text_add(l->text, "</tbody></table></div>\n");
}

/* ---- the pieces ---- */

static void write_heading(rki_layout *l, const char *name)
{
    add_element(l->text, "<h3>", name, "</h3>\n");
}

static void write_verdict(rki_layout *l, const rk_row *row)
{
    rk_text_add(l->text, "<p class=\"verdict %s\"><strong>", row->value != 0 ? "good" : "bad");
    rk_html_add(l->text, row->name);
    add_element(l->text, "</strong>", row->words, "</p>\n");
}

static void write_words(rki_layout *l, const rk_row *row)
{
    if (row->layout != RK_LAYOUT_VERBATIM) {
        add_element(l->text, row->layout == RK_LAYOUT_INDENTED ? "<p class=\"note\">" : "<p>",
                    row->words, "</p>\n");
    } else if (row->words[0] != '\0') {
        add_element(l->text, "<pre>", row->words, "</pre>\n");
    }
}

rk_status rk_report_to_html(const rk_report *report, rk_text *text, rk_diag *diag)
{
    static const rki_painter painter = {write_heading, write_verdict, write_words, write_lines,
                                        write_table};

    return rki_layout_paint(report, &painter, text, diag);
}
