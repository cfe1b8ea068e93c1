/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/diag.h>

#include <stdarg.h>
#include <stddef.h>
#include <stdio.h>

rk_status rk_diag_set(rk_diag *diag, rk_status status, const char *format, ...)
{
    va_list args;

    if (diag == NULL || diag->status != RK_OK) return status;
    diag->status = status;
    va_start(args, format);
    (void)vsnprintf(diag->text, sizeof diag->text, format, args);
    va_end(args);
    return status;
}
