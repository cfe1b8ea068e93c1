/* SPDX-License-Identifier: MIT */
/* A textbook PID by someone else: what it is, told by its answers alone, and how far it is off. */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"

/* Its numbers are constants; W, X, Y and the rest are as its author called them. */
static const char law[] =
    "FUNCTION_BLOCK own\n"
    "VAR_INPUT W, X : LREAL; AUTO : BOOL; HAND, STAND : LREAL; END_VAR\n"
    "VAR_OUTPUT Y : LREAL; END_VAR\n"
    "VAR CONSTANT K : LREAL := %s; TI : LREAL := %s; TD : LREAL := %s; TF : LREAL := %s;\n"
    "  B : LREAL := %s; C : LREAL := %s; FX : LREAL := %s; SERIES : LREAL := %s;\n"
    "  TS : LREAL := %s; TT : LREAL := %.17g; END_VAR\n"
    "VAR i, p, d, g, last, v, seen : LREAL; run, was : BOOL; END_VAR\n"
    "IF NOT run THEN Y := LIMIT(0.0, STAND, 100.0); seen := X; last := C * W - X; END_IF;\n"
    "seen := seen + (X - seen) * TS / (FX + TS);\n"
    "g := C * W - seen;\n"
    "d := (TF * d + K * TD * (g - last)) / (TF + TS);\n"
    "last := g; p := K * (B * W - seen);\n"
    "IF NOT (AUTO AND was) THEN d := 0.0; END_IF;\n"
    "IF NOT AUTO THEN Y := LIMIT(0.0, HAND, 100.0);\n"
    "ELSE\n"
    "  IF NOT was THEN i := Y - p; END_IF;\n"
    "  i := i + (K * (W - seen) + SERIES * d) * TS / TI;\n"
    "  v := p + i + d; Y := LIMIT(0.0, v, 100.0); i := i + (Y - v) * TS / TT;\n"
    "END_IF;\n"
    "was := AUTO; run := TRUE;\n"
    "END_FUNCTION_BLOCK\n";

typedef struct own {
    const char *fact;
    const char *type, *k, *ti, *td, *tf, *b, *c, *filter, *series, *ts;
    double scan;       /* of the loop, s */
    bool has_d;        /* the design: ti 40.7, td 7.3, tf 0.73; else PI of ti 46.5; kc -11.3 */
    double is[7];      /* what it is: kc, ti, td, tf, PV filter, weights of P and of D */
    const char *looks; /* what is said of it; NULL: nothing */
    double most;       /* OUT's largest difference; 0: it is far off */
} own;

