/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include <jansson.h>

#include "../support/support.h"
#include "tool.h"

#define RECORDS RK_SOURCE "/data/records/"
#define CLEAN RECORDS "clean_single_step.csv"
#define BRIX_COLUMNS "--time", "time_s", "--out", "FV210.OUT_pct", "--pv", "AT210.PV_degBx"
#define MODEL "--gain", "2", "--time-constant", "10", "--dead-time", "5"

START_TEST(fit_prints_one_json_object_with_the_model)
{
    json_t *j = json_of(TOOL(NULL, "fit", CLEAN, BRIX_COLUMNS, "--json"), 0);

    ck_close(number_at(j, "model.gain"), -0.118, 1e-3);
    ck_close(number_at(j, "model.time_constant.0"), 46.5, 1e-3);
    ck_close(number_at(j, "model.dead_time"), 17.4, 1e-3);
    ck_close(number_at(j, "model.pv0"), 11.8, 1e-6);
    ck_assert_double_eq(number_at(j, "model.out0"), 42);
    ck_assert_double_lt(number_at(j, "interval95.gain.0"), -0.118 + 1e-5);
    ck_assert_double_gt(number_at(j, "interval95.time_constant.0.1"), 46.4);
    ck_assert_double_gt(number_at(j, "interval95.dead_time.1"), 17.3);
    ck_assert_double_gt(number_at(j, "fit_percent"), 99.9);
    ck_assert(json_is_null(json_object_get(json_object_get(j, "model"), "damping")));
    ck_assert_str_eq(json_string_value(json_object_get(json_object_get(j, "model"), "kind")),
                     "fopdt");
    ck_assert(!isnan(number_at(j, "rmse")) && !isnan(number_at(j, "noise")));
    ck_assert(!isnan(number_at(j, "residual_correlation")));
    ck_assert(!isnan(number_at(j, "candidates.0.bic")));
    ck_assert(json_is_array(json_object_get(j, "findings")));
    json_decref(j);
}
END_TEST

/* The table says what each move gives; the model laid over a record is not fitted. */
START_TEST(fit_shows_moves_models_as_given_and_validation)
{
    json_t *j = json_of(
        TOOL(NULL, "fit", RECORDS "staircase.csv", "--by-move", "--kind", "fopdt", "--json"),
        0);

    ck_assert_uint_eq(json_array_size(json_object_get(j, "moves")), 4);
    ck_close(number_at(j, "moves.1.model.gain"), -0.36, 0.15);
    ck_assert_double_eq(number_at(j, "moves.3.at_s"), 330);
    json_decref(j);
    j = json_of(TOOL(NULL, "fit", CLEAN, "--as-given", "--gain", "-0.118", "--time-constant",
                     "46.5", "--dead-time", "10", "--json"),
                0);
    ck_assert_double_eq(number_at(j, "model.dead_time"), 10);
    ck_assert_double_lt(number_at(j, "fit_percent"), 95);
    json_decref(j);
    j = json_of(TOOL(NULL, "fit", CLEAN, "--guess", "--gain", "-0.1", "--time-constant", "40",
                     "--dead-time", "20", "--json"),
                0);
    ck_close(number_at(j, "model.gain"), -0.118, 0.01);
    ck_assert_double_eq(number_at(j, "guess.model.gain"), -0.1);
    ck_assert_double_gt(number_at(j, "guess.rmse"), 5 * number_at(j, "rmse"));
    json_decref(j);
    j = json_of(TOOL(NULL, "fit", CLEAN, "--out-moves", "between-rows", "--json"), 0);
    ck_assert(
        json_is_true(json_object_get(json_object_get(j, "extras"), "moved_between_rows")));
    ck_close(number_at(j, "model.dead_time"), 17.9, 0.01); /* half a row more */
    json_decref(j);
    j = json_of(TOOL(NULL, "fit", CLEAN, "--validate", RK_SOURCE "/data/blend-brix.csv",
                     "--compare", "sopdt", "--json"),
                0);
    ck_assert_double_gt(number_at(j, "validation.fit_percent"), 95);
    ck_assert_uint_eq(json_array_size(json_object_get(j, "by_hand")), 4);
    ck_close(number_at(j, "by_hand.1.time_constant"), 46.5, 0.05);
    ck_assert_uint_eq(json_array_size(json_object_get(j, "candidates")), 4);
    json_decref(j);
    j = json_of(TOOL(NULL, "fit", RECORDS "second_order_two_lags.csv", "--json"), 0);
    ck_assert_str_eq(json_string_value(json_object_get(json_object_get(j, "model"), "kind")),
                     "sopdt");
    ck_assert_uint_eq(
        json_array_size(json_object_get(json_object_get(j, "interval95"), "time_constant")), 2);
    json_decref(j);
}
END_TEST

START_TEST(a_loop_names_the_record_that_its_model_must_predict)
{
    char *dir = scratch_make(), *second = get_file(CLEAN, NULL);
    json_t *j;

    put_file(path_in(dir, "two.loop"),
             "[record]\nfile = " RK_SOURCE "/data/blend-brix.csv\nvalidate = second.csv\n");
    put_file(path_in(dir, "second.csv"), second);
    j = json_of(TOOL(dir, "fit", "two.loop", "--json"), 0);
    ck_assert_double_gt(number_at(j, "validation.fit_percent"), 95);
    json_decref(j);
    free(second);
    scratch_free(dir);
}
END_TEST

START_TEST(check_agrees_with_the_closed_forms)
{
    json_t *j = json_of(TOOL(NULL, "check", MODEL, "--kc", "1.2", "--ti", "10s", "--json"), 1);

    ck_close(number_at(j, "gain_margin"), 1.30899694, 1e-8);
    ck_close(number_at(j, "phase_margin_deg"), 21.2450646, 1e-8);
    ck_close(number_at(j, "delay_margin_s"), 1.54498469, 1e-8);
    ck_close(number_at(j, "ms"), 4.89340466, 1e-8);
    ck_close(number_at(j, "mt"), 4.07164273, 1e-8);
    ck_close(number_at(j, "ultimate_gain"), 3.80688286 / 2, 1e-8);
    ck_close(number_at(j, "ultimate_period_s"), 3.42110142 * 5, 1e-8);
    ck_assert_double_eq(number_at(j, "kc_stable.0"), 0);
    ck_close(number_at(j, "kc_stable.1"), 3.14159265358979 / 2, 1e-9);
    ck_assert(json_is_true(json_object_get(j, "stable")));
    ck_assert_str_eq(json_string_value(json_object_get(j, "verdict")), "missed");
    json_decref(j);
    j = json_of(TOOL(NULL, "check", MODEL, "--kc", "4", "--ti", "10s", "--json"), 1);
    ck_assert(json_is_false(json_object_get(j, "stable")));
    ck_assert(json_is_null(json_object_get(j, "gain_margin")));
    json_decref(j);
}
END_TEST

