/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include <jansson.h>

#include "../support/support.h"
#include "tool.h"

/* The loops of the demo plant, the test that suits each, and what their plants are. */
static const struct {
    const char *file, *moves, *hold, *kind;
    double gain, tau, theta;
} hall[] = {
    {"blend-brix", "5,-5", "5min", "fopdt", -0.118, 46.5, 17.4},
    {"syrup-flow", "8,-16,8", "40s", "fopdt", 1.9, 6.2, 1.85},
    {"header-pressure", "5,-5,-5,5", "60s", "auto", 0.0145, 0, 3.6},
    {"acid-ph", "8,-16,8", "5min", "fopdt", -0.042, 55, 21.7},
    {"glycol-temperature", "10,-10", "20min", "auto", -0.19, 160, 24},
};

/* A demo loop in a directory, its plant's seed replaced if seed > 0. */
static void put_loop(const char *dir, const char *name, int seed)
{
    char path[256], to[64];
    char *content, *at;

    (void)snprintf(path, sizeof path, RK_SOURCE "/data/%s.loop", name);
    (void)snprintf(to, sizeof to, "%s.loop", name);
    content = get_file(path, NULL);
    at = strstr(content, "seed = ");
    ck_assert_ptr_nonnull(at);
    if (seed > 0) {
        at[7] = (char)('0' + (seed / 100 % 10));
        at[8] = (char)('0' + (seed / 10 % 10));
        at[9] = (char)('0' + (seed % 10));
    }
    put_file(path_in(dir, to), content);
    free(content);
}

static void bump(const char *dir, int row)
{
    char loop[64];
    outcome o;

    (void)snprintf(loop, sizeof loop, "%s.loop", hall[row].file);
    o = TOOL(dir, "bump", loop, "--moves", hall[row].moves, "--hold", hall[row].hold,
             "--record", "test.csv", "--force", "--json");
    ck_assert_msg(o.status == 0, "%s: exit %d: %s", loop, o.status, o.err);
    outcome_free(&o);
}

static json_t *fit(const char *dir, int row)
{
    outcome o = TOOL(dir, "fit", "test.csv", "--kind", hall[row].kind, "--json");
    json_t *json = json_loads(o.out, 0, NULL);

    ck_assert_msg(o.status == 0 && json != NULL, "%s: exit %d: %s", hall[row].file, o.status,
                  o.err);
    outcome_free(&o);
    return json;
}

static bool inside(json_t *interval, double truth)
{
    return json_number_value(json_array_get(interval, 0)) <= truth &&
           truth <= json_number_value(json_array_get(interval, 1));
}

START_TEST(bump_inspect_fit_recover_the_plant_of_each_demo_loop)
{
    char *dir = scratch_make();
    json_t *json, *intervals;
    outcome o;

    put_loop(dir, hall[_i].file, 0);
    bump(dir, _i);
    o = TOOL(dir, "inspect", "test.csv");
    ck_assert_msg(o.status == 0 && strncmp(o.out, "GOOD", 4) == 0, "%s", o.out);
    outcome_free(&o);
    json = fit(dir, _i);
    intervals = json_object_get(json, "interval95");
    ck_assert(inside(json_object_get(intervals, "gain"), hall[_i].gain));
    ck_assert(inside(json_object_get(intervals, "dead_time"), hall[_i].theta));
    if (hall[_i].tau > 0) {
        json_t *tau = json_array_get(json_object_get(intervals, "time_constant"), 0);

        ck_assert(inside(tau, hall[_i].tau));
    }
    json_decref(json);
    scratch_free(dir);
}
END_TEST

