/* SPDX-License-Identifier: MIT */
/* The report as a file: what stands in it, of whole loops and of beginnings. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"
#include "suites.h"

/* The page of a loop and its record; freed by the caller. */
static char *page_of(const rk_design *loop, const rk_record *record, rk_page_result *made)
{
    const rk_page page = {.loop = loop,
                          .loop_file = "a loop.loop",
                          .loop_saved = "2026-03-17 09:40",
                          .made = "2026-03-18 10:00",
                          .record = record};
    rk_text *html = rk_text_create();
    rk_diag diag = {RK_OK, ""};
    char *copy;

    ck_assert_msg(rk_page_compute(&page, html, made, &diag) == RK_OK, "%s", diag.text);
    copy = strdup(rk_text_chars(html));
    rk_text_free(html);
    return copy;
}

static void has(const char *html, const char *words)
{
    ck_assert_msg(strstr(html, words) != NULL, "the page does not say: %s", words);
}

static void has_not(const char *html, const char *words)
{
    ck_assert_msg(strstr(html, words) == NULL, "the page says: %s", words);
}

static rk_record *blend_record(void)
{
    rk_record *record = NULL;

    ck_assert_int_eq(
        rk_record_read(RK_SOURCE "/data/blend-brix.csv", NULL, &record, NULL, NULL), RK_OK);
    return record;
}

static rk_design blend(void)
{
    rk_design d = brix_loop();

    d.pv_low = 0;
    d.pv_high = 20;
    d.noise = 0.008;
    (void)snprintf(d.record_file, sizeof d.record_file, "blend-brix.csv");
    return d;
}

START_TEST(a_whole_loop_has_all_its_sections)
{
    static const char *const said[] = {
        "<strong>MET</strong>: all requirements met",
        "Limiting requirement: ",
        "What to do: emit the program text",
        "<th scope=\"row\">Record</th>",
        "blend-brix.csv, 601 rows",
        "a loop.loop, [model], fopdt",
        "2026-03-17 09:40",
        "Report of 2026-03-18 10:00",
        "Kinds tried",
        "Published rules side by side",
        "never both", /* the minus, or the action */
        "proportional band",
        "class=\"gain-bar\"",
        "20 % wrong",
        "anti-windup",
        "FUNCTION_BLOCK",
        "PROGRAM BLEND_BRIX_PROGRAM",
    };
    rk_record *record = blend_record();
    rk_design loop = blend();
    rk_page_result made;
    char *html = page_of(&loop, record, &made);
    size_t i;

    for (i = 0; i < COUNT(said); i++) {
        has(html, said[i]);
    }
    ck_assert(made.judged && made.met && made.has_figures);
    ck_assert_str_eq(made.verdict, "met");
    ck_assert_uint_eq(made.rows, 601);
    ck_assert_int_eq(made.has_workbench, rk_page_has_workbench());
    if (!rk_page_has_workbench()) {
        has(html, "To have it: make report");
        has_not(html, "wasm-unsafe-eval");
        has_not(html, "id=\"core\"");
    }
    ck_assert_uint_lt(strlen(html), 1200000);
    free(html);
    rk_record_free(record);
}
END_TEST

/* Loops that are not whole, and what the page then says. */
static const struct {
    const char *fact;
    bool model, settings, record;
    double kc;
    const char *verdict, *said, *not_said;
} beginnings[] = {
    {"nothing yet", false, false, false, -9, "no model", "no model and no record",
     "data:image"},
    {"a record alone", false, false, true, -9, "no settings",
     "fitted to the record for this report", "FUNCTION_BLOCK"},
    {"a model alone", true, false, false, -9, "no settings", "Published rules side by side",
     "FUNCTION_BLOCK"},
    {"settings that miss", true, true, false, -14, "not met", "<strong>NOT MET</strong>",
     "Limiting requirement"},
    {"an unstable loop", true, true, false, -60, "not met", "unstable on its model",
     "FUNCTION_BLOCK"},
    {"no record", true, true, false, -9, "met", "There is no record", "Kinds tried"},
};

