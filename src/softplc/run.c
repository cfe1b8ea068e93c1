/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "parts.h"

/* What a list of statements ends with. */
typedef enum flow { NEXT, LEAVE, AGAIN, DONE } flow;

static const rk_plc_value nothing = {0};

/* The scan is over: only the first error counts. */
static rk_plc_value fail(rki_machine *m, const rki_code *code, const char *why)
{
    if (!m->failed) {
        m->failed = true;
        m->at = code->at;
        m->why = why;
        m->where = m->pou != NULL ? m->pou->source : "";
    }
    return nothing;
}

static rk_plc_value whole_of(int64_t whole)
{
    return (rk_plc_value){.whole = whole};
}

static rk_plc_value real_of(double real)
{
    return (rk_plc_value){.real = real};
}

/* The value of what mostly is a variable or a constant. */
static inline rk_plc_value operand(rki_machine *m, const rki_code *code)
{
    if (code->op == RKI_OP_LOAD) return m->cells[code->offset];
    if (code->op == RKI_OP_CONSTANT) return code->value;
    return rki_run_value(m, code);
}

static rk_plc_value *address(rki_machine *m, const rki_code *code)
{
    int64_t index;
    rk_plc_value *at;

    switch (code->op) {
    case RKI_OP_HERE:
        return m->cells + code->offset;
    case RKI_OP_THERE:
        return code->external->cell;
    case RKI_OP_REFER:
        return m->cells[code->offset].at;
    case RKI_OP_WITHIN:
        return address(m, code->a) + code->offset;
    default: /* RKI_OP_ELEMENT */
        at = address(m, code->a);
        index = rki_run_value(m, code->b).whole;
        if (index < code->value.whole || index > code->high) {
            (void)fail(m, code, "an index beyond its array");
            return at;
        }
        return at + ((size_t)(index - code->value.whole) * code->offset);
    }
}

static rk_plc_value whole_result(rki_machine *m, const rki_code *code, bool overflow,
                                 int64_t result)
{
    if (overflow || result < code->type->low || result > code->type->high) {
        return fail(m, code, "a result beyond the range of its type");
    }
    return whole_of(result);
}

static rk_plc_value divided(rki_machine *m, const rki_code *code)
{
    const int64_t a = rki_run_value(m, code->a).whole, b = rki_run_value(m, code->b).whole;

    if (m->failed) return nothing;
    if (code->op == RKI_OP_MOD_WHOLE) {
        /* "IN1 MOD 0" is 0 by the standard; the sign is IN1's. */
        return whole_of(b == 0 || b == -1 ? 0 : a % b);
    }
    if (b == 0) return fail(m, code, "a division by zero");
    if (b == -1) return whole_result(m, code, a == INT64_MIN, a == INT64_MIN ? a : -a);
    return whole_of(a / b);
}

static bool by_order(int operation, int order)
{
    switch (operation) {
    case RKI_EQ:
        return order == 0;
    case RKI_NE:
        return order != 0;
    case RKI_LT:
        return order < 0;
    case RKI_GT:
        return order > 0;
    case RKI_LE:
        return order <= 0;
    default:
        return order >= 0;
    }
}

static bool compare_reals(int operation, double a, double b)
{
    switch (operation) {
    case RKI_EQ:
        return a == b;
    case RKI_NE:
        return a != b;
    case RKI_LT:
        return a < b;
    case RKI_GT:
        return a > b;
    case RKI_LE:
        return a <= b;
    default:
        return a >= b;
    }
}

/* 2^63 itself is beyond; a NaN too. */
static bool fits_whole(double x)
{
    return x >= -9223372036854775808.0 && x < 9223372036854775808.0;
}

static rk_plc_value real_to_whole(rki_machine *m, const rki_code *code)
{
    const double given = rki_run_value(m, code->a).real;
    const double rounded = code->op == RKI_OP_TRUNCATE ? trunc(given) : nearbyint(given);

    if (!fits_whole(rounded)) {
        return fail(m, code, "a result beyond the range of its type");
    }
    return whole_result(m, code, false, (int64_t)rounded);
}

