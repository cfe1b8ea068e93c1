/* SPDX-License-Identifier: MIT */
/* The live loop and the relay test through a port that can fail, without a process. */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "../support/support.h"

/* The blend loop on its simulated plant. */
static rk_design blend(void)
{
    rk_design d = rk_design_make();

    d.ts = 1;
    d.pv_low = 0;
    d.pv_high = 20;
    d.out_low = 0;
    d.out_high = 100;
    d.has_settings = d.has_plant = true;
    d.settings = rk_settings_make(-11.1, 46.5, 0, 0);
    d.plant.model = fopdt(-0.118, 46.5, 17.4);
    d.plant.model.out0 = 42;
    d.plant.model.pv0 = 11.8;
    d.action = RK_ACTION_DIRECT;
    return d;
}

/* A simulated plant behind a port whose calls fail in some scans. */
typedef struct rig {
    rk_design design;
    rk_sim_plant *plant;
    rk_port inner;
    long scan, bad_from, bad_until; /* PV is NaN in these scans */
    long drop_from, drop_until;     /* OUT is not taken in these */
    size_t writes;
    double out;
    bool deaf;   /* OUT does not reach the plant */
    int missing; /* so many replies of OUT's value are still missing */
} rig;

static rk_status read_pv(void *user, rk_real *pv)
{
    const rig *r = user;

    if (r->scan >= r->bad_from && r->scan < r->bad_until) {
        *pv = (double)NAN;
        return RK_OK;
    }
    return r->inner.read_pv(r->inner.user, pv);
}

static rk_status write_out(void *user, rk_real out)
{
    rig *r = user;

    if (r->scan >= r->drop_from && r->scan < r->drop_until) return RK_ERR_IO;
    r->writes++;
    r->out = out;
    return r->deaf ? RK_OK : r->inner.write_out(r->inner.user, out);
}

static rk_status read_out(void *user, rk_real *out)
{
    rig *r = user;

    if (r->missing > 0) {
        r->missing--;
        return RK_ERR_IO;
    }
    return r->inner.read_out(r->inner.user, out);
}

static rk_live_port rig_make(rig *r)
{
    rk_live_port port = {{r, read_pv, write_out, read_out}, NULL, NULL};

    *r = (rig){.design = blend(), .out = 42};
    ck_assert_int_eq(rk_sim_plant_create(&r->design, &r->plant, NULL), RK_OK);
    r->inner = rk_sim_plant_port(r->plant);
    port.plant = r->plant;
    return port;
}

static const struct {
    const char *words;
    bool good;
    rk_event_kind kind;
    double value;
} words[] = {
    {"sp=12.5", true, RK_EVENT_SETPOINT, 12.5},
    {"sp=-3", true, RK_EVENT_SETPOINT, -3},
    {"manual=40", true, RK_EVENT_MANUAL, 40},
    {"manual", true, RK_EVENT_MANUAL, (double)NAN},
    {"auto", true, RK_EVENT_AUTO, (double)NAN},
    {"load=-6", true, RK_EVENT_LOAD, -6},
    {"kc=-9 ti=60s", true, RK_EVENT_SETTINGS, (double)NAN},
    {"integral-by=Trapezoid", true, RK_EVENT_SETTINGS, (double)NAN},
    {"kcc=-9", false, RK_EVENT_AUTO, 0},
    {"kc=-9 ti", false, RK_EVENT_AUTO, 0},
    {"sp", false, RK_EVENT_AUTO, 0},
    {"load", false, RK_EVENT_AUTO, 0},
    {"auto=1", false, RK_EVENT_AUTO, 0},
    {"sp=", false, RK_EVENT_AUTO, 0},
    {"sp=nan", false, RK_EVENT_AUTO, 0},
    {"sp=1,5", false, RK_EVENT_AUTO, 0},
    {"manually=3", false, RK_EVENT_AUTO, 0},
    {"", false, RK_EVENT_AUTO, 0},
};

START_TEST(an_event_is_what_its_words_say)
{
    rk_event e = {.at = 7};
    rk_diag diag;

    if (words[_i].good) {
        ck_assert_int_eq(rk_event_parse(words[_i].words, &e, &diag), RK_OK);
        ck_assert_int_eq(e.kind, words[_i].kind);
        ck_assert(e.value == words[_i].value || (isnan(e.value) && isnan(words[_i].value)));
    } else {
        ck_assert_int_eq(rk_event_parse(words[_i].words, &e, &diag), RK_ERR_FORMAT);
        ck_assert_ptr_nonnull(strstr(diag.text, "is none of sp=VALUE"));
    }
    ck_assert_double_eq(e.at, 7);
}
END_TEST