START_TEST(a_beginning_says_what_is_missing)
{
    rk_record *record = beginnings[_i].record ? blend_record() : NULL;
    rk_design loop = blend();
    rk_page_result made;
    char *html;

    loop.has_model = beginnings[_i].model;
    loop.has_settings = beginnings[_i].settings;
    loop.settings.kc = beginnings[_i].kc;
    loop.requirements.limit[RK_REQUIRE_OVERSHOOT] = 10;
    html = page_of(&loop, record, &made);
    ck_assert_msg(strcmp(made.verdict, beginnings[_i].verdict) == 0, "%s: %s",
                  beginnings[_i].fact, made.verdict);
    has(html, beginnings[_i].said);
    has_not(html, beginnings[_i].not_said);
    ck_assert_int_eq(made.judged, beginnings[_i].settings);
    free(html);
    rk_record_free(record);
}
END_TEST

START_TEST(two_position_control_has_a_page_too)
{
    rk_design loop = blend();
    rk_page_result made;
    char *html;

    loop.settings.on_off = 0.2;
    html = page_of(&loop, NULL, &made);
    has(html, "Two-position control, with 0.2 degBx");
    ck_assert(!made.has_workbench);
    free(html);
}
END_TEST

/* The loop's model by factors, and of another kind: is it the record's? gain -0.118 +- 0.4 %, time constant 46.3 s
   +- 1 %, dead time 17.3 to 18.6 s. */
static const struct {
    double gain, time, dead;
    rk_model_kind kind;
    bool said;
} others[] = {
    {1, 1, 1, RK_MODEL_FOPDT, false},   {1.5, 1, 1, RK_MODEL_FOPDT, true},
    {0.99, 1, 1, RK_MODEL_FOPDT, true}, {1, 1.05, 1, RK_MODEL_FOPDT, true},
    {1, 0.95, 1, RK_MODEL_FOPDT, true}, {1, 1, 1.04, RK_MODEL_FOPDT, false},
    {1, 1, 1.1, RK_MODEL_FOPDT, true},  {1, 1, 0.9, RK_MODEL_FOPDT, true},
    {1, 1, 1, RK_MODEL_SOPDT, true},
};

START_TEST(a_model_that_is_another_than_the_records_is_said)
{
    rk_record *record = blend_record();
    rk_design loop = blend();
    rk_page_result made;
    char *html;

    loop.model =
        fopdt(-0.118 * others[_i].gain, 46.3 * others[_i].time, 17.6 * others[_i].dead);
    loop.model.kind = others[_i].kind;
    loop.model.time_constant[1] = others[_i].kind == RK_MODEL_SOPDT ? 1 : 0;
    loop.model.out0 = 42;
    loop.model.pv0 = 11.8;
    html = page_of(&loop, record, &made);
    if (others[_i].said) {
        has(html, "own model is another one");
    } else {
        has_not(html, "own model is another one");
    }
    free(html);
    rk_record_free(record);
}
END_TEST

START_TEST(a_long_record_is_thinned_for_drawing_and_it_is_said)
{
    rk_record *record = NULL;
    rk_design loop = blend();
    rng r = {5};
    rk_page_result made;
    char *html;
    int i;

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < 10000; i++) {
        const double since = i - 3017.6;
        const double pv = 11.8 - (since > 0 ? 0.59 * (1 - exp(-since / 46.3)) : 0);

        ck_assert_int_eq(
            rk_record_add(record, i, i < 3000 ? 42 : 47, pv + (0.008 * rng_normal(&r)), NULL),
            RK_OK);
    }
    html = page_of(&loop, record, &made);
    ck_assert_uint_eq(made.rows, 10000);
    has(html, "The figures show at most 800 of the 10000 rows");
    ck_assert_msg(strlen(html) < 1200000, "%zu bytes", strlen(html));
    free(html);
    rk_record_free(record);
}
END_TEST

