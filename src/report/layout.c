/* SPDX-License-Identifier: MIT */
#include "layout.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

size_t rki_width(const char *text)
{
    size_t width = 0;

    for (; *text != '\0'; text++) {
        width += ((unsigned char)*text & 0xC0) != 0x80;
    }
    return width;
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

const rk_row *rki_next_value(const rk_report *r, size_t *place, size_t end)
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
static size_t next_item(const rki_layout *l, size_t place, size_t end)
{
    for (; place < end; place++) {
        const rk_row *row = rk_report_row(l->r, place);

        if (row->kind == RK_ROW_GROUP && row->layout == l->layout) return place;
        if (row->kind == RK_ROW_GROUP && row->layout == RK_LAYOUT_HIDDEN) {
            place = behind(l->r, place) - 1;
        }
    }
    return end;
}

static void format_value(const rki_layout *l, const rk_row *row, char shown[RKI_SHOWN_CHARS])
{
    const double value = l->minutes ? row->value / pow(60.0, row->per_time) : row->value;

    if (row->kind == RK_ROW_COUNT) {
        (void)snprintf(shown, RKI_SHOWN_CHARS, "%.0f", value);
    } else if (row->places >= 0 && fabs(value) < 1e7) {
        (void)snprintf(shown, RKI_SHOWN_CHARS, "%.*f", row->places, value);
    } else {
        (void)rki_show(shown, value, row->digits);
    }
}

rki_cell rki_cell_of(const rki_layout *l, const rk_row *row, bool with_unit)
{
    rki_cell made = {"", "", "", false, 0};
    char shown[RKI_SHOWN_CHARS];

    if (row->kind == RK_ROW_WORD) {
        (void)snprintf(made.head, sizeof made.head, "%s",
                       row->words != NULL ? row->words : "-");
    } else if (row->kind == RK_ROW_YES_NO) {
        (void)snprintf(made.head, sizeof made.head, "%s", row->value != 0 ? "yes" : "no");
    } else {
        size_t width;

        format_value(l, row, shown);
        width = strcspn(shown, ".e");
        (void)snprintf(made.head, sizeof made.head, "%.*s", (int)width, shown);
        (void)snprintf(made.tail, sizeof made.tail, "%.23s", shown + width);
        if (with_unit && isfinite(row->value)) {
            rki_unit(row, l->minutes, made.unit);
        }
        made.number = true;
        made.value = row->value;
    }
    return made;
}

/* ---- tables ---- */

/* The value of this name in an item; NULL: it has none. */
static const rk_row *value_in(const rki_table *t, size_t item, size_t name)
{
    size_t place = t->item[item] + 1;
    const size_t end = behind(t->l->r, t->item[item]);
    const rk_row *row;

    while ((row = rki_next_value(t->l->r, &place, end)) != NULL) {
        if (strcmp(row->name, t->name[name]) == 0) return row;
    }
    return NULL;
}

static void find_names(rki_table *t, size_t item)
{
    size_t place = t->item[item] + 1, i;
    const size_t end = behind(t->l->r, t->item[item]);
    const rk_row *row;

    while ((row = rki_next_value(t->l->r, &place, end)) != NULL && t->names < RKI_NAMES_MOST) {
        for (i = 0; i < t->names && strcmp(t->name[i], row->name) != 0; i++) {
            continue;
        }
        if (i == t->names) {
            t->name[t->names++] = row->name;
        }
    }
}

static void find_unit(rki_table *t, size_t name)
{
    char unit[RKI_UNIT_CHARS];
    bool found = false;
    size_t i;

    t->unit[name][0] = '\0';
    for (i = 0; i < t->items; i++) {
        const rk_row *row = value_in(t, i, name);

        if (row == NULL || row->kind != RK_ROW_NUMBER) continue;
        rki_unit(row, t->l->minutes, unit);
        if (found && strcmp(unit, t->unit[name]) != 0) {
            t->unit[name][0] = '\0';
            return;
        }
        (void)snprintf(t->unit[name], RKI_UNIT_CHARS, "%s", unit);
        found = true;
    }
}

static rki_cell words_cell(const char *words)
{
    rki_cell made = {"", "", "", false, 0};

    (void)snprintf(made.head, sizeof made.head, "%s", words != NULL ? words : "");
    return made;
}

static rki_cell name_cell(const rki_table *t, size_t name)
{
    rki_cell made = words_cell(t->name[name]);
    const size_t used = strlen(made.head);

    if (t->unit[name][0] != '\0') {
        (void)snprintf(made.head + used, sizeof made.head - used, ", %s", t->unit[name]);
    }
    return made;
}

static rki_cell value_cell(const rki_table *t, size_t item, size_t name)
{
    const rk_row *row = value_in(t, item, name);

    return row != NULL ? rki_cell_of(t->l, row, t->unit[name][0] == '\0') : words_cell("");
}

rki_cell rki_table_cell(const rki_table *t, size_t line, size_t column)
{
    if (t->l->layout == RK_LAYOUT_ROW) {
        return line == 0 ? name_cell(t, column) : value_cell(t, line - 1, column);
    }
    if (line == 0) {
        return words_cell(column == 0 ? "" : rk_report_row(t->l->r, t->item[column - 1])->name);
    }
    return column == 0 ? name_cell(t, line - 1) : value_cell(t, column - 1, line - 1);
}

void rki_table_gather(const rki_layout *l, size_t end, rki_table *table)
{
    const bool by_row = l->layout == RK_LAYOUT_ROW;
    size_t place, i;

    memset(table, 0, sizeof *table);
    table->l = l;
    for (place = l->from; (place = next_item(l, place, end)) < end;) {
        table->item[table->items++] = place;
        place = behind(l->r, place);
    }
    for (i = 0; i < table->items; i++) {
        find_names(table, i);
    }
    for (i = 0; i < table->names; i++) {
        find_unit(table, i);
    }
    table->lines = 1 + (by_row ? table->items : table->names);
    table->columns = by_row ? table->names : 1 + table->items;
}

/* ---- the walk ---- */

static void flush(rki_layout *l, size_t end)
{
    if (!l->gathering) return;
    if (l->layout == RK_LAYOUT_PLAIN) {
        l->painter->lines(l, end);
    } else {
        l->painter->table(l, end);
    }
    l->gathering = false;
    l->items = 0;
}

/* Something of this layout is gathered from here on, with what was before if that is alike. */
static void gather(rki_layout *l, rk_row_layout layout, size_t place)
{
    if (l->gathering && (l->layout != layout || l->items == RKI_ITEMS_MOST)) {
        flush(l, place);
    }
    if (!l->gathering) {
        l->gathering = true;
        l->layout = layout;
        l->from = place;
    }
    l->items++;
}

/* Take the row at this place; gives the next one's. */
static size_t take(rki_layout *l, size_t place)
{
    const rk_row *row = rk_report_row(l->r, place);

    switch (row->kind) {
    case RK_ROW_GROUP:
        if (row->layout == RK_LAYOUT_HIDDEN) return behind(l->r, place);
        if (row->layout != RK_LAYOUT_PLAIN) {
            gather(l, row->layout, place);
            return behind(l->r, place);
        }
        if (row->name != NULL) {
            flush(l, place);
            l->painter->heading(l, row->name);
        }
        break;
    case RK_ROW_LIST:
    case RK_ROW_END:
        break;
    case RK_ROW_VERDICT:
        flush(l, place);
        l->painter->verdict(l, row);
        break;
    case RK_ROW_PROSE:
        flush(l, place);
        l->painter->prose(l, row);
        break;
    default:
        if (row->name != NULL) {
            gather(l, RK_LAYOUT_PLAIN, place);
            l->items = 0; /* lines are never split */
        }
        break;
    }
    return place + 1;
}

rk_status rki_layout_paint(const rk_report *report, const rki_painter *painter, rk_text *text,
                           rk_diag *diag)
{
    rki_layout l = {.r = report,
                    .text = text,
                    .painter = painter,
                    .minutes = rki_style(report).minutes,
                    .layout = RK_LAYOUT_PLAIN};
    rk_status status;
    size_t place = 0;

    rk_diag_clear(diag);
    if (text == NULL) return RK_ERR_ARG;
    status = rki_report_check(report, diag);
    if (status != RK_OK) return status;
    while (rk_report_row(report, place) != NULL) {
        place = take(&l, place);
    }
    flush(&l, place);
    return rk_text_check(text, diag);
}