/* Setpoints, a ramp's worth of rows and a load, over more scans than rows are kept. */
START_TEST(a_long_run_keeps_bounded_rows_and_the_figures_of_every_scan)
{
    enum { SCANS = 40000 };
    double *columns = calloc(4 * SCANS, sizeof(double));
    rk_run_curves all = {
        "", SCANS, columns, columns + SCANS, columns + (2 * SCANS), columns + (3 * SCANS)};
    rig r;
    rk_live_port port = rig_make(&r);
    rk_run_figures wanted, got;
    rk_run_curves kept;
    rk_live *live = NULL;
    size_t i, stride;

    ck_assert_ptr_nonnull(columns);
    ck_assert_int_eq(rk_live_create(&r.design, &port, 0.01, &live, NULL), RK_OK);
    ck_assert_uint_eq(r.writes, 0);
    for (i = 0; i < SCANS; i++) {
        const rk_event sp = {.kind = RK_EVENT_SETPOINT,
                             .value = 11.8 + (0.2 * (double)((i / 2000) % 3))};
        const rk_event load = {.kind = RK_EVENT_LOAD, .value = i % 5000 < 2500 ? 0 : 4};
        rk_live_row row;

        if (i % 2000 == 0) {
            ck_assert_int_eq(rk_live_do(live, &sp, NULL), RK_OK);
        }
        ck_assert_int_eq(rk_live_do(live, &load, NULL), RK_OK);
        rk_live_scan(live, 1);
        row = rk_live_last(live);
        columns[i] = row.time;
        columns[SCANS + i] = row.sp;
        columns[(2 * SCANS) + i] = row.pv;
        columns[(3 * SCANS) + i] = row.out;
    }
    ck_assert_uint_eq(r.writes, SCANS);
    ck_assert_uint_eq(rk_live_scans(live), SCANS);
    wanted = rk_run_figures_compute(&all);
    got = rk_live_figures(live);
    ck_assert_mem_eq(&got, &wanted, sizeof got);
    ck_assert_double_gt(wanted.overshoot, 0);
    kept = rk_live_curves(live);
    ck_assert_uint_le(kept.count, RK_LIVE_ROWS_MOST);
    ck_assert_uint_ge(kept.count, RK_LIVE_ROWS_MOST / 2);
    stride = (size_t)(kept.time[1] - kept.time[0]);
    for (i = 0; i < kept.count; i++) {
        ck_assert_double_eq(kept.time[i], (double)(i * stride));
        ck_assert_double_eq(kept.pv[i], all.pv[i * stride]);
        ck_assert_double_eq(kept.out[i], all.out[i * stride]);
    }
    rk_live_free(live);
    rk_sim_plant_free(r.plant);
    free(columns);
}
END_TEST

/* By hand: PV overshoots the first change by 2.5 and the second, downward ramp by 1; the last
   change has not come to rest. */
START_TEST(overshoot_is_counted_from_where_each_change_ends)
{
    static const double sp[] = {0, 5, 5, 5, 5, 4, 3, 2, 2, 2, 2, 9};
    static const double pv[] = {0, 9, 4, 7.5, 5, 0, 0, 0, 5.5, 1, 2, 20};
    static const double out[] = {1, 4, 4, 2, 2, 2, 2, 2, 2, 2, 2, 3};
    static const double time[] = {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11};
    const rk_run_curves curves = {"", COUNT(sp), time, sp, pv, out};
    const rk_run_figures f = rk_run_figures_compute(&curves);
    const rk_run_curves still = {"", 1, time, sp, pv, out};

    ck_assert_double_eq(f.overshoot, 2.5);
    ck_assert_double_eq(f.out_lowest, 1);
    ck_assert_double_eq(f.out_highest, 4);
    ck_assert_double_eq(f.largest_move, 3);
    ck_assert_double_eq(f.travel, 6);
    ck_assert(isnan(rk_run_figures_compute(&still).overshoot));
}
END_TEST

