/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "../support/support.h"

static rk_status read_text(const char *content, const rk_columns *columns, rk_record **record,
                           rk_diag *diag)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "r.csv");
    rk_status status;

    put_file(path, content);
    status = rk_record_read(path, columns, record, diag);
    scratch_free(dir);
    return status;
}

/* Files as loggers write them; every one holds (0, 42, 11.8), (1.5, 47, 11.75). */
static const struct {
    const char *fact, *content;
} good[] = {
    {"plain", "time,out,pv\n0,42,11.8\n1.5,47,11.75\n"},
    {"no newline at the end", "time,out,pv\n0,42,11.8\n1.5,47,11.75"},
    {"CRLF", "time,out,pv\r\n0,42,11.8\r\n1.5,47,11.75\r\n"},
    {"byte order mark", "\xEF\xBB\xBFtime,out,pv\n0,42,11.8\n1.5,47,11.75\n"},
    {"other order and more columns", "x,pv,note,out,time\n9,11.8,a,42,0\n9,11.75,b,47,1.5\n"},
    {"quotes", "\"time\",\"out\",\"pv\"\n\"0\",\"42\",\"11.8\"\n\"1.5\",\"47\",\"11.75\"\n"},
    {"a quoted comma in another column",
     "time,out,pv,note\n0,42,11.8,\"a, \"\"b\"\"\"\n1.5,47,11.75,c\n"},
    {"semicolon and decimal comma", "time;out;pv\n0;42,0;11,8\n1,5;47,0;11,75\n"},
    {"semicolon and decimal point", "time;out;pv\n0;42;11.8\n1.5;47;11.75\n"},
    {"tab and decimal comma", "time\tout\tpv\n0\t42\t11,8\n1,5\t47\t11,75\n"},
    {"comments and empty lines",
     "# made up\n\ntime,out,pv\n# here, it starts\n0,42,11.8\n\n1.5,47,11.75\n\n"},
    {"capitals", "Time,OUT,Pv\n0,42,11.8\n1.5,47,11.75\n"},
    {"exponents and blanks", "time, out ,pv\n0, 4.2e1 ,11.8\n15e-1, 47 ,1175e-2\n"},
    {"ISO 8601 with T and Z",
     "time,out,pv\n2026-03-17T09:40:00Z,42,11.8\n2026-03-17T09:40:01.5Z,47,11.75\n"},
    {"ISO 8601 with a blank",
     "time,out,pv\n2026-03-17 09:40:00,42,11.8\n2026-03-17 09:40:01.500,47,11.75\n"},
    {"ISO 8601 across midnight",
     "time,out,pv\n2026-02-28T23:59:59,42,11.8\n2026-03-01T00:00:00.5,47,11.75\n"},
    {"ISO 8601 across a clock change",
     "time,out,pv\n2026-10-25T02:59:59+02:00,42,11.8\n2026-10-25T02:00:00.5+01:00,47,11.75\n"},
    {"ISO 8601 across a leap day",
     "time,out,pv\n2028-02-29T23:59:59.5Z,42,11.8\n2028-03-01T00:00:01Z,47,11.75\n"},
    {"ISO 8601 with a comma for the fraction",
     "time;out;pv\n2026-03-17T09:40:00,0;42;11,8\n2026-03-17T09:40:01,5;47;11,75\n"},
    {"epoch-sized seconds", "time,out,pv\n1773740400,42,11.8\n1773740401.5,47,11.75\n"},
};

START_TEST(files_of_loggers_are_read)
{
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(read_text(good[_i].content, NULL, &record, &diag) == RK_OK, "%s: %s",
                  good[_i].fact, diag.text);
    ck_assert_uint_eq(rk_record_rows(record), 2);
    ck_assert_double_eq_tol(rk_record_time(record)[1] - rk_record_time(record)[0], 1.5, 1e-9);
    ck_assert_double_eq(rk_record_out(record)[0], 42);
    ck_assert_double_eq(rk_record_out(record)[1], 47);
    ck_assert_double_eq(rk_record_pv(record)[0], 11.8);
    ck_assert_double_eq(rk_record_pv(record)[1], 11.75);
    rk_record_free(record);
}
END_TEST

