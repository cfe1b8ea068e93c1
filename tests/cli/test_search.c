/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"
#include "tool.h"

/* Searches, sweeps and trade-offs as they are typed. */
#define MODEL "--gain", "2", "--time-constant", "10", "--dead-time", "5"

static size_t count_lines(const char *text)
{
    size_t lines = 0;

    for (; *text != '\0'; text++) {
        lines += *text == '\n';
    }
    return lines;
}

/* A number of the row that a sweep wrote for settings, by its column's name. */
static double in_row(char *csv, const char *name, const char *settings)
{
    char *head = strtok(csv, "\r\n"), *row = NULL, *at;
    int column = 0, i;

    for (at = head; strncmp(at, name, strlen(name)) != 0 || at[strlen(name)] != ','; column++) {
        at = strchr(at, ',');
        ck_assert_msg(at != NULL, "no column %s", name);
        at++;
    }
    while ((row = strtok(NULL, "\r\n")) != NULL && strstr(row, settings) == NULL) {
        continue;
    }
    ck_assert_msg(row != NULL, "no row with %s", settings);
    for (i = 0; i < column; i++) {
        row = strchr(row, ',') + 1;
    }
    return strtod(row, NULL);
}

/* Every run that is counted is kept, the first line's names are all different, and what a row says is
   what a trial of its settings does. */
START_TEST(a_sweep_keeps_every_run)
{
    static const char *const names[] = {"iae", "peak", "settling"};
    char *dir = scratch_make(), *text, *name, *rest;
    const char *seen[64];
    size_t count = 0, i;
    outcome o = TOOL(dir, "search", MODEL, "--scan", "2s", "--kc", "0.2:1:0.2", "--ti",
                     "6:14:2", "--cost", "load-iae", "--refine", "--runs", "r.csv");
    json_t *trial;

    ck_assert_msg(o.status == 0, "%s", o.err);
    ck_assert_ptr_nonnull(strstr(o.out, "100 settings tried"));
    outcome_free(&o);
    text = get_file(path_in(dir, "r.csv"), NULL);
    ck_assert_uint_eq(count_lines(text), 101);
    ck_assert_ptr_nonnull(strstr(text, "\n3,"));
    *strchr(text, '\r') = '\0';
    for (name = strtok_r(text, ",", &rest); name != NULL; name = strtok_r(NULL, ",", &rest)) {
        for (i = 0; i < count; i++) {
            ck_assert_str_ne(name, seen[i]);
        }
        seen[count++] = name;
    }
    ck_assert_uint_gt(count, 15);
    free(text);
    trial = json_of(TOOL(NULL, "trial", MODEL, "--scan", "2s", "--kc", "0.6", "--ti", "10",
                         "--for", "900s", "--load-step", "1", "--load-at", "400s", "--sp-step",
                         "1", "--json"),
                    0);
    for (i = 0; i < 3; i++) {
        static const char *const keys[] = {"cases.0.load.iae", "cases.0.load.peak_deviation",
                                           "cases.0.setpoint.settling_time"};

        text = get_file(path_in(dir, "r.csv"), NULL);
        ck_close(in_row(text, i == 0 ? "cost" : names[i], "0,0.6000000000000001,10.0,"),
                 number_at(trial, keys[i]), 2e-3);
        free(text);
    }
    json_decref(trial);
    scratch_free(dir);
}
END_TEST

