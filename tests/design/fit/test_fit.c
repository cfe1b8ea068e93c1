/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <jansson.h>

#include "../../support/support.h"

/* The step tests of known truth that are first order plus dead time. */
static const char *const known[] = {"clean_single_step.csv", "noisy_single_step.csv",
                                    "updown_doublet.csv",    "staircase.csv",
                                    "deadtime_dominant.csv", "near_zero_dead_time.csv"};

static json_t *truth_of(json_t *all, const char *file)
{
    json_t *records = json_object_get(all, "records"), *one;
    size_t i;

    json_array_foreach(records, i, one)
    {
        if (strcmp(json_string_value(json_object_get(one, "file")), file) == 0) return one;
    }
    ck_abort_msg("no truth of %s", file);
    return NULL;
}

static rk_record *known_record(json_t *truth)
{
    const char *path =
        path_in(RK_SOURCE "/data/records", json_string_value(json_object_get(truth, "file")));
    rk_record *record = NULL;
    rk_diag diag = {RK_OK, ""};

    ck_assert_msg(rk_record_read(path, NULL, &record, NULL, &diag) == RK_OK, "%s", diag.text);
    return record;
}

static void inside(const char *file, const char *what, double truth, const double *interval)
{
    ck_assert_msg(truth >= interval[0] && truth <= interval[1],
                  "%s: the %s %g is not within %g to %g", file, what, truth, interval[0],
                  interval[1]);
}

START_TEST(truth_is_inside_the_intervals)
{
    json_t *all = json_load_file(RK_SOURCE "/data/records/truth.json", 0, NULL);
    json_t *truth = truth_of(all, known[_i]);
    const double gain = json_number_value(json_object_get(truth, "gain"));
    const double tau =
        json_number_value(json_array_get(json_object_get(truth, "time_constant"), 0));
    const double theta = json_number_value(json_object_get(truth, "dead_time"));
    rk_record *record = known_record(truth);
    rk_fit fit;

    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
    inside(known[_i], "gain", gain, fit.gain95);
    inside(known[_i], "time constant", tau, fit.tau95[0]);
    inside(known[_i], "dead time", theta, fit.dead_time95);
    ck_assert_uint_eq(fit.rows, (size_t)json_integer_value(json_object_get(truth, "rows")));
    ck_assert_uint_eq(fit.moves, json_array_size(json_object_get(truth, "out_moves")));
    ck_assert_int_lt((int)rk_fit_level(&fit), RK_LEVEL_UNFIT);
    if (_i == 0) { /* the clean one, to 0.1 % */
        ck_close(fit.model.gain, gain, 1e-3);
        ck_close(fit.model.time_constant[0], tau, 1e-3);
        ck_close(fit.model.dead_time, theta, 1e-3);
    }
    rk_record_free(record);
    json_decref(all);
}
END_TEST

