/* SPDX-License-Identifier: MIT */
/* What registers hold, worked out by hand. */
#include <math.h>
#include <string.h>

#include <ports/modbus/modbus.h>

#include "../support/support.h"

#define NONE                                                                                   \
    {                                                                                          \
        QNAN, QNAN                                                                             \
    }
#define PLAIN                                                                                  \
    {                                                                                          \
        0, 0                                                                                   \
    }

static rk_modbus_point point(rk_modbus_type type, double raw_low, double raw_high)
{
    const rk_modbus_point made = {true, RK_MODBUS_INPUT, 0, type, {raw_low, raw_high}, {0, 20}};

    return made;
}

/* Words as they are on the wire, the lower address first. */
static const struct {
    const char *fact;
    rk_modbus_type type;
    bool low_first;
    double raw[2];
    uint16_t words[2];
    double value;
    const char *flaw; /* or why it is none */
} reads[] = {
    {"the low end", RK_MODBUS_UINT16, false, {0, 10000}, {0}, 0, NULL},
    {"the middle", RK_MODBUS_UINT16, false, {0, 10000}, {5000}, 10, NULL},
    {"the high end", RK_MODBUS_UINT16, false, {0, 10000}, {10000}, 20, NULL},
    {"1 % beyond is still a value", RK_MODBUS_UINT16, false, {0, 10000}, {10100}, 20.2, NULL},
    {"more is none", RK_MODBUS_UINT16, false, {0, 10000}, {10101}, 0, "beyond its raw range"},
    {"1 % below", RK_MODBUS_INT16, false, {0, 10000}, {0xFF9C}, -0.2, NULL}, /* -100 */
    {"more below", RK_MODBUS_INT16, false, {0, 10000}, {0xFF9B}, 0, "beyond its raw range"},
    {"a live zero", RK_MODBUS_UINT16, false, {4000, 20000}, {12000}, 10, NULL},
    {"a raw range that falls", RK_MODBUS_UINT16, false, {10000, 0}, {2500}, 15, NULL},
    {"beyond one that falls", RK_MODBUS_UINT16, false, {10000, 0}, {10101}, 0, "beyond"},
    {"a negative number as it is", RK_MODBUS_INT16, false, NONE, {0xFFFF}, -1, NULL},
    {"the lowest of 16 bits", RK_MODBUS_INT16, false, NONE, {0x8000}, -32768, NULL},
    {"the highest of 16 bits", RK_MODBUS_UINT16, false, NONE, {0xFFFF}, 65535, NULL},
    {"32 bits, the high half first",
     RK_MODBUS_UINT32,
     false,
     NONE,
     {0x0001, 0x0002},
     65538,
     NULL},
    {"and the low half", RK_MODBUS_UINT32, true, NONE, {0x0002, 0x0001}, 65538, NULL},
    {"a negative one", RK_MODBUS_INT32, false, NONE, {0xFFFF, 0xFFFE}, -2, NULL},
    {"the lowest of 32 bits", RK_MODBUS_INT32, false, NONE, {0x8000, 0}, -2147483648.0, NULL},
    {"the highest", RK_MODBUS_UINT32, false, NONE, {0xFFFF, 0xFFFF}, 4294967295.0, NULL},
    {"a float of 1.5", RK_MODBUS_FLOAT32, false, NONE, {0x3FC0, 0}, 1.5, NULL},
    {"its halves turned", RK_MODBUS_FLOAT32, true, NONE, {0, 0x3FC0}, 1.5, NULL},
    {"a float of -2", RK_MODBUS_FLOAT32, false, NONE, {0xC000, 0}, -2, NULL},
    {"a scaled float", RK_MODBUS_FLOAT32, false, {0, 3}, {0x3FC0, 0}, 10, NULL},
    {"NaN", RK_MODBUS_FLOAT32, false, NONE, {0x7FC0, 0}, 0, "NaN"},
    {"infinity", RK_MODBUS_FLOAT32, false, NONE, {0x7F80, 0}, 0, "infinity"},
    {"minus infinity", RK_MODBUS_FLOAT32, false, NONE, {0xFF80, 0}, 0, "infinity"},
};

START_TEST(registers_read_as_the_number_they_hold_or_as_none)
{
    const rk_modbus_point p = point(reads[_i].type, reads[_i].raw[0], reads[_i].raw[1]);
    double value = 77;
    const char *flaw = rk_modbus_decode(&p, reads[_i].low_first, reads[_i].words, &value);

    ck_assert_msg((flaw == NULL) == (reads[_i].flaw == NULL), "%s", reads[_i].fact);
    if (flaw != NULL) {
        ck_assert_msg(strstr(flaw, reads[_i].flaw) != NULL, "%s: %s", reads[_i].fact, flaw);
    } else {
        ck_assert_msg(fabs(value - reads[_i].value) < 1e-12 * (1 + fabs(value)), "%s: %.17g",
                      reads[_i].fact, value);
    }
}
END_TEST

