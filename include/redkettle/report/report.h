/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_REPORT_REPORT_H
#define REDKETTLE_REPORT_REPORT_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/diag.h>
#include <redkettle/design/base/text.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A result as rows, made once and rendered as a text for people, as HTML, as one JSON object, or as CSV.
 *
 * Rows stand in the order in which they are read. Groups nest: what begins with RK_ROW_GROUP or
 * RK_ROW_LIST ends with RK_ROW_END. A row without a key is for people alone, one without a name
 * for machines alone. Numbers are in seconds and engineering units whatever the text shows.
 *
 * results.h fills a report with the result of each computation.
 */
typedef struct rk_report rk_report;

typedef enum rk_row_kind {
    RK_ROW_GROUP = 0, /* an object of JSON; without a key its rows belong to the group around */
    RK_ROW_LIST,      /* an array of JSON */
    RK_ROW_END,       /* of the group or list that began last */
    RK_ROW_NUMBER,    /* value; NaN: it does not exist; infinite: no end to it */
    RK_ROW_COUNT,     /* value, a whole number */
    RK_ROW_YES_NO,    /* value, 1 or 0 */
    RK_ROW_WORD,      /* words; NULL: it does not exist */
    RK_ROW_VERDICT,   /* words, good if value is 1; for people alone */
    RK_ROW_PROSE,     /* words; for people alone */
} rk_row_kind;

/** How people see a group, or prose. */
typedef enum rk_row_layout {
    RK_LAYOUT_PLAIN = 0, /* a group: its rows as lines; prose: broken into lines */
    RK_LAYOUT_HIDDEN,    /* a group for machines alone */
    RK_LAYOUT_ROW,       /* a group is a row of the table that its neighbours make with it */
    RK_LAYOUT_COLUMN,    /* a group is a column of such a table */
    RK_LAYOUT_INDENTED,  /* prose set in by two blanks */
    RK_LAYOUT_VERBATIM,  /* prose that keeps its lines */
} rk_row_layout;

/** One row. Its texts last as long as the report. */
typedef struct rk_row {
    rk_row_kind kind;
    rk_row_layout layout;
    const char *key;  /* in JSON; NULL: not there */
    const char *name; /* for people; a group's: its heading; NULL: not shown */
    double value;
    const char *unit; /* of the value without its time: "degBx" of degBx s; "" for none */
    int per_time;     /* the power of the second in the unit: 1 in s and degBx s, -1 in %/s */
    int digits;       /* significant digits that people see */
    int places;       /* decimal places instead, if not below 0 */
    const char *words;
} rk_row;

/** How people are shown a report. */
typedef struct rk_report_style {
    bool minutes; /* times in minutes */
    bool colour;  /* a verdict in colour, by the escape codes of ECMA-48 */
    bool drawn;   /* what characters would draw is drawn beside it */
} rk_report_style;

/** An empty report, or NULL if there is no memory: all calls take that for a failed one. */
rk_report *rk_report_create(rk_report_style style);

/** The row at this place, from 0; NULL behind the last one. */
const rk_row *rk_report_row(const rk_report *report, size_t place);

/**
 * Append the report as people read it: lines, and tables with their numbers aligned on the
 * decimal point.
 *
 * Errors  RK_ERR_ARG for a NULL text; RK_ERR_MEMORY.
 */
rk_status rk_report_to_text(const rk_report *report, rk_text *text, rk_diag *diag);

/** Append it as one JSON object, numbers in full precision; null where one does not exist.
 * Errors  as rk_report_to_text. */
rk_status rk_report_to_json(const rk_report *report, rk_text *text, rk_diag *diag);

/** Append a line of CSV (RFC 4180) each value that people see: group, name, value, unit;
 * numbers in full precision. Errors  as rk_report_to_text. */
rk_status rk_report_to_csv(const rk_report *report, rk_text *text, rk_diag *diag);

/**
 * Append it as HTML: paragraphs and tables, to be put into a page. A number is a <data> element whose value
 * is in full precision, in seconds and engineering units. Errors  as rk_report_to_text.
 */
rk_status rk_report_to_html(const rk_report *report, rk_text *text, rk_diag *diag);

/** Append words as HTML shows them, whatever they hold; what is no UTF-8, or a control character, becomes
 * U+FFFD. */
void rk_html_add(rk_text *text, const char *words);

void rk_report_free(rk_report *report);

#ifdef __cplusplus
}
#endif

#endif
