/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include <jansson.h>

#include "../support/support.h"

static const char whole[] = "; a loop\n"
                            "[loop]\n"
                            "name = Glycol supply\n"
                            "scan = 500ms\n"
                            "action = direct\n"
                            "[pv]\n"
                            "units = degC\n"
                            "low = -10\n"
                            "  high = 20   ; indented, with a comment\n"
                            "[out]\n"
                            "units = %\n"
                            "low = 0\n"
                            "high = 100\n"
                            "rate = 2\n"
                            "[record]\n"
                            "file = glycol.csv\n"
                            "time = t\n"
                            "out = TV250.OUT\n"
                            "pv = TT250.PV\n"
                            "quality = TT250.Q\n"
                            "time-unit = min\n"
                            "[model]\n"
                            "kind = fopdt\n"
                            "gain = -0.19\n"
                            "time-constant = 3min\n"
                            "dead-time = 45s\n"
                            "out0 = 30\n"
                            "pv0 = 2.4\n"
                            "gain-95 = -0.2, -0.18\n"
                            "dead-time-95 = 0.7min, 50s\n"
                            "noise = 0.03\n"
                            "[settings]\n"
                            "rule = simc\n"
                            "lambda = 1min\n"
                            "form = parallel\n"
                            "kp = -8\n"
                            "ki = -0.05\n"
                            "kd = -80\n"
                            "tf = 2s\n"
                            "sp-weight = 0.5\n"
                            "anti-windup = conditional\n"
                            "tracking-time = 30s\n"
                            "pv-filter = 1500ms\n"
                            "integral-by = trapezoid\n"
                            "derivative-by = trapezoid\n"
                            "algorithm = velocity\n"
                            "[require]\n"
                            "ms = 1.7\n"
                            "settling = 10min\n"
                            "overshoot = 5\n"
                            "peak = 0.7\n"
                            "recovery = 8min\n"
                            "sp-step = 1.5\n"
                            "load-step = -4\n"
                            "[plant]\n"
                            "kind = sopdt-osc\n"
                            "gain = -0.2\n"
                            "time-constant = 2min\n"
                            "damping = 0.4\n"
                            "dead-time = 50s\n"
                            "out0 = 31\n"
                            "pv0 = 2.5\n"
                            "out = 33\n"
                            "noise = 0.02\n"
                            "noise-correlation = 0.5\n"
                            "seed = 9\n"
                            "adc-bits = 14\n"
                            "valve-rate = 4\n"
                            "backlash = 0.3\n"
                            "stiction = 0.2\n"
                            "load = -3\n"
                            "load-at = 5min\n"
                            "sensor-sticks = 1min, 10s\n"
                            "sensor-bad = 2min, 500ms\n"
                            "port-drops = 1h, 2s\n"
                            "valve-file = glycol.valve\n";

