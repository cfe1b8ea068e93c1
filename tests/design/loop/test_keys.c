/* SPDX-License-Identifier: MIT */
#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../../support/support.h"

/* A loop whose sections are all there, so that every key is read back. */
static rk_design whole(void)
{
    rk_design d = rk_design_make();

    d.has_model = d.has_plant = d.has_process = true;
    d.model = fopdt(2, 10, 4);
    d.plant.model = d.model;
    d.process = (rk_model){RK_MODEL_PROCESS, 3, {0}, 0, 7, 40, 5, 3, {1, 2, 3}};
    return d;
}

static char *get(const rk_design *d, const rk_key *key)
{
    rk_text *text = rk_text_create();
    char *made;

    ck_assert_int_eq(rk_design_get(d, key->section, key->name, text, NULL), RK_OK);
    ck_assert_int_eq(rk_text_check(text, NULL), RK_OK);
    made = strdup(rk_text_chars(text));
    rk_text_free(text);
    return made;
}

/* A value that the key takes; words by their first. */
static const char *sample(const rk_key *key)
{
    static char word[64];
    rk_text *text;

    switch (key->type) {
    case RK_KEY_TEXT:
        return "some text";
    case RK_KEY_TIME_UNIT:
        return "min";
    case RK_KEY_NUMBER:
        return key->range == RK_RANGE_4_TO_24    ? "12.0"
               : key->range == RK_RANGE_24_TO_64 ? "32.0"
               : key->range == RK_RANGE_ABOVE_1  ? "1.5"
                                                 : "0.5";
    case RK_KEY_TIME:
    case RK_KEY_TIMES:
        return "0.5s";
    case RK_KEY_LAGS:
        return "4.0s, 46.0s, 6.0s";
    case RK_KEY_INTERVAL:
        return "0.25, 0.5";
    case RK_KEY_REGISTER:
        return "holding 7 float32 -0.5..99.5";
    case RK_KEY_FLAG:
        return "holding 3";
    case RK_KEY_TRIANGLE:
        return "4, 0.5, 9, 0.25, 1, 16";
    case RK_KEY_WORD:
        text = rk_text_create();
        rk_key_describe(key, text);
        (void)snprintf(word, sizeof word, "%.*s", (int)strcspn(rk_text_chars(text), ","),
                       rk_text_chars(text));
        rk_text_free(text);
        return word;
    default:
        return "0.25s, 0.5s";
    }
}

START_TEST(every_key_reads_back_what_was_set_and_touches_no_other)
{
    size_t i, k;

    for (i = 0; i < rk_key_count(); i++) {
        const rk_key *key = rk_key_at(i);
        rk_design before = whole(), after = whole();
        rk_diag diag = {RK_OK, ""};
        char *got;

        ck_assert_msg(rk_design_set(&after, key->section, key->name, sample(key), &diag) ==
                          RK_OK,
                      "[%s] %s: %s", key->section, key->name, diag.text);
        (void)rk_design_settle(&after, NULL); /* lays the covariance out */
        got = get(&after, key);
        ck_assert_msg(strcmp(got, sample(key)) == 0, "[%s] %s: '%s' comes back as '%s'",
                      key->section, key->name, sample(key), got);
        free(got);
        for (k = 0; k < rk_key_count(); k++) {
            char *old = get(&before, rk_key_at(k)), *now = get(&after, rk_key_at(k));

            ck_assert_msg(k == i || strcmp(old, now) == 0, "%s sets %s too: '%s' to '%s'",
                          key->name, rk_key_at(k)->name, old, now);
            free(old);
            free(now);
        }
    }
}
END_TEST

START_TEST(every_key_is_explained_once)
{
    size_t i, k;

    for (i = 0; i < rk_key_count(); i++) {
        const rk_key *key = rk_key_at(i);
        const size_t length = strlen(key->help);
        bool has_section = false;
        rk_text *text = rk_text_create();

        ck_assert_msg(isupper((unsigned char)key->help[0]) ||
                          isdigit((unsigned char)key->help[0]),
                      "%s: %s", key->name, key->help);
        ck_assert_int_eq(key->help[length - 1], '.');
        ck_assert_uint_gt(strlen(key->otherwise), 0);
        rk_key_describe(key, text);
        ck_assert_uint_gt(rk_text_length(text), 3);
        rk_text_free(text);
        ck_assert_uint_eq(rk_key_place(key->section, key->name), i); /* no row twice */
        for (k = 0; rk_section_at(k) != NULL; k++) {
            has_section = has_section || strcmp(rk_section_at(k)->name, key->section) == 0;
        }
        ck_assert_msg(has_section, "[%s] has no help", key->section);
    }
    ck_assert_ptr_null(rk_key_at(rk_key_count()));
}
END_TEST

