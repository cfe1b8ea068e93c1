/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "parts.h"

rki_code *rki_code_make(rki_compiler *c, rki_op op, rki_place at, const rki_type *type,
                        rki_code *a, rki_code *b)
{
    rki_code *code = rki_arena_room(&c->plc->arena, 1, sizeof *code);

    if (code == NULL) {
        c->parse->status = RK_ERR_MEMORY;
        return NULL;
    }
    code->op = op;
    code->at = at;
    code->type = type;
    code->a = a;
    code->b = b;
    return code;
}

static bool is_constant(const rki_code *code)
{
    return code == NULL || code->op == RKI_OP_CONSTANT;
}

rki_code *rki_fold(rki_compiler *c, rki_code *code)
{
    rki_machine m = {.pou = NULL};
    rk_plc_value value;

    if (code == NULL || !is_constant(code->a) || !is_constant(code->b)) return code;
    value = rki_run_value(&m, code);
    if (m.failed) {
        rki_complain(c->parse, code->at, "%s", m.why);
        return NULL;
    }
    code->op = RKI_OP_CONSTANT;
    code->value = value;
    return code;
}

static bool is_literal(const rki_code *code)
{
    return code->type->base == RKI_LITERAL_INT || code->type->base == RKI_LITERAL_REAL;
}

static rki_code *no_way(rki_compiler *c, const rki_code *value, const rki_type *to)
{
    if (!is_literal(value) && value->type->base <= (int)RKI_ELEMENTARY &&
        to->base <= (int)RKI_ELEMENTARY) {
        rki_complain(c->parse, value->at, "%s stands where %s should: write %s_TO_%s(..)",
                     value->type->name, to->name, value->type->name, to->name);
    } else {
        rki_complain(c->parse, value->at, "%s stands where %s should", value->type->name,
                     to->name);
    }
    return NULL;
}

/* A literal takes on the type that its place asks for. */
static rki_code *take_on(rki_compiler *c, rki_code *value, const rki_type *to)
{
    const bool whole = value->type->base == RKI_LITERAL_INT;
    rki_code *made = rki_code_make(c, RKI_OP_CONSTANT, value->at, to, NULL, NULL);

    if (made == NULL) return NULL;
    if (rki_type_is_real(to)) {
        const double real = whole ? (double)value->value.whole : value->value.real;

        made->value.real = to->base == RK_PLC_REAL ? (double)(float)real : real;
        if (isfinite(made->value.real)) return made;
    } else if (whole && to->base != RK_PLC_TIME) {
        if (!rki_type_holds(to, value->value.whole)) {
            rki_complain(c->parse, value->at, "%lld is beyond the range of %s",
                         (long long)value->value.whole, to->name);
            return NULL;
        }
        made->value.whole = value->value.whole;
        return made;
    }
    return no_way(c, value, to);
}

rki_code *rki_convert(rki_compiler *c, rki_code *value, const rki_type *to)
{
    rki_op op = RKI_OP_TO_WHOLE;

    if (value == NULL) return NULL;
    if (rki_type_same(value->type, to)) return value;
    if (to->base > (int)RKI_LITERAL_REAL) return no_way(c, value, to);
    if (is_literal(value)) return take_on(c, value, to);
    if (!rki_type_widens(value->type, to)) return no_way(c, value, to);
    if (rki_type_is_real(to)) {
        op = rki_type_is_real(value->type) ? RKI_OP_REAL_TO_REAL : RKI_OP_WHOLE_TO_REAL;
    }
    return rki_fold(c, rki_code_make(c, op, value->at, to, value, NULL));
}

/* The type that most others take without a word. */
rki_code *rki_settle(rki_compiler *c, rki_code *value)
{
    static const int bases[] = {RK_PLC_USINT, RK_PLC_INT, RK_PLC_DINT, RK_PLC_LINT};
    size_t i = 0;

    if (value == NULL || !is_literal(value)) return value;
    if (value->type->base == RKI_LITERAL_REAL) {
        return take_on(c, value, rki_type_elementary(RK_PLC_LREAL));
    }
    while (!rki_type_holds(rki_type_elementary(bases[i]), value->value.whole)) {
        i++;
    }
    return take_on(c, value, rki_type_elementary(bases[i]));
}