START_TEST(every_key_reaches_its_place)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "a.loop");
    rk_diag diag = {RK_OK, ""};
    rk_design l;

    put_file(path, whole);
    ck_assert_msg(rk_design_read(path, &l, &diag) == RK_OK, "%s", diag.text);
    ck_assert_str_eq(l.name, "Glycol supply");
    ck_assert_double_eq(l.ts, 0.5);
    ck_assert_int_eq((int)l.action, RK_ACTION_DIRECT);
    ck_assert_str_eq(l.pv_units, "degC");
    ck_assert_double_eq(l.pv_low, -10);
    ck_assert_double_eq(l.pv_high, 20);
    ck_assert_double_eq(l.out_high, 100);
    ck_assert_double_eq(l.out_rate, 2);
    ck_assert_str_eq(l.record_file, "glycol.csv");
    ck_assert_str_eq(l.record_path, path_in(dir, "glycol.csv")); /* beside the loop file */
    ck_assert_str_eq(l.out_column, "TV250.OUT");
    ck_assert(l.has_model && l.has_settings);
    ck_assert_double_eq(l.model.gain, -0.19);
    ck_assert_double_eq(l.model.time_constant[0], 180);
    ck_assert_double_eq(l.model.dead_time, 45);
    ck_assert_double_eq(l.model.pv0, 2.4);
    ck_assert_double_eq(l.gain95[1], -0.18);
    ck_assert_double_eq(l.dead_time95[0], 42);
    ck_assert(isnan(l.tau95[0][0]));
    ck_assert_str_eq(l.rule, "simc");
    ck_assert_double_eq(l.lambda, 60);
    ck_assert_double_eq(l.settings.kc, -8);
    ck_assert_double_eq(l.settings.ti, 160); /* kp / ki */
    ck_assert_double_eq(l.settings.td, 10);
    ck_assert_double_eq(l.settings.tf, 2);
    ck_assert_double_eq(l.settings.sp_weight, 0.5);
    ck_assert_int_eq((int)l.settings.anti_windup, RK_ANTI_WINDUP_CONDITIONAL);
    ck_assert_int_eq((int)l.settings.integral, RK_SCHEME_TRAPEZOID);
    ck_assert_int_eq((int)l.settings.derivative, RK_SCHEME_TRAPEZOID);
    ck_assert_int_eq((int)l.settings.algorithm, RK_ALGORITHM_VELOCITY);
    ck_assert_double_eq(l.settings.tt, 30);
    ck_assert_double_eq(l.settings.pv_filter, 1.5);
    ck_assert_double_eq(l.requirements.limit[RK_REQUIRE_MS], 1.7);
    ck_assert_double_eq(l.requirements.limit[RK_REQUIRE_SETTLING], 600);
    ck_assert_double_eq(l.requirements.limit[RK_REQUIRE_GAIN_MARGIN], 2); /* the default */
    ck_assert_double_eq(l.requirements.limit[RK_REQUIRE_PEAK], 0.7);
    ck_assert_double_eq(l.requirements.limit[RK_REQUIRE_RECOVERY], 480);
    ck_assert_double_eq(l.requirements.sp_step, 1.5);
    ck_assert_double_eq(l.requirements.load_step, -4);
    ck_assert_double_eq(l.noise, 0.03);
    ck_assert_str_eq(l.quality_column, "TT250.Q");
    ck_assert_double_eq(l.record_time_unit, 60);
    ck_assert(l.has_plant);
    ck_assert_int_eq((int)l.plant.model.kind, RK_MODEL_SOPDT_OSC);
    ck_assert_double_eq(l.plant.model.time_constant[0], 120);
    ck_assert_double_eq(l.plant.model.damping, 0.4);
    ck_assert_double_eq(l.plant.model.out0, 31);
    ck_assert_double_eq(l.plant.out, 33);
    ck_assert_double_eq(l.plant.noise_correlation, 0.5);
    ck_assert_double_eq(l.plant.seed, 9);
    ck_assert_double_eq(l.plant.adc_bits, 14);
    ck_assert_double_eq(l.plant.valve_rate, 4);
    ck_assert_double_eq(l.plant.backlash, 0.3);
    ck_assert_double_eq(l.plant.stiction, 0.2);
    ck_assert_double_eq(l.plant.load, -3);
    ck_assert_double_eq(l.plant.load_at, 300);
    ck_assert_double_eq(l.plant.sensor_sticks.at, 60);
    ck_assert_double_eq(l.plant.sensor_sticks.length, 10);
    ck_assert_double_eq(l.plant.sensor_bad.length, 0.5);
    ck_assert_double_eq(l.plant.port_drops.at, 3600);
    ck_assert_str_eq(l.plant.valve_file, path_in(dir, "glycol.valve"));
    scratch_free(dir);
}
END_TEST

/* Models of every kind, saved and read again. */
static const rk_model kinds[] = {
    {RK_MODEL_FOPDT, -0.19, {180, 0}, 0, 55, 30, 2.4},
    {RK_MODEL_SOPDT, -0.19, {160, 62}, 0, 24, 30, 2.4},
    {RK_MODEL_SOPDT_OSC, 1.5, {8, 0}, 0.3, 2.7, 10, 5},
    {RK_MODEL_IPDT, 0.0145, {0, 0}, 0, 3.6, 41, 412},
    {RK_MODEL_IPDT_LAG, 0.0145, {7, 0}, 0, 3.6, 41, 412},
};

