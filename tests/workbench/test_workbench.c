/* SPDX-License-Identifier: MIT */
/* Settings tried by hand: against trial and check, which are called beside it. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "../support/loops.h"
#include "../support/support.h"

/* Loops of every kind that can be tried, and one of parts with tolerances. */
static const char *const processes[] = {
    "[model]\ngain = -0.118\ntime-constant = 46.3\ndead-time = 17.6\nout0 = 42\npv0 = 11.8\n"
    "noise = 0.008\ncovariance = 4.352426e-08, -3.199354e-05, 0.05790757, 1.745786e-05, "
    "-0.03089007, 0.2254434\n[require]\novershoot = 10\nsettling = 4min\n",
    "[model]\nkind = sopdt\ngain = -0.19\ntime-constant = 160s, 62s\ndead-time = 24s\nout0 = "
    "42\npv0 = 2.4\n",
    "[model]\nkind = sopdt-osc\ngain = -0.4\ntime-constant = 9s\ndamping = 0.5\ndead-time = "
    "3s\nout0 = 42\npv0 = 7\n[require]\nms = 1.8\nsp-step = 0.5\n",
    "[model]\nkind = ipdt\ngain = -0.002\ndead-time = 8s\nout0 = 42\npv0 = 7\n[require]\npeak "
    "= 2\nload-step = 3\n",
    "[model]\nkind = ipdt-lag\ngain = -0.002\ntime-constant = 4s\ndead-time = 8s\nout0 = "
    "42\npv0 = 7\n",
    "[let]\nmass = 60 +- 5%\n[process]\ngain = -mass/500\nlags = 4s, 46s, 6s\ndead-time = "
    "5s\ninverse-response = 1s\nout0 = 42\npv0 = 11.8\n",
};

/* The rest of a loop, with or without settings. */
static rk_design loop_of(const char *process, const char *settings)
{
    char *directory = scratch_make();
    const char *path = path_in(directory, "a.loop");
    char text[2000];
    rk_design loop;
    rk_diag diag = {RK_OK, ""};

    (void)snprintf(text, sizeof text,
                   "[loop]\nname = Blend\nscan = 1s\n[pv]\nunits = degBx\nlow = 0\nhigh = "
                   "20\n[out]\nunits = %%\nlow = 0\nhigh = 100\n%s%s",
                   process, settings);
    put_file(path, text);
    ck_assert_msg(rk_design_read(path, &loop, &diag) == RK_OK, "%s", diag.text);
    scratch_free(directory);
    return loop;
}

static rk_design passed_on(const rk_design *loop)
{
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};
    rk_design made;

    ck_assert_int_eq(rk_design_to_text(loop, text, NULL), RK_OK);
    ck_assert_msg(rk_design_from_text(rk_text_chars(text), &made, &diag) == RK_OK, "%s: %s",
                  diag.text, rk_text_chars(text));
    rk_text_free(text);
    return made;
}

static rk_workbench *bench_of(const rk_design *loop)
{
    rk_text *text = rk_text_create();
    rk_workbench *made;

    ck_assert_int_eq(rk_design_to_text(loop, text, NULL), RK_OK);
    made = rk_workbench_create(rk_text_chars(text), 0);
    rk_text_free(text);
    ck_assert_ptr_nonnull(made);
    ck_assert_str_eq(rk_workbench_error(made), "");
    return made;
}

/* Settings for each process in its row. */
static const char *const settings_of[] = {
    "[settings]\nkc = -9\nti = 46s\ntd = 3s\nsp-weight = 0.7\n",
    "[settings]\nform = series\nkc = -9\nti = 150s\ntd = 30s\n",
    "[settings]\nform = parallel\nkp = -0.5\nki = -0.05\nkd = -0.1\nanti-windup = conditional\n",
    "[settings]\nkc = -20\nti = 90s\ndeadband = 0.05\n",
    "[settings]\nkc = -12\nti = 140s\ntd = 4s\ntf = 0.5s\npv-filter = 2s\n",
    "[settings]\nkc = -4\nti = 50s\nintegral-by = trapezoid\n[require]\nphase-margin = 50\n",
};

