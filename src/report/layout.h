/* SPDX-License-Identifier: MIT */
#ifndef REPORT_LAYOUT_H
#define REPORT_LAYOUT_H

#include "rows.h"

/*
 * How people see a report, whatever it is rendered as. The rows are walked once. Prose and headings are
 * painted as they come; values and the rows or columns of a table are gathered until something else
 * follows, since their widths depend on all of them.
 *
 * A unit that a whole row or column shares moves into its heading.
 */

enum { RKI_CELL_CHARS = 160, RKI_ITEMS_MOST = 128, RKI_NAMES_MOST = 32 };

/** A number is three pieces: up to its decimal point, the rest, its unit. Words are all in the first. */
typedef struct rki_cell {
    char head[RKI_CELL_CHARS];
    char tail[24];
    char unit[RKI_UNIT_CHARS];
    bool number;
    double value; /* of a number */
} rki_cell;

/** The walk: what is gathered are the rows from `from` on, as lines or as a table. */
typedef struct rki_layout {
    const rk_report *r;
    rk_text *text;
    const struct rki_painter *painter;
    bool minutes, gathering;
    rk_row_layout layout; /* PLAIN: lines; ROW or COLUMN: a table */
    size_t from, items;
} rki_layout;

/** What writes the pieces; those gathered end before the row `end`. */
typedef struct rki_painter {
    void (*heading)(rki_layout *l, const char *name);
    void (*verdict)(rki_layout *l, const rk_row *row);
    void (*prose)(rki_layout *l, const rk_row *row);
    void (*lines)(rki_layout *l, size_t end);
    void (*table)(rki_layout *l, size_t end);
} rki_painter;

/** Paint a whole report. Errors  RK_ERR_ARG for a NULL text; RK_ERR_MEMORY. */
rk_status rki_layout_paint(const rk_report *report, const rki_painter *painter, rk_text *text,
                           rk_diag *diag);

/** The next value that people see, from *place on and before `end`; NULL: none is left. */
const rk_row *rki_next_value(const rk_report *r, size_t *place, size_t end);

/** A value as it is shown. */
rki_cell rki_cell_of(const rki_layout *l, const rk_row *row, bool with_unit);

/** The gathered groups as a grid: line 0 is the heading; of columns, column 0 holds the names. */
typedef struct rki_table {
    const rki_layout *l;
    size_t item[RKI_ITEMS_MOST], items;
    const char *name[RKI_NAMES_MOST];
    size_t names;
    char unit[RKI_NAMES_MOST]
             [RKI_UNIT_CHARS]; /* that all values of this name share; "": none */
    size_t lines, columns;
} rki_table;

void rki_table_gather(const rki_layout *l, size_t end, rki_table *table);

rki_cell rki_table_cell(const rki_table *table, size_t line, size_t column);

/** Letters on the screen: the bytes of UTF-8 that do not continue one. */
size_t rki_width(const char *text);

#endif
