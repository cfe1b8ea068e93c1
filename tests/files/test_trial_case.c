/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"

/* What each case changes of the blend Brix loop, and what it leaves alone. */
static const struct {
    const char *words;
    double kc, ti, ts, out_high, gain, deadband;
    rk_yes_no predictor;
    bool manual, on_off;
} cases[] = {
    {"as it is:", -11.3, 46.5, 1, 100, -0.118, 0, RK_NO, false, false},
    {"other: kc=-5 ti=1min", -5, 60, 1, 100, -0.118, 0, RK_NO, false, false},
    {"slow: scan=2s out-high=60", -11.3, 46.5, 2, 60, -0.118, 0, RK_NO, false, false},
    {"plant: gain=-0.2", -11.3, 46.5, 1, 100, -0.2, 0, RK_NO, false, false},
    /* kc = tau / (gain * (lambda + theta)) of the loop's model, whatever the plant is */
    {"rule: rule=simc lambda=29.1s gain=-0.2", -46.5 / (0.118 * 46.5), 46.5, 1, 100, -0.2, 0,
     RK_NO, false, false},
    {"quiet: deadband=0.05", -11.3, 46.5, 1, 100, -0.118, 0.05, RK_NO, false, false},
    {"ahead: predictor=YES", -11.3, 46.5, 1, 100, -0.118, 0, RK_YES, false, false},
    {"behind: predictor=no", -11.3, 46.5, 1, 100, -0.118, 0, RK_NO, false, false},
    {"by hand: manual=50", -11.3, 46.5, 1, 100, -0.118, 0, RK_NO, true, false},
    {"two positions: on-off=0.2", -1, HUGE_VAL, 1, 100, -0.118, 0, RK_NO, false, true},
};

START_TEST(a_case_is_the_loop_with_what_its_words_change)
{
    const rk_design loop = brix_loop();
    rk_trial_case made;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(rk_trial_case_read(&loop, false, cases[_i].words, &made, &diag) == RK_OK,
                  "%s", diag.text);
    ck_assert_uint_eq(strlen(made.name),
                      (size_t)(strchr(cases[_i].words, ':') - cases[_i].words));
    ck_close(made.settings.kc, cases[_i].kc, 1e-12);
    ck_close(made.settings.ti, cases[_i].ti, 1e-12);
    ck_assert_double_eq(made.ts, cases[_i].ts);
    ck_assert_double_eq(made.limits.high, cases[_i].out_high);
    ck_assert_double_eq(made.plant.gain, cases[_i].gain);
    ck_assert_double_eq(made.model.gain, -0.118);
    ck_assert_double_eq(made.settings.deadband, cases[_i].deadband);
    ck_assert_int_eq((int)made.settings.predictor, (int)cases[_i].predictor);
    ck_assert_int_eq(made.manual, cases[_i].manual);
    ck_assert_int_eq(rk_settings_is_on_off(&made.settings), cases[_i].on_off);
}
END_TEST

static const struct {
    const char *words, *says;
} refused[] = {
    {"", "give \"name: key=value"},
    {": kc=-3", "give \"name: key=value"},
    {"a name that is by far too long for any column of a table: kc=-3 ti=9", "at most 47"},
    {"kc=-3 ti=9", "give \"name: key=value"},
    {"a: kc", "'kc' is not key=value"},
    {"a: kc=fast ti=9", "fast"},
    {"a: kcc=-3", "kc"},
    {"a: gian=1", "gain"},
    {"a: manual=50 on-off=1", "manual has no settings"},
    {"a: manual=50 kc=-3 ti=5", "manual has no settings"},
    {"a: on-off=1 rule=simc", "either rule or on-off"},
    {"a: on-off=1 kc=-3", "give either it, or kc"},
    {"a: on-off=1 deadband=3", "pv-filter alone"},
    {"a: lambda=20s", "lambda goes with rule=NAME"},
    {"a: rule=simc kc=-3 ti=5", "either rule or the settings"},
    {"a: rule=nobody", "nobody"},
    {"a: predictor=perhaps", "yes"},
};

START_TEST(words_that_make_no_case_are_refused)
{
    const rk_design loop = brix_loop();
    rk_trial_case made = {.ts = -7};
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_trial_case_read(&loop, false, refused[_i].words, &made, &diag),
                     RK_ERR_RANGE);
    ck_assert_msg(strstr(diag.text, refused[_i].says) != NULL, "'%s' says %s",
                  refused[_i].words, diag.text);
    ck_assert_double_eq(made.ts, -7); /* untouched */
}
END_TEST