/* Files that cannot be read, and what the message must say: where, what. */
static const struct {
    const char *fact, *content, *says;
} bad[] = {
    {"empty", "", "is empty"},
    {"only comments", "# nothing\n#\n", "is empty"},
    {"only a header", "time,out,pv\n", "has a header but no rows"},
    {"no such column", "time,out,level\n0,1,2\n",
     ":1: no column 'pv'; there are: time, out, level; name it with --pv"},
    {"no header", "0,42,11.8\n1,42,11.8\n", "no column 'time'"},
    {"text in a number", "time,out,pv\n0,42,11.8\n1,closed,11.8\n",
     ":3: column 'out': 'closed' is not a number"},
    {"an empty cell", "time,out,pv\n0,42,\n", ":2: column 'pv': '' is not a number"},
    {"NaN", "time,out,pv\n0,42,NaN\n", ":2: column 'pv': 'NaN' is not a number"},
    {"infinity", "time,out,pv\n0,inf,2\n", ":2: column 'out'"},
    {"a short row", "time,out,pv\n0,42,11.8\n1,42\n", ":3: the row ends before column 'pv'"},
    {"the same time twice", "time,out,pv\n0,42,11.8\n0,42,11.8\n",
     ":3: time '0' does not come after"},
    {"time runs backwards", "time,out,pv\n5,42,11.8\n4,42,11.8\n", ":3: time '4'"},
    {"two decimal commas", "time;out;pv\n0;42;1,2,3\n", ":2: column 'pv'"},
    {"a decimal comma between commas", "time,out,pv\n0,42,\"11,8\"\n",
     ":2: column 'pv': '11,8'"},
    {"a quote that does not close", "time,out,pv\n0,42,\"11.8\n1,42,11.8\n", "quote"},
    {"text behind a quote", "time,out,pv\n0,42,\"11.8\"x\n", ":2: a quote"},
    {"a date that is none", "time,out,pv\n2026-13-01T00:00:00Z,42,1\n", ":2: column 'time'"},
    {"an hour that is none", "time,out,pv\n2026-01-01T25:00:00Z,42,1\n", ":2: column 'time'"},
    {"seconds behind a date", "time,out,pv\n2026-01-01T00:00:00Z,42,1\n60,42,1\n",
     ":3: column 'time': '60' is not an ISO 8601"},
    {"a date behind seconds", "time,out,pv\n0,42,1\n2026-01-01T00:00:00Z,42,1\n",
     ":3: column 'time'"},
    {"an offset that is none", "time,out,pv\n2026-01-01T00:00:00+1,42,1\n",
     ":2: column 'time'"},
    {"numbers too large", "time,out,pv\n0,1e999,1\n", ":2: column 'out'"},
    {"a number too long to hold",
     "time,out,pv\n0,42,0."
     "00000000000000000000000000000000000000000000000000000000000000000001e70\n",
     ":2: column 'pv': '0.0000"},
    {"a number cut where it would still be one",
     "time,out,pv\n0,42,1111111111111111111111111111111111111111111111111111111111111111\n",
     "...' is not a number"},
    {"the line number counts comments", "# a\n# b\ntime,out,pv\n\n0,42,x\n", ":5: column 'pv'"},
};

START_TEST(files_that_cannot_be_read_are_told_with_line_and_column)
{
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(read_text(bad[_i].content, NULL, &record, &diag) == RK_ERR_FORMAT, "%s",
                  bad[_i].fact);
    ck_assert_msg(strstr(diag.text, bad[_i].says) != NULL, "%s: '%s' does not say '%s'",
                  bad[_i].fact, diag.text, bad[_i].says);
    ck_assert_ptr_nonnull(strstr(diag.text, "r.csv"));
    ck_assert_ptr_null(record);
}
END_TEST

START_TEST(columns_are_found_by_name)
{
    const rk_columns names = {"time_s", "FV210.OUT_pct", "AT210.PV_degBx"};
    const rk_columns missing = {"time_s", "FV210.OUT", "AT210.PV_degBx"};
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};
    const char *path = RK_SOURCE "/data/records/clean_single_step.csv";

    ck_assert_int_eq(rk_record_read(path, &names, &record, NULL), RK_OK);
    ck_assert_uint_eq(rk_record_rows(record), 601);
    ck_assert_uint_eq(rk_record_moves(record), 1);
    rk_record_free(record);
    record = NULL;
    ck_assert_int_eq(rk_record_read(path, &missing, &record, &diag), RK_ERR_FORMAT);
    ck_assert_ptr_nonnull(
        strstr(diag.text, "no column 'FV210.OUT'; there are: time_s, FV210.OUT_pct"));
}
END_TEST

START_TEST(a_file_that_is_not_there_is_no_format_error)
{
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_record_read("/nowhere/at/all.csv", NULL, &record, &diag), RK_ERR_IO);
    ck_assert_ptr_nonnull(strstr(diag.text, "No such file"));
    ck_assert_int_eq(rk_record_read(RK_SOURCE, NULL, &record, NULL),
                     RK_ERR_IO); /* a directory */
    ck_assert_int_eq(rk_record_read(NULL, NULL, &record, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_record_read("x.csv", NULL, NULL, NULL), RK_ERR_ARG);
}
END_TEST

/* Rows that cross the reader's chunks must not be cut. */
START_TEST(long_files_are_read_to_the_last_row)
{
    rk_text *text = rk_text_create();
    rk_record *record = NULL;
    int i;

    rk_text_add(text, "time,out,pv,some quite long name for a column that nobody needs\n");
    for (i = 0; i < 20000; i++) {
        rk_text_add(text, "%d.25,%d,%d.5,\"filler, filler\"\n", i, i % 7, i);
    }
    ck_assert_int_eq(read_text(rk_text_chars(text), NULL, &record, NULL), RK_OK);
    ck_assert_uint_eq(rk_record_rows(record), 20000);
    for (i = 0; i < 20000; i++) {
        ck_assert_double_eq(rk_record_time(record)[i], i + 0.25);
        ck_assert_double_eq(rk_record_out(record)[i], i % 7);
        ck_assert_double_eq(rk_record_pv(record)[i], i + 0.5);
    }
    rk_record_free(record);
    rk_text_free(text);
}
END_TEST

Suite *suite_record_file(void)
{
    Suite *suite = suite_create("files/record_file");
    TCase *t = tcase_create("record_file");

    add_table(t, files_of_loggers_are_read, good);
    add_table(t, files_that_cannot_be_read_are_told_with_line_and_column, bad);
    tcase_add_test(t, columns_are_found_by_name);
    tcase_add_test(t, a_file_that_is_not_there_is_no_format_error);
    tcase_add_test(t, long_files_are_read_to_the_last_row);
    suite_add_tcase(suite, t);
    return suite;
}
