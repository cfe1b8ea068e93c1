/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

/* What is reported: everything that a check knows. */
typedef struct checked {
    const rk_design *loop;
    const rk_check_plan *plan;
    const rk_check *check;
} checked;

/* The line that is read first: the verdict, why, and what it rests on if that is doubtful. */
static void add_verdict(rk_report *r, const checked *c, const rk_findings *found)
{
    const rk_check *check = c->check;
    const bool met = check->verdict.met;
    char why[240] = "all requirements met", more[80] = "";
    size_t cautions = 0, i;

    for (i = 0; i < found->count; i++) {
        cautions += found->list[i].level == RK_LEVEL_CAUTION;
    }
    if (!rk_check_judged(check)->stable) {
        (void)snprintf(why, sizeof why, "the loop is UNSTABLE%s",
                       check->margins.stable ? " at its scan" : "");
    } else if (!met) {
        why[0] = '\0';
        rki_missed_words(&check->verdict, why, sizeof why);
        for (i = 0; i < found->count && why[0] == '\0'; i++) {
            if (found->list[i].level == RK_LEVEL_UNFIT) {
                (void)snprintf(why, sizeof why, "%s", found->list[i].what);
            }
        }
    }
    if (check->slip.found) {
        (void)snprintf(more, sizeof more, "; %s looks like %s", check->slip.setting,
                       check->slip.looks_like);
    } else if (c->loop->settings.kc * c->loop->model.gain < 0) {
        (void)snprintf(more, sizeof more, "; kc has the wrong sign for this process");
    } else if (met && cautions > 0) {
        (void)snprintf(more, sizeof more, "; mind the caution%s below",
                       cautions > 1 ? "s" : "");
    }
    rki_row_verdict(r, met, met ? "MET" : "NOT MET", ": %s%s", why, more);
}

static void add_head(rk_report *r, const checked *c)
{
    const rk_settings *s = &c->loop->settings;
    char unit[RKI_UNIT_CHARS], ti[RKI_SHOWN_CHARS], td[RKI_SHOWN_CHARS];
    char derivative[80] = "", process[RKI_PROCESS_CHARS];

    rki_process_words(r, c->loop, process);
    rki_row_say(r, "Process: %s", process);
    rki_reduction(r, c->loop);
    rki_kc_unit(c->loop, unit);
    if (s->td > 0) {
        (void)snprintf(derivative, sizeof derivative, ", td %s", rki_show_time(r, td, s->td));
    }
    rki_row_say(r, "%s, ideal form: kc %.4g %s, ti %s%s%s%s", rk_settings_mode(s), s->kc, unit,
                rki_show_time(r, ti, s->ti), derivative,
                c->loop->rule[0] != '\0' ? "; rule " : "", c->loop->rule);
    rki_features_words(r, c->loop, process);
    if (process[0] != '\0') {
        rki_row_say(r, "With %s", process);
    }
    rki_judged(r, c->loop);
    if (s->predictor) {
        rki_row_say(
            r, "Margins of a loop with a predictor flatter where its model is right: judge "
               "by the columns of wrong models.");
    }
}

/* ---- margins: continuous, as scanned, and at their worst, a column each ---- */

static void add_margins(rk_report *r, const rk_margins *m, bool stable)
{
    rki_row_yes_no(r, "stable", NULL, stable);
    rki_row_number(r, "gain_margin", "gain margin", m->gain_margin, "", 4);
    rki_row_number(r, "phase_margin_deg", "phase margin", m->phase_margin, "deg", 4);
    rki_row_time(r, "delay_margin_s", "delay margin", m->delay_margin);
    rki_row_number(r, "ms", "Ms", m->ms, "", 4);
}