START_TEST(a_loop_that_is_passed_on_gives_the_same_check)
{
    const rk_design loop = loop_of(processes[_i], settings_of[_i]), other = passed_on(&loop);
    const rk_check_plan plan = rk_check_plan_make();
    rk_check a, b;

    ck_assert_int_eq(rk_check_compute(&loop, &plan, &a, NULL), RK_OK);
    ck_assert_int_eq(rk_check_compute(&other, &plan, &b, NULL), RK_OK);
    ck_assert_mem_eq(&a.verdict.figure, &b.verdict.figure, sizeof a.verdict.figure);
    ck_assert_mem_eq(&a.requirements.by_default, &b.requirements.by_default,
                     sizeof a.requirements.by_default);
    ck_assert(a.margins.ms == b.margins.ms && a.margins.delay_margin == b.margins.delay_margin);
    ck_assert_int_eq(a.has_region, b.has_region);
    if (a.has_region) { /* of [let] and of a triangle, to the last digit */
        ck_assert(a.region.ms == b.region.ms);
    }
    ck_assert(a.box.ms == b.box.ms && a.survived == b.survived);
    ck_assert_str_eq(loop.name, other.name);
}
END_TEST

static const struct {
    const char *text, *why;
} no_loops[] = {
    {"loop name", "is not SECTION KEY VALUE"},
    {"loop nam x\nmodel gain 1", "did you mean name"},
    {"model gain up", "not a number"},
    {"model gain 1.0\nmodel time-constant -3s\nmodel dead-time 1s", "time-constant"},
    {"loop name x", "there is no model"},
    {"model gain 1.0\nmodel time-constant 3s\nmodel dead-time 1s\nloop action "
     "reverse\nsettings on-off 0.5\n",
     "two-position"},
};

START_TEST(a_text_that_is_no_loop_is_refused_with_the_reason)
{
    rk_workbench *bench = rk_workbench_create(no_loops[_i].text, 0);

    ck_assert_ptr_nonnull(bench);
    ck_assert_msg(strstr(rk_workbench_error(bench), no_loops[_i].why) != NULL, "%s",
                  rk_workbench_error(bench));
    ck_assert_uint_eq(rk_workbench_curves(bench), 0);
    rk_workbench_free(bench);
}
END_TEST

/* What is tried on each process: words of a case, and the process off by factors. */
static const struct {
    const char *words;
    double gain, time, dead;
} tries[] = {
    {"", 1, 1, 1},
    {"kc=-6.5 ti=61s", 1, 1, 1},
    {"kc=-6.5 ti=61s td=5s tf=0.3s sp-weight=0.4", 1.3, 1, 1},
    {"scan=2.5s delay-scans=1", 1, 0.7, 1.4},
    {"out-low=40 out-high=43 anti-windup=none", 0.8, 1.1, 1},
    {"kc=-5 out-rate=0.3", 1, 1, 0.5},
};

enum { TRIES = sizeof tries / sizeof tries[0] };

/* The same with trial's own calls. */
static rk_trial *trial_of(const rk_design *loop, int row, const rk_trial_plan *plan)
{
    rk_trial_case c = rk_trial_case_of(loop, false);
    rk_diag diag = {RK_OK, ""};
    rk_trial *trial = NULL;
    int i;

    ck_assert_msg(rk_trial_case_change(loop, false, tries[row].words, &c, &diag) == RK_OK, "%s",
                  diag.text);
    c.plant.gain *= tries[row].gain;
    c.plant.dead_time *= tries[row].dead;
    c.plant.inverse *= tries[row].time;
    c.plant.time_constant[0] *= tries[row].time;
    c.plant.time_constant[1] *= tries[row].time;
    for (i = 0; i < c.plant.lags; i++) {
        c.plant.lag[i] *= tries[row].time;
    }
    ck_assert_msg(rk_trial_create(&c, plan, &trial, &diag) == RK_OK, "%s", diag.text);
    return trial;
}

static void same_curves(const rk_workbench *bench, size_t curve, const rk_trial *trial)
{
    const size_t scans = rk_trial_scans(trial), points = rk_trial_points(trial);

    ck_assert_uint_eq(rk_workbench_scans(bench, curve), scans);
    ck_assert_uint_eq(rk_workbench_points(bench, curve), points);
    ck_assert(rk_workbench_step(bench, curve) == rk_trial_step(trial));
    ck_assert(rk_workbench_scan(bench, curve) == rk_trial_scan_interval(trial));
    ck_assert(rk_workbench_out_start(bench, curve) == rk_trial_out_start(trial));
    ck_assert_mem_eq(rk_workbench_sp(bench, curve), rk_trial_sp(trial), scans * sizeof(double));
    ck_assert_mem_eq(rk_workbench_out(bench, curve), rk_trial_out(trial),
                     scans * sizeof(double));
    ck_assert_mem_eq(rk_workbench_pv(bench, curve), rk_trial_pv(trial),
                     points * sizeof(double));
}