/* From the test to program text that gives the design's numbers, whatever it counts in. */
START_TEST(each_demo_loop_goes_all_the_way_to_proven_text)
{
    static const char *const numbers[] = {"lreal", "real", "fixed"};
    char *dir = scratch_make(), loop[64];
    outcome o;
    size_t i;

    (void)snprintf(loop, sizeof loop, "%s.loop", hall[_i].file);
    put_loop(dir, hall[_i].file, 0);
    bump(dir, _i);
    (void)snprintf(loop, sizeof loop, "%s.csv", hall[_i].file);
    ck_assert_int_eq(rename(path_in(dir, "test.csv"), path_in(dir, loop)), 0);
    (void)snprintf(loop, sizeof loop, "%s.loop", hall[_i].file);
    o = TOOL(dir, "fit", loop, "--kind", hall[_i].kind, "--save");
    ck_assert_msg(o.status == 0, "%s: %s", loop, o.err);
    outcome_free(&o);
    o = TOOL(dir, "tune", loop, "--rule", "simc", "--save");
    ck_assert_msg(o.status == 0, "%s: %s", loop, o.err);
    outcome_free(&o);
    for (i = 0; i < COUNT(numbers); i++) {
        o = TOOL(dir, "emit", loop, "--dir", numbers[i], "--real", numbers[i],
                 i == 2 ? "--slim" : NULL);
        ck_assert_msg(o.status == 0, "%s: %s", loop, o.err);
        outcome_free(&o);
        o = TOOL(dir, "prove", loop, "--dir", numbers[i]);
        ck_assert_msg(o.status == 0 && strstr(o.out, "PROVEN") != NULL, "%s: %s%s", loop, o.out,
                      o.err);
        outcome_free(&o);
    }
    scratch_free(dir);
}
END_TEST

/* Not only with the seed that stands in the file: of 20 others at least 15 are inside 95 %
   intervals, but for a chance of 1 in 4,000. */
START_TEST(the_intervals_hold_for_other_noise_too)
{
    char *dir = scratch_make();
    int gain = 0, theta = 0, seed;

    for (seed = 100; seed < 120; seed++) {
        json_t *json, *intervals;

        put_loop(dir, hall[_i].file, seed);
        bump(dir, _i);
        json = fit(dir, _i);
        intervals = json_object_get(json, "interval95");
        gain += inside(json_object_get(intervals, "gain"), hall[_i].gain);
        theta += inside(json_object_get(intervals, "dead_time"), hall[_i].theta);
        json_decref(json);
    }
    ck_assert_msg(gain >= 15 && theta >= 15, "%s: gain %d, dead time %d of 20", hall[_i].file,
                  gain, theta);
    scratch_free(dir);
}
END_TEST

/* Its record says that OUT moved on the rows, so that a fit has nothing to weigh. */
START_TEST(a_run_repeats_to_the_last_byte)
{
    char *dir = scratch_make();
    char *first, *second;
    json_t *json;

    put_loop(dir, "blend-brix", 0);
    bump(dir, 0);
    first = get_file(path_in(dir, "test.csv"), NULL);
    bump(dir, 0);
    second = get_file(path_in(dir, "test.csv"), NULL);
    ck_assert_str_eq(first, second);
    ck_assert_ptr_nonnull(strstr(first, "# step test of Blend Brix\n"));
    ck_assert_ptr_nonnull(strstr(first, "\n# done: OUT is back where it was\n"));
    json = fit(dir, 0);
    ck_assert(json_is_null(
        json_object_get(json_object_get(json, "extras"), "between_rows_probability")));
    json_decref(json);
    free(first);
    free(second);
    scratch_free(dir);
}
END_TEST

/* Faults of the simulated hardware, and how the command ends. */
static const struct {
    const char *fact, *plant, *says;
    int status;
} mishaps[] = {
    {"PV leaves its bounds", "load = 90\nload-at = 60s\n", "below the bound 11", 1},
    {"PV goes bad", "sensor-bad = 60s, 10s\n", "PV was bad; OUT is back at 42 %", 1},
    {"the port drops out for a while", "port-drops = 60s, 10s\n", "the port gave no PV", 1},
    {"the port drops out for good", "port-drops = 60s, 1h\n",
     "OUT COULD NOT BE PUT BACK: set it to 42 % by hand, now", 4},
    {"the port is dead from the start", "port-drops = 0s, 1h\n",
     "does not tell OUT's present value", 4},
    {"PV is bad from the start", "sensor-bad = 0s, 1h\n", "the port gives no PV", 4},
};

