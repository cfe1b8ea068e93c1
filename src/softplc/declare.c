/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "parts.h"

/* All variables of a PLC: 128 MB. */
#define CELLS_MOST ((size_t)1 << 24)

void *rki_compiler_room(rki_compiler *c, size_t size)
{
    void *made = rki_arena_room(&c->plc->arena, 1, size);

    if (made == NULL) {
        c->parse->status = RK_ERR_MEMORY;
    }
    return made;
}

rk_plc_value *rki_cells_make(rki_compiler *c, rki_place at, size_t count)
{
    rk_plc_value *made;

    if (count > CELLS_MOST - c->plc->cells) {
        rki_complain(c->parse, at, "more variables than this PLC has memory for");
        return NULL;
    }
    c->plc->cells += count;
    made = rki_arena_room(&c->plc->arena, count, sizeof *made);
    if (made == NULL) {
        c->parse->status = RK_ERR_MEMORY;
    }
    return made;
}

rki_pou *rki_pou_find(const rk_plc *plc, const char *name)
{
    rki_pou *pou;

    for (pou = plc->pous; pou != NULL; pou = pou->next) {
        if (rki_same_word(pou->name, name)) return pou;
    }
    return NULL;
}

static const rki_type *find_type(const rk_plc *plc, const char *name)
{
    const rki_type *elementary = rki_type_by_name(name);
    const rki_named_type *type;
    const rki_pou *pou;

    if (elementary != NULL) return elementary;
    for (type = plc->types; type != NULL; type = type->next) {
        if (rki_same_word(type->type.name, name)) return &type->type;
    }
    pou = rki_pou_find(plc, name);
    return pou != NULL && pou->what == RKI_FUNCTION_BLOCK ? &pou->type : NULL;
}

static const rki_type *array(rki_compiler *c, const rki_syntax *range, const rki_type *of)
{
    const rki_type *dint = rki_type_elementary(RK_PLC_DINT);
    const rki_code *low, *high;
    rki_type *made;

    if (range->next != NULL) { /* an array of arrays */
        of = array(c, range->next, of);
    }
    low = of == NULL ? NULL : rki_compile_constant(c, range->a, dint);
    high = low == NULL ? NULL : rki_compile_constant(c, range->b, dint);
    if (high == NULL) return NULL;
    if (high->value.whole < low->value.whole) {
        rki_complain(c->parse, range->at, "an array's range ends before it starts");
        return NULL;
    }
    made = rki_compiler_room(c, sizeof *made);
    if (made == NULL) return NULL;
    *made = (rki_type){.base = RKI_ARRAY, .name = "an array", .of = of};
    made->low = low->value.whole;
    made->high = high->value.whole;
    if ((size_t)(made->high - made->low) + 1 > CELLS_MOST / of->cells) {
        rki_complain(c->parse, range->at, "more elements than this PLC has memory for");
        return NULL;
    }
    made->cells = ((size_t)(made->high - made->low) + 1) * of->cells;
    return made;
}

/* Where each variable stands: one behind the other. */
static size_t lay_out(rki_variable *list, bool temporary, size_t at)
{
    for (; list != NULL; list = list->next) {
        if (list->section == RKI_VAR_EXTERNAL || (list->section == RKI_VAR_TEMP) != temporary) {
            continue;
        }
        list->offset = at;
        at += list->section == RKI_VAR_IN_OUT ? 1 : list->type->cells;
    }
    return at;
}

/* The initial values of all, put together. */
static bool make_image(rki_compiler *c, rki_place at, rki_type *type)
{
    const rki_variable *v;
    rk_plc_value *image = rki_cells_make(c, at, type->cells > 0 ? type->cells : 1);

    if (image == NULL) return false;
    for (v = type->fields; v != NULL; v = v->next) {
        if (v->section == RKI_VAR_EXTERNAL || v->section == RKI_VAR_IN_OUT) continue;
        memcpy(image + v->offset, v->initial, v->type->cells * sizeof *image);
    }
    type->image = image;
    return true;
}

