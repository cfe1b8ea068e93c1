/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"
#include "st_to_c.h"

enum { SCANS = 10000 };

/* One scan's inputs; emitted program and device block get the same. */
typedef struct stimulus {
    double sp, pv, automatic, manual_out;
} stimulus;

static rk_loop_design brix_loop(void)
{
    rk_loop_design loop = rk_loop_design_make();

    strcpy(loop.name, "Blend Brix");
    strcpy(loop.pv_units, "degBx");
    strcpy(loop.out_units, "%");
    strcpy(loop.record_file, "blend-brix.csv");
    loop.ts = 1;
    loop.action = RK_ACTION_DIRECT;
    loop.out_low = 0;
    loop.out_high = 100;
    loop.has_model = loop.has_settings = true;
    loop.model = (rk_model){RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8};
    loop.gain95[0] = -0.119;
    loop.gain95[1] = -0.117;
    loop.settings = rk_settings_make(-11.3, 46.5, 0, 0);
    strcpy(loop.rule, "simc");
    loop.lambda = 17.4;
    return loop;
}

/* Every feature, alone and together. */
static const struct {
    const char *fact;
    double kc, ti, td, tf, b, rate;
    rk_anti_windup way;
    double pv_filter;
} variants[] = {
    {"PI, back-calculation", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION,
     0},
    {"PI, conditional", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_CONDITIONAL, 0},
    {"PI, no anti-windup", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0},
    {"PI, weight and rate", -11.3, 46.5, 0, 0, 0.6, 2.5, RK_ANTI_WINDUP_BACK_CALCULATION, 0},
    {"P", -7, HUGE_VAL, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION, 0},
    {"PD", -7, HUGE_VAL, 5, 0.5, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0},
    {"PID, back-calculation", -9.1, 40.7, 7.3, 0.73, 1, HUGE_VAL,
     RK_ANTI_WINDUP_BACK_CALCULATION, 0},
    {"PID, conditional, weight, rate", -9.1, 40.7, 7.3, 0.73, 0.35, 1.7,
     RK_ANTI_WINDUP_CONDITIONAL, 0},
    {"PID, unfiltered, none", -3.3, 40.7, 7.3, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_NONE, 0},
    {"PI, PV filter", -11.3, 46.5, 0, 0, 1, HUGE_VAL, RK_ANTI_WINDUP_BACK_CALCULATION, 3.7},
    {"PID, conditional, PV filter, rate", -9.1, 40.7, 7.3, 0.73, 0.35, 1.7,
     RK_ANTI_WINDUP_CONDITIONAL, 0.4},
};

static rk_loop_design variant(int row)
{
    rk_loop_design loop = brix_loop();

    loop.settings = rk_settings_make(variants[row].kc, variants[row].ti, variants[row].td,
                                     variants[row].tf);
    loop.settings.sp_weight = variants[row].b;
    loop.settings.anti_windup = variants[row].way;
    loop.settings.pv_filter = variants[row].pv_filter;
    loop.out_rate = variants[row].rate;
    return loop;
}

/* Setpoint changes, noise, saturation both ways, manual and automatic, bad and huge values. */
static void fill_stimuli(stimulus *s)
{
    rng r = {2024};
    double sp = 11.8, pv = 11.8, manual = 42;
    bool automatic = true;
    int i;

    for (i = 0; i < SCANS; i++) {
        if (rng_uniform(&r) < 0.01) {
            sp = 5.0 + (15.0 * rng_uniform(&r));
        }
        if (rng_uniform(&r) < 0.01) {
            automatic = !automatic;
        }
        if (rng_uniform(&r) < 0.02) {
            manual = 140.0 * (rng_uniform(&r) - 0.15);
        }
        pv += (0.02 * (sp - pv)) + (0.1 * rng_normal(&r));
        s[i] = (stimulus){sp, pv, automatic, manual};
        if (rng_uniform(&r) < 0.01) {
            s[i].pv = QNAN;
        }
        if (rng_uniform(&r) < 0.005) {
            s[i].pv = -HUGE_VAL;
        }
        if (rng_uniform(&r) < 0.005) {
            s[i].sp = 1e308 * rng_normal(&r);
        }
        if (rng_uniform(&r) < 0.005) {
            s[i].manual_out = QNAN;
        }
    }
}