/* Without noise the truth must come back, whatever the scales, the sampling and the moves. */
static const struct {
    const char *fact;
    recipe r;
} exact[] = {
    {"a step", {2, 10, 4.3, 50, 30, 1, 200, 0, 0, 0, 1, {{20, 5}}}},
    {"microseconds", {2, 1e-5, 4.3e-6, 50, 30, 1e-6, 200, 0, 0, 0, 1, {{2e-5, 5}}}},
    {"weeks", {2, 1e6, 4.3e5, 50, 30, 1e5, 200, 0, 0, 0, 1, {{2e6, 5}}}},
    {"tiny PV on a huge baseline", {1e-3, 10, 4.3, 1e6, 30, 1, 200, 0, 0, 0, 1, {{20, 5}}}},
    {"huge gain", {-1e9, 10, 4.3, 0, 30, 1, 200, 0, 0, 0, 1, {{20, 5}}}},
    {"tiny OUT", {2, 10, 4.3, 50, 0, 1, 200, 0, 0, 0, 1, {{20, 1e-9}}}},
    {"irregular sampling", {2, 10, 4.3, 50, 30, 1, 200, 0, 0.8, 0, 9, {{20, 5}}}},
    {"six moves",
     {2,
      10,
      4.3,
      50,
      30,
      1,
      500,
      0,
      0,
      0,
      1,
      {{20, 5}, {60, -3}, {90, 8}, {150, -12}, {220, 2}, {300, 4}}}},
    {"periodic moves, which a dead time of a period also explains",
     {2,
      6,
      3.3,
      50,
      30,
      1,
      400,
      0,
      0,
      0,
      1,
      {{40, 5}, {80, -5}, {120, 5}, {160, -5}, {200, 5}, {240, -5}, {280, 5}}}},
    {"no dead time", {2, 10, 0, 50, 30, 1, 200, 0, 0, 0, 1, {{20, 5}}}},
    {"dead time below a sample", {2, 10, 0.37, 50, 30, 1, 200, 0, 0, 0, 1, {{20, 5}}}},
    {"dead time of a whole number of samples",
     {2, 10, 7, 50, 30, 1, 200, 0, 0, 0, 1, {{20, 5}}}},
    {"dead time ten time constants", {2, 2, 20.6, 50, 30, 0.5, 300, 0, 0, 0, 1, {{20, 5}}}},
    {"time constant near a sample", {2, 1.5, 4.3, 50, 30, 1, 100, 0, 0, 0, 1, {{20, 5}}}},
    {"a slow process", {2, 80, 4.3, 50, 30, 1, 500, 0, 0, 0, 1, {{20, 5}}}},
    {"five rows after the move", {2, 1.5, 0.6, 50, 30, 1, 8, 0, 0, 0, 1, {{1, 5}}}},
};

START_TEST(without_noise_the_truth_comes_back)
{
    const recipe *r = &exact[_i].r;
    rk_record *record = cook(r);
    rk_diag diag = {RK_OK, ""};
    rk_fit fit;

    ck_assert_msg(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, &diag) == RK_OK, "%s: %s",
                  exact[_i].fact, diag.text);
    ck_assert_msg(close_to(fit.model.gain, r->gain, 1e-5), "%s: gain %g", exact[_i].fact,
                  fit.model.gain);
    ck_assert_msg(close_to(fit.model.time_constant[0], r->tau, 1e-5), "%s: time constant %g",
                  exact[_i].fact, fit.model.time_constant[0]);
    ck_assert_msg(fabs(fit.model.dead_time - r->theta) < 1e-5 * (r->tau + r->theta),
                  "%s: dead time %g", exact[_i].fact, fit.model.dead_time);
    ck_assert_double_eq(fit.model.out0, r->out0);
    ck_assert_double_gt(fit.fit_percent, 99.99);
    rk_record_free(record);
}
END_TEST

/* The model run freely gives back what it was made from. */
START_TEST(response_of_the_true_model_is_the_record)
{
    const recipe *r = &exact[_i].r;
    const rk_model model = {RK_MODEL_FOPDT, r->gain, {r->tau, 0}, 0, r->theta, r->out0, r->pv0};
    rk_record *record = cook(r);
    const size_t rows = rk_record_rows(record);
    double pv[600];
    size_t i;

    ck_assert_uint_le(rows, COUNT(pv));
    ck_assert_int_eq(rk_model_response_compute(&model, record, pv, NULL), RK_OK);
    for (i = 0; i < rows; i++) {
        ck_assert_double_eq_tol(pv[i], rk_record_pv(record)[i],
                                1e-9 * (fabs(r->pv0) + fabs(r->gain * r->moves[0].size)));
    }
    rk_record_free(record);
}
END_TEST

/* A row without PV is OUT's alone: kept where OUT moves, its PV drawn between its neighbours. */
START_TEST(a_row_without_pv_is_kept_where_out_moves)
{
    static const struct {
        double time, out, pv;
        size_t rows; /* then */
    } added[] = {{0, 42, QNAN, 0}, {1, 42, 10, 1},   {2, 42, QNAN, 1},
                 {3, 47, QNAN, 2}, {4, 47, QNAN, 2}, {5, 47, 14, 3}};
    rk_record *record = NULL;
    size_t i;

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < COUNT(added); i++) {
        ck_assert_int_eq(rk_record_add(record, added[i].time, added[i].out, added[i].pv, NULL),
                         RK_OK);
        ck_assert_uint_eq(rk_record_rows(record), added[i].rows);
    }
    ck_assert_double_eq(rk_record_time(record)[1], 3);
    ck_assert_double_eq(rk_record_pv(record)[1], 12);
    ck_assert(!rk_record_missing(record)[0] && rk_record_missing(record)[1]);
    ck_assert_int_eq(rk_record_add(record, 6, 47, HUGE_VAL, NULL), RK_ERR_RANGE);
    ck_assert(!rk_record_on_rows(record));
    rk_record_free(record);
}
END_TEST