static rk_plc_value time_scaled(rki_machine *m, const rki_code *code)
{
    const int64_t time = rki_run_value(m, code->a).whole;
    const rk_plc_value by = rki_run_value(m, code->b);
    int64_t result = 0;
    double real;

    if (m->failed) return nothing;
    if (!rki_type_is_real(code->b->type)) {
        if (code->operation == RKI_MUL) {
            const bool overflow = __builtin_mul_overflow(time, by.whole, &result);

            return whole_result(m, code, overflow, result);
        }
        if (by.whole == 0) return fail(m, code, "a division by zero");
        if (by.whole == -1) {
            return whole_result(m, code, time == INT64_MIN, time == INT64_MIN ? 0 : -time);
        }
        return whole_of(time / by.whole);
    }
    if (code->operation == RKI_DIV && by.real == 0) return fail(m, code, "a division by zero");
    real =
        nearbyint(code->operation == RKI_MUL ? (double)time * by.real : (double)time / by.real);
    if (!fits_whole(real)) {
        return fail(m, code, "a result beyond the range of its type");
    }
    return whole_of((int64_t)real);
}

static bool is_above(const rki_type *type, rk_plc_value a, rk_plc_value b)
{
    return rki_type_is_real(type) ? a.real > b.real : a.whole > b.whole;
}

static rk_plc_value extreme(rki_machine *m, const rki_code *code)
{
    const rki_code *item = code->a;
    rk_plc_value best = rki_run_value(m, item);

    for (item = item->next; item != NULL; item = item->next) {
        const rk_plc_value value = rki_run_value(m, item);

        if (code->op == RKI_OP_MAX ? is_above(code->type, value, best)
                                   : is_above(code->type, best, value)) {
            best = value;
        }
    }
    return best;
}

/* LIMIT is MIN(MAX(in, low), high) by the standard. */
static rk_plc_value limited(rki_machine *m, const rki_code *code)
{
    const rk_plc_value low = rki_run_value(m, code->a), in = rki_run_value(m, code->a->next),
                       high = rki_run_value(m, code->a->next->next);
    const rk_plc_value raised = is_above(code->type, low, in) ? low : in;

    return is_above(code->type, raised, high) ? high : raised;
}

/* All are evaluated, as a function's inputs are; one is taken. */
static rk_plc_value chosen(rki_machine *m, const rki_code *code)
{
    const int64_t which = rki_run_value(m, code->a).whole;
    rk_plc_value result = nothing;
    const rki_code *item;
    int64_t i = 0;
    bool found = false;

    for (item = code->b; item != NULL; item = item->next, i++) {
        const rk_plc_value value = rki_run_value(m, item);

        if (i == which) {
            result = value;
            found = true;
        }
    }
    return found ? result : fail(m, code, "MUX: the selector is beyond the inputs");
}

/* One after the other: evaluate all of `list` into the cells that each names. */
static void pass_in(rki_machine *m, const rki_code *list, rk_plc_value *cells)
{
    for (; list != NULL && !m->failed; list = list->next) {
        if (list->op == RKI_OP_COPY) {
            memcpy(cells + list->offset, address(m, list->a),
                   list->type->cells * sizeof *cells);
        } else if (list->op == RKI_OP_REFER) {
            rk_plc_value *at = address(m, list->a);

            cells[list->offset].at = at;
        } else {
            const rk_plc_value value = rki_run_value(m, list->a);

            cells[list->offset] = value;
        }
    }
}

/* The output stands in `cells`, which is the instance for the code a; b says where it goes. */
static void pass_out(rki_machine *m, const rki_code *list, rk_plc_value *cells)
{
    rk_plc_value *const own = m->cells;

    for (; list != NULL && !m->failed; list = list->next) {
        rk_plc_value *to = address(m, list->b);

        if (m->failed) return;
        if (list->op == RKI_OP_COPY) {
            memmove(to, cells + list->offset, list->type->cells * sizeof *cells);
        } else {
            rk_plc_value value;

            m->cells = cells;
            value = rki_run_value(m, list->a);
            m->cells = own;
            *to = value;
        }
    }
}

