/* SPDX-License-Identifier: MIT */
#include <float.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "../support/support.h"

static const struct {
    const char *text;
    double value;
} good[] = {
    {"0", 0},
    {"42", 42},
    {"-0.118", -0.118},
    {"+3.5", 3.5},
    {"1e3", 1000},
    {"1.5E-7", 1.5e-7},
    {".5", 0.5},
    {"5.", 5},
    {" 7.25 ", 7.25},
    {"\t1\t", 1},
    {"0.1", 0.1},
    {"123456789012345678901", 1.2345678901234568e20},
    {"1e22", 1e22},
    {"1e23", 1e23},
    {"1.7976931348623157e308", DBL_MAX},
    {"4.9e-324", 4.9e-324},
    {"000.5000", 0.5},
    {"9007199254740993", 9007199254740992.0},
    {"0.30000000000000004", 0.1 + 0.2},
    {"1e-400", 0},
};

START_TEST(numbers_are_read_exactly)
{
    double value = -1;

    ck_assert_msg(rk_number_parse(good[_i].text, strlen(good[_i].text), &value), "'%s'",
                  good[_i].text);
    ck_assert_double_eq(value, good[_i].value);
}
END_TEST

static const char *const bad[] = {
    "",    " ",     "nan",   "NaN",  "inf",   "-",     "+",        ".",   "e5",
    "1e",  "1e+",   "1.2.3", "1,5",  "0x10",  "12 %",  "1 2",      "--1", "1-",
    "abc", "1e5.5", "Bad",   "#N/A", "1e999", "1_000", "\xC2\xB5", "12a"};

START_TEST(what_is_no_number_is_not_read)
{
    double value = 77;

    ck_assert_msg(!rk_number_parse(bad[_i], strlen(bad[_i]), &value), "'%s' is read as %g",
                  bad[_i], value);
}
END_TEST

START_TEST(random_doubles_survive_writing_and_reading)
{
    rng r = {(uint64_t)_i + 1};
    int k;

    for (k = 0; k < 500; k++) {
        const double value =
            (rng_uniform(&r) - 0.5) * pow(10.0, 40.0 * (rng_uniform(&r) - 0.5));
        char text[RK_REAL_CHARS];
        double back = 0;

        rk_real_format(value, text);
        ck_assert(rk_number_parse(text, strlen(text), &back));
        ck_assert_double_eq(back, value);
    }
}
END_TEST

static const struct {
    const char *text;
    double seconds;
} times[] = {
    {"5", 5},        {"200ms", 0.2}, {"2s", 2},   {"5min", 300},  {"1h", 3600},
    {"1.5 min", 90}, {"0.5h", 1800}, {"-3s", -3}, {" 10 s ", 10}, {"1e3ms", 1},
};
static const char *const bad_times[] = {"",      "s",       "min",  "5m", "5 sec",
                                        "5mins", "2h30min", "1:30", "ms", "5S"};

START_TEST(times_take_a_unit)
{
    double seconds = -1;

    ck_assert(rk_time_parse(times[_i].text, strlen(times[_i].text), &seconds));
    ck_assert_double_eq(seconds, times[_i].seconds);
}
END_TEST

START_TEST(unknown_time_units_are_refused)
{
    double seconds;

    ck_assert(!rk_time_parse(bad_times[_i], strlen(bad_times[_i]), &seconds));
}
END_TEST

START_TEST(a_file_is_written_whole_or_not_at_all)
{
    char *dir = scratch_make(), *content;
    const char *path = path_in(dir, "a.txt");
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_file_write(path, "one", 3, false, NULL), RK_OK);
    ck_assert_int_eq(rk_file_write(path, "one", 3, false, NULL), RK_OK); /* the same again */
    ck_assert_int_eq(rk_file_write(path, "two", 3, false, &diag), RK_ERR_IO);
    ck_assert_ptr_nonnull(strstr(diag.text, "--force"));
    ck_assert_int_eq(rk_file_write(path, "two", 3, true, NULL), RK_OK);
    content = get_file(path, NULL);
    ck_assert_str_eq(content, "two");
    free(content);
    ck_assert_int_eq(rk_file_write(dir, "x", 1, true, NULL), RK_ERR_IO); /* a directory */
    ck_assert_int_eq(rk_file_write(path_in(dir, "no/such/place"), "x", 1, true, NULL),
                     RK_ERR_IO);
    ck_assert_int_eq(rk_file_write(NULL, "x", 1, true, NULL), RK_ERR_ARG);
    scratch_free(dir);
}
END_TEST

