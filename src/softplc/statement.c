/* SPDX-License-Identifier: MIT */
#include "parts.h"

static rki_code *assignment(rki_compiler *c, const rki_syntax *s)
{
    rki_code *to = rki_compile_address(c, s->a, true), *value, *made;

    if (to == NULL) return NULL;
    if (to->type->base == RKI_BLOCK) {
        rki_complain(c->parse, s->at, "a function block is called, not assigned");
        return NULL;
    }
    if (to->type->base > (int)RKI_ELEMENTARY) {
        value = rki_compile_address(c, s->b, false);
        if (value == NULL) return NULL;
        if (!rki_type_same(to->type, value->type)) {
            rki_complain(c->parse, s->at, "%s stands where %s should", value->type->name,
                         to->type->name);
            return NULL;
        }
        made = rki_code_make(c, RKI_OP_COPY, s->at, to->type, to, value);
        if (made != NULL) {
            made->offset = to->type->cells;
        }
        return made;
    }
    value = rki_compile_expression(c, s->b);
    value = rki_convert(c, value, to->type);
    if (value == NULL) return NULL;
    if (to->op != RKI_OP_HERE) {
        return rki_code_make(c, RKI_OP_STORE_AT, s->at, to->type, to, value);
    }
    made = rki_code_make(c, RKI_OP_STORE, s->at, to->type, value, NULL);
    if (made != NULL) {
        made->offset = to->offset;
    }
    return made;
}

static rki_code *condition(rki_compiler *c, const rki_syntax *s)
{
    rki_code *value = rki_compile_expression(c, s);

    if (value == NULL || value->type->base == RK_PLC_BOOL) return value;
    rki_complain(c->parse, s->at, "a condition is BOOL, not %s", value->type->name);
    return NULL;
}

static rki_code *choice(rki_compiler *c, const rki_syntax *s)
{
    rki_code *made = rki_code_make(c, RKI_OP_IF, s->at, NULL, NULL, NULL);

    if (made == NULL) return NULL;
    made->a = condition(c, s->a);
    if (made->a == NULL || !rki_compile_statements(c, s->b, &made->b) ||
        !rki_compile_statements(c, s->c, &made->c)) {
        return NULL;
    }
    return made;
}

static rki_code *label(rki_compiler *c, const rki_syntax *s, const rki_type *type)
{
    const bool range = s->kind == RKI_RANGE;
    const rki_code *low = rki_compile_constant(c, range ? s->a : s, type), *high = low;
    rki_code *made;

    if (low == NULL) return NULL;
    if (range) {
        high = rki_compile_constant(c, s->b, type);
        if (high == NULL) return NULL;
    }
    made = rki_code_make(c, RKI_OP_LABEL, s->at, type, NULL, NULL);
    if (made != NULL) {
        made->value = low->value;
        made->high = high->value.whole;
    }
    return made;
}

static rki_code *branch(rki_compiler *c, const rki_syntax *s, const rki_type *type)
{
    rki_code *made = rki_code_make(c, RKI_OP_BRANCH, s->at, NULL, NULL, NULL);
    const rki_syntax *each;
    rki_code **last;

    if (made == NULL) return NULL;
    last = &made->a;
    for (each = s->a; each != NULL; each = each->next) {
        *last = label(c, each, type);
        if (*last == NULL) return NULL;
        last = &(*last)->next;
    }
    return rki_compile_statements(c, s->b, &made->b) ? made : NULL;
}

static rki_code *selection(rki_compiler *c, const rki_syntax *s)
{
    rki_code *made = rki_code_make(c, RKI_OP_CASE, s->at, NULL, NULL, NULL), **last;
    const rki_syntax *each;

    if (made == NULL) return NULL;
    made->a = rki_settle(c, rki_compile_expression(c, s->a));
    if (made->a == NULL) return NULL;
    if (!rki_type_is_whole(made->a->type)) {
        rki_complain(c->parse, s->at, "CASE chooses by a whole number, not %s",
                     made->a->type->name);
        return NULL;
    }
    last = &made->b;
    for (each = s->b; each != NULL; each = each->next) {
        *last = branch(c, each, made->a->type);
        if (*last == NULL) return NULL;
        last = &(*last)->next;
    }
    return rki_compile_statements(c, s->c, &made->c) ? made : NULL;
}

