/* SPDX-License-Identifier: MIT */
/*
 * A function block as C99: a structure of its inputs, outputs and state, a function that gives them
 * their initial values, and one that does a scan. The body is translated word by word from the
 * Structured Text, so that both are one text; it knows what our blocks are written in: assignments,
 * IF, FOR, and expressions whose order is said by parentheses.
 */
#include "block.h"

#include <ctype.h>
#include <stdio.h>
#include <string.h>

static void lower_name(const char *name, char lower[RK_BLOCK_NAME_CHARS])
{
    do {
        *lower++ = (char)tolower((unsigned char)*name);
    } while (*name++ != '\0');
}

static size_t word_length(const char *at)
{
    size_t length = 0;

    while (isalnum((unsigned char)at[length]) || at[length] == '_') {
        length++;
    }
    return length;
}

static bool is(const char *word, size_t length, const char *other)
{
    return strlen(other) == length && memcmp(word, other, length) == 0;
}

static const rki_pin *find_pin(const rki_block *b, const char *word, size_t length)
{
    int i;

    for (i = 0; i < b->pins; i++) {
        const char *name = b->pin[i].name;

        if (is(word, length, name) ||
            (strncmp(word, name, length) == 0 && name[length] == ' ')) {
            return &b->pin[i];
        }
    }
    return NULL;
}

static void add_upper(rk_text *text, const char *word, size_t length)
{
    for (; length > 0; length--, word++) {
        rk_text_add(text, "%c", toupper((unsigned char)*word));
    }
}

static void add_variable(rk_text *text, const rki_block *b, const char *word, size_t length)
{
    const rki_pin *pin = find_pin(b, word, length);

    if (pin != NULL && pin->section == RKI_CONSTANTS) {
        add_upper(text, word, length);
        return;
    }
    rk_text_add(text, pin != NULL && pin->section != RKI_TEMPS ? "c->" : "");
    rk_text_add_bytes(text, word, length);
}

/* A number behind LREAL#, and what of the text it took. */
static size_t add_number(rk_text *text, const rki_block *b, const char *at)
{
    size_t length = strspn(at, "+-0123456789.");

    if (at[length] == 'E') {
        length++;
        length += strspn(at + length, "+-0123456789");
    }
    rk_text_add_bytes(text, at, length);
    rk_text_add(text, b->number == RK_NUMBER_REAL ? "f" : "");
    return length;
}

/* Words that stand for others in C. */
static const char *translated(const char *word, size_t length)
{
    static const char *const words[][2] = {
        {"IF", "if ("},
        {"THEN", ") {"},
        {"ELSIF", "} else if ("},
        {"ELSE", "} else {"},
        {"DO", ") {"},
        {"END_IF", "}"},
        {"END_FOR", "}"},
        {"AND", "&&"},
        {"OR", "||"},
        {"XOR", "!="},
        {"NOT", "!"},
        {"TRUE", "1"},
        {"FALSE", "0"},
        {"MOD", "%"},
        {"DINT_TO_LINT", "(int64_t)"},
        {"LINT_TO_DINT", "(int32_t)"},
    };
    size_t i;

    for (i = 0; i < sizeof words / sizeof words[0]; i++) {
        if (is(word, length, words[i][0])) return words[i][1];
    }
    return NULL;
}

/* FOR i := a TO b DO, up to the TO's end. */
static const char *add_for(rk_text *text, const rki_block *b, const char *at)
{
    const char *variable = at + strspn(at, " "), *start = strstr(variable, ":="),
               *to = strstr(variable, " TO ");
    const size_t length = word_length(variable);

    rk_text_add(text, "for (");
    add_variable(text, b, variable, length);
    rk_text_add(text, " = ");
    rk_text_add_bytes(text, start + 3, (size_t)(to - start - 3));
    rk_text_add(text, "; ");
    add_variable(text, b, variable, length);
    rk_text_add(text, " <= ");
    at = to + strlen(" TO ");
    add_variable(text, b, at, word_length(at));
    rk_text_add(text, "; ");
    add_variable(text, b, variable, length);
    rk_text_add(text, "++");
    return strstr(at, " DO");
}

