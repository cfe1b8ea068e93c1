/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "../support/loops.h"
#include "../support/support.h"

/* The emitted C builds where nothing is forgiven: all of it. */
START_TEST(emitted_c_compiles_strictly)
{
    const rk_number number = (rk_number)(_i % RK_NUMBERS);
    rk_design loop = variant(_i / RK_NUMBERS);
    char *dir = scratch_make();
    int f;

    loop.settings.predictor = _i / RK_NUMBERS == 1 ? RK_YES : RK_NO;
    for (f = RK_PROGRAM_GENERAL_H; f <= RK_PROGRAM_SLIM_C; f++) {
        char path[RK_PROGRAM_PATH_CHARS];
        const char *const strict[] = {"cc",       "-std=c99",     "-Wall",
                                      "-Wextra",  "-Werror",      "-pedantic",
                                      "-Wshadow", "-Wconversion", "-Wdouble-promotion",
                                      "-O2",      "-c",           path + 2,
                                      NULL};
        rk_text *text;
        outcome o;

        if (!rk_program_has(&loop, (rk_program_file)f) || f == RK_PROGRAM_SLIM_ST) continue;
        text = rk_text_create();
        ck_assert_int_eq(rk_program_text(&loop, (rk_program_file)f, number, text, NULL), RK_OK);
        rk_program_path(".", &loop, (rk_program_file)f, number, path);
        put_file(path_in(dir, path + 2), rk_text_chars(text));
        rk_text_free(text);
        if (strstr(path, ".c") == NULL) continue;
        /* The compiler's time is saved: of the others one number type a row. */
        if (_i / RK_NUMBERS > 1 && (_i / RK_NUMBERS) % RK_NUMBERS != (int)number) continue;
        /* What is the same for all loops is built for two of them. */
        if (_i / RK_NUMBERS > 1 && (f == RK_PROGRAM_GENERAL_C || f == RK_PROGRAM_LOOP_C)) {
            continue;
        }
        o = run_program(dir, strict);
        ck_assert_msg(o.status == 0, "%s: %s: cc: %s%s", variants[_i / RK_NUMBERS].fact, path,
                      o.out, o.err);
        outcome_free(&o);
    }
    scratch_free(dir);
}
END_TEST

static const char *const fast[] = {"cc", "-std=c99", "-ffast-math", "-c", "x.c", NULL};

/* Built in a way that would not give the design's numbers, it ends the build. */
START_TEST(emitted_c_refuses_fast_math)
{
    static const rk_program_file files[] = {RK_PROGRAM_SLIM_H,    RK_PROGRAM_SLIM_C,
                                            RK_PROGRAM_GENERAL_H, RK_PROGRAM_GENERAL_C,
                                            RK_PROGRAM_PLANT_H,   RK_PROGRAM_PLANT_C};
    const rk_design loop = variant(0);
    char *dir = scratch_make();
    int f;

    for (f = 2 * _i; f < (2 * _i) + 2; f++) {
        char path[RK_PROGRAM_PATH_CHARS];
        rk_text *text = rk_text_create();

        ck_assert_int_eq(rk_program_text(&loop, files[f], RK_NUMBER_LREAL, text, NULL), RK_OK);
        rk_program_path(".", &loop, files[f], RK_NUMBER_LREAL, path);
        put_file(path_in(dir, f % 2 == 0 ? path + 2 : "x.c"), rk_text_chars(text));
        rk_text_free(text);
    }
    {
        outcome o = run_program(dir, fast);

        ck_assert(o.status != 0 && strstr(o.err, "without -ffast-math") != NULL);
        outcome_free(&o);
    }
    scratch_free(dir);
}
END_TEST

