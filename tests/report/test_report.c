/* SPDX-License-Identifier: MIT */
/* Results as rows, and the rows as text, JSON and CSV. */
#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "../support/loops.h"
#include "../support/support.h"

static const rk_report_style plain = {false, false}, minutes = {true, false},
                             coloured = {false, true};

/* The blend loop with its ranges, and what a step test knew of it. */
static rk_design blend(void)
{
    rk_design d = brix_loop();

    d.pv_low = 0;
    d.pv_high = 20;
    d.noise = 0.01;
    return d;
}

static rk_status add_inspection(rk_report *r)
{
    const rk_design d = blend();
    rk_inspect_plan plan = rk_inspect_plan_make();
    rk_record *record = NULL;
    rk_inspection made;
    rk_findings found;
    rk_status status =
        rk_record_read(RK_SOURCE "/data/blend-brix.csv", NULL, &record, NULL, NULL);

    plan.out_low = 0;
    plan.out_high = 100;
    if (status == RK_OK) {
        status = rk_inspection_compute(record, &plan, &made, &found, NULL);
    }
    rk_record_free(record);
    return status == RK_OK ? rk_report_add_inspection(r, &d, &made, &found, 3) : status;
}

static rk_status add_fit(rk_report *r)
{
    const rk_design d = blend();
    rk_fit_plan plan = rk_fit_plan_make();
    rk_record *record = NULL;
    rk_hand_fits hand;
    rk_fit fit;
    const rk_fit_results results = {.fit = &fit, .hand = &hand, .rival = &fit};
    rk_status status =
        rk_record_read(RK_SOURCE "/data/blend-brix.csv", NULL, &record, NULL, NULL);

    if (status == RK_OK) {
        status = rk_fit_compute(record, &plan, &fit, NULL);
    }
    if (status == RK_OK) {
        status = rk_hand_fits_compute(record, &hand, NULL);
    }
    rk_record_free(record);
    return status == RK_OK ? rk_report_add_fit(r, &d, &results) : status;
}

static rk_status add_tunings(rk_report *r)
{
    const rk_design d = blend();
    const rk_knobs knobs = rk_knobs_make();
    rk_tuning list[RK_TUNINGS_MAX];
    rk_sampling room;
    rk_performance performance[RK_TUNINGS_MAX];
    rk_tune_results results = {
        .tuning = list, .performance = performance, .knobs = &knobs, .sources = true};
    size_t i;

    if (rk_tunings_compute(&d.model, NULL, NULL, &knobs, list, &results.count, NULL) != RK_OK) {
        return RK_ERR_RANGE;
    }
    for (i = 0; i < results.count; i++) {
        performance[i] = rk_performance_none();
        if (list[i].usable) {
            (void)rk_performance_compute(&d.model, &list[i].settings,
                                         rk_design_sampling(&d, &room), &performance[i], NULL);
        }
    }
    return rk_report_add_tunings(r, &d, &results);
}

static rk_status add_forms(rk_report *r)
{
    const rk_design d = blend();

    return rk_report_add_forms(r, &d);
}

static rk_status add_search(rk_report *r)
{
    const rk_design d = blend();
    rk_search_plan plan = rk_search_plan_for(&d);
    rk_search_result found;
    const rk_search_results results = {
        .found = &found, .plan = &plan, .model_error = (double)NAN};
    rk_status status;

    plan.mode = "P";
    status = rk_search_compute(&plan, &found, NULL);
    return status == RK_OK ? rk_report_add_search(r, &d, &results) : status;
}

static rk_status add_check(rk_report *r)
{
    const rk_design d = blend();
    const rk_check_plan plan = rk_check_plan_make();
    rk_check check;
    const rk_status status = rk_check_compute(&d, &plan, &check, NULL);

    return status == RK_OK ? rk_report_add_check(r, &d, &plan, &check) : status;
}

static rk_status add_trials(rk_report *r)
{
    const rk_design d = blend();
    const double none = (double)NAN;
    rk_trial_case cases[2] = {rk_trial_case_of(&d, false), rk_trial_case_of(&d, false)};
    rk_trial_plan plan = {.sp_step = 0.5,
                          .load_step = 6,
                          .duration = none,
                          .load_at = none,
                          .noise = none,
                          .band = none};
    rk_trial *trials[2] = {NULL};
    const rk_trials results = {(const rk_trial *const *)trials, 2, &plan, NULL, NULL};
    rk_status status;
    int i;

    cases[1].settings.kc *= 0.5;
    rk_trial_plan_complete(&plan, &d, cases, 2);
    for (i = 0; i < 2; i++) {
        ck_assert_int_eq(rk_trial_create(&cases[i], &plan, &trials[i], NULL), RK_OK);
    }
    status = rk_report_add_trials(r, &d, &results);
    rk_trial_free(trials[0]);
    rk_trial_free(trials[1]);
    return status;
}

