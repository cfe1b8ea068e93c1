/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "clock.h"
#include "cmd_run.h"

static rk_status draw(const job *j, const rk_figure_style *style, rk_text *image, rk_diag *diag)
{
    const run_job *r = (const run_job *)j;
    const rk_live *lives[2] = {r->live, r->stepped};
    const size_t count = r->stepped != NULL ? 2 : 1;
    rk_run_curves curves[2];
    size_t i;

    for (i = 0; i < count; i++) {
        curves[i] = rk_live_curves(lives[i]);
        curves[i].name = count == 1 ? "PV" : i == 0 ? "soft start" : "setpoint step";
    }
    return rk_figure_run(&j->loop, "run", curves, count, style, image, diag);
}

int tell_run(const run_job *r, const run_end *end)
{
    const rk_loop *block = rk_live_block(r->live);
    const rk_run_figures figures = rk_live_figures(r->live);
    rk_run_figures stepped;
    char alarms[200], clock[RK_PATH_CHARS + 80];
    rk_run_result result = {
        .rows = rk_live_scans(r->live),
        .length = rk_live_time(r->live),
        .file = r->record,
        .clock = clock,
        .mode = rk_live_mode(r->live),
        .alarms = alarms,
        .sp = block->sp,
        .pv = block->pv,
        .out = block->out,
        .stopped = end->stopped ? caught_name() : NULL,
        .safe_wanted = end->wanted,
        .made_safe = end->safe,
        .held = rk_live_is_held(r->live),
        .real_time = r->times == 1.0,
        .late_scans = r->timing.late,
        .usual_lateness = r->timing.usual,
        .latest = r->timing.latest,
        .longest_gap = r->timing.longest,
        .longest_gap_at = r->timing.longest_at,
        .reconnects = rk_live_port_reconnects(&r->port[0]),
        .refused = r->refused,
        .figures = &figures,
    };

    rk_report *report = report_make(&r->j);

    (void)snprintf(clock, sizeof clock, "%s%s%s",
                   isnan(r->times)   ? "the plant's own time"
                   : r->times == 1.0 ? "real time"
                                     : "faster than real time",
                   r->plc != NULL ? ", by the program in " : "", r->plc != NULL ? r->dir : "");
    rk_alarm_words(block->alarms_seen, ", ", alarms, sizeof alarms);
    if (r->stepped != NULL) {
        stepped = rk_live_figures(r->stepped);
        result.stepped = &stepped;
    }
    return show_report(&r->j, report, rk_report_add_run(report, &r->j.loop, &result),
                       result.rows > 1 ? draw : NULL);
}
