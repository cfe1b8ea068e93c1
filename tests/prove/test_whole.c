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
#include "texts.h"

static const rk_program_file st_files[] = {RK_PROGRAM_GENERAL_ST, RK_PROGRAM_PROGRAM,
                                           RK_PROGRAM_PLANT_ST, RK_PROGRAM_VARIABLES,
                                           RK_PROGRAM_XML};
static const rk_program_file c_files[] = {RK_PROGRAM_GENERAL_H,   RK_PROGRAM_GENERAL_C,
                                          RK_PROGRAM_PREDICTOR_H, RK_PROGRAM_PREDICTOR_C,
                                          RK_PROGRAM_LOOP_H,      RK_PROGRAM_LOOP_C};

/* Features, one bit each. */
enum {
    PID = 1 << 0,
    P_BIAS = 1 << 1,
    WEIGHTS = 1 << 2,
    DEADBAND = 1 << 3,
    RATES = 1 << 4, /* of setpoint and OUT */
    FILTER = 1 << 5,
    CONDITIONAL = 1 << 6,
    VELOCITY = 1 << 7,
    TRAPEZOID = 1 << 8,
    PREDICTOR = 1 << 9,
    ON_OFF = 1 << 10,
    ALARMS = 1 << 11, /* with hold, stale and safe */
    COUNTS = 1 << 12,
    WARM_MANUAL = 1 << 13,
    WARM_AUTO = 1 << 14,
    NO_MODEL = 1 << 15,
    NO_CONFIGURATION = 1 << 16,
    SHORT_NAMES = 1 << 17,
    PARTS = 1 << 18,
    REVERSE = 1 << 19,
    INTEGRATOR = 1 << 20,
};

static const struct {
    const char *fact;
    double scan;
    int features;
} controllers[] = {
    {"PI", 1, 0},
    {"PID", 0.5, PID},
    {"P with a bias", 1, P_BIAS},
    {"weights", 0.2, PID | WEIGHTS},
    {"a deadband", 1, DEADBAND},
    {"rates", 1, RATES},
    {"a PV filter", 0.1, FILTER},
    {"conditional integration", 2, CONDITIONAL},
    {"velocity", 1, VELOCITY},
    {"sums by the trapezoid", 1, PID | TRAPEZOID | FILTER},
    {"a predictor", 1, PREDICTOR},
    {"two-position control", 1, ON_OFF | ALARMS},
    {"alarms, hold and safe", 1, ALARMS},
    {"counts at both ends", 0.05, COUNTS},
    {"manual after a warm start", 1, WARM_MANUAL | ALARMS},
    {"automatic after a warm start", 1, WARM_AUTO},
    {"no model", 1, NO_MODEL},
    {"a project with its own configuration", 1, NO_CONFIGURATION},
    {"names of 24 characters", 1, SHORT_NAMES | ALARMS},
    {"a process of several lags", 1, PARTS},
    {"an integrator, reverse acting", 5, REVERSE | INTEGRATOR},
    {"5 ms", 0.005, PID | ALARMS},
    {"5 s", 5, PID | FILTER | RATES},
    {"all of the law", 0.25, PID | WEIGHTS | DEADBAND | RATES | FILTER | CONDITIONAL | ALARMS},
    {"all of it", 1,
     PID | WEIGHTS | DEADBAND | RATES | FILTER | PREDICTOR | ALARMS | COUNTS | WARM_MANUAL |
         NO_CONFIGURATION | SHORT_NAMES | REVERSE},
};

static void add_program(rk_design *d, int has)
{
    if (has & COUNTS) {
        d->program.pv_raw[0] = -200;
        d->program.pv_raw[1] = 10000;
        d->program.out_raw[0] = 0;
        d->program.out_raw[1] = 65535;
        strcpy(d->program.pv_at, "%IW4");
    }
    if (has & WARM_MANUAL) {
        d->program.warm_start = RK_WARM_START_MANUAL;
    }
    if (has & WARM_AUTO) {
        d->program.warm_start = RK_WARM_START_AUTOMATIC;
    }
    if (has & NO_CONFIGURATION) {
        d->program.configuration = RK_NO;
    }
    if (has & SHORT_NAMES) {
        strcpy(d->name, "Brix of the blend behind the second dilution valve");
        d->program.name_length = 24;
    }
}

