/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "parts.h"

void rki_put_default(const rki_type *type, rk_plc_value *cells)
{
    size_t i;

    if (type->image != NULL) {
        memcpy(cells, type->image, type->cells * sizeof *cells);
    } else if (type->base == RKI_ARRAY) {
        for (i = 0; i < type->cells; i += type->of->cells) {
            rki_put_default(type->of, cells + i);
        }
    } else {
        memset(cells, 0, type->cells * sizeof *cells);
    }
}

/* Where the next value of an array goes: multi-dimensional ones are filled row by row. */
typedef struct filling {
    const rki_type *leaf; /* the innermost element */
    rk_plc_value *cells;
    size_t used, room;
} filling;

static bool fill(rki_compiler *c, const rki_syntax *list, const rki_type *array, filling *f);

static bool put_one(rki_compiler *c, const rki_syntax *item, const rki_type *array, filling *f)
{
    const bool row = item->kind == RKI_INIT_LIST && array->of->base == RKI_ARRAY;
    const size_t size = row ? array->of->cells : f->leaf->cells;

    if (f->room - f->used < size) {
        rki_complain(c->parse, item->at, "more values than the array has elements");
        return false;
    }
    if (row) {
        filling inner = {f->leaf, f->cells + f->used, 0, size};

        if (!fill(c, item->a, array->of, &inner)) return false;
    } else if (!rki_compile_initial(c, item, f->leaf, f->cells + f->used)) {
        return false;
    }
    f->used += size;
    return true;
}

static bool fill(rki_compiler *c, const rki_syntax *list, const rki_type *array, filling *f)
{
    const rki_type *dint = rki_type_elementary(RK_PLC_DINT);
    int64_t i;

    for (; list != NULL; list = list->next) {
        const rki_code *times;

        if (list->kind != RKI_INIT_TIMES) {
            if (!put_one(c, list, array, f)) return false;
            continue;
        }
        times = rki_compile_constant(c, list->a, dint);
        if (times == NULL) return false;
        for (i = 0; i < times->value.whole; i++) {
            if (!put_one(c, list->b, array, f)) return false;
        }
    }
    return true;
}

static bool put_fields(rki_compiler *c, const rki_syntax *s, const rki_type *type,
                       rk_plc_value *cells)
{
    const rki_syntax *each;

    if (type->base != RKI_STRUCT && type->base != RKI_BLOCK) {
        rki_complain(c->parse, s->at, "%s has no parts with names", type->name);
        return false;
    }
    for (each = s->a; each != NULL; each = each->next) {
        const rki_variable *field = rki_variable_find(type->fields, each->word);

        if (field == NULL || (type->base == RKI_BLOCK && field->section != RKI_VAR_INPUT &&
                              field->section != RKI_VAR_OUTPUT)) {
            rki_complain(c->parse, each->at, "'%.60s' is no part of %s", each->word,
                         type->name);
            return false;
        }
        if (!rki_compile_initial(c, each->a, field->type, cells + field->offset)) return false;
    }
    return true;
}

bool rki_compile_initial(rki_compiler *c, const rki_syntax *init, const rki_type *type,
                         rk_plc_value *cells)
{
    const rki_code *value;

    rki_put_default(type, cells);
    if (init == NULL) return true;
    if (init->kind == RKI_INIT_FIELDS) return put_fields(c, init, type, cells);
    if (init->kind == RKI_INIT_LIST) {
        filling f = {type, cells, 0, type->cells};

        if (type->base != RKI_ARRAY) {
            rki_complain(c->parse, init->at, "%s is no array", type->name);
            return false;
        }
        while (f.leaf->base == RKI_ARRAY) {
            f.leaf = f.leaf->of;
        }
        return fill(c, init->a, type, &f);
    }
    value = rki_compile_constant(c, init, type);
    if (value == NULL) return false;
    cells[0] = value->value;
    return true;
}

void rki_restart(const rki_type *type, rk_plc_value *cells, bool warm)
{
    const rki_variable *v;
    size_t i;

    if (type->base == RKI_ARRAY && type->of->base == RKI_BLOCK) {
        for (i = 0; i < type->cells; i += type->of->cells) {
            rki_restart(type->of, cells + i, warm);
        }
        return;
    }
    if (type->base != RKI_BLOCK || !warm) {
        rki_put_default(type, cells);
        return;
    }
    for (v = type->fields; v != NULL; v = v->next) {
        const bool stays = (v->flags & RKI_RETAIN) != 0 || v->section == RKI_VAR_EXTERNAL;

        if (stays || v->section == RKI_VAR_IN_OUT) continue;
        if (v->type->base == RKI_BLOCK || v->type->base == RKI_ARRAY) {
            rki_restart(v->type, cells + v->offset, true);
        } else {
            memcpy(cells + v->offset, v->initial, v->type->cells * sizeof *cells);
        }
    }
}
