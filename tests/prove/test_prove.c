/* SPDX-License-Identifier: MIT */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"
#include "texts.h"

/* The slim controller's text. */
static texts emitted_in(const rk_design *loop, rk_number number)
{
    static const rk_program_file files[] = {RK_PROGRAM_SLIM_ST, RK_PROGRAM_SLIM_H,
                                            RK_PROGRAM_SLIM_C,  RK_PROGRAM_PLANT_ST,
                                            RK_PROGRAM_PLANT_H, RK_PROGRAM_PLANT_C};

    return texts_of(loop, number, files, COUNT(files));
}

static texts emitted(const rk_design *loop)
{
    return emitted_in(loop, RK_NUMBER_LREAL);
}

/* `make prove` asks for all; a test for what shows a mistake. */
static rk_prove_plan plan_of(void)
{
    const char *scans = getenv("RK_PROVE_SCANS");
    rk_prove_plan plan = rk_prove_plan_make();

    plan.scans = scans != NULL ? strtoul(scans, NULL, 10) : 2000;
    return plan;
}

/* Compiling takes most of the time: the C of a row is built in one number type. */
static void check_proven_in(const rk_design *loop, rk_number number, bool compile,
                            const char *fact)
{
    rk_prove_plan plan = plan_of();
    texts t = emitted_in(loop, number);
    char words[RK_PROOF_WORDS_CHARS];
    rk_diag diag = {RK_OK, ""};
    rk_proof proof;
    size_t i;

    plan.compile = compile;
    ck_assert_msg(rk_proof_compute(loop, &t.program, &plan, &proof, &diag) == RK_OK, "%s",
                  diag.text);
    ck_assert_uint_eq(proof.parts, compile ? 2 : 1);
    for (i = 0; i < proof.parts; i++) {
        rk_proof_part_words(&proof.part[i], words);
        ck_assert_msg(proof.part[i].ran && proof.part[i].mismatches == 0, "%s: %s: %s", fact,
                      proof.part[i].what, words);
        ck_assert_uint_ge(proof.part[i].scans, plan.scans);
        ck_assert_int_eq(proof.part[i].number, number);
    }
    ck_assert(proof.proven);
    free_texts(&t);
}

static void check_proven(const rk_design *loop, int row, const char *fact)
{
    const bool all = getenv("RK_PROVE_SCANS") != NULL;

    check_proven_in(loop, RK_NUMBER_LREAL, all || row % 2 == 0, fact);
    check_proven_in(loop, RK_NUMBER_REAL, all || row % 2 != 0, fact);
}

START_TEST(emitted_text_gives_the_blocks_bits)
{
    const rk_design loop = variant(_i);

    check_proven(&loop, _i, variants[_i].fact);
}
END_TEST

/* Any loop: gains over 12 decades, scans of 1 ms to 10 s, whatever features; the proof's inputs hold
   every kind of number. */
static rk_design any_loop(uint64_t seed)
{
    rng r = {seed};
    rk_design loop = brix_loop();
    rk_settings *s = &loop.settings;
    const double sign = rng_uniform(&r) < 0.5 ? -1 : 1;

    loop.ts = pow(10, (4 * rng_uniform(&r)) - 3);
    loop.has_model = rng_uniform(&r) < 0.5;
    loop.action = sign < 0 ? RK_ACTION_DIRECT : RK_ACTION_REVERSE;
    loop.model.gain = sign * 0.1;
    loop.model.time_constant[0] = loop.ts * (2 + (50 * rng_uniform(&r)));
    loop.model.dead_time = loop.ts * 20 * rng_uniform(&r);
    *s = rk_settings_make(sign * pow(10, (12 * rng_uniform(&r)) - 6),
                          loop.ts * (1 + (100 * rng_uniform(&r))), 0, 0);
    if (rng_uniform(&r) < 0.5) {
        s->td = loop.ts * 10 * rng_uniform(&r);
        s->tf = s->td * rng_uniform(&r);
    }
    s->sp_weight = rng_uniform(&r) < 0.5 ? 1 : rng_uniform(&r);
    s->d_sp_weight = rng_uniform(&r) < 0.5 ? 0 : rng_uniform(&r);
    s->anti_windup = (rk_anti_windup)(int)(3 * rng_uniform(&r));
    s->deadband = rng_uniform(&r) < 0.7 ? 0 : rng_uniform(&r);
    s->sp_rate = rng_uniform(&r) < 0.7 ? HUGE_VAL : pow(10, (4 * rng_uniform(&r)) - 2);
    s->pv_filter = rng_uniform(&r) < 0.7 ? 0 : loop.ts * 10 * rng_uniform(&r);
    s->integral = (rk_scheme)(int)(3 * rng_uniform(&r));
    s->algorithm = rng_uniform(&r) < 0.7 ? RK_ALGORITHM_POSITION : RK_ALGORITHM_VELOCITY;
    s->predictor = loop.has_model && rng_uniform(&r) < 0.3 ? RK_YES : RK_NO;
    loop.out_rate = rng_uniform(&r) < 0.6 ? HUGE_VAL : pow(10, (4 * rng_uniform(&r)) - 1);
    if (loop.has_model && rng_uniform(&r) < 0.2) {
        s->ti = HUGE_VAL;
        s->algorithm = RK_ALGORITHM_POSITION;
    }
    return loop;
}