static rk_status add_open_step(rk_report *r)
{
    const rk_design d = blend();
    rk_open_step found;
    rk_trial *trial = NULL;
    rk_status status = rk_open_step_compute(&d.model, 1, 5, nan(""), &trial, &found, NULL);

    rk_trial_free(trial);
    return status == RK_OK ? rk_report_add_open_step(r, &d, &found) : status;
}

static rk_status add_emitted(rk_report *r)
{
    static const rk_emitted_file files[] = {{"plc/a.st", "the controller"}, {"plc/a.c", ""}};
    const rk_design d = blend();

    return rk_report_add_emitted(r, &d, false, files, COUNT(files));
}

static rk_status add_equations(rk_report *r)
{
    const rk_design d = blend();

    return rk_report_add_equations(r, &d, RK_NUMBER_LREAL, NULL);
}

static const rk_proof proof = {.part = {{.what = "Structured Text", .ran = true, .scans = 100},
                                        {.what = "C",
                                         .scans = 7,
                                         .mismatches = 1,
                                         .first = 6,
                                         .pin = "out",
                                         .wanted = 1,
                                         .got = 2,
                                         .worst = 1}},
                               .parts = 2,
                               .scans = 107,
                               .mismatches = 1,
                               .worst_difference = 1};

static rk_status add_proof(rk_report *r)
{
    const rk_design d = blend();
    const rk_proof_results results = {
        .proof = &proof, .where = "plc", .has_vectors = true, .same_vectors = true};

    return rk_report_add_proof(r, &d, &results);
}

static rk_status add_block_proof(rk_report *r)
{
    const rk_design d = blend();

    const rk_block_probe probe = {.kc = -11.3,
                                  .ti = 2790,
                                  .sp_weight = 1,
                                  .look = {"it takes ti in minutes, and was given seconds"},
                                  .looks = 1};

    return rk_report_add_block_proof(r, &d, &proof.part[1], &probe, "mine.st");
}

static rk_status add_sheet(rk_report *r)
{
    const rk_design d = blend();

    return rk_report_add_sheet(r, &d, &proof, NULL);
}

static rk_status add_bump(rk_report *r)
{
    const rk_design d = blend();
    const rk_bump_result result = {"t.csv", 30, RK_BUMP_DONE, "", 42, 30, true};

    return rk_report_add_bump(r, &d, &result);
}

static rk_status add_relay(rk_report *r)
{
    const rk_design d = blend();
    const rk_relay_result found = {
        .ultimate_gain = -39, .ultimate_period = 65, .amplitude = 0.17, .cycles = 3};
    const rk_relay_results results = {&found, NULL, 200, 42, 0.02, "relay.csv"};

    return rk_report_add_relay(r, &d, &results);
}

static rk_status add_run(rk_report *r)
{
    const rk_design d = blend();
    const rk_run_figures figures = {0.1, 30, 50, 5, 33}, stepped = {0.2, 20, 60, 7, 44};
    const rk_run_result result = {.rows = 600,
                                  .length = 600,
                                  .clock = "real time",
                                  .mode = "auto",
                                  .alarms = "",
                                  .sp = 12,
                                  .pv = 12,
                                  .out = 40,
                                  .figures = &figures,
                                  .stepped = &stepped};

    return rk_report_add_run(r, &d, &result);
}

/* Every result there is. */
static const struct {
    const char *what;
    rk_status (*add)(rk_report *r);
} results[] = {
    {"inspection", add_inspection}, {"fit", add_fit},
    {"tunings", add_tunings},       {"forms", add_forms},
    {"search", add_search},         {"check", add_check},
    {"trials", add_trials},         {"open step", add_open_step},
    {"emitted", add_emitted},       {"equations", add_equations},
    {"proof", add_proof},           {"block's proof", add_block_proof},
    {"sheet", add_sheet},           {"bump", add_bump},
    {"relay", add_relay},           {"run", add_run},
};

/* A report of one of them, rendered; freed by the caller. */
static char *render(int which, rk_report_style style,
                    rk_status (*render_as)(const rk_report *, rk_text *, rk_diag *))
{
    rk_report *report = rk_report_create(style);
    rk_text *text = rk_text_create();
    char *chars;

    ck_assert_msg(results[which].add(report) == RK_OK, "%s", results[which].what);
    ck_assert_int_eq(render_as(report, text, NULL), RK_OK);
    chars = strdup(rk_text_chars(text));
    rk_report_free(report);
    rk_text_free(text);
    return chars;
}