static void add_loop_margins(rk_report *r, const rk_margins *m, bool sampled)
{
    add_margins(r, m, m->stable);
    rki_row_number(r, "mt", "Mt", m->mt, "", 4);
    if (!sampled) {
        rki_row_number(r, "bandwidth_rad_s", "bandwidth", m->bandwidth, "rad/s", 4);
    }
    rki_row_value(r, "ultimate_gain", m->ultimate_gain);
    rki_row_value(r, "ultimate_period_s", m->ultimate_period);
    if (m->kc_range_exists) {
        rki_row_pair(r, "kc_stable", m->kc_stable);
    } else {
        rki_row_word(r, "kc_stable", NULL, NULL);
    }
}

/* Of an unstable loop there is nothing to see. */
static void open_column(rk_report *r, const checked *c, const char *key, const char *what,
                        bool stable)
{
    char name[RKI_SHOWN_CHARS];

    (void)snprintf(name, sizeof name, "%.40s%s", what, stable ? "" : " UNSTABLE");
    rki_row_group(r, key, name, c->check->margins.stable ? RK_LAYOUT_COLUMN : RK_LAYOUT_HIDDEN);
}

static void add_sampled(rk_report *r, const checked *c)
{
    const rk_check *k = c->check;
    char what[RKI_SHOWN_CHARS], scan[RKI_SHOWN_CHARS];

    if (!k->has_sampled) {
        rki_row_word(r, "sampled", NULL, NULL);
        return;
    }
    (void)snprintf(what, sizeof what, "scan %.40s", rki_show_time(r, scan, c->loop->ts));
    open_column(r, c, "sampled", what, k->sampled.stable);
    add_loop_margins(r, &k->sampled, true);
    rki_row_value(r, "scan_s", c->loop->ts);
    rki_row_value(r, "delay_scans", c->loop->delay_scans);
    rki_row_value(r, "slowest_scan_s", k->slowest_scan);
    rki_row_value(r, "stall_error", k->stall_error);
    rki_row_end(r);
}

static void add_worst_values(rk_report *r, const rk_worst *w)
{
    const rk_margins m = {.gain_margin = w->gain_margin,
                          .phase_margin = w->phase_margin,
                          .delay_margin = w->delay_margin,
                          .ms = w->ms};

    add_margins(r, &m, w->stable);
    rki_model(r, "corner", &w->corner);
}

/* Over the model's 95 % region if it is known, else with each number wrong by so much; and both.
 */
static void add_worst(rk_report *r, const checked *c)
{
    const rk_check *k = c->check;
    char what[RKI_SHOWN_CHARS];

    if (!k->has_box) {
        rki_row_word(r, "worst", NULL, NULL);
        return;
    }
    rki_row_group(r, "worst", NULL, RK_LAYOUT_PLAIN);
    rki_row_group(r, NULL, NULL, RK_LAYOUT_HIDDEN);
    add_worst_values(r, k->has_region ? &k->region : &k->box);
    rki_row_end(r);
    if (k->has_region) {
        open_column(r, c, "region95", "95 % region", k->region.stable);
        add_worst_values(r, &k->region);
        rki_row_end(r);
    } else {
        rki_row_word(r, "region95", NULL, NULL);
    }
    (void)snprintf(what, sizeof what, "%.3g %% wrong", 100.0 * c->plan->model_error);
    open_column(r, c, "wrong", what, k->box.stable);
    add_worst_values(r, &k->box);
    rki_row_end(r);
    rki_row_value(r, "wrong_percent", 100.0 * c->plan->model_error);
    rki_row_value(r, "survived_percent", 100.0 * k->survived);
    rki_row_end(r);
}