/* The same controller typed in each form has the same margins. */
START_TEST(settings_may_be_typed_in_any_form)
{
    json_t *ideal = json_of(TOOL(NULL, "check", MODEL, "--kc", "0.6", "--ti", "15", "--td",
                                 "2.4", "--tf", "0", "--json"),
                            0);
    json_t *series = json_of(TOOL(NULL, "check", MODEL, "--form", "series", "--kc", "0.48",
                                  "--ti", "12", "--td", "3", "--tf", "0", "--json"),
                             0);
    json_t *parallel = json_of(TOOL(NULL, "check", MODEL, "--form", "parallel", "--kp", "0.6",
                                    "--ki", "0.04", "--kd", "1.44", "--tf", "0", "--json"),
                               0);

    ck_close(number_at(series, "gain_margin"), number_at(ideal, "gain_margin"), 1e-9);
    ck_close(number_at(parallel, "gain_margin"), number_at(ideal, "gain_margin"), 1e-9);
    ck_close(number_at(parallel, "ms"), number_at(series, "ms"), 1e-9);
    json_decref(ideal);
    json_decref(series);
    json_decref(parallel);
}
END_TEST

START_TEST(tune_gives_the_rules_in_the_form_asked_for)
{
    json_t *j = json_of(TOOL(NULL, "tune", "--gain", "2", "--time-constant", "100",
                             "--dead-time", "2", "--lambda", "2", "--json"),
                        0);

    ck_assert_uint_ge(json_array_size(json_object_get(j, "settings")), 40);
    ck_assert_str_eq(json_string_value(json_object_get(
                         json_array_get(json_object_get(j, "settings"), 0), "rule")),
                     "simple");
    ck_close(number_at(j, "settings.0.kc"), 0.5, 1e-12);
    ck_close(number_at(j, "settings.1.kc"), 12.5, 1e-12);
    ck_close(number_at(j, "settings.1.ti"), 100, 1e-12);
    json_decref(j);
    j = json_of(TOOL(NULL, "tune", "--gain", "2", "--time-constant", "100", "--dead-time", "2",
                     "--lambda", "2", "--rule", "simc", "--json"),
                0);
    ck_close(number_at(j, "settings.0.kc"), 12.5, 1e-12);
    ck_close(number_at(j, "settings.0.ti"), 16, 1e-12);
    ck_assert_double_eq(number_at(j, "settings.0.td"), 0);
    ck_assert_double_gt(number_at(j, "settings.0.load_iae"), 1);
    json_decref(j);
    j = json_of(TOOL(NULL, "tune", MODEL, "--speed", "--json"), 0);
    ck_assert_uint_eq(json_array_size(json_object_get(j, "settings")), 9);
    ck_assert_double_gt(number_at(j, "settings.0.ms"), number_at(j, "settings.8.ms"));
    ck_assert_double_lt(number_at(j, "settings.0.load_iae"),
                        number_at(j, "settings.8.load_iae"));
    json_decref(j);
    j = json_of(TOOL(NULL, "tune", MODEL, "--rule", "lambda", "--mode", "PI", "--lambda", "5",
                     "--form", "parallel", "--json"),
                0);
    ck_assert_uint_eq(json_array_size(json_object_get(j, "settings")), 1);
    ck_close(number_at(j, "settings.0.kp"), 0.5, 1e-12);
    ck_close(number_at(j, "settings.0.ki"), 0.05, 1e-12);
    json_decref(j);
    j = json_of(TOOL(NULL, "tune", "--gain", "1", "--time-constant", "10", "--dead-time", "8",
                     "--rule", "simple", "--json"),
                0);
    ck_assert(json_is_false(
        json_object_get(json_array_get(json_object_get(j, "settings"), 0), "in_range")));
    json_decref(j);
}
END_TEST

