/* SPDX-License-Identifier: MIT */
#include <redkettle/live/pace.h>

#include <math.h>
#include <stdio.h>

#include "ticker.h"

/* A gap of more scans than this is a stall, and worth a line in the record; so many lines at most. */
#define STALL 3.0
enum { STALLS_TOLD = 100 };

bool rk_timing_is_stalled(const rk_timing *timing, double ts)
{
    return timing->longest > STALL * ts;
}

static const char *stopped(const rk_pace *pace)
{
    return pace->stopped != NULL ? pace->stopped(pace->user) : NULL;
}

static bool seen(const rk_pace *pace, double time, double pv, double out)
{
    return pace->seen == NULL || pace->seen(pace->user, time, pv, out);
}

/* A line in the record says that nobody looked meanwhile. */
static rk_status tell_stall(rk_record_log *log, double elapsed, double ts, double time,
                            size_t *told, rk_diag *diag)
{
    char text[120];

    if (log == NULL || !(elapsed > STALL * ts) || *told >= STALLS_TOLD) return RK_OK;
    (*told)++;
    (void)snprintf(text, sizeof text, "stalled: no scan for %.4g s before %.6g s", elapsed,
                   time);
    return rk_record_log_comment(log, text, diag);
}

/* ---- a step test ---- */

static bool is_over(const rk_bump *bump, double stranded)
{
    const rk_bump_state state = rk_bump_get_state(bump);

    if (state == RK_BUMP_DONE || state == RK_BUMP_STOPPED) return true;
    return state == RK_BUMP_STRANDED && stranded > RK_BUMP_TRY_FOR;
}

/* The last comment says why, if the test ended early. */
static void end_log(const rk_bump *bump, bool held, const char *out_units, rk_record_log *log)
{
    const rk_bump_state state = rk_bump_get_state(bump);
    char text[300] = "done: OUT is back where it was";

    if (held) {
        (void)snprintf(text, sizeof text, "stopped: %s; OUT was left to it", rk_bump_why(bump));
    } else if (state != RK_BUMP_DONE) {
        (void)snprintf(text, sizeof text, "stopped: %s; OUT %s %.6g %s", rk_bump_why(bump),
                       state == RK_BUMP_STOPPED ? "is back at" : "COULD NOT BE PUT BACK to",
                       rk_bump_out_start(bump), out_units);
    } else if (rk_bump_why(bump)[0] != '\0') {
        (void)snprintf(text, sizeof text, "done early: %s; OUT is back where it was",
                       rk_bump_why(bump));
    }
    (void)rk_record_log_comment(log, text, NULL);
}

void rk_bump_run(rk_bump *bump, double ts, const char *out_units, rk_live_port *port,
                 rk_record *record, rk_record_log *log, const rk_pace *pace,
                 rk_bump_run_result *result)
{
    rki_ticker ticker = rki_ticker_make(pace, ts);
    double stranded = 0, last_out = nan("");
    bool without_pv = false, more = true;
    size_t told = 0;
    rk_diag diag;

    *result = (rk_bump_run_result){0};
    rk_record_set_on_rows(record, true);
    while (more) {
        const double elapsed = rki_ticker_begin(&ticker);
        const char *why = stopped(pace);
        rk_bump_row row;

        rk_live_port_pass(port, rki_ticker_missed(&ticker, elapsed));
        if (why != NULL) {
            rk_bump_stop(bump, why);
        }
        row = rk_bump_scan(bump, elapsed);
        if (rk_live_port_holds(port)) {
            result->held = rk_bump_get_state(bump) < RK_BUMP_DONE;
            rk_bump_stop(bump, "the device does not enable OUT any more");
        }
        if (tell_stall(log, elapsed, ts, row.time, &told, &diag) != RK_OK) {
            rk_bump_stop(bump, diag.text);
        }
        /* A port that stays away says nothing new. */
        if (!(isnan(row.pv) && without_pv && row.out == last_out)) {
            if (rk_record_log_row(log, row.time, row.out, row.pv, &diag) != RK_OK) {
                rk_bump_stop(bump, diag.text);
            }
            (void)rk_record_add(record, row.time, row.out, row.pv, NULL);
            result->rows++;
        }
        without_pv = isnan(row.pv);
        last_out = row.out;
        result->length = row.time;
        (void)seen(pace, row.time, row.pv, row.out);
        stranded += rk_bump_get_state(bump) == RK_BUMP_STRANDED ? elapsed : 0.0;
        rk_live_port_end_scan(port);
        more = !is_over(bump, stranded);
        if (more) {
            rki_ticker_wait(&ticker);
        }
    }
    result->timing = rki_ticker_timing(&ticker);
    end_log(bump, result->held, out_units, log);
}