START_TEST(what_is_out_of_range_changes_nothing_and_safe_is_written_at_once)
{
    const rk_event high = {.kind = RK_EVENT_SETPOINT, .value = 20.1},
                   low = {.kind = RK_EVENT_SETPOINT, .value = -0.1},
                   over = {.kind = RK_EVENT_MANUAL, .value = 100.1},
                   under = {.kind = RK_EVENT_MANUAL, .value = -0.1},
                   load = {.kind = RK_EVENT_LOAD, .value = 1},
                   by_hand = {.kind = RK_EVENT_MANUAL, .value = 30};
    rig r;
    rk_live_port port = rig_make(&r);
    rk_live *live = NULL;
    rk_diag diag;

    r.design.out_safe = 17;
    port.plant = NULL;
    ck_assert_int_eq(rk_live_create(&r.design, &port, HUGE_VAL, &live, NULL), RK_OK);
    ck_assert_int_eq(rk_live_do(live, &high, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "setpoint 20.1 is beyond 0 to 20"));
    ck_assert_int_eq(rk_live_do(live, &low, &diag), RK_ERR_RANGE);
    ck_assert_int_eq(rk_live_do(live, &over, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "output 100.1 is beyond 0 to 100"));
    ck_assert_int_eq(rk_live_do(live, &under, &diag), RK_ERR_RANGE);
    ck_assert_int_eq(rk_live_do(live, &load, &diag), RK_ERR_RANGE); /* no plant to load */
    rk_live_scan(live, 1);
    ck_assert_double_eq_tol(r.out, 42, 1e-9);
    ck_assert_int_eq(rk_live_do(live, &by_hand, NULL), RK_OK);
    ck_assert_str_eq(rk_live_mode(live), "manual");
    rk_live_scan(live, 1);
    ck_assert_double_eq(r.out, 30);
    ck_assert(rk_live_make_safe(live, 0));
    ck_assert_double_eq(r.out, 17);
    r.drop_until = 1; /* scan 0, now */
    ck_assert(!rk_live_make_safe(live, 0));
    rk_live_free(live);
    rk_sim_plant_free(r.plant);
}
END_TEST

/* Nobody took OUT for ten scans, and somebody moved the valve meanwhile: it goes on from there. */
START_TEST(a_valve_that_was_moved_while_out_could_not_be_written_is_where_it_goes_on)
{
    rig r;
    rk_live_port port = rig_make(&r);
    rk_live *live = NULL;
    int scan;

    r.drop_from = 50;
    r.drop_until = 60;
    ck_assert_int_eq(rk_live_create(&r.design, &port, HUGE_VAL, &live, NULL), RK_OK);
    for (scan = 0; scan < 62; scan++) {
        if (scan == 55) {
            ck_assert_int_eq(r.inner.write_out(r.inner.user, 30), RK_OK);
        }
        rk_live_scan(live, 1);
        r.scan++;
        ck_assert_int_eq((rk_live_block(live)->alarms & RK_ALARM_WRITE_FAILED) != 0,
                         scan >= 50 && scan < 60);
    }
    ck_assert_double_eq_tol(r.out, 30, 0.5);
    ck_assert_double_eq_tol(rk_live_last(live).out, 30, 0.5);
    rk_live_free(live);
    rk_sim_plant_free(r.plant);
}
END_TEST

START_TEST(a_loop_that_cannot_start_is_refused_before_anything_is_written)
{
    rig r;
    rk_live_port port = rig_make(&r);
    rk_live *live = NULL;
    rk_sim_plant *none = NULL;
    rk_design other = r.design;
    rk_diag diag;

    ck_assert_int_eq(rk_live_create(NULL, &port, 1, &live, NULL), RK_ERR_ARG);
    ck_assert_int_eq(rk_live_create(&r.design, NULL, 1, &live, NULL), RK_ERR_ARG);
    r.bad_until = 1;
    ck_assert_int_eq(rk_live_create(&r.design, &port, 1, &live, &diag), RK_ERR_IO);
    ck_assert_ptr_nonnull(strstr(diag.text, "no PV"));
    r.bad_until = 0;
    r.missing = 50;
    ck_assert_int_eq(rk_live_create(&r.design, &port, 1, &live, &diag), RK_ERR_IO);
    ck_assert_ptr_nonnull(strstr(diag.text, "OUT's present value"));
    other.out_high = 40; /* OUT stands at 42 */
    ck_assert_int_eq(rk_live_create(&other, &port, 1, &live, &diag), RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "OUT is at 42"));
    other.has_settings = false;
    ck_assert_int_eq(rk_live_create(&other, &port, 1, &live, &diag), RK_ERR_RANGE);
    ck_assert_uint_eq(r.writes, 0);
    ck_assert_ptr_null(live);
    other.has_plant = false;
    ck_assert_int_eq(rk_sim_plant_create(&other, &none, &diag), RK_ERR_RANGE);
    other.has_plant = true;
    other.ts = (double)NAN;
    ck_assert_int_eq(rk_sim_plant_create(&other, &none, &diag), RK_ERR_RANGE);
    rk_live_free(NULL);
    rk_sim_plant_free(r.plant);
}
END_TEST

/* What is changed at scan 100 of a loop at rest, and the settings after it. */
static const struct {
    const char *keys;
    double kc, ti, td, sp_weight;
} changes[] = {
    {"kc=-9 ti=60s", -9, 60, 0, 1},
    {"kc=-5", -5, 46.5, 0, 1},
    {"ti=2min sp-weight=0.5", -11.1, 120, 0, 0.5},
    {"td=4s tf=1s", -11.1, 46.5, 4, 1},
    {"form=parallel kp=-8 ki=-0.2", -8, 40, 0, 1},
    {"kp=-8 ki=-0.2 form=parallel", -8, 40, 0, 1}, /* in whatever order */
    {"form=series kc=-8 ti=40s", -8, 40, 0, 1},
};

