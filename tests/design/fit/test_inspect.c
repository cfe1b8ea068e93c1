/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "../../support/support.h"

static rk_inspect_plan percent_range(void)
{
    rk_inspect_plan plan = rk_inspect_plan_make();

    plan.out_low = 0;
    plan.out_high = 100;
    return plan;
}

/* The step tests of known truth, as an engineer would call them. */
static const struct {
    const char *file, *verdict;
    size_t moves;
    double interval, noise, first_at, from, to;
    const char *kind;
} known[] = {
    {"clean_single_step", "good", 1, 1, 0, 60, 42, 47, "fopdt"},
    {"noisy_single_step", "good", 1, 0.5, 0.9, 20, 35, 41, "fopdt"},
    {"updown_doublet", "good", 3, 2, 0.012, 120, 50, 58, "fopdt"},
    {"staircase", "good", 4, 1, 0.15, 60, 48, 52, "fopdt"},
    {"integrating", "good", 4, 1, 0.08, 60, 41, 46, "ipdt"},
    {"second_order_two_lags", "good", 1, 5, 0.02, 200, 30, 45, "fopdt"},
    {"deadtime_dominant", "good", 2, 1, 0.015, 60, 38, 48, "fopdt"},
    {"near_zero_dead_time", "good", 2, 0.25, 0.25, 10, 30, 36, "fopdt"},
};

START_TEST(known_records_get_the_verdict_of_an_engineer)
{
    const rk_inspect_plan plan = percent_range();
    rk_record *record = NULL;
    rk_inspection made;
    char path[256];

    (void)snprintf(path, sizeof path, RK_SOURCE "/data/records/%s.csv", known[_i].file);
    ck_assert_int_eq(rk_record_read(path, NULL, &record, NULL, NULL), RK_OK);
    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, NULL, NULL), RK_OK);
    ck_assert_str_eq(rk_inspection_verdict(&made), known[_i].verdict);
    ck_assert_uint_eq(made.facts.moves, known[_i].moves);
    ck_close(made.facts.interval, known[_i].interval, 1e-9);
    ck_assert_double_eq_tol(made.facts.move[0].at, known[_i].first_at, 1e-6);
    ck_assert_double_eq_tol(made.facts.move[0].from, known[_i].from, 1e-6);
    ck_assert_double_eq_tol(made.facts.move[0].to, known[_i].to, 1e-6);
    /* A median of a few dozen to a few hundred rows: a quarter covers three standard errors. */
    ck_assert_double_eq_tol(made.facts.noise, known[_i].noise, (0.25 * known[_i].noise) + 1e-6);
    ck_assert_int_eq((int)made.steady_before, RK_YES);
    ck_assert(made.has_model);
    ck_assert_str_eq(rk_model_kind_to_text(made.rough.model.kind), known[_i].kind);
    ck_assert(made.next.known && made.next.possible);
    ck_assert_uint_eq(made.facts.gaps, 0);
    rk_record_free(record);
}
END_TEST

/* A sound step test of 600 rows, to be spoiled. */
typedef struct sample {
    double time, out, pv;
} sample;

enum { ROWS = 600 };

static void sound(sample *s)
{
    const recipe r = {-0.118, 46.5,  17.4, 11.8, 42, 1,
                      ROWS,   0.008, 0,    0,    5,  {{90, 5}, {350, -5}}};
    rk_record *record = cook(&r);
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i] = (sample){rk_record_time(record)[i], rk_record_out(record)[i],
                        round(rk_record_pv(record)[i] * 1000) / 1000};
    }
    rk_record_free(record);
}

/* The rows up to one that was taken out. */
static rk_record *record_of(const sample *s)
{
    rk_record *record = NULL;
    int i;

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < ROWS && !isnan(s[i].time); i++) {
        ck_assert_int_eq(rk_record_add(record, s[i].time, s[i].out, s[i].pv, NULL), RK_OK);
    }
    return record;
}

static void as_it_is(sample *s)
{
    (void)s;
}

static void drift_before(sample *s)
{
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].pv += 0.0015 * fmin(i, 90);
    }
}

static void drift_after(sample *s)
{
    int i;

    for (i = 500; i < ROWS; i++) {
        s[i].pv += 0.003 * (i - 500);
    }
}

static void coloured_but_steady(sample *s)
{
    rng r = {11};
    double noise = 0;
    int i;

    for (i = 0; i < ROWS; i++) {
        noise = (0.8 * noise) + (0.6 * 0.008 * rng_normal(&r));
        s[i].pv += noise;
    }
}