START_TEST(a_link_stays_a_link_and_permissions_stay)
{
    char *dir = scratch_make(), *content;
    const char *file = path_in(dir, "file"), *link = path_in(dir, "link");
    struct stat info;

    put_file(file, "one");
    ck_assert_int_eq(chmod(file, 0640), 0);
    ck_assert_int_eq(symlink("file", link), 0);
    ck_assert_int_eq(rk_file_write(link, "two", 3, true, NULL), RK_OK);
    ck_assert_int_eq(lstat(link, &info), 0);
    ck_assert(S_ISLNK(info.st_mode));
    ck_assert_int_eq(stat(file, &info), 0);
    ck_assert_uint_eq(info.st_mode & 07777, 0640);
    content = get_file(file, NULL);
    ck_assert_str_eq(content, "two");
    free(content);
    scratch_free(dir);
}
END_TEST

START_TEST(directories_are_made_with_those_above)
{
    char *dir = scratch_make();
    const char *deep = path_in(dir, "a/b/c");
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_directory_make(deep, NULL), RK_OK);
    ck_assert_int_eq(rk_directory_make(deep, NULL), RK_OK);
    put_file(path_in(dir, "file"), "x");
    ck_assert_int_eq(rk_directory_make(path_in(dir, "file"), &diag), RK_ERR_IO);
    ck_assert_ptr_nonnull(strstr(diag.text, "is a file"));
    ck_assert_int_eq(rk_directory_make("", NULL), RK_ERR_IO);
    scratch_free(dir);
}
END_TEST

static const struct {
    const char *text;
    char separator;
    bool times;
    size_t count;
    double first, last;
} lists[] = {
    {"5,-10,5", ',', false, 3, 5, 5},
    {"7", ',', false, 1, 7, 7},
    {"0.5:5:0.25", ':', false, 3, 0.5, 0.25},
    {"1min:90s", ':', true, 2, 60, 90},
    {"", ',', false, 0, 0, 0},
    {"5,", ',', false, 0, 0, 0},
    {",5", ',', false, 0, 0, 0},
    {"5,x", ',', false, 0, 0, 0},
    {"1,2,3,4", ',', false, 0, 0, 0}, /* more than there is room for */
    {"1s", ',', false, 0, 0, 0},
};

START_TEST(a_list_of_numbers_is_read_whole_or_not_at_all)
{
    double v[3] = {0};
    const size_t count =
        rk_numbers_parse(lists[_i].text, lists[_i].separator, lists[_i].times, v, 3);

    ck_assert_uint_eq(count, lists[_i].count);
    if (count > 0) {
        ck_assert_double_eq(v[0], lists[_i].first);
        ck_assert_double_eq(v[count - 1], lists[_i].last);
    }
}
END_TEST

Suite *suite_number(void)
{
    Suite *suite = suite_create("files/number and write");
    TCase *t = tcase_create("number");

    add_table(t, numbers_are_read_exactly, good);
    add_table(t, what_is_no_number_is_not_read, bad);
    tcase_add_loop_test(t, random_doubles_survive_writing_and_reading, 0, 10);
    add_table(t, times_take_a_unit, times);
    add_table(t, unknown_time_units_are_refused, bad_times);
    add_table(t, a_list_of_numbers_is_read_whole_or_not_at_all, lists);
    tcase_add_test(t, a_file_is_written_whole_or_not_at_all);
    tcase_add_test(t, a_link_stays_a_link_and_permissions_stay);
    tcase_add_test(t, directories_are_made_with_those_above);
    suite_add_tcase(suite, t);
    return suite;
}
