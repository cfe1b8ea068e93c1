/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"

static rk_design loop_of(const char *time, const char *out, const char *pv)
{
    rk_design loop = rk_design_make();

    strcpy(loop.name, "Syrup flow");
    strcpy(loop.pv_units, "L/min");
    strcpy(loop.out_units, "%");
    strcpy(loop.time_column, time);
    strcpy(loop.out_column, out);
    strcpy(loop.pv_column, pv);
    return loop;
}

/* Names as the loop has them, and what the first row of 90 s, 42, 11.8 looks like. */
static const struct {
    const char *time, *out, *pv;
    double unit;
    const char *head, *row;
} heads[] = {
    {"", "", "", 0, "time_s,OUT [%],PV [L/min]", "90,42,11.8"},
    {"t", "FV220.OUT_pct", "FT220.PV", 0, "t,FV220.OUT_pct,FT220.PV", "90,42,11.8"},
    {"time_min", "", "", 0, "time_min,OUT [%],PV [L/min]", "1.5,42,11.8"},
    {"t", "", "", 3600, "t,OUT [%],PV [L/min]", "0.025,42,11.8"},
    {"t", "valve, \"left\"", "pv", 0, "t,\"valve, \"\"left\"\"\",pv", "90,42,11.8"},
};

START_TEST(what_is_written_is_read_again)
{
    const char *const time = heads[_i].time, *const out = heads[_i].out,
                      *const pv = heads[_i].pv;
    rk_design loop = loop_of(time, out, pv);
    const rk_columns columns = {time, out, pv, NULL, heads[_i].unit};
    char *dir = scratch_make(), wanted[200], *content;
    const char *path = path_in(dir, "r.csv");
    rk_record_log *log = NULL;
    rk_record *record = NULL;
    rk_import import;
    rk_diag diag = {RK_OK, ""};

    loop.record_time_unit = heads[_i].unit;
    ck_assert_int_eq(rk_record_log_create(path, &loop, false, false, &log, NULL), RK_OK);
    ck_assert_int_eq(rk_record_log_row(log, 90, 42, 11.8, NULL), RK_OK);
    ck_assert_int_eq(rk_record_log_row(log, 90.3, 42, QNAN, NULL), RK_OK);
    ck_assert_int_eq(rk_record_log_comment(log, "here PV was lost", NULL), RK_OK);
    ck_assert_int_eq(rk_record_log_row(log, 90.6, -1e-9, 123456.789, NULL), RK_OK);

    /* In the file already, without it being closed. */
    content = get_file(path, NULL);
    (void)snprintf(wanted, sizeof wanted,
                   "# step test of Syrup flow\n# OUT moves on the rows\n%s\n%s\n",
                   heads[_i].head, heads[_i].row);
    ck_assert_msg(strncmp(content, wanted, strlen(wanted)) == 0, "%s", content);
    free(content);
    ck_assert_msg(rk_record_read(path, &columns, &record, &import, &diag) == RK_OK, "%s",
                  diag.text);
    ck_assert_uint_eq(rk_record_rows(record), 2);
    ck_assert_uint_eq(import.dropped, 1);
    ck_assert(rk_record_on_rows(record));
    ck_assert_double_eq_tol(rk_record_time(record)[1], 90.6, 1e-8);
    ck_assert_double_eq(rk_record_out(record)[1], -1e-9);
    ck_assert_double_eq(rk_record_pv(record)[1], 123456.789);
    rk_record_log_free(log);
    rk_record_free(record);
    scratch_free(dir);
}
END_TEST

START_TEST(a_file_that_stands_there_needs_to_be_replaced_on_purpose)
{
    const rk_design loop = loop_of("", "", "");
    char *dir = scratch_make(), *content;
    const char *path = path_in(dir, "r.csv");
    rk_record_log *log = NULL;
    rk_diag diag = {RK_OK, ""};

    put_file(path, "old\n");
    ck_assert_int_eq(rk_record_log_create(path, &loop, false, false, &log, &diag), RK_ERR_IO);
    ck_assert_ptr_nonnull(strstr(diag.text, "is there already"));
    ck_assert_int_eq(rk_record_log_create(path, &loop, true, true, &log, NULL), RK_OK);
    rk_record_log_free(log);
    content = get_file(path, NULL);
    ck_assert_str_eq(
        content,
        "# step test of Syrup flow\n# OUT moves on the rows\ntime_s,OUT [%],PV [L/min]\n");
    free(content);
    ck_assert_int_eq(rk_record_log_create("/nowhere/r.csv", &loop, true, false, &log, NULL),
                     RK_ERR_IO);
    ck_assert_int_eq(rk_record_log_create(NULL, &loop, true, false, &log, NULL), RK_ERR_ARG);
    rk_record_log_free(NULL);
    scratch_free(dir);
}
END_TEST