static const char *add_word(rk_text *text, const rki_block *b, const char *at)
{
    const size_t length = word_length(at);
    const char *other = translated(at, length);

    if (is(at, length, "LREAL") && at[length] == '#') {
        return at + length + 1 + add_number(text, b, at + length + 1);
    }
    if (is(at, length, "FOR")) return add_for(text, b, at + length);
    at += length;
    if (other == NULL) {
        add_variable(text, b, at - length, length);
        return at;
    }
    rk_text_add(text, "%s", other);
    if (other[0] == '!' && other[1] == '\0') return at + strspn(at, " ");
    if (other[0] == '}' && other[1] == '\0') return at + strspn(at, ";");
    if (other[strlen(other) - 1] == '(') return at + strspn(at, " ");
    return at;
}

static const char *add_sign(rk_text *text, const char *at)
{
    static const char *const signs[][2] = {
        {":=", "="},  {"<>", "!="}, {"<=", "<="}, {">=", ">="},
        {"(*", "/*"}, {"*)", "*/"}, {"=", "=="},
    };
    size_t i;

    for (i = 0; i < sizeof signs / sizeof signs[0]; i++) {
        if (strncmp(at, signs[i][0], strlen(signs[i][0])) == 0) {
            rk_text_add(text, "%s", signs[i][1]);
            return at + strlen(signs[i][0]);
        }
    }
    rk_text_add_bytes(text, at, 1);
    return at + 1;
}

static void add_body(rk_text *text, const rki_block *b)
{
    const char *at = rk_text_chars(b->body);
    bool line = true;

    while (*at != '\0') {
        const char *close = strncmp(at, "(*", 2) == 0 ? strstr(at, "*)") : NULL;

        if (line && *at != '\n') {
            rk_text_add(text, "    ");
        }
        line = *at == '\n';
        if (close != NULL) {
            rk_text_add(text, "/*");
            rk_text_add_bytes(text, at + 2, (size_t)(close - at - 2));
            rk_text_add(text, "*/");
            at = close + 2;
        } else if (isalpha((unsigned char)*at)) {
            at = add_word(text, b, at);
        } else if (strncmp(at, " THEN", 5) == 0 || strncmp(at, " DO", 3) == 0) {
            at++; /* no blank before the ) */
        } else {
            at = add_sign(text, at);
        }
    }
}

/* "double", "int32_t"; of an array that of its elements. */
static const char *type_of(const rki_block *b, const char *type)
{
    const char *of = strstr(type, " OF ");

    type = of != NULL ? of + strlen(" OF ") : type;
    if (strcmp(type, "LREAL") == 0) return b->number == RK_NUMBER_REAL ? "float" : "double";
    if (strcmp(type, "DINT") == 0) return "int32_t";
    if (strcmp(type, "LINT") == 0) return "int64_t";
    return "int";
}

static void add_fields(rk_text *text, const rki_block *b, rki_section section, const char *what)
{
    bool any = false;
    int i;

    for (i = 0; i < b->pins; i++) {
        const rki_pin *p = &b->pin[i];
        unsigned last = 0;

        if (p->section != section) continue;
        if (!any) {
            rk_text_add(text, "    /* %s */\n", what);
        }
        any = true;
        rk_text_add(text, "    %s %s", type_of(b, p->type), p->name);
        if (sscanf(p->type, "ARRAY[0..%u]", &last) == 1) {
            rk_text_add(text, "[%u]", last + 1);
        }
        rk_text_add(text, ";");
        if (p->comment[0] != '\0') {
            rk_text_add(text, " /* ");
            rki_add_plain(text, p->comment);
            rk_text_add(text, " */");
        }
        rk_text_add(text, "\n");
    }
}