START_TEST(what_is_tried_is_what_trial_runs)
{
    const int process = _i / TRIES, row = _i % TRIES;
    const rk_design loop = loop_of(processes[process], settings_of[process]);
    rk_workbench *bench = bench_of(&loop);
    const rk_trial_plan plan = {
        .sp_step = 0.5, .load_step = -3, .load_at = 200, .duration = 400, .band = 0.02};
    rk_trial *trial = trial_of(&loop, row, &plan);

    ck_assert_int_eq(rk_workbench_plan(bench, "step", 0.5, QNAN, -3, 200, 400), RK_OK);
    ck_assert_msg(rk_workbench_try(bench, tries[row].words, tries[row].gain, tries[row].time,
                                   tries[row].dead) == RK_OK,
                  "%s", rk_workbench_error(bench));
    same_curves(bench, 0, trial);
    rk_trial_free(trial);
    rk_workbench_free(bench);
}
END_TEST

/* The number in a <data> element of a row of a table. */
static double number_of(const char *html, const char *row)
{
    char head[80];
    const char *at;

    (void)snprintf(head, sizeof head, ">%s</th>", row);
    at = strstr(html, head);
    ck_assert_msg(at != NULL, "no row %s in %s", row, html);
    at = strstr(at, "<data value=\"");
    ck_assert_ptr_nonnull(at);
    return strtod(at + strlen("<data value=\""), NULL);
}

START_TEST(what_is_tried_is_judged_as_check_judges_it)
{
    rk_design loop = loop_of(processes[_i], settings_of[_i]);
    const rk_check_plan plan = rk_check_plan_make();
    rk_workbench *bench = bench_of(&loop);
    const rk_require what[] = {RK_REQUIRE_GAIN_MARGIN, RK_REQUIRE_PHASE_MARGIN, RK_REQUIRE_MS};
    rk_check check;
    const char *html;
    size_t i;

    ck_assert_int_eq(rk_workbench_try(bench, "kc=-3 ti=70s", 1, 1, 1), RK_OK);
    loop.settings.kc = -3;
    loop.settings.ti = 70;
    loop.settings.td = loop.settings.tf = 0;
    ck_assert_int_eq(rk_check_compute(&loop, &plan, &check, NULL), RK_OK);
    ck_assert(check.margins.stable);
    html = rk_workbench_requirements(bench);
    for (i = 0; i < COUNT(what); i++) {
        ck_assert(number_of(html, rk_require_to_text(what[i])) ==
                  check.verdict.figure[what[i]]);
    }
    html = rk_workbench_verdict(bench);
    ck_assert_msg(strstr(html, check.verdict.met ? "<strong>MET</strong>"
                                                 : "<strong>NOT MET</strong>") != NULL,
                  "%s", html);
    ck_assert_ptr_nonnull(strstr(rk_workbench_gain_bar(bench), "kc is -3 %/degBx"));
    rk_workbench_free(bench);
}
END_TEST

/* A predictor knows the model and not the process: what it does on a wrong one is told. */
START_TEST(a_predictor_is_judged_on_the_process_as_it_is_taken_to_be)
{
    const rk_design loop = loop_of(
        processes[0], "[settings]\nkc = -12\nti = 46s\npredictor = yes\n[require]\npeak = 9\n");
    rk_workbench *bench = bench_of(&loop);
    rk_requirements asked = rk_design_requirements(&loop);
    rk_conditions conditions = rk_design_conditions(&loop);
    rk_model process = loop.model;
    double figure[RK_REQUIRE_COUNT];
    rk_sampling room;
    rk_margins margins;
    const char *html;

    process.gain *= 1.4;
    conditions.known = &loop.model;
    ck_assert_int_eq(
        rk_loop_margins_compute(&process, &loop.model, &loop.settings,
                                rk_conditions_sampling(&conditions, &loop.settings, &room),
                                &margins, NULL),
        RK_OK);
    ck_assert_int_eq(rk_figures_compute(&asked, &process, &loop.settings, &conditions, &margins,
                                        figure, NULL),
                     RK_OK);
    ck_assert_int_eq(rk_workbench_try(bench, "", 1.4, 1, 1), RK_OK);
    html = rk_workbench_requirements(bench);
    ck_assert(number_of(html, "overshoot") == figure[RK_REQUIRE_OVERSHOOT]);
    ck_assert(number_of(html, "peak") == figure[RK_REQUIRE_PEAK]);
    ck_assert(number_of(html, "ms") == margins.ms);
    rk_workbench_free(bench);
}
END_TEST