START_TEST(settings_change_as_it_runs_without_a_bump)
{
    const rk_event sp = {.kind = RK_EVENT_SETPOINT, .value = 12.3};
    rk_event change = {.at = 0};
    rig r;
    rk_live_port port = rig_make(&r);
    rk_live *live = NULL;
    double before;
    int scan;

    ck_assert_int_eq(rk_event_parse(changes[_i].keys, &change, NULL), RK_OK);
    ck_assert_int_eq(rk_live_create(&r.design, &port, HUGE_VAL, &live, NULL), RK_OK);
    for (scan = 0; scan < 100; scan++) {
        rk_live_scan(live, 1);
    }
    before = r.out;
    ck_assert_int_eq(rk_live_do(live, &change, NULL), RK_OK);
    rk_live_scan(live, 1);
    ck_assert_double_eq_tol(r.out, before, 1e-9); /* at rest nothing else may move it */
    ck_assert_double_eq(rk_live_block(live)->pid.params.kc, changes[_i].kc);
    ck_assert_double_eq_tol(rk_live_block(live)->pid.params.ti, changes[_i].ti, 1e-12);
    ck_assert_double_eq(rk_live_block(live)->pid.params.td, changes[_i].td);
    ck_assert_double_eq(rk_live_block(live)->pid.params.sp_weight, changes[_i].sp_weight);
    ck_assert_int_eq(rk_live_do(live, &sp, NULL), RK_OK);
    for (scan = 0; scan < 900; scan++) {
        rk_live_scan(live, 1);
    }
    ck_assert_double_eq_tol(rk_live_last(live).pv, 12.3, 0.01);
    rk_live_free(live);
    rk_sim_plant_free(r.plant);
}
END_TEST

/* Each is no controller for this loop; nothing may change. */
static const char *const no_changes[] = {"kc=11.1", "ti=0.5s", "kp=-3", "form=parallel kc=-3"};

START_TEST(settings_that_make_no_controller_change_nothing)
{
    rk_event change = {.at = 0};
    rig r;
    rk_live_port port = rig_make(&r);
    rk_live *live = NULL;
    rk_diag diag;
    rk_pid_params before;

    ck_assert_int_eq(rk_event_parse(no_changes[_i], &change, NULL), RK_OK);
    ck_assert_int_eq(rk_live_create(&r.design, &port, HUGE_VAL, &live, NULL), RK_OK);
    before = rk_live_block(live)->pid.params;
    ck_assert_int_ne(rk_live_do(live, &change, &diag), RK_OK);
    ck_assert_str_ne(diag.text, "");
    ck_assert_mem_eq(&rk_live_block(live)->pid.params, &before, sizeof before);
    rk_live_free(live);
    rk_sim_plant_free(r.plant);
}
END_TEST

static rk_relay_plan relay(double amplitude)
{
    const double none = nan("");

    return (rk_relay_plan){amplitude, 0.02, none, 20, none, none, none};
}

START_TEST(first_replies_that_are_missing_delay_a_start_only)
{
    const rk_relay_plan plan = relay(3);
    rig r;
    rk_live_port port = rig_make(&r);
    rk_live *live = NULL;
    rk_relay_test *test = NULL;

    r.missing = 49;
    ck_assert_int_eq(rk_live_create(&r.design, &port, 1, &live, NULL), RK_OK);
    r.missing = 49;
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, NULL), RK_OK);
    rk_relay_test_free(test);
    r.missing = 50;
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, NULL),
                     RK_ERR_IO);
    rk_live_free(live);
    rk_sim_plant_free(r.plant);
}
END_TEST

/* The process has a phase of -180 deg at w: atan(46.5 w) + 18.4 w = pi, where the scan adds
   half of itself and a scan passes before OUT answers: w 0.0968, period 64.9 s, ultimate
   gain 39. */
START_TEST(a_relay_test_finds_the_ultimate_point)
{
    const rk_relay_plan plan = relay(5);
    rig r;
    rk_live_port port = rig_make(&r);
    rk_relay_test *test = NULL;
    rk_relay_result found;
    rk_relay_point point;
    double pv;

    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, NULL), RK_OK);
    ck_assert_uint_eq(r.writes, 0);
    while (rk_relay_test_scan(test, 1, &pv, NULL)) {
        rk_sim_plant_advance(r.plant);
    }
    ck_assert_int_eq(rk_relay_test_stage(test), RK_RELAY_TEST_DONE);
    ck_assert_int_eq(rk_relay_test_result(test, &found, NULL), RK_OK);
    ck_close(found.ultimate_period, 64.9,
             0.1); /* the describing function leaves out the higher harmonics */
    ck_close(found.ultimate_gain, -39, 0.3);
    /* Its own model knows the process without the scan: atan(46.5 w) + 17.4 w = pi, w 0.10220. */
    ck_assert_int_eq(rk_relay_point_compute(rk_relay_test_record(test), &point, NULL), RK_OK);
    ck_close(point.gain, -41.154, 0.01);
    ck_close(point.period, 61.482, 0.005);
    ck_assert(point.gain95[0] < point.gain && point.gain < point.gain95[1]);
    ck_assert_double_eq(r.out, 42);
    ck_assert(!rk_relay_test_scan(test, 1, &pv, NULL));
    rk_relay_test_free(test);
    rk_sim_plant_free(r.plant);
}
END_TEST