START_TEST(any_text_gives_the_blocks_bits)
{
    const rk_prove_plan plan = {.scans = 200, .compile = false};
    int seed;

    for (seed = 100 * _i; seed < 100 * (_i + 1); seed++) {
        const rk_design loop = any_loop((uint64_t)seed + 1);
        rk_text *st = rk_text_create(), *twin = rk_text_create();
        char words[RK_PROOF_WORDS_CHARS];
        rk_diag diag = {RK_OK, ""};
        rk_program program = {.text = {NULL}};
        rk_proof proof;

        ck_assert_msg(rk_emit_st(&loop, RK_NUMBER_LREAL, st, &diag) == RK_OK, "%d: %s", seed,
                      diag.text);
        program.text[RK_PROGRAM_SLIM_ST] = rk_text_chars(st);
        if (loop.has_model) {
            ck_assert_int_eq(rk_emit_plant_st(&loop, RK_NUMBER_LREAL, twin, NULL), RK_OK);
            program.text[RK_PROGRAM_PLANT_ST] = rk_text_chars(twin);
        }
        ck_assert_msg(rk_proof_compute(&loop, &program, &plan, &proof, &diag) == RK_OK,
                      "%d: %s", seed, diag.text);
        rk_proof_part_words(&proof.part[0], words);
        ck_assert_msg(proof.proven, "%d: kc %g, scan %g s: %s", seed, loop.settings.kc, loop.ts,
                      words);
        rk_text_free(st);
        rk_text_free(twin);
    }
}
END_TEST

/* Every kind of process, with and without a part of a scan in its dead time. */
static const struct {
    const char *fact;
    rk_model model;
    double kc, ti;
} processes[] = {
    {"one lag, no dead time", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 0, 42, 0}, 1.5, 10},
    {"two lags", {RK_MODEL_SOPDT, 1.5, {20, 8}, 0, 3, 42, 5}, 1, 20},
    {"underdamped", {RK_MODEL_SOPDT_OSC, 1, {6, 0}, 0.3, 2.4, 42, 5}, 0.2, 10},
    {"an integrator", {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4.2, 42, 100}, 2, 35},
    {"an integrator and a lag", {RK_MODEL_IPDT_LAG, 0.02, {5, 0}, 0, 1, 42, 100}, 2, 50},
    {"a part alone", {RK_MODEL_PROCESS, 1, {0}, 0, 1.4, 42, 9, 1, {20}}, 2, 20},
    {"two parts", {RK_MODEL_PROCESS, 1, {0}, 0, 1.4, 42, 9, 2, {3, 20}}, 2, 20},
    {"three parts", {RK_MODEL_PROCESS, 1, {0}, 0, 1.4, 42, 9, 3, {3, 20, 5}}, 1, 20},
    {"eight parts",
     {RK_MODEL_PROCESS, 1, {0}, 0, 3, 42, 9, 8, {3, 9, 1, 1, 1, 2, 4, 1}},
     0.5,
     15},
    {"an inverse response", {RK_MODEL_PROCESS, 1, {0}, 0, 0, 42, 9, 3, {3, 20, 5}, 4}, 0.8, 20},
    {"parts into an integrator",
     {RK_MODEL_PROCESS_INTEGRATING, 0.02, {0}, 0, 2.5, 42, 9, 3, {3, 6, 1}, 2},
     1,
     90},
};