/* Options to be typed: the numbers always, of the rest what is not as the loop has it. */
static const struct {
    const char *words, *options;
} options[] = {
    {"", "--kc=-9.0 --ti=46.0s --td=3.0s --tf=0.3s"},
    {"kc=-7 ti=40s", "--kc=-7.0 --ti=40.0s"},
    {"kc=-7", "--kc=-7.0"},
    {"kc=-7 ti=40s sp-weight=0.4", "--kc=-7.0 --ti=40.0s --sp-weight=0.4"},
    {"kc=-7 ti=40s anti-windup=none", "--kc=-7.0 --ti=40.0s --anti-windup=none"},
};

START_TEST(what_is_set_is_told_as_options)
{
    const rk_design loop = loop_of(processes[0], settings_of[0]);
    rk_workbench *bench = bench_of(&loop);

    ck_assert_int_eq(rk_workbench_try(bench, options[_i].words, 1, 1, 1), RK_OK);
    ck_assert_str_eq(rk_workbench_options(bench), options[_i].options);
    rk_workbench_free(bench);
}
END_TEST

/* Too much gain, and one of the wrong sign. */
static const struct {
    const char *words, *said;
} lost[] = {
    {"kc=-90 ti=46s", "the loop is UNSTABLE</p>"},
    {"kc=5 ti=46s", "UNSTABLE; kc has the wrong sign"},
};

START_TEST(a_loop_that_is_unstable_is_called_that)
{
    const rk_design loop = loop_of(processes[0], settings_of[0]);
    rk_workbench *bench = bench_of(&loop);

    ck_assert_int_eq(rk_workbench_try(bench, lost[_i].words, 1, 1, 1), RK_OK);
    ck_assert_msg(strstr(rk_workbench_verdict(bench), lost[_i].said) != NULL, "%s",
                  rk_workbench_verdict(bench));
    ck_assert_str_eq(rk_workbench_requirements(bench), "");
    rk_workbench_free(bench);
}
END_TEST

static const char *const no_words[] = {"kc=0",   "kc",      "ti=-3",
                                       "gian=3", "scan=0s", "out-low=60 out-high=50"};

START_TEST(what_cannot_be_tried_leaves_what_was)
{
    const rk_design loop = loop_of(processes[0], settings_of[0]);
    rk_workbench *bench = bench_of(&loop);
    char before[400];

    ck_assert_int_eq(rk_workbench_try(bench, "kc=-7 ti=40s", 1, 1, 1), RK_OK);
    (void)snprintf(before, sizeof before, "%s", rk_workbench_options(bench));
    ck_assert_int_ne(rk_workbench_try(bench, no_words[_i], 1, 1, 1), RK_OK);
    ck_assert_str_ne(rk_workbench_error(bench), "");
    ck_assert_str_eq(rk_workbench_options(bench), before);
    ck_assert_int_ne(rk_workbench_plan(bench, "leap", 1, 1, 1, 1, 100), RK_OK);
    ck_assert_int_ne(rk_workbench_plan(bench, "step", 1, 1, 1, 1, -5), RK_OK);
    ck_assert_str_ne(rk_workbench_error(bench), "");
    ck_assert(rk_workbench_number(bench, "for") > 0);
    rk_workbench_free(bench);
}
END_TEST

