/* SPDX-License-Identifier: MIT */
#include "parts.h"

rki_variable *rki_variable_find(rki_variable *list, const char *name)
{
    for (; list != NULL; list = list->next) {
        if (rki_same_word(list->name, name)) return list;
    }
    return NULL;
}

static rki_code *refuse(rki_compiler *c, const rki_syntax *s, const char *why)
{
    rki_complain(c->parse, s->at, "'%.60s' %s", s->word, why);
    return NULL;
}

/* A block, or an array of them: what is written are its inputs, not itself. */
static bool is_block(const rki_type *type)
{
    while (type->base == RKI_ARRAY) {
        type = type->of;
    }
    return type->base == RKI_BLOCK;
}

static rki_code *of_variable(rki_compiler *c, const rki_syntax *s, bool written)
{
    const rki_variable *v =
        c->pou != NULL ? rki_variable_find(c->pou->type.fields, s->word) : NULL;
    rki_code *made;

    if (v == NULL) return refuse(c, s, "is not declared");
    written = written && !is_block(v->type);
    if (written && (v->flags & RKI_CONSTANT) != 0) {
        return refuse(c, s, "is a constant and cannot be written");
    }
    if (written && v->section == RKI_VAR_INPUT) {
        return refuse(c, s, "is an input and cannot be written in here");
    }
    made = rki_code_make(c, RKI_OP_HERE, s->at, v->type, NULL, NULL);
    if (made == NULL) return NULL;
    if (v->section == RKI_VAR_EXTERNAL) {
        made->op = RKI_OP_THERE;
        made->external = v->global;
    } else {
        made->op = v->section == RKI_VAR_IN_OUT ? RKI_OP_REFER : RKI_OP_HERE;
        made->offset = v->offset;
    }
    return made;
}

/* So many cells further. */
static rki_code *further(rki_compiler *c, rki_code *base, rki_place at, const rki_type *type,
                         size_t cells)
{
    rki_code *made;

    if (base->op == RKI_OP_HERE || base->op == RKI_OP_WITHIN) {
        base->at = at;
        base->type = type;
        base->offset += cells;
        return base;
    }
    made = rki_code_make(c, RKI_OP_WITHIN, at, type, base, NULL);
    if (made != NULL) {
        made->offset = cells;
    }
    return made;
}

static rki_code *of_field(rki_compiler *c, const rki_syntax *s, bool written)
{
    rki_code *base = rki_compile_address(c, s->a, written);
    const rki_variable *field;

    if (base == NULL) return NULL;
    if (base->type->base != RKI_STRUCT && base->type->base != RKI_BLOCK) {
        return refuse(c, s, "is asked of what has no parts");
    }
    field = rki_variable_find(base->type->fields, s->word);
    if (field == NULL) return refuse(c, s, "is no part of it");
    if (base->type->base == RKI_BLOCK && field->section != RKI_VAR_INPUT &&
        field->section != RKI_VAR_OUTPUT) {
        return refuse(c, s, "is neither input nor output of the block");
    }
    if (written && field->section == RKI_VAR_OUTPUT) {
        return refuse(c, s, "is an output of the block and only the block writes it");
    }
    return further(c, base, s->at, field->type, field->offset);
}

static rki_code *of_element(rki_compiler *c, const rki_syntax *s, bool written)
{
    rki_code *base = rki_compile_address(c, s->a, written);
    const rki_syntax *index;

    for (index = s->b; index != NULL && base != NULL; index = index->next) {
        const rki_type *array = base->type;
        rki_code *value = rki_settle(c, rki_compile_expression(c, index)), *made;

        if (value == NULL) return NULL;
        if (array->base != RKI_ARRAY) {
            rki_complain(c->parse, index->at, "an index into what is no array");
            return NULL;
        }
        if (!rki_type_is_whole(value->type)) {
            rki_complain(c->parse, index->at, "an index must be a whole number, not %s",
                         value->type->name);
            return NULL;
        }
        if (value->op == RKI_OP_CONSTANT) {
            const int64_t i = value->value.whole;

            if (i < array->low || i > array->high) {
                rki_complain(c->parse, index->at, "index %lld is beyond the array's %lld..%lld",
                             (long long)i, (long long)array->low, (long long)array->high);
                return NULL;
            }
            base = further(c, base, index->at, array->of,
                           (size_t)(i - array->low) * array->of->cells);
            continue;
        }
        made = rki_code_make(c, RKI_OP_ELEMENT, index->at, array->of, base, value);
        if (made == NULL) return NULL;
        made->value.whole = array->low;
        made->high = array->high;
        made->offset = array->of->cells;
        base = made;
    }
    return base;
}

rki_code *rki_compile_address(rki_compiler *c, const rki_syntax *s, bool written)
{
    switch (s->kind) {
    case RKI_WORD:
        return of_variable(c, s, written);
    case RKI_FIELD:
        return of_field(c, s, written);
    case RKI_INDEX:
        return of_element(c, s, written);
    default:
        rki_complain(c->parse, s->at, "a variable should stand here");
        return NULL;
    }
}