START_TEST(the_twin_of_every_kind_gives_the_plants_bits)
{
    rk_design loop = brix_loop();

    loop.model = processes[_i].model;
    if (rk_model_is_process(&loop.model)) {
        rk_reduction r;
        const bool integrates = rk_model_kind_integrates(loop.model.kind);

        loop.process = loop.model;
        loop.has_process = true;
        ck_assert_int_eq(rk_reduction_compute(&loop.process,
                                              integrates ? RK_MODEL_IPDT : RK_MODEL_FOPDT, &r,
                                              NULL),
                         RK_OK);
        loop.model = rk_reduction_model(&r);
    }
    loop.action = RK_ACTION_REVERSE;
    loop.settings = rk_settings_make(processes[_i].kc, processes[_i].ti, 0, 0);
    check_proven(&loop, _i, processes[_i].fact);
}
END_TEST

START_TEST(a_loop_without_a_model_is_proven_open)
{
    rk_design loop = brix_loop();

    loop.has_model = false;
    check_proven(&loop, 0, "no model");
}
END_TEST

/* One change to the text; each must be found. With all features: row 10, PID, conditional, PV
   filter, weight and rate; row 0 is PI with back-calculation. */
static const struct {
    const char *fact;
    int variant;
    bool plant;
    const char *find, *put;
} mutations[] = {
    {"automatic at first", 0, false, "automatic : BOOL := FALSE", "automatic : BOOL := TRUE"},
    {"another start", 0, false, "out_start : LREAL := LREAL#0.0",
     "out_start : LREAL := LREAL#4.0"},
    {"another manual output", 0, false, "manual_out : LREAL := LREAL#0.0",
     "manual_out : LREAL := LREAL#4.0"},
    {"kc's last digit", 10, false, "kc       : LREAL := LREAL#", NULL},
    {"ki_ts's last digit", 0, false, "ki_ts    : LREAL := LREAL#", NULL},
    {"kt_ts's last digit", 0, false, "kt_ts    : LREAL := LREAL#", NULL},
    {"kd's last digit", 10, false, "kd       : LREAL := LREAL#", NULL},
    {"ad's last digit", 10, false, "ad       : LREAL := LREAL#", NULL},
    {"the weight's last digit", 10, false, "p_weight : LREAL := LREAL#", NULL},
    {"the high limit's last digit", 0, false, "out_hi   : LREAL := LREAL#", NULL},
    {"the rate's last digit", 10, false, "out_step : LREAL := LREAL#", NULL},
    {"the filter's last digit", 10, false, "pv_part  : LREAL := LREAL#", NULL},
    {"a low limit", 0, false, "out_lo   : LREAL := LREAL#0.0",
     "out_lo   : LREAL := LREAL#1.0E-300"},
    {"the derivative's weight", 10, false, "d_weight : LREAL := LREAL#0.0",
     "d_weight : LREAL := LREAL#1.0E-12"},
    {"plus for minus in P", 0, false, "(p_weight * sp) - pv", "(p_weight * sp) + pv"},
    {"minus for plus in the sum", 0, false, "p_part + (i_part + increment)",
     "p_part - (i_part + increment)"},
    {"the sum in another order", 0, false, "v := p_part + (i_part + increment);",
     "v := (p_part + i_part) + increment;"},
    {"back-calculation the wrong way round", 0, false, "(wanted - v)", "(v - wanted)"},
    {"< for > at the limit", 0, false, "ELSIF wanted > highest THEN",
     "ELSIF wanted < highest THEN"},
    {"a limit before the rate", 10, false, "IF (out - out_step) > lowest THEN",
     "IF (out - out_step) < lowest THEN"},
    {"OR for AND in the filter", 10, false, "AND pv_known THEN", "OR pv_known THEN"},
    {"AND for OR in conditional", 10, false, "OR ((v < lowest)", "AND ((v < lowest)"},
    {"conditional does not see the rate", 10, false, "IF ((v > highest)", "IF ((v > out_hi)"},
    {"no fresh start after a bad value", 0, false, "fresh := held OR NOT automatic",
     "fresh := NOT automatic"},
    {"no fresh start after manual", 0, false, "fresh := held OR NOT automatic",
     "fresh := held"},
    {"fresh is never taken back", 0, false, "fresh := held OR NOT automatic", "fresh := TRUE"},
    {"the derivative is not reset", 10, false, "    d_part := LREAL#0.0;\n", ""},
    {"g_last is not kept", 10, false, "        g_last := g;\n        out", "        out"},
    {"g_last is not taken over", 10, false, "        g_last := g;\n        d_part",
     "        d_part"},
    {"the integral is not kept", 0, false, "        i_part := i_new;\n", ""},
    {"automatic does not start from manual", 0, false, "        i_part := out - p_part;\n", ""},
    {"manual is not limited", 0, false,
     "wanted := out; END_IF;\n    IF wanted < lowest THEN wanted := lowest;\n    ELSIF",
     "wanted := out; END_IF;\n    IF"},
    {"a manual that is no number", 0, false,
     "    IF NOT ((wanted - wanted) = LREAL#0.0) THEN wanted := out; END_IF;\n", ""},
    {"a start that is no number", 0, false,
     "    IF NOT ((wanted - wanted) = LREAL#0.0) THEN wanted := out_lo; END_IF;\n", ""},
    {"a start beyond the range", 0, false,
     "    IF wanted > out_hi THEN wanted := out_hi; END_IF;\n    out := wanted;",
     "    out := wanted;"},
    {"it starts each scan", 0, false, "    started := TRUE;\n", ""},
    {"a bad value is not held", 0, false, "held := held OR NOT ((i_new - i_new) = LREAL#0.0)",
     "held := held"},
    {"a bad sp or pv is not held", 0, false, "held := NOT (((sp - sp) = LREAL#0.0) AND",
     "held := NOT (((pv - pv) = LREAL#0.0) AND"},
    {"the filter does not know its first", 10, false, "    pv_known := TRUE;\n", ""},
    {"the filter forgets", 10, false, "    pv_last := seen;\n", ""},
    {"the increment stays beyond the limit", 10, false, "        increment := LREAL#0.0;\n",
     ""},
    {"the rate is not kept downwards", 10, false, "THEN lowest := out - out_step;",
     "THEN lowest := out - out_step - out_step;"},
    {"the error's sign", 0, false, "increment := ki_ts * (sp - pv);",
     "increment := ki_ts * (pv - sp);"},
    {"the setpoint's weight in the integral", 10, false, "increment := ki_ts * (sp - seen);",
     "increment := ki_ts * ((p_weight * sp) - seen);"},
    {"a single precision literal", 0, false, "kc       : LREAL := LREAL#-11.3",
     "kc       : LREAL := REAL#-11.3"},
    {"the twin's first coefficient", 0, true, "a_0_0    : LREAL := LREAL#", NULL},
    {"the twin's last coefficient", 0, true, "later_0  : LREAL := LREAL#", NULL},
    {"a scan less of dead time", 0, true, "delay    : DINT := 17;", "delay    : DINT := 16;"},
    {"the twin's ring", 0, true, "oldest := oldest + 1;", "oldest := 1;"},
    {"the twin takes what is no number", 0, true,
     "IF (late - late) = LREAL#0.0 THEN u := late - out_rest; END_IF;",
     "u := late - out_rest;"},
    {"the twin's operating point", 0, true, "pv := pv_rest + state_0;", "pv := state_0;"},
    {"the load is left out", 0, true, "late := out + load;", "late := out;"},
};

