/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/loop/closed_loop.h>

#include "parts.h"

/* Numbers that are typed elsewhere by hand show so many digits. */
enum { DIGITS = 7 };

static void add(rk_report *r, const char *name, double value, const char *unit)
{
    rki_row_number(r, NULL, name, value, unit, DIGITS);
}

/* An integral time in all that it is asked in. */
static void add_integral(rk_report *r, double ti)
{
    if (isinf(ti)) {
        rki_row_word(r, NULL, "ti", "none: no integral action");
        return;
    }
    add(r, "ti", ti, "s");
    add(r, "ti", ti / 60.0, "min");
    add(r, "integral action", 60.0 / ti, "repeats per minute");
}

static void add_derivative(rk_report *r, double td, double tf)
{
    if (!(td > 0)) return;
    add(r, "td", td, "s");
    add(r, "td", td / 60.0, "min");
    add(r, "tf", tf, "s");
    add(r, "tf", tf / 60.0, "min");
    if (tf > 0) {
        add(r, "td / tf", td / tf, "");
    }
}

/* A gain goes with the sign or with the action, and never with both: a negative one is written
   in both ways. */
static void add_signed(rk_report *r, const char *name, double value, const char *unit)
{
    char words[RKI_SHOWN_CHARS];

    if (!(value < 0)) {
        add(r, name, value, unit);
        return;
    }
    (void)snprintf(words, sizeof words, "%s, no action switch", name);
    add(r, words, value, unit);
    (void)snprintf(words, sizeof words, "%s, action set to direct", name);
    add(r, words, -value, unit);
}

/* A gain in units and in percent of span, over a time or times one as `per` says. */
static void add_gains(rk_report *r, const rk_design *loop, const char *name, double gain,
                      const char *per)
{
    char unit[RKI_UNIT_CHARS];

    (void)snprintf(unit, sizeof unit, "%.24s per %.24s%.24s", loop->out_units, loop->pv_units,
                   per);
    add_signed(r, name, gain, unit);
    if (isnan(loop->pv_low)) return;
    (void)snprintf(unit, sizeof unit, "%% of OUT's span per %% of PV's%.24s", per);
    add_signed(r, name, rk_design_kc_pct(loop, gain), unit);
}

/* .. and as a proportional band. */
static void add_gain(rk_report *r, const rk_design *loop, const char *name, double gain)
{
    add_gains(r, loop, name, gain, "");
    if (isnan(loop->pv_low)) return;
    add(r, "proportional band", 100.0 / fabs(rk_design_kc_pct(loop, gain)), "% of PV's span");
}

/* What decides whether the loop controls or runs away. */
static void add_action(rk_report *r, const rk_settings *set)
{
    const bool direct = set->kc < 0;

    rki_row_group(r, NULL, "Action", RK_LAYOUT_PLAIN);
    rki_row_word(r, NULL, "either",
                 direct ? "the block has an action switch: set it to direct, "
                          "and type gains without a minus"
                        : "the block has an action switch: set it to reverse");
    rki_row_word(r, NULL, "or",
                 direct ? "it has none: type gains with the minus"
                        : "it has none: type the gains as they are, above 0");
    rki_row_word(r, NULL, "then",
                 direct ? "before automatic, raise OUT a little in manual: PV must fall"
                        : "before automatic, raise OUT a little in manual: PV must rise");
    rki_row_end(r);
}

static void add_loop(rk_report *r, const rk_design *loop, const rk_pid_params *params)
{
    const rk_settings *set = &loop->settings;
    char unit[RKI_UNIT_CHARS];

    rki_row_group(r, NULL, "Loop", RK_LAYOUT_PLAIN);
    add(r, "scan", loop->ts, "s");
    if (!isnan(loop->pv_low)) {
        add(r, "PV low", loop->pv_low, loop->pv_units);
        add(r, "PV high", loop->pv_high, loop->pv_units);
    }
    add(r, "OUT low", loop->out_low, loop->out_units);
    add(r, "OUT high", loop->out_high, loop->out_units);
    if (isfinite(loop->out_rate)) {
        (void)snprintf(unit, sizeof unit, "%.30s per s", loop->out_units);
        add(r, "OUT rate", loop->out_rate, unit);
    }
    if (rk_settings_is_on_off(set)) {
        add(r, "hysteresis to each side", set->on_off, loop->pv_units);
        if (set->pv_filter > 0) {
            add(r, "PV filter", set->pv_filter, "s");
        }
        rki_row_end(r);
        return;
    }
    add(r, "setpoint weight of P", set->sp_weight, "");
    if (set->td > 0) {
        add(r, "setpoint weight of D", set->d_sp_weight, "");
    }
    if (set->pv_filter > 0) {
        add(r, "PV filter", set->pv_filter, "s");
    }
    if (set->deadband > 0) {
        add(r, "deadband", set->deadband, loop->pv_units);
    }
    if (isfinite(set->sp_rate)) {
        (void)snprintf(unit, sizeof unit, "%.30s per s", loop->pv_units);
        add(r, "setpoint rate", set->sp_rate, unit);
    }
    if (params->biased) {
        add(r, "bias", (double)params->bias, loop->out_units);
        add(r, "time to the bias", (double)params->tt, "s");
    }
    if (set->predictor) {
        rki_row_word(r, NULL, "predictor", "a dead-time compensator with the model above");
    }
    rki_row_word(r, NULL, "anti-windup", rk_anti_windup_to_text(set->anti_windup));
    if (set->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION && isfinite(set->ti)) {
        add(r, "tracking time", (double)params->tt, "s");
    }
    rki_row_end(r);
}