/* Kinds of control side by side, on the simulated plant, its curves kept and laid over. */
START_TEST(trial_compares_kinds_of_control_and_keeps_their_curves)
{
    static const char *const shown[] = {"on/off",
                                        "predictor",
                                        "noise 0.1 pv-EU",
                                        "OUT largest move",
                                        "setpoint ramp +2 pv-EU",
                                        "of the same run without the noise",
                                        "Recorded beside it: "};
    char *dir = scratch_make(), *text;
    json_t *j;
    outcome o;
    size_t i;

    put_file(path_in(dir, "x.loop"),
             "[loop]\nscan = 1\n[out]\nlow = 0\nhigh = 100\n[model]\ngain = 2\n"
             "time-constant = 10\ndead-time = 5\nout0 = 40\npv0 = 50\n[settings]\nkc = "
             "0.5\nti = 10\n[plant]\ngain = 2.2\ntime-constant = 9\ndead-time = 6\nout0 = "
             "40\npv0 = 50\nnoise = 0.1\nstiction = 0.2\n");
    put_file(path_in(dir, "rec.csv"), "time;out;pv\n0;40;50,0\n1;41;50,1\n2;41;50,4\n");
    o = TOOL(dir, "trial", "x.loop", "--plant", "--sp-step", "2", "--sp-ramp", "20s", "--case",
             "on/off: on-off=0.5", "--case", "predictor: kc=1 ti=10 predictor=yes", "--case",
             "fine: scan=continuous", "--case", "x.loop", "--curves", "c.csv", "--overlay",
             "rec.csv", "--figure", "t.svg");
    ck_assert_msg(o.status == 0, "%s%s", o.out, o.err);
    for (i = 0; i < COUNT(shown); i++) {
        ck_assert_msg(strstr(o.out, shown[i]) != NULL, "%s in %s", shown[i], o.out);
    }
    outcome_free(&o);
    text = get_file(path_in(dir, "c.csv"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "out predictor"));
    free(text);
    text = get_file(path_in(dir, "t.svg"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "recorded"));
    free(text);
    j = json_of(TOOL(dir, "trial", "x.loop", "--open-step", "3", "--json"), 0);
    ck_assert_double_eq_tol(number_at(j, "time_63"), 15, 1e-3);
    ck_assert_double_eq_tol(number_at(j, "pv_end"), 56, 1e-9);
    json_decref(j);
    o = TOOL(dir, "trial", "x.loop", "--sp-step", "200", "--for", "30s");
    ck_assert_ptr_nonnull(strstr(o.out, "CAUTION: setpoint 250 pv-EU needs OUT at 140"));
    outcome_free(&o);
    o = TOOL(dir, "trial", "x.loop", "--sp-step", "2", "--for", "33s");
    ck_assert_ptr_nonnull(strstr(o.out, "give a longer --for"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(search_meets_what_is_asked_or_names_the_limiting_requirement)
{
    char *dir = scratch_make(), *text;
    json_t *j = json_of(TOOL(NULL, "search", MODEL, "--scan", "1s", "--json"), 0);
    outcome o;

    ck_assert(json_is_true(json_object_get(j, "met")));
    ck_assert_double_le(number_at(j, "metrics.ms"), number_at(j, "requirements.2.limit"));
    ck_assert_double_gt(number_at(j, "tried"), 100);
    { /* what it found is what check asks by default, and judges as well */
        char kc[32], ti[32];
        json_t *checked;

        (void)snprintf(kc, sizeof kc, "--kc=%.17g", number_at(j, "settings.kc"));
        (void)snprintf(ti, sizeof ti, "--ti=%.17g", number_at(j, "settings.ti"));
        checked = json_of(TOOL(NULL, "check", MODEL, kc, ti, "--scan", "1s", "--json"), 0);
        ck_assert_double_eq(number_at(checked, "requirements.2.limit"),
                            number_at(j, "requirements.2.limit"));
        ck_close(number_at(checked, "sampled.ms"), number_at(j, "metrics.ms"), 1e-9);
        ck_assert_str_eq(json_string_value(json_object_get(checked, "judged")), "sampled");
        json_decref(checked);
    }
    json_decref(j);
    j = json_of(TOOL(NULL, "search", MODEL, "--scan", "1s", "--settling", "6s", "--json"), 1);
    ck_assert_str_eq(json_string_value(json_object_get(j, "limiting_requirement")), "settling");
    json_decref(j);
    put_file(path_in(dir, "x.loop"),
             "[loop]\nscan = 1\n[pv]\nlow = 0\nhigh = 100\n[out]\nlow = "
             "0\nhigh = 100\n[model]\ngain = 2\ntime-constant = 10\n"
             "dead-time = 5\nout0 = 40\npv0 = 50\n");
    o = TOOL(dir, "search", "x.loop", "--kc", "0.1:1:0.05", "--ti", "4:20:1", "--runs", "r.csv",
             "--figure", "map.svg", "--save");
    ck_assert_msg(o.status == 0, "%s%s", o.out, o.err);
    ck_assert_ptr_nonnull(strstr(o.out, "323 settings tried"));
    outcome_free(&o);
    text = get_file(path_in(dir, "r.csv"), NULL);
    ck_assert_int_eq(strncmp(text, "turn,kc,ti_s,td_s,tf_s,stable,met,cost,", 39), 0);
    free(text);
    text = get_file(path_in(dir, "x.loop"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "rule = search load-iae"));
    free(text);
    o = TOOL(dir, "check", "x.loop");
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    o = TOOL(dir, "search", "x.loop", "--model-error", "15", "--noise", "0.2", "--peak", "9",
             "--sp-step", "2", "--cost", "both-ise", "--weigh-effort", "3", "--effort",
             "travel");
    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "the lowest both-ise"));
    ck_assert_ptr_nonnull(strstr(o.out,
                                 "Conditions: setpoint step 2 pv-EU, load step 5 out-EU; "
                                 "PV noise 0.2 pv-EU"));
    ck_assert_ptr_nonnull(
        strstr(o.out, "the worst over 9 models with each number wrong by 15 %"));
    ck_assert_ptr_nonnull(strstr(o.out, "at most 9 pv-EU"));
    ck_assert_ptr_nonnull(strstr(o.out, "out-noise"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* A controller written in another way is the same controller. */
START_TEST(band_repeats_and_ratio_are_gain_times_and_filter)
{
    static const char loop[] =
        "[loop]\naction = direct\n[pv]\nlow = 0\nhigh = 20\n[out]\nlow = "
        "0\nhigh = 100\n[model]\ngain = -0.118\ntime-constant = 46.5\n"
        "dead-time = 17.4\n";
    char *dir = scratch_make();
    json_t *plain, *other;

    put_file(path_in(dir, "x.loop"), loop);
    plain = json_of(TOOL(dir, "check", "x.loop", "--kc", "-10", "--ti", "40", "--td", "6",
                         "--tf", "0.75", "--json"),
                    0);
    /* 100 % of OUT is 50 % of PV's range times kc 10: a band of 50 %; kc is -2 in %/%. */
    other = json_of(TOOL(dir, "check", "x.loop", "--band", "50", "--repeats", "1.5", "--td",
                         "6", "--tf-ratio", "8", "--json"),
                    0);
    ck_close(number_at(other, "ms"), number_at(plain, "ms"), 1e-12);
    ck_close(number_at(other, "gain_margin"), number_at(plain, "gain_margin"), 1e-12);
    json_decref(other);
    other = json_of(TOOL(dir, "check", "x.loop", "--kc-percent", "-2", "--ti", "40", "--td",
                         "6", "--tf", "0.75", "--json"),
                    0);
    ck_close(number_at(other, "ms"), number_at(plain, "ms"), 1e-12);
    json_decref(other);
    json_decref(plain);
    scratch_free(dir);
}
END_TEST

/* lambda PI, no dead time, lambda 5: first order. P-only: offset 1/(1 + K kc). */
START_TEST(trial_agrees_with_the_closed_forms_case_by_case)
{
    json_t *j =
        json_of(TOOL(NULL, "trial", "--gain", "2", "--time-constant", "10", "--dead-time", "0",
                     "--scan", "5ms", "--kc", "1", "--ti", "10", "--sp-step", "1",
                     "--load-step", "1", "--load-at", "100", "--for", "200", "--case",
                     "p only: kc=1.5", "--case", "by hand: manual=0.5", "--json"),
                0);

    ck_assert_uint_eq(json_array_size(json_object_get(j, "cases")), 3);
    ck_close(number_at(j, "cases.0.setpoint.rise_time"), 5 * log(9), 1e-3);
    ck_close(number_at(j, "cases.0.setpoint.settling_time"), 5 * log(50), 1e-3);
    ck_close(number_at(j, "cases.0.setpoint.iae"), 5, 1e-3);
    ck_close(number_at(j, "cases.0.setpoint.ise"), 2.5, 1e-3);
    ck_close(number_at(j, "cases.0.setpoint.itae"), 25, 2e-3);
    ck_assert_double_lt(number_at(j, "cases.0.setpoint.overshoot_percent"), 0.1);
    ck_close(number_at(j, "cases.0.load.iae"), 10, 1e-3); /* d ti / kc */
    ck_close(number_at(j, "cases.1.setpoint.steady_error"), 0.25, 1e-9);
    ck_close(number_at(j, "cases.1.load.peak_deviation"), 0.5, 1e-3); /* 2 / (1 + 3) */
    ck_close(number_at(j, "cases.2.load.peak_deviation"), 2, 1e-3);
    ck_close(number_at(j, "cases.2.travel"), 0.5, 1e-12);
    ck_assert_double_eq(number_at(j, "cases.2.reversals"), 0);
    ck_assert_double_eq(number_at(j, "cases.0.saturated_time"), 0);
    json_decref(j);
    j = json_of(TOOL(NULL, "trial", MODEL, "--rule", "simc", "--scan", "0.5", "--load-step",
                     "2", "--json"),
                0);
    ck_assert(json_is_null(
        json_object_get(json_array_get(json_object_get(j, "cases"), 0), "setpoint")));
    json_decref(j);
}
END_TEST

START_TEST(trial_options_reach_the_loop)
{
    json_t *j = json_of(
        TOOL(NULL, "trial", MODEL, "--kc", "1", "--ti", "10", "--scan", "0.1", "--sp-step", "4",
             "--for", "300", "--out-low", "-1", "--out-high", "2.1", "--anti-windup", "none",
             "--case", "back: anti-windup=back-calculation tracking-time=5", "--case",
             "slow valve: out-rate=0.05", "--case", "soft: sp-weight=0", "--case",
             "other plant: dead-time=8 gain=1.9", "--case", "tight: rule=simc lambda=4s",
             "--case", "parallel: form=parallel kp=0.8 ki=0.08", "--case", "scan: scan=2s",
             "--json"),
        0);
    const double none = number_at(j, "cases.0.saturated_time");

    ck_assert_double_gt(none, 5);
    ck_assert_double_lt(number_at(j, "cases.1.saturated_time"), none);
    ck_assert_double_gt(number_at(j, "cases.2.setpoint.rise_time"),
                        number_at(j, "cases.1.setpoint.rise_time"));
    ck_assert_double_lt(number_at(j, "cases.3.setpoint.overshoot_percent"),
                        number_at(j, "cases.0.setpoint.overshoot_percent"));
    ck_assert_double_gt(number_at(j, "cases.4.setpoint.iae"),
                        number_at(j, "cases.1.setpoint.iae"));
    ck_assert_uint_eq(json_array_size(json_object_get(j, "cases")), 8);
    json_decref(j);
}
END_TEST

static char *loop_in(const char *dir)
{
    static char path[1024];
    char *loop = get_file(RK_SOURCE "/data/blend-brix.loop", NULL),
         *record = get_file(RK_SOURCE "/data/blend-brix.csv", NULL);

    (void)snprintf(path, sizeof path, "%s/blend-brix.loop", dir);
    put_file(path, loop);
    put_file(path_in(dir, "blend-brix.csv"), record);
    free(loop);
    free(record);
    return path;
}

/* As it stands, with a digit changed, and a block of one's own. */
static void prove_what_was_emitted(const char *dir, const char *path)
{
    const char *st = path_in(dir, "plc/blend_brix_program.st");
    json_t *j =
        json_of(TOOL(dir, "prove", path, "--dir", "plc", "--json", "--scans", "2000"), 0);
    char *text, *digit, *sheet;
    outcome o;

    ck_assert_str_eq(json_string_value(json_object_get(j, "verdict")), "proven");
    ck_assert(number_at(j, "scans") > 4000 && number_at(j, "mismatches") == 0);
    json_decref(j);
    sheet = get_file(path_in(dir, "plc/blend_brix_controller_settings.txt"), NULL);
    ck_assert_ptr_nonnull(strstr(sheet, "  proven\n"));
    free(sheet);
    o = TOOL(dir, "prove", path, "--dir", "plc", "--no-c", "--scans", "2000", "--curves",
             "twin.csv");
    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "PROVEN"));
    ck_assert_ptr_nonnull(strstr(o.out, "twin on record"));
    outcome_free(&o);
    sheet = get_file(path_in(dir, "twin.csv"), NULL);
    ck_assert_int_eq(strncmp(sheet, "time_s,out,pv,twin\r\n", 20), 0);
    free(sheet);

    text = get_file(st, NULL);
    digit = strstr(text, "_kc : LREAL := LREAL#-") + 22;
    *digit = *digit == '9' ? '1' : (char)(*digit + 1);
    put_file(st, text);
    o = TOOL(dir, "prove", path, "--dir", "plc", "--no-c", "--scans", "2000");
    ck_assert_int_eq(o.status, 1);
    ck_assert_ptr_nonnull(strstr(o.out, "NOT PROVEN"));
    ck_assert_ptr_nonnull(strstr(o.out, "first scan"));
    outcome_free(&o);
    sheet = get_file(path_in(dir, "plc/blend_brix_controller_settings.csv"), NULL);
    ck_assert_ptr_nonnull(strstr(sheet, ",verdict,NOT PROVEN,\r\n"));
    free(sheet);
    *digit = *digit == '1' ? '9' : (char)(*digit - 1);
    put_file(st, text);
    free(text);
}

/* The slim controller, in each number type; and as a block of the user's own. */
START_TEST(a_slim_controller_is_emitted_and_proven)
{
    char *dir = scratch_make(), *path = loop_in(dir), *text;
    outcome o = TOOL(dir, "fit", path, "--save");

    outcome_free(&o);
    o = TOOL(dir, "tune", path, "--rule", "simc", "--save");
    outcome_free(&o);
    o = TOOL(dir, "emit", path, "--dir", "slim", "--slim", "--real", "real");
    ck_assert_msg(o.status == 0, "%s", o.err);
    outcome_free(&o);
    o = TOOL(dir, "prove", path, "--dir", "slim");
    ck_assert_msg(o.status == 0 && strstr(o.out, "slim C") != NULL, "%s%s", o.out, o.err);
    outcome_free(&o);
    o = TOOL(dir, "emit", path, "--dir", "slim", "--slim", "--force");
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    o = TOOL(dir, "prove", path, "--block", "slim/blend_brix_controller.st", "--figure",
             "steps.svg");
    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "THE SAME"));
    outcome_free(&o);
    text = get_file(path_in(dir, "steps.svg"), NULL);
    ck_assert(strstr(text, "design") != NULL && strstr(text, "block") != NULL);
    free(text);
    o = TOOL(dir, "prove", path, "--block", "slim/blend_brix_controller.st", "--pin", "pv=sp",
             "--pin", "sp=pv");
    ck_assert_int_eq(o.status, 1);
    ck_assert_ptr_nonnull(strstr(o.out, "it acts the other way round"));
    outcome_free(&o);
    o = TOOL(dir, "emit", path, "--dir", "whole", "--slim", "--real", "fixed");
    ck_assert_msg(o.status == 0 && strstr(o.out, "_fixed.c") != NULL, "%s%s", o.out, o.err);
    outcome_free(&o);
    o = TOOL(dir, "prove", path, "--dir", "whole");
    ck_assert_msg(o.status == 0 && strstr(o.out, "fixed-point Structured Text") != NULL, "%s%s",
                  o.out, o.err);
    ck_assert_ptr_nonnull(strstr(o.out, "fixed-point C"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(a_loop_file_carries_the_job_from_fit_to_program_text)
{
    char *dir = scratch_make(), *path = loop_in(dir), *text;
    json_t *j;
    outcome o;

    j = json_of(TOOL(dir, "fit", path, "--save", "--json"), 0);
    ck_close(number_at(j, "model.gain"), -0.118, 1e-2);
    json_decref(j);
    o = TOOL(dir, "tune", path, "--rule", "simc", "--save");
    ck_assert_msg(o.status == 0, "%s", o.err);
    outcome_free(&o);
    j = json_of(TOOL(dir, "check", path, "--json"), 0);
    ck_close(number_at(j, "gain_margin"), 3.14159265, 1e-6);
    ck_assert_str_eq(json_string_value(json_object_get(j, "verdict")), "met");
    json_decref(j);
    j = json_of(TOOL(dir, "emit", path, "--dir", "plc", "--json"), 0);
    ck_assert_uint_eq(json_array_size(json_object_get(j, "files")), 14);
    json_decref(j);
    prove_what_was_emitted(dir, path);
    text = get_file(path_in(dir, "plc/loop_controller.st"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "FUNCTION_BLOCK LOOP_CONTROLLER\n"));
    free(text);
    text = get_file(path_in(dir, "plc/blend_brix_program.st"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "Record        blend-brix.csv"));
    free(text);
    o = TOOL(dir, "emit", path, "--dir", "plc"); /* the same again: nothing to replace */
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    put_file(path_in(dir, "plc/blend_brix_program.st"), "mine");
    o = TOOL(dir, "emit", path, "--dir", "plc");
    ck_assert_int_eq(o.status, 4);
    ck_assert_ptr_nonnull(strstr(o.err, "--force"));
    outcome_free(&o);
    o = TOOL(dir, "emit", path, "--dir", "plc", "--force", "--to", "st");
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    o = TOOL(dir, "emit", path, "--dir", "paper", "--to", "sheet,vectors");
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    text = get_file(path_in(dir, "paper/blend_brix_controller_settings.txt"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "repeats per minute"));
    free(text);
    o = TOOL(dir, "emit", path, "--dir", "mixed", "--to", "sheet");
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    put_file(path_in(dir, "mixed/blend_brix_plant.c"), "mine");
    o = TOOL(dir, "emit", path, "--dir", "mixed"); /* all of them, or none */
    ck_assert_int_eq(o.status, 4);
    ck_assert_int_ne(access(path_in(dir, "mixed/blend_brix_program.st"), F_OK), 0);
    outcome_free(&o);
    o = TOOL(dir, "emit", path, "--dir", "single", "--real", "real");
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    o = TOOL(dir, "prove", path, "--dir", "single");
    ck_assert_msg(o.status == 0 && strstr(o.out, "in single precision, no bit differs") != NULL,
                  "%s%s", o.out, o.err);
    outcome_free(&o);
    o = TOOL(dir, "emit", path, "--show");
    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "inc  = ki_ts (sp - pv)"));
    ck_assert_ptr_nonnull(strstr(o.out, "backward, as above"));
    ck_assert_ptr_nonnull(strstr(o.out, "trapezoid"));
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* The loop with its delay, from its file: judged so by check, and so headed on the sheet. */
START_TEST(a_delay_in_the_loop_file_is_judged_and_written)
{
    static const char loop[] =
        "[loop]\nname = x\nscan = 1\ndelay-scans = 2\n[out]\nlow = 0\nhigh = 100\n[model]\n"
        "gain = 2\ntime-constant = 10\ndead-time = 5\nout0 = 50\n[settings]\nkc = 0.4\n"
        "ti = 10\n";
    const rk_model m = {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 0, 0};
    const rk_settings s = rk_settings_make(0.4, 10, 0, 0);
    const rk_sampling late = {1, 2, RK_SCHEME_BACKWARD};
    char *dir = scratch_make(), *sheet, line[80];
    rk_margins margins;
    json_t *j;

    put_file(path_in(dir, "x.loop"), loop);
    ck_assert_int_eq(rk_sampled_margins_compute(&m, &s, &late, &margins, NULL), RK_OK);
    j = json_of(TOOL(dir, "check", "x.loop", "--json"), 0);
    ck_close(number_at(j, "sampled.gain_margin"), margins.gain_margin, 1e-12);
    ck_close(number_at(j, "requirements.0.figure"), margins.gain_margin, 1e-12);
    ck_assert_double_eq(number_at(j, "sampled.delay_scans"), 2);
    json_decref(j);
    j = json_of(TOOL(dir, "emit", "x.loop", "--dir", "plc", "--json"), 0);
    json_decref(j);
    sheet = get_file(path_in(dir, "plc/x_controller_settings.txt"), NULL);
    (void)snprintf(line, sizeof line, "gain %.4g, phase %.4g deg", margins.gain_margin,
                   margins.phase_margin);
    ck_assert_msg(strstr(sheet, line) != NULL, "%s: %.900s", line, sheet);
    ck_assert_ptr_nonnull(strstr(sheet, "(as scanned, with its delay)"));
    ck_assert_ptr_nonnull(
        strstr(sheet, "continuous    gain 3.927")); /* pi/2 / (2 kc theta/tau) */
    free(sheet);
    scratch_free(dir);
}
END_TEST

START_TEST(check_says_no_with_exit_status_1_and_emit_writes_nothing_unstable)
{
    static const char loop[] =
        "[loop]\nname = x\nscan = 1\n[out]\nlow = 0\nhigh = 100\n[model]\ngain = 2\n"
        "time-constant = 10\ndead-time = 5\n[settings]\nkc = 4\nti = 10\n";
    char *dir = scratch_make();
    outcome o;

    put_file(path_in(dir, "x.loop"), loop);
    o = TOOL(dir, "check", "x.loop");
    ck_assert_int_eq(o.status, 1);
    ck_assert_ptr_nonnull(strstr(o.out, "UNSTABLE"));
    { /* as the loop is scanned */
        const rk_model m = {RK_MODEL_FOPDT, 2, {10, 0}, 0, 5, 0, 0};
        const rk_settings s = rk_settings_make(4, 10, 0, 0);
        const rk_sampling every = {1, 0, RK_SCHEME_BACKWARD};
        char range[48];
        rk_margins margins;

        ck_assert_int_eq(rk_sampled_margins_compute(&m, &s, &every, &margins, NULL), RK_OK);
        (void)snprintf(range, sizeof range, "give kc between 0 and %.4g", margins.kc_stable[1]);
        ck_assert_msg(strstr(o.out, range) != NULL, "%s: %s", range, o.out);
    }
    outcome_free(&o);
    o = TOOL(dir, "emit", "x.loop");
    ck_assert_int_eq(o.status, 1);
    ck_assert_ptr_nonnull(strstr(o.err, "nothing written"));
    outcome_free(&o);
    o = run_program(dir, (const char *const[]){"ls", NULL});
    ck_assert_str_eq(o.out, "x.loop\n");
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(demo_does_the_whole_job_and_leaves_it_in_a_folder)
{
    static const char *const left[] = {"blend-brix.csv",
                                       "blend-brix.loop",
                                       "fit.png",
                                       "open.png",
                                       "syrup-heating.loop",
                                       "trial-rules.png",
                                       "trial-windup.png",
                                       "trial-manual.png",
                                       "loop_controller.st",
                                       "blend_brix_program.st",
                                       "loop_controller.c",
                                       "blend_brix_loop.h"};
    static const char *const cc[] = {"cc",      "-std=c99",  "-Wall", "-Wextra",
                                     "-Werror", "-pedantic", "-c",    "d/loop_controller.c",
                                     NULL};
    char *dir = scratch_make();
    outcome o = TOOL(dir, "demo", "--dir", "d");
    const char *end;
    size_t i, length;

    ck_assert_msg(o.status == 0, "%s", o.err);
    ck_assert_ptr_nonnull(strstr(o.out, "MET"));
    ck_assert_str_eq(o.err, "");
    end = strstr(o.out, "Everything is in");
    ck_assert_ptr_nonnull(end);
    ck_assert_ptr_nonnull(strstr(end, "loop_controller.st")); /* it stands there, see below */
    ck_assert_ptr_nonnull(strstr(end, "blend_brix_program.st"));
    ck_assert_ptr_null(strstr(end, "blend_brix_controller.st"));
    outcome_free(&o);
    for (i = 0; i < COUNT(left); i++) {
        char name[128], *content;

        (void)snprintf(name, sizeof name, "d/%s", left[i]);
        content = get_file(path_in(dir, name), &length);
        ck_assert_uint_gt(length, 500);
        if (strstr(left[i], ".png") != NULL) {
            ck_assert_mem_eq(content, "\x89PNG", 4);
        }
        free(content);
    }
    o = run_program(dir, cc);
    ck_assert_msg(o.status == 0, "%s", o.err);
    outcome_free(&o);
    o = TOOL(dir, "demo", "--dir", "d"); /* and again over it */
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

/* What an engineer reads: the verdict first, units on every number. */
static const struct {
    const char *what, *arguments[16], *says[5];
} shown[] = {
    {"fit", {"fit", CLEAN, BRIX_COLUMNS}, {"GOOD", "gain", "46.50", "17.40", "explains"}},
    {"fit in minutes", {"fit", CLEAN, BRIX_COLUMNS, "--minutes"}, {"min", "0.775", "0.29"}},
    {"tune",
     {"tune", MODEL},
     {"ideal form", "GM", "IAE, in pv-EU s", "simple", "tyreus-luyben"}},
    {"tune, parallel, minutes",
     {"tune", MODEL, "--form", "parallel", "--minutes"},
     {"kp, out-EU/pv-EU", "ki, out-EU/pv-EU/min"}},
    {"check",
     {"check", MODEL, "--rule", "simc"},
     {"MET", "at least 2", "(default)", "stable from 0 to", "rule simc"}},
    {"check without dead time",
     {"check", "--gain", "2", "--time-constant", "10", "--dead-time", "0", "--kc", "1", "--ti",
      "5"},
     {"never oscillates", "any above", "none"}},
    {"trial",
     {"trial", MODEL, "--rule", "simc", "--scan", "1s"},
     {"rise time, s", "IAE", "OUT travel", "No output range"}},
    {"trial in the terminal",
     {"trial", MODEL, "--rule", "simc", "--scan", "1s", "--figure", "-"},
     {"SP and PV", "OUT, out-EU"}},
    {"help", {"--help"}, {"Usage: redkettle COMMAND", "fit", "demo", "Exit status"}},
    {"version", {"--version"}, {"redkettle " RK_VERSION}},
    {"help of a command",
     {"trial", "--help"},
     {"--sp-step", "--case", "manual=OUT", "--anti-windup", "Example"}},
};

START_TEST(output_says_what_an_engineer_looks_for)
{
    outcome o = run_tool(NULL, shown[_i].arguments);
    size_t i;

    ck_assert_msg(o.status == 0, "%s: %s", shown[_i].what, o.err);
    for (i = 0; i < COUNT(shown[_i].says) && shown[_i].says[i] != NULL; i++) {
        ck_assert_msg(strstr(o.out, shown[_i].says[i]) != NULL, "%s: no '%s' in:\n%s",
                      shown[_i].what, shown[_i].says[i], o.out);
    }
    ck_assert_msg(strstr(o.out, "\033[") == NULL, "colour where there is no terminal");
    outcome_free(&o);
}
END_TEST

static const char *const figures[] = {"f.png", "f.svg", "f.pdf"};

START_TEST(figures_are_written_whole_by_their_name)
{
    char *dir = scratch_make(), *content;
    outcome o = TOOL(dir, "fit", CLEAN, BRIX_COLUMNS, "--figure", figures[_i]);
    size_t length;

    ck_assert_msg(o.status == 0, "%s", o.err);
    outcome_free(&o);
    content = get_file(path_in(dir, figures[_i]), &length);
    ck_assert_uint_gt(length, 2000);
    free(content);
    scratch_free(dir);
}
END_TEST

START_TEST(examples_run)
{
    outcome o =
        run_program(NULL, (const char *const[]){RK_EXAMPLES "/fit_and_tune",
                                                RK_SOURCE "/data/blend-brix.csv", "timestamp",
                                                "FV210.OUT_pct", "AT210.PV_degBx", NULL});

    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "gain margin 3.14"));
    outcome_free(&o);
    o = run_program(NULL, (const char *const[]){RK_EXAMPLES "/run_on_sim_port", NULL});
    ck_assert_int_eq(o.status, 0); /* it holds the setpoint after the load step */
    ck_assert_ptr_nonnull(strstr(o.out, "OUT  46.00 %"));
    outcome_free(&o);
    o = run_program(NULL, (const char *const[]){RK_EXAMPLES "/override", NULL});
    ck_assert_int_eq(o.status, 0); /* the wall stays below 95.5 degC, without a bump */
    ck_assert_ptr_nonnull(strstr(o.out, "the wall leads"));
    outcome_free(&o);
    o = run_program(NULL, (const char *const[]){RK_EXAMPLES "/cascade", NULL});
    ck_assert_int_eq(o.status, 0); /* the master does not wind up */
    ck_assert_ptr_nonnull(strstr(o.out, "flow asked"));
    outcome_free(&o);
    o = run_program(NULL, (const char *const[]){RK_EXAMPLES "/timer_interrupt", NULL});
    ck_assert_int_eq(o.status, 0); /* it follows its setpoint, the watchdog fed */
    ck_assert_ptr_nonnull(strstr(o.out, "at a setpoint of 12.30"));
    outcome_free(&o);
}
END_TEST

START_TEST(a_closed_output_is_an_error)
{
    outcome o = run_program(
        NULL, (const char *const[]){
                  "sh", "-c",
                  "exec \"$0\" tune --gain 2 --time-constant 10 --dead-time 5 > /dev/full",
                  RK_CLI, NULL});

    ck_assert_int_eq(o.status, 4);
    ck_assert_ptr_nonnull(strstr(o.err, "cannot write"));
    outcome_free(&o);
}
END_TEST

/* The same with its model and SIMC settings saved. */
static char *tuned_loop_in(const char *dir)
{
    char *path = loop_in(dir);
    outcome o = TOOL(dir, "fit", path, "--save");

    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    o = TOOL(dir, "tune", path, "--rule", "simc", "--save");
    ck_assert_int_eq(o.status, 0);
    outcome_free(&o);
    return path;
}

/* A row of the table of keys is all that a setting needs: each is tried with a value that it
   refuses, so that whoever knows it complains of the value, and whoever does not of the name.
 */
START_TEST(every_setting_is_a_key_an_option_and_a_cases_key)
{
    char *dir = scratch_make(), *loop = loop_in(dir), option[64], pair[80], wanted[64];
    outcome help = TOOL(dir, "help", "loop-file"), o;
    size_t i, settings = 0;

    ck_assert_int_eq(help.status, 0);
    for (i = 0; i < rk_key_count(); i++) {
        const rk_key *key = rk_key_at(i);

        ck_assert_msg(strstr(help.out, key->help) != NULL, "%s", key->name);
        if (strcmp(key->section, "settings") != 0 || key->type == RK_KEY_TEXT ||
            strcmp(key->name, "lambda") == 0) {
            continue; /* the rule that they came from is no setting of its own */
        }
        settings++;
        (void)snprintf(option, sizeof option, "--%s=?", key->name);
        (void)snprintf(pair, sizeof pair, "x: %s=?", key->name);
        (void)snprintf(wanted, sizeof wanted, "'?'");
        o = TOOL(dir, "check", loop, option);
        ck_assert_msg(o.status == 2 && strstr(o.err, wanted) != NULL, "%s: %s", option, o.err);
        outcome_free(&o);
        o = TOOL(dir, "trial", loop, "--case", pair);
        ck_assert_msg(o.status == 2 && strstr(o.err, wanted) != NULL, "%s: %s", pair, o.err);
        outcome_free(&o);
        (void)snprintf(pair, sizeof pair, "x: %sq=1", key->name);
        o = TOOL(dir, "trial", loop, "--case", pair);
        ck_assert_msg(strstr(o.err, "unknown key") != NULL, "%s: %s", pair, o.err);
        outcome_free(&o);
    }
    ck_assert_uint_gt(settings, 14);
    outcome_free(&help);
    scratch_free(dir);
}
END_TEST

START_TEST(help_explains_commands_and_slips_are_answered)
{
    outcome o = TOOL(NULL, "help", "check");

    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "Usage: redkettle check"));
    outcome_free(&o);
    o = TOOL(NULL, "-h");
    ck_assert_int_eq(o.status, 0);
    ck_assert_ptr_nonnull(strstr(o.out, "redkettle help COMMAND"));
    outcome_free(&o);
    o = TOOL(NULL, "chekc");
    ck_assert_int_eq(o.status, 2);
    ck_assert_ptr_nonnull(strstr(o.err, "unknown command 'chekc'; did you mean check?"));
    outcome_free(&o);
    o = TOOL(NULL, "help", "tun");
    ck_assert_int_eq(o.status, 2);
    ck_assert_ptr_nonnull(strstr(o.err, "did you mean tune?"));
    outcome_free(&o);
    o = TOOL(NULL, "weather");
    ck_assert_int_eq(o.status, 2);
    ck_assert_ptr_null(strstr(o.err, "did you mean"));
    outcome_free(&o);
}
END_TEST