/* The parallel form's grid holds the same controllers, of either sign. */
START_TEST(a_sweep_of_the_parallel_form_is_the_same)
{
    const bool falls = _i == 1;
    const char *gain = falls ? "-2" : "2";
    char *dir = scratch_make(), *text;
    double ideal, parallel;
    outcome o = TOOL(dir, "search", "--gain", gain, "--time-constant", "10", "--dead-time", "5",
                     "--scan", "1s", falls ? "--kc=-0.5" : "--kc=0.5", "--ti", "10", "--td",
                     "2", "--mode", "PID", "--runs", "i.csv", "--cost", "load-itae");

    ck_assert_msg(o.status == 0 && strstr(o.out, "1 settings tried"), "%s%s", o.out, o.err);
    outcome_free(&o);
    o = TOOL(dir, "search", "--gain", gain, "--time-constant", "10", "--dead-time", "5",
             "--scan", "1s", falls ? "--kp=-0.5:-0.4:0.1" : "--kp=0.4:0.5:0.1",
             falls ? "--ki=-0.05" : "--ki=0.05", falls ? "--kd=-1" : "--kd=1", "--mode", "PID",
             "--runs", "p.csv", "--cost", "load-itae");
    ck_assert_msg(o.status == 0, "%s%s", o.out, o.err);
    ck_assert_ptr_nonnull(strstr(o.out, "parallel form: kp"));
    outcome_free(&o);
    text = get_file(path_in(dir, "i.csv"), NULL);
    ideal = in_row(text, "cost", falls ? "0,-0.5,10.0,2.0," : "0,0.5,10.0,2.0,");
    free(text);
    text = get_file(path_in(dir, "p.csv"), NULL);
    parallel = in_row(text, "cost", falls ? "0,-0.5,-0.05,-1.0," : "0,0.5,0.05,1.0,");
    free(text);
    ck_close(parallel, ideal, 1e-12);
    scratch_free(dir);
}
END_TEST

