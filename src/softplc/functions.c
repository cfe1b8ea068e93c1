/* SPDX-License-Identifier: MIT */
/* The standard's functions: IEC 61131-3, 3rd ed., 6.6.2.5. */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

enum { INPUTS_MOST = 64, NAME_CHARS = 32 };

/* What a function makes of its inputs. */
typedef enum sort {
    REAL_1, /* a function of one real */
    REAL_2, /* of two */
    CHAIN,  /* an operator, on two or more */
    ORDER,  /* a comparison, on two or more: each with the next */
    PAIR,   /* an operator, on two */
    ABS,    /* and so on */
    MOVE,
    SEL,
    MUX,
    EXTREME,
    LIMIT
} sort;

#define REAL_FUNCTION(name, call)                                                              \
    static double name(double a, double b)                                                     \
    {                                                                                          \
        (void)b;                                                                               \
        return call(a);                                                                        \
    }
REAL_FUNCTION(of_sqrt, sqrt)
REAL_FUNCTION(of_ln, log)
REAL_FUNCTION(of_log, log10)
REAL_FUNCTION(of_exp, exp)
REAL_FUNCTION(of_sin, sin)
REAL_FUNCTION(of_cos, cos)
REAL_FUNCTION(of_tan, tan)
REAL_FUNCTION(of_asin, asin)
REAL_FUNCTION(of_acos, acos)
REAL_FUNCTION(of_atan, atan)

static double of_atan2(double a, double b)
{
    return atan2(a, b);
}

typedef struct standard {
    const char *name;
    sort sort;
    int operation; /* of an operator; of EXTREME: the code */
    rki_real_function *real;
    int least, most;   /* inputs */
    const char *names; /* of the first inputs; "IN1" and so on otherwise */
} standard;

static const standard functions[] = {
    {"SQRT", REAL_1, 0, of_sqrt, 1, 1, "IN"},
    {"LN", REAL_1, 0, of_ln, 1, 1, "IN"},
    {"LOG", REAL_1, 0, of_log, 1, 1, "IN"},
    {"EXP", REAL_1, 0, of_exp, 1, 1, "IN"},
    {"SIN", REAL_1, 0, of_sin, 1, 1, "IN"},
    {"COS", REAL_1, 0, of_cos, 1, 1, "IN"},
    {"TAN", REAL_1, 0, of_tan, 1, 1, "IN"},
    {"ASIN", REAL_1, 0, of_asin, 1, 1, "IN"},
    {"ACOS", REAL_1, 0, of_acos, 1, 1, "IN"},
    {"ATAN", REAL_1, 0, of_atan, 1, 1, "IN"},
    {"ATAN2", REAL_2, 0, of_atan2, 2, 2, "Y X"},
    {"ADD", CHAIN, RKI_ADD, NULL, 2, INPUTS_MOST, ""},
    {"MUL", CHAIN, RKI_MUL, NULL, 2, INPUTS_MOST, ""},
    {"SUB", PAIR, RKI_SUB, NULL, 2, 2, ""},
    {"DIV", PAIR, RKI_DIV, NULL, 2, 2, ""},
    {"EXPT", PAIR, RKI_POWER, NULL, 2, 2, ""},
    {"GT", ORDER, RKI_GT, NULL, 2, INPUTS_MOST, ""},
    {"GE", ORDER, RKI_GE, NULL, 2, INPUTS_MOST, ""},
    {"EQ", ORDER, RKI_EQ, NULL, 2, INPUTS_MOST, ""},
    {"LE", ORDER, RKI_LE, NULL, 2, INPUTS_MOST, ""},
    {"LT", ORDER, RKI_LT, NULL, 2, INPUTS_MOST, ""},
    {"NE", PAIR, RKI_NE, NULL, 2, 2, ""},
    {"ABS", ABS, 0, NULL, 1, 1, "IN"},
    {"MOVE", MOVE, 0, NULL, 1, 1, "IN"},
    {"SEL", SEL, 0, NULL, 3, 3, "G IN0 IN1"},
    {"MUX", MUX, 0, NULL, 3, INPUTS_MOST, "K IN0 IN1 IN2 IN3 IN4 IN5 IN6 IN7 IN8"},
    {"MAX", EXTREME, RKI_OP_MAX, NULL, 2, INPUTS_MOST, ""},
    {"MIN", EXTREME, RKI_OP_MIN, NULL, 2, INPUTS_MOST, ""},
    {"LIMIT", LIMIT, RKI_OP_LIMIT, NULL, 3, 3, "MN IN MX"},
};

