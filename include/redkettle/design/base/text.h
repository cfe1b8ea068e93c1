/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_BASE_TEXT_H
#define REDKETTLE_DESIGN_BASE_TEXT_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/diag.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A text that grows: program text, results, scripts. A failed append is remembered and later
 * ones do nothing, so that a writer checks once, at the end, with rk_text_check.
 */
typedef struct rk_text rk_text;

/** A new empty text, or NULL if there is no memory. */
rk_text *rk_text_create(void);

/** Append, printf style: for words and whole numbers; reals go through rk_text_add_real. NULL:
 * nothing. */
void rk_text_add(rk_text *text, const char *format, ...)
#if defined(__GNUC__)
    __attribute__((format(printf, 2, 3)))
#endif
    ;

/** Append bytes as they are. NULL text: nothing. */
void rk_text_add_bytes(rk_text *text, const char *bytes, size_t length);

/** Append the shortest decimal that reads back as the same double: always with a point. */
void rk_text_add_real(rk_text *text, double value);

/** Append words as a cell of CSV (RFC 4180): in quotes where they need them. */
void rk_text_add_csv(rk_text *text, const char *words);

/** What goes into the text could not be made: as a failed append. NULL: nothing. */
void rk_text_fail(rk_text *text);

/** RK_OK, or RK_ERR_MEMORY if the text is NULL or an append failed. */
rk_status rk_text_check(const rk_text *text, rk_diag *diag);

/** The characters, ended by a NUL; valid until the next append. */
const char *rk_text_chars(const rk_text *text);

/** How many characters, the NUL not counted. */
size_t rk_text_length(const rk_text *text);

void rk_text_free(rk_text *text);

/** Room for any rk_real_format result. */
enum { RK_REAL_CHARS = 40 };

/**
 * The shortest decimal of 15, 16 or 17 digits that reads back as the same double, with a point
 * in it (1.0, -0.118, 1.5e-07), independent of the locale. Writes at most RK_REAL_CHARS bytes.
 */
void rk_real_format(double value, char *chars);

/** The same of 6 to 9 digits for a number that single precision holds. */
void rk_real_format_single(double value, char *chars);

/** A double with at most so many significant digits, 1 to 17; always with a point, if any. */
void rk_real_format_rounded(double value, int digits, char *chars);

/** How many bytes from here on are one letter of UTF-8; 0: they are none. Source  RFC 3629. */
size_t rk_letter_length(const char *at);

/** A word as it is typed at a POSIX shell, in single quotes where the shell would take it apart,
 * into shown[0..room): four times the word's length and three are enough. Gives `shown`. */
const char *rk_shell_word(const char *word, char *shown, size_t room);

/** The word of a list, ended by NULL, that is most like what was typed; NULL if none is. */
const char *rk_word_nearest(const char *const *words, const char *typed);

/** What was typed is none of a list, ended by NULL: "unknown WHAT; did you mean ...? known:
 * ..." into diag. Returns RK_ERR_RANGE. */
rk_status rk_word_unknown(const char *const *words, const char *what, const char *typed,
                          rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