START_TEST(a_full_disk_is_told)
{
    const rk_design loop = loop_of("", "", "");
    rk_record_log *log = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_record_log_create("/dev/full", &loop, true, false, &log, &diag),
                     RK_ERR_IO);
    ck_assert_str_eq(diag.text, "/dev/full: cannot write: No space left on device");
}
END_TEST

/* Curves of two trials that scan at 1 and 2 s come back as they were, names quoted. */
START_TEST(curves_are_read_again_as_a_record)
{
    const rk_trial_plan plan = {.sp_step = 1, .duration = 40, .band = 0.02};
    rk_columns columns = {"time_s", "out fast", "pv fast", "", 0};
    rk_trial_case c = {.name = "fast", .plant = fopdt(2, 10, 3), .limits = {-9, 9, HUGE_VAL}};
    char *dir = scratch_make();
    rk_text *text = rk_text_create();
    rk_trial *trials[2];
    rk_record *record = NULL;
    rk_import import;
    size_t i;

    c.settings = rk_settings_make(0.8, 10, 0, 0);
    c.ts = 1;
    ck_assert_int_eq(rk_trial_create(&c, &plan, &trials[0], NULL), RK_OK);
    strcpy(c.name, "slow, \"old\"");
    c.ts = 2;
    ck_assert_int_eq(rk_trial_create(&c, &plan, &trials[1], NULL), RK_OK);
    ck_assert_int_eq(rk_curves_to_csv((const rk_trial *const *)trials, 2, text, NULL), RK_OK);
    ck_assert_ptr_eq(strstr(rk_text_chars(text),
                            "time_s,sp,pv fast,out fast,\"pv slow, \"\"old\"\"\",\"out slow"),
                     rk_text_chars(text));
    put_file(path_in(dir, "c.csv"), rk_text_chars(text));
    ck_assert_int_eq(rk_record_read(path_in(dir, "c.csv"), &columns, &record, &import, NULL),
                     RK_OK);
    ck_assert_uint_eq(rk_record_rows(record), 40);
    for (i = 0; i < 40; i++) {
        const size_t points = (rk_trial_points(trials[0]) - 1) / 40;

        ck_assert_double_eq(rk_record_out(record)[i], rk_trial_out(trials[0])[i]);
        ck_assert_double_eq_tol(rk_record_pv(record)[i], rk_trial_pv(trials[0])[i * points],
                                1e-9);
    }
    rk_record_free(record);
    columns = (rk_columns){"time_s", "out slow, \"old\"", "pv fast", "", 0};
    ck_assert_int_eq(rk_record_read(path_in(dir, "c.csv"), &columns, &record, &import, NULL),
                     RK_OK);
    for (i = 0; i < 40; i++) {
        ck_assert_double_eq(rk_record_out(record)[i], rk_trial_out(trials[1])[i / 2]);
    }
    rk_record_free(record);
    {
        rk_text *comma = rk_text_create();

        ck_assert_int_eq(rk_csv_with_comma(text, comma, NULL), RK_OK);
        ck_assert_uint_eq(rk_text_length(comma), rk_text_length(text));
        ck_assert_int_eq(strncmp(rk_text_chars(comma), "time_s;sp;", 10), 0);
        ck_assert_ptr_nonnull(strstr(rk_text_chars(comma), "\r\n0,0;"));
        ck_assert_int_eq(rk_csv_with_comma(NULL, comma, NULL), RK_ERR_ARG);
        rk_text_free(comma);
    }
    ck_assert_int_eq(rk_curves_to_csv((const rk_trial *const *)trials, 0, text, NULL),
                     RK_ERR_ARG);
    rk_trial_free(trials[0]);
    rk_trial_free(trials[1]);
    rk_text_free(text);
    scratch_free(dir);
}
END_TEST

Suite *suite_record_log(void)
{
    Suite *suite = suite_create("files/record_log");
    TCase *t = tcase_create("record_log");

    add_table(t, what_is_written_is_read_again, heads);
    tcase_add_test(t, a_file_that_stands_there_needs_to_be_replaced_on_purpose);
    tcase_add_test(t, a_full_disk_is_told);
    tcase_add_test(t, curves_are_read_again_as_a_record);
    suite_add_tcase(suite, t);
    return suite;
}