/* How far kc may go, all else as it is. */
static void add_stable(rk_report *r, const rk_design *loop)
{
    rk_rig_settings s;

    if (rk_emit_rig_settings(loop, RK_NUMBER_LREAL, false, &s, NULL) != RK_OK ||
        !(s.kc_low < s.kc_high)) {
        return;
    }
    rki_row_group(r, NULL, "Stable", RK_LAYOUT_PLAIN);
    rki_row_words(r, NULL, "for kc", "from %.6g to %.6g %s per %s", s.kc_low, s.kc_high,
                  loop->out_units, loop->pv_units);
    rki_row_end(r);
}

/* What it does without a good PV, and when it calls. */
static void add_alarms(rk_report *r, const rk_design *loop)
{
    const rk_alarm_limits *a = &loop->alarms;
    const struct {
        const char *name;
        double value;
        const char *unit;
    } all[] = {
        {"OUT without a good PV", loop->out_safe, loop->out_units},
        {"held before that for", a->hold, "s"},
        {"a PV that stands still is bad after", a->stale, "s"},
        {"alarm, PV below", a->low, loop->pv_units},
        {"alarm, PV above", a->high, loop->pv_units},
        {"alarm, PV from the setpoint", a->deviation, loop->pv_units},
        {"an alarm goes when back by", a->gap, loop->pv_units},
    };
    bool any = false;
    size_t i;

    for (i = 0; i < sizeof all / sizeof all[0]; i++) {
        if (isnan(all[i].value)) continue;
        if (!any) {
            rki_row_group(r, NULL, "Failures and alarms", RK_LAYOUT_PLAIN);
        }
        any = true;
        add(r, all[i].name, all[i].value, all[i].unit);
    }
    if (any) {
        rki_row_end(r);
    }
}

static void add_forms(rk_report *r, const rk_design *loop)
{
    const rk_settings *set = &loop->settings;
    rk_form_values v;

    rki_row_group(r, NULL, "Ideal form, kc (1 + 1/(ti s) + td s/(1 + tf s))", RK_LAYOUT_PLAIN);
    add_gain(r, loop, "kc", set->kc);
    add_integral(r, set->ti);
    add_derivative(r, set->td, set->tf);
    rki_row_end(r);
    rki_row_group(r, NULL, "Series form, kc (1 + 1/(ti s)) (1 + td s)/(1 + tf s)",
                  RK_LAYOUT_PLAIN);
    if (rk_settings_to_form(set, RK_FORM_SERIES, &v, NULL) == RK_OK) {
        add_gain(r, loop, "kc", v.gain);
        add_integral(r, v.integral);
        add_derivative(r, v.derivative, v.tf);
    } else {
        rki_row_word(r, NULL, "none", "these settings have no series form");
    }
    rki_row_end(r);
    rki_row_group(r, NULL, "Parallel form, kp + ki/s + kd s/(1 + tf s)", RK_LAYOUT_PLAIN);
    if (rk_settings_to_form(set, RK_FORM_PARALLEL, &v, NULL) == RK_OK) {
        add_gain(r, loop, "kp", v.gain);
        if (isfinite(set->ti)) {
            add_gains(r, loop, "ki", v.integral, ", per s");
            add_gains(r, loop, "ki", 60.0 * v.integral, ", per min");
        } else {
            rki_row_word(r, NULL, "ki", "none: no integral action");
        }
        if (set->td > 0) {
            add_gains(r, loop, "kd", v.derivative, ", times s");
            add_gains(r, loop, "kd", v.derivative / 60.0, ", times min");
            add(r, "tf", v.tf, "s");
            add(r, "tf", v.tf / 60.0, "min");
        }
    }
    rki_row_end(r);
}

static void add_proof(rk_report *r, const rk_proof *proof)
{
    char words[RK_PROOF_WORDS_CHARS];
    size_t i;

    rki_row_group(r, NULL, "Proof of the program text", RK_LAYOUT_PLAIN);
    for (i = 0; i < proof->parts; i++) {
        rk_proof_part_words(&proof->part[i], words);
        rki_row_word(r, NULL, proof->part[i].what, words);
    }
    rki_row_word(r, NULL, "verdict", proof->proven ? "proven" : "NOT PROVEN");
    rki_row_end(r);
}

rk_status rk_report_add_sheet(rk_report *report, const rk_design *loop, const rk_proof *proof,
                              rk_diag *diag)
{
    const rk_limits limits = loop != NULL ? rk_design_limits(loop) : rk_limits_none();
    rk_pid_params params;
    rk_text *head;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL) return RK_ERR_ARG;
    head = rk_text_create();
    status = rk_emit_provenance(loop, head, diag);
    if (status == RK_OK) {
        status = rk_settings_pid_params(&loop->settings, &limits,
                                        loop->has_model ? &loop->model : NULL, loop->ts,
                                        &params, diag);
    }
    if (status == RK_OK) {
        rki_row_print(report, rk_text_chars(head));
        add_loop(report, loop, &params);
        add_stable(report, loop);
        add_alarms(report, loop);
        add_action(report, &loop->settings);
        if (!rk_settings_is_on_off(&loop->settings)) {
            add_forms(report, loop);
        }
    }
    if (status == RK_OK && proof != NULL) {
        add_proof(report, proof);
    }
    rk_text_free(head);
    return status;
}
