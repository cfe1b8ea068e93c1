/* SPDX-License-Identifier: MIT */
/* Least squares beside those of another library, on a model written anew: one minimum. */
#include <math.h>
#include <string.h>

#include <cminpack.h>

#include "../../support/regimes.h"
#include "../../support/support.h"

enum { NUMBERS = 4, ROWS_MOST = 700 }; /* gain, ln time constant, dead time, PV at rest */

/* The sum of each move's closed-form answer, less PV. */
static int leave(void *user, int rows, int numbers, const double *x, double *left, int flag)
{
    const rk_record *record = (const rk_record *)user;
    const double *time = rk_record_time(record), *out = rk_record_out(record);
    const double *pv = rk_record_pv(record);
    int i, k;

    (void)numbers;
    (void)flag;
    for (i = 0; i < rows; i++) {
        left[i] = x[3] - pv[i];
        for (k = 1; k <= i; k++) {
            const double since = time[i] - time[k] - x[2];

            if (out[k] == out[k - 1] || !(since > 0)) continue;
            left[i] -= x[0] * (out[k] - out[k - 1]) * expm1(-since / exp(x[1]));
        }
    }
    return 0;
}

static double sum_of_squares(const rk_record *record, const double *x)
{
    static double left[ROWS_MOST];
    const int rows = (int)rk_record_rows(record);
    double sum = 0;
    int i;

    (void)leave((void *)(uintptr_t)record, rows, NUMBERS, x, left, 0);
    for (i = 0; i < rows; i++) {
        sum += left[i] * left[i];
    }
    return sum;
}

/* The other library's minimum from a start; returns its sum of squares. */
static double other_minimum(const rk_record *record, double *x)
{
    static double left[ROWS_MOST], by[NUMBERS * ROWS_MOST];
    double diag[NUMBERS], turned[NUMBERS], w1[NUMBERS], w2[NUMBERS], w3[NUMBERS], w4[ROWS_MOST];
    const int rows = (int)rk_record_rows(record);
    int pivot[NUMBERS], calls;

    (void)lmdif(leave, (void *)(uintptr_t)record, rows, NUMBERS, x, left, 1e-15, 1e-15, 0.0,
                2000, 1e-8, diag, 1, 100.0, 0, &calls, by, rows, pivot, turned, w1, w2, w3, w4);
    return sum_of_squares(record, x);
}

START_TEST(another_library_finds_no_lower_minimum)
{
    /* Two regimes of white noise, 70 and 20 times, and six moves on rows. */
    static const int of[] = {0, 1, 10};
    const regime *r = &regimes[of[_i % 3]];
    rk_record *record = regime_record(r, (uint64_t)_i + 500U);
    rk_fit_plan plan = rk_fit_plan_make();
    double ours[NUMBERS], theirs[NUMBERS], start[NUMBERS], least;
    rk_fit fit;

    plan.any_kind = false;
    plan.plain = true;
    ck_assert_int_eq(rk_fit_compute(record, &plan, &fit, NULL), RK_OK);
    ours[0] = fit.model.gain;
    ours[1] = log(fit.model.time_constant[0]);
    ours[2] = fit.model.dead_time;
    ours[3] = fit.model.pv0;
    start[0] = 1.1 * r->m.gain;
    start[1] = log(0.9 * r->m.time_constant[0]);
    start[2] = r->m.dead_time + (0.3 * r->interval);
    start[3] = r->m.pv0;
    memcpy(theirs, ours, sizeof theirs);
    least = fmin(other_minimum(record, start), other_minimum(record, theirs));
    ck_assert_double_le(sum_of_squares(record, ours), least * (1 + 1e-9));
    rk_record_free(record);
}
END_TEST

Suite *suite_fit_least_squares(void)
{
    Suite *suite = suite_create("design/fit least squares");
    TCase *t = tcase_create("cminpack");

    tcase_set_tags(t, "statistics");
    tcase_add_loop_test(t, another_library_finds_no_lower_minimum, 0, 50);
    suite_add_tcase(suite, t);
    return suite;
}