enum { DEPTH = 12, KEYS = 64 };

/* What is open while rows are read: a list, or a group and the object that its keys are in. */
typedef struct opened {
    bool list;
    size_t object;
} opened;

/* A key that stands twice in one object would be lost in JSON. */
START_TEST(groups_end_and_each_key_stands_once_in_its_object)
{
    const char *keys[DEPTH][KEYS];
    size_t count[DEPTH] = {0}, depth = 0, place, i;
    opened open[DEPTH] = {{false, 0}};
    rk_report *report = rk_report_create(plain);
    const rk_row *row;

    ck_assert_int_eq(results[_i].add(report), RK_OK);
    for (place = 0; (row = rk_report_row(report, place)) != NULL; place++) {
        const opened around = open[depth];
        const bool inlined = row->kind == RK_ROW_GROUP && row->key == NULL && !around.list;

        if (row->kind == RK_ROW_END) {
            ck_assert_uint_gt(depth, 0);
            depth--;
            continue;
        }
        if (row->key != NULL) {
            ck_assert_msg(!around.list, "%s: key '%s' in a list", results[_i].what, row->key);
            for (i = 0; i < count[around.object]; i++) {
                ck_assert_msg(strcmp(keys[around.object][i], row->key) != 0, "%s: '%s' twice",
                              results[_i].what, row->key);
            }
            ck_assert_uint_lt(i, KEYS);
            keys[around.object][count[around.object]++] = row->key;
        }
        if (row->kind != RK_ROW_GROUP && row->kind != RK_ROW_LIST) continue;
        depth++;
        ck_assert_uint_lt(depth, DEPTH);
        open[depth] = (opened){row->kind == RK_ROW_LIST, inlined ? around.object : depth};
        if (!inlined) {
            count[depth] = 0;
        }
    }
    ck_assert_uint_eq(depth, 0);
    rk_report_free(report);
}
END_TEST

START_TEST(every_result_is_one_json_object_whatever_people_see)
{
    char *seconds = render(_i, plain, rk_report_to_json),
         *other = render(_i, minutes, rk_report_to_json);
    json_t *json = json_loads(seconds, JSON_REJECT_DUPLICATES, NULL);

    ck_assert_msg(json_is_object(json), "%s: %s", results[_i].what, seconds);
    ck_assert_str_eq(seconds, other);
    json_decref(json);
    free(seconds);
    free(other);
}
END_TEST

START_TEST(no_line_ends_in_a_blank_or_is_too_wide)
{
    char *text = render(_i, plain, rk_report_to_text), *line, *rest = NULL;

    ck_assert_uint_gt(strlen(text), 20);
    ck_assert_ptr_null(strstr(text, " \n"));
    ck_assert_ptr_null(strstr(text, "\033["));
    for (line = strtok_r(text, "\n", &rest); line != NULL; line = strtok_r(NULL, "\n", &rest)) {
        /* Program text and the tunings' table have their own width. */
        ck_assert_msg(strlen(line) <= 114, "%s: %zu letters: %s", results[_i].what,
                      strlen(line), line);
    }
    free(text);
}
END_TEST

START_TEST(csv_has_four_cells_in_every_line)
{
    char *text = render(_i, plain, rk_report_to_csv), *at;
    size_t cells = 1;
    bool quoted = false;

    ck_assert_int_eq(strncmp(text, "group,name,value,unit\r\n", 23), 0);
    for (at = text; *at != '\0'; at++) {
        if (*at == '"') quoted = !quoted;
        if (*at == ',' && !quoted) cells++;
        if (*at == '\n' && !quoted) {
            ck_assert_msg(cells == 4, "%s: %zu cells before '%.40s'", results[_i].what, cells,
                          at);
            cells = 1;
        }
    }
    free(text);
}
END_TEST

/* Where the decimal point of the n-th last number of a line stands; 0: it has none. */
static size_t point_of(const char *line, int from_right)
{
    const char *at = line + strlen(line);

    for (;; from_right--) {
        const char *end;

        while (at > line && at[-1] == ' ') {
            at--;
        }
        end = at;
        while (at > line && at[-1] != ' ') {
            at--;
        }
        if (from_right == 0) {
            const char *point = memchr(at, '.', (size_t)(end - at));

            return point != NULL ? (size_t)(point - line) : 0;
        }
    }
}