/* They go everywhere, and their text reads back to the bit. */
START_TEST(the_vectors_go_everywhere)
{
    rk_design loop = variant(_i);
    int at_low = 0, at_high = 0, manual = 0, bad = 0;
    rk_text *text = rk_text_create();
    rk_vector *rows;
    size_t count, i;
    const char *line;

    loop.has_model = _i != 3; /* one without */
    ck_assert_int_eq(rk_vectors_create(&loop, RK_NUMBER_LREAL, &rows, &count, NULL), RK_OK);
    ck_assert_int_eq(rk_emit_vectors(&loop, RK_NUMBER_LREAL, text, NULL), RK_OK);
    line = strchr(rk_text_chars(text), '\n') + 1;
    for (i = 0; i < count; i++) {
        double sp, pv, hand, out;
        int automatic, held, number;

        ck_assert_int_eq(sscanf(line, "%d,%lf,%lf,%d,%lf,%lf,%d", &number, &sp, &pv, &automatic,
                                &hand, &out, &held),
                         7);
        must(number == (int)i && automatic == rows[i].automatic && held == rows[i].held);
        must(memcmp(&out, &rows[i].out, sizeof out) == 0 && hand == rows[i].manual_out);
        must((isnan(pv) && isnan(rows[i].pv)) || pv == rows[i].pv);
        must(rows[i].held == (isnan(rows[i].pv) || isnan(rows[i].sp)));
        at_low += out == 0;
        at_high += out == 100;
        manual += !automatic;
        bad += held;
        line = strchr(line, '\n') + 1;
    }
    ck_assert(*line == '\0');
    ck_assert(at_low > 3 && at_high > 3 && manual > 20 && bad == 6);
    rk_memory_free(rows);
    rk_text_free(text);
}
END_TEST

/* Worked by hand: kc -8 %/degBx on 0..20 degBx and 0..100 %, ti 40 s, td 10 s, tf 0. */
START_TEST(the_equations_are_shown_with_their_coefficients)
{
    rk_text *text = rk_text_create();
    rk_design loop = variant(7);

    ck_assert_int_eq(rk_emit_equations(&loop, RK_NUMBER_LREAL, text, NULL), RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "Each scan of 1 s:"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "d    = ad d + kd (g - g_last)"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "inc = 0, v again"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "kc       = -9.1 "));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "out_step = 1.7 "));
    ck_assert_int_eq(rk_emit_equations(NULL, RK_NUMBER_LREAL, text, NULL), RK_ERR_ARG);
    rk_text_free(text);
}
END_TEST

START_TEST(a_twin_needs_a_model_a_scan_and_memory)
{
    rk_design loop = brix_loop();
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};

    loop.has_model = false;
    ck_assert_int_eq(rk_emit_plant_st(&loop, RK_NUMBER_LREAL, text, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "needs a model"));
    loop = brix_loop();
    loop.ts = 1e-4;
    ck_assert_int_eq(rk_emit_plant_c_source(&loop, RK_NUMBER_LREAL, text, NULL), RK_ERR_RANGE);
    loop.ts = QNAN;
    ck_assert_int_eq(rk_emit_plant_c_header(&loop, RK_NUMBER_LREAL, text, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_emit_plant_st(NULL, RK_NUMBER_LREAL, text, NULL), RK_ERR_ARG);
    rk_text_free(text);
}
END_TEST

static rk_status emit_all(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    rk_status status = rk_emit_st(loop, RK_NUMBER_LREAL, text, diag);
    rk_text *more = rk_text_create();

    if (status == RK_OK && loop->has_model) {
        ck_assert_int_eq(rk_emit_plant_st(loop, RK_NUMBER_LREAL, more, NULL), RK_OK);
        ck_assert_int_eq(rk_emit_plant_c_header(loop, RK_NUMBER_LREAL, more, NULL), RK_OK);
        ck_assert_int_eq(rk_emit_plant_c_source(loop, RK_NUMBER_LREAL, more, NULL), RK_OK);
        ck_assert_int_eq(rk_emit_vectors(loop, RK_NUMBER_LREAL, more, NULL), RK_OK);
    }
    rk_text_free(more);

    if (status == RK_OK) {
        status = rk_emit_c_header(loop, RK_NUMBER_LREAL, text, diag);
    }
    return status == RK_OK ? rk_emit_c_source(loop, RK_NUMBER_LREAL, text, diag) : status;
}

/* What the head of each text must say, so that nothing needs retyping or guessing. */
static const char *const told[] = {
    "\"Blend Brix\"",
    "blend-brix.csv",
    "-0.118 degBx per %",
    "95 %: -0.119 to -0.117",
    "46.5 s",
    "17.4 s",
    "rule simc, lambda 17.4 s",
    "kc -11.3 % per degBx, ti 46.5 s",
    "gain 3.",
    "Ms 1.",
    "1 s: call it once",
    "direct: OUT rises with PV",
    "0 to 100 %",
    "back-calculation, tracking time 46.5 s",
    ("Red Kettle " RK_VERSION),
};