#define PI_TIMES "0.0", "0.0", "1.0", "0.0", "0.0", "0.0"
#define PID_REST "1.0", "0.0", "0.0", "0.0"
static const own blocks[] = {
    {"the same law in another order",
     "LREAL",
     "-11.3",
     "46.5",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-11.3, 46.5, 0, 0, 0, 1, 0},
     NULL,
     1e-6},
    {"in single precision",
     "REAL",
     "-11.3",
     "46.5",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-11.3, 46.5, 0, 0, 0, 1, 0},
     NULL,
     0.01},
    {"at another scan",
     "LREAL",
     "-11.3",
     "46.5",
     PI_TIMES,
     "0.25",
     0.25,
     false,
     {-11.3, 46.5, 0, 0, 0, 1, 0},
     NULL,
     1e-6},
    {"ti 10 % off",
     "LREAL",
     "-11.3",
     "51.15",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-11.3, 51.15, 0, 0, 0, 1, 0},
     NULL,
     0},
    {"ti in minutes",
     "LREAL",
     "-11.3",
     "46.5 * 60.0",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-11.3, 2790, 0, 0, 0, 1, 0},
     "it takes ti in minutes, and was given seconds",
     0},
    {"minutes typed for seconds",
     "LREAL",
     "-11.3",
     "46.5 / 60.0",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-11.3, 0.775, 0, 0, 0, 1, 0},
     "it takes ti in seconds, and was given minutes",
     0},
    {"ki for ti",
     "LREAL",
     "-11.3",
     "11.3 / 46.5",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-11.3, 0.24301075, 0, 0, 0, 1, 0},
     "ki stands where ti belongs",
     0},
    {"repeats per minute for ti",
     "LREAL",
     "-11.3",
     "60.0 / 46.5",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-11.3, 1.2903226, 0, 0, 0, 1, 0},
     "repeats per minute stand where ti belongs",
     0},
    {"without the scan",
     "LREAL",
     "-11.3",
     "46.5",
     PI_TIMES,
     "1.0",
     0.25,
     false,
     {-11.3, 11.625, 0, 0, 0, 1, 0},
     "its integral does not count with the scan",
     0},
    {"the wrong way round",
     "LREAL",
     "11.3",
     "46.5",
     PI_TIMES,
     "1.0",
     1,
     false,
     {11.3, 46.5, 0, 0, 0, 1, 0},
     "it acts the other way round",
     0},
    {"percent for units",
     "LREAL",
     "-2.26",
     "46.5",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-2.26, 46.5, 0, 0, 0, 1, 0},
     "in percent of span, taken for units",
     0},
    {"units for percent",
     "LREAL",
     "-56.5",
     "46.5",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-56.5, 46.5, 0, 0, 0, 1, 0},
     "takes gains in percent of span",
     0},
    {"a proportional band for a gain",
     "LREAL",
     "-100.0 / 2.26",
     "46.5",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-44.247788, 46.5, 0, 0, 0, 1, 0},
     "proportional band, taken for a gain",
     0},
    {"no integral",
     "LREAL",
     "-11.3",
     "1.0E30",
     PI_TIMES,
     "1.0",
     1,
     false,
     {-11.3, HUGE_VAL, 0, 0, 0, 1, 0},
     NULL,
     0},
    {"a setpoint weight",
     "LREAL",
     "-11.3",
     "46.5",
     "0.0",
     "0.0",
     "0.4",
     "0.0",
     "0.0",
     "0.0",
     "1.0",
     1,
     false,
     {-11.3, 46.5, 0, 0, 0, 0.4, 0},
     NULL,
     0},
    {"a filter on PV",
     "LREAL",
     "-11.3",
     "46.5",
     "0.0",
     "0.0",
     "1.0",
     "0.0",
     "6.0",
     "0.0",
     "1.0",
     1,
     false,
     {-11.3, 46.5, 0, 0, 6, 1, 0},
     "it filters pv, and the design does not",
     0},
    {"a derivative too much",
     "LREAL",
     "-11.3",
     "46.5",
     "7.3",
     "0.73",
     PID_REST,
     "1.0",
     1,
     false,
     {-11.3, 46.5, 7.3, 0.73, 0, 1, 0},
     "it has a derivative, and the design has none",
     0},
    {"the same PID",
     "LREAL",
     "-11.3",
     "40.7",
     "7.3",
     "0.73",
     PID_REST,
     "1.0",
     1,
     true,
     {-11.3, 40.7, 7.3, 0.73, 0, 1, 0},
     NULL,
     1e-6},
    {"a PID without D",
     "LREAL",
     "-11.3",
     "40.7",
     "0.0",
     "0.73",
     PID_REST,
     "1.0",
     1,
     true,
     {-11.3, 40.7, 0, 0, 0, 1, 0},
     "it has no derivative",
     0},
    {"D on the error",
     "LREAL",
     "-11.3",
     "40.7",
     "7.3",
     "0.73",
     "1.0",
     "1.0",
     "0.0",
     "0.0",
     "1.0",
     1,
     true,
     {-11.3, 40.7, 7.3, 0.73, 0, 1, 1},
     "its derivative acts on the error",
     0},
    {"td in minutes",
     "LREAL",
     "-11.3",
     "40.7",
     "7.3 * 60.0",
     "0.73",
     PID_REST,
     "1.0",
     1,
     true,
     {-11.3, 40.7, 438, 0.73, 0, 1, 0},
     "it takes td in minutes",
     0},
    {"the series form",
     "LREAL",
     "-11.3",
     "40.7",
     "7.3",
     "0.73",
     "1.0",
     "0.0",
     "0.0",
     "1.0",
     "1.0",
     1,
     true,
     {-13.3268, 48, QNAN, QNAN, 0, QNAN, QNAN},
     "it is of the series form",
     0},
};

