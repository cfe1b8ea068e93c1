/* SPDX-License-Identifier: MIT */
#include <redkettle/live/pace.h>

#include <math.h>
#include <stdio.h>

static const char *stopped(const rk_pace *pace)
{
    return pace->stopped != NULL ? pace->stopped(pace->user) : NULL;
}

static void wait_until(const rk_pace *pace, double time)
{
    if (pace->wait_until != NULL) {
        pace->wait_until(pace->user, time);
    }
}

static bool seen(const rk_pace *pace, double time, double pv, double out)
{
    return pace->seen == NULL || pace->seen(pace->user, time, pv, out);
}

static void let_pass(rk_sim_plant *plant)
{
    if (plant != NULL) {
        rk_sim_plant_advance(plant);
    }
}

/* ---- a step test ---- */

static bool is_over(const rk_bump *bump, double stranded)
{
    const rk_bump_state state = rk_bump_get_state(bump);

    if (state == RK_BUMP_DONE || state == RK_BUMP_STOPPED) return true;
    return state == RK_BUMP_STRANDED && stranded > RK_BUMP_TRY_FOR;
}

/* The last comment says why, if the test ended early. */
static void end_log(const rk_bump *bump, const char *out_units, rk_record_log *log)
{
    const rk_bump_state state = rk_bump_get_state(bump);
    char text[300] = "done: OUT is back where it was";

    if (state != RK_BUMP_DONE) {
        (void)snprintf(text, sizeof text, "stopped: %s; OUT %s %.6g %s", rk_bump_why(bump),
                       state == RK_BUMP_STOPPED ? "is back at" : "COULD NOT BE PUT BACK to",
                       rk_bump_out_start(bump), out_units);
    }
    (void)rk_record_log_comment(log, text, NULL);
}

size_t rk_bump_run(rk_bump *bump, double ts, const char *out_units, rk_sim_plant *plant,
                   rk_record *record, rk_record_log *log, const rk_pace *pace)
{
    double stranded = 0, scans = 0, last_out = nan("");
    bool without_pv = false;
    size_t rows = 0;
    rk_diag diag;

    rk_record_set_on_rows(record, true);
    do {
        const char *why = stopped(pace);
        rk_bump_row row;

        if (why != NULL) {
            rk_bump_stop(bump, why);
        }
        row = rk_bump_scan(bump);
        /* A port that stays away says nothing new. */
        if (!(isnan(row.pv) && without_pv && row.out == last_out)) {
            if (rk_record_log_row(log, row.time, row.out, row.pv, &diag) != RK_OK) {
                rk_bump_stop(bump, diag.text);
            }
            (void)rk_record_add(record, row.time, row.out, row.pv, NULL);
            rows++;
        }
        without_pv = isnan(row.pv);
        last_out = row.out;
        (void)seen(pace, row.time, row.pv, row.out);
        stranded += rk_bump_get_state(bump) == RK_BUMP_STRANDED ? ts : 0.0;
        scans++;
        let_pass(plant);
        if (!is_over(bump, stranded)) {
            wait_until(pace, scans * ts);
        }
    } while (!is_over(bump, stranded));
    end_log(bump, out_units, log);
    return rows;
}

/* ---- a relay test ---- */

rk_status rk_relay_test_run(rk_relay_test *test, double ts, rk_sim_plant *plant,
                            rk_record_log *log, const rk_pace *pace, rk_relay_run *run,
                            rk_diag *diag)
{
    rk_diag ignored;
    bool more = true;

    rk_diag_clear(diag);
    if (test == NULL || pace == NULL || run == NULL) return RK_ERR_ARG;
    *run = (rk_relay_run){0, false};
    while (more) {
        const double time = (double)run->rows * ts;
        double pv = nan("");

        if (stopped(pace) != NULL) {
            rk_relay_test_stop(test);
        }
        more = rk_relay_test_scan(test, &pv, diag);
        if (log != NULL && !run->unwritten &&
            rk_record_log_row(log, time, rk_relay_test_out(test), pv, &ignored) != RK_OK) {
            run->unwritten = true;
            rk_relay_test_stop(test);
        }
        (void)seen(pace, time, pv, rk_relay_test_out(test));
        run->rows++;
        let_pass(plant);
        wait_until(pace, (double)run->rows * ts);
    }
    return rk_relay_test_stage(test) == RK_RELAY_TEST_REFUSED ? RK_ERR_RANGE : RK_OK;
}

/* ---- a run ---- */

static rk_status log_row(rk_live *live, rk_record_log *log, rk_diag *diag)
{
    const rk_live_row row = rk_live_last(live);
    char alarms[200];

    if (log == NULL) return RK_OK;
    rk_alarm_words(rk_live_block(live)->alarms, " + ", alarms, sizeof alarms);
    return rk_record_log_run_row(log, row.time, row.out, row.pv, row.sp, rk_live_mode(live),
                                 alarms, diag);
}

rk_status rk_live_run(rk_live *live, const rk_event *events, size_t count, double until,
                      rk_record_log *log, const rk_pace *pace, rk_diag *diag)
{
    rk_status status = RK_OK;
    double last = nan(""), ts;
    bool more = true;
    size_t done = 0;

    rk_diag_clear(diag);
    if (live == NULL || pace == NULL || (events == NULL && count > 0)) return RK_ERR_ARG;
    ts = rk_live_scan_interval(live);
    while (status == RK_OK && more && stopped(pace) == NULL &&
           rk_live_time(live) < until - (0.5 * ts)) {
        const double now = pace->now != NULL ? pace->now(pace->user) : nan("");
        rk_live_row row;

        for (; done < count && events[done].at <= rk_live_time(live) + 1e-9 && status == RK_OK;
             done++) {
            status = rk_live_do(live, &events[done], diag);
        }
        if (status != RK_OK) break;
        rk_live_scan(live, isnan(last) || isnan(now) ? ts : now - last);
        last = now;
        status = rk_live_failure(live)[0] == '\0'
                     ? log_row(live, log, diag)
                     : rk_diag_set(diag, RK_ERR_DATA, "%s", rk_live_failure(live));
        row = rk_live_last(live);
        more = seen(pace, row.time, row.pv, row.out);
        wait_until(pace, rk_live_time(live));
    }
    return status;
}