/* Two lags and a hysteresis that is a large part of the swing: atan(40 w) + atan(20 w) + 8 w = pi, w
   0.09379, ultimate gain 8.253, period 66.99 s. The swing alone says half of that gain. */
static const double hystereses[] = {0.4, 1, 2};

START_TEST(a_relay_with_hysteresis_gives_the_point_by_a_model_of_its_record)
{
    const double none = nan("");
    const rk_relay_plan plan = {5, hystereses[_i], none, 30, none, none, none};
    rk_design d = blend();
    rk_sim_plant *plant = NULL;
    rk_relay_test *test = NULL;
    rk_relay_result swing;
    rk_relay_point point;
    rk_port port;
    double pv;

    d.plant.model = (rk_model){RK_MODEL_SOPDT, 1, {40, 20}, 0, 8, 40, 60};
    d.plant.noise = 0.1;
    d.pv_high = 100;
    d.action = RK_ACTION_REVERSE;
    ck_assert_int_eq(rk_sim_plant_create(&d, &plant, NULL), RK_OK);
    port = rk_sim_plant_port(plant);
    ck_assert_int_eq(rk_relay_test_create(&d, &port, &plan, &test, NULL), RK_OK);
    while (rk_relay_test_scan(test, 1, &pv, NULL)) {
        rk_sim_plant_advance(plant);
    }
    ck_assert_int_eq(rk_relay_test_result(test, &swing, NULL), RK_OK);
    ck_assert_double_lt(swing.ultimate_gain, 0.7 * 8.253);
    ck_assert_int_eq(rk_relay_point_compute(rk_relay_test_record(test), &point, NULL), RK_OK);
    ck_assert_int_eq(point.fit.model.kind, RK_MODEL_SOPDT);
    ck_close(point.gain, 8.253, 0.1);
    ck_close(point.period, 66.99, 0.05);
    ck_assert(point.gain95[0] > 0.8 * 8.253 && point.gain95[1] < 1.2 * 8.253);
    rk_relay_test_free(test);
    rk_sim_plant_free(plant);
}
END_TEST

enum { NEVER = 1000000 };

/* What goes wrong from which scan on; PV is watched for 20. */
static const struct {
    const char *fact;
    long bad_from, drop_from, drop_until, stop_at;
    double pv_high;
    bool deaf;
    rk_relay_stage ends;
    bool written; /* OUT was moved meanwhile */
} ends[] = {
    {"no PV while it is watched", 5, NEVER, NEVER, NEVER, 1e9, false, RK_RELAY_TEST_NO_PV,
     false},
    {"stopped while it is watched", NEVER, NEVER, NEVER, 5, 1e9, false, RK_RELAY_TEST_STOPPED,
     false},
    {"PV goes bad", 60, NEVER, NEVER, NEVER, 1e9, false, RK_RELAY_TEST_PV_BAD, true},
    {"stopped as it swings", NEVER, NEVER, NEVER, 60, 1e9, false, RK_RELAY_TEST_STOPPED, true},
    {"PV leaves its bounds", NEVER, NEVER, NEVER, NEVER, 11.9, false, RK_RELAY_TEST_PV_OUT,
     true},
    {"OUT is not taken for a while", NEVER, 50, 65, NEVER, 1e9, false, RK_RELAY_TEST_NO_WRITE,
     true},
    {"OUT is never taken again", NEVER, 50, NEVER, NEVER, 1e9, false, RK_RELAY_TEST_STRANDED,
     true},
    {"stopped, and then not taken for a while", NEVER, 60, 70, 60, 1e9, false,
     RK_RELAY_TEST_STOPPED, true},
    {"PV does not answer", NEVER, NEVER, NEVER, NEVER, 1e9, true, RK_RELAY_TEST_TIMED_OUT,
     true},
};