void rki_block_add_c_header(rk_text *text, const rki_block *b)
{
    char name[RK_BLOCK_NAME_CHARS];

    lower_name(b->name, name);
    rk_text_add(text,
                "#ifndef %s_H\n#define %s_H\n\n#include <stdint.h>\n\ntypedef struct %s {\n",
                b->name, b->name, name);
    add_fields(text, b, RKI_INPUTS, "Inputs: set them before a scan.");
    add_fields(text, b, RKI_OUTPUTS, "Outputs.");
    add_fields(text, b, RKI_LOCALS, "State: leave it alone.");
    rk_text_add(text,
                "} %s;\n\n"
                "/* All fields as they are before the first scan. */\n"
                "void %s_init(%s *c);\n\n"
                "/* One scan. */\n"
                "void %s_scan(%s *c);\n\n#endif\n",
                name, name, name, name, name);
}

static void add_initial(rk_text *text, const rki_block *b, const char *initial)
{
    const char *number = strchr(initial, '#');

    if (number != NULL) {
        (void)add_number(text, b, number + 1);
    } else {
        rk_text_add(text, "%s",
                    strcmp(initial, "TRUE") == 0    ? "1"
                    : strcmp(initial, "FALSE") == 0 ? "0"
                                                    : initial);
    }
}

static void add_constants(rk_text *text, const rki_block *b)
{
    int i;

    for (i = 0; i < b->pins; i++) {
        const rki_pin *p = &b->pin[i];

        if (p->section != RKI_CONSTANTS) continue;
        rk_text_add(text, "static const %s ", type_of(b, p->type));
        add_upper(text, p->name, strlen(p->name));
        rk_text_add(text, " = ");
        add_initial(text, b, p->initial);
        rk_text_add(text, ";");
        if (p->comment[0] != '\0') {
            rk_text_add(text, " /* ");
            rki_add_plain(text, p->comment);
            rk_text_add(text, " */");
        }
        rk_text_add(text, "\n");
    }
}

static void add_init(rk_text *text, const rki_block *b, const char *name)
{
    static const char nothing[] = "{0}";
    int i;

    rk_text_add(text, "\nvoid %s_init(%s *c)\n{\n    static const %s nothing = %s;\n\n", name,
                name, name, nothing);
    rk_text_add(text, "    *c = nothing;\n");
    for (i = 0; i < b->pins; i++) {
        const rki_pin *p = &b->pin[i];

        if (p->section == RKI_CONSTANTS || p->section == RKI_TEMPS || p->initial[0] == '\0') {
            continue;
        }
        rk_text_add(text, "    c->%s = ", p->name);
        add_initial(text, b, p->initial);
        rk_text_add(text, ";\n");
    }
    rk_text_add(text, "}\n");
}

static bool counts_in_reals(const rki_block *b)
{
    int i;

    for (i = 0; i < b->pins; i++) {
        if (strstr(b->pin[i].type, "LREAL") != NULL) return true;
    }
    return false;
}

void rki_block_add_c_source(rk_text *text, const rki_block *b)
{
    char name[RK_BLOCK_NAME_CHARS];
    int i;

    lower_name(b->name, name);
    rk_text_add(text, "#include \"%s.h\"\n\n", name);
    if (counts_in_reals(b)) {
        rki_add_c_guard(text);
    }
    add_constants(text, b);
    add_init(text, b, name);
    rk_text_add(text, "\nvoid %s_scan(%s *c)\n{\n", name, name);
    for (i = 0; i < b->pins; i++) {
        if (b->pin[i].section == RKI_TEMPS) {
            rk_text_add(text, "    %s %s = 0;\n", type_of(b, b->pin[i].type), b->pin[i].name);
        }
    }
    rk_text_add(text, "\n");
    if (rk_text_check(b->body, NULL) == RK_OK) {
        add_body(text, b);
    } else {
        rk_text_fail(text);
    }
    rk_text_add(text, "}\n");
}
