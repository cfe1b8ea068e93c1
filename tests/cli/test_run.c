/* SPDX-License-Identifier: MIT */
#include <jansson.h>
#include <math.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "tool.h"

/* The blend loop with SIMC PI; `more` goes to the end of [plant], `out` into [out]. */
static void put_loop(const char *dir, const char *scan, const char *out, const char *more)
{
    char content[1200];

    (void)snprintf(content, sizeof content,
                   "[loop]\nname = Blend Brix\nscan = %s\naction = direct\n"
                   "[pv]\nunits = degBx\nlow = 0\nhigh = 20\n"
                   "[out]\nunits = %%\nlow = 0\nhigh = 100\n%s[settings]\nkc = -11.1\nti = "
                   "46.5s\n"
                   "[alarm]\nstale = 20s\n%s[plant]\ngain = -0.118\ntime-constant = "
                   "46.5s\ndead-time = 17.4s\n"
                   "out0 = 42\npv0 = 11.8\nnoise = 0.004\nvalve-file = place.valve\n%s",
                   scan, out, strstr(out, "safe") != NULL ? "hold = 30s\n" : "", more);
    put_file(path_in(dir, "p.loop"), content);
}

static double number(const json_t *j, const char *key)
{
    const json_t *found = json_object_get(j, key);

    ck_assert_msg(json_is_number(found), "no %s", key);
    return json_number_value(found);
}

static const char *word(const json_t *j, const char *key)
{
    return json_string_value(json_object_get(j, key));
}

START_TEST(setpoints_and_modes_come_at_their_times_and_every_scan_is_written)
{
    char *dir = scratch_make();
    rk_record *record = NULL;
    json_t *j;

    put_loop(dir, "1s", "", "");
    j = json_of(TOOL(dir, "run", "p.loop", "--for", "20min", "--at", "60s", "sp=12.2", "--at",
                     "15min manual=40", "--record", "run.csv", "--json"),
                0);
    ck_assert_double_eq(number(j, "rows"), 1200);
    ck_assert_str_eq(word(j, "mode"), "manual");
    ck_assert_str_eq(word(j, "alarms"), "");
    ck_assert_double_eq(number(j, "out"), 40);
    ck_assert_double_eq_tol(number(j, "pv"), 11.8 + (0.118 * 2), 0.03);
    json_decref(j);
    ck_assert_int_eq(rk_record_read(path_in(dir, "run.csv"), NULL, &record, NULL, NULL), RK_OK);
    ck_assert_uint_eq(rk_record_rows(record), 1200);
    ck_assert_double_eq_tol(rk_record_pv(record)[890], 12.2, 0.05);
    ck_assert_double_eq(rk_record_out(record)[1000], 40);
    rk_record_free(record);
    scratch_free(dir);
}
END_TEST

/* New settings as it runs, in one argument or in several: slower ones reach the same setpoint.
 */
static const char *const resettled[][4] = {
    {"5min kc=-5 ti=90s", NULL},
    {"5min", "kc=-5", "ti=90s", NULL},
};

START_TEST(settings_change_at_their_time)
{
    char *dir = scratch_make();
    const char *const *at = resettled[_i];
    json_t *j;

    put_loop(dir, "1s", "", "");
    j = json_of(at[1] == NULL ? TOOL(dir, "run", "p.loop", "--for", "40min", "--at", at[0],
                                     "--at", "10min sp=12.2", "--json")
                              : TOOL(dir, "run", "p.loop", "--for", "40min", "--at", at[0],
                                     at[1], at[2], "--at", "10min sp=12.2", "--json"),
                0);
    ck_assert_double_eq_tol(number(j, "pv"), 12.2, 0.03);
    /* kc 5 moves OUT by 2 at once for a step of 0.4, kc 11.1 would by 4.4 */
    ck_assert_double_eq_tol(number(j, "largest_move"), 2.0, 0.15);
    json_decref(j);
    scratch_free(dir);
}
END_TEST