START_TEST(whatever_ends_a_relay_test_out_goes_back_or_it_is_said)
{
    rk_relay_plan plan = relay(5);
    rig r;
    rk_live_port port = rig_make(&r);
    rk_relay_test *test = NULL;
    rk_relay_result found;
    double pv;
    bool more = true;

    r.bad_from = ends[_i].bad_from;
    r.bad_until = NEVER;
    r.drop_from = ends[_i].drop_from;
    r.drop_until = ends[_i].drop_until;
    r.deaf = ends[_i].deaf;
    plan.pv_high = ends[_i].pv_high;
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, NULL), RK_OK);
    for (r.scan = 0; more; r.scan++) {
        ck_assert_int_lt(r.scan, 5000);
        if (r.scan == ends[_i].stop_at) {
            rk_relay_test_stop(test);
        }
        more = rk_relay_test_scan(test, 1, &pv, NULL);
        rk_sim_plant_advance(r.plant);
    }
    ck_assert_msg(rk_relay_test_stage(test) == ends[_i].ends, "%s: ends as %d", ends[_i].fact,
                  rk_relay_test_stage(test));
    ck_assert_int_eq(r.writes > 0, ends[_i].written);
    ck_assert_int_eq(rk_relay_test_result(test, &found, NULL), RK_ERR_DATA);
    if (ends[_i].ends != RK_RELAY_TEST_STRANDED) {
        ck_assert_double_eq(r.out, 42);
    } else {
        ck_assert_double_ne(r.out, 42);
        ck_assert_int_ge(r.scan, 50 + 60); /* it was tried for a while */
        ck_assert_double_eq(rk_relay_test_out_start(test), 42);
    }
    rk_relay_test_free(test);
    rk_sim_plant_free(r.plant);
}
END_TEST

START_TEST(a_relay_that_cannot_be_is_refused)
{
    rk_relay_plan plan = relay(58.1), cycles = relay(5);
    rig r;
    rk_live_port port = rig_make(&r);
    rk_relay_test *test = NULL;
    rk_diag diag;

    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, &diag),
                     RK_ERR_RANGE);
    ck_assert_ptr_nonnull(strstr(diag.text, "OUT stands at 42"));
    plan.amplitude = 42.1; /* below 0 on one side */
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, &diag),
                     RK_ERR_RANGE);
    plan.amplitude = 0;
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, &diag),
                     RK_ERR_RANGE);
    cycles.cycles = 101;
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &cycles, &test, &diag),
                     RK_ERR_RANGE);
    cycles.cycles = 0;
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &cycles, &test, &diag),
                     RK_ERR_RANGE);
    ck_assert_int_eq(rk_relay_test_create(NULL, &port.seam, &cycles, &test, &diag), RK_ERR_ARG);
    ck_assert_ptr_null(test);
    rk_sim_plant_free(r.plant);
}
END_TEST

/* A clock that is moved by hand, and a stop from outside. */
typedef struct hand {
    rig *r;
    double now;
    double stall;  /* s that a wait takes longer, */
    long stall_at; /* behind that scan */
    long seen, stop_at;
    bool end;     /* by seen */
    double least; /* s from a scan to the next, at least */
} hand;

static double hand_now(void *user)
{
    return ((const hand *)user)->now;
}

static void hand_wait(void *user, double time)
{
    hand *h = user;

    const double from = h->now;

    ck_assert_double_gt(time, from);
    h->now = time + (h->seen == h->stall_at ? h->stall : 0);
    h->least = fmin(h->least, h->now - from);
}

static const char *hand_stopped(void *user)
{
    const hand *h = user;

    return h->seen >= h->stop_at ? "stopped by hand" : NULL;
}

static bool hand_seen(void *user, double time, double pv, double out)
{
    hand *h = user;

    ck_assert_double_ge(time, 0);
    ck_assert(isnan(pv) || (pv > 0 && pv < 20));
    ck_assert(out >= 0 && out <= 100);
    h->seen++;
    h->r->scan++;
    return !h->end || h->seen < 30;
}

static rk_pace hand_pace(hand *h, rig *r, long stop_at)
{
    const rk_pace made = {.now = hand_now,
                          .wait_until = hand_wait,
                          .keeps_time = true,
                          .stopped = hand_stopped,
                          .seen = hand_seen,
                          .user = h};

    *h = (hand){.r = r, .stop_at = stop_at, .now = 7, .least = HUGE_VAL};
    return made;
}

static const struct {
    const char *fact;
    long stop_at, bad_from, drop_from, drop_until;
    rk_bump_state ends;
    const char *says;
} bumps[] = {
    {"to its end", NEVER, NEVER, NEVER, NEVER, RK_BUMP_DONE, "done: OUT is back"},
    {"stopped from outside", 50, NEVER, NEVER, NEVER, RK_BUMP_STOPPED,
     "stopped: stopped by hand; OUT is back at 42"},
    {"PV goes bad", NEVER, 60, NEVER, NEVER, RK_BUMP_STOPPED, "OUT is back at 42"},
    {"OUT is never taken again", 60, NEVER, 60, NEVER, RK_BUMP_STRANDED,
     "COULD NOT BE PUT BACK to 42"},
};