static void gap(sample *s)
{
    int i;

    for (i = 400; i < ROWS; i++) {
        s[i].time += 12;
    }
}

static void irregular(sample *s)
{
    rng r = {3};
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].time += 0.6 * (rng_uniform(&r) - 0.5);
    }
}

static void spikes(sample *s)
{
    s[200].pv += 0.3;
    s[470].pv -= 0.2;
}

static void stuck(sample *s)
{
    int i;

    for (i = 440; i < 480; i++) {
        s[i].pv = s[440].pv;
    }
}

static void stuck_long(sample *s)
{
    int i;

    for (i = 380; i < 560; i++) {
        s[i].pv = s[380].pv;
    }
}

static void dead(sample *s)
{
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].pv = 11.8;
    }
}

static void no_move(sample *s)
{
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].out = 42;
    }
}

static void jitter(sample *s)
{
    rng r = {8};
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].out += 0.05 * rng_normal(&r);
    }
}

static void coarse_jitter(sample *s)
{
    rng r = {8};
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].out += rng_uniform(&r) < 0.3 ? 0.1 : 0.0;
    }
}

static void jitter_alone(sample *s)
{
    no_move(s);
    jitter(s);
}

/* The valve needs 20 s for its 5 %. */
static void ramp(sample *s)
{
    int i;

    for (i = 1; i < ROWS; i++) {
        s[i].out = s[i - 1].out + fmax(fmin(s[i].out - s[i - 1].out, 0.25), -0.25);
    }
}

/* The same in steps of 0.5 % every other second. */
static void stepped_ramp(sample *s)
{
    int i;

    ramp(s);
    for (i = 0; i < ROWS; i++) {
        s[i].out = 42 + (0.5 * floor((s[i].out - 42) / 0.5));
    }
}

static void automatic(sample *s)
{
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].out = 42 + (4 * sin(i / 30.0));
    }
}

static void too_noisy(sample *s)
{
    rng r = {21};
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].pv += 6 * rng_normal(&r);
    }
}

static void noisy(sample *s)
{
    rng r = {20};
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].pv += 0.7 * rng_normal(&r);
    }
}

static void clipped(sample *s)
{
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].pv = fmax(s[i].pv, 11.5);
    }
}

static void coarse(sample *s)
{
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].pv = round(s[i].pv / 0.05) * 0.05;
    }
}

static void at_limit(sample *s)
{
    int i;

    for (i = 0; i < ROWS; i++) {
        s[i].out += 53;
    }
}

static void moved_at_once(sample *s)
{
    int i;

    for (i = 0; i + 88 < ROWS; i++) {
        s[i].out = s[i + 88].out;
        s[i].pv = s[i + 88].pv;
    }
    for (; i < ROWS; i++) {
        s[i].out = s[i - 1].out;
        s[i].pv = s[i - 40].pv;
    }
}

static void cut_short(sample *s)
{
    int i;

    for (i = 90 + 60; i < ROWS; i++) {
        s[i].time = QNAN; /* taken out */
    }
}

static const struct {
    void (*spoil)(sample *s);
    const char *verdict;
    size_t moves;
    const char *says; /* NULL: no finding at all */
} spoiled[] = {
    {as_it_is, "good", 2, NULL},
    {drift_before, "usable", 2, "PV was not steady before the first move"},
    {drift_after, "usable", 2, "PV moves on after the last move"},
    {coloured_but_steady, "good", 2, NULL},
    {gap, "good", 2, "no rows for 13 s, from 399 s on"},
    {irregular, "good", 2, "rows come irregularly"},
    {spikes, "good", 2, "2 spikes in PV, the first at 200 s"},
    {stuck, "usable", 2, "for 40 rows, from 440 s on: stuck"},
    {stuck_long, "unfit", 2, "for 180 rows, from"},
    {dead, "unfit", 2, "PV never moves: a dead sensor?"},
    {no_move, "unfit", 0, "OUT never moves"},
    {jitter, "good", 2, NULL},
    {coarse_jitter, "good", 2, NULL},
    {jitter_alone, "unfit", 0, "OUT never moves by more than its jitter"},
    {ramp, "good", 2, NULL},
    {stepped_ramp, "good", 2, NULL},
    {automatic, "usable", 0, "was the loop in automatic?"},
    {too_noisy, "unfit", 2, "times its noise)"},
    {noisy, "usable", 2, "the gain is known to +-"},
    {clipped, "unfit", 2, "PV is at an end of its range"},
    {coarse, "usable", 2, "PV comes in steps of 0.05 and moved only"},
    {at_limit, "usable", 2, "OUT is saturated"},
    {moved_at_once, "usable", 2, "only 2 rows before the first move"},
    {cut_short, "usable", 1, "PV was still moving when the record ended"},
};