static double last_out(const char *csv)
{
    const char *line = csv, *at;
    double out = QNAN;

    for (; line != NULL && *line != '\0'; line = strchr(line, '\n') + 1) {
        at = strchr(line, ',');
        if (*line != '#' && at != NULL && *line >= '0' && *line <= '9') {
            out = strtod(at + 1, NULL);
        }
        if (strchr(line, '\n') == NULL) break;
    }
    return out;
}

static void put_plant(const char *dir, const char *scan, const char *more)
{
    char content[1200];

    (void)snprintf(
        content, sizeof content,
        "[loop]\nname = Blend Brix\nscan = %s\n[pv]\nunits = degBx\nlow = 0\nhigh = 20\n"
        "[out]\nunits = %%\nlow = 0\nhigh = 100\n"
        "[plant]\ngain = -0.118\ntime-constant = 46.5s\ndead-time = 17.4s\n"
        "out0 = 42\npv0 = 11.8\nnoise = 0.008\nvalve-file = place.valve\n%s",
        scan, more);
    put_file(path_in(dir, "p.loop"), content);
}

static double valve(const char *dir)
{
    char *content = get_file(path_in(dir, "place.valve"), NULL);
    const double out = strtod(content, NULL);

    free(content);
    return out;
}

START_TEST(a_mishap_puts_out_back_and_keeps_the_record)
{
    char *dir = scratch_make();
    bool started;
    outcome o;

    put_plant(dir, "1s", mishaps[_i].plant);
    o = TOOL(dir, "bump", "p.loop", "--move", "5", "--hold", "2min", "--pv-low", "11",
             "--record", "test.csv");
    ck_assert_msg(o.status == mishaps[_i].status, "%s: exit %d: %s", mishaps[_i].fact, o.status,
                  o.err);
    ck_assert_msg(strstr(o.err, mishaps[_i].says) != NULL, "%s: %s", mishaps[_i].fact, o.err);
    outcome_free(&o);
    started = access(path_in(dir, "test.csv"), F_OK) == 0;
    ck_assert(started == (strstr(mishaps[_i].fact, "start") == NULL));
    if (started) {
        char *csv = get_file(path_in(dir, "test.csv"), NULL);
        const char *comment = strrchr(csv, '#');

        ck_assert_int_eq(strncmp(comment, "# stopped: ", 11), 0);
        ck_assert_ptr_eq(strchr(comment, '\n'), csv + strlen(csv) - 1);
        if (mishaps[_i].status == 1) {
            ck_assert_double_eq(last_out(csv), 42);
            ck_assert_double_eq(valve(dir), 42);
        }
        free(csv);
        o = TOOL(dir, "inspect", "test.csv");
        ck_assert_msg(o.status <= 1, "%s", o.err);
        outcome_free(&o);
    }
    scratch_free(dir);
}
END_TEST

/* The loop's alarm limits are the test's bounds, on either side: known to be left, a move is refused; met
   on the way, they end it. */
static const struct {
    const char *move, *more, *says;
    int status;
    double leaves; /* PV may be so far beyond the limit: a scan of a slow process, and noise */
} alarms[] = {
    {"40", "", "below the bound 11.2", 1, 11.1},
    {"-40", "", "above the bound 12.6", 1, 12.7},
    {"40", "[model]\ngain = -0.118\ntime-constant = 46.5s\ndead-time = 17.4s\n",
     "would take PV from 11.79", 2, 0},
    {"-40", "[model]\ngain = -0.118\ntime-constant = 46.5s\ndead-time = 17.4s\n",
     "beyond the bounds 11.2 to 12.6: make it smaller", 2, 0},
    {"4", "[model]\ngain = -0.118\ntime-constant = 46.5s\ndead-time = 17.4s\n", "", 0, 0},
};

