/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "parts.h"

#define WHOLE(kind, low, high)                                                                 \
    {                                                                                          \
        RK_PLC_##kind, #kind, 1, low, high, NULL, NULL, NULL, NULL                             \
    }

/* By rk_plc_kind, then the two of literals: they have no name that a text could use. */
static const rki_type types[] = {
    WHOLE(BOOL, 0, 1),
    WHOLE(SINT, INT8_MIN, INT8_MAX),
    WHOLE(INT, INT16_MIN, INT16_MAX),
    WHOLE(DINT, INT32_MIN, INT32_MAX),
    WHOLE(LINT, INT64_MIN, INT64_MAX),
    WHOLE(USINT, 0, UINT8_MAX),
    WHOLE(UINT, 0, UINT16_MAX),
    WHOLE(UDINT, 0, UINT32_MAX),
    WHOLE(TIME, INT64_MIN, INT64_MAX),
    WHOLE(REAL, 0, 0),
    WHOLE(LREAL, 0, 0),
    {RKI_LITERAL_INT, "a whole number", 1, INT64_MIN, INT64_MAX, NULL, NULL, NULL, NULL},
    {RKI_LITERAL_REAL, "a real number", 1, 0, 0, NULL, NULL, NULL, NULL},
};

const rki_type *rki_type_elementary(int base)
{
    return &types[base];
}

const rki_type *rki_type_by_name(const char *name)
{
    int i;

    for (i = 0; i <= (int)RKI_ELEMENTARY; i++) {
        if (rki_same_word(types[i].name, name)) return &types[i];
    }
    return NULL;
}

bool rki_type_is_whole(const rki_type *type)
{
    return (type->base >= RK_PLC_SINT && type->base <= RK_PLC_UDINT) ||
           type->base == RKI_LITERAL_INT;
}

bool rki_type_is_real(const rki_type *type)
{
    return type->base == RK_PLC_REAL || type->base == RK_PLC_LREAL ||
           type->base == RKI_LITERAL_REAL;
}

bool rki_type_is_number(const rki_type *type)
{
    return rki_type_is_whole(type) || rki_type_is_real(type);
}

bool rki_type_holds(const rki_type *type, int64_t whole)
{
    return whole >= type->low && whole <= type->high;
}

/* Whole numbers that binary32 and binary64 hold all of. */
#define REAL_EXACT (INT64_C(1) << 24)
#define LREAL_EXACT (INT64_C(1) << 53)

bool rki_type_widens(const rki_type *from, const rki_type *to)
{
    if (from->base == to->base) return from->base <= (int)RKI_LITERAL_REAL;
    if (from->base > (int)RKI_ELEMENTARY || to->base > (int)RKI_ELEMENTARY) return false;
    if (from->base == RK_PLC_REAL) return to->base == RK_PLC_LREAL;
    if (!rki_type_is_whole(from)) return false;
    if (rki_type_is_whole(to)) return from->low >= to->low && from->high <= to->high;
    if (to->base == RK_PLC_REAL) return from->low >= -REAL_EXACT && from->high <= REAL_EXACT;
    return to->base == RK_PLC_LREAL && from->low >= -LREAL_EXACT && from->high <= LREAL_EXACT;
}

bool rki_type_same(const rki_type *a, const rki_type *b)
{
    while (a->base == RKI_ARRAY && b->base == RKI_ARRAY && a->low == b->low &&
           a->high == b->high) {
        a = a->of;
        b = b->of;
    }
    if (a == b) return true;
    if (a->base != b->base || a->base == RKI_ARRAY) return false;
    /* Another name of an elementary type, or of the same structure. */
    return a->base <= (int)RKI_LITERAL_REAL || a->fields == b->fields;
}
