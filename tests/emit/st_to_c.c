/* SPDX-License-Identifier: MIT */
#include "st_to_c.h"

#include <ctype.h>
#include <stdio.h>
#include <string.h>

#include "../support/support.h"

/* The text as tokens: words, numbers, operators; comments left out. */
typedef struct scanner {
    const char *at;
    char token[96];
} scanner;

static void skip_blanks(scanner *s)
{
    for (;;) {
        while (isspace((unsigned char)*s->at)) {
            s->at++;
        }
        if (strncmp(s->at, "(*", 2) != 0) return;
        s->at = strstr(s->at, "*)");
        ck_assert_msg(s->at != NULL, "a comment does not end");
        s->at += 2;
    }
}

/* False at the end of the text. */
static bool next(scanner *s)
{
    size_t length = 1;

    skip_blanks(s);
    if (*s->at == '\0') return false;
    if (isalpha((unsigned char)*s->at) || *s->at == '_') {
        length =
            strspn(s->at, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_#");
        if (s->at[length - 1] == '#') { /* LREAL#-1.5E-07 */
            length += strspn(s->at + length, "+-");
            length += strspn(s->at + length, "0123456789.");
            if (s->at[length] == 'E') {
                length += 1 + strspn(s->at + length + 1, "+-0123456789");
            }
        } else if (strncmp(s->at, "LREAL#", 6) == 0) {
            length = 6 + strspn(s->at + 6, "0123456789.");
            if (s->at[length] == 'E') {
                length += 1 + strspn(s->at + length + 1, "+-0123456789");
            }
        }
    } else if (isdigit((unsigned char)*s->at)) {
        length = strspn(s->at, "0123456789");
    } else if (strncmp(s->at, ":=", 2) == 0 || strncmp(s->at, "<>", 2) == 0 ||
               strncmp(s->at, "..", 2) == 0) {
        length = 2;
    } else {
        ck_assert_msg(strchr("()+-*/<>=;:[]", *s->at) != NULL, "what is '%.20s'?", s->at);
    }
    ck_assert_uint_lt(length, sizeof s->token);
    memcpy(s->token, s->at, length);
    s->token[length] = '\0';
    s->at += length;
    return true;
}

static bool is(const scanner *s, const char *word)
{
    return strcmp(s->token, word) == 0;
}

static void expect(scanner *s, const char *word)
{
    ck_assert_msg(next(s) && is(s, word), "'%s' stands where '%s' should", s->token, word);
}

static void add_value(rk_text *c, const char *token)
{
    if (strncmp(token, "LREAL#", 6) == 0) {
        ck_assert_ptr_nonnull(strchr(token, '.')); /* a real literal has a point */
        rk_text_add(c, "(%s)", token + 6);
    } else if (strcmp(token, "TRUE") == 0 || strcmp(token, "FALSE") == 0) {
        rk_text_add(c, "%d", token[0] == 'T');
    } else if (isdigit((unsigned char)token[0])) {
        rk_text_add(c, "%s", token);
    } else {
        ck_abort_msg("'%s' is no value", token);
    }
}

/* ARRAY[0..n] OF LREAL; all of it 0, the standard's initial value. */
static void array(scanner *s, const char *name, rk_text *fields, rk_text *init)
{
    int last;

    expect(s, "[");
    expect(s, "0");
    expect(s, "..");
    ck_assert(next(s) && sscanf(s->token, "%d", &last) == 1);
    expect(s, "]");
    expect(s, "OF");
    expect(s, "LREAL");
    expect(s, ";");
    rk_text_add(fields, "    double %s[%d];\n", name, last + 1);
    rk_text_add(init, "    { int i; for (i = 0; i <= %d; i++) b->%s[i] = 0; }\n", last, name);
}

/* name : TYPE [:= value]; up to END_VAR. */
static void declarations(scanner *s, rk_text *fields, rk_text *init)
{
    while (next(s) && !is(s, "END_VAR")) {
        char name[96];

        if (is(s, "CONSTANT")) continue;
        ck_assert(islower((unsigned char)s->token[0]));
        (void)snprintf(name, sizeof name, "%s", s->token);
        expect(s, ":");
        ck_assert(next(s));
        if (is(s, "ARRAY")) {
            array(s, name, fields, init);
            continue;
        }
        ck_assert(is(s, "LREAL") || is(s, "BOOL") || is(s, "DINT"));
        rk_text_add(fields, "    %s %s;\n", is(s, "LREAL") ? "double" : "int", name);
        ck_assert(next(s));
        if (is(s, ":=")) {
            ck_assert(next(s));
            rk_text_add(init, "    b->%s = ", name);
            add_value(init, s->token);
            rk_text_add(init, ";\n");
            ck_assert(next(s));
        } else {
            rk_text_add(init, "    b->%s = 0;\n", name); /* the standard's initial value */
        }
        ck_assert_msg(is(s, ";"), "no ; behind %s", name);
    }
}

static void statement_token(scanner *s, rk_text *body)
{
    static const char *const words[][2] = {
        {"IF", "if ("},         {"THEN", ") {\n"}, {"ELSIF", "} else if ("},
        {"ELSE", "} else {\n"}, {"AND", " && "},   {"OR", " || "},
        {"NOT", "!"},           {":=", " = "},     {"=", " == "},
        {"<>", " != "},         {";", ";\n"},
    };
    size_t i;

    if (is(s, "END_IF")) {
        expect(s, ";");
        rk_text_add(body, "}\n");
        return;
    }
    for (i = 0; i < COUNT(words); i++) {
        if (is(s, words[i][0])) {
            rk_text_add(body, "%s", words[i][1]);
            return;
        }
    }
    if (isdigit((unsigned char)s->token[0])) {
        add_value(body, s->token);
    } else if (islower((unsigned char)s->token[0])) {
        rk_text_add(body, "b->%s", s->token);
    } else if (isupper((unsigned char)s->token[0])) {
        add_value(body, s->token);
    } else {
        rk_text_add(body, " %s ", s->token);
    }
}

rk_text *st_to_c(const char *st)
{
    rk_text *c = rk_text_create(), *init = rk_text_create(), *body = rk_text_create();
    scanner s = {st, ""};

    rk_text_add(c, "typedef struct block {\n");
    expect(&s, "FUNCTION_BLOCK");
    ck_assert(next(&s) && isupper((unsigned char)s.token[0]));
    while (next(&s) && strncmp(s.token, "VAR", 3) == 0) {
        declarations(&s, c, init);
    }
    do {
        if (is(&s, "END_FUNCTION_BLOCK")) break;
        statement_token(&s, body);
    } while (next(&s));
    ck_assert_msg(is(&s, "END_FUNCTION_BLOCK") && !next(&s), "text behind the block's end");
    rk_text_add(c, "} block;\n\nstatic void block_init(block *b)\n{\n%s}\n\n",
                rk_text_chars(init));
    rk_text_add(c, "static void block_scan(block *b)\n{\n%s}\n", rk_text_chars(body));
    rk_text_free(init);
    rk_text_free(body);
    ck_assert_int_eq(rk_text_check(c, NULL), RK_OK);
    return c;
}
