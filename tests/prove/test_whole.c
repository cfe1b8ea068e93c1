/* SPDX-License-Identifier: MIT */
/* The whole of a loop's program text: every feature alone and together, at scans from 5 ms to 5 s,
   in either number type; and no change to any of its files stays unseen. */
#include <ctype.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"
#include "controllers.h"
#include "texts.h"

static const rk_program_file st_files[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_PROGRAM,
                                           RK_PROGRAM_PLANT_ST, RK_PROGRAM_VARIABLES,
                                           RK_PROGRAM_XML};
static const rk_program_file c_files[] = {RK_PROGRAM_GENERAL_H,   RK_PROGRAM_GENERAL_C,
                                          RK_PROGRAM_PREDICTOR_H, RK_PROGRAM_PREDICTOR_C,
                                          RK_PROGRAM_LOOP_H,      RK_PROGRAM_LOOP_C};

static size_t scans_asked(size_t otherwise)
{
    const char *scans = getenv("RK_PROVE_SCANS");

    return scans != NULL ? strtoul(scans, NULL, 10) : otherwise;
}

static void check_proof(const rk_design *loop, const texts *t, const rk_prove_plan *plan,
                        rk_number number, const char *fact)
{
    char words[RK_PROOF_WORDS_CHARS];
    rk_diag diag = {RK_OK, ""};
    rk_proof proof;
    size_t i;

    ck_assert_msg(rk_proof_compute(loop, &t->program, plan, &proof, &diag) == RK_OK, "%s: %s",
                  fact, diag.text);
    for (i = 0; i < proof.parts; i++) {
        rk_proof_part_words(&proof.part[i], words);
        ck_assert_msg(proof.part[i].ran && proof.part[i].mismatches == 0, "%s: %s: %s", fact,
                      proof.part[i].what, words);
        ck_assert_int_eq(proof.part[i].number, number);
    }
    ck_assert(proof.proven && proof.scans >= plan->scans);
}

START_TEST(every_controller_is_proven_in_either_number_type)
{
    const int row = _i / RK_NUMBERS;
    const rk_number number = (rk_number)(_i % RK_NUMBERS);
    const rk_design loop = controller_loop(row);
    const rk_prove_plan plan = {.scans = scans_asked(1000)};
    texts t = texts_of(&loop, number, st_files, COUNT(st_files));

    check_proof(&loop, &t, &plan, number, controllers[row].fact);
    free_texts(&t);
}
END_TEST

static const int compiled[] = {0, 10, 11, 23, 24};

START_TEST(the_same_in_c_is_proven)
{
    const bool all = getenv("RK_PROVE_SCANS") != NULL; /* else one number type a row */
    const int row = compiled[all ? _i / RK_NUMBERS : _i];
    const rk_number number = (rk_number)(_i % RK_NUMBERS);
    const rk_design loop = controller_loop(row);
    const rk_prove_plan plan = {.scans = scans_asked(5000), .compile = true};
    texts t = texts_of(&loop, number, c_files, COUNT(c_files));

    check_proof(&loop, &t, &plan, number, controllers[row].fact);
    free_texts(&t);
}
END_TEST

/* Names keep to their length; nothing reads as an address of the hardware. */
START_TEST(names_are_short_and_no_addresses)
{
    const rk_design loop = controller_loop(_i);
    const size_t most = (size_t)loop.program.name_length;
    texts t = texts_of(&loop, RK_NUMBER_LREAL, st_files, 3);
    size_t f;

    for (f = 0; f < 3; f++) {
        const char *at = t.program.text[st_files[f]];

        while (at != NULL && *at != '\0') {
            const char *comment = strncmp(at, "(*", 2) == 0 ? strstr(at, "*)") : NULL;
            size_t length = 0;

            if (comment != NULL) {
                at = comment + 2;
                continue;
            }
            while (isalnum((unsigned char)at[length]) || at[length] == '_') {
                length++;
            }
            if (length > 0 && isalpha((unsigned char)at[0])) {
                const size_t letters = strcspn(at, "0123456789_");

                must(length <= most);
                /* one or two letters and then digits alone */
                must(at[-1] == '%' || letters > 2 || letters == length ||
                     letters + strspn(at + letters, "0123456789") != length);
            }
            at += length > 0 ? length : 1;
        }
    }
    free_texts(&t);
}
END_TEST

Suite *suite_whole(void);

Suite *suite_whole(void)
{
    Suite *suite = suite_create("prove/whole");
    TCase *t = tcase_create("whole"), *c = tcase_create("c");

    add_some(t, every_controller_is_proven_in_either_number_type, CONTROLLERS * RK_NUMBERS);
    tcase_add_loop_test(t, names_are_short_and_no_addresses, 0, CONTROLLERS);
    suite_add_tcase(suite, t);
    tcase_set_tags(c, "processes");
    tcase_add_loop_test(c, the_same_in_c_is_proven, 0,
                        (int)COUNT(compiled) *
                            (getenv("RK_PROVE_SCANS") != NULL ? RK_NUMBERS : 1));
    suite_add_tcase(suite, c);
    return suite;
}
