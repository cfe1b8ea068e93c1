/* SPDX-License-Identifier: MIT */
#include "words.h"

#include <stddef.h>
#include <stdio.h>
#include <string.h>

const char *rki_word(const char *const *words, int at)
{
    int i;

    for (i = 0; words[i] != NULL; i++) {
        if (i == at) return words[i];
    }
    return "unknown";
}

rk_status rki_word_find(const char *const *words, const char *what, const char *text, int *at,
                        rk_diag *diag)
{
    char known[240] = "";
    int i;

    for (i = 0; words[i] != NULL; i++) {
        const size_t used = strlen(known);

        if (strcmp(words[i], text) == 0) {
            *at = i;
            return RK_OK;
        }
        (void)snprintf(known + used, sizeof known - used, "%s%s", i > 0 ? ", " : "", words[i]);
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "unknown %s '%s'; known: %s", what, text, known);
}

rk_status rki_mode_check(const char *mode, rk_diag *diag)
{
    static const char *const modes[] = {"P", "PI", "PD", "PID", NULL};
    int found = 0;

    return rki_word_find(modes, "mode", mode, &found, diag);
}
