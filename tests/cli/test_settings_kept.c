/* SPDX-License-Identifier: MIT */
/* What a command computed settings with is what it saves, and what the next one sees. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"
#include "tool.h"

#define LOOP                                                                                    \
    "[loop]\nname = Acid pH\nscan = 2\naction = direct\n[pv]\nunits = pH\nlow = 0\nhigh = 14\n" \
    "[out]\nunits = %\nlow = 0\nhigh = 100\n[model]\nkind = fopdt\ngain = -0.042\n"             \
    "time-constant = 55s\ndead-time = 21.7s\nout0 = 50\npv0 = 3.62\n"

static char *loop_file(const char *settings)
{
    char *dir = scratch_make(), text[1024];

    (void)snprintf(text, sizeof text, "%s[settings]\n%s", LOOP, settings);
    put_file(path_in(dir, "ph.loop"), text);
    return dir;
}

/* JSON of a check, whether its requirements are met or not. */
static json_t *verdict_of(outcome o)
{
    return json_of(o, o.status == 1 ? 1 : 0);
}

static bool file_has(const char *dir, const char *line)
{
    char *content = get_file(path_in(dir, "ph.loop"), NULL);
    const bool has = strstr(content, line) != NULL;

    free(content);
    return has;
}

static const struct {
    const char *settings, *rule, *mode, *saved;
} rows[] = {
    {"", "amigo", "PID", "sp-weight = 0.0"},
    {"sp-weight = 0.6\n", "simc", "PI", "sp-weight = 0.6"},
    {"pv-filter = 3\n", "lambda", "PID", "tf = 0.9"},
    {"predictor = yes\n", "simc", "PI", "predictor = yes"},
    {"sp-weight = 0.6\npredictor = yes\ndeadband = 0.001\n", "amigo", "PI", "deadband = 0.001"},
};

/* The figures of a tuned row are those of check and trial right after. */
START_TEST(what_tune_shows_is_what_check_finds)
{
    char *dir = loop_file(rows[_i].settings);
    json_t *tuned = json_of(TOOL(dir, "tune", "ph.loop", "--rule", rows[_i].rule, "--mode",
                                 rows[_i].mode, "--save", "--json"),
                            0);
    json_t *checked, *tried;

    ck_assert_msg(file_has(dir, rows[_i].saved), "%s", rows[_i].saved);
    checked = verdict_of(TOOL(dir, "check", "ph.loop", "--json"));
    ck_close(number_at(checked, "sampled.gain_margin"),
             number_at(tuned, "settings.0.gain_margin"), 1e-9);
    ck_close(number_at(checked, "sampled.ms"), number_at(tuned, "settings.0.ms"), 1e-9);
    /* A step that OUT's limits do not touch; deadband and all. */
    tried = json_of(TOOL(dir, "trial", "ph.loop", "--sp-step", "1", "--out-low", "-1000",
                         "--out-high", "1000", "--json"),
                    0);
    ck_assert_double_eq_tol(number_at(tried, "cases.0.setpoint.overshoot_percent"),
                            number_at(tuned, "settings.0.overshoot_percent"), 0.02);
    json_decref(tuned);
    json_decref(checked);
    json_decref(tried);
    scratch_free(dir);
}
END_TEST

START_TEST(of_several_rows_it_says_which_is_saved)
{
    char *dir = loop_file("");
    outcome o = TOOL(dir, "tune", "ph.loop", "--rule", "amigo", "--save");

    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.err, "the PI is saved"));
    outcome_free(&o);
    o = TOOL(dir, "tune", "ph.loop", "--rule", "amigo", "--mode", "pid", "--save");
    ck_assert_ptr_null(strstr(o.err, "is saved"));
    ck_assert(file_has(dir, "td = "));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* A derivative without a filter time: a tenth of it, said once; 0 is 0 and says nothing. */
static const struct {
    const char *typed[6];
    double tf;
    bool said;
} filters[] = {
    {{"--td", "3"}, 0.3, true},
    {{"--td", "3", "--tf", "0"}, 0, false},
    {{"--td", "3", "--tf", "0.5"}, 0.5, false},
    {{"--td", "0"}, 0, false},
};

START_TEST(a_derivative_is_not_unfiltered_by_accident)
{
    char *dir = loop_file("");
    const char *args[16] = {"check", "ph.loop", "--kc", "-20", "--ti", "50", "--json"};
    outcome o;
    json_t *j, *known;
    char tf[32];
    int i;

    for (i = 0; filters[_i].typed[i] != NULL; i++) {
        args[7 + i] = filters[_i].typed[i];
    }
    o = run_tool(dir, args);
    ck_assert_int_eq(strstr(o.err, "td/10") != NULL, filters[_i].said);
    if (filters[_i].said) { /* once */
        ck_assert_ptr_null(strstr(strstr(o.err, "td/10") + 1, "td/10"));
    }
    j = verdict_of(o);
    (void)snprintf(tf, sizeof tf, "%g", filters[_i].tf);
    known = verdict_of(TOOL(dir, "check", "ph.loop", "--kc", "-20", "--ti", "50", "--td",
                            filters[_i].typed[1], "--tf", tf, "--json"));
    ck_assert_double_eq(number_at(j, "ms"), number_at(known, "ms"));
    json_decref(j);
    json_decref(known);
    scratch_free(dir);
}
END_TEST