/* "gain +20 %, dead time -20 %": how a model differs from the loop's. */
static void describe_corner(const checked *c, const rk_model *corner, char text[200])
{
    const rk_model *m = rk_design_process(c->loop);
    const struct {
        const char *name;
        double is, was;
    } numbers[] = {{"gain", corner->gain, m->gain},
                   {m->lags > 1 ? "lags" : "lag", corner->lag[0], m->lag[0]},
                   {"time constant", corner->time_constant[0], m->time_constant[0]},
                   {"2nd time constant", corner->time_constant[1], m->time_constant[1]},
                   {"damping", corner->damping, m->damping},
                   {"dead time", corner->dead_time, m->dead_time}};
    size_t used = 0, i;

    text[0] = '\0';
    for (i = 0; i < sizeof numbers / sizeof numbers[0]; i++) {
        if (numbers[i].was == 0 || used >= 200) continue;
        used +=
            (size_t)snprintf(text + used, 200 - used, "%s%s %+.3g %%", used > 0 ? ", " : "",
                             numbers[i].name, 100.0 * ((numbers[i].is / numbers[i].was) - 1.0));
    }
}

static void say_models(rk_report *r, const checked *c)
{
    const rk_check *k = c->check;
    char corner[200];

    if (k->has_region) {
        describe_corner(c, &k->region.corner, corner);
        rki_row_note(r, "95 %% region of the model's numbers, worst at: %s", corner);
    }
    if (k->has_box) {
        describe_corner(c, &k->box.corner, corner);
        rki_row_note(r, "Each number wrong by %.3g %%, worst at: %s",
                     100.0 * c->plan->model_error, corner);
        rki_row_note(r, "Stable with all numbers wrong by up to %.3g %% at once",
                     100.0 * k->survived);
    }
}

static void say_sampling(rk_report *r, const checked *c)
{
    const rk_check *k = c->check;
    char slowest[RKI_SHOWN_CHARS];

    if (!k->has_sampled) return;
    if (!k->has_margins) {
        rki_row_note(r, "No scan can keep the margins asked: the continuous loop has none of "
                        "them");
    } else if (isnan(k->slowest_scan)) {
        rki_row_note(r, "No scan keeps the margins of the continuous loop; delay %.3g scans",
                     c->loop->delay_scans);
    } else {
        rki_row_note(r, "Scans of up to %s keep the margins asked for%s; delay %.3g scans",
                     rki_show_time(r, slowest, k->slowest_scan),
                     k->verdict.met ? "" : " that the continuous loop has",
                     c->loop->delay_scans);
    }
    rki_row_note(r,
                 "Nyquist frequency %.3g Hz: what PV does above it shows as something slower",
                 0.5 / c->loop->ts);
    if (isfinite(k->stall_error)) {
        rki_row_note(r, "In single precision the integral stalls at errors below %.2g %s",
                     k->stall_error, c->loop->pv_units);
    }
}

/* ---- how far kc may go ---- */

/* kc from 0 to where the loop ends, a mark where it stands and where each line is reached. */
enum { BAR = 64 };

static void mark(char bar[BAR + 2], double kc, double end, char letter)
{
    const double place = kc / end * BAR;

    if (place >= 0 && place <= BAR + 0.5) {
        bar[(int)(place + 0.5)] = letter;
    }
}

static void print_bar(rk_report *r, const checked *c)
{
    const rk_check *k = c->check;
    const rk_gain_limits *g = &k->gain;
    const double kc = c->loop->settings.kc, end = rki_gain_bar_end(c->loop, g);
    char bar[BAR + 2], limit[RKI_SHOWN_CHARS], text[2400];
    size_t used;
    int i, marks = 0;

    if (isnan(end) || rki_style(r).drawn) return;
    memset(bar, '-', BAR + 1);
    bar[BAR + 1] = '\0';
    mark(bar, g->on_off, end, '!');
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (isnan(g->at[i])) continue;
        mark(bar, g->at[i], end, (char)('a' + marks));
        marks++;
    }
    mark(bar, kc, end, '#');
    used = (size_t)snprintf(text, sizeof text, "\n  kc 0 |%s| %.4g\n       # kc as set, %.4g",
                            bar, end, kc);
    for (i = 0, marks = 0; i < RK_REQUIRE_COUNT; i++) {
        if (isnan(g->at[i])) continue;
        used += (size_t)snprintf(
            text + used, sizeof text - used, "%s%c %s %s at %.4g",
            marks % 2 == 0 ? "\n       " : ";  ", 'a' + marks,
            rk_require_to_text((rk_require)i),
            rki_show_requirement(r, c->loop, (rk_require)i, k->requirements.limit[i], limit),
            g->at[i]);
        marks++;
    }
    if (!isnan(g->on_off)) {
        (void)snprintf(text + used, sizeof text - used, "\n       ! on/off from %.4g: %s",
                       g->on_off,
                       g->by_noise ? "PV's noise alone fills OUT's range"
                                   : "unstable, OUT swings between its limits");
    }
    rki_row_print(r, text);
}

