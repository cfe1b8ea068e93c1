/* SPDX-License-Identifier: MIT */
/* The commonest slips of those who use the tool, typed as they type them: each is named where it
   is first seen, with what to do, and nothing is saved or moved by it. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"
#include "tool.h"

#define RANGES                                                                                 \
    "[loop]\nname = Blend Brix\nscan = 1s\naction = direct\n[pv]\nunits = degBx\nlow = 0\n"    \
    "high = 20\n[out]\nunits = %\nlow = 0\nhigh = 100\n"
#define PROCESS                                                                                \
    "gain = -0.118\ntime-constant = 46.5s\ndead-time = 17.4s\nout0 = 42\npv0 = 11.8\n"

/* b.loop: the loop with model, settings and plant; r.loop: the loop with a record alone, whose
   OUT is written as the test says. */
static char *hall(void)
{
    char *dir = scratch_make();

    put_file(
        path_in(dir, "b.loop"), RANGES
        "[alarm]\nlow = 11\nhigh = 13\n[record]\nfile = t.csv\n[model]\nkind = fopdt\n" PROCESS
        "[settings]\nkc = -11.1\nti = 46.5s\n[plant]\n" PROCESS "noise = 0.008\n");
    put_file(path_in(dir, "r.loop"), RANGES "[record]\nfile = t.csv\n");
    put_file(path_in(dir, "b.st"), "FUNCTION_BLOCK blend\nVAR_INPUT\n    sp : LREAL;\n");
    return dir;
}

/* A step test of the loop: OUT from 42 to 47 and back, times `scale`; PV times `pv_scale`. */
static void put_record(const char *dir, double scale, double pv_scale)
{
    const rk_model m = {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8};
    rk_record *still = NULL;
    rng r = {11};
    double pv[600];
    FILE *f = fopen(path_in(dir, "t.csv"), "w");
    int i;

    ck_assert_ptr_nonnull(f);
    ck_assert_int_eq(rk_record_create(&still, NULL), RK_OK);
    for (i = 0; i < 600; i++) {
        ck_assert_int_eq(rk_record_add(still, i, i < 60 || i >= 330 ? 42 : 47, 0, NULL), RK_OK);
    }
    ck_assert_int_eq(rk_model_response_compute(&m, still, pv, NULL), RK_OK);
    (void)fprintf(f, "time_s,OUT,PV\n");
    for (i = 0; i < 600; i++) {
        (void)fprintf(f, "%d,%.6g,%.6g\n", i, rk_record_out(still)[i] * scale,
                      (pv[i] + (0.008 * rng_normal(&r))) * pv_scale);
    }
    (void)fclose(f);
    rk_record_free(still);
}

#define MODEL_ "--gain", "-0.118", "--time-constant", "46.5s", "--dead-time", "17.4s"