START_TEST(another_loop_file_is_a_case_or_says_why_not)
{
    const rk_design loop = brix_loop();
    char *scratch = scratch_make();
    rk_trial_case made;
    rk_diag diag;

    put_file(path_in(scratch, "other.loop"),
             "[loop]\nname = Second\nscan = 3\n[settings]\nkc = -4\nti = 50\n");
    put_file(path_in(scratch, "bare.loop"), "[loop]\nname = Bare\n");
    put_file(path_in(scratch, "bad.loop"), "[settings]\nkc = -4\nti = soon\n");
    ck_assert_int_eq(
        rk_trial_case_read(&loop, false, path_in(scratch, "other.loop"), &made, &diag), RK_OK);
    ck_assert_str_eq(made.name, "Second");
    ck_assert_double_eq(made.settings.kc, -4);
    ck_assert_double_eq(made.ts, 3);
    ck_assert_double_eq(made.plant.gain, loop.model.gain);
    ck_assert_int_eq(
        rk_trial_case_read(&loop, false, path_in(scratch, "bare.loop"), &made, &diag),
        RK_ERR_DATA);
    ck_assert_ptr_nonnull(strstr(diag.text, "no [settings]"));
    ck_assert_int_eq(
        rk_trial_case_read(&loop, false, path_in(scratch, "bad.loop"), &made, &diag),
        RK_ERR_FORMAT);
    ck_assert_ptr_nonnull(strstr(diag.text, ":3"));
    ck_assert_int_eq(
        rk_trial_case_read(&loop, false, path_in(scratch, "none.loop"), &made, &diag),
        RK_ERR_IO);
    ck_assert_int_eq(rk_trial_case_read(NULL, false, "a: kc=1", &made, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_trial_case_read(&loop, false, NULL, &made, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_trial_case_read(&loop, false, "a: kc=1", NULL, NULL), RK_ERR_ARG);
    scratch_free(scratch);
}
END_TEST

START_TEST(the_plants_valve_is_the_cases_own_or_the_loops)
{
    rk_design loop = brix_loop();
    rk_trial_case made;

    loop.has_plant = true;
    loop.plant.model = loop.model;
    loop.plant.model.gain = -0.13;
    loop.plant.backlash = 0.5;
    loop.plant.stiction = 0.25;
    made = rk_trial_case_of(&loop, true);
    ck_assert_double_eq(made.plant.gain, -0.13);
    ck_assert_double_eq(made.backlash, 0.5);
    made = rk_trial_case_of(&loop, false);
    ck_assert_double_eq(made.plant.gain, -0.118);
    ck_assert_double_eq(made.backlash, 0);
    ck_assert_int_eq(rk_trial_case_read(&loop, true, "a: stiction=2", &made, NULL), RK_OK);
    ck_assert_double_eq(made.stiction, 2);
    ck_assert_double_eq(made.backlash, 0.5);
    ck_assert_int_eq(rk_trial_case_read(&loop, false, "a: stiction=2", &made, NULL), RK_OK);
    ck_assert_double_eq(made.stiction, 2);
    ck_assert_double_eq(made.backlash, 0);
}
END_TEST

START_TEST(a_grid_is_a_row_a_point_and_empty_where_nothing_is)
{
    rk_grid_point points[3];
    rk_grid_runs runs = {.point = points, .count = 3};
    rk_text *text = rk_text_create();
    const char *row;
    int k;

    memset(points, 0, sizeof points);
    points[0].settings = rk_settings_make(-1, 10, 0, 0);
    points[1].settings = rk_settings_make(-2, 10, 0, 0);
    points[0].stable = points[0].met = true;
    points[0].cost = 1.25;
    for (k = 0; k < RK_REQUIRE_COUNT; k++) {
        points[0].figure[k] = k;
        points[1].figure[k] = QNAN;
    }
    points[1].cost = QNAN;
    points[1].turn = 3;
    points[2].turn = -1; /* it was not run */
    ck_assert_int_eq(rk_grid_to_csv(NULL, text, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_grid_to_csv(&runs, text, NULL), RK_OK);
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(text), "turn,kc,ti_s,td_s,tf_s,stable,met,cost,"));
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(text), "\n0,-1.0,10.0,0.0,0.0,1,1,1.25,0.0,1.0,"));
    row = strstr(rk_text_chars(text), "\n3,-2.0,10.0,0.0,0.0,0,0,,,");
    ck_assert_msg(row != NULL, "%s", rk_text_chars(text));
    ck_assert_ptr_null(strchr(row + 1, '\n') != NULL ? strchr(strchr(row + 1, '\n') + 1, '\n')
                                                     : NULL);
    rk_text_free(text);
    text = rk_text_create();
    runs.grid.form = RK_FORM_PARALLEL;
    ck_assert_int_eq(rk_grid_to_csv(&runs, text, NULL), RK_OK);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "turn,kp,ki,kd,tf_s,"));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "\n0,-1.0,-0.1,0.0,0.0,1,1,"));
    rk_text_free(text);
}
END_TEST

START_TEST(what_was_done_to_a_file_is_told_a_line_each)
{
    rk_import import;
    rk_text *text = rk_text_create();

    memset(&import, 0, sizeof import);
    import.time_unit = 1;
    rk_import_words(&import, text);
    ck_assert_str_eq(rk_text_chars(text), "");
    strcpy(import.time, "t");
    strcpy(import.out, "OP");
    strcpy(import.pv, "PV");
    import.guessed = import.time_is_number = true;
    import.time_unit = 60;
    import.dropped = 2;
    strcpy(import.dropped_first, "row 3");
    import.repeated = 1;
    import.late = 3;
    import.clock_changes = 1;
    rk_import_words(&import, text);
    ck_assert_str_eq(rk_text_chars(text),
                     "columns by their names: time 't', OUT 'OP', PV 'PV'\n"
                     "a number in 't' counts 60 s\n"
                     "2 rows dropped, the first: row 3\n"
                     "1 row had the time of another: the last one was kept\n"
                     "3 rows came out of order and were sorted\n"
                     "the clock leaps by an hour, 1 time: taken out\n");
    rk_text_free(text);
}
END_TEST

Suite *suite_trial_case(void);

Suite *suite_trial_case(void)
{
    Suite *suite = suite_create("files/trial_case and curves");
    TCase *t = tcase_create("trial_case");

    add_table(t, a_case_is_the_loop_with_what_its_words_change, cases);
    add_table(t, words_that_make_no_case_are_refused, refused);
    tcase_add_test(t, another_loop_file_is_a_case_or_says_why_not);
    tcase_add_test(t, the_plants_valve_is_the_cases_own_or_the_loops);
    tcase_add_test(t, a_grid_is_a_row_a_point_and_empty_where_nothing_is);
    tcase_add_test(t, what_was_done_to_a_file_is_told_a_line_each);
    suite_add_tcase(suite, t);
    return suite;
}
