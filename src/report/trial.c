/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

/* A unit squared, "" of none. */
static const char *squared(const char *unit, char room[RKI_UNIT_CHARS])
{
    (void)snprintf(room, RKI_UNIT_CHARS, unit[0] != '\0' ? "%s^2" : "%s", unit);
    return room;
}

static void add_setpoint(rk_report *r, const rk_design *loop, const rk_trial_metrics *m)
{
    const rk_setpoint_metrics *s = &m->setpoint;
    char square[RKI_UNIT_CHARS];

    if (!m->has_setpoint) {
        rki_row_word(r, "setpoint", NULL, NULL);
        return;
    }
    rki_row_group(r, "setpoint", NULL, RK_LAYOUT_PLAIN);
    rki_row_yes_no(r, "cut_short", NULL, s->cut_short);
    rki_row_time(r, "rise_time", "rise time", s->rise_time);
    rki_row_number(r, "overshoot_percent", "overshoot", s->overshoot_percent, "%", 4);
    rki_row_time(r, "settling_time", "settling time", s->settling_time);
    rki_row_number(r, "steady_error", "steady error", s->steady_error, loop->pv_units, 4);
    rki_row_amount(r, "iae", "IAE", s->iae, loop->pv_units, 1, 4);
    rki_row_amount(r, "ise", "ISE", s->ise, squared(loop->pv_units, square), 1, 4);
    rki_row_amount(r, "itae", "ITAE", s->itae, loop->pv_units, 2, 4);
    rki_row_end(r);
}

static void add_load(rk_report *r, const rk_design *loop, const rk_trial_metrics *m)
{
    const rk_load_metrics *l = &m->load;

    if (!m->has_load) {
        rki_row_word(r, "load", NULL, NULL);
        return;
    }
    rki_row_group(r, "load", NULL, RK_LAYOUT_PLAIN);
    rki_row_yes_no(r, "cut_short", NULL, l->cut_short);
    rki_row_number(r, "peak_deviation", "load: peak", l->peak_deviation, loop->pv_units, 4);
    rki_row_time(r, "recovery_time", "load: recovery", l->recovery_time);
    rki_row_amount(r, "iae", "load: IAE", l->iae, loop->pv_units, 1, 4);
    rki_row_end(r);
}

void rki_trial_metrics(rk_report *r, const rk_design *loop, const rk_trial_metrics *m)
{
    add_setpoint(r, loop, m);
    add_load(r, loop, m);
    rki_row_number(r, "travel", "OUT travel", m->travel, loop->out_units, 4);
    rki_row_number(r, "largest_move", "OUT largest move", m->largest_move, loop->out_units, 4);
    rki_row_count(r, "reversals", "OUT reversals", m->reversals);
    rki_row_time(r, "saturated_time", "OUT saturated", m->saturated_time);
}

static void add_trial(rk_report *r, const rk_design *loop, const rk_trial *trial, bool alone)
{
    const rk_trial_metrics *m = rk_trial_results(trial);
    char name[RKI_SHOWN_CHARS];

    (void)snprintf(name, sizeof name, "%.40s%s", rk_trial_name(trial),
                   m->unstable ? " UNSTABLE" : "");
    rki_row_group(r, NULL, name, RK_LAYOUT_COLUMN);
    rki_row_word(r, "name", NULL, rk_trial_name(trial));
    if (alone) {
        rki_row_number(r, "first_move", "OUT's first move", m->first_move, loop->out_units, 4);
        rki_row_number(r, "last_move", "OUT moved at the end", m->last_move, loop->out_units,
                       4);
        rki_row_amount(r, "slope", "and still moves", m->slope, loop->out_units, -1, 4);
        rki_row_end(r);
        return;
    }
    rki_row_yes_no(r, "unstable", NULL, m->unstable);
    rki_trial_metrics(r, loop, m);
    rki_row_end(r);
}

