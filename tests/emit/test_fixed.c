/* SPDX-License-Identifier: MIT */
/* The fixed-point controller, compiled with every overflow trapped, beside the floating block.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"

enum { SCANS = 10000 };

/* Integers in, OUT in counts. start: begin anew from out_now. */
typedef struct input {
    int32_t start, out_now, sp, pv, automatic, manual_out;
} input;

static const char main_c[] =
    "#include <stdio.h>\n#include \"blend_brix_fixed.h\"\n"
    "int main(void)\n{\n    static blend_brix_fixed c;\n    int32_t in[6];\n"
    "    while (fread(in, sizeof in[0], 6, stdin) == 6) {\n"
    "        if (in[0]) {\n            blend_brix_fixed_init(&c);\n"
    "            c.out_start = in[1];\n        }\n"
    "        c.sp = in[2];\n        c.pv = in[3];\n"
    "        c.automatic = in[4];\n        c.manual_out = in[5];\n"
    "        blend_brix_fixed_scan(&c);\n"
    "        fwrite(&c.out, sizeof c.out, 1, stdout);\n    }\n    return 0;\n}\n";

/* The program's answers; a signed overflow ends it. */
static int32_t *run_fixed(const rk_design *loop, const input *in, size_t count, double *pv_unit,
                          double *out_unit)
{
    static const char *const link[] = {"cc",
                                       "-std=c99",
                                       "-O1",
                                       "-Wall",
                                       "-Wextra",
                                       "-Wconversion",
                                       "-Wshadow",
                                       "-pedantic",
                                       "-Werror",
                                       "-fsanitize=undefined",
                                       "-fno-sanitize-recover=all",
                                       "main.c",
                                       "blend_brix_fixed.c",
                                       "-o",
                                       "program",
                                       NULL};
    static const char *const run[] = {"sh", "-c", "./program < inputs", NULL};
    rk_text *h = rk_text_create(), *c = rk_text_create();
    char *dir = scratch_make();
    rk_diag diag = {RK_OK, ""};
    int32_t *made = malloc(count * sizeof *made);
    FILE *file;
    outcome o;

    ck_assert_msg(rk_emit_fixed_header(loop, h, &diag) == RK_OK, "%s", diag.text);
    ck_assert_int_eq(rk_emit_fixed_source(loop, c, NULL), RK_OK);
    ck_assert_int_eq(sscanf(strstr(rk_text_chars(h), "_PV_UNIT") + 9, "%lf", pv_unit), 1);
    ck_assert_int_eq(sscanf(strstr(rk_text_chars(h), "_OUT_UNIT") + 10, "%lf", out_unit), 1);
    if (in != NULL) {
        put_file(path_in(dir, "blend_brix_fixed.h"), rk_text_chars(h));
        put_file(path_in(dir, "blend_brix_fixed.c"), rk_text_chars(c));
        put_file(path_in(dir, "main.c"), main_c);
        o = run_program(dir, link);
        ck_assert_msg(o.status == 0, "cc: %s%s", o.out, o.err);
        outcome_free(&o);
        file = fopen(path_in(dir, "inputs"), "wb");
        ck_assert_ptr_nonnull(file);
        ck_assert_uint_eq(fwrite(in, sizeof *in, count, file), count);
        ck_assert_int_eq(fclose(file), 0);
        o = run_program(dir, run);
        ck_assert_msg(o.status == 0 && o.out_length == count * sizeof *made, "%s", o.err);
        memcpy(made, o.out, o.out_length);
        outcome_free(&o);
    }
    rk_text_free(h);
    rk_text_free(c);
    scratch_free(dir);
    return made;
}

/* Of the variants: PI by each anti-windup, P, and PID with all that it has; the proof runs each. */
static const int rows[] = {0, 1, 2, 4, 10};

static rk_design fixed_loop(int row)
{
    rk_design loop = variant(row);

    loop.pv_low = 0;
    loop.pv_high = 20;
    return loop;
}

static int32_t counts(double value, double unit)
{
    return (int32_t)lrint(value * unit);
}

/* A plant's noisy PV with steps, manual and automatic, and what is no number. */
static void fill(input *in, double pv_unit, double out_unit)
{
    rng r = {4};
    double sp = 11.8, pv = 11.8, manual = 42;
    bool automatic = true;
    int i;

    for (i = 0; i < SCANS; i++) {
        if (rng_uniform(&r) < 0.01) {
            sp = 2 + (16 * rng_uniform(&r));
        }
        if (rng_uniform(&r) < 0.01) {
            automatic = !automatic;
        }
        if (rng_uniform(&r) < 0.02) {
            manual = 140 * (rng_uniform(&r) - 0.15);
        }
        pv += (0.05 * (sp - pv)) + (0.05 * rng_normal(&r));
        in[i] = (input){
            i == 0,    counts(42, out_unit),    counts(sp, pv_unit), counts(pv, pv_unit),
            automatic, counts(manual, out_unit)};
        if (rng_uniform(&r) < 0.005) {
            in[i].pv = INT32_MIN;
        }
    }
}