START_TEST(weights_make_a_table_and_a_figure)
{
    char *dir = scratch_make(), *picture;
    json_t *j = json_of(TOOL(dir, "search", MODEL, "--weigh-effort", "0,0.1,1", "--effort",
                             "energy", "--cost", "load-ise", "--figure", "w.svg", "--json"),
                        0);
    outcome o;

    ck_assert_double_eq(number_at(j, "weights.1.weight"), 0.1);
    ck_assert_double_ge(number_at(j, "weights.0.effort"), number_at(j, "weights.2.effort"));
    ck_assert_double_le(number_at(j, "weights.0.error"), number_at(j, "weights.2.error"));
    json_decref(j);
    picture = get_file(path_in(dir, "w.svg"), NULL);
    ck_assert_ptr_nonnull(strstr(picture, "effort as energy"));
    free(picture);
    o = TOOL(dir, "search", MODEL, "--weigh-effort", "0,1", "--settling", "6s");
    ck_assert_int_eq(o.status, 1);
    ck_assert_ptr_nonnull(strstr(o.out, "NOT MET: settling"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* P alone leaves an offset, and who asks for less is told what takes it away. */
START_TEST(an_offset_is_integral_actions_to_take_away)
{
    outcome o = TOOL(NULL, "search", MODEL, "--mode", "P", "--steady-error", "0.01");

    ck_assert_int_eq(o.status, 1);
    ck_assert_msg(strstr(o.out, "integral action takes it away") != NULL, "%s", o.out);
    outcome_free(&o);
    o = TOOL(NULL, "search", MODEL, "--mode", "PI", "--steady-error", "0.01");
    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_null(strstr(o.out, "takes it away"));
    outcome_free(&o);
}
END_TEST

/* From physics to proven program text and a run, in one file, without a record. */
START_TEST(a_loop_from_physics_goes_all_the_way)
{
    char *dir = scratch_make(), *text = get_file(RK_SOURCE "/data/syrup-heating.loop", NULL);
    json_t *j;
    outcome o;

    put_file(path_in(dir, "s.loop"), text);
    free(text);
    o = TOOL(dir, "tune", "s.loop", "--rule", "simc", "--save");
    ck_assert_msg(o.status == 0, "%s%s", o.out, o.err);
    ck_assert_ptr_nonnull(strstr(
        o.out,
        "Figures on the whole process: gain 0.72 degC/%, lags 4 s, 163.2 s, 12 s, dead time 6 s"));
    outcome_free(&o);
    text = get_file(path_in(dir, "s.loop"), NULL); /* what was typed stays */
    ck_assert_ptr_nonnull(strstr(text, "lags = 4s, mass * heat_capacity / taken, 12s\n"));
    ck_assert_ptr_nonnull(strstr(text, "rule = simc\n"));
    free(text);
    j = json_of(TOOL(dir, "check", "s.loop", "--json"), 0);
    ck_assert_double_eq(number_at(j, "process.lags.0"), 4);
    ck_close(number_at(j, "process.lags.1"), 60 * 3.4 / 1.25, 1e-12);
    ck_close(number_at(j, "process.gain"), 0.72, 1e-12);
    ck_close(number_at(j, "process.dead_time"), 6, 1e-12);
    ck_assert_double_lt(number_at(j, "process.reduction_percent"), 3);
    ck_assert_double_lt(number_at(j, "sampled.ms"), number_at(j, "on_model.ms"));
    ck_assert_double_gt(number_at(j, "worst.region95.ms"), number_at(j, "sampled.ms"));
    json_decref(j);
    o = TOOL(dir, "search", "s.loop", "--over", "worst");
    ck_assert_msg(o.status == 0, "%s%s", o.out, o.err);
    outcome_free(&o);
    j = json_of(TOOL(dir, "trial", "s.loop", "--open-step", "5", "--curves", "c.csv", "--json"),
                0);
    ck_close(number_at(j, "pv_end"), 62 + (0.72 * 5), 1e-9);
    json_decref(j);
    text = get_file(path_in(dir, "c.csv"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "pv lag 163.2 s alone"));
    free(text);
    o = TOOL(dir, "emit", "s.loop", "--dir", "plc");
    ck_assert_msg(o.status == 0, "%s%s", o.out, o.err);
    outcome_free(&o);
    o = TOOL(dir, "prove", "s.loop", "--dir", "plc");
    ck_assert_msg(o.status == 0 && strstr(o.out, "PROVEN") != NULL, "%s%s", o.out, o.err);
    outcome_free(&o);
    o = TOOL(dir, "run", "s.loop", "--for", "20min", "--at", "60s sp=66");
    ck_assert_msg(o.status == 0 && strstr(o.out, "PV 66 degC") != NULL, "%s%s", o.out, o.err);
    outcome_free(&o);
    o = TOOL(dir, "check", "s.loop", "--gain", "1"); /* a model that is typed is the process */
    ck_assert_ptr_null(strstr(o.out, "lags"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

static const struct {
    const char *options[4];
    const char *says;
} refused[] = {
    {{"--kp", "1", "--kc", "1"}, "leave --kc, --ti and --td out"},
    {{"--kp", "1", NULL, NULL}, "needs --kp and --ki"},
    {{"--kc", "1", "--td", "1"}, "needs --kc and --ti"},
    {{"--kc", "1", "--ti", "1:0:1"}, "is not LOW:HIGH:STEP"},
    {{"--weigh-effort", "0,x", NULL, NULL}, "with commas between"},
    {{"--weigh-effort", "0,1", "--kc", "1:2:1"}, "give one weight"},
    {{"--weigh-effort", "0,1", "--save", NULL}, "--save"},
    {{"--weigh-effort", "-1", NULL, NULL}, "of the effort -1"},
    {{"--effort", "power", "--weigh-effort", "1"}, "squares, travel, energy"},
};

START_TEST(what_makes_no_sweep_is_refused)
{
    const char *const *given = refused[_i].options;
    outcome o = given[2] == NULL ? TOOL(NULL, "search", MODEL, given[0], given[1])
                : given[3] == NULL
                    ? TOOL(NULL, "search", MODEL, given[0], given[1], given[2])
                    : TOOL(NULL, "search", MODEL, given[0], given[1], given[2], given[3]);

    ck_assert_msg(o.status == 2, "%d %s%s", o.status, o.out, o.err);
    ck_assert_msg(strstr(o.err, refused[_i].says) != NULL, "%s", o.err);
    outcome_free(&o);
}
END_TEST

Suite *suite_cli_search(void)
{
    Suite *suite = suite_create("cli/search");
    TCase *t = tcase_create("search"), *longer = tcase_create("longer");

    tcase_set_timeout(t, 60);
    tcase_add_test(t, a_sweep_keeps_every_run);
    tcase_add_loop_test(t, a_sweep_of_the_parallel_form_is_the_same, 0, 2);
    add_table(t, what_makes_no_sweep_is_refused, refused);
    suite_add_tcase(suite, t);
    tcase_set_tags(longer, "statistics");
    tcase_set_timeout(longer, 60);
    tcase_add_test(longer, weights_make_a_table_and_a_figure);
    tcase_add_test(longer, a_loop_from_physics_goes_all_the_way);
    tcase_add_test(longer, an_offset_is_integral_actions_to_take_away);
    suite_add_tcase(suite, longer);
    return suite;
}