START_TEST(numbers_of_a_column_are_aligned_on_the_decimal_point)
{
    char *text = render(6, plain, rk_report_to_text), *line, *rest = NULL;
    size_t point[2] = {0, 0}, lines = 0;
    int k;

    ck_assert_str_eq(results[6].what, "trials");
    for (line = strtok_r(text, "\n", &rest); line != NULL; line = strtok_r(NULL, "\n", &rest)) {
        if (strstr(line, ", ") == NULL || !isdigit((unsigned char)line[strlen(line) - 1])) {
            continue;
        }
        for (k = 0; k < 2; k++) {
            const size_t here = point_of(line, k);

            if (here == 0) continue;
            ck_assert_msg(point[k] == 0 || point[k] == here, "%s", line);
            point[k] = here;
            lines++;
        }
    }
    ck_assert_uint_gt(lines, 12);
    free(text);
}
END_TEST

/* A time, a time in a unit of a product, its square and its reciprocal. */
static const struct {
    int which;
    const char *seconds, *minutes; /* the headings of a row or column */
    double factor;
} in_minutes[] = {
    {6, "settling time, s", "settling time, min", 60},
    {6, "IAE, degBx s", "IAE, degBx min", 60},
    {6, "ITAE, degBx s^2", "ITAE, degBx min^2", 3600},
    {6, "ISE, degBx^2 s", "ISE, degBx^2 min", 60},
    {3, "integral gain ki, %/degBx/s", "integral gain ki, %/degBx/min", 1 / 60.0},
    {7, "dead time", "dead time", 60},
};

static double last_number(const char *text, const char *heading)
{
    const char *line = strstr(text, heading), *end;
    char *stop = NULL;
    double value = (double)NAN;

    ck_assert_msg(line != NULL, "no '%s' in %s", heading, text);
    end = line + strcspn(line, "\n");
    for (line += strlen(heading); line < end; line++) {
        const double read = strtod(line, &stop);

        if (stop != line) {
            value = read;
            line = stop - 1;
        }
    }
    return value;
}

/* A table of HTML: its figures have all their digits beside those that people see, a unit of their own where
   units differ, and the points below each other. */
START_TEST(a_page_has_the_rows_as_tables)
{
    rk_design d = blend();
    const rk_check_plan plan = rk_check_plan_make();
    rk_report *r = rk_report_create(plain);
    rk_text *text = rk_text_create();
    rk_check check;
    char exact[80], number[RK_REAL_CHARS];
    const char *html;

    (void)snprintf(d.pv_units, sizeof d.pv_units, "<i>&\"'");
    ck_assert_int_eq(rk_check_compute(&d, &plan, &check, NULL), RK_OK);
    ck_assert_int_eq(rk_report_add_check(r, &d, &plan, &check), RK_OK);
    ck_assert_int_eq(rk_report_to_html(r, text, NULL), RK_OK);
    html = rk_text_chars(text);
    rk_real_format(check.verdict.figure[RK_REQUIRE_PHASE_MARGIN], number);
    (void)snprintf(exact, sizeof exact, "<data value=\"%s\">", number);
    ck_assert_ptr_nonnull(strstr(html, exact));
    ck_assert_ptr_nonnull(strstr(html, "<th scope=\"row\">gain-margin</th>"));
    ck_assert_ptr_nonnull(strstr(html, "<td class=\"unit\">deg</td>"));
    ck_assert_ptr_nonnull(strstr(html, "<td class=\"good\">met</td>"));
    ck_assert_ptr_nonnull(strstr(html, "class=\"number\" colspan=\"2\">is</th>"));
    ck_assert_ptr_nonnull(strstr(html, "&lt;i&gt;&amp;&quot;&#39;"));
    ck_assert_ptr_null(strstr(html, "<i>"));
    ck_assert_int_eq(rk_report_to_html(r, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_to_html(NULL, text, NULL), RK_ERR_MEMORY);
    rk_text_free(text);
    rk_report_free(r);
}
END_TEST

/* Where the gain bar has its marks: parts of its length, from kc 0 on. */
static const struct {
    double kc, at, on_off, placed; /* of kc, in the drawing's units */
} bars[] = {
    {-10, -20, -40, 8 + (624 * 10 / 40.0 / 1.08)},
    {10, 20, 40, 8 + (624 * 10 / 40.0 / 1.08)},
    {50, 20, 40, 8 + (624 / 1.08 / 1.05)}, /* beyond the end: the bar goes on to it */
    {10, 20, QNAN, 8 + (624 * 10 / 22.0 / 1.08)},
};

START_TEST(the_gain_bar_is_drawn_to_scale)
{
    rk_design d = blend();
    rk_requirements asked = rk_requirements_default();
    rk_gain_limits limits;
    rk_text *svg = rk_text_create();
    char mark[60];
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        limits.at[i] = QNAN;
    }
    limits.at[RK_REQUIRE_MS] = bars[_i].at;
    limits.on_off = bars[_i].on_off;
    limits.by_noise = false;
    d.settings.kc = bars[_i].kc;
    ck_assert_int_eq(rk_gain_bar_to_svg(&d, &asked, &limits, svg, NULL), RK_OK);
    (void)snprintf(mark, sizeof mark, "class=\"kc\" d=\"M%.1f ", bars[_i].placed);
    ck_assert_msg(strstr(rk_text_chars(svg), mark) != NULL, "no %s in %s", mark,
                  rk_text_chars(svg));
    ck_assert_ptr_nonnull(strstr(rk_text_chars(svg), "a ms 2 at "));
    ck_assert_int_eq(strstr(rk_text_chars(svg), "unstable: OUT swings") != NULL,
                     !isnan(bars[_i].on_off));
    ck_assert_int_eq(rk_gain_bar_to_svg(NULL, &asked, &limits, svg, NULL), RK_ERR_ARG);
    rk_text_free(svg);
}
END_TEST

