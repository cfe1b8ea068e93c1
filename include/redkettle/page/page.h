/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_PAGE_PAGE_H
#define REDKETTLE_PAGE_PAGE_H

#include <redkettle/design/fit/fit.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/design/record/record.h>
#include <redkettle/files/record_file.h>
#include <redkettle/report/results.h>

#ifdef __cplusplus
extern "C" {
#endif

/** All about one loop, for a page to be handed on. What is not known is NULL. */
typedef struct rk_page {
    const rk_design *loop;
    const char *loop_file;  /* as it was typed */
    const char *loop_saved; /* when it was written last, "2026-03-17 09:40" */
    const char *made;       /* when this page is made */
    const rk_record *record;
    const rk_import *import; /* how it was read */
    bool record_is_lost;     /* the loop names one that cannot be read */
    const rk_record *validation;
    const char *validation_file;
    bool minutes; /* times in minutes */
} rk_page;

/**
 * One self-contained HTML page about a loop: the verdict, the record and its model, rules and settings,
 * margins and limits, the program text; and, where the build has it, a workbench in which the reader's
 * browser tries settings by this library's own code. It loads nothing, and nothing of a text from outside
 * becomes markup or script.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_MEMORY; what a section cannot be made of is said in its place.
 */
rk_status rk_page_compute(const rk_page *page, rk_text *html, rk_page_result *result,
                          rk_diag *diag);

/** Was the workbench built into this library? */
bool rk_page_has_workbench(void);

#ifdef __cplusplus
}
#endif

#endif