/* The name of the i'th input. */
static void input_name(const standard *f, int i, char name[NAME_CHARS])
{
    const char *from = f->names;
    int skip;

    for (skip = i; skip > 0 && from != NULL; skip--) {
        from = strchr(from, ' ');
        from += from != NULL;
    }
    if (from == NULL || *from == '\0') {
        (void)snprintf(name, NAME_CHARS, "IN%d", i + 1);
    } else {
        (void)snprintf(name, NAME_CHARS, "%.*s", (int)strcspn(from, " "), from);
    }
}

/* Where an argument goes, or -1. */
static int input_at(const standard *f, const rki_syntax *argument)
{
    char name[NAME_CHARS];
    int i;

    for (i = 0; i < f->most; i++) {
        input_name(f, i, name);
        if (rki_same_word(name, argument->word)) return i;
    }
    return -1;
}

/* The inputs, compiled, in order; how many, or -1 and an error. */
static int take_inputs(rki_compiler *c, const rki_syntax *call, const standard *f,
                       rki_code *inputs[INPUTS_MOST])
{
    const rki_syntax *argument;
    int count = 0, i;

    for (i = 0; i < INPUTS_MOST; i++) {
        inputs[i] = NULL;
    }
    for (argument = call->b; argument != NULL; argument = argument->next, count++) {
        i = argument->operation == RKI_IN ? input_at(f, argument) : count;
        if (argument->operation > RKI_IN || i < 0 || i >= f->most || inputs[i] != NULL) {
            rki_complain(c->parse, argument->at, "%s has no such input", f->name);
            return -1;
        }
        inputs[i] = rki_compile_expression(c, argument->a);
        if (inputs[i] == NULL) return -1;
    }
    for (i = 0; i < count && inputs[i] != NULL; i++) {
    }
    if (i < count || count < f->least) {
        rki_complain(c->parse, call->at, "%s needs %s%d inputs", f->name,
                     f->most > f->least ? "at least " : "", f->least);
        return -1;
    }
    return count;
}

static rki_code *wrong_input(rki_compiler *c, const rki_syntax *call, const char *name,
                             const rki_code *input)
{
    rki_complain(c->parse, call->at, "%s of %s is not defined", name, input->type->name);
    return NULL;
}

static rki_code *real_function(rki_compiler *c, const rki_syntax *call, const standard *f,
                               rki_code *a, rki_code *b)
{
    rki_code *made;

    if (a->type->base == RKI_LITERAL_INT) {
        a = rki_convert(c, a, rki_type_elementary(RKI_LITERAL_REAL));
    }
    if (a != NULL && b != NULL && !rki_unify(c, &a, &b)) return NULL;
    a = rki_settle(c, a);
    b = rki_settle(c, b);
    if (a == NULL) return NULL;
    if (!rki_type_is_real(a->type)) return wrong_input(c, call, f->name, a);
    made = rki_code_make(c, RKI_OP_FUNCTION_REAL, call->at, a->type, a, b);
    if (made != NULL) {
        made->real = f->real;
    }
    return rki_fold(c, made);
}

static rki_code *chain(rki_compiler *c, const rki_syntax *call, const standard *f,
                       rki_code *inputs[INPUTS_MOST], int count)
{
    rki_code *made = inputs[0];
    int i;

    for (i = 1; i < count; i++) {
        made = rki_compile_operation(c, call->at, f->operation, made, inputs[i]);
    }
    return made;
}