START_TEST(a_model_of_any_kind_is_saved_and_read_again)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "a.loop");
    rk_design l = rk_design_make();
    rk_diag diag = {RK_OK, ""};

    put_file(path, "[loop]\nscan = 1\n[model]\nkind = sopdt\ngain = 1\ntime-constant = 2, 1\n"
                   "dead-time = 3\n");
    l.has_model = true;
    l.model = kinds[_i];
    ck_assert_int_eq(rk_design_save_model(path, &l, NULL), RK_OK);
    ck_assert_msg(rk_design_read(path, &l, &diag) == RK_OK, "%s", diag.text);
    ck_assert_int_eq((int)l.model.kind, (int)kinds[_i].kind);
    ck_assert_double_eq(l.model.gain, kinds[_i].gain);
    ck_assert_double_eq(l.model.time_constant[0], kinds[_i].time_constant[0]);
    ck_assert_double_eq(l.model.time_constant[1], kinds[_i].time_constant[1]);
    ck_assert_double_eq(l.model.damping, kinds[_i].damping);
    ck_assert_double_eq(l.model.dead_time, kinds[_i].dead_time);
    ck_assert_double_eq(l.model.out0, kinds[_i].out0);
    scratch_free(dir);
}
END_TEST

/* One wrong line each, in place of one of the whole file (from) or at its end; where, what. */
static const struct {
    const char *content, *says;
    rk_status status;
} bad[] = {
    {"", "is empty", RK_ERR_FORMAT},
    {"; only a comment\n", "is empty", RK_ERR_FORMAT},
    {"[loop]\nscan\n", ":2: neither a [section]", RK_ERR_FORMAT},
    {"[loop\nscan = 1\n", ":1: neither", RK_ERR_FORMAT},
    {"scan = 1\n", ":1: unknown section []", RK_ERR_FORMAT},
    {"[looop]\nscan = 1\n", ":2: unknown section [looop]; did you mean loop? known: loop, pv",
     RK_ERR_FORMAT},
    {"[loop]\nscna = 1\n",
     ":2: unknown key 'scna' in [loop]; did you mean scan? known: name, scan, delay-scans, action",
     RK_ERR_FORMAT},
    {"[loop]\nscan = fast\n", ":2: scan 'fast' is not a time", RK_ERR_FORMAT},
    {"[loop]\nscan = 0\n", ":2: scan '0' is out of range: give a time above 0", RK_ERR_RANGE},
    {"[loop]\nscan = -1s\n", ":2: scan '-1s' is out of range", RK_ERR_RANGE},
    {"[loop]\nscan = 1\nscan = 2\n", ":3: key 'scan' is given twice", RK_ERR_FORMAT},
    {"[loop]\naction = backwards\n", ":2: unknown action 'backwards'; known: direct, reverse",
     RK_ERR_RANGE},
    {"[pv]\nlow = 0,5\nhigh = 1\n", ":2: low '0,5' is not a number", RK_ERR_FORMAT},
    {"[pv]\nlow = 10\nhigh = 0\n", "PV range 10 to 0", RK_ERR_RANGE},
    {"[out]\nlow = 0\nhigh = 0\n", "OUT range 0 to 0", RK_ERR_RANGE},
    {"[out]\nlow = 0\n", "both low and high", RK_ERR_RANGE},
    {"[out]\nrate = 0\n",
     ":2: rate '0' is out of range: give a number above 0, OUT units per second", RK_ERR_RANGE},
    {"[model]\ngain = 2\ndead-time = 1\n", "[model] has no time-constant", RK_ERR_FORMAT},
    {"[model]\ngain = 2\ntime-constant = -4\ndead-time = 1\n",
     ":3: time-constant '-4' is out of range: give a time above 0", RK_ERR_RANGE},
    {"[model]\ngain = nan\ntime-constant = 4\ndead-time = 1\n",
     ":2: gain 'nan' is not a number", RK_ERR_FORMAT},
    {"[model]\ngain = 0\ntime-constant = 4\ndead-time = 1\n",
     ":2: gain '0' is out of range: give a number that is not 0", RK_ERR_RANGE},
    {"[model]\ngain = 2\ntime-constant = 4\ndead-time = -1\n",
     ":4: dead-time '-1' is out of range: give a time of 0 or more", RK_ERR_RANGE},
    {"[model]\nkind = cubic\n", ":2: unknown model kind 'cubic'; known: fopdt", RK_ERR_RANGE},
    {"[model]\ngain-95 = 2\n", ":2: gain-95 '2' is not two numbers", RK_ERR_FORMAT},
    {"[model]\ngain-95 = 3, 2\n", ":2: gain-95 '3, 2'", RK_ERR_FORMAT},
    {"[settings]\nkc = 1\nti = 0\n", ":3: ti '0' is out of range", RK_ERR_RANGE},
    {"[settings]\nkc = 0\nti = 3\n", ":2: kc '0' is out of range", RK_ERR_RANGE},
    {"[settings]\nti = 3\n", "no controller gain: give kc", RK_ERR_RANGE},
    {"[settings]\nkc = 1\nki = 0.1\n", "belong to the parallel form", RK_ERR_RANGE},
    {"[settings]\nform = parallel\nkc = 1\n", "takes kp, ki and kd", RK_ERR_RANGE},
    {"[settings]\nform = fancy\nkc = 1\n", ":2: unknown controller form 'fancy'", RK_ERR_RANGE},
    {"[settings]\nkc = 1\nti = 3\nintegral-by = midpoint\n", ":4: unknown scheme 'midpoint'",
     RK_ERR_RANGE},
    {"[settings]\nkc = 1\nti = 3\nalgorithm = speed\n", ":4: unknown algorithm 'speed'",
     RK_ERR_RANGE},
    {"[settings]\nkc = 1\nti = 3\nanti-windup = yes\n", ":4: unknown anti-windup 'yes'",
     RK_ERR_RANGE},
    {"[settings]\nkc = 1\nti = 3\nsp-weight = 2\n",
     ":4: sp-weight '2' is out of range: give a number from 0 to 1", RK_ERR_RANGE},
    {"[loop]\naction = reverse\n[settings]\nkc = -1\nti = 3\n", "action is said to be reverse",
     RK_ERR_RANGE},
    {"[require]\nms = fast\n", ":2: ms 'fast' is not a number", RK_ERR_FORMAT},
    {"[require]\nms = 2min\n", ":2: ms '2min' is not a number", RK_ERR_FORMAT},
    {"[require]\nms = -2\n", ":2: ms '-2' is out of range: give a number above 1",
     RK_ERR_RANGE},
    {"[require]\nbeauty = 2\n", ":2: unknown key 'beauty' in [require]; known: gain-margin",
     RK_ERR_FORMAT},
    {"[loop]\nname = a name that is much longer than sixty-three characters, which is all "
     "there is room for\n",
     "is too long", RK_ERR_FORMAT},
    {"[record]\nfile = "
     "01234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789\n",
     ":2: the line is longer than", RK_ERR_FORMAT},
};