/* P alone, switched to automatic after a spell in manual with the valve shut: OUT goes back to
   the bias, so that PV rests where out = bias + kc (sp - pv) meets pv = 11.8 + gain (out - 42). */
static const struct {
    const char *where, *more;
    double bias;
} biased[] = {
    {"typed", "[settings]\nkc = -11.1\nbias = 45\n", 45},
    {"by default the operating point's OUT", "[settings]\nkc = -11.1\n", 42},
};

START_TEST(p_alone_finds_its_bias_again_after_manual)
{
    const double gain = -0.118, kc = -11.1, sp = 12.2;
    const double rest =
        (11.8 + (gain * (biased[_i].bias + (kc * sp) - 42.0))) / (1.0 + (gain * kc));
    char *dir = scratch_make();
    const char *blend = "gain = -0.118\ntime-constant = 46.5s\ndead-time = 17.4s\nout0 = 42\n"
                        "pv0 = 11.8\n";
    char content[600];
    json_t *j;

    (void)snprintf(content, sizeof content,
                   "[loop]\nscan = 1s\naction = direct\n[pv]\nlow = 0\nhigh = 20\n"
                   "[out]\nlow = 0\nhigh = 100\n%s[model]\nkind = fopdt\n%s[plant]\n%s",
                   biased[_i].more, blend, blend);
    put_file(path_in(dir, "p.loop"), content);
    j = json_of(TOOL(dir, "run", "p.loop", "--for", "60min", "--at", "1min manual=0", "--at",
                     "15min auto", "--at", "16min sp=12.2", "--json"),
                0);
    ck_assert_str_eq(word(j, "mode"), "auto");
    ck_assert_double_eq_tol(number(j, "pv"), rest, 0.01);
    json_decref(j);
    scratch_free(dir);
}
END_TEST

/* Faults of the plant: what is said, where OUT ends, whether PV is at its setpoint at the end.
 */
static const struct {
    const char *fact, *out, *plant, *alarms;
    double out_at_400; /* in the fault; NaN: not looked at */
} faults[] = {
    {"a bad sensor holds", "", "sensor-bad = 300s, 200s\n", "PV is bad", 42},
    {"then goes to safe", "safe = 20\n", "sensor-bad = 300s, 200s\n", "PV is bad", 20},
    {"a sensor that sticks is seen", "safe = 20\n", "sensor-sticks = 300s, 200s\n",
     "PV does not change", 20},
    {"a port that drops", "safe = 20\n", "port-drops = 300s, 100s\n",
     "PV is bad, OUT was not written", (double)NAN},
    {"nothing is wrong", "safe = 20\n", "", "", 42},
};

START_TEST(faults_are_named_lead_to_safety_and_pass)
{
    char *dir = scratch_make();
    rk_record *record = NULL;
    json_t *j;

    put_loop(dir, "1s", faults[_i].out, faults[_i].plant);
    j = json_of(TOOL(dir, "run", "p.loop", "--for", "25min", "--record", "run.csv", "--json"),
                0);
    ck_assert_msg(strcmp(word(j, "alarms"), faults[_i].alarms) == 0, "%s: %s", faults[_i].fact,
                  word(j, "alarms"));
    ck_assert_double_eq_tol(number(j, "pv"), 11.8, 0.03);
    json_decref(j);
    ck_assert_int_eq(rk_record_read(path_in(dir, "run.csv"), NULL, &record, NULL, NULL), RK_OK);
    if (!isnan(faults[_i].out_at_400)) {
        char *csv = get_file(path_in(dir, "run.csv"), NULL), *line = strstr(csv, "\n400,");

        ck_assert_ptr_nonnull(line);
        ck_assert_double_eq_tol(strtod(line + 5, NULL), faults[_i].out_at_400, 0.5);
        free(csv);
    }
    rk_record_free(record);
    scratch_free(dir);
}
END_TEST

/* The emitted program in a PLC, in the place of the blocks: but for the first scan, in which it is
   in manual, the same loop. */