/* ---- a relay test ---- */

rk_status rk_relay_test_run(rk_relay_test *test, double ts, rk_live_port *port,
                            rk_record_log *log, const rk_pace *pace, rk_relay_run *run,
                            rk_diag *diag)
{
    rki_ticker ticker;
    rk_diag ignored;
    bool more = true;
    size_t told = 0;

    rk_diag_clear(diag);
    if (test == NULL || pace == NULL || run == NULL || port == NULL) return RK_ERR_ARG;
    ticker = rki_ticker_make(pace, ts);
    *run = (rk_relay_run){0};
    while (more) {
        const double elapsed = rki_ticker_begin(&ticker);
        double pv = nan("");

        rk_live_port_pass(port, rki_ticker_missed(&ticker, elapsed));
        if (stopped(pace) != NULL) {
            rk_relay_test_stop(test);
        }
        more = rk_relay_test_scan(test, elapsed, &pv, diag);
        if (more && rk_live_port_holds(port)) {
            run->held = true;
            rk_relay_test_stop(test);
        }
        if (log != NULL && !run->unwritten &&
            (tell_stall(log, elapsed, ts, rk_relay_test_time(test), &told, &ignored) != RK_OK ||
             rk_record_log_row(log, rk_relay_test_time(test), rk_relay_test_out(test), pv,
                               &ignored) != RK_OK)) {
            run->unwritten = true;
            rk_relay_test_stop(test);
        }
        (void)seen(pace, rk_relay_test_time(test), pv, rk_relay_test_out(test));
        run->rows++;
        rk_live_port_end_scan(port);
        if (more) {
            rki_ticker_wait(&ticker);
        }
    }
    run->timing = rki_ticker_timing(&ticker);
    return rk_relay_test_stage(test) == RK_RELAY_TEST_REFUSED ? RK_ERR_RANGE : RK_OK;
}

/* ---- a run ---- */

static rk_status log_row(rk_live *live, rk_record_log *log, rk_diag *diag)
{
    const rk_live_row row = rk_live_last(live);
    char alarms[400];

    if (log == NULL) return RK_OK;
    rk_live_alarms(live, " + ", alarms, sizeof alarms);
    return rk_record_log_run_row(log, row.time, row.out, row.pv, row.sp, rk_live_mode(live),
                                 alarms, diag);
}

/* What somebody at the terminal wants; a command that cannot be is told, and changes nothing. */
static void take_commands(rk_live *live, const rk_pace *pace)
{
    rk_event event;
    rk_diag diag;

    while (pace->command != NULL && pace->command(pace->user, &event)) {
        if (rk_live_do(live, &event, &diag) != RK_OK && pace->refused != NULL) {
            pace->refused(pace->user, diag.text);
        }
    }
}

rk_status rk_live_run(rk_live *live, const rk_event *events, size_t count, double until,
                      rk_record_log *log, const rk_pace *pace, rk_timing *timing, rk_diag *diag)
{
    rki_ticker ticker;
    rk_status status = RK_OK;
    bool more = true;
    size_t done = 0, told = 0;
    double ts;

    rk_diag_clear(diag);
    if (live == NULL || pace == NULL || (events == NULL && count > 0)) return RK_ERR_ARG;
    ts = rk_live_scan_interval(live);
    ticker = rki_ticker_make(pace, ts);
    while (status == RK_OK && more && stopped(pace) == NULL &&
           rk_live_time(live) < until - (0.5 * ts)) {
        const double elapsed = rki_ticker_begin(&ticker);
        rk_live_row row;

        rk_live_pass(live, elapsed);
        for (; done < count && events[done].at <= rk_live_time(live) + 1e-9 && status == RK_OK;
             done++) {
            status = rk_live_do(live, &events[done], diag);
        }
        if (status != RK_OK) break;
        take_commands(live, pace);
        rk_live_scan(live, elapsed);
        row = rk_live_last(live);
        status = rk_live_failure(live)[0] == '\0'
                     ? tell_stall(log, elapsed, ts, row.time, &told, diag)
                     : rk_diag_set(diag, RK_ERR_DATA, "%s", rk_live_failure(live));
        if (status == RK_OK) {
            status = log_row(live, log, diag);
        }
        more = seen(pace, row.time, row.pv, row.out);
        rki_ticker_wait(&ticker);
    }
    if (timing != NULL) {
        *timing = rki_ticker_timing(&ticker);
    }
    return status;
}