/* Of what is met the line that is nearest to its limit is named, at either sort of limit. */
static const struct {
    double ms, gain_margin;
    const char *said;
} nearest[] = {
    {1.9, 4, "Limiting requirement: ms, 1.9 where at most 2 is asked."},
    {1.2, 2.1, "Limiting requirement: gain-margin, 2.1 where at least 2 is asked."},
    {2.2, 4, ""},
};

START_TEST(the_limiting_requirement_is_named)
{
    const rk_design d = blend();
    rk_check check = {.requirements = rk_requirements_default()};
    double figure[RK_REQUIRE_COUNT] = {0};
    rk_report *r = rk_report_create(plain);
    rk_text *text = rk_text_create();

    figure[RK_REQUIRE_MS] = nearest[_i].ms;
    figure[RK_REQUIRE_GAIN_MARGIN] = nearest[_i].gain_margin;
    figure[RK_REQUIRE_PHASE_MARGIN] = 90;
    check.verdict = rk_requirements_check(&check.requirements, true, figure);
    ck_assert_int_eq(rk_report_add_nearest(r, &d, &check), RK_OK);
    ck_assert_int_eq(rk_report_to_text(r, text, NULL), RK_OK);
    ck_assert_msg(strncmp(rk_text_chars(text), nearest[_i].said, strlen(nearest[_i].said)) ==
                          0 &&
                      (nearest[_i].said[0] != '\0' || rk_text_length(text) == 0),
                  "%s", rk_text_chars(text));
    rk_text_free(text);
    rk_report_free(r);
}
END_TEST

START_TEST(minutes_count_in_every_unit_that_has_a_time)
{
    char *s = render(in_minutes[_i].which, plain, rk_report_to_text);
    char *m = render(in_minutes[_i].which, minutes, rk_report_to_text);

    ck_close(last_number(m, in_minutes[_i].minutes) * in_minutes[_i].factor,
             last_number(s, in_minutes[_i].seconds), 2e-3); /* four digits are shown */
    free(s);
    free(m);
}
END_TEST

START_TEST(a_verdict_has_colour_only_where_it_is_asked_for)
{
    char *text = render(10, coloured, rk_report_to_text);

    ck_assert_ptr_nonnull(strstr(text, "\033[31mNOT PROVEN\033[0m"));
    free(text);
    text = render(5, coloured, rk_report_to_text);
    ck_assert_ptr_nonnull(strstr(text, "\033[32mMET\033[0m"));
    free(text);
}
END_TEST