/* A whole number beside a real literal: LREAL, so that no digit of the literal is lost. */
static const rki_type *beside(const rki_type *other, const rki_code *literal)
{
    return literal->type->base == RKI_LITERAL_REAL && rki_type_is_whole(other)
               ? rki_type_elementary(RK_PLC_LREAL)
               : other;
}

bool rki_unify(rki_compiler *c, rki_code **a, rki_code **b)
{
    const bool a_literal = is_literal(*a), b_literal = is_literal(*b);
    const rki_type *to;

    if (rki_type_same((*a)->type, (*b)->type)) return true;
    if (a_literal && b_literal) {
        to = rki_type_elementary(RKI_LITERAL_REAL); /* one is whole, the other is not */
    } else if (a_literal) {
        to = beside((*b)->type, *a);
    } else if (b_literal) {
        to = beside((*a)->type, *b);
    } else {
        to = rki_type_widens((*a)->type, (*b)->type) ? (*b)->type : (*a)->type;
    }
    *a = rki_convert(c, *a, to);
    *b = *a == NULL ? NULL : rki_convert(c, *b, to);
    return *b != NULL;
}

static rki_code *wrong_operands(rki_compiler *c, rki_place at, const char *what,
                                const rki_code *a, const rki_code *b)
{
    if (b == NULL) {
        rki_complain(c->parse, at, "%s of %s is not defined", what, a->type->name);
    } else {
        rki_complain(c->parse, at, "%s of %s and %s is not defined", what, a->type->name,
                     b->type->name);
    }
    return NULL;
}

static const char *operation_words(int operation)
{
    static const char *const words[] = {
        "OR",           "XOR",          "AND",          "a comparison", "a comparison",
        "a comparison", "a comparison", "a comparison", "a comparison", "a sum",
        "a difference", "a product",    "a quotient",   "MOD",          "a power",
        "a sign",       "NOT"};

    return words[operation];
}

static rki_code *logic(rki_compiler *c, rki_place at, int operation, rki_code *a, rki_code *b)
{
    const rki_type *boolean = rki_type_elementary(RK_PLC_BOOL);
    static const rki_op ops[] = {RKI_OP_OR, RKI_OP_XOR, RKI_OP_AND};

    if ((a->type->base != RK_PLC_BOOL && !is_literal(a)) ||
        (b->type->base != RK_PLC_BOOL && !is_literal(b))) {
        return wrong_operands(c, at, operation_words(operation), a, b);
    }
    a = rki_convert(c, a, boolean);
    b = a == NULL ? NULL : rki_convert(c, b, boolean);
    if (b == NULL) return NULL;
    return rki_fold(c, rki_code_make(c, ops[operation], at, boolean, a, b));
}

/* x - x = 0.0, the standard's only way to ask whether x is finite: of one variable. */
static bool asks_finite(int operation, const rki_code *a, const rki_code *b)
{
    const bool difference = a->op == RKI_OP_SUB_LREAL || a->op == RKI_OP_SUB_REAL;

    return operation == RKI_EQ && difference && a->a->op == RKI_OP_LOAD &&
           a->b->op == RKI_OP_LOAD && a->a->offset == a->b->offset &&
           b->op == RKI_OP_CONSTANT && b->value.real == 0;
}