/* What was tried. */
static void say_plan(rk_report *r, const rk_design *loop, const rk_trial_plan *p)
{
    char length[RKI_SHOWN_CHARS], at[RKI_SHOWN_CHARS], sp[160] = "", load[160] = "",
                                                       noise[80] = "";

    if (p->sp_step != 0) {
        const bool step = p->shape == RK_SETPOINT_SHAPE_STEP;

        (void)snprintf(sp, sizeof sp, "; %s %s%s%+.4g %s at %s",
                       p->alone ? "error" : "setpoint",
                       step ? "" : rk_setpoint_shape_to_text(p->shape), step ? "" : " ",
                       p->sp_step, loop->pv_units, rki_show_time(r, at, p->sp_at));
    }
    if (p->load_step != 0) {
        (void)snprintf(load, sizeof load, "; load %+.4g %s at %s%s", p->load_step,
                       p->load_at_output ? loop->pv_units : loop->out_units,
                       p->load_at_output ? "the output, " : "",
                       rki_show_time(r, at, p->load_at));
    }
    if (p->noise > 0) {
        (void)snprintf(noise, sizeof noise, "; noise %.3g %s", p->noise, loop->pv_units);
    }
    rki_row_say(r, "%s%s, %s from OUT %.4g %s, PV %.4g %s%s%s%s", loop->name,
                p->alone ? ", the controller alone" : "", rki_show_time(r, length, p->duration),
                loop->model.out0, loop->out_units, loop->model.pv0, loop->pv_units, sp, load,
                noise);
}

/* A setpoint that OUT's limits cannot hold is said before its figures are read. */
static void say_held(rk_report *r, const rk_design *loop, const rk_trials *results)
{
    const rk_operating *o = results->held;

    if (o != NULL && !o->holds) {
        rki_row_say(r,
                    "CAUTION: setpoint %.5g %s needs OUT at %.4g %s: the limits hold PV from "
                    "%.5g to %.5g %s",
                    loop->model.pv0 + results->plan->sp_step, loop->pv_units, o->out,
                    loop->out_units, o->pv_low, o->pv_high, loop->pv_units);
    }
    if (!rk_design_has_out_range(loop)) {
        rki_row_say(r, "No output range given: OUT is not limited.");
    }
}

static bool is_missing(const rk_trials *results)
{
    size_t i;

    for (i = 0; i < results->count; i++) {
        const rk_trial_metrics *m = rk_trial_results(results->trial[i]);

        if (m->has_setpoint &&
            (isnan(m->setpoint.rise_time) || isnan(m->setpoint.settling_time) ||
             isnan(m->setpoint.overshoot_percent) || isnan(m->setpoint.steady_error))) {
            return true;
        }
        if (m->has_load && isnan(m->load.recovery_time)) return true;
    }
    return false;
}

/* How the figures are to be read. */
static void say_figures(rk_report *r, const rk_trials *results)
{
    size_t i;

    if (results->plan->alone) return;
    rki_row_note(r, "Settled: within %.3g %% of the step%s", 100.0 * results->plan->band,
                 is_missing(results) ? "; - : not reached within the trial" : "");
    if (results->plan->noise > 0) {
        rki_row_note(
            r, "Rise, overshoot, settling, peak and recovery: of the same run without the "
               "noise");
    }
    for (i = 0; i < results->count; i++) {
        const rk_trial_metrics *m = rk_trial_results(results->trial[i]);

        if (m->unstable) {
            rki_row_note(r, "'%s' is UNSTABLE%s", rk_trial_name(results->trial[i]),
                         m->wrong_sign ? ": its kc has the wrong sign for this process, and "
                                         "drives PV away from the setpoint"
                                       : ": it swings as far as OUT's limits let it");
            continue;
        }
        if (!isnan(m->settling_needs)) {
            char needs[RKI_SHOWN_CHARS];

            rki_row_note(r,
                         "'%s' is slow and cut short: it takes some %s to settle; give a "
                         "longer --for to see it",
                         rk_trial_name(results->trial[i]),
                         rki_show_time(r, needs, m->settling_needs));
            continue;
        }
        if (!m->setpoint.cut_short && !m->load.cut_short) continue;
        rki_row_note(
            r,
            "'%s' is in the band, but not for as long as PV could take to leave it: %s is "
            "not told; give a longer --for%s",
            rk_trial_name(results->trial[i]), m->setpoint.cut_short ? "settling" : "recovery",
            m->setpoint.cut_short && m->has_load ? " and a later --load-at" : "");
    }
}