static void say_gain(rk_report *r, const checked *c)
{
    const rk_margins *m = rk_check_judged(c->check);
    char low[RKI_SHOWN_CHARS], high[RKI_SHOWN_CHARS], period[RKI_SHOWN_CHARS],
        unit[RKI_UNIT_CHARS];

    rki_kc_unit(c->loop, unit);
    rki_row_gap(r);
    if (m->kc_range_exists) {
        rki_row_note(r, "kc is %.4g %s; the loop is stable from %s to %s", c->loop->settings.kc,
                     unit,
                     isinf(m->kc_stable[0]) ? "any below" : rki_show(low, m->kc_stable[0], 4),
                     isinf(m->kc_stable[1]) ? "any above" : rki_show(high, m->kc_stable[1], 4));
    } else {
        rki_row_note(r, "No kc makes the loop stable with these times");
    }
    print_bar(r, c);
    if (isfinite(m->ultimate_gain)) {
        rki_row_note(r, "Ultimate gain (P control alone) %.4g %s, ultimate period %s",
                     m->ultimate_gain, unit, rki_show_time(r, period, m->ultimate_period));
    } else {
        rki_row_note(r,
                     "No ultimate gain: the model has no dead time, and P control alone never "
                     "oscillates");
    }
}

static void add_gain_limits(rk_report *r, const checked *c)
{
    const rk_gain_limits *g = &c->check->gain;
    int i;

    rki_row_group(r, "gain_limits", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "on_off", g->on_off);
    rki_row_yes_no(r, "on_off_by_noise", NULL, g->by_noise);
    rki_row_value(r, "p_only_offset", g->offset);
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (!isnan(g->at[i])) {
            rki_row_value(r, rk_require_to_text((rk_require)i), g->at[i]);
        }
    }
    rki_row_end(r);
}

/* ---- the valve's range, and windup ---- */

static void add_operating(rk_report *r, const checked *c)
{
    const rk_operating *o = &c->check->start;

    if (!c->check->has_operating) {
        rki_row_word(r, "operating", NULL, NULL);
        return;
    }
    rki_row_group(r, "operating", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "pv_low", o->pv_low);
    rki_row_value(r, "pv_high", o->pv_high);
    rki_row_value(r, "room_down", o->room_down);
    rki_row_value(r, "room_up", o->room_up);
    rki_row_yes_no(r, "holds_step", NULL, c->check->stepped.holds);
    rki_row_end(r);
}

static void say_operating(rk_report *r, const checked *c)
{
    const rk_check *k = c->check;
    const rk_design *d = c->loop;
    char reach[120] = "";
    size_t i;

    if (!k->has_operating) return;
    if (isfinite(k->start.pv_low)) {
        (void)snprintf(reach, sizeof reach, "; its limits reach %.5g to %.5g %s",
                       k->start.pv_low, k->start.pv_high, d->pv_units);
    }
    rki_row_gap(r);
    rki_row_say(r, "The valve: OUT %.4g %s holds %.5g %s%s", k->start.out, d->out_units,
                d->model.pv0, d->pv_units, reach);
    rki_row_note(r, "Headroom for a load: %.4g %s down, %.4g %s up", k->start.room_down,
                 d->out_units, k->start.room_up, d->out_units);
    for (i = 0; i < c->plan->setpoints; i++) {
        rki_row_note(r, "Setpoint %.5g %s: OUT %.4g %s, %s", c->plan->setpoint[i], d->pv_units,
                     k->held[i].out, d->out_units,
                     k->held[i].holds ? "within the limits" : "CANNOT BE HELD");
    }
}