static rk_plc_value call_function(rki_machine *m, const rki_code *code)
{
    const rki_pou *pou = code->pou;
    const size_t base = m->top, size = pou->type.cells;
    rk_plc_value *frame = m->stack + base, result;

    if (size > RKI_STACK_CELLS - base) {
        return fail(m, code, "functions need more memory than there is");
    }
    m->top += size;
    memcpy(frame, pou->type.image, size * sizeof *frame);
    pass_in(m, code->b, frame);
    if (!m->failed) {
        rki_run_body(m, pou, frame);
        pass_out(m, code->c, frame);
    }
    result = frame[pou->result->offset];
    m->top = base;
    return result;
}

#define WHOLE_OPERATION(builtin)                                                               \
    do {                                                                                       \
        const int64_t x = rki_run_value(m, code->a).whole,                                     \
                      y = rki_run_value(m, code->b).whole;                                     \
        int64_t result = 0;                                                                    \
        const bool overflow = builtin(x, y, &result);                                          \
                                                                                               \
        return m->failed ? nothing : whole_result(m, code, overflow, result);                  \
    } while (0)

static rk_plc_value run_rarer(rki_machine *m, const rki_code *code)
{
    rk_plc_value a, b;

    switch (code->op) {
    case RKI_OP_ADD_WHOLE:
        WHOLE_OPERATION(__builtin_add_overflow);
    case RKI_OP_SUB_WHOLE:
        WHOLE_OPERATION(__builtin_sub_overflow);
    case RKI_OP_MUL_WHOLE:
        WHOLE_OPERATION(__builtin_mul_overflow);
    case RKI_OP_DIV_WHOLE:
    case RKI_OP_MOD_WHOLE:
        return divided(m, code);
    case RKI_OP_NEGATE_WHOLE:
    case RKI_OP_ABS_WHOLE:
        a = rki_run_value(m, code->a);
        if (code->op == RKI_OP_ABS_WHOLE && a.whole >= 0) return a;
        return whole_result(m, code, a.whole == INT64_MIN, a.whole == INT64_MIN ? 0 : -a.whole);
    case RKI_OP_NEGATE_REAL:
        return real_of(-rki_run_value(m, code->a).real);
    case RKI_OP_TIME_SCALED:
        return time_scaled(m, code);
    case RKI_OP_FUNCTION_REAL:
        a = rki_run_value(m, code->a);
        b = code->b != NULL ? rki_run_value(m, code->b) : nothing;
        a.real = code->real(a.real, b.real);
        return code->type->base == RK_PLC_REAL ? real_of((double)(float)a.real) : a;
    case RKI_OP_WHOLE_TO_REAL:
        a = rki_run_value(m, code->a);
        return real_of(code->type->base == RK_PLC_REAL ? (double)(float)a.whole
                                                       : (double)a.whole);
    case RKI_OP_REAL_TO_REAL:
        a = rki_run_value(m, code->a);
        return code->type->base == RK_PLC_REAL ? real_of((double)(float)a.real) : a;
    case RKI_OP_REAL_TO_WHOLE:
    case RKI_OP_TRUNCATE:
        return real_to_whole(m, code);
    case RKI_OP_TO_BOOL_WHOLE:
        return whole_of(rki_run_value(m, code->a).whole != 0);
    case RKI_OP_TO_BOOL_REAL:
        return whole_of(rki_run_value(m, code->a).real != 0);
    case RKI_OP_TO_WHOLE:
        return whole_result(m, code, false, rki_run_value(m, code->a).whole);
    case RKI_OP_SELECT:
    case RKI_OP_MULTIPLEX:
        return chosen(m, code);
    case RKI_OP_MAX:
    case RKI_OP_MIN:
        return extreme(m, code);
    case RKI_OP_LIMIT:
        return limited(m, code);
    default: /* RKI_OP_CALL_FUNCTION */
        return call_function(m, code);
    }
}

static double run_real(rki_machine *m, const rki_code *code);

