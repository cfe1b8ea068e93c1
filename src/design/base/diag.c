/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/diag.h>

#include <stdarg.h>
#include <stddef.h>

#include "words.h"

void rk_diag_clear(rk_diag *diag)
{
    if (diag == NULL) return;
    diag->status = RK_OK;
    diag->text[0] = '\0';
}

rk_status rk_diag_set(rk_diag *diag, rk_status status, const char *format, ...)
{
    va_list args;

    if (diag == NULL || diag->status != RK_OK) return status;
    diag->status = status;
    va_start(args, format);
    rki_fit_text(diag->text, sizeof diag->text, format, args);
    va_end(args);
    return status;
}