static rki_code *comparison(rki_compiler *c, rki_place at, int operation, rki_code *a,
                            rki_code *b)
{
    rki_code *made;

    if (a->type->base > (int)RKI_LITERAL_REAL || b->type->base > (int)RKI_LITERAL_REAL) {
        return wrong_operands(c, at, operation_words(operation), a, b);
    }
    if (!rki_unify(c, &a, &b)) return NULL;
    made =
        rki_code_make(c, rki_type_is_real(a->type) ? RKI_OP_COMPARE_REAL : RKI_OP_COMPARE_WHOLE,
                      at, rki_type_elementary(RK_PLC_BOOL), a, b);
    if (made != NULL && asks_finite(operation, a, b)) {
        made->op = RKI_OP_IS_FINITE;
        made->offset = a->a->offset;
    } else if (made != NULL) {
        made->operation = operation;
    }
    return rki_fold(c, made);
}

static double power(double a, double b)
{
    return pow(a, b);
}

static rki_code *raised(rki_compiler *c, rki_place at, rki_code *a, rki_code *b)
{
    const rki_type *lreal = rki_type_elementary(RK_PLC_LREAL);
    rki_code *made;

    if (a->type->base == RKI_LITERAL_INT) {
        a = rki_convert(c, a, lreal);
    }
    a = rki_settle(c, a);
    b = rki_settle(c, b);
    if (a == NULL || b == NULL) return NULL;
    if (!rki_type_is_real(a->type) || !rki_type_is_number(b->type)) {
        return wrong_operands(c, at, "a power", a, b);
    }
    if (rki_type_is_whole(b->type)) {
        b = rki_fold(c, rki_code_make(c, RKI_OP_WHOLE_TO_REAL, at, lreal, b, NULL));
        if (b == NULL) return NULL;
    }
    made = rki_code_make(c, RKI_OP_FUNCTION_REAL, at, a->type, a, b);
    if (made == NULL) return NULL;
    made->real = power;
    return rki_fold(c, made);
}

static rki_code *scaled_time(rki_compiler *c, rki_place at, int operation, rki_code *a,
                             rki_code *b)
{
    rki_code *made;

    b = rki_settle(c, b);
    if (b == NULL) return NULL;
    made = rki_code_make(c, RKI_OP_TIME_SCALED, at, a->type, a, b);
    if (made != NULL) {
        made->operation = operation;
    }
    return rki_fold(c, made);
}

static rki_code *arithmetic(rki_compiler *c, rki_place at, int operation, rki_code *a,
                            rki_code *b)
{
    static const rki_op whole[] = {RKI_OP_ADD_WHOLE, RKI_OP_SUB_WHOLE, RKI_OP_MUL_WHOLE,
                                   RKI_OP_DIV_WHOLE, RKI_OP_MOD_WHOLE},
                        lreal[] = {RKI_OP_ADD_LREAL, RKI_OP_SUB_LREAL, RKI_OP_MUL_LREAL,
                                   RKI_OP_DIV_LREAL},
                        real[] = {RKI_OP_ADD_REAL, RKI_OP_SUB_REAL, RKI_OP_MUL_REAL,
                                  RKI_OP_DIV_REAL};
    const bool time = a->type->base == RK_PLC_TIME;
    const bool both = time && b->type->base == RK_PLC_TIME;
    const int i = operation - RKI_ADD;
    rki_op op;

    if (time && !both && (operation == RKI_MUL || operation == RKI_DIV) &&
        rki_type_is_number(b->type)) {
        return scaled_time(c, at, operation, a, b);
    }
    if (both ? operation > RKI_SUB
             : !rki_type_is_number(a->type) || !rki_type_is_number(b->type)) {
        return wrong_operands(c, at, operation_words(operation), a, b);
    }
    if (!rki_unify(c, &a, &b)) return NULL;
    if (!rki_type_is_real(a->type)) {
        op = whole[i];
    } else if (operation == RKI_MOD) {
        return wrong_operands(c, at, "MOD", a, b);
    } else {
        op = a->type->base == RK_PLC_REAL ? real[i] : lreal[i];
    }
    return rki_fold(c, rki_code_make(c, op, at, a->type, a, b));
}