START_TEST(heads_say_where_the_numbers_come_from)
{
    const rk_design loop = brix_loop();
    rk_text *st = rk_text_create(), *c = rk_text_create();

    ck_assert_int_eq(rk_emit_st(&loop, RK_NUMBER_LREAL, st, NULL), RK_OK);
    ck_assert_int_eq(rk_emit_c_source(&loop, RK_NUMBER_LREAL, c, NULL), RK_OK);
    ck_assert_msg(strstr(rk_text_chars(st), told[_i]) != NULL,
                  "the Structured Text says nothing of %s", told[_i]);
    ck_assert_msg(strstr(rk_text_chars(c), told[_i]) != NULL, "the C says nothing of %s",
                  told[_i]);
    rk_text_free(st);
    rk_text_free(c);
}
END_TEST

/* Each kind of model by its own words and numbers; the interval is the fit's. */
static const struct {
    rk_model model;
    const char *told[4];
    const char *not_told;
} kinds[] = {
    {{RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     {"Model         first order plus dead time\n", "gain          -0.118 degBx per % (95",
      "time constant 46.5 s\n", "dead time     17.4 s\n"},
     "damping"},
    {{RK_MODEL_SOPDT, -0.118, {46.5, 8.25}, 0, 17.4, 42, 11.8},
     {"Model         two lags plus dead time\n", "time constant 46.5 s\n",
      "time constant 8.25 s\n", "dead time     17.4 s\n"},
     "first order"},
    {{RK_MODEL_SOPDT_OSC, -0.118, {46.5, 0}, 0.625, 17.4, 42, 11.8},
     {"Model         underdamped plus dead time\n", "time constant 46.5 s\n",
      "damping       0.625\n", "dead time     17.4 s\n"},
     "first order"},
    {{RK_MODEL_IPDT, -0.118, {0, 0}, 0, 17.4, 42, 11.8},
     {"Model         integrator plus dead time\n", "gain          -0.118 degBx per % and s (95",
      "dead time     17.4 s\n", "\n"},
     "time constant"},
    {{RK_MODEL_IPDT_LAG, -0.118, {8.25, 0}, 0, 17.4, 42, 11.8},
     {"Model         integrator and lag plus dead time\n", "degBx per % and s (95",
      "time constant 8.25 s\n", "dead time     17.4 s\n"},
     "first order"},
};

START_TEST(heads_name_the_kind_of_model_and_all_its_numbers)
{
    rk_design loop = brix_loop();
    rk_text *text = rk_text_create();
    size_t i;

    loop.model = kinds[_i].model;
    loop.settings = rk_settings_make(-0.02, 400, 0, 0);
    ck_assert_int_eq(rk_emit_st(&loop, RK_NUMBER_LREAL, text, NULL), RK_OK);
    for (i = 0; i < sizeof kinds[_i].told / sizeof kinds[_i].told[0]; i++) {
        ck_assert_msg(strstr(rk_text_chars(text), kinds[_i].told[i]) != NULL, "no '%s' in\n%s",
                      kinds[_i].told[i], rk_text_chars(text));
    }
    ck_assert_ptr_null(strstr(rk_text_chars(text), kinds[_i].not_told));
    rk_text_free(text);
}
END_TEST

START_TEST(same_loop_gives_the_same_bytes)
{
    const rk_design loop = brix_loop();
    rk_text *a = rk_text_create(), *b = rk_text_create();

    ck_assert_int_eq(emit_all(&loop, a, NULL), RK_OK);
    ck_assert_int_eq(emit_all(&loop, b, NULL), RK_OK);
    ck_assert_str_eq(rk_text_chars(a), rk_text_chars(b));
    rk_text_free(a);
    rk_text_free(b);
}
END_TEST

static const struct {
    const char *loop, *block;
} names[] = {
    {"Blend Brix", "blend_brix_controller"},
    {"AT-210 / FV-210", "at_210_fv_210_controller"},
    {"210 Brix", "loop_210_brix_controller"},
    {"  Brix__Loop  ", "loop_brix_loop_controller"},
    {"\xC2\xB0"
     "Bx",
     "loop_bx_controller"},
    {"???", "loop_controller"},
    {"IF", "if_controller"},
    {"a", "a_controller"},
    {"*/ (* evil", "loop_evil_controller"},
    {"Brix of the blend behind the second dilution station",
     "brix_of_the_blend_behind_the_sec_6942d8ca_controller"},
    {"Brix of the blend behind the second dilution valve",
     "brix_of_the_blend_behind_the_sec_5aaa95bc_controller"},
};

START_TEST(block_names_are_safe_in_c_and_structured_text)
{
    rk_design loop = brix_loop();
    char name[RK_BLOCK_NAME_CHARS];

    strcpy(loop.name, names[_i].loop);
    rk_emit_block_name(&loop, name);
    ck_assert_str_eq(name, names[_i].block);
}
END_TEST

START_TEST(names_and_units_cannot_break_out_of_a_comment)
{
    rk_design loop = brix_loop();
    rk_text *st = rk_text_create(), *c = rk_text_create();
    rk_diag diag = {RK_OK, ""};
    rk_plc *plc = rk_plc_create();

    strcpy(loop.name, "x */ int y; *) evil (* /*");
    strcpy(loop.pv_units, "*)");
    strcpy(loop.record_file, "a*/b*)c");
    ck_assert_int_eq(rk_emit_st(&loop, RK_NUMBER_LREAL, st, NULL), RK_OK);
    ck_assert_msg(rk_plc_load(plc, "st", rk_text_chars(st), rk_text_length(st), &diag) == RK_OK,
                  "%s", diag.text); /* it would be refused if any stood outside a comment */
    ck_assert_int_eq(rk_emit_c_header(&loop, RK_NUMBER_LREAL, c, NULL), RK_OK);
    ck_assert_ptr_eq(strstr(rk_text_chars(c), "*/"), strstr(rk_text_chars(c), "*/\n#ifndef"));
    rk_text_free(st);
    rk_text_free(c);
    rk_plc_free(plc);
}
END_TEST

static void no_scan(rk_design *l)
{
    l->ts = QNAN;
}
static void no_settings(rk_design *l)
{
    l->has_settings = false;
}
static void no_range(rk_design *l)
{
    l->out_low = l->out_high = QNAN;
}
static void ti_below_scan(rk_design *l)
{
    l->ts = 60;
}
static void wrong_action(rk_design *l)
{
    l->action = RK_ACTION_REVERSE;
}

static const struct {
    void (*spoil)(rk_design *);
    const char *says;
} spoilt[] = {
    {no_scan, "[loop] scan"},         {no_settings, "[settings]"},
    {no_range, "[out] low and high"}, {ti_below_scan, "shorter than the scan"},
    {wrong_action, "reverse"},
};

START_TEST(incomplete_loops_are_refused)
{
    rk_design loop = brix_loop();
    rk_diag diag = {RK_OK, ""};
    rk_text *text = rk_text_create();

    spoilt[_i].spoil(&loop);
    ck_assert_int_eq(emit_all(&loop, text, &diag), RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, spoilt[_i].says) != NULL, "%s", diag.text);
    ck_assert_uint_eq(rk_text_length(text), 0);
    ck_assert_int_eq(rk_emit_st(NULL, RK_NUMBER_LREAL, text, NULL), RK_ERR_ARG);
    rk_text_free(text);
}
END_TEST