static inline double real_operand(rki_machine *m, const rki_code *code)
{
    if (code->op == RKI_OP_LOAD) return m->cells[code->offset].real;
    if (code->op == RKI_OP_CONSTANT) return code->value.real;
    return run_real(m, code);
}

#define REALS const double x = real_operand(m, code->a), y = real_operand(m, code->b)
#define SINGLES                                                                                \
    const float x = (float)real_operand(m, code->a), y = (float)real_operand(m, code->b)
#define WHOLES const int64_t x = operand(m, code->a).whole, y = operand(m, code->b).whole

/* REAL and LREAL by themselves: their values stay where a processor counts with them. */
static double run_real(rki_machine *m, const rki_code *code)
{
    switch (code->op) {
    case RKI_OP_ADD_LREAL: {
        REALS;
        return x + y;
    }
    case RKI_OP_SUB_LREAL: {
        REALS;
        return x - y;
    }
    case RKI_OP_MUL_LREAL: {
        REALS;
        return x * y;
    }
    case RKI_OP_DIV_LREAL: {
        REALS;
        return x / y;
    }
    case RKI_OP_ADD_REAL: {
        SINGLES;
        return (double)(x + y);
    }
    case RKI_OP_SUB_REAL: {
        SINGLES;
        return (double)(x - y);
    }
    case RKI_OP_MUL_REAL: {
        SINGLES;
        return (double)(x * y);
    }
    case RKI_OP_DIV_REAL: {
        SINGLES;
        return (double)(x / y);
    }
    default:
        return rki_run_value(m, code).real;
    }
}

rk_plc_value rki_run_value(rki_machine *m, const rki_code *code)
{
    switch (code->op) {
    case RKI_OP_CONSTANT:
        return code->value;
    case RKI_OP_LOAD:
        return m->cells[code->offset];
    case RKI_OP_GLOBAL:
        return *code->external->cell;
    case RKI_OP_FETCH:
        return *address(m, code->a);
    case RKI_OP_ADD_LREAL:
    case RKI_OP_SUB_LREAL:
    case RKI_OP_MUL_LREAL:
    case RKI_OP_DIV_LREAL:
    case RKI_OP_ADD_REAL:
    case RKI_OP_SUB_REAL:
    case RKI_OP_MUL_REAL:
    case RKI_OP_DIV_REAL:
        return real_of(run_real(m, code));
    case RKI_OP_COMPARE_REAL: {
        REALS;
        return whole_of(compare_reals(code->operation, x, y));
    }
    case RKI_OP_IS_FINITE:
        return whole_of(m->cells[code->offset].real - m->cells[code->offset].real == 0);
    case RKI_OP_COMPARE_WHOLE: {
        WHOLES;
        return whole_of(by_order(code->operation, (x > y) - (x < y)));
    }
    case RKI_OP_OR: {
        WHOLES;
        return whole_of(x | y);
    }
    case RKI_OP_XOR: {
        WHOLES;
        return whole_of(x ^ y);
    }
    case RKI_OP_AND: {
        WHOLES;
        return whole_of(x & y);
    }
    case RKI_OP_NOT:
        return whole_of(!operand(m, code->a).whole);
    default:
        return run_rarer(m, code);
    }
}

static flow run_list(rki_machine *m, const rki_code *list);

/* One more turn of a loop; false: it has had too many. */
static bool may_turn(rki_machine *m, const rki_code *code)
{
    if (m->failed) return false;
    if (m->turns-- > 0) return true;
    (void)fail(m, code, "loops that take more than ten million turns in a scan");
    return false;
}

static flow run_for(rki_machine *m, const rki_code *code)
{
    rk_plc_value *at = address(m, code->a);
    int64_t i = rki_run_value(m, code->b).whole;
    const int64_t to = rki_run_value(m, code->c).whole;
    const int64_t by = rki_run_value(m, code->d).whole;
    flow how;

    if (m->failed) return DONE;
    if (by == 0) {
        (void)fail(m, code, "FOR .. BY 0 never ends");
        return DONE;
    }
    at->whole = i;
    while (by > 0 ? i <= to : i >= to) {
        if (!may_turn(m, code)) return DONE;
        how = run_list(m, code->e);
        if (m->failed || how == DONE) return DONE;
        if (how == LEAVE) return NEXT;
        /* Beyond its type's range it is beyond `to` as well. */
        if (__builtin_add_overflow(at->whole, by, &i) || !rki_type_holds(code->type, i)) {
            return NEXT;
        }
        at->whole = i;
    }
    return NEXT;
}

