/* SPDX-License-Identifier: MIT */
#include "words.h"

#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/text.h>

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
    if (c < 'A' || c > 'Z') return c;
    return (char)(c - 'A' + 'a');
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

void rki_fit(char *text, size_t room, const char *format, ...)
{
    va_list args;

    va_start(args, format);
    rki_fit_text(text, room, format, args);
    va_end(args);
}

enum { WORD_MOST = 32 };

/*
 * How many letters must be added, taken away, changed or swapped with the next to make one word
 * of the other (Damerau's distance, each letter touched once), row by row of the usual table.
 */
static int distance(const char *a, const char *b)
{
    int table[3][WORD_MOST + 1];
    const int la = (int)strlen(a), lb = (int)strlen(b);
    int i, j;

    for (j = 0; j <= lb; j++) {
        table[0][j] = j;
    }
    for (i = 1; i <= la; i++) {
        int *const now = table[i % 3], *const last = table[(i + 2) % 3],
                   *const before = table[(i + 1) % 3];

        now[0] = i;
        for (j = 1; j <= lb; j++) {
            const bool same = lower(a[i - 1]) == lower(b[j - 1]);
            int least = last[j - 1] + !same;

            least = last[j] + 1 < least ? last[j] + 1 : least;
            least = now[j - 1] + 1 < least ? now[j - 1] + 1 : least;
            if (i > 1 && j > 1 && lower(a[i - 1]) == lower(b[j - 2]) &&
                lower(a[i - 2]) == lower(b[j - 1]) && before[j - 2] + 1 < least) {
                least = before[j - 2] + 1;
            }
            now[j] = least;
        }
    }
    return table[la % 3][lb];
}

const char *rk_word_nearest(const char *const *words, const char *typed)
{
    const char *nearest = NULL;
    int least = 0, i;

    if (strlen(typed) > WORD_MOST) return NULL;
    for (i = 0; words[i] != NULL; i++) {
        int far;

        if (strlen(words[i]) > WORD_MOST) continue;
        far = distance(typed, words[i]);
        /* At most a third of the letters, and two at least of a word that is long enough. */
        if (3 * far > (int)strlen(words[i]) + 2) continue;
        if (nearest == NULL || far < least) {
            nearest = words[i];
            least = far;
        }
    }
    return nearest;
}

rk_status rk_word_unknown(const char *const *words, const char *what, const char *typed,
                          rk_diag *diag)
{
    const char *nearest = rk_word_nearest(words, typed);
    char known[200] = "";
    int i;

    for (i = 0; words[i] != NULL; i++) {
        const size_t used = strlen(known);

        if (used + strlen(words[i]) + sizeof ", , ..." > sizeof known) {
            (void)snprintf(known + used, sizeof known - used, ", ...");
            break;
        }
        (void)snprintf(known + used, sizeof known - used, "%s%s", i > 0 ? ", " : "", words[i]);
    }
    if (nearest == NULL) {
        return rk_diag_set(diag, RK_ERR_RANGE, "unknown %s; known: %s", what, known);
    }
    return rk_diag_set(diag, RK_ERR_RANGE, "unknown %s; did you mean %s? known: %s", what,
                       nearest, known);
}

rk_status rki_word_find(const char *const *words, const char *what, const char *text, int *at,
                        rk_diag *diag)
{
    char unknown[80];
    int i;

    for (i = 0; words[i] != NULL; i++) {
        if (rki_words_equal(words[i], text)) {
            *at = i;
            return RK_OK;
        }
    }
    rki_fit(unknown, sizeof unknown, "%s '%.40s'", what, text);
    return rk_word_unknown(words, unknown, text, diag);
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