START_TEST(wrong_lines_are_told_with_their_number)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "b.loop");
    rk_design l = rk_design_make();
    rk_diag diag = {RK_OK, ""};

    put_file(path, bad[_i].content);
    l.ts = 123;
    ck_assert_int_eq(rk_design_read(path, &l, &diag), bad[_i].status);
    ck_assert_msg(strstr(diag.text, bad[_i].says) != NULL, "'%s' does not say '%s'", diag.text,
                  bad[_i].says);
    ck_assert_ptr_nonnull(strstr(diag.text, "b.loop"));
    ck_assert_double_eq(l.ts, 123); /* nothing was written */
    scratch_free(dir);
}
END_TEST

static rk_design with_settings(double kc, double ti, double td)
{
    rk_design l = rk_design_make();

    l.has_settings = l.has_model = true;
    l.settings = rk_settings_make(kc, ti, td, td / 10);
    strcpy(l.rule, "lambda");
    l.lambda = 20;
    l.model = fopdt(0.1 + 0.2, 1.0 / 3.0, 0);
    return l;
}

/* A file before and after settings are saved into it. */
static const struct {
    const char *fact, *before, *after;
    double td;
} saves[] = {
    {"a section of its own is added at the end", "[loop]\nscan = 1",
     "[loop]\nscan = 1\n\n[settings]\nrule = lambda\nlambda = 20.0s\nform = ideal\nkc = "
     "2.5\nti = 40.0s\n",
     0},
    {"known keys are rewritten where they stand, comments kept",
     "; mine\n[settings]\n; by hand\nti = 7   ; seconds\nsp-weight = "
     "0.5\nkc=1\n\n[require]\nms = 2 ; keep\n",
     "; mine\n[settings]\n; by hand\nti = 40.0s   ; seconds\nsp-weight = 1.0\nkc = 2.5\nrule = "
     "lambda\nlambda = 20.0s\nform = ideal\n\n[require]\nms = 2 ; keep\n",
     0},
    {"keys of another form go",
     "[settings]\nform = parallel\nkp = 1\nki = 2\nkd = 3\n[pv]\nunits = x\n",
     "[settings]\nform = ideal\nrule = lambda\nlambda = 20.0s\nkc = 2.5\nti = "
     "40.0s\n[pv]\nunits = x\n",
     0},
    {"derivative times come and stay", "[settings]\nkc = 1\ntd = 1\n",
     "[settings]\nkc = 2.5\ntd = 4.0s\nrule = lambda\nlambda = 20.0s\nform = ideal\nti = "
     "40.0s\ntf = 0.4s\n",
     4},
    {"a lone derivative time goes", "[settings]\nkc = 1\ntd = 1\ntf = 0.1\n",
     "[settings]\nkc = 2.5\nrule = lambda\nlambda = 20.0s\nform = ideal\nti = 40.0s\n", 0},
    {"CRLF stays CRLF", "[loop]\r\nscan = 1\r\n",
     "[loop]\r\nscan = 1\r\n\r\n[settings]\r\nrule = lambda\r\nlambda = 20.0s\r\nform = "
     "ideal\r\nkc = 2.5\r\nti = 40.0s\r\n",
     0},
    {"an empty section is filled", "[settings]\n\n[pv]\nunits = x\n",
     "[settings]\nrule = lambda\nlambda = 20.0s\nform = ideal\nkc = 2.5\nti = "
     "40.0s\n\n[pv]\nunits = x\n",
     0},
};

