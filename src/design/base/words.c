/* SPDX-License-Identifier: MIT */
#include "words.h"

#include <stdio.h>
#include <string.h>

void rki_fit_text(char *text, size_t room, const char *format, va_list args)
{
    static const char cut[] = "...";
    const int needed = vsnprintf(text, room, format, args);
    size_t end;

    if (needed < 0 || (size_t)needed < room) return;
    end = room - sizeof cut;
    while (end > 0 && text[end] != ' ') {
        end--;
    }
    if (end == 0) { /* one long word, of whole UTF-8 characters */
        end = room - sizeof cut;
        while (end > 0 && ((unsigned char)text[end] & 0xC0U) == 0x80U) {
            end--;
        }
    }
    memcpy(text + end, cut, sizeof cut);
}

static char lower(char c)
{
    return c >= 'A' && c <= 'Z' ? (char)(c - 'A' + 'a') : c;
}

bool rki_words_equal(const char *a, const char *b)
{
    while (*a != '\0' && lower(*a) == lower(*b)) {
        a++;
        b++;
    }
    return lower(*a) == lower(*b);
}

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

        if (rki_words_equal(words[i], text)) {
            *at = i;
            return RK_OK;
        }
        (void)snprintf(known + used, sizeof known - used, "%s%s", i > 0 ? ", " : "", words[i]);
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "unknown %s '%s'; known: %s", what, text, known);
}

rk_status rki_mode_find(const char *text, const char **mode, rk_diag *diag)
{
    static const char *const modes[] = {"P", "PI", "PD", "PID", NULL};
    int found = 0;
    const rk_status status = rki_word_find(modes, "mode", text, &found, diag);

    if (status == RK_OK) {
        *mode = modes[found];
    }
    return status;
}
