/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_BASE_FINDING_H
#define REDKETTLE_DESIGN_BASE_FINDING_H

#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/** How much a finding matters. */
typedef enum rk_level {
    RK_LEVEL_NOTE = 0,    /* good to know */
    RK_LEVEL_CAUTION = 1, /* usable, with care */
    RK_LEVEL_UNFIT = 2,   /* do not use the result */
} rk_level;

/** "note", "caution", "unfit". */
const char *rk_level_to_text(rk_level level);

/** Something doubtful that a computation saw, and what the engineer can do about it. */
typedef struct rk_finding {
    rk_level level;
    char what[192];
    char advice[192];
    double at, until; /* where in the record, s from its first row; NaN: all over */
} rk_finding;

enum { RK_FINDINGS_MAX = 24 };

typedef struct rk_findings {
    size_t count;
    rk_finding list[RK_FINDINGS_MAX];
} rk_findings;

/** Add a finding; `what` is a printf format, advice a plain sentence. A full list stays as it
 * is. */
void rk_findings_add(rk_findings *findings, rk_level level, const char *advice,
                     const char *what, ...)
#if defined(__GNUC__)
    __attribute__((format(printf, 4, 5)))
#endif
    ;

/** Say where in the record the finding added last was seen, s from its first row. */
void rk_findings_place(rk_findings *findings, double at, double until);

/** The gravest level in the list; RK_LEVEL_NOTE when it is empty. */
rk_level rk_findings_worst(const rk_findings *findings);

#ifdef __cplusplus
}
#endif

#endif
