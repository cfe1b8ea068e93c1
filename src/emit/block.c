/* SPDX-License-Identifier: MIT */
#include "block.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

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
    rk_memory_free(b->pin);
    b->body = NULL;
    b->pin = NULL;
}

enum { PINS_AT_FIRST = 32 };

/* Room for one more; NULL: there is none. */
static rki_pin *next_pin(rki_block *b)
{
    const int room = b->room > 0 ? 2 * b->room : PINS_AT_FIRST;
    rki_pin *wider;

    if (b->pins < b->room) return &b->pin[b->pins++];
    wider = rk_memory_create((size_t)room, sizeof *wider);
    if (wider == NULL) {
        rk_text_fail(b->body);
        return NULL;
    }
    if (b->pins > 0) {
        memcpy(wider, b->pin, (size_t)b->pins * sizeof *wider);
    }
    rk_memory_free(b->pin);
    b->pin = wider;
    b->room = room;
    return &b->pin[b->pins++];
}

void rki_block_pin(rki_block *b, rki_section section, const char *name, const char *type,
                   const char *initial, const char *comment)
{
    rki_pin *p = next_pin(b);

    if (p == NULL) return;
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
    char initial[RK_REAL_CHARS + 8] = "", comment[RKI_PIN_COMMENT_CHARS];

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

static const char *const heads[RKI_SECTIONS] = {"VAR_EXTERNAL", "VAR_INPUT", "VAR_OUTPUT",
                                                "VAR CONSTANT", "VAR",       "VAR_TEMP"};

static void add_sections(rk_text *code, const rki_block *b)
{
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

/* The characters from one place to another, blanks at the end left out. */
static void take(const char *from, const char *to, char *chars, size_t room)
{
    while (to > from && to[-1] == ' ') {
        to--;
    }
    (void)snprintf(chars, room, "%.*s", (int)(to - from), from);
}

/* "name : TYPE := initial; (* comment *)"; a line without a colon is a comment of its own. */
static void read_pin(rki_block *b, rki_section section, const char *line, const char *end)
{
    char name[RKI_PIN_CHARS], type[RKI_PIN_CHARS], initial[RKI_PIN_CHARS] = "",
                                                   comment[RKI_PIN_COMMENT_CHARS] = "";
    const char *colon, *stop = memchr(line, ';', (size_t)(end - line)), *value, *open;

    while (*line == ' ') {
        line++;
    }
    colon = memchr(line, ':', (size_t)(end - line));
    if (*line == '(' || colon == NULL || stop == NULL) return;
    take(line, colon, name, sizeof name);
    value = strstr(colon, ":=");
    if (value != NULL && value < stop) {
        take(value + 3, stop, initial, sizeof initial);
    } else {
        value = stop;
    }
    take(colon + 2, value, type, sizeof type);
    open = strstr(stop, "(* ");
    if (open != NULL && open < end) {
        take(open + 3, strstr(open, " *)"), comment, sizeof comment);
    }
    rki_block_pin(b, section, name, type, initial, comment);
}

bool rki_block_read(const char *text, rki_block *b)
{
    static const char start[] = "FUNCTION_BLOCK ", stop[] = "\nEND_FUNCTION_BLOCK";
    const char *at = strstr(text, start), *end = strstr(text, stop), *line;
    int section = RKI_SECTIONS;

    *b = rki_block_make("", false, RK_NUMBER_LREAL);
    if (at == NULL || end == NULL) return false;
    at += strlen(start);
    take(at, at + strcspn(at, "\r\n"), b->name, sizeof b->name);
    for (line = strchr(at, '\n') + 1; *line != '\n'; line = strchr(line, '\n') + 1) {
        const char *const line_end = strchr(line, '\n');
        int i;

        for (i = 0; i < RKI_SECTIONS; i++) {
            if (strlen(heads[i]) == (size_t)(line_end - line) &&
                strncmp(line, heads[i], strlen(heads[i])) == 0) {
                section = i;
            }
        }
        if (section != RKI_SECTIONS) {
            read_pin(b, (rki_section)section, line, line_end);
        }
    }
    rk_text_add_bytes(b->body, line + 1, (size_t)(end - line));
    return true;
}