static bool holds_block(const rki_type *type)
{
    while (type->base == RKI_ARRAY) {
        type = type->of;
    }
    return type->base == RKI_BLOCK;
}

/* The variables of one line, at the list's end. */
static bool declare_line(rki_compiler *c, const rki_syntax *line, int section, int flags,
                         rki_variable **list)
{
    const rki_type *type = rki_compile_type(c, line->b);
    const bool has_cells = section != RKI_VAR_EXTERNAL && section != RKI_VAR_IN_OUT;
    const rki_syntax *name;

    if (type == NULL) return false;
    if (!has_cells && line->c != NULL) {
        rki_complain(c->parse, line->c->at, "this variable stands elsewhere: no initial value");
        return false;
    }
    for (name = line->a; name != NULL; name = name->next) {
        rk_plc_value *initial = NULL;
        rki_variable *made;

        if (rki_variable_find(*list, name->word) != NULL) {
            rki_complain(c->parse, name->at, "'%.60s' is declared twice", name->word);
            return false;
        }
        made = rki_compiler_room(c, sizeof *made);
        if (made == NULL) return false;
        made->name = name->word;
        made->type = type;
        made->section = section;
        made->flags = flags;
        if (has_cells) {
            initial = rki_cells_make(c, name->at, type->cells);
            if (initial == NULL || !rki_compile_initial(c, line->c, type, initial)) {
                return false;
            }
        }
        made->initial = initial;
        if (section == RKI_VAR_EXTERNAL) {
            made->global = rki_global(c, name, type);
            if (made->global == NULL) return false;
        }
        while (*list != NULL) {
            list = &(*list)->next;
        }
        *list = made;
    }
    return true;
}

bool rki_declare_variables(rki_compiler *c, const rki_syntax *section, rki_variable **list)
{
    const rki_syntax *line;

    for (line = section->a; line != NULL; line = line->next) {
        if (!declare_line(c, line, section->operation, section->flags, list)) return false;
    }
    return true;
}

static const rki_type *structure(rki_compiler *c, const rki_syntax *spec)
{
    rki_type *made = rki_compiler_room(c, sizeof *made);
    const rki_syntax *line;
    const rki_variable *v;

    if (made == NULL) return NULL;
    *made = (rki_type){.base = RKI_STRUCT, .name = "a structure"};
    for (line = spec->a; line != NULL; line = line->next) {
        if (!declare_line(c, line, RKI_VAR, 0, &made->fields)) return NULL;
    }
    for (v = made->fields; v != NULL; v = v->next) {
        if (holds_block(v->type)) {
            rki_complain(c->parse, spec->at, "a structure holds no function blocks: '%.60s'",
                         v->name);
            return NULL;
        }
    }
    made->cells = lay_out(made->fields, false, 0);
    return make_image(c, spec->at, made) ? made : NULL;
}

const rki_type *rki_compile_type(rki_compiler *c, const rki_syntax *spec)
{
    const rki_type *type;

    if (spec->kind == RKI_TYPE_STRUCT) return structure(c, spec);
    if (spec->kind == RKI_TYPE_ARRAY) {
        type = rki_compile_type(c, spec->b);
        return type == NULL ? NULL : array(c, spec->a, type);
    }
    type = find_type(c->plc, spec->word);
    if (type != NULL) return type;
    if (c->pou != NULL && rki_same_word(c->pou->name, spec->word)) {
        rki_complain(c->parse, spec->at, "'%.60s' within itself: recursion is not allowed",
                     spec->word);
    } else {
        rki_complain(c->parse, spec->at, "no type '%.60s' is declared above", spec->word);
    }
    return NULL;
}

static bool is_free(rki_compiler *c, const rki_syntax *s)
{
    if (find_type(c->plc, s->word) == NULL && rki_pou_find(c->plc, s->word) == NULL) {
        return true;
    }
    rki_complain(c->parse, s->at, "'%.60s' is declared twice", s->word);
    return false;
}

