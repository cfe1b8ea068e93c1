/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "../../support/support.h"

static rk_model sound(void)
{
    return fopdt(2, 10, 4);
}

/* Calls of every layer: each first fails with its own words, then succeeds. */
static rk_status model_check(bool fail, rk_diag *diag)
{
    rk_model m = sound();

    if (fail) {
        m.dead_time = -7;
    }
    return rk_model_check(&m, diag);
}

static rk_status margins(bool fail, rk_diag *diag)
{
    const rk_model m = sound();
    const rk_settings s = rk_settings_make(0.5, fail ? -7 : 10, 0, 0);
    rk_margins got;

    return rk_margins_compute(&m, &s, &got, diag);
}

static rk_status sampled(bool fail, rk_diag *diag)
{
    const rk_model m = sound();
    const rk_settings s = rk_settings_make(0.5, 10, 0, 0);
    const rk_sampling sampling = {fail ? -7 : 1, 0, RK_SCHEME_BACKWARD};
    rk_margins got;

    return rk_sampled_margins_compute(&m, &s, &sampling, &got, diag);
}

static rk_status tuning(bool fail, rk_diag *diag)
{
    const rk_model m = sound();
    const rk_knobs knobs = rk_knobs_make();
    rk_tuning got;

    return rk_tuning_compute(&m, fail ? "x-7" : "simc", NULL, &knobs, &got, diag);
}

static rk_status loop_file(bool fail, rk_diag *diag)
{
    rk_design got;

    return rk_design_read(fail ? "/no/such-7.loop" : RK_SOURCE "/data/blend-brix.loop", &got,
                          diag);
}

static rk_status record_file(bool fail, rk_diag *diag)
{
    rk_record *got = NULL;
    const rk_status status = rk_record_read(
        fail ? "/no/such-7.csv" : RK_SOURCE "/data/records/clean_single_step.csv", NULL, &got,
        NULL, diag);

    rk_record_free(got);
    return status;
}

static rk_status emitted(bool fail, rk_diag *diag)
{
    rk_design loop = rk_design_make();
    rk_text *text = rk_text_create();
    rk_status status;

    loop.has_settings = true;
    loop.settings = rk_settings_make(0.5, 10, 0, 0);
    loop.ts = fail ? -7 : 1;
    loop.out_low = 0;
    loop.out_high = 100;
    status = rk_emit_st(&loop, RK_NUMBER_LREAL, text, diag);
    rk_text_free(text);
    return status;
}

static rk_status words(bool fail, rk_diag *diag)
{
    rk_model_kind kind;

    return rk_model_kind_from_text(fail ? "x-7" : "fopdt", &kind, diag);
}

static const struct {
    const char *name;
    rk_status (*call)(bool fail, rk_diag *diag);
} calls[] = {
    {"model check", model_check}, {"margins", margins},      {"sampled margins", sampled},
    {"tuning", tuning},           {"loop file", loop_file},  {"record file", record_file},
    {"emitted text", emitted},    {"word from text", words},
};

START_TEST(a_call_shows_its_own_error_and_no_earlier_one)
{
    rk_diag diag = {RK_ERR_IO, "an older error"};

    ck_assert_msg(calls[_i].call(true, &diag) != RK_OK, "%s", calls[_i].name);
    ck_assert_msg(strstr(diag.text, "-7") != NULL, "%s: %s", calls[_i].name, diag.text);
    ck_assert_msg(calls[_i].call(false, &diag) == RK_OK, "%s: %s", calls[_i].name, diag.text);
    ck_assert_int_eq(diag.status, RK_OK);
    ck_assert_str_eq(diag.text, "");
}
END_TEST

/* Texts longer than their room, of words, of one word and of characters of two bytes. */
static const char *const long_texts[] = {"seven ", "abcdefghijklmnopqrstuvwxyz", "\xC3\xA4"};

START_TEST(a_text_that_does_not_fit_ends_in_three_dots_after_a_whole_word)
{
    char given[4 * sizeof((rk_diag *)NULL)->text] = "";
    rk_diag diag = {RK_OK, ""};
    rk_findings findings = {.count = 0};
    size_t length;

    while (strlen(given) + strlen(long_texts[_i]) < sizeof given) {
        strcat(given, long_texts[_i]);
    }
    (void)rk_diag_set(&diag, RK_ERR_RANGE, "%s", given);
    rk_findings_add(&findings, RK_LEVEL_NOTE, given, "%s", given);
    {
        const char *const got[] = {diag.text, findings.list[0].what, findings.list[0].advice};
        const size_t room[] = {sizeof diag.text, sizeof findings.list[0].what,
                               sizeof findings.list[0].advice};
        size_t i;

        for (i = 0; i < COUNT(got); i++) {
            length = strlen(got[i]);
            ck_assert_uint_lt(length, room[i]);
            ck_assert_uint_gt(length, room[i] - 12); /* no more is lost than a word */
            ck_assert_str_eq(got[i] + length - 3, "...");
            ck_assert_int_eq(strncmp(got[i], given, length - 3), 0);
            if (_i == 0) {
                ck_assert_int_eq(strncmp(got[i] + length - 8, "seven...", 8), 0);
            } else if (_i == 2) {
                ck_assert_uint_eq((length - 3) % 2, 0);
            }
        }
    }
}
END_TEST

START_TEST(a_text_that_just_fits_is_whole)
{
    rk_diag diag = {RK_OK, ""};
    char given[sizeof diag.text];

    memset(given, 'x', sizeof given - 1);
    given[sizeof given - 1] = '\0';
    (void)rk_diag_set(&diag, RK_ERR_RANGE, "%s", given);
    ck_assert_str_eq(diag.text, given);
}
END_TEST

static const struct {
    const char *word, *shown;
} shell_words[] = {
    {"blend-brix.loop", "blend-brix.loop"},
    {"a b.csv", "'a b.csv'"},
    {"", "''"},
    {"it's", "'it'\\''s'"},
    {"$HOME", "'$HOME'"},
    {"a;b", "'a;b'"},
};

START_TEST(a_word_that_a_shell_would_take_apart_is_quoted)
{
    char shown[64];

    ck_assert_ptr_eq(rk_shell_word(shell_words[_i].word, shown, sizeof shown), shown);
    ck_assert_str_eq(shown, shell_words[_i].shown);
}
END_TEST

Suite *suite_diag(void)
{
    Suite *suite = suite_create("design/base/diag");
    TCase *t = tcase_create("diag");

    add_table(t, a_call_shows_its_own_error_and_no_earlier_one, calls);
    add_table(t, a_text_that_does_not_fit_ends_in_three_dots_after_a_whole_word, long_texts);
    tcase_add_test(t, a_text_that_just_fits_is_whole);
    add_table(t, a_word_that_a_shell_would_take_apart_is_quoted, shell_words);
    suite_add_tcase(suite, t);
    return suite;
}
