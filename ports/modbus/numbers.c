/* SPDX-License-Identifier: MIT */
/*
 * Registers and the numbers in them. A register has 16 bits, the high byte first on the wire; a value of
 * 32 bits stands in two, either half first. Raw numbers map to values on a straight line through the
 * ends of the raw range.
 */
#include "modbus.h"

#include <math.h>
#include <string.h>

/* A raw number may lie so much of its range beyond it. */
#define BEYOND 0.01

static bool is_bit(const rk_modbus_point *p)
{
    return p->table == RK_MODBUS_COIL || p->table == RK_MODBUS_DISCRETE;
}

int rk_modbus_width(const rk_modbus_point *p)
{
    return is_bit(p) || p->type == RK_MODBUS_INT16 || p->type == RK_MODBUS_UINT16 ? 1 : 2;
}

static uint32_t join(const uint16_t *words, bool low_first)
{
    const uint32_t high = words[low_first ? 1 : 0], low = words[low_first ? 0 : 1];

    return (high << 16) | low;
}

static void part(uint32_t bits, bool low_first, uint16_t *words)
{
    words[low_first ? 1 : 0] = (uint16_t)(bits >> 16);
    words[low_first ? 0 : 1] = (uint16_t)(bits & 0xFFFFU);
}

/* Two's complement, whatever the compiler makes of a conversion that does not fit. */
static double signed_number(uint32_t bits, uint32_t sign)
{
    return (bits & sign) != 0 ? (double)bits - (2.0 * (double)sign) : (double)bits;
}

static double raw_number(const rk_modbus_point *p, bool low_first, const uint16_t *words)
{
    uint32_t bits;
    float number;

    if (is_bit(p)) return words[0] != 0;
    switch (p->type) {
    case RK_MODBUS_INT16:
        return signed_number(words[0], 0x8000U);
    case RK_MODBUS_UINT16:
        return words[0];
    case RK_MODBUS_INT32:
        return signed_number(join(words, low_first), 0x80000000U);
    case RK_MODBUS_UINT32:
        return join(words, low_first);
    default:
        bits = join(words, low_first);
        memcpy(&number, &bits, sizeof number);
        return (double)number;
    }
}

const char *rk_modbus_decode(const rk_modbus_point *p, bool low_first, const uint16_t *words,
                             double *value)
{
    const double raw = raw_number(p, low_first, words);
    double along;

    if (!isfinite(raw)) return isnan(raw) ? "reads NaN" : "reads infinity";
    *value = raw;
    if (isnan(p->raw[0])) return NULL;
    along = (raw - p->raw[0]) / (p->raw[1] - p->raw[0]);
    if (along < -BEYOND || along > 1.0 + BEYOND) return "is beyond its raw range";
    *value = p->value[0] + (along * (p->value[1] - p->value[0]));
    return NULL;
}

/* What the type can hold. */
static void type_range(rk_modbus_type type, double *low, double *high)
{
    switch (type) {
    case RK_MODBUS_INT16:
        *low = -32768.0;
        *high = 32767.0;
        return;
    case RK_MODBUS_UINT16:
        *low = 0.0;
        *high = 65535.0;
        return;
    case RK_MODBUS_INT32:
        *low = -2147483648.0;
        *high = 2147483647.0;
        return;
    case RK_MODBUS_UINT32:
        *low = 0.0;
        *high = 4294967295.0;
        return;
    default:
        *low = -3.402823466e38;
        *high = 3.402823466e38;
        return;
    }
}

/* The raw number that no reader takes for a value, if the type has one. */
static double raw_of_none(const rk_modbus_point *p)
{
    double low, high;

    if (p->type == RK_MODBUS_FLOAT32) return nan("");
    type_range(p->type, &low, &high);
    if (isnan(p->raw[0])) return high;
    return high - fmax(p->raw[0], p->raw[1]) >= fmin(p->raw[0], p->raw[1]) - low ? high : low;
}

static double raw_of(const rk_modbus_point *p, double value)
{
    double low, high, raw = value;

    if (isnan(value)) return raw_of_none(p);
    type_range(p->type, &low, &high);
    if (!isnan(p->raw[0])) {
        low = fmax(low, fmin(p->raw[0], p->raw[1]));
        high = fmin(high, fmax(p->raw[0], p->raw[1]));
        raw = p->raw[0] +
              ((value - p->value[0]) / (p->value[1] - p->value[0]) * (p->raw[1] - p->raw[0]));
    }
    if (p->type != RK_MODBUS_FLOAT32) {
        raw = round(raw);
    }
    return fmin(fmax(raw, low), high);
}

void rk_modbus_encode(const rk_modbus_point *p, bool low_first, double value, uint16_t *words)
{
    const double raw = is_bit(p) ? (double)(value != 0) : raw_of(p, value);
    const float number = (float)raw;
    uint32_t bits;

    if (is_bit(p)) {
        words[0] = (uint16_t)(raw != 0);
    } else if (p->type == RK_MODBUS_FLOAT32) {
        memcpy(&bits, &number, sizeof bits);
        part(bits, low_first, words);
    } else {
        bits = raw < 0 ? (uint32_t)(4294967296.0 + raw) : (uint32_t)raw;
        if (rk_modbus_width(p) == 1) {
            words[0] = (uint16_t)(bits & 0xFFFFU);
        } else {
            part(bits, low_first, words);
        }
    }
}
