/* SPDX-License-Identifier: MIT */
#include "block.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

rki_block rki_block_make(const char *name, bool program, rk_number number)
{
    rki_block b = {.program = program, .number = number};

    (void)snprintf(b.name, sizeof b.name, "%s", name);
    b.body = rk_text_create();
    return b;
}

void rki_block_free(rki_block *b)
{
    rk_text_free(b->body);
    b->body = NULL;
}

void rki_block_pin(rki_block *b, rki_section section, const char *name, const char *type,
                   const char *initial, const char *comment)
{
    rki_pin *p;

    if (b->pins == RKI_PINS_MAX) {
        rk_text_fail(b->body);
        return;
    }
    p = &b->pin[b->pins++];
    p->section = section;
    (void)snprintf(p->name, sizeof p->name, "%s", name);
    (void)snprintf(p->type, sizeof p->type, "%s", type);
    (void)snprintf(p->initial, sizeof p->initial, "%s", initial != NULL ? initial : "");
    (void)snprintf(p->comment, sizeof p->comment, "%s", comment != NULL ? comment : "");
}

static void literal(double value, rk_number number, char chars[RK_REAL_CHARS + 8])
{
    rk_text *text = rk_text_create();

    rki_add_literal(text, value, number);
    (void)snprintf(chars, RK_REAL_CHARS + 8, "%s",
                   rk_text_check(text, NULL) == RK_OK ? rk_text_chars(text) : "");
    rk_text_free(text);
}

void rki_block_number(rki_block *b, rki_section section, const char *name, double value,
                      const char *what, const char *units)
{
    char initial[RK_REAL_CHARS + 8] = "", comment[112];

    if (!isnan(value)) {
        literal(value, b->number, initial);
        if (initial[0] == '\0') {
            rk_text_fail(b->body);
        }
    }
    (void)snprintf(comment, sizeof comment, "%s%s%s", what, units[0] != '\0' ? ", " : "",
                   units);
    rki_block_pin(b, section, name, "LREAL", initial, comment);
}

void rki_block_constants(rki_block *b, const rki_constant *list, int count)
{
    char name[16];
    int i;

    for (i = 0; i < count; i++) {
        (void)snprintf(name, sizeof name, "%-8s", list[i].name);
        rki_block_number(b, RKI_CONSTANTS, name, list[i].value, list[i].comment, "");
    }
}

static void add_sections(rk_text *code, const rki_block *b)
{
    static const char *const heads[RKI_SECTIONS] = {"VAR_EXTERNAL", "VAR_INPUT", "VAR_OUTPUT",
                                                    "VAR CONSTANT", "VAR"};
    int section, i;

    for (section = 0; section < RKI_SECTIONS; section++) {
        bool any = false;

        for (i = 0; i < b->pins; i++) {
            const rki_pin *p = &b->pin[i];

            if ((int)p->section != section) continue;
            rk_text_add(code, "%s", any ? "" : heads[section]);
            rk_text_add(code, "%s    %s : %s", any ? "" : "\n", p->name, p->type);
            rk_text_add(code, p->initial[0] != '\0' ? " := %s;" : "%s;", p->initial);
            if (p->comment[0] != '\0') {
                rk_text_add(code, " (* ");
                rki_add_plain(code, p->comment);
                rk_text_add(code, " *)");
            }
            rk_text_add(code, "\n");
            any = true;
        }
        rk_text_add(code, "%s", any ? "END_VAR\n" : "");
    }
}

void rki_block_add_st(rk_text *text, const rki_block *b)
{
    const char *kind = b->program ? "PROGRAM" : "FUNCTION_BLOCK";
    rk_text *code = rk_text_create();

    rk_text_add(code, "%s %s\n", kind, b->name);
    add_sections(code, b);
    rk_text_add(code, "\n");
    if (rk_text_check(b->body, NULL) == RK_OK) {
        rk_text_add_bytes(code, rk_text_chars(b->body), rk_text_length(b->body));
    } else {
        rk_text_fail(code);
    }
    rk_text_add(code, "\nEND_%s\n", kind);
    rki_add_st_code(text, code, b->number);
    rk_text_free(code);
}