START_TEST(saving_touches_its_own_keys_alone)
{
    const rk_design l = with_settings(2.5, 40, saves[_i].td);
    char *dir = scratch_make(), *content;
    const char *path = path_in(dir, "c.loop");
    rk_design back;

    put_file(path, saves[_i].before);
    ck_assert_int_eq(rk_design_save_settings(path, &l, NULL), RK_OK);
    content = get_file(path, NULL);
    ck_assert_str_eq(content, saves[_i].after);
    ck_assert_int_eq(rk_design_read(path, &back, NULL), RK_OK);
    ck_assert_double_eq(back.settings.kc, 2.5);
    ck_assert_double_eq(back.settings.td, saves[_i].td);
    ck_assert_int_eq(rk_design_save_settings(path, &l, NULL), RK_OK); /* the same again */
    free(content);
    content = get_file(path, NULL);
    ck_assert_str_eq(content, saves[_i].after);
    free(content);
    scratch_free(dir);
}
END_TEST

START_TEST(a_saved_model_reads_back_to_the_bit)
{
    rk_design l = with_settings(1, 1, 0), back;
    char *dir = scratch_make();
    const char *path = path_in(dir, "d.loop");

    l.gain95[0] = 0.1;
    l.gain95[1] = 1.0 / 3.0;
    l.model.pv0 = 11.799168195753697;
    put_file(path, "[loop]\nscan = 1\n[model]\ngain = 3 ; old\ndead-time-95 = 1, 2\n");
    ck_assert_int_eq(rk_design_save_model(path, &l, NULL), RK_OK);
    ck_assert_int_eq(rk_design_read(path, &back, NULL), RK_OK);
    ck_assert_double_eq(back.model.gain, l.model.gain);
    ck_assert_double_eq(back.model.time_constant[0], l.model.time_constant[0]);
    ck_assert_double_eq(back.model.dead_time, l.model.dead_time);
    ck_assert_double_eq(back.model.pv0, l.model.pv0);
    ck_assert_double_eq(back.gain95[1], 1.0 / 3.0);
    ck_assert(isnan(back.dead_time95[0])); /* not known any more: the old one is gone */
    scratch_free(dir);
}
END_TEST