START_TEST(an_unstable_loop_says_so_in_its_head)
{
    rk_design loop = brix_loop();
    rk_text *text = rk_text_create();

    loop.settings.kc = -60;
    ck_assert_int_eq(rk_emit_st(&loop, RK_NUMBER_LREAL, text, NULL), RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "UNSTABLE"));
    rk_text_free(text);
}
END_TEST

static Suite *suite_emit(void)
{
    Suite *suite = suite_create("emit");
    TCase *t = tcase_create("emit"), *runs = tcase_create("runs");

    tcase_add_test(t, the_equations_are_shown_with_their_coefficients);
    tcase_add_test(t, a_twin_needs_a_model_a_scan_and_memory);
    add_table(t, heads_say_where_the_numbers_come_from, told);
    add_table(t, heads_name_the_kind_of_model_and_all_its_numbers, kinds);
    tcase_add_test(t, same_loop_gives_the_same_bytes);
    add_table(t, block_names_are_safe_in_c_and_structured_text, names);
    tcase_add_test(t, names_and_units_cannot_break_out_of_a_comment);
    add_table(t, incomplete_loops_are_refused, spoilt);
    tcase_add_test(t, an_unstable_loop_says_so_in_its_head);
    suite_add_tcase(suite, t);
    tcase_add_loop_test(t, the_vectors_go_everywhere, 0, VARIANTS);
    /* The compiler's work: the sanitizers see nothing of it. */
    tcase_set_tags(runs, "statistics");
    tcase_add_loop_test(runs, emitted_c_compiles_strictly, 0, VARIANTS * RK_NUMBERS);
    tcase_add_loop_test(runs, emitted_c_refuses_fast_math, 0, 3);
    suite_add_tcase(suite, runs);
    return suite;
}

Suite *suite_program(void);
Suite *suite_fixed(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_emit, suite_program, suite_fixed};

    return run_suites(makers, COUNT(makers));
}