static void add_windup_run(rk_report *r, const char *key, const char *name,
                           const rk_windup_run *run, bool shown)
{
    rki_row_group(r, key, NULL, shown ? RK_LAYOUT_ROW : RK_LAYOUT_HIDDEN);
    rki_row_word(r, NULL, "anti-windup", name);
    rki_row_number(r, "overshoot_percent", "overshoot", run->overshoot, "%", 3);
    rki_row_time(r, "on_limit_s", "saturated", run->stuck);
    rki_row_time(r, "settling_time", "settling", run->settling);
    rki_row_value(r, "iae", run->iae);
    rki_row_end(r);
}

static void add_windup(rk_report *r, const checked *c)
{
    const rk_windup *w = &c->check->windup;
    char name[2 * RKI_SHOWN_CHARS], time[RKI_SHOWN_CHARS];
    int way;

    if (!c->check->has_windup) {
        rki_row_word(r, "windup", NULL, NULL);
        return;
    }
    rki_row_gap(r);
    if (w->saturates) {
        rki_row_say(r, "A setpoint step of %.4g %s saturates OUT:", w->sp_step,
                    c->loop->pv_units);
        rki_row_gap(r);
    } else {
        rki_row_say(
            r,
            "A setpoint step of %.4g %s, most of the valve's range, does not saturate OUT: "
            "nothing can wind up",
            w->sp_step, c->loop->pv_units);
    }
    rki_row_group(r, "windup", NULL, RK_LAYOUT_PLAIN);
    rki_row_value(r, "sp_step", w->sp_step);
    rki_row_yes_no(r, "saturates", NULL, w->saturates);
    rki_row_value(r, "best_tracking_time", w->best_tt);
    rki_row_value(r, "ramp_time", w->ramp_time);
    add_windup_run(r, "no_limits", "(no limits)", &w->ideal, w->saturates);
    for (way = 0; way < 3; way++) {
        const char *key = rk_anti_windup_to_text((rk_anti_windup)way);

        (void)snprintf(name, sizeof name, "%s%s", key,
                       way == (int)c->loop->settings.anti_windup ? ", as set" : "");
        add_windup_run(r, key, name, &w->ways[way], w->saturates);
    }
    if (!isnan(w->best_tt)) {
        (void)snprintf(name, sizeof name, "tracking time %s",
                       rki_show_time(r, time, w->best_tt));
        add_windup_run(r, "best", name, &w->best, w->saturates);
    }
    if (!isnan(w->ramp_time)) {
        (void)snprintf(name, sizeof name, "setpoint ramp of %s",
                       rki_show_time(r, time, w->ramp_time));
        add_windup_run(r, "ramp", name, &w->ramp, w->saturates);
    }
    rki_row_end(r);
}

static void add_cycle(rk_report *r, const rk_limit_cycle *cycle)
{
    if (!cycle->exists) {
        rki_row_word(r, "limit_cycle", NULL, NULL);
        return;
    }
    rki_row_group(r, "limit_cycle", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "period_s", cycle->period);
    rki_row_value(r, "amplitude", cycle->amplitude);
    rki_row_end(r);
}

/* ---- remedies ---- */

/* One change that meets all that is not met: then it is said once. */
static const rk_remedy *remedy_for_all(const rk_check *k, int *missed)
{
    const rk_remedy *first = NULL;
    int i;

    *missed = 0;
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (!k->verdict.asked[i] || k->verdict.line_met[i]) continue;
        ++*missed;
        first = *missed == 1 ? &k->remedies[i] : first;
        if (!k->remedies[i].all) return NULL;
    }
    return *missed > 1 ? first : NULL;
}

