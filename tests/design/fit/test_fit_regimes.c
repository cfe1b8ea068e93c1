/* SPDX-License-Identifier: MIT */
/* Many records of one regime: how often the intervals hold, and what is claimed that is not there;
   and records far longer than their process. */
#include <math.h>
#include <string.h>

#include "../../support/regimes.h"
#include "../../support/support.h"

enum { RECORDS = 12, ROWS_MOST = 70000 };

/* Nearly four deviations below 95 %; where a regime is beyond what its records tell, below 80. */
enum { HOLDS_LEAST = 9, HOLDS_DOUBTFUL = 7, WRONG_MOST = 1 };

START_TEST(intervals_hold_and_nothing_is_claimed_that_is_not_there)
{
    const regime *r = &regimes[_i];
    const regime_score s = regime_run(r, RECORDS);
    const int least = r->doubtful ? HOLDS_DOUBTFUL : HOLDS_LEAST;

    ck_assert_msg(s.gain >= least, "%s: gain %d of %d", r->name, s.gain, RECORDS);
    ck_assert_msg(s.tau >= least, "%s: time constant %d of %d", r->name, s.tau, RECORDS);
    ck_assert_msg(s.theta >= least, "%s: dead time %d of %d", r->name, s.theta, RECORDS);
    ck_assert_msg(s.kind >= RECORDS - WRONG_MOST, "%s: kind %d", r->name, s.kind);
    ck_assert_msg(s.extras <= WRONG_MOST, "%s: %d false extras", r->name, s.extras);
    ck_assert_msg(s.missed <= WRONG_MOST, "%s: %d missed", r->name, s.missed);
    ck_assert_msg(!r->doubtful || s.good == 0, "%s: %d are GOOD", r->name, s.good);
}
END_TEST

/* A first move is all that noise can be mistaken for. */
START_TEST(noise_alone_is_no_answer)
{
    const regime r = {"noise", {RK_MODEL_FOPDT, 1e-9, {10, 0}, 0, 4, 30, 50}, 1, 300, {{50, 5}},
                      1};
    rk_record *record = regime_record(&r, (uint64_t)_i);
    rk_fit fit;

    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
    ck_assert_int_eq(rk_fit_level(&fit), RK_LEVEL_UNFIT);
    rk_record_free(record);
}
END_TEST

/* Where moves stand, said or not: between two rows the dead time is that much less certain. */
START_TEST(the_moves_instants_can_be_said)
{
    const regime slow = {
        "slow", {RK_MODEL_FOPDT, 0.8, {60, 0}, 0, 20, 42, 60}, 10, 60, {{150, 5}}, 0.03};
    rk_record *record = regime_record(&slow, 3);
    rk_fit_plan plan = rk_fit_plan_make();
    rk_fit weighed, on, between;

    ck_assert_int_eq(rk_fit_compute(record, &plan, &weighed, NULL), RK_OK);
    plan.instants = RK_MOVES_ON_ROWS;
    ck_assert_int_eq(rk_fit_compute(record, &plan, &on, NULL), RK_OK);
    plan.instants = RK_MOVES_BETWEEN_ROWS;
    ck_assert_int_eq(rk_fit_compute(record, &plan, &between, NULL), RK_OK);
    ck_assert(on.dead_time95[1] - on.dead_time95[0] < 4);
    ck_assert_double_eq_tol(on.model.dead_time, 20, 2);
    ck_assert(!on.moved_between && on.open_instant == 0);
    /* one move: half a row more on average, and a row wide */
    ck_assert_double_eq_tol(between.model.dead_time, 25, 2);
    ck_assert(between.moved_between);
    ck_assert_double_eq_tol(between.dead_time95[1] - between.dead_time95[0], 10, 2);
    /* not said: as on rows, and as long as between them at most */
    ck_assert_double_eq_tol(weighed.model.dead_time, on.model.dead_time, 0.5);
    ck_assert(weighed.dead_time95[0] <= on.model.dead_time &&
              weighed.dead_time95[1] >= on.model.dead_time + 8);
    ck_assert(weighed.open_instant == 10 && rk_fit_level(&weighed) == RK_LEVEL_CAUTION);
    rk_record_free(record);
}
END_TEST

static const regime *regime_named(const char *name)
{
    int i = 0;

    while (strcmp(regimes[i].name, name) != 0) {
        i++;
        ck_assert_int_lt(i, regime_count);
    }
    return &regimes[i];
}