START_TEST(fixed_point_stays_within_its_stated_error)
{
    const rk_design loop = fixed_loop(rows[_i]);
    const rk_limits limits = rk_design_limits(&loop);
    static input in[SCANS];
    double pv_unit, out_unit, error, worst = 0;
    rk_pid_params params;
    rk_filter filter;
    rk_pid pid;
    int32_t *got;
    int i;

    free(run_fixed(&loop, NULL, 1, &pv_unit, &out_unit));
    fill(in, pv_unit, out_unit);
    got = run_fixed(&loop, in, SCANS, &pv_unit, &out_unit);
    ck_assert_int_eq(rk_emit_fixed_error(&loop, &error, NULL), RK_OK);
    ck_assert_int_eq(
        rk_settings_pid_params(&loop.settings, &limits, &loop.model, loop.ts, &params, NULL),
        RK_OK);
    ck_assert_int_eq(rk_pid_init(&pid, &params, 42), RK_OK);
    ck_assert_int_eq(rk_filter_init(&filter, loop.settings.pv_filter, loop.ts), RK_OK);
    for (i = 0; i < SCANS; i++) {
        const double pv = in[i].pv == INT32_MIN ? QNAN : in[i].pv / pv_unit;
        double out;

        if (in[i].automatic) {
            rk_pid_set_auto(&pid);
        } else {
            rk_pid_set_manual(&pid, in[i].manual_out / out_unit);
        }
        out =
            rk_pid_scan(&pid, in[i].sp / pv_unit, isnan(pv) ? pv : rk_filter_scan(&filter, pv));
        worst = fmax(worst, fabs(out - (got[i] / out_unit)));
    }
    ck_assert_msg(worst <= error, "%s: %g, stated %g", variants[rows[_i]].fact, worst, error);
    ck_assert_msg(error < 1e-3, "%s: stated %g", variants[rows[_i]].fact,
                  error); /* % of the valve */
    free(got);
}
END_TEST

/* Anything at all at the inputs: no overflow, and OUT within its range. */
START_TEST(fixed_point_never_overflows)
{
    static const int32_t corners[] = {INT32_MIN, INT32_MIN + 1, -1073741824, -1, 0,
                                      1,         1073741824,    INT32_MAX};
    const rk_design loop = fixed_loop(rows[_i]);
    static input in[SCANS];
    double pv_unit, out_unit;
    rng r = {99};
    int32_t *got, *fields;
    int i, k;

    for (i = 0; i < SCANS; i++) {
        fields = &in[i].out_now;
        for (k = 0; k < 5; k++) {
            fields[k] = rng_uniform(&r) < 0.5
                            ? corners[(int)(rng_uniform(&r) * (double)COUNT(corners))]
                            : (int32_t)((rng_uniform(&r) - 0.5) * 4294967295.0);
        }
        in[i].automatic = rng_uniform(&r) < 0.8;
        in[i].start = i == 0 || rng_uniform(&r) < 0.01;
    }
    /* and a long stretch at one corner, where a sum would run away */
    for (i = 2000; i < 6000; i++) {
        in[i].start = 0;
        in[i].automatic = 1;
        in[i].sp = i < 4000 ? INT32_MAX : INT32_MIN + 1;
        in[i].pv = i < 4000 ? INT32_MIN + 1 : INT32_MAX;
    }
    got = run_fixed(&loop, in, SCANS, &pv_unit, &out_unit);
    for (i = 0; i < SCANS; i++) {
        must(got[i] >= 0 && got[i] <= 100 * out_unit);
    }
    free(got);
}
END_TEST

START_TEST(what_fixed_point_cannot_do_is_refused)
{
    rk_design loop = brix_loop();
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_emit_fixed_source(&loop, text, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "[pv] low and high"));
    loop = fixed_loop(0);
    loop.settings.algorithm = RK_ALGORITHM_VELOCITY;
    ck_assert_int_eq(rk_emit_fixed_header(&loop, text, NULL), RK_ERR_UNSUPPORTED);
    loop = fixed_loop(0);
    loop.settings.kc = -1e9;
    ck_assert_int_eq(rk_emit_fixed_source(&loop, text, NULL), RK_ERR_RANGE);
    ck_assert_uint_eq(rk_text_length(text), 0);
    rk_text_free(text);
}
END_TEST

Suite *suite_fixed(void);

Suite *suite_fixed(void)
{
    Suite *suite = suite_create("emit/fixed");
    TCase *t = tcase_create("fixed"), *runs = tcase_create("runs");

    tcase_add_test(t, what_fixed_point_cannot_do_is_refused);
    suite_add_tcase(suite, t);
    tcase_set_tags(runs, "processes");
    add_table(runs, fixed_point_stays_within_its_stated_error, rows);
    add_table(runs, fixed_point_never_overflows, rows);
    suite_add_tcase(suite, runs);
    return suite;
}