static void say_remedy(rk_report *r, const checked *c, const char *what, const rk_remedy *m)
{
    const rk_settings *s = &c->loop->settings;
    const double now = m->by_kc ? s->kc : s->ti;
    char value[RKI_SHOWN_CHARS], from[RKI_SHOWN_CHARS];

    if (m->by_ti) {
        (void)rki_show_time(r, value, m->value);
        (void)rki_show_time(r, from, now);
    } else {
        (void)rki_show(value, m->value, 4);
        (void)rki_show(from, now, 4);
    }
    rki_row_note(r, "Remedy for %s: a %s of %s instead of %s (%+.3g %%)%s", what,
                 m->by_kc ? "kc" : "ti", value, from, 100.0 * (fabs(m->value / now) - 1.0),
                 m->all ? "; all requirements are then met"
                        : "; another requirement is then not met");
}

/* The number as it was meant. */
static void say_slip(rk_report *r, const checked *c)
{
    const rk_slip *s = &c->check->slip;
    char unit[RKI_UNIT_CHARS], typed[RKI_SHOWN_CHARS], meant[RKI_SHOWN_CHARS];

    if (s->setting[0] == 'k') {
        rki_kc_unit(c->loop, unit);
        rki_row_note(r, "Remedy: %s %s %s%s instead of %s", s->setting,
                     rki_show(meant, s->meant, 4), unit, s->setting[1] == 'i' ? " per s" : "",
                     rki_show(typed, s->typed, 4));
    } else {
        rki_row_note(r, "Remedy: %s %s instead of %s", s->setting,
                     rki_show_time(r, meant, s->meant), rki_show_time(r, typed, s->typed));
    }
}

static void add_slip(rk_report *r, const rk_slip *s)
{
    if (!s->found) {
        rki_row_word(r, "slip", NULL, NULL);
        return;
    }
    rki_row_group(r, "slip", NULL, RK_LAYOUT_HIDDEN);
    rki_row_word(r, "setting", NULL, s->setting);
    rki_row_word(r, "looks_like", NULL, s->looks_like);
    rki_row_value(r, "typed", s->typed);
    rki_row_value(r, "meant", s->meant);
    rki_row_end(r);
}

static void say_remedies(rk_report *r, const checked *c)
{
    const rk_check *k = c->check;
    char without[200] = "";
    size_t used = 0;
    int missed, i;
    const rk_remedy *all = remedy_for_all(k, &missed);

    if (missed == 0 && !k->slip.found) return;
    rki_row_gap(r);
    if (k->slip.found) {
        say_slip(r, c);
    }
    if (all != NULL) {
        say_remedy(r, c, "all of them", all);
        return;
    }
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const char *what = rk_require_to_text((rk_require)i);

        if (!k->verdict.asked[i] || k->verdict.line_met[i]) continue;
        if (k->remedies[i].by_kc || k->remedies[i].by_ti) {
            say_remedy(r, c, what, &k->remedies[i]);
        } else if (used < sizeof without) {
            used += (size_t)snprintf(without + used, sizeof without - used, "%s%s",
                                     used > 0 ? ", " : "", what);
        }
    }
    if (used > 0 && !k->slip.found) {
        rki_row_note(
            r,
            "%s: no change of kc or ti alone, to an eighth or eight times of it, does: "
            "use search",
            without);
    }
}

static void add_requirements(rk_report *r, const checked *c)
{
    const rk_check *k = c->check;

    if (!rk_check_judged(k)->stable) { /* figures of a loop that is none */
        rki_row_group(r, NULL, NULL, RK_LAYOUT_HIDDEN);
        rki_requirements(r, c->loop, &k->requirements, &k->verdict, k->remedies);
        rki_row_end(r);
        return;
    }
    if (rk_requirements_need_trial(&k->requirements)) {
        rki_conditions(r, c->loop, &k->requirements);
    }
    rki_row_gap(r);
    rki_requirements(r, c->loop, &k->requirements, &k->verdict, k->remedies);
}