START_TEST(a_step_test_is_run_recorded_and_ended)
{
    rk_bump_plan plan = {.moves = 2,
                         .move = {5, -5},
                         .hold = 60,
                         .before = 20,
                         .patience = 0,
                         .pv_low = 0,
                         .pv_high = 20,
                         .out_low = 0,
                         .out_high = 100,
                         .ts = 1};
    char *dir = scratch_make(), *text;
    rk_record_log *log = NULL;
    rk_record *record = NULL;
    rk_bump *bump = NULL;
    rig r;
    rk_live_port port = rig_make(&r);
    hand h;
    const rk_pace pace = hand_pace(&h, &r, bumps[_i].stop_at);
    rk_bump_run_result made;

    r.bad_from = bumps[_i].bad_from;
    r.bad_until = NEVER;
    r.drop_from = bumps[_i].drop_from;
    r.drop_until = bumps[_i].drop_until;
    ck_assert_int_eq(rk_bump_create(&plan, &port.seam, &bump, NULL), RK_OK);
    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    ck_assert_int_eq(
        rk_record_log_create(path_in(dir, "t.csv"), &r.design, false, true, &log, NULL), RK_OK);
    rk_bump_run(bump, 1, "%", &port, record, log, &pace, &made);
    ck_assert_int_eq(rk_record_log_finish(log, 10, NULL), RK_OK);
    rk_record_log_free(log);
    ck_assert_msg(rk_bump_get_state(bump) == bumps[_i].ends, "%s", bumps[_i].fact);
    text = get_file(path_in(dir, "t.csv"), NULL);
    ck_assert_msg(strstr(text, bumps[_i].says) != NULL, "%s: %s", bumps[_i].fact, text);
    free(text);
    ck_assert_uint_ge(made.rows, rk_record_rows(record));
    ck_assert_uint_eq(made.timing.late, 0);
    ck_assert_uint_gt(rk_record_rows(record), 40);
    if (bumps[_i].ends == RK_BUMP_DONE) {
        ck_assert_uint_eq(rk_record_moves(record), 2);
        ck_assert_double_eq(h.now, 7 + (double)(h.seen - 1)); /* none after the last scan */
    }
    if (bumps[_i].ends == RK_BUMP_STRANDED) {
        ck_assert_int_gt(h.seen, 60 + (long)RK_BUMP_TRY_FOR);
    } else {
        ck_assert_double_eq(r.out, 42);
    }
    rk_bump_free(bump);
    rk_record_free(record);
    rk_sim_plant_free(r.plant);
    scratch_free(dir);
}
END_TEST

START_TEST(a_relay_test_is_run_recorded_and_ended)
{
    const rk_relay_plan plan = relay(5);
    char *dir = scratch_make();
    rk_record_log *log = NULL;
    rk_relay_test *test = NULL;
    rk_relay_result found;
    rk_relay_run run;
    rig r;
    rk_live_port port = rig_make(&r);
    hand h;
    rk_pace pace = hand_pace(&h, &r, NEVER);

    ck_assert_int_eq(
        rk_record_log_create(path_in(dir, "t.csv"), &r.design, false, true, &log, NULL), RK_OK);
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, NULL), RK_OK);
    ck_assert_int_eq(rk_relay_test_run(test, 1, &port, log, &pace, &run, NULL), RK_OK);
    ck_assert(!run.unwritten && run.rows == (size_t)h.seen && run.rows > 100);
    ck_assert_int_eq(rk_relay_test_result(test, &found, NULL), RK_OK);
    rk_relay_test_free(test);
    pace = hand_pace(&h, &r, 60);
    ck_assert_int_eq(rk_relay_test_create(&r.design, &port.seam, &plan, &test, NULL), RK_OK);
    ck_assert_int_eq(rk_relay_test_run(test, 1, &port, NULL, &pace, &run, NULL), RK_OK);
    ck_assert_int_eq(rk_relay_test_stage(test), RK_RELAY_TEST_STOPPED);
    ck_assert_double_eq(r.out, 42);
    ck_assert_int_eq(rk_relay_test_run(test, 1, &port, NULL, NULL, &run, NULL), RK_ERR_ARG);
    rk_relay_test_free(test);
    rk_record_log_free(log);
    rk_sim_plant_free(r.plant);
    scratch_free(dir);
}
END_TEST

/* How a run ends, and when. A stall of 5.2 s behind the scan at 19 s: the next is at 25.2 s, and the one
   after at 26 s, which is on time again and no nearer than half a scan. */