/* What the device block does; and that the run meets what it is meant to. */
static void run_device(const rk_loop_design *loop, const stimulus *s, double *out)
{
    const rk_limits limits = rk_loop_design_limits(loop);
    int at_low = 0, at_high = 0, i;
    rk_pid_params params;
    rk_filter filter;
    rk_pid pid;

    ck_assert_int_eq(rk_filter_init(&filter, loop->settings.pv_filter, loop->ts), RK_OK);
    ck_assert_int_eq(rk_settings_pid_params(&loop->settings, &limits, loop->ts, &params, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_pid_init(&pid, &params, loop->model.out0), RK_OK);
    for (i = 0; i < SCANS; i++) {
        if (s[i].automatic != 0) {
            rk_pid_set_auto(&pid);
        } else {
            rk_pid_set_manual(&pid, s[i].manual_out);
        }
        /* as rk_loop: the filter sees good values alone */
        out[i] = rk_pid_scan(&pid, s[i].sp,
                             isfinite(s[i].pv) ? rk_filter_scan(&filter, s[i].pv) : s[i].pv);
        at_low += out[i] == 0;
        at_high += out[i] == 100;
    }
    ck_assert_int_gt(at_low, 50);
    ck_assert_int_gt(at_high, 50);
}

static const char runner_head[] = "#include <stdio.h>\n";
static const char runner_tail[] = "int main(void)\n"
                                  "{\n"
                                  "    double in[4], out;\n"
                                  "    start();\n"
                                  "    while (fread(in, sizeof in[0], 4, stdin) == 4) {\n"
                                  "        out = scan(in[0], in[1], in[2] != 0.0, in[3]);\n"
                                  "        fwrite(&out, sizeof out, 1, stdout);\n"
                                  "    }\n"
                                  "    return 0;\n"
                                  "}\n";

static void compile(const char *dir, const char *const *argv)
{
    outcome o = run_program(dir, argv);

    ck_assert_msg(o.status == 0, "cc: %s%s", o.out, o.err);
    outcome_free(&o);
}

/* Run the compiled program over the stimuli; its outputs must be the device block's, bit for
 * bit. */
static void compare_some(const char *dir, const stimulus *s, const double *wanted, size_t count,
                         const char *fact)
{
    static const char *const run[] = {"sh", "-c", "./program < stimuli", NULL};
    FILE *file = fopen(path_in(dir, "stimuli"), "wb");
    size_t i;
    outcome o;

    ck_assert_ptr_nonnull(file);
    ck_assert_uint_eq(fwrite(s, sizeof *s, count, file), count);
    ck_assert_int_eq(fclose(file), 0);
    o = run_program(dir, run);
    ck_assert_int_eq(o.status, 0);
    ck_assert_uint_eq(o.out_length, count * sizeof(double));
    for (i = 0; i < count; i++) {
        double got;

        memcpy(&got, o.out + (i * sizeof got), sizeof got);
        ck_assert_msg(memcmp(&got, &wanted[i], sizeof got) == 0,
                      "%s: scan %zu gives %.17g, not %.17g", fact, i, got, wanted[i]);
    }
    outcome_free(&o);
}

static void compare(const char *dir, const stimulus *s, const double *wanted, const char *fact)
{
    compare_some(dir, s, wanted, SCANS, fact);
}

/* The emitted controller's header and source, and a main that runs it from an output. */
static void put_controller(const rk_loop_design *loop, const char *dir, const char *out_now)
{
    rk_text *h = rk_text_create(), *c = rk_text_create(), *main_c = rk_text_create();

    ck_assert_int_eq(rk_emit_c_header(loop, h, NULL), RK_OK);
    ck_assert_int_eq(rk_emit_c_source(loop, c, NULL), RK_OK);
    put_file(path_in(dir, "blend_brix_controller.h"), rk_text_chars(h));
    put_file(path_in(dir, "blend_brix_controller.c"), rk_text_chars(c));
    rk_text_add(main_c,
                "%s#include \"blend_brix_controller.h\"\n"
                "static blend_brix_controller b;\n"
                "static void start(void) { blend_brix_controller_init(&b, %s); }\n"
                "static double scan(double sp, double pv, int automatic, double manual)\n"
                "{\n    b.automatic = automatic;\n    b.manual_out = manual;\n"
                "    return blend_brix_controller_scan(&b, sp, pv);\n}\n%s",
                runner_head, out_now, runner_tail);
    put_file(path_in(dir, "main.c"), rk_text_chars(main_c));
    rk_text_free(h);
    rk_text_free(c);
    rk_text_free(main_c);
}

START_TEST(emitted_c_compiles_strictly_and_gives_the_same_bits)
{
    static const char *const strict[] = {"cc",      "-std=c99",
                                         "-Wall",   "-Wextra",
                                         "-Werror", "-pedantic",
                                         "-O2",     "-ffp-contract=off",
                                         "-c",      "blend_brix_controller.c",
                                         NULL};
    static const char *const link[] = {
        "cc", "-std=c99", "-O2", "main.c", "blend_brix_controller.o", "-o", "program", NULL};
    const rk_loop_design loop = variant(_i);
    static stimulus s[SCANS];
    static double wanted[SCANS];
    char *dir = scratch_make();

    put_controller(&loop, dir, "42.0");
    compile(dir, strict);
    compile(dir, link);
    fill_stimuli(s);
    run_device(&loop, s, wanted);
    compare(dir, s, wanted, variants[_i].fact);
    scratch_free(dir);
}
END_TEST

START_TEST(emitted_structured_text_read_by_the_standard_gives_the_same_bits)
{
    static const char *const link[] = {"cc",     "-std=c99", "-O2",     "-ffp-contract=off",
                                       "main.c", "-o",       "program", NULL};
    const rk_loop_design loop = variant(_i);
    rk_text *st = rk_text_create(), *main_c = rk_text_create(), *block;
    static stimulus s[SCANS];
    static double wanted[SCANS];
    char *dir = scratch_make();

    ck_assert_int_eq(rk_emit_st(&loop, st, NULL), RK_OK);
    block = st_to_c(rk_text_chars(st));
    rk_text_add(main_c,
                "%s%s\nstatic block b;\n"
                "static void start(void) { block_init(&b); }\n"
                "static double scan(double sp, double pv, int automatic, double manual)\n"
                "{\n    b.sp = sp;\n    b.pv = pv;\n    b.automatic = automatic;\n"
                "    b.manual_out = manual;\n    block_scan(&b);\n    return b.out;\n}\n%s",
                runner_head, rk_text_chars(block), runner_tail);
    put_file(path_in(dir, "main.c"), rk_text_chars(main_c));
    compile(dir, link);
    fill_stimuli(s);
    run_device(&loop, s, wanted);
    compare(dir, s, wanted, variants[_i].fact);
    rk_text_free(st);
    rk_text_free(block);
    rk_text_free(main_c);
    scratch_free(dir);
}
END_TEST

/* A row of the vectors; "NaN" is one. */
static size_t read_vectors(const char *csv, stimulus *s, double *out, int *held)
{
    size_t count = 0;

    ck_assert_int_eq(strncmp(csv, "scan,sp,pv,automatic,manual_out,out,held\r\n", 42), 0);
    for (csv += 42; *csv != '\0'; count++) {
        double cell[7];
        int i;

        for (i = 0; i < 7; i++) {
            char *end;

            cell[i] = strtod(csv, &end);
            ck_assert_ptr_ne(end, csv);
            csv = end + 1;
        }
        csv++; /* the second end of the line */
        ck_assert_double_eq(cell[0], (double)count);
        s[count] = (stimulus){cell[1], cell[2], cell[3], cell[4]};
        out[count] = cell[5];
        held[count] = cell[6] != 0;
    }
    return count;
}

/* The emitted C, run over the vectors, answers as they say; and they go everywhere. */
START_TEST(the_vectors_are_what_the_emitted_program_answers)
{
    static const char *const link[] = {
        "cc", "-std=c99", "-O2", "-ffp-contract=off", "main.c", "blend_brix_controller.c",
        "-o", "program",  NULL};
    rk_loop_design loop = variant(_i);
    rk_text *vectors = rk_text_create();
    static stimulus s[SCANS];
    static double wanted[SCANS];
    static int held[SCANS];
    int at_low = 0, at_high = 0, manual = 0, bad = 0;
    char *dir = scratch_make();
    size_t count, i;

    loop.has_model = _i != 3; /* one without */
    ck_assert_int_eq(rk_emit_vectors(&loop, vectors, NULL), RK_OK);
    count = read_vectors(rk_text_chars(vectors), s, wanted, held);
    for (i = 0; i < count; i++) {
        at_low += wanted[i] == 0;
        at_high += wanted[i] == 100;
        manual += s[i].automatic == 0;
        bad += held[i];
        ck_assert(held[i] == (isnan(s[i].pv) || isnan(s[i].sp)));
    }
    ck_assert(at_low > 3 && at_high > 3 && manual > 20 && bad == 6);
    put_controller(&loop, dir, loop.has_model ? "42.0" : "0.0");
    compile(dir, link);
    compare_some(dir, s, wanted, count, variants[_i].fact);
    rk_text_free(vectors);
    scratch_free(dir);
}
END_TEST

/* Worked by hand: kc -8 %/degBx on 0..20 degBx and 0..100 %, ti 40 s, td 10 s, tf 0. */
static const char *const on_sheet[] = {
    "kc                     -8           % per degBx",
    "kc                     -1.6         % of OUT's span per % of PV's",
    "proportional band      62.5         % of PV's span",
    "ti                     40           s",
    "ti                     0.6666667    min",
    "integral action        1.5          repeats per minute",
    "kc                     -4           % per degBx", /* series: ti = 4 td halves it */
    "ti                     20           s",
    "td                     20           s",
    "ki                     -0.2         % per degBx and s",
    "kd                     -80          % s per degBx",
    "tracking time          20           s",
    "direct: OUT rises with PV",
};

START_TEST(the_sheet_has_every_form_and_unit)
{
    rk_loop_design loop = brix_loop();
    rk_text *text = rk_text_create(), *csv = rk_text_create();
    size_t i;

    loop.pv_low = 0;
    loop.pv_high = 20;
    loop.settings = rk_settings_make(-8, 40, 10, 0);
    ck_assert_int_eq(rk_emit_sheet(&loop, text, NULL), RK_OK);
    for (i = 0; i < COUNT(on_sheet); i++) {
        ck_assert_msg(strstr(rk_text_chars(text), on_sheet[i]) != NULL, "no '%s' in\n%s",
                      on_sheet[i], rk_text_chars(text));
    }
    ck_assert_ptr_null(strstr(rk_text_chars(text), " \n"));
    ck_assert_int_eq(rk_emit_sheet_csv(&loop, csv, NULL), RK_OK);
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(csv), ",proportional band,62.5,% of PV's span\r\n"));
    ck_assert_ptr_nonnull(strstr(
        rk_text_chars(csv), "\"Ideal form, kc (1 + 1/(ti s) + td s/(1 + tf s))\",kc,-8.0,"));
    rk_text_free(text);
    rk_text_free(csv);
    text = rk_text_create();
    loop.settings.td = 15; /* more than a quarter of ti */
    ck_assert_int_eq(rk_emit_sheet(&loop, text, NULL), RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "these settings have no series form"));
    rk_text_free(text);
}
END_TEST