START_TEST(one_change_to_the_text_is_found)
{
    const rk_design loop = variant(mutations[_i].variant);
    const rk_prove_plan plan = {.scans = 10000, .compile = false};
    const rk_program_file file = mutations[_i].plant ? RK_PROGRAM_PLANT_ST : RK_PROGRAM_SLIM_ST;
    texts t = emitted(&loop);
    char *mutant = text_changed(t.program.text[file], mutations[_i].find, mutations[_i].put);
    char words[RK_PROOF_WORDS_CHARS];
    rk_proof proof;

    t.program.text[file] = mutant;
    ck_assert_int_eq(rk_proof_compute(&loop, &t.program, &plan, &proof, NULL), RK_OK);
    ck_assert_msg(!proof.proven, "%s is not found", mutations[_i].fact);
    if (strstr(proof.part[0].refused, "at first") == NULL) { /* what stands before any scan */
        ck_assert_msg(proof.part[0].ran, "%s is no program: %s", mutations[_i].fact,
                      proof.part[0].refused);
        ck_assert_uint_gt(proof.part[0].mismatches, 0);
        rk_proof_part_words(&proof.part[0], words);
        ck_assert_ptr_nonnull(strstr(words, "scans differ"));
    }
    free(mutant);
    free_texts(&t);
}
END_TEST