START_TEST(intervals_cover_the_truth_as_often_as_they_say)
{
    enum { RUNS = 200 };
    recipe r = {-0.5, 20, 6.4, 60, 40, 1, 240, 0.15, 0, 0, 0, {{20, 5}, {120, -8}}};
    int gain = 0, tau = 0, theta = 0, run;

    for (run = 0; run < RUNS; run++) {
        rk_record *record;
        rk_fit fit;

        r.seed = (uint64_t)run + 100;
        record = cook(&r);
        ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
        gain += r.gain >= fit.gain95[0] && r.gain <= fit.gain95[1];
        tau += r.tau >= fit.tau95[0][0] && r.tau <= fit.tau95[0][1];
        theta += r.theta >= fit.dead_time95[0] && r.theta <= fit.dead_time95[1];
        rk_record_free(record);
    }
    /* 190 expected; the binomial's 1 in 10,000 lies at 177. */
    ck_assert_int_ge(gain, 177);
    ck_assert_int_ge(tau, 177);
    ck_assert_int_ge(theta, 177);
}
END_TEST

/* Doubtful records: what the findings must name, and how gravely. */
static const struct {
    const char *fact, *says;
    rk_level level;
    recipe r;
} doubtful[] = {
    {"noise alone",
     "could be zero",
     RK_LEVEL_UNFIT,
     {1e-9, 10, 4, 50, 30, 1, 300, 1, 0, 0, 4, {{50, 5}}}},
    {"cut short",
     "the record ends",
     RK_LEVEL_UNFIT,
     {2, 60, 4, 50, 30, 1, 75, 0.05, 0, 0, 2, {{20, 5}}}},
    {"ended early",
     "the record ends",
     RK_LEVEL_CAUTION,
     {2, 30, 4, 50, 30, 1, 100, 0.05, 0, 0, 2, {{20, 5}}}},
    {"an integrator",
     "integrating process",
     RK_LEVEL_UNFIT,
     {2000, 100000, 4, 50, 30, 1, 200, 0.5, 0, 0, 3, {{20, 5}, {60, -5}}}},
    {"coloured noise",
     "the noise is coloured (correlation 0.",
     RK_LEVEL_NOTE,
     {2, 10, 4, 50, 30, 1, 300, 0.5, 0, 0.8, 5, {{50, 5}}}},
    {"no dead time to see",
     "cannot be told from zero",
     RK_LEVEL_NOTE,
     {2, 10, 0, 50, 30, 1, 300, 0.3, 0, 0, 6, {{50, 5}}}},
    {"faster than it was sampled",
     "below half the sampling interval",
     RK_LEVEL_CAUTION,
     {2, 0.2, 4.5, 50, 30, 1, 100, 0.05, 0, 0, 7, {{50, 5}}}},
    {"buried in noise",
     "explains only",
     RK_LEVEL_CAUTION,
     {2, 10, 4, 50, 30, 1, 600, 8, 0, 0, 8, {{50, 5}, {300, -5}}}},
};

START_TEST(doubtful_records_are_named)
{
    rk_record *record = cook(&doubtful[_i].r);
    bool named = false;
    rk_fit fit;
    rk_findings found;
    size_t i;

    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
    found = rk_fit_findings(&fit);
    for (i = 0; i < found.count; i++) {
        const rk_finding *f = &found.list[i];

        ck_assert_uint_gt(strlen(f->advice), 10);
        if (strstr(f->what, doubtful[_i].says) != NULL && f->level == doubtful[_i].level) {
            named = true;
        }
    }
    ck_assert_msg(named, "%s: not named (gain %g, tau %g, theta %g, %zu findings)",
                  doubtful[_i].fact, fit.model.gain, fit.model.time_constant[0],
                  fit.model.dead_time, found.count);
    rk_record_free(record);
}
END_TEST