START_TEST(the_equations_are_shown_with_their_coefficients)
{
    rk_text *text = rk_text_create();
    rk_loop_design loop = variant(7);

    ck_assert_int_eq(rk_emit_equations(&loop, text, NULL), RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "Each scan of 1 s:"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "d    = ad d + kd (g - g_last)"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "inc = 0, v again"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "kc       = -9.1 "));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "out_step = 1.7 "));
    ck_assert_int_eq(rk_emit_equations(NULL, text, NULL), RK_ERR_ARG);
    rk_text_free(text);
}
END_TEST

/* Every kind, with and without a part of a scan in its dead time. */
static const rk_model twins[] = {
    {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
    {RK_MODEL_FOPDT, 2, {10, 0}, 0, 0, 42, 0},
    {RK_MODEL_SOPDT, 1.5, {20, 8}, 0, 3, 42, 5},
    {RK_MODEL_SOPDT_OSC, 1, {6, 0}, 0.3, 2.4, 42, 5},
    {RK_MODEL_IPDT, 0.05, {0, 0}, 0, 4.2, 42, 100},
    {RK_MODEL_IPDT_LAG, 0.02, {5, 0}, 0, 1, 42, 100},
};

static void run_twin(const rk_loop_design *loop, const stimulus *s, double *pv)
{
    rk_plant_params params;
    rk_real memory[64];
    rk_plant plant;
    int i;

    ck_assert_int_eq(rk_plant_params_from_model(&loop->model, loop->ts, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &params, memory, 64, params.out0), RK_OK);
    for (i = 0; i < SCANS; i++) {
        pv[i] = rk_plant_scan(&plant, s[i].manual_out + s[i].sp);
    }
}

/* The stimuli's manual output is the twin's OUT, their setpoint its load. */
START_TEST(an_emitted_twin_gives_the_plants_bits)
{
    static const char *const strict[] = {
        "cc",      "-std=c99",           "-Wall", "-Wextra",
        "-Werror", "-pedantic",          "-O2",   "-ffp-contract=off",
        "-c",      "blend_brix_plant.c", NULL};
    static const char *const link[] = {"cc", "-std=c99", "-O2", "main.c", "blend_brix_plant.o",
                                       "-o", "program",  NULL};
    static const char *const alone[] = {"cc",     "-std=c99", "-O2",     "-ffp-contract=off",
                                        "main.c", "-o",       "program", NULL};
    rk_loop_design loop = brix_loop();
    rk_text *h = rk_text_create(), *c = rk_text_create(), *main_c = rk_text_create();
    rk_text *st = rk_text_create(), *block, *main_st = rk_text_create();
    static stimulus s[SCANS];
    static double wanted[SCANS];
    char *dir = scratch_make();

    loop.model = twins[_i];
    loop.has_settings = false; /* it needs none */
    fill_stimuli(s);
    run_twin(&loop, s, wanted);
    ck_assert_int_eq(rk_emit_plant_c_header(&loop, h, NULL), RK_OK);
    ck_assert_int_eq(rk_emit_plant_c_source(&loop, c, NULL), RK_OK);
    put_file(path_in(dir, "blend_brix_plant.h"), rk_text_chars(h));
    put_file(path_in(dir, "blend_brix_plant.c"), rk_text_chars(c));
    rk_text_add(main_c,
                "%s#include \"blend_brix_plant.h\"\nstatic blend_brix_plant p;\n"
                "static void start(void) { blend_brix_plant_init(&p); }\n"
                "static double scan(double sp, double pv, int automatic, double manual)\n"
                "{\n    (void)pv;\n    (void)automatic;\n    p.load = sp;\n"
                "    return blend_brix_plant_scan(&p, manual);\n}\n%s",
                runner_head, runner_tail);
    put_file(path_in(dir, "main.c"), rk_text_chars(main_c));
    compile(dir, strict);
    compile(dir, link);
    compare(dir, s, wanted, "C");

    ck_assert_int_eq(rk_emit_plant_st(&loop, st, NULL), RK_OK);
    block = st_to_c(rk_text_chars(st));
    rk_text_add(
        main_st,
        "%s%s\nstatic block b;\nstatic void start(void) { block_init(&b); }\n"
        "static double scan(double sp, double pv, int automatic, double manual)\n"
        "{\n    (void)pv;\n    (void)automatic;\n    b.load = sp;\n    b.out = manual;\n"
        "    block_scan(&b);\n    return b.pv;\n}\n%s",
        runner_head, rk_text_chars(block), runner_tail);
    put_file(path_in(dir, "main.c"), rk_text_chars(main_st));
    compile(dir, alone);
    compare(dir, s, wanted, "Structured Text");
    rk_text_free(h);
    rk_text_free(c);
    rk_text_free(main_c);
    rk_text_free(st);
    rk_text_free(block);
    rk_text_free(main_st);
    scratch_free(dir);
}
END_TEST

START_TEST(a_twin_needs_a_model_a_scan_and_memory)
{
    rk_loop_design loop = brix_loop();
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};

    loop.has_model = false;
    ck_assert_int_eq(rk_emit_plant_st(&loop, text, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "needs a model"));
    loop = brix_loop();
    loop.ts = 1e-4;
    ck_assert_int_eq(rk_emit_plant_c_source(&loop, text, NULL), RK_ERR_RANGE);
    loop.ts = QNAN;
    ck_assert_int_eq(rk_emit_plant_c_header(&loop, text, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_emit_plant_st(NULL, text, NULL), RK_ERR_ARG);
    rk_text_free(text);
}
END_TEST

static rk_status emit_all(const rk_loop_design *loop, rk_text *text, rk_diag *diag)
{
    rk_status status = rk_emit_st(loop, text, diag);
    rk_text *more = rk_text_create();

    if (status == RK_OK && loop->has_model) {
        ck_assert_int_eq(rk_emit_plant_st(loop, more, NULL), RK_OK);
        ck_assert_int_eq(rk_emit_plant_c_header(loop, more, NULL), RK_OK);
        ck_assert_int_eq(rk_emit_plant_c_source(loop, more, NULL), RK_OK);
        ck_assert_int_eq(rk_emit_vectors(loop, more, NULL), RK_OK);
    }
    rk_text_free(more);

    if (status == RK_OK) {
        status = rk_emit_c_header(loop, text, diag);
    }
    return status == RK_OK ? rk_emit_c_source(loop, text, diag) : status;
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
    const rk_loop_design loop = brix_loop();
    rk_text *st = rk_text_create(), *c = rk_text_create();

    ck_assert_int_eq(rk_emit_st(&loop, st, NULL), RK_OK);
    ck_assert_int_eq(rk_emit_c_source(&loop, c, NULL), RK_OK);
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
    rk_loop_design loop = brix_loop();
    rk_text *text = rk_text_create();
    size_t i;

    loop.model = kinds[_i].model;
    loop.settings = rk_settings_make(-0.02, 400, 0, 0);
    ck_assert_int_eq(rk_emit_st(&loop, text, NULL), RK_OK);
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
    const rk_loop_design loop = brix_loop();
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
};

START_TEST(block_names_are_safe_in_c_and_structured_text)
{
    rk_loop_design loop = brix_loop();
    char name[RK_BLOCK_NAME_CHARS];

    strcpy(loop.name, names[_i].loop);
    rk_emit_block_name(&loop, name);
    ck_assert_str_eq(name, names[_i].block);
}
END_TEST

START_TEST(names_and_units_cannot_break_out_of_a_comment)
{
    rk_loop_design loop = brix_loop();
    rk_text *st = rk_text_create(), *c = rk_text_create(), *block;

    strcpy(loop.name, "x */ int y; *) evil (* /*");
    strcpy(loop.pv_units, "*)");
    strcpy(loop.record_file, "a*/b*)c");
    ck_assert_int_eq(rk_emit_st(&loop, st, NULL), RK_OK);
    block = st_to_c(rk_text_chars(st)); /* would fail on text outside a comment */
    ck_assert_int_eq(rk_emit_c_header(&loop, c, NULL), RK_OK);
    ck_assert_ptr_eq(strstr(rk_text_chars(c), "*/"), strstr(rk_text_chars(c), "*/\n#ifndef"));
    rk_text_free(st);
    rk_text_free(c);
    rk_text_free(block);
}
END_TEST

static void no_scan(rk_loop_design *l)
{
    l->ts = QNAN;
}
static void no_settings(rk_loop_design *l)
{
    l->has_settings = false;
}
static void no_range(rk_loop_design *l)
{
    l->out_low = l->out_high = QNAN;
}
static void ti_below_scan(rk_loop_design *l)
{
    l->ts = 60;
}
static void wrong_action(rk_loop_design *l)
{
    l->action = RK_ACTION_REVERSE;
}

static const struct {
    void (*spoil)(rk_loop_design *);
    const char *says;
} spoilt[] = {
    {no_scan, "[loop] scan"},         {no_settings, "[settings]"},
    {no_range, "[out] low and high"}, {ti_below_scan, "shorter than the scan"},
    {wrong_action, "reverse"},
};

START_TEST(incomplete_loops_are_refused)
{
    rk_loop_design loop = brix_loop();
    rk_diag diag = {RK_OK, ""};
    rk_text *text = rk_text_create();

    spoilt[_i].spoil(&loop);
    ck_assert_int_eq(emit_all(&loop, text, &diag), RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, spoilt[_i].says) != NULL, "%s", diag.text);
    ck_assert_uint_eq(rk_text_length(text), 0);
    ck_assert_int_eq(rk_emit_st(NULL, text, NULL), RK_ERR_ARG);
    rk_text_free(text);
}
END_TEST

START_TEST(an_unstable_loop_says_so_in_its_head)
{
    rk_loop_design loop = brix_loop();
    rk_text *text = rk_text_create();

    loop.settings.kc = -60;
    ck_assert_int_eq(rk_emit_st(&loop, text, NULL), RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "UNSTABLE"));
    rk_text_free(text);
}
END_TEST

static Suite *suite_emit(void)
{
    Suite *suite = suite_create("emit");
    TCase *t = tcase_create("emit"), *runs = tcase_create("runs");

    tcase_add_test(t, the_sheet_has_every_form_and_unit);
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
    /* Programs compiled and run: what the sanitizers would see is only how they are written,
       which the tests above show them too. */
    tcase_set_tags(runs, "statistics");
    add_table(runs, the_vectors_are_what_the_emitted_program_answers, variants);
    add_table(runs, an_emitted_twin_gives_the_plants_bits, twins);
    add_table(runs, emitted_c_compiles_strictly_and_gives_the_same_bits, variants);
    add_table(runs, emitted_structured_text_read_by_the_standard_gives_the_same_bits, variants);
    suite_add_tcase(suite, runs);
    return suite;
}

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_emit};

    return run_suites(makers, COUNT(makers));
}
