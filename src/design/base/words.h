/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_BASE_WORDS_H
#define RKI_DESIGN_BASE_WORDS_H

#include <redkettle/design/base/diag.h>

/** The word at a place in a list ended by NULL, or "unknown". */
const char *rki_word(const char *const *words, int at);

/** Find a word's place; RK_ERR_RANGE lists what is known. `what` names the kind of thing. */
rk_status rki_word_find(const char *const *words, const char *what, const char *text, int *at,
                        rk_diag *diag);

/** "P", "PI", "PD" or "PID"; else RK_ERR_RANGE. */
rk_status rki_mode_check(const char *mode, rk_diag *diag);

#endif