START_TEST(what_is_wrong_with_a_record_is_found)
{
    rk_inspect_plan plan = percent_range();
    rk_record *record = NULL;
    rk_inspection made;
    rk_findings found;
    sample s[ROWS];
    bool said = false;
    size_t i;

    plan.pv_low = 11.5;
    plan.pv_high = 20;
    if (spoiled[_i].spoil != clipped) {
        plan.pv_low = 0;
    }
    sound(s);
    spoiled[_i].spoil(s);
    record = record_of(s);
    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, &found, NULL), RK_OK);
    for (i = 0; i < found.count; i++) {
        const char *what = found.list[i].what;

        said = said || (spoiled[_i].says != NULL && strstr(what, spoiled[_i].says) != NULL);
        ck_assert_msg(spoiled[_i].says != NULL, "row %d finds: %s", _i, what);
        ck_assert_str_ne(found.list[i].advice, "");
    }
    ck_assert_msg(said || spoiled[_i].says == NULL, "row %d does not say '%s'; first: %s", _i,
                  spoiled[_i].says, found.count > 0 ? found.list[0].what : "-");
    ck_assert_msg(strcmp(rk_inspection_verdict(&made), spoiled[_i].verdict) == 0, "row %d: %s",
                  _i, rk_inspection_verdict(&made));
    if (spoiled[_i].spoil != automatic) {
        ck_assert_uint_eq(made.facts.moves, spoiled[_i].moves);
    }
    rk_record_free(record);
}
END_TEST

START_TEST(a_ramp_is_one_move_with_its_length)
{
    const rk_inspect_plan plan = percent_range();
    rk_record *record = NULL;
    rk_inspection made;
    sample s[ROWS];

    sound(s);
    ramp(s);
    record = record_of(s);
    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, NULL, NULL), RK_OK);
    ck_assert_double_eq(made.facts.move[0].at, 90);
    ck_assert_double_eq(made.facts.move[0].until, 109);
    ck_assert_double_eq(made.facts.move[0].from, 42);
    ck_assert_double_eq(made.facts.move[0].to, 47);
    ck_assert_double_eq(made.facts.move[1].to, 42);
    ck_close(made.facts.quantum, 0.001, 1e-6);
    rk_record_free(record);
}
END_TEST

/* Bad rows are told from what the reader dropped. */
START_TEST(dropped_rows_are_told)
{
    rk_inspect_plan plan = percent_range();
    const recipe r = {2, 10, 4.3, 50, 30, 1, 200, 0.05, 0, 0, 1, {{60, 5}}};
    rk_record *record = cook(&r);
    rk_inspection made;
    rk_findings found;

    plan.dropped = 30;
    plan.read = 230;
    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, &found, NULL), RK_OK);
    ck_assert_str_eq(rk_inspection_verdict(&made), "usable");
    ck_assert_ptr_nonnull(strstr(found.list[0].what, "30 of 230 rows were bad"));
    rk_record_free(record);
}
END_TEST

/* Made as it says, 60 times, the next test scatters as it says. */
static const struct {
    double gain, tau, theta, interval, sigma, ar;
} processes[] = {
    {-0.118, 46.5, 17.4, 1, 0.03, 0},
    {1.9, 6.2, 1.85, 0.5, 2.5, 0},
    {-0.13, 11.5, 34.5, 1, 0.05, 0},
    {2.2, 4.1, 0.04, 0.25, 0.5, 0},
};

