/* SPDX-License-Identifier: MIT */
/* The XML, read back, beside the Structured Text that stands with it: the same words in the same
   order, whatever their blanks, lines and comments are. */
#include <ctype.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

static const char *behind_blanks(const char *at)
{
    for (;;) {
        const char *end = strncmp(at, "(*", 2) == 0 ? strstr(at, "*)") : NULL;

        if (end != NULL) {
            at = end + 2;
        } else if (isspace((unsigned char)*at)) {
            at++;
        } else {
            return at;
        }
    }
}

static size_t word_length(const char *at)
{
    size_t length = 0;

    while (isalnum((unsigned char)at[length]) || strchr("_#.%", at[length]) != NULL) {
        if (at[length] == '\0') break;
        length++;
    }
    return length > 0 ? length : (size_t)(*at != '\0');
}

static bool same_word(const char *a, const char *b, size_t length)
{
    size_t i;

    for (i = 0; i < length; i++) {
        if (toupper((unsigned char)a[i]) != toupper((unsigned char)b[i])) return false;
    }
    return true;
}

/* The first word in which they differ, as it stands in both; true: none. */
static bool same_words(const char *a, const char *b, char first[RKI_FIRST_CHARS])
{
    for (;;) {
        size_t length, other;

        a = behind_blanks(a);
        b = behind_blanks(b);
        length = word_length(a);
        other = word_length(b);
        if (length == 0 && other == 0) return true;
        if (length != other || !same_word(a, b, length)) {
            (void)snprintf(first, RKI_FIRST_CHARS, "it has '%.*s' where the text has '%.*s'",
                           (int)(length < 60 ? length : 60), a, (int)(other < 60 ? other : 60),
                           b);
            return false;
        }
        a += length;
        b += length;
    }
}

rk_status rki_prove_xml(const rk_design *loop, const rk_program *program, rk_proof_part *part,
                        rk_diag *diag)
{
    static const rk_program_file files[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_PLANT_ST,
                                            RK_PROGRAM_PROGRAM};
    const char *xml = program->text[RK_PROGRAM_XML];
    const char *of = program->text[RK_PROGRAM_PROGRAM];
    rk_text *read = rk_text_create(), *st = rk_text_create();
    rk_diag why = {RK_OK, ""};
    rk_status status;
    size_t i;

    part->number = of != NULL ? rki_number_of_program(of) : rki_number_of_program(xml);
    for (i = 0; i < sizeof files / sizeof files[0]; i++) {
        if (program->text[files[i]] != NULL) {
            rk_text_add(st, "%s\n", program->text[files[i]]);
        } else if (rk_program_has(loop, files[i])) { /* the XML alone: what emit would write */
            (void)rk_program_text(loop, files[i], part->number, st, diag);
        }
    }
    status = rk_emit_xml_read(xml, strlen(xml), read, &why);
    if (status == RK_OK) {
        status = rk_text_check(st, diag);
    }
    if (status == RK_OK) {
        part->ran = same_words(rk_text_chars(read), rk_text_chars(st), part->refused);
    } else if (status == RK_ERR_FORMAT) {
        (void)snprintf(part->refused, sizeof part->refused, "%s", why.text);
        status = RK_OK;
    }
    rk_text_free(read);
    rk_text_free(st);
    return status;
}
