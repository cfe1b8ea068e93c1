/* SPDX-License-Identifier: MIT */
#include "cmd_bump.h"

/* A test to the end: what it is worth is said with it. */
static int show_result(bump_job *b)
{
    const rk_timing *timing = &b->made.timing;
    const rk_bump_result result = {
        .file = b->record,
        .rows = b->made.rows,
        .state = rk_bump_get_state(b->bump),
        .why = rk_bump_why(b->bump),
        .out_start = rk_bump_out_start(b->bump),
        .length = b->made.length + b->plan.ts,
        .real_time = b->real_time,
        .held = b->made.held,
        .late_scans = timing->late,
        .usual_lateness = timing->usual,
        .longest_gap = timing->longest,
        .longest_gap_at = timing->longest_at,
        .stalled = rk_timing_is_stalled(timing, b->plan.ts),
    };
    rk_report *report = report_make(&b->j);
    rk_status status = rk_report_add_bump(report, &b->j.loop, &result);
    rk_inspection made;
    rk_findings findings;
    rk_diag diag;

    (void)snprintf(b->j.loop.record_file, sizeof b->j.loop.record_file, "%s", b->record);
    if (status == RK_OK && result.state == RK_BUMP_DONE &&
        inspect_record(&b->j, 5, 10, &made, &findings, &diag) == RK_OK) {
        status = rk_report_add_bumped(report, &b->j.loop, &made, &findings);
    }
    return show_report(&b->j, report, status, NULL);
}

int tell_test(job *j)
{
    bump_job *b = (bump_job *)j;
    const rk_bump_state state = rk_bump_get_state(b->bump);
    const char *units = b->j.loop.out_units;
    const double back = rk_bump_out_start(b->bump);
    const bool stalled = rk_timing_is_stalled(&b->made.timing, b->plan.ts);
    int status;

    if (state == RK_BUMP_STRANDED) {
        return fail(&b->j, EXIT_NO_ACCESS,
                    "%s, and OUT COULD NOT BE PUT BACK: set it to %.6g %s by hand, now",
                    rk_bump_why(b->bump), back, units);
    }
    if (b->made.held) {
        return fail(&b->j, EXIT_VERDICT_NO,
                    "%s; OUT was left to it; the record up to there: %s", rk_bump_why(b->bump),
                    b->record);
    }
    if (state == RK_BUMP_STOPPED) {
        (void)fail(&b->j, EXIT_VERDICT_NO,
                   "%s; OUT is back at %.6g %s; the record up to there: %s",
                   rk_bump_why(b->bump), back, units, b->record);
        if (!b->j.json) return b->recorded != EXIT_DONE ? b->recorded : EXIT_VERDICT_NO;
    }
    status = show_result(b);
    if (b->recorded != EXIT_DONE) return b->recorded;
    return status == EXIT_DONE && (state == RK_BUMP_STOPPED || stalled) ? EXIT_VERDICT_NO
                                                                        : status;
}