static const struct {
    const char *slip;
    int status;
    const char *says, *remedy; /* both somewhere in what is printed */
    const char *args[14];
} slips[] = {
    /* settings */
    {"ti in minutes",
     1,
     "ti looks like minutes",
     "ti 46.2 s instead of 0.77 s",
     {"check", "b.loop", "--kc=-11.1", "--ti", "0.77"}},
    {"minutes for seconds",
     1,
     "ti looks like seconds taken for minutes",
     "46.5 s",
     {"check", "b.loop", "--kc=-11.1", "--ti", "46.5min", "--settling", "4min"}},
    {"milliseconds",
     1,
     "ti looks like milliseconds",
     "--ti 46000ms",
     {"check", "b.loop", "--kc=-11.1", "--ti", "46500", "--settling", "4min"}},
    {"repeats per minute for ti",
     1,
     "ti looks like repeats per minute",
     "--repeats",
     {"check", "b.loop", "--kc=-11.1", "--ti", "1.29"}},
    {"the reciprocal of ti",
     1,
     "ti looks like repeats per second",
     "46.5",
     {"check", "b.loop", "--kc=-11.1", "--ti", "0.0215"}},
    {"ki where ti belongs",
     1,
     "ti looks like an integral gain ki",
     "--form parallel",
     {"check", "b.loop", "--kc=-11.1", "--ti", "0.2387"}},
    {"ti where ki belongs",
     1,
     "ki looks like an integral time",
     "ki = kp / ti",
     {"check", "b.loop", "--form", "parallel", "--kp=-11.1", "--ki=-46.5"}},
    {"td in seconds taken for minutes",
     1,
     "td looks like seconds taken for minutes",
     "--td 6s",
     {"check", "b.loop", "--kc=-11.1", "--ti", "46.5s", "--td", "6min"}},
    {"engineering units as percent of span",
     1,
     "engineering units taken for percent of span",
     "give it as --kc",
     {"check", "b.loop", "--kc-percent=-11.1", "--ti", "46.5s"}},
    {"a band for a gain",
     1,
     "kc looks like a proportional band",
     "--band",
     {"check", "b.loop", "--kc=-45", "--ti", "46.5s"}},
    {"a fraction for percent",
     1,
     "kc looks like a fraction for percent",
     "-11.1",
     {"check", "b.loop", "--kc=-0.111", "--ti", "46.5s", "--settling", "4min"}},
    {"percent for a fraction",
     1,
     "kc looks like percent for a fraction",
     "-11.1",
     {"check", "b.loop", "--kc=-1110", "--ti", "46.5s"}},
    {"the sign of kc",
     2,
     "the action is said to be direct",
     "give kc a minus",
     {"check", "b.loop", "--kc", "11.1", "--ti", "46.5s"}},
    {"the sign, without an action",
     1,
     "kc has the wrong sign for this process",
     "turn the sign",
     {"check", MODEL_, "--kc", "11.1", "--ti", "46.5s"}},
    {"a filter longer than ti",
     1,
     "the PV filter of 60 s is longer than ti",
     "a tenth of ti",
     {"check", "b.loop", "--kc=-11.1", "--ti", "46.5s", "--pv-filter", "60s"}},
    {"a scan longer than the dead time",
     1,
     "longer than the dead time of 17.4 s",
     "scan faster",
     {"check", "b.loop", "--scan", "30s"}},
    {"a scan in minutes",
     1,
     "ti 46.5 s is shorter than the scan of 60 s",
     "scan faster",
     {"check", "b.loop", "--scan", "1min"}},
    {"a case with the wrong sign",
     0,
     "'x' is UNSTABLE",
     "its kc has the wrong sign",
     {"trial", "b.loop", "--case", "x: kc=10 ti=46s"}},
    {"ti of a case in minutes",
     2,
     "case 'x'",
     "ti 0.77 s is shorter than the scan",
     {"trial", "b.loop", "--case", "x: kc=-10 ti=0.77"}},
    {"lambda in minutes for seconds",
     0,
     "lambda is 16 times",
     "another unit",
     {"tune", "b.loop", "--rule", "simc", "--lambda", "17.4min"}},
    /* how it is typed */
    {"m for minutes",
     2,
     "the unit 'm' is none of ms, s, min, h",
     "--settling '4m'",
     {"check", "b.loop", "--settling", "4m"}},
    {"sec for s",
     2,
     "the unit 'sec' is none of ms, s, min, h",
     "a bare number is seconds",
     {"check", "b.loop", "--kc=-11", "--ti", "46sec"}},
    {"a decimal comma",
     2,
     "--kc '-11,1' is not a number",
     "use a decimal point",
     {"check", "b.loop", "--kc=-11,1", "--ti", "46.5s"}},
    {"a decimal comma in a time",
     2,
     "'17,4s' is not a time",
     "use a decimal point",
     {"check", "--gain", "2", "--time-constant", "46.5s", "--dead-time", "17,4s", "--kc", "1"}},
    {"a decimal comma in a list",
     2,
     "'46,5s' could be two times or one with a decimal comma",
     "give 46.5s, or 46s, 5s",
     {"tune", "--kind", "sopdt", "--gain", "2", "--time-constant", "46,5s", "--dead-time",
      "3"}},
    {"kp without its form",
     2,
     "belong to the parallel form",
     "add --form parallel",
     {"check", "b.loop", "--kp=-11.1", "--ki=-0.24"}},
    {"ti given twice",
     2,
     "give --ti or --repeats, not both",
     "--repeats",
     {"check", "b.loop", "--kc=-11.1", "--ti", "46s", "--repeats", "1.3"}},
    /* requirements */
    {"a gain margin in dB",
     1,
     "which is a factor: was it dB?",
     "6 dB is 2",
     {"check", "b.loop", "--gain-margin", "6"}},
    {"overshoot as a fraction",
     1,
     "was it a fraction?",
     "5 for 5 %",
     {"check", "b.loop", "--overshoot", "0.05"}},
    {"settling in minutes",
     1,
     "was it minutes?",
     "such as 4min",
     {"check", "b.loop", "--settling", "4"}},
    {"an Ms that nobody has",
     2,
     "--ms '0.6' is out of range",
     "above 1",
     {"search", "b.loop", "--ms", "0.6"}},
    /* files and columns */
    {"a column that is not there",
     3,
     "no column 'AT211'",
     "name it with --pv",
     {"fit", "r.loop", "--pv", "AT211"}},
    {"columns swapped",
     1,
     "the columns look swapped",
     "the other way round",
     {"inspect", "r.loop", "--out", "PV", "--pv", "OUT"}},
    {"columns swapped, to be saved",
     1,
     "not saved: the record is unfit",
     "--force",
     {"fit", "r.loop", "--out", "PV", "--pv", "OUT", "--save"}},
    {"one column for both",
     1,
     "one column was taken for both",
     "name the columns",
     {"inspect", "r.loop", "--out", "PV", "--pv", "PV"}},
    {"a loop file for a record",
     3,
     "b.loop:1: no column",
     "name it with",
     {"trial", "b.loop", "--overlay", "b.loop"}},
    {"program text for a record",
     3,
     "b.st:1: no column looks like time",
     "name it with --time",
     {"fit", "b.st"}},
    /* the plant */
    {"a bump into the alarms",
     2,
     "beyond the bounds 11 to 13",
     "make it smaller",
     {"bump", "b.loop", "--move", "30", "--record", "x.csv"}},
    {"a bump into the other alarm",
     2,
     "beyond the bounds 11 to 13",
     "make it smaller",
     {"bump", "b.loop", "--move=-30", "--record", "x.csv"}},
    {"a bump beyond the valve",
     2,
     "beyond its limits 0 to 100",
     "make the move smaller",
     {"bump", "b.loop", "--move", "300", "--record", "x.csv"}},
    {"a setpoint beyond the transmitter",
     2,
     "setpoint 30 is beyond 0 to 20",
     "--at",
     {"run", "b.loop", "--for", "5min", "--at", "1min", "sp=30"}},
};

