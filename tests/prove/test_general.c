/* SPDX-License-Identifier: MIT */
/* The function block of all loops by itself: as it is emitted, and as it must not be. */
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
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

/* A valve that is said to stand beyond its range stands at the end of it, for a predictor's models too:
   both starts go the same way. */
static const struct {
    double said, stands; /* out-EU */
} valves[] = {{150, 100}, {100.8, 100}, {-20, 0}, {55, 55}};

START_TEST(a_start_takes_the_valve_within_its_limits)
{
    rk_design loop = brix_loop();
    rk_rig_settings settings;
    rk_rig *rig[2] = {NULL, NULL};
    int scan, k;

    loop.settings.predictor = RK_YES;
    ck_assert_int_eq(rk_emit_rig_settings(&loop, RK_NUMBER_LREAL, false, &settings, NULL),
                     RK_OK);
    for (k = 0; k < 2; k++) {
        ck_assert_int_eq(rk_emit_rig_create(&loop, RK_NUMBER_LREAL, false, &rig[k], NULL),
                         RK_OK);
    }
    for (scan = 0; scan < 60; scan++) {
        rk_rig_output out[2];

        for (k = 0; k < 2; k++) {
            const rk_rig_input in = {.sp = 12,
                                     .pv = 11.8,
                                     .pv_good = true,
                                     .automatic = true,
                                     .valve_known = scan == 0,
                                     .valve_out = k == 0 ? valves[_i].said : valves[_i].stands,
                                     .restart = scan == 0};

            rk_rig_scan(rig[k], &settings, &in, &out[k]);
        }
        ck_assert_msg(out[0].out == out[1].out, "scan %d: %.9g and %.9g", scan, out[0].out,
                      out[1].out);
    }
    rk_rig_free(rig[0]);
    rk_rig_free(rig[1]);
}
END_TEST

Suite *suite_general(void);

Suite *suite_general(void)
{
    Suite *suite = suite_create("prove/general");
    TCase *t = tcase_create("general");

    tcase_add_loop_test(t, the_general_block_is_rk_loop_bit_for_bit, 0, RK_NUMBERS);
    add_table(t, a_start_takes_the_valve_within_its_limits, valves);
    suite_add_tcase(suite, t);
    return suite;
}