START_TEST(fragile_rows_are_marked)
{
    json_t *j = json_of(TOOL(NULL, "tune", "--gain", "2", "--time-constant", "10",
                             "--dead-time", "5", "--json"),
                        0);
    json_t *row;
    size_t i, fragile = 0, sound = 0;
    outcome o;

    json_array_foreach(json_object_get(j, "settings"), i, row)
    {
        const json_t *ms = json_object_get(row, "ms"),
                     *gm = json_object_get(row, "gain_margin");
        const bool marked = json_is_true(json_object_get(row, "fragile"));

        if (!json_is_real(ms)) continue;
        ck_assert_int_eq(marked, json_real_value(ms) > 2 ||
                                     (json_is_real(gm) && json_real_value(gm) < 2));
        fragile += marked;
        sound += !marked;
    }
    ck_assert_uint_gt(fragile, 3);
    ck_assert_uint_gt(sound, 3);
    json_decref(j);
    o = TOOL(NULL, "tune", "--gain", "2", "--time-constant", "10", "--dead-time", "5");
    ck_assert_ptr_nonnull(strstr(o.out, "lopez-iae!"));
    ck_assert_ptr_null(strstr(o.out, "simc!"));
    ck_assert_ptr_nonnull(strstr(o.out, "!: fragile"));
    outcome_free(&o);
}
END_TEST

/* Each command on two-position control: it does it, or says why not. */
static const struct {
    const char *command, *option;
    int status;
    const char *says;
} switches[] = {
    {"check", NULL, 2, "on-off has no margins"},
    {"search", NULL, 2, "two-position control"},
    {"trial", NULL, 0, "OUT reversals"},
    {"emit", "--show", 0, "hysteresis"},
    {"tune", "--forms", 2, "two-position control"},
};

START_TEST(two_position_control_is_done_or_refused)
{
    char *dir = loop_file("on-off = 0.1\n");
    outcome o = TOOL(dir, switches[_i].command, "ph.loop", switches[_i].option);

    ck_assert_msg(o.status == switches[_i].status, "%s: %d: %s", switches[_i].command, o.status,
                  o.err);
    ck_assert_msg(strstr(o.status == 0 ? o.out : o.err, switches[_i].says) != NULL, "%s: %s%s",
                  switches[_i].command, o.out, o.err);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* What is typed takes the place of the file's controller, whichever of the two that is; what is
   said of the file names the file. */
static const struct {
    const char *file, *args[8];
    int status;
    const char *says;
} instead[] = {
    {"kc = -20\nti = 50\ntd = 4\ndeadband = 0.1\n", {"--on-off", "0.2"}, 0, "OUT reversals"},
    {"on-off = 0.1\n", {"--kc=-20", "--ti", "50"}, 0, "overshoot"},
    {"on-off = 0.1\n", {"--rule", "simc"}, 0, "overshoot"},
    {"kc = -20\n", {"--on-off", "0.2", "--kc=-20"}, 2, "not both"},
    {"kc = -20\n", {"--on-off", "0.2", "--rule", "simc"}, 2, "not both"},
    {"kc = -20\n", {"--on-off", "0.2", "--deadband", "0.1"}, 2, "take the others out"},
    {"kc = -20\ntd = 4\n", {NULL}, 0, "redkettle trial: ph.loop: tf is not given"},
};

START_TEST(what_is_typed_takes_the_files_place)
{
    char *dir = loop_file(instead[_i].file);
    const char *args[12] = {"trial", "ph.loop", "--sp-step", "0.2"};
    bool said;
    outcome o;
    int i;

    for (i = 0; instead[_i].args[i] != NULL; i++) {
        args[4 + i] = instead[_i].args[i];
    }
    o = run_tool(dir, args);
    said = strstr(o.out, instead[_i].says) != NULL || strstr(o.err, instead[_i].says) != NULL;
    ck_assert_msg(o.status == instead[_i].status && said, "%d: %s%s", o.status, o.out, o.err);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

Suite *suite_settings_kept(void)
{
    Suite *suite = suite_create("cli/settings kept");
    TCase *t = tcase_create("settings");

    add_table(t, what_tune_shows_is_what_check_finds, rows);
    tcase_add_test(t, of_several_rows_it_says_which_is_saved);
    add_table(t, a_derivative_is_not_unfiltered_by_accident, filters);
    tcase_add_test(t, fragile_rows_are_marked);
    add_table(t, two_position_control_is_done_or_refused, switches);
    add_table(t, what_is_typed_takes_the_files_place, instead);
    suite_add_tcase(suite, t);
    return suite;
}
