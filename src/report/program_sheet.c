/* SPDX-License-Identifier: MIT */
#include <redkettle/report/program_sheet.h>

#include <string.h>

#include <redkettle/report/results.h>

rk_status rk_program_sheet(const rk_design *loop, const rk_proof *proof, bool csv,
                           rk_text *text, rk_diag *diag)
{
    rk_report *report = rk_report_create((rk_report_style){false, false});
    rk_status status;

    rk_diag_clear(diag);
    status = rk_report_add_sheet(report, loop, proof, diag);

    if (status == RK_OK) {
        status = (csv ? rk_report_to_csv : rk_report_to_text)(report, text, diag);
    }
    rk_report_free(report);
    return status;
}

/* The proof comes last: all before it must be this loop's. */
rk_status rk_program_sheet_compare(const rk_design *loop, const char *standing, size_t length,
                                   bool csv, rk_sheet_state *state, rk_diag *diag)
{
    rk_text *plain;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || standing == NULL || state == NULL) return RK_ERR_ARG;
    plain = rk_text_create();
    status = rk_program_sheet(loop, NULL, csv, plain, diag);
    if (status == RK_OK) {
        const size_t wanted = rk_text_length(plain);

        *state = length < wanted || memcmp(standing, rk_text_chars(plain), wanted) != 0
                     ? RK_SHEET_OTHER
                 : length > wanted ? RK_SHEET_PROVEN
                                   : RK_SHEET_PLAIN;
    }
    rk_text_free(plain);
    return status;
}