/* How far the first case is from what was recorded. */
static void say_recorded(rk_report *r, const rk_design *loop, const rk_trials *results)
{
    const rk_overlay *o = results->overlay;
    char found[RKI_SHOWN_CHARS], at[RKI_SHOWN_CHARS], rms_shown[RKI_SHOWN_CHARS];
    double rms = 0;
    size_t rows = 0;

    if (o == NULL) return;
    if (rk_overlay_compare(o, results->trial[0], &rows, &rms, NULL) != RK_OK) return;
    rki_row_note(r, "Recorded beside it: %zu rows within the trial; '%s' is off by %s %s (rms)",
                 rows, rk_trial_name(results->trial[0]), rki_show(rms_shown, rms, 4),
                 loop->pv_units);
    if (!isnan(o->found_at)) {
        rki_row_note(r, "Its step, OUT's sudden move %s from its first row, is laid at %s",
                     rki_show_time(r, found, o->found_at),
                     rki_show_time(r, at, results->plan->sp_at));
    } else {
        rki_row_note(r, "Its first row lies at %s; --overlay-at TIME says where its step is",
                     rki_show_time(r, at, o->shift));
    }
    rki_row_group(r, "overlay", NULL, RK_LAYOUT_HIDDEN);
    rki_row_count(r, "rows", NULL, rows);
    rki_row_value(r, "rms", rms);
    rki_row_value(r, "shift_s", o->shift);
    rki_row_end(r);
}

rk_status rk_report_add_trials(rk_report *report, const rk_design *loop,
                               const rk_trials *results)
{
    rk_report *r = report;
    size_t i;

    if (loop == NULL || results == NULL || results->trial == NULL || results->plan == NULL ||
        results->count == 0) {
        return RK_ERR_ARG;
    }
    say_plan(r, loop, results->plan);
    say_held(r, loop, results);
    rki_row_gap(r);
    rki_row_list(r, "cases");
    for (i = 0; i < results->count; i++) {
        add_trial(r, loop, results->trial[i], results->plan->alone);
    }
    rki_row_end(r);
    rki_row_gap(r);
    say_figures(r, results);
    say_recorded(r, loop, results);
    return RK_OK;
}

rk_status rk_report_add_open_step(rk_report *report, const rk_design *loop,
                                  const rk_open_step *open)
{
    rk_report *r = report;
    const bool rests = open != NULL && !isnan(open->at_63); /* an integrator never does */
    char unit[RK_GAIN_UNIT_CHARS];

    if (loop == NULL || open == NULL) return RK_ERR_ARG;
    rk_design_gain_unit(loop, loop->model.kind, unit);
    rki_row_say(r, "%s: OUT %+.4g %s from %.4g, no controller", loop->name, open->out_step,
                loop->out_units, loop->model.out0);
    rki_row_gap(r);
    rki_model(r, "model", &loop->model);
    rki_row_value(r, "out_step", open->out_step);
    rki_row_number(r, NULL, "gain", loop->model.gain, unit, 4);
    rki_row_time(r, "dead_time", "dead time", open->dead_time);
    rki_row_time(r, "time_28", rests ? "28.3 % of the way after" : NULL, open->at_28);
    rki_row_time(r, "time_63", rests ? "63.2 % of the way after" : NULL, open->at_63);
    rki_row_time(r, "rise_time", rests ? "rise time, 10 to 90 %" : NULL, open->rise);
    rki_row_time(r, "settling_time", rests ? "settling time, to 2 %" : NULL, open->settling);
    rki_row_number(r, "pv_end", rests ? "PV rests at" : NULL, open->pv_end, loop->pv_units, 5);
    rki_row_amount(r, "slope", "steepest slope", open->slope, loop->pv_units, -1, 4);
    return RK_OK;
}