static rk_design loop_of(const own *o)
{
    rk_design loop = brix_loop();

    loop.ts = o->scan;
    loop.pv_low = 0;
    loop.pv_high = 20; /* -11.3 %/degBx is -2.26 % per % */
    if (o->has_d) loop.settings = rk_settings_make(-11.3, 40.7, 7.3, 0.73);
    return loop;
}

static char *text_of(const own *o)
{
    char *text = malloc(4096), *at;

    ck_assert_ptr_nonnull(text);
    ck_assert_int_lt(snprintf(text, 4096, law, o->k, o->ti, o->td, o->tf, o->b, o->c, o->filter,
                              o->series, o->ts, o->has_d ? sqrt(40.7 * 7.3) : 46.5),
                     4096);
    for (at = text; strcmp(o->type, "REAL") == 0 && (at = strstr(at, "LREAL")) != NULL;) {
        at[0] = ' ';
    }
    return text;
}

static const rk_block_pins pins = {"W", "X", "Y", "AUTO", "HAND", "STAND"};

static bool is_said(const rk_block_probe *p, const char *words)
{
    int i;

    for (i = 0; i < p->looks; i++) {
        if (strstr(p->look[i], words) != NULL) return true;
    }
    return false;
}

START_TEST(what_a_block_is_is_told_by_its_answers)
{
    const own *o = &blocks[_i];
    const rk_design loop = loop_of(o);
    char *text = text_of(o);
    rk_diag diag = {RK_OK, ""};
    rk_block_probe p;
    size_t i;

    ck_assert_msg(rk_block_probe_compute(&loop, text, &pins, &p, &diag) == RK_OK, "%s",
                  diag.text);
    ck_assert_msg(p.why[0] == '\0', "%s: %s", o->fact, p.why);
    for (i = 0; i < COUNT(o->is); i++) {
        const double got[] = {p.kc, p.ti, p.td, p.tf, p.pv_filter, p.sp_weight, p.d_sp_weight};

        if (isnan(o->is[i])) continue;
        ck_assert_msg(got[i] == o->is[i] ||
                          fabs(got[i] - o->is[i]) <= 1e-3 * fmax(fabs(o->is[i]), 1e-2),
                      "%s: number %zu is %.9g, not %.9g", o->fact, i, got[i], o->is[i]);
    }
    if (o->looks == NULL) {
        ck_assert_msg(p.looks == 0, "%s: %s", o->fact, p.look[0]);
    } else {
        ck_assert_msg(is_said(&p, o->looks), "%s: %d said, %s", o->fact, p.looks,
                      p.looks > 0 ? p.look[0] : "");
    }
    free(text);
}
END_TEST

START_TEST(how_far_a_block_is_off_is_told)
{
    const own *o = &blocks[_i];
    const rk_design loop = loop_of(o);
    const rk_prove_plan plan = rk_prove_plan_make();
    char *text = text_of(o);
    rk_diag diag = {RK_OK, ""};
    rk_proof_part part;

    ck_assert_msg(rk_proof_compute_block(&loop, text, &pins, &plan, &part, &diag) == RK_OK,
                  "%s", diag.text);
    ck_assert_msg(part.ran, "%s: %s", o->fact, part.refused);
    if (o->most > 0) {
        ck_assert_msg(part.worst <= o->most, "%s: %g", o->fact, part.worst);
        ck_assert(part.mismatches == 0 || o->most > 1e-4);
    } else {
        ck_assert_msg(part.mismatches > 0 && part.worst > 0.2, "%s: %g", o->fact, part.worst);
        ck_assert_str_eq(part.pin, "out");
    }
    free(text);
}
END_TEST