START_TEST(what_is_missing_is_refused)
{
    const rk_design d = blend();
    rk_report *r = rk_report_create(plain);
    rk_text *text = rk_text_create();
    const rk_fit_results no_fit = {.fit = NULL};
    const rk_tune_results no_tuning = {.tuning = NULL};
    const rk_search_results no_search = {.found = NULL};
    const rk_trials no_trials = {.trial = NULL};
    const rk_proof_results no_proof = {.proof = NULL};
    const rk_run_result no_run = {.figures = NULL};
    const rk_relay_results no_relay = {.found = NULL};
    rk_diag diag;

    ck_assert_int_eq(rk_report_add_inspection(r, &d, NULL, NULL, 0), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_fit(r, &d, &no_fit), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_move_fits(r, &d, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_tunings(r, &d, &no_tuning), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_forms(r, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_search(r, &d, &no_search), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_check(r, &d, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_trials(r, &d, &no_trials), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_open_step(r, &d, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_emitted(r, &d, false, NULL, 1), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_equations(r, NULL, RK_NUMBER_LREAL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_proof(r, &d, &no_proof), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_block_proof(r, &d, NULL, NULL, "f"), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_sheet(r, NULL, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_bump(r, &d, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_bumped(r, &d, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_relay(r, &d, &no_relay), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_add_run(r, &d, &no_run), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_to_text(r, NULL, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_report_to_json(NULL, text, &diag), RK_ERR_MEMORY);
    ck_assert_ptr_nonnull(strstr(diag.text, "out of memory"));
    ck_assert_int_eq(rk_report_to_csv(NULL, text, NULL), RK_ERR_MEMORY);
    ck_assert_ptr_null(rk_report_row(r, 0));
    ck_assert_ptr_null(rk_report_row(NULL, 0));
    rk_report_free(r);
    rk_report_free(NULL);
    rk_text_free(text);
}
END_TEST

START_TEST(a_sheet_that_stands_is_known_again)
{
    rk_design d = blend();
    rk_text *page = rk_text_create(), *proven = rk_text_create();
    rk_sheet_state state;
    int csv;

    for (csv = 0; csv < 2; csv++) {
        ck_assert_int_eq(rk_program_sheet(&d, NULL, csv == 1, page, NULL), RK_OK);
        ck_assert_int_eq(rk_program_sheet(&d, &proof, csv == 1, proven, NULL), RK_OK);
        ck_assert_int_eq(rk_program_sheet_compare(&d, rk_text_chars(page), rk_text_length(page),
                                                  csv == 1, &state, NULL),
                         RK_OK);
        ck_assert_int_eq(state, RK_SHEET_PLAIN);
        ck_assert_int_eq(rk_program_sheet_compare(&d, rk_text_chars(proven),
                                                  rk_text_length(proven), csv == 1, &state,
                                                  NULL),
                         RK_OK);
        ck_assert_int_eq(state, RK_SHEET_PROVEN);
        d.settings.kc *= 1.01;
        ck_assert_int_eq(rk_program_sheet_compare(&d, rk_text_chars(proven),
                                                  rk_text_length(proven), csv == 1, &state,
                                                  NULL),
                         RK_OK);
        ck_assert_int_eq(state, RK_SHEET_OTHER);
        rk_text_free(page);
        rk_text_free(proven);
        page = rk_text_create();
        proven = rk_text_create();
    }
    rk_text_free(page);
    rk_text_free(proven);
}
END_TEST

START_TEST(each_file_of_a_program_has_its_place_and_text)
{
    rk_design d = blend();
    char path[RK_PROGRAM_FILES][RK_PROGRAM_PATH_CHARS];
    int i, k;

    for (i = 0; i < RK_PROGRAM_FILES; i++) {
        rk_text *text = rk_text_create();

        d.settings.predictor =
            i == RK_PROGRAM_PREDICTOR_H || i == RK_PROGRAM_PREDICTOR_C ? RK_YES : RK_NO;
        rk_program_path("plc", &d, (rk_program_file)i, RK_NUMBER_LREAL, path[i]);
        ck_assert(strncmp(path[i], "plc/blend_brix", 14) == 0 ||
                  strncmp(path[i], "plc/loop_controller.", 20) == 0);
        ck_assert_ptr_nonnull(rk_program_meaning((rk_program_file)i));
        if (i != RK_PROGRAM_SHEET && i != RK_PROGRAM_SHEET_CSV) { /* tried above */
            ck_assert_int_eq(
                rk_program_text(&d, (rk_program_file)i, RK_NUMBER_LREAL, text, NULL), RK_OK);
            ck_assert_uint_gt(rk_text_length(text), 200);
        }
        rk_text_free(text);
        for (k = 0; k < i; k++) {
            ck_assert_str_ne(path[k], path[i]);
        }
    }
}
END_TEST

static const char *const sort_by[] = {"kc",           "TI",       "gain-margin",
                                      "phase-margin", "ms",       "overshoot",
                                      "settling",     "load-iae", "travel"};

static double figure_of(const rk_tuning *t, const rk_performance *p, int by)
{
    const double figures[] = {t->settings.kc,
                              t->settings.ti,
                              p->margins.gain_margin,
                              p->margins.phase_margin,
                              p->margins.ms,
                              p->overshoot,
                              p->settling,
                              p->load_iae,
                              p->travel};

    return t->usable ? fabs(figures[by]) : (double)NAN;
}

START_TEST(tunings_are_sorted_and_what_does_not_exist_goes_last)
{
    const rk_design d = blend();
    const rk_knobs knobs = rk_knobs_make();
    rk_tuning list[RK_TUNINGS_MAX];
    rk_sampling room;
    rk_performance performance[RK_TUNINGS_MAX];
    bool seen_none = false;
    rk_diag diag;
    size_t count, i;

    ck_assert_int_eq(rk_tunings_compute(&d.model, NULL, NULL, &knobs, list, &count, NULL),
                     RK_OK);
    for (i = 0; i < count; i++) {
        performance[i] = rk_performance_none();
        if (list[i].usable) {
            (void)rk_performance_compute(&d.model, &list[i].settings,
                                         rk_design_sampling(&d, &room), &performance[i], NULL);
        }
    }
    ck_assert_int_eq(rk_tunings_sort(list, performance, count, sort_by[_i], NULL), RK_OK);
    for (i = 1; i < count; i++) {
        const double before = figure_of(&list[i - 1], &performance[i - 1], _i);
        const double here = figure_of(&list[i], &performance[i], _i);

        seen_none = seen_none || isnan(before);
        ck_assert(seen_none ? isnan(here) : isnan(here) || before <= here);
    }
    ck_assert_int_eq(rk_tunings_sort(list, performance, count, "mode", NULL), RK_OK);
    for (i = 1; i < count; i++) {
        ck_assert_int_le(strcmp(list[i - 1].mode, list[i].mode), 0);
    }
    ck_assert_int_eq(rk_tunings_sort(list, performance, count, "loadiae", &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "load-iae"));
}
END_TEST

START_TEST(json_has_null_for_what_does_not_exist)
{
    const rk_check_plan plan = rk_check_plan_make();
    rk_design loop = rk_design_make();
    rk_text *text = rk_text_create();
    rk_report *report = rk_report_create(plain);
    rk_check check;
    json_t *json;

    loop.has_model = loop.has_settings = true;
    loop.model = fopdt(2, 10, 0);
    loop.settings = rk_settings_make(1, 10, 0, 0);
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    strcpy(loop.pv_units, "\xE9"); /* not UTF-8: a finding names it */
    loop.settings.ti = HUGE_VAL;
    loop.model.kind = RK_MODEL_IPDT;
    ck_assert_int_eq(rk_report_add_check(report, &loop, &plan, &check), RK_OK);
    ck_assert_int_eq(rk_report_to_json(report, text, NULL), RK_OK);
    json = json_loads(rk_text_chars(text), 0, NULL);
    ck_assert_ptr_nonnull(json);
    ck_assert(json_is_null(json_object_get(json, "gain_margin")));
    ck_assert(json_is_null(json_array_get(json_object_get(json, "kc_stable"), 1)));
    ck_assert(json_is_true(json_object_get(json, "stable")));
    ck_assert(json_is_null(json_object_get(json, "sampled"))); /* the scan is not known */
    ck_assert(json_is_null(json_object_get(json, "windup")));
    ck_assert_str_eq(json_string_value(json_object_get(json, "verdict")), "met");
    json_decref(json);
    rk_report_free(report);
    rk_text_free(text);
}
END_TEST

static const char *const on_sheet[] = {
    "kc, no action switch -8 % per degBx",
    "kc, action set to direct 8 % per degBx",
    "kc, no action switch -1.6 % of OUT's span per % of PV's",
    "kc, action set to direct 1.6 % of OUT's span per % of PV's",
    "proportional band 62.5 % of PV's span",
    "ti 40 s",
    "ti 0.6666667 min",
    "integral action 1.5 repeats per minute",
    "kc, no action switch -4 % per degBx", /* series: ti = 4 td halves it */
    "ti 20 s",
    "td 20 s",
    "ki, no action switch -0.2 % per degBx, per s",
    "ki, action set to direct 12 % per degBx, per min",
    "ki, no action switch -2.4 % of OUT's span per % of PV's, per min",
    "kd, no action switch -80 % per degBx, times s",
    "kd, action set to direct 1.333333 % per degBx, times min",
    "kd, no action switch -16 % of OUT's span per % of PV's, times s",
    "tracking time 20 s",
    "either the block has an action switch: set it to direct, and type gains without a minus",
    "or it has none: type gains with the minus",
    "then before automatic, raise OUT a little in manual: PV must fall",
};

/* The other way nothing has a minus, and nothing is written twice. */
static const char *const on_reverse_sheet[] = {
    "kc 8 % per degBx",
    "ki 0.2 % per degBx, per s",
    "either the block has an action switch: set it to reverse",
    "or it has none: type the gains as they are, above 0",
    "then before automatic, raise OUT a little in manual: PV must rise",
};

static void make_sheet(const rk_design *loop, bool csv, rk_text *text)
{
    ck_assert_int_eq(rk_program_sheet(loop, NULL, csv, text, NULL), RK_OK);
}

/* Words of a line with one blank between them. */
static bool has_line(const char *text, const char *words)
{
    const char *line = text;

    for (; line != NULL; line = strchr(line, '\n')) {
        const char *want = words;

        line += strspn(line, " \n");
        for (; *want != '\0'; want++) {
            if (*want != *line) break;
            line += *want == ' ' ? strspn(line, " ") : 1;
        }
        if (*want == '\0' && (*line == '\n' || *line == '\0')) return true;
    }
    return false;
}

START_TEST(the_sheet_has_every_form_and_unit)
{
    rk_design loop = brix_loop();
    rk_text *text = rk_text_create(), *csv = rk_text_create();
    size_t i;

    loop.pv_low = 0;
    loop.pv_high = 20;
    loop.settings = rk_settings_make(-8, 40, 10, 0);
    make_sheet(&loop, false, text);
    for (i = 0; i < COUNT(on_sheet); i++) {
        ck_assert_msg(has_line(rk_text_chars(text), on_sheet[i]), "no '%s'", on_sheet[i]);
    }
    ck_assert_ptr_null(strstr(rk_text_chars(text), "action direct"));
    ck_assert_ptr_null(strstr(rk_text_chars(text), " \n"));
    make_sheet(&loop, true, csv);
    ck_assert_ptr_nonnull(
        strstr(rk_text_chars(csv), ",proportional band,62.5,% of PV's span\r\n"));
    ck_assert_ptr_nonnull(strstr(
        rk_text_chars(csv),
        "\"Ideal form, kc (1 + 1/(ti s) + td s/(1 + tf s))\",\"kc, no action switch\",-8.0,"));
    rk_text_free(text);
    rk_text_free(csv);
    text = rk_text_create();
    loop.settings.kc = 8;
    loop.model.gain = -loop.model.gain;
    loop.action = RK_ACTION_REVERSE;
    make_sheet(&loop, false, text);
    for (i = 0; i < COUNT(on_reverse_sheet); i++) {
        ck_assert_msg(has_line(rk_text_chars(text), on_reverse_sheet[i]), "no '%s'",
                      on_reverse_sheet[i]);
    }
    ck_assert_ptr_null(strstr(rk_text_chars(text), "-8"));
    rk_text_free(text);
    text = rk_text_create();
    loop.settings.td = 15; /* more than a quarter of ti */
    make_sheet(&loop, false, text);
    ck_assert_ptr_nonnull(strstr(rk_text_chars(text), "these settings have no series form"));
    rk_text_free(text);
}
END_TEST

static Suite *suite_report(void)
{
    Suite *suite = suite_create("report");
    TCase *t = tcase_create("report");

    add_table(t, groups_end_and_each_key_stands_once_in_its_object, results);
    add_table(t, every_result_is_one_json_object_whatever_people_see, results);
    add_table(t, no_line_ends_in_a_blank_or_is_too_wide, results);
    add_table(t, csv_has_four_cells_in_every_line, results);
    tcase_add_test(t, numbers_of_a_column_are_aligned_on_the_decimal_point);
    tcase_add_test(t, a_page_has_the_rows_as_tables);
    add_table(t, the_gain_bar_is_drawn_to_scale, bars);
    add_table(t, the_limiting_requirement_is_named, nearest);
    add_table(t, minutes_count_in_every_unit_that_has_a_time, in_minutes);
    tcase_add_test(t, a_verdict_has_colour_only_where_it_is_asked_for);
    tcase_add_test(t, what_is_missing_is_refused);
    tcase_add_test(t, json_has_null_for_what_does_not_exist);
    tcase_add_test(t, the_sheet_has_every_form_and_unit);
    tcase_add_test(t, a_sheet_that_stands_is_known_again);
    tcase_add_test(t, each_file_of_a_program_has_its_place_and_text);
    add_table(t, tunings_are_sorted_and_what_does_not_exist_goes_last, sort_by);
    suite_add_tcase(suite, t);
    return suite;
}

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_report};

    return run_suites(makers, COUNT(makers));
}