/* Files of an unusual but sound shape: saved into, they read back. */
static const char *const shapes[] = {
    "[settings]\nkc = 1\n[pv]\nlow = 0\nhigh = 1\n[settings]\nti = 5s\n",
    "[settings]\nti = 5s\n[settings]\nkc = 1\n",
    "[settings]\n[loop]\nscan = 1\n[settings]\nkc = 1\ntd = 3\n[settings]\nti = 5\n",
    "\xEF\xBB\xBF[settings]\nkc = 1\nti = 5s\n[loop]\nscan = 1\n",
    "\xEF\xBB\xBF[settings]\r\nform = parallel\r\nkp = 1\r\nki = 5\r\n",
    "\xEF\xBB\xBF; a comment\n[loop]\nscan = 1\n",
};

START_TEST(what_is_saved_reads_back_whatever_the_file_is_shaped_like)
{
    const rk_design l = with_settings(2.5, 40, 0);
    char *dir = scratch_make();
    const char *path = path_in(dir, "s.loop");
    rk_design before, back;
    rk_diag diag = {RK_OK, ""};

    put_file(path, shapes[_i]);
    ck_assert_msg(rk_design_read(path, &before, &diag) == RK_OK, "%s", diag.text);
    ck_assert_msg(rk_design_save_settings(path, &l, &diag) == RK_OK, "%s", diag.text);
    ck_assert_msg(rk_design_read(path, &back, &diag) == RK_OK, "%s", diag.text);
    ck_assert_double_eq(back.settings.kc, 2.5);
    ck_assert_double_eq(back.settings.ti, 40);
    ck_assert_double_eq(back.settings.td, 0);
    ck_assert(before.ts == back.ts || (isnan(before.ts) && isnan(back.ts)));
    ck_assert(before.pv_high == back.pv_high || (isnan(before.pv_high) && isnan(back.pv_high)));
    scratch_free(dir);
}
END_TEST

START_TEST(a_nul_is_refused_with_its_line)
{
    static const char content[] = "[settings]\nkc = -11\0.5\nti = 5\n";
    char *dir = scratch_make();
    const char *path = path_in(dir, "n.loop");
    FILE *file = fopen(path, "wb");
    rk_design l;
    rk_diag diag;

    ck_assert_ptr_nonnull(file);
    ck_assert_uint_eq(fwrite(content, 1, sizeof content - 1, file), sizeof content - 1);
    ck_assert_int_eq(fclose(file), 0);
    ck_assert_int_eq(rk_design_read(path, &l, &diag), RK_ERR_FORMAT);
    ck_assert_ptr_nonnull(strstr(diag.text, "n.loop:2: holds a NUL"));
    scratch_free(dir);
}
END_TEST

/* The file was changed by hand since it was loaded: it is not made worse, and not lost. */
START_TEST(a_file_that_would_not_read_back_is_left_as_it_is)
{
    static const char broken[] = "[settings]\nkc = 1\nti = soon\n[loop]\nscna = 1\n";
    const rk_design l = with_settings(2.5, 40, 0);
    char *dir = scratch_make(), *content;
    const char *path = path_in(dir, "s.loop");
    rk_diag diag;

    put_file(path, broken);
    ck_assert_int_eq(rk_design_save_settings(path, &l, &diag), RK_ERR_FORMAT);
    ck_assert_msg(strstr(diag.text, "is left as it is") != NULL &&
                      strstr(diag.text, ":3: ti 'soon' is not a time") != NULL,
                  "%s", diag.text);
    content = get_file(path, NULL);
    ck_assert_str_eq(content, broken);
    free(content);
    scratch_free(dir);
}
END_TEST