/* Both stand in the picture: the same block on the design's curve, another beside it. */
START_TEST(the_steps_of_both_are_there_to_be_drawn)
{
    const rk_design loop = loop_of(&blocks[0]);
    char *same = text_of(&blocks[0]), *slow = text_of(&blocks[4]);
    rk_diag diag = {RK_OK, ""};
    double worst[2] = {0, 0};
    rk_block_steps s[2];
    size_t i, k;

    for (k = 0; k < 2; k++) {
        ck_assert_msg(
            rk_block_steps_compute(&loop, k == 0 ? same : slow, &pins, &s[k], &diag) == RK_OK,
            "%s", diag.text);
        for (i = 0; i < s[k].rows; i++) {
            worst[k] = fmax(worst[k], fabs(s[k].design.pv[i] - s[k].block.pv[i]));
        }
    }
    ck_assert_double_lt(worst[0], 1e-9);
    ck_assert_double_gt(worst[1], 0.1);
    /* The design settles on the moved setpoint before the load comes, and again after it. */
    i = s[0].rows / 2;
    ck_assert_double_ne(s[0].design.sp[i], s[0].design.sp[0]);
    ck_close(s[0].design.pv[i], s[0].design.sp[i], 1e-3);
    ck_close(s[0].design.pv[s[0].rows - 1], s[0].design.sp[i], 1e-2);
    rk_block_steps_free(&s[0]);
    rk_block_steps_free(&s[1]);
    rk_block_steps_free(NULL);
    free(same);
    free(slow);
}
END_TEST

/* What cannot be asked is told, and why. */
static const struct {
    const char *fact, *text, *says;
} silent[] = {
    {"no pin Y", "VAR_INPUT W, X : LREAL; END_VAR VAR_OUTPUT Z : LREAL; END_VAR", "'Y'"},
    {"it never answers",
     "VAR_INPUT W, X : LREAL; END_VAR VAR_OUTPUT Y : LREAL; END_VAR Y := 50.0;",
     "does not answer"},
    {"it moves at rest",
     "VAR_INPUT W, X : LREAL; END_VAR VAR_OUTPUT Y : LREAL; END_VAR Y := Y + 1.0;",
     "moves without an error"},
    {"it divides by zero",
     "VAR_INPUT W, X : LREAL; END_VAR VAR_OUTPUT Y : LREAL; END_VAR VAR i, z : INT; END_VAR "
     "i := 1 / z; Y := W;",
     "division by zero"},
};

START_TEST(a_block_that_tells_nothing_is_told_of)
{
    const rk_design loop = loop_of(&blocks[0]);
    char text[512];
    rk_block_probe p;
    rk_block_steps s;
    rk_diag diag = {RK_OK, ""};

    (void)snprintf(text, sizeof text, "FUNCTION_BLOCK own %s END_FUNCTION_BLOCK",
                   silent[_i].text);
    ck_assert_int_eq(rk_block_probe_compute(&loop, text, &pins, &p, &diag), RK_OK);
    ck_assert_msg(strstr(p.why, silent[_i].says) != NULL, "%s: %s", silent[_i].fact, p.why);
    if (strstr(silent[_i].says, "'Y'") != NULL || strstr(silent[_i].says, "zero") != NULL) {
        ck_assert_int_eq(rk_block_steps_compute(&loop, text, &pins, &s, &diag), RK_ERR_FORMAT);
        ck_assert_ptr_nonnull(strstr(diag.text, silent[_i].says));
    }
}
END_TEST

START_TEST(a_loop_that_is_no_measure_is_refused)
{
    rk_design loop = loop_of(&blocks[0]);
    char *text = text_of(&blocks[0]);
    rk_block_probe p;
    rk_block_steps s;

    ck_assert_int_eq(rk_block_probe_compute(NULL, text, &pins, &p, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_block_steps_compute(&loop, NULL, &pins, &s, NULL), RK_ERR_ARG);
    loop.has_model = false;
    ck_assert_int_eq(rk_block_steps_compute(&loop, text, &pins, &s, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_block_probe_compute(&loop, text, &pins, &p, NULL), RK_OK);
    ck_close(p.kc, -11.3, 1e-6); /* a model is not needed for this */
    loop.has_settings = false;
    ck_assert_int_eq(rk_block_probe_compute(&loop, text, &pins, &p, NULL), RK_ERR_RANGE);
    free(text);
}
END_TEST

Suite *suite_own_block(void)
{
    Suite *suite = suite_create("own block");
    TCase *t = tcase_create("own block");

    add_table(t, what_a_block_is_is_told_by_its_answers, blocks);
    add_table(t, how_far_a_block_is_off_is_told, blocks);
    tcase_add_test(t, the_steps_of_both_are_there_to_be_drawn);
    add_table(t, a_block_that_tells_nothing_is_told_of, silent);
    tcase_add_test(t, a_loop_that_is_no_measure_is_refused);
    suite_add_tcase(suite, t);
    return suite;
}
