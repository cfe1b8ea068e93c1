/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_BASE_WORDS_H
#define RKI_DESIGN_BASE_WORDS_H

#include <stdarg.h>
#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/diag.h>

/** vsnprintf; a text that does not fit is cut at a blank and ends in "...". */
void rki_fit_text(char *text, size_t room, const char *format, va_list args);

/** The same letters, whatever their case? ASCII. */
bool rki_words_equal(const char *a, const char *b);

/** The word at a place in a list ended by NULL, or "unknown". */
const char *rki_word(const char *const *words, int at);

/** Find a word's place, whatever its case; RK_ERR_RANGE lists what is known. `what` names the
 * kind of thing. */
rk_status rki_word_find(const char *const *words, const char *what, const char *text, int *at,
                        rk_diag *diag);

/** snprintf as rki_fit_text cuts it. */
void rki_fit(char *text, size_t room, const char *format, ...)
#if defined(__GNUC__)
    __attribute__((format(printf, 3, 4)))
#endif
    ;

/** "P", "PI", "PD" or "PID", whatever the case it is written in; else RK_ERR_RANGE. */
rk_status rki_mode_find(const char *text, const char **mode, rk_diag *diag);

#endif