/* Rows of OUT and PV, at 0, 1, 2 ... s. */
static const struct {
    const char *says;
    size_t rows;
    double out[8], pv[8];
} refused[] = {
    {"too few", 0, {0}, {0}},
    {"too few", 4, {1, 2, 2, 2}, {1, 2, 3, 4}},
    {"OUT never moves", 8, {5, 5, 5, 5, 5, 5, 5, 5}, {1, 2, 3, 4, 5, 6, 7, 8}},
    {"PV never moves", 8, {5, 6, 6, 6, 6, 6, 6, 6}, {2, 2, 2, 2, 2, 2, 2, 2}},
    {"OUT first moves at row 8", 8, {5, 5, 5, 5, 5, 5, 5, 6}, {1, 2, 1, 2, 1, 2, 1, 2}},
};

START_TEST(records_that_cannot_tell_are_refused)
{
    rk_diag diag = {RK_OK, ""};
    rk_record *record = NULL;
    rk_fit fit;
    size_t i;

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < refused[_i].rows; i++) {
        ck_assert_int_eq(
            rk_record_add(record, (double)i, refused[_i].out[i], refused[_i].pv[i], NULL),
            RK_OK);
    }
    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, &diag), RK_ERR_DATA);
    ck_assert_msg(strstr(diag.text, refused[_i].says) != NULL, "%s", diag.text);
    rk_record_free(record);
}
END_TEST

START_TEST(long_records_are_thinned_without_losing_the_minimum)
{
    const recipe r = {-0.4, 25, 11.3, 20, 55, 0.1, 100000, 0.2, 0, 0, 3, {{30, 5}, {5000, -5}}};
    rk_record *record = cook(&r);
    rk_fit fit;

    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
    /* Twice the standard deviation that the noise allows. */
    ck_close(fit.model.gain, -0.4, 2e-3);
    ck_close(fit.model.time_constant[0], 25, 2e-2);
    ck_close(fit.model.dead_time, 11.3, 4e-2);
    rk_record_free(record);
}
END_TEST

/* Feedback of the valve's position jitters: every row is a small move of OUT. */
START_TEST(output_feedback_that_jitters_is_no_obstacle)
{
    const recipe r = {2, 10, 4.3, 50, 30, 1, 1500, 0, 0, 0, 1, {{200, 5}, {700, -5}}};
    rk_record *clean = cook(&r), *record = NULL;
    rng random = {12};
    rk_fit fit;
    size_t i;

    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < rk_record_rows(clean); i++) {
        ck_assert_int_eq(rk_record_add(record, rk_record_time(clean)[i],
                                       rk_record_out(clean)[i] + (0.01 * rng_normal(&random)),
                                       rk_record_pv(clean)[i], NULL),
                         RK_OK);
    }
    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
    ck_close(fit.model.gain, 2, 5e-3);
    ck_close(fit.model.time_constant[0], 10, 1e-2);
    ck_close(fit.model.dead_time, 4.3, 3e-2);
    rk_record_free(record);
    rk_record_free(clean);
}
END_TEST

/* A controller moves OUT in every row: thousands of moves, each as large as the others. */
START_TEST(output_that_moves_in_every_row_is_no_obstacle)
{
    const rk_model model = fopdt(2, 10, 4.3);
    rk_real memory[16];
    rk_plant_params params;
    rk_record *record = NULL;
    rng random = {99};
    rk_plant plant;
    double out = 0;
    rk_fit fit;
    int i;

    ck_assert_int_eq(rk_plant_params_from_model(&model, 1, &params, NULL), RK_OK);
    ck_assert_int_eq(rk_plant_init(&plant, &params, memory, 16, 0), RK_OK);
    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < 4000; i++) {
        const double pv = rk_plant_pv(&plant) + (0.02 * rng_normal(&random));

        if (i > 0) {
            out = (0.9 * out) + rng_normal(&random);
        }
        ck_assert_int_eq(rk_record_add(record, i, out, pv, NULL), RK_OK);
        (void)rk_plant_scan(&plant, out);
    }
    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, NULL), RK_OK);
    ck_close(fit.model.gain, 2, 5e-3);
    ck_close(fit.model.time_constant[0], 10, 5e-3);
    ck_close(fit.model.dead_time, 4.3, 5e-3);
    rk_record_free(record);
}
END_TEST

