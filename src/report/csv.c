/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "rows.h"

static void add_line(rk_text *text, const char *group, const rk_row *row)
{
    rk_text_add_csv(text, group);
    rk_text_add(text, ",");
    rk_text_add_csv(text, row->name);
    rk_text_add(text, ",");
    if (row->kind == RK_ROW_WORD) {
        rk_text_add_csv(text, row->words != NULL ? row->words : "");
    } else if (row->kind == RK_ROW_YES_NO) {
        rk_text_add(text, row->value != 0 ? "yes" : "no");
    } else if (isfinite(row->value)) {
        rk_text_add_real(text, row->value);
    }
    rk_text_add(text, ",");
    if (row->kind == RK_ROW_NUMBER) {
        char unit[RKI_UNIT_CHARS];

        rki_unit(row, false, unit);
        rk_text_add_csv(text, unit);
    }
    rk_text_add(text, "\r\n");
}

rk_status rk_report_to_csv(const rk_report *report, rk_text *text, rk_diag *diag)
{
    const char *group[RKI_DEPTH_MOST] = {""}; /* the heading of the innermost that has one */
    size_t depth = 0, hidden = 0, place; /* hidden: the depth from which on nothing shows */
    const rk_row *row;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL) return RK_ERR_ARG;
    status = rki_report_check(report, diag);
    if (status != RK_OK) return status;
    rk_text_add(text, "group,name,value,unit\r\n");
    for (place = 0; (row = rk_report_row(report, place)) != NULL; place++) {
        if (row->kind == RK_ROW_GROUP || row->kind == RK_ROW_LIST) {
            depth++;
            group[depth] = row->name != NULL ? row->name : group[depth - 1];
            if (row->layout == RK_LAYOUT_HIDDEN && hidden == 0) {
                hidden = depth;
            }
        } else if (row->kind == RK_ROW_END) {
            hidden = hidden == depth ? 0 : hidden;
            depth--;
        } else if (hidden == 0 && row->name != NULL && row->kind != RK_ROW_VERDICT) {
            add_line(text, group[depth], row);
        }
    }
    return rk_text_check(text, diag);
}