static const struct {
    const char *fact;
    long stop_at;
    bool end;
    double stall;
    size_t scans, late;
    double longest, least;
} paces[] = {
    {"at its time", NEVER, false, 0, 100, 0, 1, 1},
    {"from outside", 40, false, 0, 40, 0, 1, 1},
    {"by who watches", NEVER, true, 0, 30, 0, 1, 1},
    {"a stall is told to the loop, and followed by no burst", NEVER, false, 5.2, 95, 1, 6.2,
     0.8},
    {"and one that ends just before a deadline", NEVER, false, 5.8, 94, 1, 6.8, 1},
    {"nor by a scan right behind a late one", NEVER, false, 0.9, 99, 1, 1.9, 1},
    {"a scan that is a little late is made up for", NEVER, false, 0.4, 100, 0, 1.4, 0.6},
};

START_TEST(a_run_takes_its_events_in_time_and_ends_when_it_is_told)
{
    static const rk_event unsorted[] = {{.at = 50, .kind = RK_EVENT_MANUAL, .value = 40},
                                        {.at = 10, .kind = RK_EVENT_SETPOINT, .value = 12.3}};
    rk_event events[2];
    rk_live *live = NULL;
    rig r;
    rk_live_port port = rig_make(&r);
    hand h;
    const rk_pace pace = hand_pace(&h, &r, paces[_i].stop_at);
    rk_run_curves rows;
    rk_timing timing;
    size_t i;

    memcpy(events, unsorted, sizeof events);
    rk_events_sort(events, 2);
    ck_assert_double_eq(events[0].at, 10);
    ck_close(rk_events_largest_change(events, 2, 11.8), 0.5, 1e-12);
    h.end = paces[_i].end;
    h.stall = paces[_i].stall;
    h.stall_at = 20;
    r.bad_from = r.drop_from = NEVER;
    ck_assert_int_eq(rk_live_create(&r.design, &port, HUGE_VAL, &live, NULL), RK_OK);
    ck_assert_int_eq(rk_live_run(live, events, 2, 100, NULL, &pace, &timing, NULL), RK_OK);
    ck_assert_msg(rk_live_scans(live) == paces[_i].scans, "%s: %zu", paces[_i].fact,
                  rk_live_scans(live));
    rows = rk_live_curves(live);
    ck_assert_double_eq(rows.sp[9], 11.8);
    ck_assert_double_eq(rows.sp[10], 12.3);
    ck_assert_double_eq(rows.time[19], 19);
    for (i = 0; i < rows.count; i++) { /* by the clock, not by the count */
        ck_assert_int_eq(rows.time[i] >= 50, rows.out[i] == 40);
    }
    ck_assert_uint_eq(timing.late, paces[_i].late);
    ck_close(timing.longest, paces[_i].longest, 1e-6);
    ck_close(h.least, paces[_i].least, 1e-6);
    ck_assert_int_eq((rk_live_block(live)->alarms_seen & RK_ALARM_SCAN_LATE) != 0,
                     paces[_i].late > 0);
    ck_assert_int_eq(rk_live_run(live, NULL, 1, 100, NULL, &pace, NULL, NULL), RK_ERR_ARG);
    rk_live_free(live);
    rk_sim_plant_free(r.plant);
}
END_TEST

static Suite *suite_live(void)
{
    Suite *suite = suite_create("live");
    TCase *t = tcase_create("live");

    tcase_set_timeout(t, 60);
    add_table(t, an_event_is_what_its_words_say, words);
    tcase_add_test(t, a_long_run_keeps_bounded_rows_and_the_figures_of_every_scan);
    tcase_add_test(t, overshoot_is_counted_from_where_each_change_ends);
    tcase_add_test(t, what_is_out_of_range_changes_nothing_and_safe_is_written_at_once);
    tcase_add_test(t,
                   a_valve_that_was_moved_while_out_could_not_be_written_is_where_it_goes_on);
    tcase_add_test(t, a_loop_that_cannot_start_is_refused_before_anything_is_written);
    add_table(t, settings_change_as_it_runs_without_a_bump, changes);
    add_table(t, settings_that_make_no_controller_change_nothing, no_changes);
    tcase_add_test(t, first_replies_that_are_missing_delay_a_start_only);
    tcase_add_test(t, a_relay_test_finds_the_ultimate_point);
    add_table(t, a_relay_with_hysteresis_gives_the_point_by_a_model_of_its_record, hystereses);
    add_table(t, whatever_ends_a_relay_test_out_goes_back_or_it_is_said, ends);
    tcase_add_test(t, a_relay_that_cannot_be_is_refused);
    add_table(t, a_step_test_is_run_recorded_and_ended, bumps);
    tcase_add_test(t, a_relay_test_is_run_recorded_and_ended);
    add_table(t, a_run_takes_its_events_in_time_and_ends_when_it_is_told, paces);
    suite_add_tcase(suite, t);
    return suite;
}

Suite *suite_one_controller(void);
Suite *suite_enough(void);

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_live, suite_one_controller, suite_enough};

    return run_suites(makers, COUNT(makers));
}