START_TEST(pv_stays_within_the_alarm_limits)
{
    char *dir = scratch_make(), more[300];
    rk_record *record = NULL;
    outcome o;
    size_t i;

    (void)snprintf(more, sizeof more, "[alarm]\nlow = 11.2\nhigh = 12.6\n%s", alarms[_i].more);
    put_plant(dir, "1s", more);
    o = TOOL(dir, "bump", "p.loop", "--move", alarms[_i].move, "--hold", "5min", "--record",
             "test.csv");
    ck_assert_msg(o.status == alarms[_i].status, "exit %d: %s", o.status, o.err);
    ck_assert_msg(strstr(o.err, alarms[_i].says) != NULL, "%s", o.err);
    outcome_free(&o);
    ck_assert_int_eq(access(path_in(dir, "test.csv"), F_OK) == 0, alarms[_i].status < 2);
    if (alarms[_i].status == 1) {
        ck_assert_int_eq(rk_record_read(path_in(dir, "test.csv"), NULL, &record, NULL, NULL),
                         RK_OK);
        for (i = 0; i < rk_record_rows(record); i++) {
            const double pv = rk_record_pv(record)[i];

            ck_assert(alarms[_i].leaves < 12 ? pv > alarms[_i].leaves : pv < alarms[_i].leaves);
        }
        rk_record_free(record);
        ck_assert_double_eq(valve(dir), 42);
    }
    scratch_free(dir);
}
END_TEST

