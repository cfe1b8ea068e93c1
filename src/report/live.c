/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

rk_status rk_report_add_bump(rk_report *report, const rk_design *loop,
                             const rk_bump_result *result)
{
    static const char *const states[] = {"waiting", "moving", "done", "stopped", "stranded"};
    rk_report *r = report;
    char length[RKI_SHOWN_CHARS];
    bool stalled;

    if (loop == NULL || result == NULL) return RK_ERR_ARG;
    stalled = result->stalled;
    rki_row_word(r, "file", NULL, result->file);
    rki_row_count(r, "rows", NULL, result->rows);
    rki_row_word(r, "state", NULL, states[result->state]);
    rki_row_word(r, "stopped", NULL, result->why[0] != '\0' ? result->why : NULL);
    rki_row_value(r, "out_start", result->out_start);
    rki_row_count(r, "late_scans", NULL, result->late_scans);
    rki_row_value(r, "scan_jitter_s", result->usual_lateness);
    rki_row_value(r, "longest_gap_s", result->longest_gap);
    if (result->state != RK_BUMP_DONE) return RK_OK; /* that is told as an error */
    rki_row_verdict(r, !stalled, stalled ? "STALLED" : "DONE",
                    ": %zu rows in %s, %s in %s; OUT is back at %.6g %s.", result->rows,
                    result->file, rki_show_time(r, length, result->length),
                    result->real_time ? "real time" : "the plant's own time", result->out_start,
                    loop->out_units);
    if (stalled) {
        rki_row_say(
            r,
            "CAUTION: nobody looked for %.3g s before %.4g s: OUT stood, and PV was not read. "
            "The record's times are true.",
            result->longest_gap, result->longest_gap_at);
    }
    if (result->why[0] != '\0') {
        rki_row_say(r, "Ended early: %s.", result->why);
    }
    return RK_OK;
}

rk_status rk_report_add_bumped(rk_report *report, const rk_design *loop,
                               const rk_inspection *inspection, const rk_findings *findings)
{
    if (loop == NULL || inspection == NULL || findings == NULL) return RK_ERR_ARG;
    rki_row_gap(report);
    rki_row_say(report, "The record:");
    rki_row_group(report, "inspection", NULL, RK_LAYOUT_PLAIN);
    (void)rk_report_add_inspection(report, loop, inspection, findings, 0);
    rki_row_end(report);
    return RK_OK;
}

/* By the model, with how sure it is; else by the swing. */
static void add_ultimate_point(rk_report *r, const rk_relay_results *results, const char *unit)
{
    const rk_relay_point *p = results->point;

    rki_row_number(r, "ultimate_gain", "ultimate gain",
                   p != NULL ? p->gain : results->found->ultimate_gain, unit, 5);
    if (p != NULL) {
        rki_row_more(r, "95 %%: %.4g to %.4g", p->gain95[0], p->gain95[1]);
    }
    rki_row_time(r, "ultimate_period_s", "ultimate period",
                 p != NULL ? p->period : results->found->ultimate_period);
    if (p != NULL) {
        rki_row_more(r, "95 %%: %.4g to %.4g", p->period95[0], p->period95[1]);
        rki_row_group(r, "interval95", NULL, RK_LAYOUT_HIDDEN);
        rki_row_pair(r, "ultimate_gain", p->gain95);
        rki_row_pair(r, "ultimate_period_s", p->period95);
        rki_row_end(r);
        rki_model(r, "model", &p->fit.model);
    }
    rki_row_group(r, "swing", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "ultimate_gain", results->found->ultimate_gain);
    rki_row_value(r, "ultimate_period_s", results->found->ultimate_period);
    rki_row_end(r);
}

rk_status rk_report_add_relay(rk_report *report, const rk_design *loop,
                              const rk_relay_results *results)
{
    const rk_relay_result *found = results != NULL ? results->found : NULL;
    rk_report *r = report;
    char length[RKI_SHOWN_CHARS], unit[RKI_UNIT_CHARS];

    if (loop == NULL || found == NULL) return RK_ERR_ARG;
    rki_row_verdict(r, true, "DONE", ": %zu rows in %s; OUT is back at %.6g %s.", results->rows,
                    rki_show_time(r, length, (double)results->rows * loop->ts), results->out,
                    loop->out_units);
    rki_row_gap(r);
    rki_kc_unit(loop, unit);
    add_ultimate_point(r, results, unit);
    rki_row_number(r, "amplitude", "PV swung by +-", found->amplitude, loop->pv_units, 4);
    rki_row_count(r, "cycles", "even cycles", (size_t)found->cycles);
    rki_row_number(r, NULL, "hysteresis", results->hysteresis, loop->pv_units, 3);
    rki_row_count(r, "rows", NULL, results->rows);
    rki_row_value(r, "out_start", results->out);
    rki_row_gap(r);
    if (results->point != NULL) {
        rki_row_note(
            r,
            "By the model of this record (%s). The swing alone gives %.4g and %.4g s, put "
            "off by its hysteresis and harmonics.",
            rk_model_kind_to_text(results->point->fit.model.kind), found->ultimate_gain,
            found->ultimate_period);
    } else {
        rki_row_note(
            r, "CAUTION: no model fits this record, and by the swing alone the ultimate gain "
               "may be half or twice that: make a step test and fit it.");
    }
    if (results->point == NULL && found->amplitude < 2.0 * results->hysteresis) {
        rki_row_note(r,
                     "CAUTION: PV swings little beyond the hysteresis: give a larger --relay.");
    }
    rki_row_value(r, "longest_gap_s", results->longest_gap);
    if (results->stalled) {
        rki_row_note(
            r,
            "CAUTION: stalled: nobody looked for %.3g s before %.4g s, and OUT was not "
            "switched in time: make the test again.",
            results->longest_gap, results->longest_gap_at);
    }
    if (results->file != NULL) {
        rki_row_say(r, "The record is in %s.", results->file);
    }
    return RK_OK;
}