START_TEST(the_emitted_program_runs_as_the_blocks_do)
{
    static const char *const events[] = {"--for",       "20min",          "--at",
                                         "60s sp=12.2", "--at",           "5min kc=-8 ti=60s",
                                         "--at",        "15min manual=40"};
    rk_record *record[2] = {NULL, NULL};
    char *dir = scratch_make();
    outcome o;
    int i;

    put_loop(dir, "1s", "safe = 30\n", "");
    o = TOOL(dir, "emit", "p.loop", "--dir", "plc", "--real", "real");
    ck_assert_msg(o.status == 0, "%s", o.err);
    outcome_free(&o);
    for (i = 0; i < 2; i++) {
        (void)unlink(path_in(dir, "place.valve"));
        o = i == 0 ? TOOL(dir, "run", "p.loop", "--record", "0.csv", events[0], events[1],
                          events[2], events[3], events[4], events[5], events[6], events[7])
                   : TOOL(dir, "run", "p.loop", "--record", "1.csv", events[0], events[1],
                          events[2], events[3], events[4], events[5], events[6], events[7],
                          "--with", "plc", "--dir", "plc");
        ck_assert_msg(o.status == 0, "%s", o.err);
        ck_assert((strstr(o.out, "by the program in plc") != NULL) == (i == 1));
        outcome_free(&o);
        ck_assert_int_eq(rk_record_read(path_in(dir, i == 0 ? "0.csv" : "1.csv"), NULL,
                                        &record[i], NULL, NULL),
                         RK_OK);
        ck_assert_uint_eq(rk_record_rows(record[i]), 1200);
    }
    /* Each starts from the noise of another scan, 0.004 degBx times kc 11.1. */
    for (i = 0; i < 1200; i++) {
        ck_assert_double_eq_tol(rk_record_out(record[0])[i], rk_record_out(record[1])[i], 0.3);
    }
    ck_assert_double_eq(rk_record_out(record[1])[1000], 40);
    rk_record_free(record[0]);
    rk_record_free(record[1]);
    o = TOOL(dir, "run", "p.loop", "--with", "plc", "--dir", "plc", "--at",
             "60s algorithm=velocity");
    ck_assert_int_eq(o.status, 3);
    ck_assert_ptr_nonnull(strstr(o.err, "no variable for velocity"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* A program that stops leaves the valve at the safe output. */
START_TEST(a_program_that_stops_ends_the_run_safely)
{
    char *dir = scratch_make(), *text, *at, *spoilt;
    rk_record *record = NULL;
    size_t length;
    outcome o;

    put_loop(dir, "1s", "safe = 30\n", "");
    o = TOOL(dir, "emit", "p.loop", "--dir", "plc");
    outcome_free(&o);
    text = get_file(path_in(dir, "plc/blend_brix_program.st"), NULL);
    at = strstr(text, "scans + 1;");
    ck_assert_ptr_nonnull(at);
    *at = '\0';
    length = strlen(text) + strlen(at + 10) + 64;
    spoilt = malloc(length); /* the second scan divides by zero */
    (void)snprintf(spoilt, length, "%sscans + (9 / (3 - scans));%s", text, at + 10);
    put_file(path_in(dir, "plc/blend_brix_program.st"), spoilt);
    free(spoilt);
    free(text);
    o = TOOL(dir, "run", "p.loop", "--with", "plc", "--dir", "plc", "--record", "run.csv");
    ck_assert_int_ne(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.err, "the program stops"));
    outcome_free(&o);
    text = get_file(path_in(dir, "place.valve"), NULL);
    ck_assert_double_eq(strtod(text, NULL), 30);
    free(text);
    ck_assert_int_eq(rk_record_read(path_in(dir, "run.csv"), NULL, &record, NULL, NULL), RK_OK);
    rk_record_free(record);
    scratch_free(dir);
}
END_TEST

START_TEST(soft_start_moves_the_valve_less_than_a_step)
{
    char *dir = scratch_make(), *line;
    double soft;
    outcome o;

    put_loop(dir, "1s", "", "");
    o = TOOL(dir, "run", "p.loop", "--for", "20min", "--at", "60s sp=12.3", "--soft-start",
             "5min", "--figure", "soft.svg");
    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "soft start  setpoint step"));
    line = strstr(o.out, "OUT largest move in a scan, %");
    ck_assert_ptr_nonnull(line);
    soft = strtod(line + 29, &line);
    ck_assert_double_lt(5 * soft, strtod(line, NULL));
    ck_assert_int_eq(access(path_in(dir, "soft.svg"), F_OK), 0);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(ctrl_c_puts_the_safe_output_on_the_valve)
{
    const char *const argv[] = {RK_CLI,        "run",      "p.loop",  "--for", "1h",
                                "--real-time", "--record", "run.csv", NULL};
    char *dir = scratch_make(), *text;
    const struct timespec while_it_runs = {0, 400000000};
    int status = 0;
    pid_t child;

    put_loop(dir, "10ms", "safe = 17\n", "");
    child = fork();
    ck_assert_int_ge(child, 0);
    if (child == 0) {
        if (chdir(dir) != 0 || freopen("/dev/null", "w", stdout) == NULL) {
            _exit(99);
        }
        (void)execv(RK_CLI, (char *const *)(uintptr_t)argv);
        _exit(99);
    }
    (void)nanosleep(&while_it_runs, NULL);
    ck_assert_int_eq(kill(child, SIGINT), 0);
    ck_assert_int_eq(waitpid(child, &status, 0), child);
    ck_assert_int_eq(WEXITSTATUS(status), 1);
    text = get_file(path_in(dir, "place.valve"), NULL);
    ck_assert_double_eq(strtod(text, NULL), 17);
    free(text);
    text = get_file(path_in(dir, "run.csv"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "# stopped by Ctrl-C; OUT at 17\n"));
    free(text);
    scratch_free(dir);
}
END_TEST

/* The process has a phase of -180 deg at w: atan(46.5 w) + 18.4 w = pi, where the scan adds
   half of itself and a scan passes before OUT answers: w 0.0968, period 64.9 s, ultimate
   gain 39. */
START_TEST(relay_finds_the_ultimate_point_and_puts_out_back)
{
    char *dir = scratch_make(), *text;
    json_t *j;

    put_loop(dir, "1s", "", "");
    j = json_of(TOOL(dir, "bump", "p.loop", "--relay", "5", "--record", "relay.csv", "--save",
                     "--json"),
                0);
    ck_close(number(j, "ultimate_period_s"), 64.9, 0.1);
    ck_close(number(j, "ultimate_gain"), -39, 0.3);
    ck_assert_double_eq(number(j, "out_start"), 42);
    json_decref(j);
    text = get_file(path_in(dir, "p.loop"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "[relay]\nultimate-gain = -"));
    free(text);
    text = get_file(path_in(dir, "place.valve"), NULL);
    ck_assert_double_eq(strtod(text, NULL), 42);
    free(text);
    scratch_free(dir);
}
END_TEST

Suite *suite_run_command(void)
{
    Suite *suite = suite_create("cli/run and relay");
    TCase *t = tcase_create("run");

    tcase_add_test(t, setpoints_and_modes_come_at_their_times_and_every_scan_is_written);
    add_table(t, settings_change_at_their_time, resettled);
    add_table(t, p_alone_finds_its_bias_again_after_manual, biased);
    add_table(t, faults_are_named_lead_to_safety_and_pass, faults);
    tcase_add_test(t, the_emitted_program_runs_as_the_blocks_do);
    tcase_add_test(t, a_program_that_stops_ends_the_run_safely);
    tcase_add_test(t, soft_start_moves_the_valve_less_than_a_step);
    tcase_add_test(t, ctrl_c_puts_the_safe_output_on_the_valve);
    tcase_add_test(t, relay_finds_the_ultimate_point_and_puts_out_back);
    suite_add_tcase(suite, t);
    return suite;
}
