/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/yes_no.h>

#include <stddef.h>

#include "words.h"

static const char *const words[] = {"no", "yes", NULL};

const char *rk_yes_no_to_text(rk_yes_no value)
{
    return value == RK_NOT_KNOWN ? "not known" : rki_word(words, (int)value);
}

rk_status rk_yes_no_from_text(const char *text, rk_yes_no *value, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || value == NULL) return RK_ERR_ARG;
    status = rki_word_find(words, "answer", text, &found, diag);
    if (status == RK_OK) {
        *value = (rk_yes_no)found;
    }
    return status;
}