/* The same in the C. */
static const struct {
    const char *fact, *find, *put, *says;
} c_mutations[] = {
    {"a coefficient's last digit", "KI_TS    = ", NULL, "differ"},
    {"plus for minus", "(P_WEIGHT * sp) - pv", "(P_WEIGHT * sp) + pv", "differ"},
    {"a missing reset", "c->fresh = c->held ||", "c->fresh =", "differ"},
    {"no C at all", "double v =", "double =", "error"},
};

START_TEST(one_change_to_the_c_is_found)
{
    const rk_design loop = variant(0);
    rk_prove_plan plan = plan_of();
    texts t = emitted(&loop);
    char *mutant = text_changed(t.program.text[RK_PROGRAM_SLIM_C], c_mutations[_i].find,
                                c_mutations[_i].put);
    char words[RK_PROOF_WORDS_CHARS];
    rk_proof proof;

    t.program.text[RK_PROGRAM_SLIM_C] = mutant;
    /* Without being told so it does not even compile it. */
    ck_assert_int_eq(rk_proof_compute(&loop, &t.program, &plan, &proof, NULL), RK_OK);
    ck_assert(!proof.proven && proof.part[1].scans == 0);
    ck_assert_ptr_nonnull(strstr(proof.part[1].refused, "is not what emit writes"));
    plan.changed = true;
    ck_assert_int_eq(rk_proof_compute(&loop, &t.program, &plan, &proof, NULL), RK_OK);
    ck_assert(!proof.proven);
    ck_assert_uint_eq(proof.part[0].mismatches, 0);
    rk_proof_part_words(&proof.part[1], words);
    ck_assert_msg(strstr(words, c_mutations[_i].says) != NULL, "%s: %s", c_mutations[_i].fact,
                  words);
    free(mutant);
    free_texts(&t);
}
END_TEST

/* What is no program of the loop is told, not proven. */
static const struct {
    const char *text, *says;
} no_programs[] = {
    {"", "no FUNCTION_BLOCK"},
    {"FUNCTION_BLOCK b\nx := 1;\nEND_FUNCTION_BLOCK", "line 2, column 1"},
    {"FUNCTION_BLOCK b VAR_INPUT sp, pv : LREAL; END_VAR END_FUNCTION_BLOCK", "'out'"},
    {"FUNCTION_BLOCK b VAR_INPUT sp : INT; pv : LREAL; END_VAR VAR_OUTPUT out : LREAL; END_VAR "
     "END_FUNCTION_BLOCK",
     "'sp' should be LREAL"},
    {"FUNCTION_BLOCK b VAR_INPUT sp, pv : LREAL; END_VAR VAR_OUTPUT out : LREAL; END_VAR VAR "
     "i, z "
     ": INT; END_VAR i := 1 / z; END_FUNCTION_BLOCK",
     "division by zero"},
};

START_TEST(a_text_that_is_no_controller_is_told)
{
    const rk_design loop = brix_loop();
    const rk_prove_plan plan = {.scans = 10};
    texts t = emitted(&loop);
    rk_program program = {
        .text = {[RK_PROGRAM_SLIM_ST] = no_programs[_i].text,
                 [RK_PROGRAM_PLANT_ST] = t.program.text[RK_PROGRAM_PLANT_ST]}};
    rk_proof proof;

    ck_assert_int_eq(rk_proof_compute(&loop, &program, &plan, &proof, NULL), RK_OK);
    ck_assert(!proof.proven && !proof.part[0].ran);
    ck_assert_msg(strstr(proof.part[0].refused, no_programs[_i].says) != NULL, "%s",
                  proof.part[0].refused);
    free_texts(&t);
}
END_TEST

