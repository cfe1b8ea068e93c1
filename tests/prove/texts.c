/* SPDX-License-Identifier: MIT */
#include "texts.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"

texts texts_of(const rk_design *loop, rk_number number, const rk_program_file *files,
               size_t count)
{
    texts t = {.text = {NULL}};
    rk_diag diag = {RK_OK, ""};
    size_t i;

    for (i = 0; i < count; i++) {
        const rk_program_file f = files[i];

        if (!rk_program_has(loop, f)) continue;
        t.text[f] = rk_text_create();
        ck_assert_msg(rk_program_text(loop, f, number, t.text[f], &diag) == RK_OK, "%s",
                      diag.text);
        t.program.text[f] = rk_text_chars(t.text[f]);
    }
    return t;
}

void free_texts(texts *t)
{
    int i;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        rk_text_free(t->text[i]);
    }
}

char *text_changed(const char *text, const char *find, const char *put)
{
    const char *at = strstr(text, find), *rest;
    char number[96], *end;
    size_t length;
    char *made;

    ck_assert_msg(at != NULL, "no '%s' in the text", find);
    rest = at + strlen(find);
    if (put == NULL) {
        const double value = strtod(rest, &end);

        /* A number without a point is a whole one; 2^52 and more have a neighbour too. */
        if (strcspn(rest, ".") < strspn(rest, "-0123456789.")) {
            (void)snprintf(number, sizeof number, "%s%.17g", find, nextafter(value, 1e300));
        } else {
            (void)snprintf(number, sizeof number, "%s%lld", find, strtoll(rest, NULL, 10) + 1);
        }
        rest = end;
        put = number;
    }
    length = strlen(text) + strlen(put) + 1;
    made = malloc(length);
    ck_assert_ptr_nonnull(made);
    (void)snprintf(made, length, "%.*s%s%s", (int)(at - text), text, put, rest);
    return made;
}