/* Lines are wrapped at a width; a sentence is looked for as one. */
static bool says(const outcome *o, const char *words)
{
    const char *const texts[] = {o->out, o->err};
    size_t i;

    for (i = 0; i < 2; i++) {
        char *flat = malloc(strlen(texts[i]) + 1), *to = flat;
        const char *from;
        bool found;

        ck_assert_ptr_nonnull(flat);
        for (from = texts[i]; *from != '\0'; from++) {
            const bool blank = *from == ' ' || *from == '\n';

            if (blank && to > flat && to[-1] == ' ') continue;
            *to++ = (char)(blank ? ' ' : *from);
        }
        *to = '\0';
        found = strstr(flat, words) != NULL;
        free(flat);
        if (found) return true;
    }
    return false;
}

START_TEST(a_slip_is_named_with_its_remedy)
{
    char *dir = hall();
    outcome o;

    put_record(dir, 1, 1);
    o = run_tool(dir, slips[_i].args);
    ck_assert_msg(o.status == slips[_i].status, "%s: %d: %.700s%.300s", slips[_i].slip,
                  o.status, o.out, o.err);
    ck_assert_msg(says(&o, slips[_i].says), "%s: %.700s%.300s", slips[_i].slip, o.out, o.err);
    ck_assert_msg(says(&o, slips[_i].remedy), "%s: %.700s%.300s", slips[_i].slip, o.out, o.err);
    { /* nothing was written by it */
        char *loop = get_file(path_in(dir, "r.loop"), NULL);

        ck_assert_ptr_null(strstr(loop, "[model]"));
        free(loop);
    }
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* What is right is not called a slip: settings of many rules and speeds. */
static const char *const sound[][2] = {
    {"--kc=-11.1", "46.5s"}, {"--kc=-4.6", "41s"}, {"--kc=-15.6", "55s"}, {"--kc=-2", "46s"},
    {"--kc=-12.7", "137s"},  {"--kc=-5", "28s"},   {"--kc=-20", "59s"},   {"--kc=-9", "200s"},
};

START_TEST(sound_settings_are_no_slip)
{
    char *dir = hall();
    outcome o = TOOL(dir, "check", "b.loop", sound[_i][0], "--ti", sound[_i][1]);

    ck_assert_msg(strstr(o.out, "looks like") == NULL, "%.300s", o.out);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* Columns in other units than the loop's ranges: found by inspect, and fit does not save unless
   it is told to. */
static const struct {
    const char *slip;
    double out, pv;
    const char *says;
} units[] = {
    {"OUT as a fraction", 0.01, 1, "it looks like a fraction, 0 to 1"},
    {"OUT in raw counts", 276.48, 1, "OUT goes from 1.161e+04 to 1.299e+04"},
    {"PV in raw counts", 1, 1000, "PV is between"},
    {"neither", 1, 1, NULL},
};

START_TEST(a_record_in_other_units_is_not_saved)
{
    const char *said = units[_i].says;
    char *dir = hall(), *loop;
    outcome o;

    put_record(dir, units[_i].out, units[_i].pv);
    o = TOOL(dir, "inspect", "r.loop");
    ck_assert_int_eq(o.status, said != NULL ? 1 : 0);
    ck_assert_msg(said == NULL || says(&o, said), "%s: %.600s", units[_i].slip, o.out);
    outcome_free(&o);
    o = TOOL(dir, "check", "r.loop", "--rule", "simc"); /* nor does anything go on with it */
    ck_assert_msg(said == NULL || (o.status == 1 && says(&o, said)), "%s: %d %s",
                  units[_i].slip, o.status, o.err);
    outcome_free(&o);
    o = TOOL(dir, "fit", "r.loop", "--save");
    ck_assert_int_eq(o.status, said != NULL ? 1 : 0);
    outcome_free(&o);
    loop = get_file(path_in(dir, "r.loop"), NULL);
    ck_assert_int_eq(strstr(loop, "[model]") != NULL, said == NULL);
    free(loop);
    o = TOOL(dir, "fit", "r.loop", "--save", "--force");
    ck_assert_int_eq(o.status, said != NULL ? 1 : 0);
    outcome_free(&o);
    loop = get_file(path_in(dir, "r.loop"), NULL);
    ck_assert_ptr_nonnull(strstr(loop, "[model]"));
    free(loop);
    if (units[_i].out == 0.01) { /* and the model itself is found out, wherever it came from */
        o = TOOL(dir, "check", "r.loop", "--kc=-0.111", "--ti", "46.5s");
        ck_assert_int_eq(o.status, 1);
        ck_assert(says(&o, "times what the transmitter measures"));
        outcome_free(&o);
    }
    scratch_free(dir);
}
END_TEST

/* Colour goes to a terminal that has it, and to no other. */
START_TEST(a_dumb_terminal_gets_no_colour)
{
    static const char *const terms[] = {"xterm", "dumb"};
    static const char typed[] = "TERM=\"$1\" script -qec '\"$TOOL\" check b.loop' /dev/null";
    char *dir = hall();
    outcome o;

    setenv("TOOL", RK_CLI, 1);
    o = run_program(dir, (const char *const[]){"/bin/sh", "-c", typed, "sh", terms[_i], NULL});
    ck_assert_ptr_nonnull(strstr(o.out, "MET"));
    ck_assert_int_eq(strstr(o.out, "\033[") != NULL, _i == 0);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

Suite *suite_slips(void)
{
    Suite *suite = suite_create("cli/slips");
    TCase *t = tcase_create("slips"), *many = tcase_create("as processes");

    add_table(t, sound_settings_are_no_slip, sound);
    tcase_set_tags(many, "processes");
    add_table(many, a_slip_is_named_with_its_remedy, slips);
    add_table(many, a_record_in_other_units_is_not_saved, units);
    tcase_add_loop_test(many, a_dumb_terminal_gets_no_colour, 0, 2);
    suite_add_tcase(suite, t);
    suite_add_tcase(suite, many);
    return suite;
}