static void add_figures(rk_report *r, const rk_design *loop, const char *name,
                        const rk_run_figures *f)
{
    rki_row_group(r, NULL, name, RK_LAYOUT_COLUMN);
    rki_row_number(r, "overshoot", "PV beyond SP at most", f->overshoot, loop->pv_units, 4);
    rki_row_number(r, "out_lowest", "OUT lowest", f->out_lowest, loop->out_units, 4);
    rki_row_number(r, "out_highest", "OUT highest", f->out_highest, loop->out_units, 4);
    rki_row_number(r, "largest_move", "OUT largest move in a scan", f->largest_move,
                   loop->out_units, 4);
    rki_row_number(r, "travel", "OUT travel", f->travel, loop->out_units, 4);
    rki_row_end(r);
}

static void say_clock(rk_report *r, const rk_run_result *result)
{
    rki_row_say(r,
                "Clock: 99.9 %% of the scans within %.3g ms of their time, the latest by "
                "%.3g ms; %zu late%s%s.",
                1e3 * result->usual_lateness, 1e3 * result->latest, result->late_scans,
                result->refused == NULL ? "" : "; priority: ",
                result->refused == NULL      ? ""
                : result->refused[0] == '\0' ? "granted"
                                             : result->refused);
    if (result->reconnects > 0) {
        rki_row_say(r, "The connection was lost and made anew %zu time%s.", result->reconnects,
                    result->reconnects == 1 ? "" : "s");
    }
}

static void say_run(rk_report *r, const rk_design *loop, const rk_run_result *result)
{
    const bool stopped = result->stopped != NULL;
    char length[RKI_SHOWN_CHARS];

    rki_row_verdict(r, !stopped, stopped ? "STOPPED" : "DONE",
                    ": %s, %zu scans of %g s, %s; SP %.5g, PV %.5g %s, OUT %.5g %s, %s.",
                    rki_show_time(r, length, result->length), result->rows, loop->ts,
                    result->clock, result->sp, result->pv, loop->pv_units, result->out,
                    loop->out_units, result->mode);
    if (result->safe_wanted) {
        rki_row_say(r, "%s: OUT %s %.5g %s.", stopped ? result->stopped : "At the end",
                    result->held        ? "was left to the device, which does not enable it, at"
                    : result->made_safe ? "is at the safe output,"
                                        : "COULD NOT BE PUT TO THE SAFE OUTPUT; it is at",
                    result->out, loop->out_units);
    } else if (result->held) {
        rki_row_say(r, "The device does not enable OUT: the loop tracks it.");
    }
    rki_row_say(r, "Alarms: %s.", result->alarms[0] != '\0' ? result->alarms : "none");
    if (result->real_time) {
        say_clock(r, result);
    }
    if (result->file != NULL) {
        rki_row_say(r, "Every scan is in %s.", result->file);
    }
    rki_row_gap(r);
}

rk_status rk_report_add_run(rk_report *report, const rk_design *loop,
                            const rk_run_result *result)
{
    rk_report *r = report;

    if (loop == NULL || result == NULL || result->figures == NULL) return RK_ERR_ARG;
    say_run(r, loop, result);
    rki_row_count(r, "rows", NULL, result->rows);
    rki_row_word(r, "record", NULL, result->file);
    rki_row_word(r, "mode", NULL, result->mode);
    rki_row_word(r, "alarms", NULL, result->alarms);
    rki_row_value(r, "sp", result->sp);
    rki_row_value(r, "pv", result->pv);
    rki_row_value(r, "out", result->out);
    rki_row_yes_no(r, "stopped", NULL, result->stopped != NULL);
    if (result->safe_wanted) {
        rki_row_yes_no(r, "safe_output", NULL, result->made_safe && !result->held);
    } else {
        rki_row_word(r, "safe_output", NULL, NULL);
    }
    rki_row_count(r, "late_scans", NULL, result->late_scans);
    rki_row_value(r, "scan_jitter_s", result->usual_lateness);
    if (result->real_time) {
        rki_row_value(r, "latest_s", result->latest);
        rki_row_value(r, "longest_gap_s", result->longest_gap);
        rki_row_count(r, "reconnects", NULL, result->reconnects);
    }
    if (result->refused != NULL) {
        rki_row_yes_no(r, "priority", NULL, result->refused[0] == '\0');
    }
    add_figures(r, loop, result->stepped != NULL ? "soft start" : "run", result->figures);
    if (result->stepped != NULL) {
        rki_row_group(r, "setpoint_step", NULL, RK_LAYOUT_PLAIN);
        add_figures(r, loop, "setpoint step", result->stepped);
        rki_row_end(r);
    }
    return RK_OK;
}