static flow run_loop(rki_machine *m, const rki_code *code)
{
    for (;;) {
        flow how;

        if (!may_turn(m, code)) return DONE;
        if (code->op == RKI_OP_WHILE && rki_run_value(m, code->a).whole == 0) return NEXT;
        how = run_list(m, code->b);
        if (m->failed || how == DONE) return DONE;
        if (how == LEAVE) return NEXT;
        if (code->op == RKI_OP_REPEAT && rki_run_value(m, code->a).whole != 0) return NEXT;
    }
}

static flow run_case(rki_machine *m, const rki_code *code)
{
    const int64_t value = rki_run_value(m, code->a).whole;
    const rki_code *branch, *label;

    for (branch = code->b; branch != NULL; branch = branch->next) {
        for (label = branch->a; label != NULL; label = label->next) {
            if (value >= label->value.whole && value <= label->high) {
                return run_list(m, branch->b);
            }
        }
    }
    return run_list(m, code->c);
}

static void call_block(rki_machine *m, const rki_code *code)
{
    rk_plc_value *cells = address(m, code->a);

    if (m->failed) return;
    pass_in(m, code->b, cells);
    if (m->failed) return;
    rki_run_body(m, code->pou, cells);
    pass_out(m, code->c, cells);
}

static flow run_one(rki_machine *m, const rki_code *code)
{
    rk_plc_value value, *to, *from;

    switch (code->op) {
    case RKI_OP_STORE_AT:
        value = operand(m, code->b);
        to = address(m, code->a);
        if (!m->failed) {
            *to = value;
        }
        return NEXT;
    case RKI_OP_COPY:
        from = address(m, code->b);
        to = address(m, code->a);
        if (!m->failed) {
            memmove(to, from, code->offset * sizeof *to);
        }
        return NEXT;
    case RKI_OP_CALL_BLOCK:
        call_block(m, code);
        return NEXT;
    case RKI_OP_EVALUATE:
        (void)rki_run_value(m, code->a);
        return NEXT;
    case RKI_OP_CASE:
        return run_case(m, code);
    case RKI_OP_FOR:
        return run_for(m, code);
    case RKI_OP_WHILE:
    case RKI_OP_REPEAT:
        return run_loop(m, code);
    case RKI_OP_EXIT:
        return LEAVE;
    case RKI_OP_CONTINUE:
        return AGAIN;
    default: /* RKI_OP_RETURN */
        return DONE;
    }
}

static flow run_list(rki_machine *m, const rki_code *list)
{
    for (; list != NULL; list = list->next) {
        flow how = NEXT;

        /* The two that most statements are stand here: no call for them. */
        if (list->op == RKI_OP_STORE) {
            const rk_plc_value value = operand(m, list->a);

            if (m->failed) return DONE;
            m->cells[list->offset] = value;
            continue;
        }
        if (list->op == RKI_OP_IF) {
            const bool so = operand(m, list->a).whole != 0;

            how = m->failed ? DONE : run_list(m, so ? list->b : list->c);
        } else {
            how = run_one(m, list);
        }
        if (m->failed) return DONE;
        if (how != NEXT) return how;
    }
    return NEXT;
}

void rki_run_body(rki_machine *m, const rki_pou *pou, rk_plc_value *cells)
{
    const rki_pou *const caller = m->pou;
    rk_plc_value *const own = m->cells;
    const size_t temps = pou->type.cells - pou->temp_at;

    m->pou = pou;
    m->cells = cells;
    if (temps > 0 && pou->what != RKI_FUNCTION) {
        memcpy(cells + pou->temp_at, pou->type.image + pou->temp_at, temps * sizeof *cells);
    }
    (void)run_list(m, pou->body);
    m->pou = caller;
    m->cells = own;
}