/* Ranges, just within and just beyond. */
static const struct {
    const char *section, *name, *taken, *refused;
} edges[] = {
    {"loop", "scan", "1ms", "0"},
    {"loop", "scan", "1ms", "-1s"},
    {"model", "gain", "-0.001", "0"},
    {"model", "dead-time", "0", "-0.001"},
    {"model", "damping", "0.999", "1"},
    {"model", "damping", "0.001", "0"},
    {"model", "time-constant", "2s, 1s", "2s, 0s"},
    {"settings", "sp-weight", "1", "1.001"},
    {"settings", "sp-weight", "0", "-0.001"},
    {"settings", "kc", "-1", "0"},
    {"require", "overshoot", "0", "-0.001"},
    {"require", "settling", "1s", "0s"},
    {"require", "sp-step", "-1", "0"},
    {"alarm", "hold", "0", "-1"},
    {"plant", "noise-correlation", "0.999", "1"},
    {"plant", "noise-correlation", "0", "-0.1"},
    {"plant", "adc-bits", "4", "3.9"},
    {"plant", "adc-bits", "24", "24.1"},
    {"plant", "sensor-bad", "0s, 1s", "-1s, 1s"},
};

START_TEST(a_range_ends_where_it_says)
{
    rk_design d = whole(), before;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(
        rk_design_set(&d, edges[_i].section, edges[_i].name, edges[_i].taken, &diag) == RK_OK,
        "%s", diag.text);
    before = d;
    ck_assert_int_eq(
        rk_design_set(&d, edges[_i].section, edges[_i].name, edges[_i].refused, &diag),
        RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "out of range: give "));
    ck_assert_ptr_nonnull(strstr(diag.text, edges[_i].name));
    ck_assert_mem_eq(&d, &before, sizeof d);
}
END_TEST

/* What is typed, and the name it is answered with; "": none. */
static const struct {
    const char *section, *name, *nearest;
} slips[] = {
    {"loop", "scna", "scan"},
    {"loop", "actoin", "action"},
    {"settings", "antiwindup", "anti-windup"},
    {"settings", "tracking-tiem", "tracking-time"},
    {"settings", "KCC", "kc"},
    {"require", "overshot", "overshoot"},
    {"require", "beauty", ""},
    {"setings", "kc", "settings"},
    {"modell", "gain", "model"},
    {"weather", "rain", ""},
};

START_TEST(an_unknown_key_or_section_is_answered_with_the_nearest)
{
    rk_design d = whole();
    rk_diag diag = {RK_OK, ""};
    char wanted[64];

    ck_assert_int_eq(rk_design_set(&d, slips[_i].section, slips[_i].name, "1", &diag),
                     RK_ERR_FORMAT);
    (void)snprintf(wanted, sizeof wanted, "did you mean %s?", slips[_i].nearest);
    if (slips[_i].nearest[0] == '\0') {
        ck_assert_msg(strstr(diag.text, "did you mean") == NULL, "%s", diag.text);
    } else {
        ck_assert_msg(strstr(diag.text, wanted) != NULL, "%s", diag.text);
    }
    ck_assert_ptr_nonnull(strstr(diag.text, "known: "));
}
END_TEST

START_TEST(arguments_that_are_none_are_refused)
{
    rk_design d = whole();

    ck_assert_int_eq(rk_design_set(NULL, "loop", "scan", "1", NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_design_set(&d, NULL, "scan", "1", NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_design_set(&d, "loop", NULL, "1", NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_design_set(&d, "loop", "scan", NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_design_get(&d, "loop", "scan", NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_design_settle(NULL, NULL), RK_ERR_ARG);
}
END_TEST

Suite *suite_keys(void)
{
    Suite *suite = suite_create("design/loop/keys");
    TCase *t = tcase_create("keys");

    tcase_add_test(t, every_key_reads_back_what_was_set_and_touches_no_other);
    tcase_add_test(t, every_key_is_explained_once);
    add_table(t, a_range_ends_where_it_says, edges);
    add_table(t, an_unknown_key_or_section_is_answered_with_the_nearest, slips);
    tcase_add_test(t, arguments_that_are_none_are_refused);
    suite_add_tcase(suite, t);
    return suite;
}