rki_code *rki_compile_operation(rki_compiler *c, rki_place at, int operation, rki_code *a,
                                rki_code *b)
{
    if (a == NULL || b == NULL) return NULL;
    if (operation <= RKI_AND) return logic(c, at, operation, a, b);
    if (operation <= RKI_GE) return comparison(c, at, operation, a, b);
    if (operation == RKI_POWER) return raised(c, at, a, b);
    return arithmetic(c, at, operation, a, b);
}

static rki_code *unary(rki_compiler *c, const rki_syntax *s)
{
    const rki_type *boolean = rki_type_elementary(RK_PLC_BOOL);
    rki_code *a = rki_compile_expression(c, s->a);

    if (a == NULL) return NULL;
    if (s->operation == RKI_NOT) {
        if (a->type->base != RK_PLC_BOOL) return wrong_operands(c, s->at, "NOT", a, NULL);
        return rki_fold(c, rki_code_make(c, RKI_OP_NOT, s->at, boolean, a, NULL));
    }
    if (!rki_type_is_number(a->type)) return wrong_operands(c, s->at, "a sign", a, NULL);
    return rki_fold(
        c,
        rki_code_make(c, rki_type_is_real(a->type) ? RKI_OP_NEGATE_REAL : RKI_OP_NEGATE_WHOLE,
                      s->at, a->type, a, NULL));
}

rki_code *rki_code_load(rki_compiler *c, rki_code *from)
{
    rki_code *made;

    if (from == NULL) return NULL;
    if (from->op == RKI_OP_HERE) {
        made = rki_code_make(c, RKI_OP_LOAD, from->at, from->type, NULL, NULL);
        if (made != NULL) {
            made->offset = from->offset;
        }
        return made;
    }
    if (from->op == RKI_OP_THERE) {
        made = rki_code_make(c, RKI_OP_GLOBAL, from->at, from->type, NULL, NULL);
        if (made != NULL) {
            made->external = from->external;
        }
        return made;
    }
    return rki_code_make(c, RKI_OP_FETCH, from->at, from->type, from, NULL);
}

/* A constant of this unit stands for its value at once. */
static rki_code *named_constant(rki_compiler *c, const rki_syntax *s, const rki_variable *v)
{
    rki_code *made = rki_code_make(c, RKI_OP_CONSTANT, s->at, v->type, NULL, NULL);

    if (made != NULL) {
        made->value = v->initial[0];
    }
    return made;
}

static rki_code *value_of(rki_compiler *c, const rki_syntax *s)
{
    rki_code *from;

    if (s->kind == RKI_WORD && c->pou != NULL) {
        const rki_variable *v = rki_variable_find(c->pou->type.fields, s->word);

        if (v != NULL && (v->flags & RKI_CONSTANT) != 0 && v->initial != NULL &&
            v->type->base <= (int)RKI_ELEMENTARY) {
            return named_constant(c, s, v);
        }
    }
    from = rki_compile_address(c, s, false);
    if (from == NULL) return NULL;
    if (from->type->base > (int)RKI_ELEMENTARY) {
        rki_complain(c->parse, s->at, "%s is no single value", from->type->name);
        return NULL;
    }
    return rki_code_load(c, from);
}

rki_code *rki_compile_expression(rki_compiler *c, const rki_syntax *s)
{
    rki_code *a;

    switch (s->kind) {
    case RKI_LITERAL:
        return rki_compile_literal(c, s);
    case RKI_UNARY:
        return unary(c, s);
    case RKI_BINARY:
        a = rki_compile_expression(c, s->a);
        return a == NULL ? NULL
                         : rki_compile_operation(c, s->at, s->operation, a,
                                                 rki_compile_expression(c, s->b));
    case RKI_CALL:
        return rki_compile_call(c, s);
    default:
        return value_of(c, s);
    }
}

rki_code *rki_compile_constant(rki_compiler *c, const rki_syntax *s, const rki_type *as)
{
    rki_code *value = rki_convert(c, rki_compile_expression(c, s), as);

    if (value != NULL && value->op != RKI_OP_CONSTANT) {
        rki_complain(c->parse, s->at, "only a constant can stand here");
        return NULL;
    }
    return value;
}