START_TEST(the_next_test_gives_what_it_promises)
{
    rk_inspect_plan plan = percent_range();
    recipe r = {processes[_i].gain,
                processes[_i].tau,
                processes[_i].theta,
                50,
                40,
                processes[_i].interval,
                400,
                processes[_i].sigma,
                0,
                processes[_i].ar,
                7,
                {{processes[_i].interval * 100, 5}}};
    rk_record *record = cook(&r);
    double gain_square = 0, theta_square = 0;
    rk_inspection made;
    rk_next_test n;
    int i;

    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, NULL, NULL), RK_OK);
    rk_record_free(record);
    n = made.next;
    ck_assert(n.known && n.possible);
    ck_assert_double_le(n.gain_percent, 5.0001);
    ck_assert_double_le(n.dead_time_error, n.dead_time_wanted * 1.0001);
    ck_assert_double_le(fabs(n.out_move), 60);

    r.rows = (size_t)((n.moves + 0.5) * n.wait / r.interval);
    memset(r.moves, 0, sizeof r.moves);
    ck_assert_int_le(n.moves, 8);
    for (i = 0; i < n.moves; i++) {
        const bool inner = n.moves > 2 && i > 0 && i < n.moves - 1;

        r.moves[i].at = (0.5 + i) * n.wait;
        r.moves[i].size = (i % 2 == 0 ? 1 : -1) * n.out_move * (inner ? 2 : 1);
    }
    for (i = 0; i < 60; i++) {
        rk_fit fit;

        r.seed = 1000 + (uint64_t)i;
        record = cook(&r);
        ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
        gain_square += pow((fit.model.gain / r.gain) - 1, 2);
        theta_square += pow(fit.model.dead_time - r.theta, 2);
        rk_record_free(record);
    }
    /* Of 60 tries the scatter is known to 10 %; the rough model adds its own uncertainty. */
    ck_assert_double_lt(196 * sqrt(gain_square / 60), 1.4 * n.gain_percent);
    ck_assert_double_gt(196 * sqrt(gain_square / 60), 0.6 * n.gain_percent);
    ck_assert_double_lt(1.96 * sqrt(theta_square / 60), 1.5 * n.dead_time_error);
    if (r.theta > r.interval) { /* a dead time near zero cannot scatter to below it */
        ck_assert_double_gt(1.96 * sqrt(theta_square / 60), 0.6 * n.dead_time_error);
    }
}
END_TEST

START_TEST(a_test_that_cannot_be_had_is_told)
{
    rk_inspect_plan plan = percent_range();
    const recipe r = {2, 10, 4.3, 50, 30, 1, 300, 1, 0, 0, 1, {{60, 10}}};
    rk_record *record = cook(&r);
    rk_inspection made;
    char text[400];

    plan.out_low = 35;
    plan.out_high = 45;
    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, NULL, NULL), RK_OK);
    ck_assert(made.next.known && made.next.possible);
    ck_assert_double_le(fabs(made.next.out_move), 5.0);
    plan.out_low = 39.9;
    plan.out_high = 40.1;
    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, NULL, NULL), RK_OK);
    ck_assert(made.next.known && !made.next.possible);
    rk_next_test_words(&made, "%", text, sizeof text);
    ck_assert_ptr_nonnull(strstr(text, "No test within OUT's limits"));
    rk_record_free(record);
}
END_TEST

START_TEST(what_cannot_be_inspected_is_an_error)
{
    const rk_inspect_plan plan = percent_range();
    rk_record *record = NULL;
    rk_inspection made;
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, NULL, &diag), RK_ERR_DATA);
    ck_assert_str_eq(diag.text, "0 row: a record needs 2 at least");
    ck_assert_int_eq(rk_inspection_compute(NULL, &plan, &made, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_record_add(record, 0, 1, 2, NULL), RK_OK);
    ck_assert_int_eq(rk_record_add(record, 1, 2, 3, NULL), RK_OK);
    ck_assert_int_eq(rk_inspection_compute(record, &plan, &made, NULL, NULL), RK_OK);
    ck_assert_str_eq(rk_inspection_verdict(&made), "unfit");
    rk_record_free(record);
}
END_TEST

Suite *suite_inspect(void)
{
    Suite *suite = suite_create("design/inspect");
    TCase *t = tcase_create("inspect");
    TCase *many = tcase_create("statistics");

    add_table(t, known_records_get_the_verdict_of_an_engineer, known);
    add_some(t, what_is_wrong_with_a_record_is_found, COUNT(spoiled));
    tcase_add_test(t, a_ramp_is_one_move_with_its_length);
    tcase_add_test(t, dropped_rows_are_told);
    tcase_add_test(t, a_test_that_cannot_be_had_is_told);
    tcase_add_test(t, what_cannot_be_inspected_is_an_error);
    /* Hundreds of runs that say nothing new under the sanitizers. */
    tcase_set_tags(many, "statistics");
    add_table(many, the_next_test_gives_what_it_promises, processes);
    suite_add_tcase(suite, many);
    suite_add_tcase(suite, t);
    return suite;
}