/* What must not become markup: none of it stands in the page as it is. */
START_TEST(names_are_escaped_wherever_they_stand)
{
    static const char evil[] = "<x>&\"'\x01\xFF";
    rk_design loop = blend();
    rk_page_result made;
    rk_text *shown = rk_text_create();
    char *html;

    (void)snprintf(loop.name, sizeof loop.name, "%s", evil);
    (void)snprintf(loop.pv_units, sizeof loop.pv_units, "%s", evil);
    (void)snprintf(loop.out_units, sizeof loop.out_units, "%s", evil);
    (void)snprintf(loop.rule, sizeof loop.rule, "%s", evil);
    html = page_of(&loop, NULL, &made);
    has_not(html, "<x>");
    has_not(html, "\x01");
    has_not(html, "\xFF");
    has(html, "<title>&lt;x&gt;&amp;&quot;&#39;&#65533;&#65533;</title>");
    rk_html_add(
        shown,
        "gr\xC3\xBC\xC3\x9F \xE2\x82\xAC \xF0\x9F\x8D\x8E \xC3( \xE2\x82 \xC0\x80 a\tb\n");
    ck_assert_str_eq(rk_text_chars(shown),
                     "gr\xC3\xBC\xC3\x9F \xE2\x82\xAC \xF0\x9F\x8D\x8E "
                     "&#65533;( &#65533;&#65533; &#65533;&#65533; a\tb\n");
    rk_text_free(shown);
    free(html);
}
END_TEST

/* The sum of each script and style that the page allows is that of one that stands in it. */
START_TEST(the_policy_allows_what_stands_there_and_no_more)
{
    rk_design loop = blend();
    rk_page_result made;
    char *html = page_of(&loop, NULL, &made), *directory = scratch_make(), *policy, *end;
    const char *at = html;
    int sums = 0;

    policy = strdup(strstr(html, "Content-Security-Policy"));
    end = strstr(policy, "\">");
    *end = '\0';
    has(policy, "default-src 'none'");
    has_not(policy, "unsafe-inline");
    has_not(policy, "http");
    while ((at = strstr(at, "<s")) != NULL) {
        const bool script = strncmp(at, "<script>", 8) == 0,
                   style = strncmp(at, "<style>", 7) == 0;
        const char *const argv[] = {"sh", "-c", "openssl dgst -sha256 -binary part | base64",
                                    NULL};
        const char *stop;
        outcome sum;

        at += 2;
        if (!script && !style) continue;
        at = strchr(at, '>') + 1;
        stop = strstr(at, script ? "</script>" : "</style>");
        {
            char *part = strndup(at, (size_t)(stop - at));

            put_file(path_in(directory, "part"), part);
            free(part);
        }
        sum = run_program(directory, argv);
        sum.out[strcspn(sum.out, "\n")] = '\0';
        has(policy, sum.out);
        outcome_free(&sum);
        sums++;
    }
    ck_assert_int_eq(sums, made.has_workbench ? 6 : 2);
    free(policy);
    free(html);
    scratch_free(directory);
}
END_TEST

START_TEST(nothing_given_is_an_error)
{
    const rk_design loop = blend();
    const rk_page page = {.loop = &loop}, none = {.loop = NULL};
    rk_page_result made;
    rk_text *html = rk_text_create();

    ck_assert_int_eq(rk_page_compute(NULL, html, &made, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_page_compute(&none, html, &made, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_page_compute(&page, NULL, &made, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_page_compute(&page, html, NULL, NULL), RK_ERR_ARG);
    rk_text_free(html);
}
END_TEST

Suite *suite_page(void)
{
    Suite *suite = suite_create("page");
    TCase *t = tcase_create("page");

    tcase_add_test(t, a_whole_loop_has_all_its_sections);
    add_table(t, a_beginning_says_what_is_missing, beginnings);
    tcase_add_test(t, two_position_control_has_a_page_too);
    add_table(t, a_model_that_is_another_than_the_records_is_said, others);
    tcase_add_test(t, a_long_record_is_thinned_for_drawing_and_it_is_said);
    tcase_add_test(t, names_are_escaped_wherever_they_stand);
    tcase_add_test(t, the_policy_allows_what_stands_there_and_no_more);
    tcase_add_test(t, nothing_given_is_an_error);
    suite_add_tcase(suite, t);
    return suite;
}