static rki_code *ordered(rki_compiler *c, const rki_syntax *call, const standard *f,
                         rki_code *inputs[INPUTS_MOST], int count)
{
    rki_code *made = NULL;
    int i;

    for (i = 0; i + 1 < count; i++) {
        rki_code *each =
            rki_compile_operation(c, call->at, f->operation, inputs[i], inputs[i + 1]);

        made = i == 0 ? each : rki_compile_operation(c, call->at, RKI_AND, made, each);
    }
    return made;
}

/* The inputs from `from` on as a list, all of one elementary type. */
static rki_code *listed(rki_compiler *c, const rki_syntax *call, const standard *f,
                        rki_code *inputs[INPUTS_MOST], int from, int count)
{
    int pass, i;

    if (inputs[from] == NULL) return NULL;
    if (inputs[from]->type->base > (int)RKI_LITERAL_REAL) {
        return wrong_input(c, call, f->name, inputs[from]);
    }
    for (pass = 0; pass < 2; pass++) { /* the widest is known after the first pass */
        for (i = from; i + 1 < count; i++) {
            if (!rki_unify(c, &inputs[i], &inputs[i + 1])) return NULL;
        }
        for (i = count - 1; i > from; i--) {
            if (!rki_unify(c, &inputs[i], &inputs[i - 1])) return NULL;
        }
    }
    for (i = from; i < count; i++) {
        inputs[i] = rki_settle(c, inputs[i]);
        if (inputs[i] == NULL) return NULL;
        if (!rki_type_same(inputs[i]->type, inputs[from]->type)) {
            return wrong_input(c, call, f->name, inputs[i]);
        }
        inputs[i]->next = NULL;
        if (i > from) {
            inputs[i - 1]->next = inputs[i];
        }
    }
    return inputs[from];
}

static rki_code *chosen(rki_compiler *c, const rki_syntax *call, const standard *f,
                        rki_code *inputs[INPUTS_MOST], int count)
{
    const bool sel = f->sort == SEL;
    rki_code *which = sel ? rki_convert(c, inputs[0], rki_type_elementary(RK_PLC_BOOL))
                          : rki_settle(c, inputs[0]);
    rki_code *list = which == NULL ? NULL : listed(c, call, f, inputs, 1, count);

    if (list == NULL) return NULL;
    if (!sel && !rki_type_is_whole(which->type)) return wrong_input(c, call, f->name, which);
    return rki_code_make(c, sel ? RKI_OP_SELECT : RKI_OP_MULTIPLEX, call->at, list->type, which,
                         list);
}

static double of_fabs(double a, double b)
{
    (void)b;
    return fabs(a);
}

static rki_code *absolute(rki_compiler *c, const rki_syntax *call, rki_code *a)
{
    rki_code *made;

    if (!rki_type_is_number(a->type)) return wrong_input(c, call, "ABS", a);
    made = rki_code_make(c, rki_type_is_real(a->type) ? RKI_OP_FUNCTION_REAL : RKI_OP_ABS_WHOLE,
                         call->at, a->type, a, NULL);
    if (made != NULL) {
        made->real = of_fabs;
    }
    return rki_fold(c, made);
}

static rki_code *make(rki_compiler *c, const rki_syntax *call, const standard *f,
                      rki_code *inputs[INPUTS_MOST], int count)
{
    rki_code *made;

    switch (f->sort) {
    case REAL_1:
    case REAL_2:
        return real_function(c, call, f, inputs[0], inputs[1]);
    case CHAIN:
    case PAIR:
        return chain(c, call, f, inputs, count);
    case ORDER:
        return ordered(c, call, f, inputs, count);
    case ABS:
        return absolute(c, call, inputs[0]);
    case MOVE:
        return inputs[0];
    case SEL:
    case MUX:
        return chosen(c, call, f, inputs, count);
    default: /* EXTREME, LIMIT */
        made = listed(c, call, f, inputs, 0, count);
        return made == NULL
                   ? NULL
                   : rki_code_make(c, (rki_op)f->operation, call->at, made->type, made, NULL);
    }
}

