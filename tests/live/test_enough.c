/* SPDX-License-Identifier: MIT */
/* A step test that ends itself: not before it is as sure as was asked, and no surer than it should be. */
#include <math.h>
#include <string.h>
#include <time.h>

#include "../support/support.h"

enum { ROWS = 600, SEEDS = 20 };

/* The blend, moved by 4 % at 30 s. */
static rk_record *blend(double sigma, uint64_t seed)
{
    const recipe r = {.gain = -0.118,
                      .tau = 46.5,
                      .theta = 17.4,
                      .pv0 = 11.8,
                      .out0 = 42,
                      .interval = 1,
                      .rows = ROWS,
                      .sigma = sigma,
                      .seed = seed,
                      .moves = {{30, -4}}};

    return cook(&r);
}

/* Feed it row by row; the row at which it is enough, or none. */
static size_t feed(rk_enough *e, const rk_record *record)
{
    size_t i;

    for (i = 0; i < rk_record_rows(record); i++) {
        rk_enough_add(e, rk_record_time(record)[i], rk_record_out(record)[i],
                      rk_record_pv(record)[i]);
        if (rk_enough_why(e) != NULL) return i + 1;
    }
    return i;
}

/* What is known at that row. */
static rk_fit fit_of(const rk_record *record, size_t rows)
{
    const rk_fit_plan plan = rk_fit_plan_make();
    rk_record *part = NULL;
    rk_fit fit;
    size_t i;

    ck_assert_int_eq(rk_record_create(&part, NULL), RK_OK);
    for (i = 0; i < rows; i++) {
        ck_assert_int_eq(rk_record_add(part, rk_record_time(record)[i],
                                       rk_record_out(record)[i], rk_record_pv(record)[i], NULL),
                         RK_OK);
    }
    rk_record_set_on_rows(part, true);
    ck_assert_int_eq(rk_fit_compute(part, &plan, &fit, NULL), RK_OK);
    rk_record_free(part);
    return fit;
}

static const struct {
    double gain, dead_time, sigma;
    size_t least; /* 30 + 17.4 + 2 * 46.5 rows, whatever is asked; more noise takes longer */
} wishes[] = {
    {3, QNAN, 0.01, 140}, {QNAN, 5, 0.01, 140}, {3, 10, 0.02, 140}, {2.6, QNAN, 0.03, 170}};

START_TEST(it_is_enough_when_both_are_known_so_well_and_two_time_constants_were_seen)
{
    rk_record *record = blend(wishes[_i].sigma, 7);
    rk_enough *e = NULL;
    size_t rows;
    rk_fit fit;

    ck_assert_int_eq(rk_enough_create(wishes[_i].gain, wishes[_i].dead_time, false, &e, NULL),
                     RK_OK);
    rows = feed(e, record);
    ck_assert_uint_ge(rows, wishes[_i].least);
    ck_assert_uint_lt(rows, ROWS);
    fit = fit_of(record, rows);
    if (!isnan(wishes[_i].gain)) {
        ck_assert_double_le(50 * (fit.gain95[1] - fit.gain95[0]) / 0.118,
                            1.1 * wishes[_i].gain);
        ck_assert_ptr_nonnull(strstr(rk_enough_why(e), "the gain is known to "));
    }
    if (!isnan(wishes[_i].dead_time)) {
        ck_assert_double_le(50 * (fit.dead_time95[1] - fit.dead_time95[0]) / 17.4,
                            1.1 * wishes[_i].dead_time);
        ck_assert_ptr_nonnull(strstr(rk_enough_why(e), "dead time"));
    }
    rk_enough_free(e);
    rk_record_free(record);
}
END_TEST

/* Ending when it looks good must not make it look better than it is. */
START_TEST(the_intervals_hold_where_it_ends)
{
    double sum = 0;
    int inside = 0, seed;

    for (seed = 1; seed <= SEEDS; seed++) {
        rk_record *record = blend(0.03, (uint64_t)seed);
        rk_enough *e = NULL;
        rk_fit fit;

        ck_assert_int_eq(rk_enough_create(3, QNAN, false, &e, NULL), RK_OK);
        fit = fit_of(record, feed(e, record));
        inside += fit.gain95[0] <= -0.118 && -0.118 <= fit.gain95[1];
        sum += fit.model.gain;
        rk_enough_free(e);
        rk_record_free(record);
    }
    ck_assert_int_ge(inside, 16); /* of 20 at 95 %: fewer come three times in a thousand */
    ck_close(sum / SEEDS, -0.118, 0.01);
}
END_TEST

START_TEST(what_cannot_be_known_is_never_enough)
{
    const double nothing[][2] = {{0.001, QNAN}, {QNAN, 0.001}};
    rk_record *record = blend(0.03, 7);
    rk_enough *e = NULL;
    rk_diag diag;
    size_t i;

    for (i = 0; i < COUNT(nothing); i++) {
        ck_assert_int_eq(rk_enough_create(nothing[i][0], nothing[i][1], false, &e, NULL),
                         RK_OK);
        ck_assert_uint_eq(feed(e, record), ROWS);
        ck_assert_ptr_null(rk_enough_why(e));
        rk_enough_free(e);
    }
    ck_assert_int_eq(rk_enough_create(0, QNAN, false, &e, &diag), RK_ERR_RANGE);
    ck_assert_int_eq(rk_enough_create(3, -1, false, &e, &diag), RK_ERR_RANGE);
    ck_assert_int_eq(rk_enough_create(3, 3, false, NULL, &diag), RK_ERR_ARG);
    rk_enough_free(NULL);
    rk_record_free(record);
}
END_TEST

/* The same by a thread: rows are taken at once, and the answer comes a little later. */
START_TEST(beside_it_comes_to_the_same)
{
    const struct timespec a_while = {0, 5000000};
    rk_record *record = blend(0.01, 7);
    rk_enough *e = NULL;
    int tries;

    ck_assert_int_eq(rk_enough_create(3, QNAN, true, &e, NULL), RK_OK);
    for (tries = 0; tries < 2000 && rk_enough_why(e) == NULL; tries++) {
        const size_t row = (size_t)tries;

        if (row < rk_record_rows(record)) {
            rk_enough_add(e, rk_record_time(record)[row], rk_record_out(record)[row],
                          rk_record_pv(record)[row]);
        }
        (void)nanosleep(&a_while, NULL);
    }
    ck_assert_ptr_nonnull(rk_enough_why(e));
    ck_assert_int_ge(tries, 139);
    rk_enough_free(e);
    ck_assert_int_eq(rk_enough_create(3, QNAN, true, &e, NULL), RK_OK);
    rk_enough_free(e); /* nothing was asked of it */
    rk_record_free(record);
}
END_TEST

Suite *suite_enough(void)
{
    Suite *suite = suite_create("live/enough");
    TCase *t = tcase_create("enough"), *many = tcase_create("statistics");

    add_table(t, it_is_enough_when_both_are_known_so_well_and_two_time_constants_were_seen,
              wishes);
    tcase_add_test(t, beside_it_comes_to_the_same);
    tcase_set_tags(many, "statistics");
    tcase_add_test(many, what_cannot_be_known_is_never_enough);
    tcase_add_test(many, the_intervals_hold_where_it_ends);
    suite_add_tcase(suite, t);
    suite_add_tcase(suite, many);
    return suite;
}