/* The words of options and files, in another case than help shows them. */
static const char *const in_other_case[][16] = {
    {"tune", MODEL, "--mode", "pid", "--rule", "AMIGO", "--form", "Ideal"},
    {"tune", MODEL, "--rule", "ALL", "--sort", "MS"},
    {"fit", "shouted.loop", "--kind", "FOPDT"},
    {"check", "shouted.loop", "--anti-windup", "Back-Calculation"},
    {"trial", "shouted.loop", "--case", "b: rule=Simc form=IDEAL anti-windup=None"},
    {"trial", "shouted.loop", "--case",
     "c: integral-by=Forward algorithm=VELOCITY scan=Continuous"},
    {"search", MODEL, "--scan", "1", "--mode", "pi", "--cost", "LOAD-IAE"},
    {"emit", "shouted.loop", "--dir", "plc", "--to", "ST,c", "--real", "LReal"},
};

START_TEST(words_are_read_whatever_their_case)
{
    char *dir = scratch_make(), *text = get_file(tuned_loop_in(dir), NULL);
    outcome o;

    memcpy(strstr(text, "= direct"), "= Direct", 8);
    memcpy(strstr(text, "= fopdt"), "= FOPDT", 7);
    put_file(path_in(dir, "shouted.loop"), text);
    free(text);
    o = run_tool(dir, in_other_case[_i]);
    ck_assert_msg(o.status == 0, "%s %s: %s", in_other_case[_i][0], in_other_case[_i][1],
                  o.err);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

START_TEST(the_command_that_emit_advises_can_be_pasted_whatever_the_folder_is_called)
{
    static const char define[] = "redkettle() { \"$0\" \"$@\"; }; ";
    char *dir = scratch_make(), *path = tuned_loop_in(dir), *line, script[1024];
    outcome o, pasted;

    o = TOOL(dir, "emit", path, "--dir", "the shift's plc", "--to", "st");
    ck_assert_int_eq(o.status, 0);
    line = strstr(o.out, "redkettle prove");
    ck_assert_ptr_nonnull(line);
    (void)snprintf(script, sizeof script, "%s%s", define, line);
    pasted = run_program(dir, (const char *const[]){"sh", "-c", script, RK_CLI, NULL});
    ck_assert_msg(pasted.status == 0, "%s: %s", line, pasted.err);
    ck_assert_ptr_nonnull(strstr(pasted.out, "the program text in the shift's plc"));
    outcome_free(&pasted);
    outcome_free(&o);
    scratch_free(dir);
}
END_TEST

Suite *suite_commands(void)
{
    Suite *suite = suite_create("cli/commands");
    TCase *t = tcase_create("commands"), *slow = tcase_create("search"),
          *whole = tcase_create("the whole job");

    tcase_add_test(t, fit_prints_one_json_object_with_the_model);
    tcase_add_test(t, fit_shows_moves_models_as_given_and_validation);
    tcase_add_test(t, a_loop_names_the_record_that_its_model_must_predict);
    tcase_add_test(t, band_repeats_and_ratio_are_gain_times_and_filter);
    tcase_add_test(t, check_agrees_with_the_closed_forms);
    tcase_add_test(t, settings_may_be_typed_in_any_form);
    tcase_add_test(t, trial_agrees_with_the_closed_forms_case_by_case);
    tcase_add_test(t, trial_options_reach_the_loop);
    tcase_add_test(t, a_slim_controller_is_emitted_and_proven);
    tcase_add_test(t, a_delay_in_the_loop_file_is_judged_and_written);
    tcase_add_test(t, check_says_no_with_exit_status_1_and_emit_writes_nothing_unstable);
    add_table(t, output_says_what_an_engineer_looks_for, shown);
    add_table(t, figures_are_written_whole_by_their_name, figures);
    tcase_add_test(t, examples_run);
    tcase_add_test(t, a_closed_output_is_an_error);
    tcase_add_test(t, help_explains_commands_and_slips_are_answered);
    tcase_add_test(t,
                   the_command_that_emit_advises_can_be_pasted_whatever_the_folder_is_called);
    tcase_set_tags(slow, "statistics"); /* thousands of runs: not under the sanitizers */
    tcase_add_test(slow, trial_compares_kinds_of_control_and_keeps_their_curves);
    tcase_add_test(slow, search_meets_what_is_asked_or_names_the_limiting_requirement);
    suite_add_tcase(suite, slow);
    tcase_set_tags(whole, "processes"); /* its commands are run one by one too */
    tcase_add_test(whole, tune_gives_the_rules_in_the_form_asked_for);
    tcase_add_test(whole, demo_does_the_whole_job_and_leaves_it_in_a_folder);
    tcase_add_test(whole, a_loop_file_carries_the_job_from_fit_to_program_text);
    add_table(whole, words_are_read_whatever_their_case, in_other_case);
    tcase_add_test(whole, every_setting_is_a_key_an_option_and_a_cases_key);
    suite_add_tcase(suite, whole);
    suite_add_tcase(suite, t);
    return suite;
}

int main(void)
{
    static Suite *(*const makers[])(void) = {
        suite_commands,      suite_bad_input, suite_bump_command, suite_run_command,
        suite_settings_kept, suite_slips,     suite_cli_search,   suite_report_command};

    return run_suites(makers, COUNT(makers));
}