/* Two programs save into one file, again and again. */
static int save_many(const char *path, bool model)
{
    rk_design l = with_settings(0, 40, 0);
    int i;

    l.has_model = true;
    l.model = fopdt(2, 10, 4);
    for (i = 1; i <= 40; i++) {
        l.settings.kc = l.model.gain = i;
        if ((model ? rk_design_save_model : rk_design_save_settings)(path, &l, NULL) != RK_OK) {
            return 1;
        }
    }
    return 0;
}

START_TEST(of_two_that_save_at_once_neither_result_is_lost)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "s.loop");
    int round;

    for (round = 0; round < 5; round++) {
        rk_design back;
        int status = 0;
        pid_t child;

        put_file(path, "[loop]\nscan = 1\n");
        child = fork();
        ck_assert_int_ge(child, 0);
        if (child == 0) {
            _exit(save_many(path, true));
        }
        ck_assert_int_eq(save_many(path, false), 0);
        ck_assert_int_eq(waitpid(child, &status, 0), child);
        ck_assert_int_eq(status, 0);
        ck_assert_int_eq(rk_design_read(path, &back, NULL), RK_OK);
        ck_assert_double_eq(back.settings.kc, 40);
        ck_assert_double_eq(back.model.gain, 40);
    }
    scratch_free(dir);
}
END_TEST

START_TEST(nothing_is_saved_from_nothing_or_into_nowhere)
{
    const rk_design full = with_settings(1, 1, 0), empty = rk_design_make();
    rk_diag diag = {RK_OK, ""};
    rk_design l;

    ck_assert_int_eq(rk_design_save_settings("/nowhere/x.loop", &full, &diag), RK_ERR_IO);
    ck_assert_int_eq(rk_design_save_settings("/nowhere/x.loop", &empty, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_design_save_model("/nowhere/x.loop", &empty, NULL), RK_ERR_RANGE);
    ck_assert_int_eq(rk_design_save_model(NULL, &full, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_design_read("/nowhere/x.loop", &l, NULL), RK_ERR_IO);
    ck_assert_int_eq(rk_design_read(NULL, &l, NULL), RK_ERR_ARG);
}
END_TEST

static Suite *suite_loop_file(void)
{
    Suite *suite = suite_create("files/loop_file");
    TCase *t = tcase_create("loop_file");

    tcase_add_test(t, every_key_reaches_its_place);
    add_table(t, wrong_lines_are_told_with_their_number, bad);
    add_table(t, saving_touches_its_own_keys_alone, saves);
    tcase_add_test(t, a_saved_model_reads_back_to_the_bit);
    add_table(t, what_is_saved_reads_back_whatever_the_file_is_shaped_like, shapes);
    tcase_add_test(t, a_nul_is_refused_with_its_line);
    tcase_add_test(t, a_file_that_would_not_read_back_is_left_as_it_is);
    tcase_add_test(t, of_two_that_save_at_once_neither_result_is_lost);
    tcase_add_test(t, nothing_is_saved_from_nothing_or_into_nowhere);
    add_table(t, a_model_of_any_kind_is_saved_and_read_again, kinds);
    suite_add_tcase(suite, t);
    return suite;
}

Suite *suite_number(void);
Suite *suite_record_file(void);
Suite *suite_record_log(void);
Suite *suite_trial_case(void);
Suite *suite_port_keys(void);
Suite *suite_quantities(void);
Suite *suite_write(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {
        suite_number,     suite_record_file, suite_record_log, suite_loop_file,
        suite_trial_case, suite_quantities,  suite_port_keys,  suite_write};

    return run_suites(makers, COUNT(makers));
}
