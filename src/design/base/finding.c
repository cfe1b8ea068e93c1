/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/finding.h>

#include <math.h>
#include <stdarg.h>
#include <stddef.h>

#include "words.h"

const char *rk_level_to_text(rk_level level)
{
    static const char *const names[] = {"note", "caution", "unfit", NULL};

    return rki_word(names, (int)level);
}

void rk_findings_add(rk_findings *findings, rk_level level, const char *advice,
                     const char *what, ...)
{
    rk_finding *made;
    va_list args;

    if (findings->count >= RK_FINDINGS_MAX) return;
    made = &findings->list[findings->count++];
    made->level = level;
    va_start(args, what);
    rki_fit_text(made->what, sizeof made->what, what, args);
    va_end(args);
    rki_fit(made->advice, sizeof made->advice, "%s", advice);
    made->at = made->until = nan("");
}

void rk_findings_place(rk_findings *findings, double at, double until)
{
    if (findings->count == 0) return;
    findings->list[findings->count - 1].at = at;
    findings->list[findings->count - 1].until = until;
}

rk_level rk_findings_worst(const rk_findings *findings)
{
    rk_level worst = RK_LEVEL_NOTE;
    size_t i;

    for (i = 0; i < findings->count; i++) {
        if (findings->list[i].level > worst) {
            worst = findings->list[i].level;
        }
    }
    return worst;
}