/* What is said is taken, however little PV's answers like it; or it is refused. */
START_TEST(what_is_said_of_the_instants_is_taken_or_refused)
{
    rk_record *record = regime_record(regime_named("on rows, six moves"), 5), *many = NULL;
    rk_fit_plan plan = rk_fit_plan_make();
    rk_diag diag;
    rk_fit fit;
    int i;

    ck_assert_int_eq(rk_fit_compute(record, &plan, &fit, NULL), RK_OK);
    ck_assert(!fit.moved_between);
    plan.instants = RK_MOVES_BETWEEN_ROWS;
    ck_assert_int_eq(rk_fit_compute(record, &plan, &fit, NULL), RK_OK);
    ck_assert(fit.moved_between && fit.between_rows == 1);
    ck_assert_double_gt(fit.model.dead_time, 20);
    rk_record_free(record);
    /* The record says it itself, of whole records and of their moves. */
    record = regime_record(regime_named("between rows, six moves"), 5);
    plan.instants = RK_MOVES_WEIGHED;
    ck_assert_int_eq(rk_fit_compute(record, &plan, &fit, NULL), RK_OK);
    ck_assert(fit.moved_between);
    rk_record_set_on_rows(record, true);
    ck_assert_int_eq(rk_fit_compute(record, &plan, &fit, NULL), RK_OK);
    ck_assert(!fit.moved_between && fit.open_instant == 0);
    rk_record_free(record);
    /* Too many moves to place. */
    ck_assert_int_eq(rk_record_create(&many, NULL), RK_OK);
    for (i = 0; i < 600; i++) {
        const double out = 42 + (i / 15 % 2), pv = 50 + (i % 15) + (0.1 * (i % 7));

        ck_assert_int_eq(rk_record_add(many, i, out, pv, NULL), RK_OK);
    }
    plan.instants = RK_MOVES_BETWEEN_ROWS;
    ck_assert_int_eq(rk_fit_compute(many, &plan, &fit, &diag), RK_ERR_DATA);
    ck_assert_ptr_nonnull(strstr(diag.text, "too often"));
    rk_record_free(many);
}
END_TEST

/* Any rows at all: few, coarse, with PV missing, OUT moved at random or ramped. */
static rk_record *any_record(rng *r)
{
    const int rows = 5 + (int)(rng_uniform(r) * 200);
    const double h = pow(10, (4 * rng_uniform(r)) - 2), gain = (4 * rng_uniform(r)) - 2;
    const double tau = h * pow(10, (3 * rng_uniform(r)) - 1),
                 often = pow(10, -2 * rng_uniform(r));
    const double noise = rng_uniform(r) < 0.2 ? 0 : pow(10, -3 * rng_uniform(r));
    const double quantum = rng_uniform(r) < 0.3 ? pow(10, -2 * rng_uniform(r)) : 0;
    const double missing = rng_uniform(r) < 0.3 ? 0.5 * rng_uniform(r) : 0;
    double out = 42, x = 0, t = 0;
    rk_record *record = NULL;
    int i;

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < rows; i++) {
        double pv;

        out = rng_uniform(r) < often ? 42 + round(10 * (rng_uniform(r) - 0.5)) : out;
        x += ((gain * (out - 42)) - x) * (1 - exp(-h / tau));
        pv = 50 + x + (noise * rng_normal(r)) +
             (rng_uniform(r) < 0.01 ? 20 * rng_uniform(r) : 0);
        pv = quantum > 0 ? quantum * round(pv / quantum) : pv;
        pv = rng_uniform(r) < missing ? QNAN : pv;
        ck_assert_int_eq(rk_record_add(record, t, out, pv, NULL), RK_OK);
        t += h * (rng_uniform(r) < 0.05 ? 1 + (5 * rng_uniform(r)) : 1);
    }
    return record;
}

START_TEST(any_record_gives_a_model_of_numbers_or_an_error)
{
    rng r = {(uint64_t)_i + 31U};
    rk_record *record = any_record(&r);
    rk_fit_plan plan = rk_fit_plan_make();
    rk_fit fit;

    plan.instants = (rk_move_instants)(_i % 3);
    if (rk_fit_compute(record, &plan, &fit, NULL) == RK_OK) {
        ck_assert_int_eq(rk_model_check(&fit.model, NULL), RK_OK);
        ck_assert(!isnan(fit.gain95[0]) && !isnan(fit.tau95[0][0]) && !isnan(fit.tau95[0][1]));
        ck_assert(fit.dead_time95[0] <= fit.model.dead_time &&
                  fit.dead_time95[1] >= fit.model.dead_time);
    }
    rk_record_free(record);
}
END_TEST