/* The verdict, what it rests on, and what to do. */
static void add_judgement(rk_report *r, const checked *c)
{
    const rk_findings found = rk_check_findings(c->loop, c->plan, c->check);

    add_verdict(r, c, &found);
    add_head(r, c);
    add_requirements(r, c);
    say_remedies(r, c);
    add_slip(r, &c->check->slip);
    rki_findings(r, &found);
}

static void add_all_margins(rk_report *r, const checked *c)
{
    const rk_check *check = c->check;

    open_column(r, c, NULL, "continuous", true);
    add_loop_margins(r, &check->margins, false);
    rki_row_end(r);
    add_sampled(r, c);
    if (check->has_on_model) {
        open_column(r, c, "on_model",
                    check->has_sampled ? "on its model, scanned" : "on its model",
                    check->on_model.stable);
        add_loop_margins(r, &check->on_model, check->has_sampled);
        rki_row_end(r);
    }
    add_worst(r, c);
    if (check->margins.stable) {
        rki_row_gap(r);
        say_models(r, c);
        say_sampling(r, c);
    }
    add_gain_limits(r, c);
    say_gain(r, c);
}

static void add_limits(rk_report *r, const checked *c)
{
    add_operating(r, c);
    say_operating(r, c);
    add_windup(r, c);
    add_cycle(r, &c->check->cycle);
}

rk_status rk_report_add_check(rk_report *report, const rk_design *loop,
                              const rk_check_plan *plan, const rk_check *check)
{
    const checked c = {loop, plan, check};

    if (loop == NULL || plan == NULL || check == NULL) return RK_ERR_ARG;
    add_judgement(report, &c);
    if (check->margins.stable) {
        rki_row_gap(report);
    }
    add_all_margins(report, &c);
    add_limits(report, &c);
    rki_row_word(report, "verdict", NULL, check->verdict.met ? "met" : "missed");
    return RK_OK;
}

/* How near a figure is to its limit: 1 is there. */
static double nearness(rk_require what, double figure, double limit)
{
    return rk_require_is_least(what) ? limit / figure : figure / limit;
}

rk_status rk_report_add_nearest(rk_report *report, const rk_design *loop, const rk_check *check)
{
    const rk_verdict *v;
    double most = 0;
    int nearest = RK_REQUIRE_COUNT, i;
    char figure[RKI_SHOWN_CHARS], limit[RKI_SHOWN_CHARS];

    if (loop == NULL || check == NULL) return RK_ERR_ARG;
    v = &check->verdict;
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const double part = nearness((rk_require)i, v->figure[i], check->requirements.limit[i]);

        if (!v->asked[i] || !v->line_met[i] || !(part > most)) continue;
        most = part;
        nearest = i;
    }
    if (!v->met || nearest == RK_REQUIRE_COUNT) return RK_OK;
    rki_row_say(
        report, "Limiting requirement: %s, %s where %s %s is asked.",
        rk_require_to_text((rk_require)nearest),
        rki_show_requirement(report, loop, (rk_require)nearest, v->figure[nearest], figure),
        rk_require_is_least((rk_require)nearest) ? "at least" : "at most",
        rki_show_requirement(report, loop, (rk_require)nearest,
                             check->requirements.limit[nearest], limit));
    return RK_OK;
}

rk_status rk_report_add_check_part(rk_report *report, const rk_design *loop,
                                   const rk_check_plan *plan, const rk_check *check,
                                   rk_check_part part)
{
    const checked c = {loop, plan, check};

    if (loop == NULL || plan == NULL || check == NULL) return RK_ERR_ARG;
    switch (part) {
    case RK_CHECK_JUDGEMENT:
        add_judgement(report, &c);
        return RK_OK;
    case RK_CHECK_MARGINS:
        add_all_margins(report, &c);
        return RK_OK;
    case RK_CHECK_LIMITS:
        add_limits(report, &c);
        return RK_OK;
    default:
        return RK_ERR_RANGE;
    }
}
