/* SPDX-License-Identifier: MIT */
/* The clock of scans, and what is asked of a port before the first of them. */
#include "../../support/support.h"

/* What passed before each scan of a 2 s loop, and when it was. */
static const struct {
    const char *fact;
    double passed[5], time[5];
    bool off[5];
} passings[] = {
    {"on its time it counts intervals", {2, 2, 2, 2, 2}, {0, 2, 4, 6, 8}, {false}},
    {"a late scan moves all that follow",
     {2, 2, 3.5, 2, 2},
     {0, 2, 5.5, 7.5, 9.5},
     {false, false, true}},
    {"an early one too",
     {2, 0.5, 2, 2, 0.25},
     {0, 0.5, 2.5, 4.5, 4.75},
     {false, true, false, false, true}},
    {"before the first scan nothing passes", {9, 2, 2, 2, 2}, {0, 2, 4, 6, 8}, {false}},
    {"no time, less than none and NaN are one interval",
     {2, 0, -3, QNAN, 2},
     {0, 2, 4, 6, 8},
     {false}},
};

START_TEST(a_scan_is_as_late_as_the_time_that_passed)
{
    rk_scan_clock clock = {.ts = 2};

    for (int i = 0; i < 5; i++) {
        const bool off = rk_scan_clock_pass(&clock, passings[_i].passed[i]);
        const double due = rk_scan_clock_due(&clock);

        ck_assert_msg(off == passings[_i].off[i], "%s, scan %d", passings[_i].fact, i);
        ck_assert_msg(due == passings[_i].time[i], "%s, scan %d: %g", passings[_i].fact, i,
                      due);
        ck_assert(rk_scan_clock_scan(&clock) == due);
        ck_assert(clock.last == due);
        ck_assert_uint_eq(clock.scans, (size_t)i + 1);
    }
}
END_TEST

START_TEST(no_sum_of_intervals_drifts)
{
    rk_scan_clock clock = {.ts = 0.1};
    double last = 0;

    for (int i = 0; i < 1000001; i++) {
        (void)rk_scan_clock_pass(&clock, 0.1);
        last = rk_scan_clock_scan(&clock);
    }
    ck_assert(last == 1000000 * 0.1);
}
END_TEST

/* A port whose first replies are missing, or are no numbers. */
typedef struct deaf {
    int missing;
    rk_status status;
    double reply;
} deaf;

static rk_status answer(void *user, rk_real *value)
{
    deaf *d = user;

    if (d->missing > 0) {
        d->missing--;
        *value = d->reply;
        return d->status;
    }
    *value = 7;
    return RK_OK;
}

static const struct {
    deaf port;
    bool found;
} firsts[] = {
    {{0, RK_OK, 0}, true},      {{1, RK_ERR_IO, 3}, true},
    {{49, RK_ERR_IO, 3}, true}, {{50, RK_ERR_IO, 3}, false},
    {{49, RK_OK, QNAN}, true},  {{50, RK_OK, (double)INFINITY}, false},
};

START_TEST(a_first_reply_may_be_missing_some_times)
{
    deaf d = firsts[_i].port;
    const rk_port port = {.user = &d};
    double value = 0;

    ck_assert_int_eq(rk_first_reading(&port, answer, &value), firsts[_i].found);
    if (firsts[_i].found) ck_assert(value == 7);
}
END_TEST

Suite *suite_scans(void)
{
    Suite *suite = suite_create("design/scans");
    TCase *t = tcase_create("scans");

    add_table(t, a_scan_is_as_late_as_the_time_that_passed, passings);
    tcase_add_test(t, no_sum_of_intervals_drifts);
    add_table(t, a_first_reply_may_be_missing_some_times, firsts);
    suite_add_tcase(suite, t);
    return suite;
}
