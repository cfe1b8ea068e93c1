/* SPDX-License-Identifier: MIT */
#include <stdarg.h>
#include <stdio.h>

#include <redkettle/design/base/memory.h>

#include "parts.h"

/* Its headers know the parser's types; the scanner's are its own. */
#include "grammar.h"

int rki_st_lex_init_extra(rki_parse *p, void **scanner);
int rki_st_lex_destroy(void *scanner);
struct yy_buffer_state *rki_st__scan_bytes(const char *bytes, int length, void *scanner);

static char upper(char c)
{
    return (char)((c >= 'a' && c <= 'z') ? c - 'a' + 'A' : c);
}

bool rki_same_word(const char *a, const char *b)
{
    while (upper(*a) == upper(*b)) {
        if (*a == '\0') return true;
        a++;
        b++;
    }
    return false;
}

rk_status rki_complain(rki_parse *p, rki_place at, const char *format, ...)
{
    char what[192];
    va_list list;

    va_start(list, format);
    (void)vsnprintf(what, sizeof what, format, list);
    va_end(list);
    if (p->status == RK_OK) {
        p->status = RK_ERR_FORMAT;
        (void)rk_diag_set(p->diag, RK_ERR_FORMAT, "%.60s, line %d, column %d: %s", p->name,
                          at.line, at.column, what);
    }
    return p->status;
}

static int deeper(int depth, const rki_syntax *child)
{
    return child != NULL && child->depth >= depth ? child->depth + 1 : depth;
}

static bool is_too_deep(rki_parse *p, const rki_syntax *node)
{
    if (node->depth <= RKI_DEPTH_MOST) return false;
    rki_complain(p, node->at, "nested too deep: more than %d levels", RKI_DEPTH_MOST);
    return true;
}

rki_syntax *rki_syntax_make(rki_parse *p, rki_syntax_kind kind, rki_place at, rki_syntax *a,
                            rki_syntax *b)
{
    rki_syntax *node = rki_arena_room(p->arena, 1, sizeof *node);

    if (node == NULL) {
        p->status = RK_ERR_MEMORY;
        return NULL;
    }
    node->kind = kind;
    node->at = at;
    node->a = a;
    node->b = b;
    node->last = node;
    node->depth = deeper(deeper(1, a), b);
    return is_too_deep(p, node) ? NULL : node;
}

bool rki_syntax_hang(rki_parse *p, rki_syntax *node, rki_syntax *c, rki_syntax *d,
                     rki_syntax *e)
{
    node->c = c;
    node->d = d;
    node->e = e;
    node->depth = deeper(deeper(deeper(node->depth, c), d), e);
    return !is_too_deep(p, node);
}

rki_syntax *rki_syntax_append(rki_syntax *list, rki_syntax *item)
{
    if (list == NULL) return item;
    if (item == NULL) return list;
    list->last->next = item;
    list->last = item->last;
    if (item->depth > list->depth) {
        list->depth = item->depth;
    }
    return list;
}

/* A text longer than any program: its places would not fit an int. */
enum { TEXT_MOST = 64 * 1024 * 1024 };

rk_status rki_parse_text(rki_parse *p, const char *text, size_t length)
{
    void *scanner = NULL;
    int result = 2;

    if (length > TEXT_MOST) {
        return rki_complain(p, (rki_place){1, 1}, "the text is longer than %d bytes",
                            TEXT_MOST);
    }
    p->pool_room = length + RKI_POOL_BYTES;
    p->pool = rk_memory_create(1, p->pool_room);
    if (p->pool != NULL && rki_st_lex_init_extra(p, &scanner) == 0) {
        if (rki_st__scan_bytes(text, (int)length, scanner) != NULL) {
            result = rki_st_parse(scanner, p);
        }
        (void)rki_st_lex_destroy(scanner);
    }
    rk_memory_free(p->pool);
    p->pool = NULL;
    if (p->status == RK_OK && result != 0) {
        p->status = RK_ERR_MEMORY;
    }
    if (p->status == RK_ERR_MEMORY) {
        (void)rk_diag_set(p->diag, RK_ERR_MEMORY, "out of memory reading %.100s", p->name);
    }
    return p->status;
}