static rki_code *count_loop(rki_compiler *c, const rki_syntax *s)
{
    const rki_syntax one = {.kind = RKI_LITERAL, .at = s->at, .word = "1"};
    rki_code *made = rki_code_make(c, RKI_OP_FOR, s->at, NULL, NULL, NULL);
    bool done;

    if (made == NULL) return NULL;
    made->a = rki_compile_address(c, s->a, true);
    if (made->a == NULL) return NULL;
    made->type = made->a->type;
    if (!rki_type_is_whole(made->type)) {
        rki_complain(c->parse, s->at, "FOR counts in a whole number, not %s", made->type->name);
        return NULL;
    }
    made->b = rki_convert(c, rki_compile_expression(c, s->c), made->type);
    made->c =
        made->b == NULL ? NULL : rki_convert(c, rki_compile_expression(c, s->d), made->type);
    made->d =
        made->c == NULL
            ? NULL
            : rki_convert(c, rki_compile_expression(c, s->e != NULL ? s->e : &one), made->type);
    if (made->d == NULL) return NULL;
    c->loops++;
    done = rki_compile_statements(c, s->b, &made->e);
    c->loops--;
    return done ? made : NULL;
}

static rki_code *loop(rki_compiler *c, const rki_syntax *s)
{
    rki_code *made = rki_code_make(c, s->kind == RKI_WHILE ? RKI_OP_WHILE : RKI_OP_REPEAT,
                                   s->at, NULL, NULL, NULL);
    bool done;

    if (made == NULL) return NULL;
    made->a = condition(c, s->a);
    if (made->a == NULL) return NULL;
    c->loops++;
    done = rki_compile_statements(c, s->b, &made->b);
    c->loops--;
    return done ? made : NULL;
}

static rki_code *leave(rki_compiler *c, const rki_syntax *s)
{
    if (s->kind == RKI_RETURN) {
        return rki_code_make(c, RKI_OP_RETURN, s->at, NULL, NULL, NULL);
    }
    if (c->loops == 0) {
        rki_complain(c->parse, s->at, "%s stands in no loop",
                     s->kind == RKI_EXIT ? "EXIT" : "CONTINUE");
        return NULL;
    }
    return rki_code_make(c, s->kind == RKI_EXIT ? RKI_OP_EXIT : RKI_OP_CONTINUE, s->at, NULL,
                         NULL, NULL);
}

/* A name of a variable: a block's call; else a function's, for nothing. */
static rki_code *call(rki_compiler *c, const rki_syntax *s)
{
    rki_code *value;

    if (s->a->kind != RKI_WORD || rki_variable_find(c->pou->type.fields, s->a->word) != NULL) {
        return rki_compile_block_call(c, s);
    }
    value = rki_compile_call(c, s);
    return value == NULL ? NULL : rki_code_make(c, RKI_OP_EVALUATE, s->at, NULL, value, NULL);
}

static rki_code *statement(rki_compiler *c, const rki_syntax *s)
{
    switch (s->kind) {
    case RKI_ASSIGN:
        return assignment(c, s);
    case RKI_CALL:
        return call(c, s);
    case RKI_IF:
        return choice(c, s);
    case RKI_CASE:
        return selection(c, s);
    case RKI_FOR:
        return count_loop(c, s);
    case RKI_WHILE:
    case RKI_REPEAT:
        return loop(c, s);
    default:
        return leave(c, s);
    }
}

bool rki_compile_statements(rki_compiler *c, const rki_syntax *list, rki_code **made)
{
    for (; list != NULL; list = list->next) {
        *made = statement(c, list);
        if (*made == NULL) return false;
        made = &(*made)->next;
    }
    return true;
}
