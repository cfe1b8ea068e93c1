/* SPDX-License-Identifier: MIT */
#include "parts.h"

/* What goes in and what comes out of a call. */
typedef struct passing {
    rki_code *in, **in_last;
    rki_code *out, **out_last;
} passing;

static rki_variable *by_name(rki_compiler *c, const rki_syntax *argument, const rki_pou *pou)
{
    rki_variable *v = rki_variable_find(pou->type.fields, argument->word);
    const bool out = argument->operation >= RKI_OUT;

    if (v == NULL || (out ? v->section != RKI_VAR_OUTPUT
                          : v->section != RKI_VAR_INPUT && v->section != RKI_VAR_IN_OUT)) {
        rki_complain(c->parse, argument->at, "%s has no %s '%.60s'", pou->name,
                     out ? "output" : "input", argument->word);
        return NULL;
    }
    return v;
}

/* The n'th of the inputs, in-outs among them. */
static rki_variable *by_position(rki_compiler *c, const rki_syntax *argument,
                                 const rki_pou *pou, int n)
{
    rki_variable *v = pou->type.fields;

    for (; v != NULL; v = v->next) {
        if ((v->section == RKI_VAR_INPUT || v->section == RKI_VAR_IN_OUT) && n-- == 0) return v;
    }
    rki_complain(c->parse, argument->at, "%s has no more inputs", pou->name);
    return NULL;
}

static bool is_given(const rki_code *list, const rki_variable *v)
{
    for (; list != NULL; list = list->next) {
        if (list->offset == v->offset) return true;
    }
    return false;
}

static rki_code *goes_in(rki_compiler *c, const rki_syntax *argument, const rki_variable *v)
{
    rki_code *made, *value;

    if (v->section == RKI_VAR_IN_OUT || v->type->base > (int)RKI_ELEMENTARY) {
        value = rki_compile_address(c, argument->a, v->section == RKI_VAR_IN_OUT);
        if (value == NULL) return NULL;
        if (!rki_type_same(value->type, v->type)) {
            rki_complain(c->parse, argument->at, "%s stands where %s should", value->type->name,
                         v->type->name);
            return NULL;
        }
        made = rki_code_make(c, v->section == RKI_VAR_IN_OUT ? RKI_OP_REFER : RKI_OP_COPY,
                             argument->at, v->type, value, NULL);
    } else {
        value = rki_compile_expression(c, argument->a);
        value = rki_convert(c, value, v->type);
        if (value == NULL) return NULL;
        made = rki_code_make(c, RKI_OP_STORE, argument->at, v->type, value, NULL);
    }
    if (made != NULL) {
        made->offset = v->offset;
    }
    return made;
}

static rki_code *comes_out(rki_compiler *c, const rki_syntax *argument, const rki_variable *v)
{
    rki_code *to = rki_compile_address(c, argument->a, true), *value, *made;

    if (to == NULL) return NULL;
    if (v->type->base > (int)RKI_ELEMENTARY) {
        if (!rki_type_same(to->type, v->type)) {
            rki_complain(c->parse, argument->at, "%s stands where %s should", to->type->name,
                         v->type->name);
            return NULL;
        }
        made = rki_code_make(c, RKI_OP_COPY, argument->at, v->type, NULL, to);
    } else {
        value = rki_code_make(c, RKI_OP_LOAD, argument->at, v->type, NULL, NULL);
        if (value == NULL) return NULL;
        value->offset = v->offset;
        if (argument->operation == RKI_OUT_NOT) {
            if (v->type->base != RK_PLC_BOOL) {
                rki_complain(c->parse, argument->at, "NOT of %s is not defined", v->type->name);
                return NULL;
            }
            value = rki_code_make(c, RKI_OP_NOT, argument->at, v->type, value, NULL);
        }
        value = rki_convert(c, value, to->type);
        if (value == NULL) return NULL;
        made = rki_code_make(c, RKI_OP_STORE, argument->at, v->type, value, to);
    }
    if (made != NULL) {
        made->offset = v->offset;
    }
    return made;
}

static bool pass(rki_compiler *c, const rki_syntax *call, const rki_pou *pou, passing *p)
{
    const rki_syntax *argument;
    const rki_variable *v;
    int n = 0;

    *p = (passing){.in = NULL};
    p->in_last = &p->in;
    p->out_last = &p->out;
    for (argument = call->b; argument != NULL; argument = argument->next) {
        const bool out = argument->operation >= RKI_OUT;
        rki_code *made;

        if ((argument->operation == RKI_POSITIONAL) != (call->b->operation == RKI_POSITIONAL)) {
            rki_complain(c->parse, argument->at, "inputs with and without names are mixed");
            return false;
        }
        v = argument->operation == RKI_POSITIONAL ? by_position(c, argument, pou, n++)
                                                  : by_name(c, argument, pou);
        if (v == NULL) return false;
        if (is_given(out ? p->out : p->in, v)) {
            rki_complain(c->parse, argument->at, "'%.60s' is given twice", v->name);
            return false;
        }
        made = out ? comes_out(c, argument, v) : goes_in(c, argument, v);
        if (made == NULL) return false;
        if (out) {
            *p->out_last = made;
            p->out_last = &made->next;
        } else {
            *p->in_last = made;
            p->in_last = &made->next;
        }
    }
    for (v = pou->type.fields; v != NULL; v = v->next) {
        if ((v->section == RKI_VAR_IN_OUT ||
             (v->section == RKI_VAR_INPUT && n > 0 && pou->what == RKI_FUNCTION)) &&
            !is_given(p->in, v)) {
            rki_complain(c->parse, call->at, "%s needs '%.60s'", pou->name, v->name);
            return false;
        }
    }
    return true;
}

rki_code *rki_compile_call(rki_compiler *c, const rki_syntax *s)
{
    bool known = false;
    const rki_pou *pou;
    rki_code *made;
    passing p;

    if (s->a->kind == RKI_WORD) {
        if (c->pou != NULL && rki_same_word(c->pou->name, s->a->word)) {
            rki_complain(c->parse, s->at, "'%.60s' within itself: recursion is not allowed",
                         s->a->word);
            return NULL;
        }
        made = rki_compile_standard(c, s, &known);
        if (known) return made;
    }
    pou = s->a->kind == RKI_WORD ? rki_pou_find(c->plc, s->a->word) : NULL;
    if (pou == NULL || pou->what != RKI_FUNCTION) {
        rki_complain(c->parse, s->at, "%.60s is no function declared above",
                     s->a->word != NULL ? s->a->word : "this");
        return NULL;
    }
    if (!pass(c, s, pou, &p)) return NULL;
    made = rki_code_make(c, RKI_OP_CALL_FUNCTION, s->at, pou->result->type, NULL, p.in);
    if (made != NULL) {
        made->c = p.out;
        made->pou = pou;
    }
    return made;
}

rki_code *rki_compile_block_call(rki_compiler *c, const rki_syntax *s)
{
    rki_code *instance = rki_compile_address(c, s->a, true), *made;
    passing p;

    if (instance == NULL) return NULL;
    if (instance->type->base != RKI_BLOCK) {
        rki_complain(c->parse, s->at, "%s cannot be called", instance->type->name);
        return NULL;
    }
    if (!pass(c, s, instance->type->pou, &p)) return NULL;
    made = rki_code_make(c, RKI_OP_CALL_BLOCK, s->at, instance->type, instance, p.in);
    if (made != NULL) {
        made->c = p.out;
        made->pou = instance->type->pou;
    }
    return made;
}
