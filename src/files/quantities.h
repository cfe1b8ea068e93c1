/* SPDX-License-Identifier: MIT */
#ifndef RKI_FILES_QUANTITIES_H
#define RKI_FILES_QUANTITIES_H

#include <stdbool.h>
#include <stddef.h>

/*
 * Named quantities of a loop file, [let], and expressions of them: + - * / ^ ( ), sqrt, exp and log
 * (the natural one), numbers with or without a time unit. A quantity may have a tolerance behind it,
 * "400 +- 5%" or "400 +- 20".
 */

enum { RKI_QUANTITIES_MAX = 64, RKI_QUANTITY_CHARS = 32, RKI_EXPRESSION_CHARS = 256 };

/** A quantity; value and tolerance are known from rki_quantities_settle on. */
typedef struct rki_quantity {
    char name[RKI_QUANTITY_CHARS], text[RKI_EXPRESSION_CHARS];
    int line, column;        /* where its text stands in the file, from 1 */
    bool known, asked;       /* asked: it is being worked out */
    double value, tolerance; /* the tolerance to each side, >= 0 */
} rki_quantity;

typedef struct rki_quantities {
    rki_quantity list[RKI_QUANTITIES_MAX];
    size_t count;
    size_t
        moved; /* one of them counts as its value and so much of its tolerance more; count: none */
    double by;
} rki_quantities;

/** What is wrong with an expression, and where. */
typedef struct rki_flaw {
    int line, column;
    char words[240];
} rki_flaw;

/** One more; false, and *flaw, for a name that is none or there already, or too long a text. */
bool rki_quantity_add(rki_quantities *q, const char *name, const char *text, int line,
                      int column, rki_flaw *flaw);

/** Work all of them out, each from others in whatever order; false, and *flaw. */
bool rki_quantities_settle(rki_quantities *q, rki_flaw *flaw);

/** An expression's value; `length` of the text, which stands at line and column. */
bool rki_expression_value(rki_quantities *q, const char *text, size_t length, int line,
                          int column, double *value, rki_flaw *flaw);

#endif
