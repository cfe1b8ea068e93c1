/* SPDX-License-Identifier: MIT */
/* The function block of all loops by itself: as it is emitted, and as it must not be. */
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"

static rk_text *general_text(rk_number number)
{
    rk_text *text = rk_text_create();

    ck_assert_int_eq(rk_emit_general_st(number, text, NULL), RK_OK);
    return text;
}

START_TEST(the_general_block_is_rk_loop_bit_for_bit)
{
    const rk_number number = (rk_number)_i;
    const char *scans = getenv("RK_PROVE_SCANS");
    const rk_prove_plan plan = {.scans = scans != NULL ? strtoul(scans, NULL, 10) : 20000};
    const rk_design loop = rk_design_make();
    rk_text *text = general_text(number);
    rk_program program = {.text = {[RK_PROGRAM_GENERAL_ST] = rk_text_chars(text)}};
    char words[RK_PROOF_WORDS_CHARS];
    rk_design any = loop;
    rk_proof proof;

    any.ts = 1; /* it is no loop's, but a proof is */
    any.out_low = 0;
    any.out_high = 100;
    any.has_settings = true;
    any.settings = rk_settings_make(1, 10, 0, 0);
    ck_assert_int_eq(rk_proof_compute(&any, &program, &plan, &proof, NULL), RK_OK);
    rk_proof_part_words(&proof.part[0], words);
    ck_assert_msg(proof.proven && proof.parts == 1 && proof.scans >= plan.scans, "%s", words);
    ck_assert_int_eq(proof.part[0].number, number);
    rk_text_free(text);
}
END_TEST

Suite *suite_general(void);

Suite *suite_general(void)
{
    Suite *suite = suite_create("prove/general");
    TCase *t = tcase_create("general");

    tcase_add_loop_test(t, the_general_block_is_rk_loop_bit_for_bit, 0, RK_NUMBERS);
    suite_add_tcase(suite, t);
    return suite;
}