static const struct {
    const char *fact;
    rk_modbus_type type;
    bool low_first;
    double raw[2], value;
    uint16_t words[2];
} writes[] = {
    {"the middle", RK_MODBUS_UINT16, false, {0, 10000}, 10, {5000}},
    {"rounded up", RK_MODBUS_UINT16, false, {0, 10}, 11.2, {6}},   /* 5.6 */
    {"rounded down", RK_MODBUS_UINT16, false, {0, 10}, 10.8, {5}}, /* 5.4 */
    {"a negative one to the nearest", RK_MODBUS_INT16, false, NONE, -1.6, {0xFFFE}},
    {"saturated above", RK_MODBUS_UINT16, false, {0, 10000}, 25, {10000}},
    {"saturated below", RK_MODBUS_UINT16, false, {0, 10000}, -5, {0}},
    {"saturated above a range that falls", RK_MODBUS_UINT16, false, {10000, 100}, 25, {100}},
    {"saturated at the type", RK_MODBUS_INT16, false, NONE, 40000, {32767}},
    {"and below", RK_MODBUS_INT16, false, NONE, -40000, {0x8000}},
    {"32 bits", RK_MODBUS_INT32, false, NONE, -2, {0xFFFF, 0xFFFE}},
    {"the low half first", RK_MODBUS_INT32, true, NONE, 65538, {0x0002, 0x0001}},
    {"a float is not rounded", RK_MODBUS_FLOAT32, false, NONE, 1.5, {0x3FC0, 0}},
    {"nothing is above the range of 16 bits",
     RK_MODBUS_INT16,
     false,
     {0, 10000},
     QNAN,
     {0x8000}},
    {"or below it", RK_MODBUS_UINT16, false, {0, 10000}, QNAN, {65535}},
    {"of a float NaN", RK_MODBUS_FLOAT32, false, NONE, QNAN, {0x7FC0, 0}},
};

START_TEST(a_number_is_written_rounded_and_saturated)
{
    const rk_modbus_point p = point(writes[_i].type, writes[_i].raw[0], writes[_i].raw[1]);
    uint16_t words[2] = {0, 0};

    rk_modbus_encode(&p, writes[_i].low_first, writes[_i].value, words);
    ck_assert_msg(words[0] == writes[_i].words[0] && words[1] == writes[_i].words[1],
                  "%s: %04x %04x", writes[_i].fact, words[0], words[1]);
}
END_TEST

/* Each type there and back, within half a step. */
START_TEST(what_is_written_reads_back_within_half_a_step)
{
    static const double raw[][2] = {{0, 27648}, {0, 65535}, {-1e6, 1e6}, {0, 4e9}, {0, 1}};
    const rk_modbus_point p = point((rk_modbus_type)_i, raw[_i][0], raw[_i][1]);
    const double step = _i == RK_MODBUS_FLOAT32 ? 20 * 6e-8 : 20 / (raw[_i][1] - raw[_i][0]);
    int i;

    for (i = 0; i <= 1000; i++) {
        const double value = 0.02 * i;
        uint16_t words[2];
        double back;

        rk_modbus_encode(&p, i % 2 == 0, value, words);
        must(rk_modbus_decode(&p, i % 2 == 0, words, &back) == NULL);
        must(fabs(back - value) <= 0.5 * step + 1e-12);
    }
}
END_TEST

START_TEST(a_bit_is_0_or_1)
{
    const rk_modbus_point coil = {true, RK_MODBUS_COIL, 0, RK_MODBUS_UINT16, NONE, PLAIN};
    uint16_t word[1] = {7};
    double value;

    ck_assert_ptr_null(rk_modbus_decode(&coil, false, word, &value));
    ck_assert_double_eq(value, 1);
    rk_modbus_encode(&coil, false, 0, word);
    ck_assert_uint_eq(word[0], 0);
    rk_modbus_encode(&coil, false, 3, word);
    ck_assert_uint_eq(word[0], 1);
    ck_assert_int_eq(rk_modbus_width(&coil), 1);
}
END_TEST

Suite *suite_numbers(void)
{
    Suite *suite = suite_create("ports/numbers");
    TCase *t = tcase_create("numbers");

    add_table(t, registers_read_as_the_number_they_hold_or_as_none, reads);
    add_table(t, a_number_is_written_rounded_and_saturated, writes);
    tcase_add_loop_test(t, what_is_written_reads_back_within_half_a_step, 0, 5);
    tcase_add_test(t, a_bit_is_0_or_1);
    suite_add_tcase(suite, t);
    return suite;
}