/* A record made by the model itself, its OUT moved at whole scans: the twin repeats it. */
START_TEST(a_twin_repeats_the_record_of_its_own_model)
{
    rk_design loop = brix_loop();
    const recipe r = {.gain = -0.118,
                      .tau = 46.5,
                      .theta = 17.4,
                      .pv0 = 11.8,
                      .out0 = 42,
                      .interval = 1,
                      .rows = 400,
                      .moves = {{40, 5}, {200, -8}}};
    rk_record *record = cook(&r);
    rk_text *st = rk_text_create(), *csv = rk_text_create();
    const char *at;
    size_t lines;
    rk_diag diag = {RK_OK, ""};
    rk_twin_run run;

    ck_assert_int_eq(rk_emit_plant_st(&loop, RK_NUMBER_LREAL, st, NULL), RK_OK);
    ck_assert_msg(rk_twin_run_compute(&loop, rk_text_chars(st), record, &run, &diag) == RK_OK,
                  "%s", diag.text);
    ck_assert_uint_eq(run.rows, 400);
    ck_assert_msg(run.worst < 1e-9, "%g at %g s", run.worst, run.worst_at);
    ck_assert_int_eq(rk_twin_run_to_csv(&run, csv, NULL), RK_OK);
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(csv), "time_s,out,pv,twin\r\n0.0,42.0,11.8,11.8"));
    for (lines = 0, at = rk_text_chars(csv); (at = strchr(at, '\n')) != NULL; at++) {
        lines++;
    }
    ck_assert_uint_eq(lines, 401);
    ck_assert_int_eq(rk_twin_run_to_csv(NULL, csv, NULL), RK_ERR_ARG);
    rk_text_free(csv);
    rk_twin_run_free(&run);
    loop.model.gain *= 1.1; /* and another's shows */
    rk_text_free(st);
    st = rk_text_create();
    ck_assert_int_eq(rk_emit_plant_st(&loop, RK_NUMBER_LREAL, st, NULL), RK_OK);
    ck_assert_int_eq(rk_twin_run_compute(&loop, rk_text_chars(st), record, &run, NULL), RK_OK);
    ck_close(run.worst, 0.1 * 0.118 * 5, 0.05); /* the step's own response has nearly settled */
    rk_twin_run_free(&run);
    ck_assert_int_eq(rk_twin_run_compute(&loop, "no text", record, &run, &diag), RK_ERR_FORMAT);
    rk_record_free(record);
    rk_text_free(st);
}
END_TEST

START_TEST(calls_without_sense_are_refused)
{
    rk_design loop = brix_loop();
    rk_prove_plan plan = {.scans = 0};
    const rk_program program = {.text = {NULL}};
    rk_proof proof;

    ck_assert_int_eq(rk_proof_compute(NULL, &program, &plan, &proof, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_proof_compute(&loop, &program, &plan, &proof, NULL), RK_ERR_RANGE);
    plan.scans = 10;
    ck_assert_int_eq(rk_proof_compute(&loop, &program, &plan, &proof, NULL), RK_OK);
    ck_assert(!proof.proven); /* nothing was there */
    loop.has_settings = false;
    ck_assert_int_eq(rk_proof_compute(&loop, &program, &plan, &proof, NULL), RK_ERR_RANGE);
}
END_TEST

static Suite *suite_prove(void)
{
    Suite *suite = suite_create("prove");
    TCase *t = tcase_create("prove"), *compiled = tcase_create("compiled"),
          *many = tcase_create("many");

    add_some(t, one_change_to_the_text_is_found, COUNT(mutations));
    add_table(t, a_text_that_is_no_controller_is_told, no_programs);
    tcase_add_test(t, a_twin_repeats_the_record_of_its_own_model);
    tcase_add_test(t, calls_without_sense_are_refused);
    suite_add_tcase(suite, t);
    tcase_set_tags(many, "statistics");
    tcase_add_loop_test(many, any_text_gives_the_blocks_bits, 0, 5);
    suite_add_tcase(suite, many);
    tcase_set_tags(compiled, "processes");
    tcase_add_loop_test(compiled, emitted_text_gives_the_blocks_bits, 0, VARIANTS);
    add_table(compiled, the_twin_of_every_kind_gives_the_plants_bits, processes);
    tcase_add_test(compiled, a_loop_without_a_model_is_proven_open);
    add_table(compiled, one_change_to_the_c_is_found, c_mutations);
    suite_add_tcase(suite, compiled);
    return suite;
}

Suite *suite_general(void);
Suite *suite_own_block(void);
Suite *suite_fixed_proof(void);
Suite *suite_whole(void);
Suite *suite_mutants(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_prove,       suite_general, suite_own_block,
                                             suite_fixed_proof, suite_whole,   suite_mutants};

    return run_suites(makers, COUNT(makers));
}