static void add_law(rk_design *d, int has)
{
    rk_settings *s = &d->settings;

    if (has & PID) {
        *s = rk_settings_make(-9.1, 40.7, 7.3, 0.73 + d->ts);
    }
    if (has & P_BIAS) {
        *s = rk_settings_make(-7, HUGE_VAL, 0, 0);
        s->bias = 35;
    }
    if (has & ON_OFF) {
        s->on_off = 0.2;
    }
    if (has & WEIGHTS) {
        s->sp_weight = 0.4;
        s->d_sp_weight = 0.3;
    }
    s->deadband = has & DEADBAND ? 0.05 : 0;
    s->sp_rate = has & RATES ? 0.02 : HUGE_VAL;
    d->out_rate = has & RATES ? 2.5 : HUGE_VAL;
    s->pv_filter = has & FILTER ? 1.5 * d->ts : 0;
    s->anti_windup = has & CONDITIONAL ? RK_ANTI_WINDUP_CONDITIONAL : s->anti_windup;
    s->algorithm = has & VELOCITY ? RK_ALGORITHM_VELOCITY : RK_ALGORITHM_POSITION;
    if (has & TRAPEZOID) {
        s->integral = s->derivative = RK_SCHEME_TRAPEZOID;
    }
    s->predictor = has & PREDICTOR ? RK_YES : RK_NO;
}

static rk_design loop_with(int row)
{
    const int has = controllers[row].features;
    rk_design d = brix_loop();

    d.ts = controllers[row].scan;
    d.pv_low = 0;
    d.pv_high = 20;
    add_law(&d, has);
    add_program(&d, has);
    if (has & ALARMS) {
        d.alarms = (rk_alarm_limits){11, 12.5, 0.8, 0.05, 12 * d.ts, 4 * d.ts};
        d.out_safe = 20;
    }
    if (has & PARTS) {
        d.process = (rk_model){RK_MODEL_PROCESS, -0.118, {0}, 0, 9, 42, 11.8, 3, {4, 46, 6}};
        d.has_process = true;
    }
    if (has & INTEGRATOR) {
        d.model = (rk_model){RK_MODEL_IPDT, 0.002, {0, 0}, 0, 17.4, 42, 11.8};
        d.settings = rk_settings_make(5, 400, 0, 0);
    }
    if (has & REVERSE) {
        d.action = RK_ACTION_REVERSE;
        d.model.gain = fabs(d.model.gain);
        d.settings.kc = fabs(d.settings.kc);
    }
    d.has_model = !(has & NO_MODEL);
    return d;
}

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
    const rk_design loop = loop_with(row);
    const rk_prove_plan plan = {.scans = scans_asked(2500)};
    texts t = texts_of(&loop, number, st_files, COUNT(st_files));

    check_proof(&loop, &t, &plan, number, controllers[row].fact);
    free_texts(&t);
}
END_TEST

static const int compiled[] = {0, 10, 11, 23, 24};

START_TEST(the_same_in_c_is_proven)
{
    const int row = compiled[_i / RK_NUMBERS];
    const rk_number number = (rk_number)(_i % RK_NUMBERS);
    const rk_design loop = loop_with(row);
    const rk_prove_plan plan = {.scans = scans_asked(5000), .compile = true};
    texts t = texts_of(&loop, number, c_files, COUNT(c_files));

    check_proof(&loop, &t, &plan, number, controllers[row].fact);
    free_texts(&t);
}
END_TEST

/* Names keep to their length; nothing reads as an address of the hardware. */
START_TEST(names_are_short_and_no_addresses)
{
    const rk_design loop = loop_with(_i);
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

    tcase_add_loop_test(t, every_controller_is_proven_in_either_number_type, 0,
                        (int)COUNT(controllers) * RK_NUMBERS);
    add_table(t, names_are_short_and_no_addresses, controllers);
    suite_add_tcase(suite, t);
    tcase_set_tags(c, "processes");
    tcase_add_loop_test(c, the_same_in_c_is_proven, 0, (int)COUNT(compiled) * RK_NUMBERS);
    suite_add_tcase(suite, c);
    return suite;
}