static bool compile_named_type(rki_compiler *c, const rki_syntax *s)
{
    const rki_type *type = is_free(c, s) ? rki_compile_type(c, s->a) : NULL;
    rki_named_type *made = type == NULL ? NULL : rki_compiler_room(c, sizeof *made);
    rk_plc_value *image;

    if (made == NULL) return false;
    made->type = *type;
    made->type.name = s->word;
    if (s->b != NULL) {
        image = rki_cells_make(c, s->at, type->cells);
        if (image == NULL || !rki_compile_initial(c, s->b, type, image)) return false;
        made->type.image = image;
    }
    made->next = c->plc->types;
    c->plc->types = made;
    return true;
}

static bool declare_sections(rki_compiler *c, const rki_syntax *section, rki_pou *pou)
{
    const rki_variable *v;

    for (; section != NULL; section = section->next) {
        if (section->operation == RKI_VAR_GLOBAL) {
            rki_complain(c->parse, section->at, "VAR_GLOBAL stands in a CONFIGURATION");
            return false;
        }
        if (!rki_declare_variables(c, section, &pou->type.fields)) return false;
    }
    for (v = pou->type.fields; v != NULL && pou->what == RKI_FUNCTION; v = v->next) {
        if (holds_block(v->type) && v->section != RKI_VAR_IN_OUT) {
            rki_complain(c->parse, (rki_place){1, 1},
                         "function %.60s remembers nothing: no function block '%.60s' in it",
                         pou->name, v->name);
            return false;
        }
    }
    return true;
}

/* A function's result is a variable of its name. */
static bool declare_result(rki_compiler *c, const rki_syntax *s, rki_pou *pou)
{
    rki_syntax name = {.kind = RKI_WORD, .at = s->at, .word = s->word};
    const rki_syntax line = {.at = s->at, .a = &name, .b = s->c};

    if (!declare_line(c, &line, RKI_VAR, 0, &pou->type.fields)) return false;
    pou->result = rki_variable_find(pou->type.fields, s->word);
    if (pou->result->type->base > (int)RKI_ELEMENTARY) {
        rki_complain(c->parse, s->at, "a function returns a single value, not %s",
                     pou->result->type->name);
        return false;
    }
    return true;
}

static bool compile_pou(rki_compiler *c, const rki_syntax *s)
{
    rki_pou *pou = is_free(c, s) ? rki_compiler_room(c, sizeof *pou) : NULL;
    bool done;

    if (pou == NULL) return false;
    pou->name = s->word;
    pou->source = rki_word_keep(&c->plc->arena, c->parse->name, strlen(c->parse->name));
    pou->what = s->operation;
    pou->type.base = RKI_BLOCK;
    pou->type.name = s->word;
    pou->type.pou = pou;
    if (pou->source == NULL) {
        c->parse->status = RK_ERR_MEMORY;
        return false;
    }
    c->pou = pou;
    done = (s->operation != RKI_FUNCTION || declare_result(c, s, pou)) &&
           declare_sections(c, s->a, pou);
    if (done) {
        pou->temp_at = lay_out(pou->type.fields, false, 0);
        pou->type.cells = lay_out(pou->type.fields, true, pou->temp_at);
        if (pou->type.cells == 0) {
            pou->type.cells = 1; /* an instance stands somewhere */
        }
        done = make_image(c, s->at, &pou->type) && rki_compile_statements(c, s->b, &pou->body);
    }
    c->pou = NULL;
    if (!done) return false;
    pou->next = c->plc->pous;
    c->plc->pous = pou;
    return true;
}

bool rki_compile_items(rki_compiler *c, const rki_syntax *items)
{
    bool done = true;

    for (; items != NULL && done; items = items->next) {
        if (items->kind == RKI_TYPE) {
            done = compile_named_type(c, items);
        } else if (items->kind == RKI_POU) {
            done = compile_pou(c, items);
        } else {
            done = rki_compile_configuration(c, items);
        }
    }
    return done;
}