/* A record of one move there and back. */
static rk_record *make(const rk_model *m, double interval, int rows, int from, int to,
                       double noise, double ar, uint64_t seed)
{
    static double pv[ROWS_MOST];
    rk_record *still = NULL, *record = NULL;
    rng r = {seed};
    double e = noise * rng_normal(&r);
    int i;

    ck_assert_int_le(rows, ROWS_MOST);
    ck_assert_int_eq(rk_record_create(&still, NULL), RK_OK);
    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < rows; i++) {
        ck_assert_int_eq(
            rk_record_add(still, i * interval, i >= from && i < to ? 47 : 42, 0, NULL), RK_OK);
    }
    ck_assert_int_eq(rk_model_response_compute(m, still, pv, NULL), RK_OK);
    for (i = 0; i < rows; i++) {
        ck_assert_int_eq(
            rk_record_add(record, i * interval, rk_record_out(still)[i], pv[i] + e, NULL),
            RK_OK);
        e = (ar * e) + (noise * sqrt(1 - (ar * ar)) * rng_normal(&r));
    }
    rk_record_free(still);
    return record;
}

/* A day around one move: the numbers are those that the move alone gives. */
static const struct {
    rk_model m;
    double noise, ar;
} days[] = {
    {{RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8}, 0.008, 0},
    {{RK_MODEL_FOPDT, -0.118, {3, 0}, 0, 17.4, 42, 11.8}, 0.008, 0.8},
    {{RK_MODEL_SOPDT, 2, {60, 25}, 0, 12, 42, 50}, 0.1, 0.6},
    {{RK_MODEL_SOPDT_OSC, 2, {20, 0}, 0.4, 12, 42, 50}, 0.1, 0.6},
    {{RK_MODEL_IPDT, 0.002, {0, 0}, 0, 9, 42, 400}, 0.2, 0},
};

START_TEST(a_record_far_longer_than_its_process_is_fitted_all_the_same)
{
    const rk_model *m = &days[_i].m;
    rk_record *day = make(m, 1, ROWS_MOST, 30000, 30900, days[_i].noise, days[_i].ar, 77);
    rk_fit_plan plan = rk_fit_plan_make();
    rk_fit whole, part;

    plan.any_kind = false;
    plan.kind = m->kind;
    ck_assert_int_eq(rk_fit_compute(day, &plan, &whole, NULL), RK_OK);
    plan.from = 28000;
    plan.to = 34000;
    ck_assert_int_eq(rk_fit_compute(day, &plan, &part, NULL), RK_OK);
    ck_assert_double_eq_tol(whole.model.gain, m->gain, fabs(whole.gain95[1] - whole.gain95[0]));
    ck_assert_double_eq_tol(whole.model.dead_time, m->dead_time,
                            whole.dead_time95[1] - whole.dead_time95[0]);
    ck_assert_double_eq_tol(whole.model.gain, part.model.gain, part.gain95[1] - part.gain95[0]);
    if (rk_model_kind_times(m->kind) > 0) {
        ck_assert_double_eq_tol(whole.model.time_constant[0], m->time_constant[0],
                                whole.tau95[0][1] - whole.tau95[0][0]);
        /* What surrounds the move tells nothing of the times: they are as well known without. */
        ck_close(whole.tau95[0][1] - whole.tau95[0][0], part.tau95[0][1] - part.tau95[0][0],
                 0.25);
    }
    ck_assert(whole.drift == 0 && whole.load == 0);
    rk_record_free(day);
}
END_TEST

Suite *suite_fit_regimes(void)
{
    Suite *suite = suite_create("design/fit regimes");
    TCase *many = tcase_create("many records"), *t = tcase_create("long records");
    TCase *said = tcase_create("instants of moves");

    tcase_set_tags(many, "statistics");
    tcase_set_timeout(many, 120);
    add_some(many, intervals_hold_and_nothing_is_claimed_that_is_not_there,
             (size_t)regime_count);
    tcase_add_loop_test(many, noise_alone_is_no_answer, 0, 8);
    tcase_set_tags(t, "statistics");
    tcase_set_timeout(t, 60);
    add_table(t, a_record_far_longer_than_its_process_is_fitted_all_the_same, days);
    tcase_add_test(said, the_moves_instants_can_be_said);
    tcase_add_test(said, what_is_said_of_the_instants_is_taken_or_refused);
    add_some(said, any_record_gives_a_model_of_numbers_or_an_error, 12);
    suite_add_tcase(suite, said);
    suite_add_tcase(suite, many);
    suite_add_tcase(suite, t);
    return suite;
}
