/* SPDX-License-Identifier: MIT */
/* The slim controller in integers, as Structured Text and as C. */
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"
#include "texts.h"

static const rk_program_file files[] = {RK_PROGRAM_FIXED_ST, RK_PROGRAM_FIXED_H,
                                        RK_PROGRAM_FIXED_C};

static rk_design ranged(int row)
{
    rk_design loop = variant(row);

    loop.pv_low = 0;
    loop.pv_high = 20;
    return loop;
}

START_TEST(integers_are_proven_in_either_language)
{
    const char *scans = getenv("RK_PROVE_SCANS");
    const rk_design loop = ranged(_i);
    const rk_prove_plan plan = {.scans = scans != NULL ? strtoul(scans, NULL, 10) : 5000,
                                .compile = scans != NULL || _i % 3 == 0};
    texts t = texts_of(&loop, RK_NUMBER_LREAL, files, COUNT(files));
    char words[RK_PROOF_WORDS_CHARS];
    rk_diag diag = {RK_OK, ""};
    double error = 0;
    rk_proof proof;
    size_t i;

    ck_assert_msg(rk_proof_compute(&loop, &t.program, &plan, &proof, &diag) == RK_OK, "%s",
                  diag.text);
    ck_assert_int_eq(rk_emit_fixed_error(&loop, &error, NULL), RK_OK);
    ck_assert_uint_eq(proof.parts, plan.compile ? 2 : 1);
    for (i = 0; i < proof.parts; i++) {
        rk_proof_part_words(&proof.part[i], words);
        ck_assert_msg(proof.part[i].ran && proof.part[i].mismatches == 0, "%s: %s: %s",
                      variants[_i].fact, proof.part[i].what, words);
        ck_assert_uint_eq(proof.part[i].scans, plan.scans);
        ck_assert(proof.part[i].worst > 0);
        ck_assert(strcmp(variants[_i].fact, "PI, conditional") == 0 ||
                  proof.part[i].worst <= error);
    }
    ck_assert(proof.proven);
    free_texts(&t);
}
END_TEST

/* A change to a declaration; NULL: the last digit of the number behind it. */
static const struct {
    const char *fact;
    int row;
    const char *find, *put;
} changes[] = {
    {"kc", 0, "kc       : LINT := LINT#", NULL},
    {"kc's divisor", 0, "kc_div   : LINT := LINT#", NULL},
    {"ki_ts", 0, "ki_ts    : LINT := LINT#", NULL},
    {"ki_ts's divisor", 0, "ki_div   : LINT := LINT#", NULL},
    {"the tracking", 0, "kt_ts    : LINT := LINT#", NULL},
    {"the low limit", 0, "out_lo   : LINT := LINT#0", "out_lo   : LINT := LINT#9000000"},
    {"the high limit", 0, "out_hi   : LINT := LINT#14", "out_hi   : LINT := LINT#13"},
    {"the output's divisor", 0, "out_div  : LINT := LINT#", NULL},
    {"no number", 0, "none : DINT := DINT#-2147483648", "none : DINT := DINT#-2147483647"},
    {"the widest signal", 0, "most     : LINT := LINT#1073741824",
     "most     : LINT := LINT#1073741823"},
    {"automatic at first", 0, "automatic : BOOL := FALSE", "automatic : BOOL := TRUE"},
    {"where it starts", 0, "out_start : DINT := 0", "out_start : DINT := 5"},
    {"the manual output at first", 0, "manual_out : DINT := 0", "manual_out : DINT := 5"},
    {"a pin's name", 0, "    held : BOOL", "    hold : BOOL"},
    {"a pin's type", 0, "    sp : DINT", "    sp : LREAL"},
    {"kd", 10, "kd       : LINT := LINT#", NULL},
    {"kd's divisor", 10, "kd_div   : LINT := LINT#", NULL},
    {"the derivative's filter", 10, "ad       : LINT := LINT#", NULL},
    {"the setpoint's weight", 10, "p_weight : LINT := LINT#", NULL},
    {"the PV filter", 10, "pv_part  : LINT := LINT#", NULL},
    {"the rate", 10, "out_step : LINT := LINT#", "out_step : LINT := LINT#1"},
    {"the bias", 4, "bias     : LINT := LINT#", "bias     : LINT := LINT#1"},
    {"how fast it goes there", 4, "fade     : LINT := LINT#", NULL},
};

START_TEST(another_number_in_it_is_found)
{
    const rk_design loop = ranged(changes[_i].row);
    const rk_prove_plan plan = {.scans = 20000};
    texts t = texts_of(&loop, RK_NUMBER_LREAL, files, 1);
    char *mutant =
        text_changed(t.program.text[RK_PROGRAM_FIXED_ST], changes[_i].find, changes[_i].put);
    rk_program program = {.text = {[RK_PROGRAM_FIXED_ST] = mutant}};
    rk_proof proof;

    ck_assert_int_eq(rk_proof_compute(&loop, &program, &plan, &proof, NULL), RK_OK);
    ck_assert_msg(!proof.proven, "%s is not found", changes[_i].fact);
    free(mutant);
    free_texts(&t);
}
END_TEST

/* C that is not what emit writes is compiled only by the flag for it, and then its fault is found. */
START_TEST(changed_c_is_not_run_unasked)
{
    const rk_design loop = ranged(0);
    rk_prove_plan plan = {.scans = 1000, .compile = true};
    texts t = texts_of(&loop, RK_NUMBER_LREAL, files, COUNT(files));
    char *mutant = text_changed(t.program.text[RK_PROGRAM_FIXED_C], "KI_TS    = ", NULL);
    rk_proof proof;

    t.program.text[RK_PROGRAM_FIXED_C] = mutant;
    ck_assert_int_eq(rk_proof_compute(&loop, &t.program, &plan, &proof, NULL), RK_OK);
    ck_assert(!proof.proven && proof.part[1].scans == 0);
    ck_assert_ptr_nonnull(strstr(proof.part[1].refused, "is not what emit writes"));
    plan.changed = true;
    ck_assert_int_eq(rk_proof_compute(&loop, &t.program, &plan, &proof, NULL), RK_OK);
    ck_assert(!proof.proven && proof.part[1].mismatches > 0);
    free(mutant);
    free_texts(&t);
}
END_TEST

Suite *suite_fixed_proof(void);

Suite *suite_fixed_proof(void)
{
    enum { BACKWARD = 11 }; /* the variants before the other schemes */
    Suite *suite = suite_create("prove/fixed");
    TCase *t = tcase_create("fixed"), *compiled = tcase_create("compiled");

    add_some(t, another_number_in_it_is_found, COUNT(changes));
    suite_add_tcase(suite, t);
    tcase_set_tags(compiled, "processes");
    tcase_add_loop_test(compiled, integers_are_proven_in_either_language, 0, BACKWARD);
    tcase_add_test(compiled, changed_c_is_not_run_unasked);
    suite_add_tcase(suite, compiled);
    return suite;
}