START_TEST(a_test_ends_when_enough_is_known)
{
    char *dir = scratch_make(), *csv;
    outcome o;

    put_plant(dir, "1s", "");
    o = TOOL(dir, "bump", "p.loop", "--move", "4", "--hold", "20min", "--until-gain-within",
             "3%", "--until-dead-time-within", "6", "--record", "test.csv");
    ck_assert_msg(o.status == 0, "exit %d: %s", o.status, o.err);
    ck_assert_ptr_nonnull(strstr(o.out, "Ended early: the gain is known to "));
    outcome_free(&o);
    csv = get_file(path_in(dir, "test.csv"), NULL);
    ck_assert_ptr_nonnull(strstr(csv, "# done early: the gain is known to "));
    ck_assert_double_eq(last_out(csv), 42);
    free(csv);
    ck_assert_double_eq(valve(dir), 42);
    o = TOOL(dir, "bump", "p.loop", "--move", "4", "--until-gain-within", "much", "--record",
             "x.csv");
    ck_assert_int_eq(o.status, 2);
    ck_assert_ptr_nonnull(strstr(o.err, "'much' is not a percentage above 0"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(an_existing_record_is_not_overwritten)
{
    char *dir = scratch_make();
    char *content;
    outcome o;

    put_plant(dir, "1s", "");
    put_file(path_in(dir, "test.csv"), "mine\n");
    o = TOOL(dir, "bump", "p.loop", "--move", "5", "--hold", "2min", "--record", "test.csv");
    ck_assert_int_eq(o.status, 4);
    ck_assert_ptr_nonnull(
        strstr(o.err, "test.csv: is there already; give another name, or --force"));
    outcome_free(&o);
    content = get_file(path_in(dir, "test.csv"), NULL);
    ck_assert_str_eq(content, "mine\n");
    free(content);
    scratch_free(dir);
}
END_TEST

/* The valve stays where it is between two runs, and the plant with it. */
START_TEST(the_valve_keeps_its_place)
{
    char *dir = scratch_make();
    char *csv;
    outcome o;

    put_plant(dir, "1s", "");
    put_file(path_in(dir, "place.valve"), "50\n");
    o = TOOL(dir, "bump", "p.loop", "--move", "5", "--hold", "2min", "--record", "test.csv",
             "--json");
    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "\"out_start\": 50.0"));
    ck_assert_ptr_nonnull(strstr(o.out, "\"state\": \"done\""));
    outcome_free(&o);
    csv = get_file(path_in(dir, "test.csv"), NULL);
    ck_assert_ptr_nonnull(strstr(csv, "\n0,50,10.8")); /* 11.8 - 0.118 * 8 */
    ck_assert_double_eq(valve(dir), 50);
    free(csv);
    put_file(path_in(dir, "place.valve"), "stuck\n");
    o = TOOL(dir, "bump", "p.loop", "--move", "5", "--hold", "2min", "--record", "other.csv");
    ck_assert_int_eq(o.status, 3);
    ck_assert_ptr_nonnull(strstr(o.err, "place.valve: does not hold a number"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(inspect_prints_one_json_object)
{
    json_t *json = json_of(TOOL(NULL, "inspect", RK_SOURCE "/data/records/updown_doublet.csv",
                                "--out-low", "0", "--out-high", "100", "--json"),
                           0);
    json_t *moves, *next;
    static const char *const keys[] = {
        "rows",    "dropped",  "interval_s",      "gaps",          "moves",        "noise",
        "quantum", "pv_moved", "signal_to_noise", "steady_before", "steady_after", "findings",
        "verdict", "next"};
    size_t i;

    for (i = 0; i < COUNT(keys); i++) {
        ck_assert_msg(json_object_get(json, keys[i]) != NULL, "no %s", keys[i]);
    }
    ck_assert_str_eq(json_string_value(json_object_get(json, "verdict")), "good");
    moves = json_object_get(json, "moves");
    ck_assert_uint_eq(json_array_size(moves), 3);
    ck_assert_double_eq(json_number_value(json_object_get(json_array_get(moves, 1), "at_s")),
                        300);
    ck_assert_double_eq(json_number_value(json_object_get(json_array_get(moves, 1), "to")), 42);
    next = json_object_get(json, "next");
    ck_assert_double_gt(json_number_value(json_object_get(next, "wait_s")), 21.7);
    json_decref(json);
}
END_TEST

/* What is wanted of the next test can be set. */
START_TEST(a_wish_for_more_asks_for_a_larger_move)
{
    static const char *const wishes[] = {"5", "1"};
    double size[2], gain[2];
    int i;

    for (i = 0; i < 2; i++) {
        outcome o = TOOL(NULL, "inspect", RK_SOURCE "/data/records/updown_doublet.csv",
                         "--out-low", "0", "--out-high", "100", "--json", "--gain-within",
                         wishes[i], "--dead-time-within", "50");
        json_t *json = json_loads(o.out, 0, NULL), *next = json_object_get(json, "next");

        size[i] = fabs(json_number_value(json_object_get(next, "out_move")));
        gain[i] = json_number_value(json_object_get(next, "gain_percent"));
        json_decref(json);
        outcome_free(&o);
    }
    ck_assert_double_le(gain[0], 5);
    ck_assert_double_le(gain[1], 1);
    ck_assert_double_gt(size[1], size[0]);
}
END_TEST

Suite *suite_bump_command(void)
{
    Suite *suite = suite_create("cli/bump and inspect");
    TCase *t = tcase_create("bump");
    TCase *many = tcase_create("statistics"), *whole = tcase_create("the whole job");

    add_table(t, bump_inspect_fit_recover_the_plant_of_each_demo_loop, hall);
    tcase_add_test(t, a_run_repeats_to_the_last_byte);
    add_table(t, a_mishap_puts_out_back_and_keeps_the_record, mishaps);
    add_table(t, pv_stays_within_the_alarm_limits, alarms);
    tcase_add_test(t, a_test_ends_when_enough_is_known);
    tcase_add_test(t, an_existing_record_is_not_overwritten);
    tcase_add_test(t, the_valve_keeps_its_place);
    tcase_add_test(t, inspect_prints_one_json_object);
    tcase_add_test(t, a_wish_for_more_asks_for_a_larger_move);
    /* Hundreds of runs that say nothing new under the sanitizers. */
    tcase_set_tags(whole, "processes"); /* its commands are run one by one too */
    add_table(whole, each_demo_loop_goes_all_the_way_to_proven_text, hall);
    suite_add_tcase(suite, whole);
    tcase_set_tags(many, "statistics");
    add_table(many, the_intervals_hold_for_other_noise_too, hall);
    suite_add_tcase(suite, many);
    suite_add_tcase(suite, t);
    return suite;
}
