/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "clock.h"
#include "cmd_bump.h"
#include "terminal.h"

static const char *why(const bump_job *b)
{
    if (b->run.held) return "the device does not enable OUT any more";
    if (b->run.unwritten) return "a row could not be written";
    switch (rk_relay_test_stage(b->test)) {
    case RK_RELAY_TEST_STOPPED:
        return "stopped from outside";
    case RK_RELAY_TEST_TIMED_OUT:
        return "PV did not swing evenly in time: give a larger --relay, or more --patience";
    case RK_RELAY_TEST_PV_BAD:
        return "PV was bad";
    case RK_RELAY_TEST_PV_OUT:
        return "PV left its bounds: give a smaller --relay, or wider --pv-low and --pv-high";
    case RK_RELAY_TEST_NO_WRITE:
        return "OUT could not be written";
    default:
        return "PV swung no further than the hysteresis: give a larger --relay";
    }
}

/* The ends that have no result. */
static int tell_end(const bump_job *b)
{
    const job *j = &b->j;
    const char *units = j->loop.out_units;

    if (rk_relay_test_stage(b->test) == RK_RELAY_TEST_STRANDED) {
        return fail(j, EXIT_NO_ACCESS,
                    "OUT COULD NOT BE PUT BACK: set it to %.6g %s by hand, now",
                    rk_relay_test_out_start(b->test), units);
    }
    if (rk_relay_test_stage(b->test) == RK_RELAY_TEST_NO_PV) {
        return fail(j, EXIT_NO_ACCESS, "the port has no PV; OUT was not moved");
    }
    if (rk_relay_test_stage(b->test) == RK_RELAY_TEST_STOPPED &&
        isnan(rk_relay_test_hysteresis(b->test))) {
        return fail(j, EXIT_VERDICT_NO, "stopped by %s; OUT was not moved", caught_name());
    }
    if (b->run.held) return fail(j, EXIT_VERDICT_NO, "%s; OUT was left to it", why(b));
    return fail(j, b->recorded != EXIT_DONE ? b->recorded : EXIT_VERDICT_NO,
                "%s; OUT is back at %.6g %s", why(b), rk_relay_test_out(b->test), units);
}

static int tell(job *j)
{
    bump_job *b = (bump_job *)j;
    rk_diag diag = {RK_OK, ""};
    rk_relay_result found;
    rk_relay_point point;
    rk_relay_results results = {&found,
                                NULL,
                                b->run.rows,
                                rk_relay_test_out(b->test),
                                rk_relay_test_hysteresis(b->test),
                                b->record,
                                b->run.timing.longest,
                                b->run.timing.longest_at,
                                rk_timing_is_stalled(&b->run.timing, j->loop.ts)};
    rk_report *report;
    int status;

    if (b->run.unwritten || b->run.held ||
        rk_relay_test_result(b->test, &found, &diag) != RK_OK) {
        return tell_end(b);
    }
    if (rk_relay_point_compute(rk_relay_test_record(b->test), &point, &diag) == RK_OK) {
        results.point = &point;
    }
    report = report_make(j);
    status = show_report(j, report, rk_report_add_relay(report, &j->loop, &results), NULL);
    if (b->recorded != EXIT_DONE) return b->recorded;
    if (status != EXIT_DONE || !j->save) return status;
    j->loop.ultimate_gain = results.point != NULL ? point.gain : found.ultimate_gain;
    j->loop.ultimate_period = results.point != NULL ? point.period : found.ultimate_period;
    return tell_saved(j, "relay", rk_design_save_relay(j->input, &j->loop, &diag), &diag);
}

/* A plan that cannot be is wrong usage; a port that does not answer is not. */
static int set_up(job *j)
{
    bump_job *b = (bump_job *)j;
    const rk_design *d = &b->j.loop;
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    const int opened = open_port(b);

    if (opened != EXIT_DONE) return opened;
    status = rk_relay_test_create(d, &b->port.seam, &b->relay, &b->test, &diag);
    if (check_enabled(b) != EXIT_DONE) return EXIT_NO_ACCESS;
    if (status != RK_OK) return fail_range(&b->j, status, &diag);
    if (b->record == NULL) return EXIT_DONE;
    status = rk_record_log_create(b->record, d, b->force, b->real_time, &b->log, &diag);
    return status == RK_OK ? EXIT_DONE : fail_diag(&b->j, status, &diag);
}

static bool watch(void *user, double time, double pv, double out)
{
    bump_job *b = user;

    if (is_time_to_show(b)) {
        terminal_progress("  relay test: %.4g s, PV %.5g %s, OUT %.4g %s", time, pv,
                          b->j.loop.pv_units, out, b->j.loop.out_units);
    }
    return true;
}

static int run_test(job *j)
{
    bump_job *b = (bump_job *)j;
    rk_pace pace = real_pace(b->real_time ? 1.0 : nan(""), b);
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    const int begun = begin_test(b);

    if (begun != EXIT_DONE) return begun;
    pace.seen = watch;
    status = rk_relay_test_run(b->test, j->loop.ts, &b->port, b->log, &pace, &b->run, &diag);
    b->recorded =
        end_test(b, rk_relay_test_stage(b->test) == RK_RELAY_TEST_STRANDED ? EXIT_NO_ACCESS
                    : rk_relay_test_stage(b->test) == RK_RELAY_TEST_DONE   ? EXIT_DONE
                                                                           : EXIT_VERDICT_NO);
    return fail_range(j, status, &diag);
}

int run_relay(job *j)
{
    static step_function *const test[] = {need_port, set_up, run_test, tell, NULL};
    bump_job *b = (bump_job *)j;

    if (b->plan.moves > 0 || !isnan(b->move) || b->back || b->doublet) {
        return fail(
            j, EXIT_USAGE,
            "--relay makes its own moves: leave --move, --moves, --back, --doublet out");
    }
    b->relay.before = isnan(b->plan.before) ? 30.0 * j->loop.ts : b->plan.before;
    b->relay.patience = b->plan.patience;
    b->relay.pv_low = b->plan.pv_low;
    b->relay.pv_high = b->plan.pv_high;
    return take_steps(j, test);
}