START_TEST(curves_are_kept_let_go_and_run_again)
{
    const rk_design loop = loop_of(processes[0], settings_of[0]);
    rk_workbench *bench = bench_of(&loop);
    char name[20];
    size_t i, points;

    for (i = 1; i < RK_WORKBENCH_CURVES; i++) {
        (void)snprintf(name, sizeof name, "<b>%zu", i);
        ck_assert_int_eq(rk_workbench_try(bench, i % 2 == 0 ? "kc=-8" : "kc=-5", 1, 1, 1),
                         RK_OK);
        ck_assert_int_eq(rk_workbench_keep(bench, name), RK_OK);
    }
    ck_assert_int_eq(rk_workbench_keep(bench, "more"), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(rk_workbench_error(bench), "remove one"));
    ck_assert_ptr_nonnull(strstr(rk_workbench_table(bench), "&lt;b&gt;3"));
    ck_assert_ptr_null(strstr(rk_workbench_table(bench), "<b>"));
    rk_workbench_drop(bench, RK_WORKBENCH_CURVES - 1);
    ck_assert_int_eq(
        rk_workbench_keep(bench, "a name of 46 letters, of which the last is wid\xC3\xBC"),
        RK_OK);
    ck_assert_str_eq(rk_workbench_name(bench, RK_WORKBENCH_CURVES - 1),
                     "a name of 46 letters, of which the last is wid");
    rk_workbench_drop(bench, RK_WORKBENCH_CURVES - 1);
    ck_assert_int_eq(
        rk_workbench_keep(bench, "a name of 47 letters, for which there is room.. and more"),
        RK_OK);
    ck_assert_uint_eq(strlen(rk_workbench_name(bench, RK_WORKBENCH_CURVES - 1)), 47);
    rk_workbench_drop(bench, RK_WORKBENCH_CURVES - 1);
    ck_assert_int_eq(
        rk_workbench_keep(bench, "a name of 47 letters, for which there is room.."), RK_OK);
    ck_assert_str_eq(rk_workbench_name(bench, RK_WORKBENCH_CURVES - 1),
                     "a name of 47 letters, for which there is room..");
    rk_workbench_drop(bench, 2);
    rk_workbench_drop(bench, 0); /* what is set now stays */
    rk_workbench_drop(bench, 99);
    ck_assert_uint_eq(rk_workbench_curves(bench), RK_WORKBENCH_CURVES - 1);
    ck_assert_str_eq(rk_workbench_name(bench, 1), "<b>1");
    ck_assert_str_eq(rk_workbench_name(bench, 2), "<b>3");
    points = rk_workbench_points(bench, 3);
    ck_assert_int_eq(rk_workbench_plan(bench, "sine", 1, 60, 0, QNAN, 100), RK_OK);
    ck_assert(rk_workbench_points(bench, 3) != points);
    ck_assert_uint_eq(rk_workbench_points(bench, 3), rk_workbench_points(bench, 0));
    ck_assert(rk_workbench_number(bench, "for") == 100);
    rk_workbench_free(bench);
}
END_TEST

START_TEST(a_rule_gives_what_tune_gives)
{
    const rk_design loop = loop_of(processes[0], settings_of[0]);
    rk_workbench *bench = bench_of(&loop);
    rk_knobs knobs = rk_knobs_make();
    rk_tuning tuning;
    rk_design tried;
    char words[400];
    size_t with = 0, all = 0;

    while (rk_workbench_lambda_rule(bench, with) != NULL) {
        const char *name = rk_workbench_lambda_rule(bench, with);

        (void)snprintf(words, sizeof words, "%s", rk_workbench_settings_by(bench, name, 20));
        ck_assert_msg(strcmp(words, rk_workbench_settings_by(bench, name, 60)) != 0,
                      "%s does not turn with lambda", name);
        with++;
    }
    while (rk_workbench_rule(bench, all) != NULL) {
        all++;
    }
    ck_assert(with >= 3 && all > with && all <= (size_t)rk_rule_count());
    knobs.lambda = 31.25;
    ck_assert_int_eq(rk_tuning_compute(&loop.model, "simc", NULL, &knobs, &tuning, NULL),
                     RK_OK);
    (void)snprintf(words, sizeof words, "%s", rk_workbench_settings_by(bench, "simc", 31.25));
    ck_assert_int_eq(rk_workbench_try(bench, words, 1, 1, 1), RK_OK);
    tried = loop;
    ck_assert_msg(rk_design_set(&tried, "settings", "kc",
                                strstr(rk_workbench_block(bench), "kc = ") + 5, NULL) != RK_OK,
                  "the block has more than kc");
    ck_assert(strtod(strstr(words, "kc=") + 3, NULL) == tuning.settings.kc);
    ck_assert(strtod(strstr(words, "ti=") + 3, NULL) == tuning.settings.ti);
    ck_assert_str_eq(rk_workbench_settings_by(bench, "simk", 31.25), "");
    ck_assert_ptr_nonnull(strstr(rk_workbench_error(bench), "simc"));
    ck_assert_str_eq(rk_workbench_settings_by(bench, "simc", -1), "");
    rk_workbench_free(bench);
}
END_TEST