START_TEST(record_takes_rising_finite_rows_only)
{
    rk_diag diag = {RK_OK, ""};
    rk_record *record = NULL;
    rk_fit fit;

    ck_assert_int_eq(rk_record_create(NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    ck_assert_int_eq(rk_record_add(record, 1, 2, 3, NULL), RK_OK);
    ck_assert_int_eq(rk_record_add(record, 1, 2, 3, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "row 2"));
    ck_assert_int_eq(rk_record_add(record, 0.5, 2, 3, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_record_add(record, 2, QNAN, 3, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_record_add(record, 2, 2, HUGE_VAL, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_record_add(NULL, 2, 2, 3, NULL), RK_ERR_ARG);
    ck_assert_uint_eq(rk_record_rows(record), 1);
    ck_assert_int_eq(rk_fit_compute_kind(NULL, RK_MODEL_FOPDT, &fit, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_fit_compute_kind(record, RK_MODEL_FOPDT, NULL, NULL), RK_ERR_ARG);
    rk_record_free(record);
    rk_record_free(NULL);
}
END_TEST

/* A model that was not fitted, over the record of a process that stands elsewhere. */
START_TEST(a_model_is_laid_over_a_record_where_it_fits_best)
{
    const recipe r = {.gain = 2,
                      .tau = 20,
                      .theta = 5,
                      .pv0 = 7,
                      .out0 = 40,
                      .interval = 1,
                      .rows = 300,
                      .moves = {{30, 4}}};
    rk_record *record = cook(&r);
    rk_model model = fopdt(2, 20, 5);
    rk_fit fit;

    ck_assert_int_eq(
        rk_fit_lay_over(record, &model, (rk_lay_over){.out0 = true, .pv0 = true}, &fit, NULL),
        RK_OK);
    ck_assert_double_eq_tol(fit.model.out0, 40, 1e-12);
    ck_assert_double_eq_tol(fit.model.pv0, 7, 1e-9);
    ck_assert_double_eq_tol(fit.fit_percent, 100, 1e-6);
    model.out0 = 40; /* PV may not move; the shape is judged without the offset all the same */
    ck_assert_int_eq(rk_fit_lay_over(record, &model, (rk_lay_over){.out0 = true}, &fit, NULL),
                     RK_OK);
    ck_assert_double_eq(fit.model.pv0, 0);
    ck_assert_double_eq_tol(fit.rmse, 0, 1e-9);
    ck_assert_int_eq(rk_fit_lay_over(NULL, &model, (rk_lay_over){.pv0 = true}, &fit, NULL),
                     RK_ERR_ARG);
    model.time_constant[0] = -1;
    ck_assert_int_eq(rk_fit_lay_over(record, &model, (rk_lay_over){.pv0 = true}, &fit, NULL),
                     RK_ERR_RANGE);
    rk_record_free(record);
}
END_TEST

Suite *suite_fit(void)
{
    Suite *suite = suite_create("design/fit");
    TCase *t = tcase_create("fit");
    TCase *many = tcase_create("statistics");

    add_table(t, truth_is_inside_the_intervals, known);
    tcase_add_test(t, a_row_without_pv_is_kept_where_out_moves);
    add_table(t, without_noise_the_truth_comes_back, exact);
    add_table(t, response_of_the_true_model_is_the_record, exact);
    add_table(t, doubtful_records_are_named, doubtful);
    add_table(t, records_that_cannot_tell_are_refused, refused);
    tcase_add_test(t, long_records_are_thinned_without_losing_the_minimum);
    tcase_add_test(t, output_feedback_that_jitters_is_no_obstacle);
    tcase_add_test(t, output_that_moves_in_every_row_is_no_obstacle);
    tcase_add_test(t, record_takes_rising_finite_rows_only);
    tcase_add_test(t, a_model_is_laid_over_a_record_where_it_fits_best);
    /* Hundreds of runs that say nothing new under the sanitizers. */
    tcase_set_tags(many, "statistics");
    tcase_add_test(many, intervals_cover_the_truth_as_often_as_they_say);
    suite_add_tcase(suite, many);
    suite_add_tcase(suite, t);
    return suite;
}
