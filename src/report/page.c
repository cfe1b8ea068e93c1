/* SPDX-License-Identifier: MIT */
#include "parts.h"

rk_status rk_report_add_page(rk_report *report, const char *file, size_t bytes,
                             const rk_page_result *page)
{
    rk_report *r = report;

    if (file == NULL || page == NULL) return RK_ERR_ARG;
    rki_row_say(r, "%s: %s, %.0f KB%s%s", file, page->verdict, (double)bytes / 1000.0,
                page->has_figures ? "" : "; without figures, which gnuplot draws",
                page->workbench_built ? ""
                                      : "; without the workbench, which make report builds");
    rki_row_word(r, "file", NULL, file);
    rki_row_count(r, "bytes", NULL, bytes);
    rki_row_word(r, "verdict", NULL, page->verdict);
    rki_row_yes_no(r, "figures", NULL, page->has_figures);
    rki_row_yes_no(r, "workbench", NULL, page->has_workbench);
    rki_row_count(r, "rows", NULL, page->rows);
    rki_row_count(r, "drawn", NULL, page->drawn);
    return RK_OK;
}