/* What is chosen, put into a loop file as a block, reads as what was tried. */
static const char *const chosen[] = {
    "kc=-6.5 ti=61.25s", "kc=-6.5 ti=61s td=5s tf=0.3s sp-weight=0.4 anti-windup=conditional",
    "scan=2.5s delay-scans=1", "out-low=10 out-high=90 out-rate=3"};

START_TEST(the_block_makes_the_loop_that_was_tried)
{
    const rk_design loop = loop_of(processes[0], settings_of[0]);
    rk_workbench *bench = bench_of(&loop);
    rk_trial_case c = rk_trial_case_of(&loop, false);
    char text[4000], *directory = scratch_make();
    const char *path = path_in(directory, "b.loop"), *block;
    rk_design again;
    rk_diag diag = {RK_OK, ""};

    ck_assert_int_eq(rk_workbench_try(bench, chosen[_i], 1, 1, 1), RK_OK);
    ck_assert_int_eq(rk_trial_case_change(&loop, false, chosen[_i], &c, NULL), RK_OK);
    block = rk_workbench_block(bench);
    (void)snprintf(text, sizeof text, "%s%s%s%s", processes[0],
                   strstr(block, "scan") == NULL ? "[loop]\nscan = 1s\n" : "",
                   strstr(block, "[out]") == NULL ? "[out]\nlow = 0\nhigh = 100\n" : "", block);
    put_file(path, text);
    ck_assert_msg(rk_design_read(path, &again, &diag) == RK_OK, "%s in\n%s", diag.text, text);
    ck_assert(again.settings.kc == c.settings.kc && again.settings.ti == c.settings.ti);
    ck_assert(again.settings.td == c.settings.td && again.settings.tf == c.settings.tf);
    ck_assert(again.settings.sp_weight == c.settings.sp_weight);
    ck_assert_int_eq(again.settings.anti_windup, c.settings.anti_windup);
    ck_assert(again.ts == c.ts && again.delay_scans * again.ts == c.delay);
    ck_assert(again.out_low == c.limits.low && again.out_high == c.limits.high);
    ck_assert(again.out_rate == c.limits.rate);
    rk_workbench_free(bench);
    scratch_free(directory);
}
END_TEST

START_TEST(a_loop_without_settings_or_scan_begins_somewhere)
{
    rk_design loop = loop_of(processes[_i], "");
    rk_workbench *bench;

    loop.ts = QNAN;
    bench = bench_of(&loop);
    ck_assert(rk_workbench_number(bench, "kc") < 0);
    ck_assert(rk_workbench_number(bench, "scan") > 0);
    /* SIMC has no settings for a model that swings by itself, and no rule for that has a lambda. */
    ck_assert(rk_workbench_number(bench, "lambda") > 0 ||
              rk_workbench_lambda_rule(bench, 0) == NULL);
    ck_assert(isnan(rk_workbench_number(bench, "gian")));
    ck_assert_str_eq(rk_workbench_key(bench, "pv", "units"), "degBx");
    ck_assert_str_eq(rk_workbench_key(bench, "pv", "nits"), "");
    ck_assert_uint_gt(rk_workbench_scans(bench, 0), 10);
    rk_workbench_free(bench);
    rk_workbench_free(NULL);
}
END_TEST

static Suite *suite_workbench(void)
{
    Suite *suite = suite_create("workbench");
    TCase *t = tcase_create("workbench");

    add_table(t, a_loop_that_is_passed_on_gives_the_same_check, processes);
    add_table(t, a_text_that_is_no_loop_is_refused_with_the_reason, no_loops);
    tcase_add_loop_test(t, what_is_tried_is_what_trial_runs, 0, (int)COUNT(processes) * TRIES);
    add_table(t, what_is_tried_is_judged_as_check_judges_it, processes);
    tcase_add_test(t, a_predictor_is_judged_on_the_process_as_it_is_taken_to_be);
    add_table(t, what_is_set_is_told_as_options, options);
    add_table(t, a_loop_that_is_unstable_is_called_that, lost);
    add_table(t, what_cannot_be_tried_leaves_what_was, no_words);
    tcase_add_test(t, curves_are_kept_let_go_and_run_again);
    tcase_add_test(t, a_rule_gives_what_tune_gives);
    add_table(t, the_block_makes_the_loop_that_was_tried, chosen);
    add_table(t, a_loop_without_settings_or_scan_begins_somewhere, processes);
    suite_add_tcase(suite, t);
    return suite;
}

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_workbench};

    return run_suites(makers, COUNT(makers));
}
