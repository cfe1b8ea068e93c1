/* SPDX-License-Identifier: MIT */
#ifndef TEST_PROVE_TEXTS_H
#define TEST_PROVE_TEXTS_H

#include <redkettle/redkettle.h>

/** Program text of a loop. */
typedef struct texts {
    rk_text *text[RK_PROGRAM_FILES];
    rk_program program;
} texts;

/** Of these files those that the loop has. */
texts texts_of(const rk_design *loop, rk_number number, const rk_program_file *files,
               size_t count);
void free_texts(texts *t);

/** A text with `put` for the first `find`; NULL: with another last digit of the number behind it.
 * From malloc. */
char *text_changed(const char *text, const char *find, const char *put);

#endif