/* ---- X_TO_Y, TO_Y, X_TRUNC_Y, TRUNC_Y ---- */

typedef struct conversion {
    const rki_type *from, *to; /* from: NULL: whatever it is given */
    bool truncated;
} conversion;

static const rki_type *named(const char *chars, size_t length)
{
    char name[NAME_CHARS];

    if (length == 0 || length >= sizeof name) return NULL;
    memcpy(name, chars, length);
    name[length] = '\0';
    return rki_type_by_name(name);
}

static bool read_way(const char *name, const char *word, conversion *found)
{
    const size_t length = strlen(word), whole = strlen(name);
    size_t i, j;

    for (i = 0; i + length < whole; i++) {
        for (j = 0; j < length && (name[i + j] | 0x20) == (word[j] | 0x20); j++) {
        }
        if (j < length || (i > 0 && name[i - 1] != '_')) continue;
        found->from = i > 0 ? named(name, i - 1) : NULL;
        found->to = named(name + i + length, whole - i - length);
        if (found->to != NULL && (i == 0 || found->from != NULL)) return true;
    }
    return false;
}

static bool read_conversion(const char *name, conversion *found)
{
    found->truncated = false;
    if (read_way(name, "TO_", found)) return true;
    found->truncated = true;
    return read_way(name, "TRUNC_", found);
}

/* How a value of `from` becomes one of `to`; false: the standard knows no such conversion. */
static bool way(const rki_type *from, const conversion *how, rki_op *op)
{
    const bool to_real = rki_type_is_real(how->to);

    if (from->base == RK_PLC_TIME || how->to->base == RK_PLC_TIME) return false;
    if (how->truncated) {
        *op = RKI_OP_TRUNCATE;
        return rki_type_is_real(from) && rki_type_is_whole(how->to);
    }
    if (how->to->base == RK_PLC_BOOL) {
        *op = rki_type_is_real(from) ? RKI_OP_TO_BOOL_REAL : RKI_OP_TO_BOOL_WHOLE;
    } else if (rki_type_is_real(from)) {
        *op = to_real ? RKI_OP_REAL_TO_REAL : RKI_OP_REAL_TO_WHOLE;
    } else {
        *op = to_real ? RKI_OP_WHOLE_TO_REAL : RKI_OP_TO_WHOLE;
    }
    return true;
}

static rki_code *converted(rki_compiler *c, const rki_syntax *call, const char *name,
                           const conversion *how)
{
    rki_code *a;
    rki_op op;

    if (call->b == NULL || call->b->next != NULL || call->b->operation > RKI_IN) {
        rki_complain(c->parse, call->at, "%s needs 1 input", name);
        return NULL;
    }
    a = rki_compile_expression(c, call->b->a);
    if (a == NULL) return NULL;
    a = how->from != NULL ? rki_convert(c, a, how->from) : rki_settle(c, a);
    if (a == NULL) return NULL;
    if (a->type->base > (int)RKI_ELEMENTARY || !way(a->type, how, &op)) {
        return wrong_input(c, call, name, a);
    }
    return rki_fold(c, rki_code_make(c, op, call->at, how->to, a, NULL));
}

rki_code *rki_compile_standard(rki_compiler *c, const rki_syntax *call, bool *known)
{
    const char *name = call->a->word;
    rki_code *inputs[INPUTS_MOST];
    conversion how;
    int count;
    size_t i;

    *known = true;
    for (i = 0; i < sizeof functions / sizeof functions[0]; i++) {
        const standard *f = &functions[i];

        if (!rki_same_word(f->name, name)) continue;
        count = take_inputs(c, call, f, inputs);
        return count < 0 || inputs[0] == NULL ? NULL : make(c, call, f, inputs, count);
    }
    if (read_conversion(name, &how)) return converted(c, call, name, &how);
    *known = false;
    return NULL;
}
