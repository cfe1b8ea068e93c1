/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

/* Settings in one line, in the form that was asked for. */
static void say_settings(rk_report *r, const rk_design *loop, const rk_settings *settings,
                         rk_form form)
{
    const bool parallel = form == RK_FORM_PARALLEL;
    char unit[RKI_UNIT_CHARS], ti[RKI_SHOWN_CHARS], td[RKI_SHOWN_CHARS], tf[RKI_SHOWN_CHARS],
        words[400];
    rk_diag why = {RK_OK, ""};
    rk_form_values v;
    size_t used;

    if (rk_settings_to_form(settings, form, &v, &why) != RK_OK) {
        rki_row_note(r, "%s", why.text);
        return;
    }
    rki_kc_unit(loop, unit);
    (void)rki_show_time(r, ti, v.integral);
    (void)rki_show_time(r, td, v.derivative);
    (void)rki_show_time(r, tf, v.tf);
    if (parallel) {
        (void)snprintf(ti, sizeof ti, "%.5g per s", v.integral);
        (void)snprintf(td, sizeof td, "%.5g s", v.derivative);
    }
    used = (size_t)snprintf(words, sizeof words, "%s, %s form: %s %.5g %s, %s %s",
                            rk_settings_mode(settings), rk_form_to_text(form),
                            parallel ? "kp" : "kc", v.gain, unit, parallel ? "ki" : "ti", ti);
    if (settings->td > 0) {
        (void)snprintf(words + used, sizeof words - used, ", %s %s, tf %s",
                       parallel ? "kd" : "td", td, tf);
    }
    rki_row_note(r, "%s", words);
}

static void add_values(rk_report *r, const rk_search_result *found)
{
    const rk_settings *s = &found->settings;

    rki_row_group(r, "settings", NULL, RK_LAYOUT_HIDDEN);
    rki_row_word(r, "mode", NULL, rk_settings_mode(s));
    rki_row_value(r, "kc", s->kc);
    rki_row_value(r, "ti", s->ti);
    rki_row_value(r, "td", s->td);
    rki_row_value(r, "tf", s->tf);
    rki_row_end(r);
    rki_row_value(r, "cost", found->cost);
    rki_row_count(r, "tried", NULL, found->tried);
    rki_row_yes_no(r, "met", NULL, found->met);
    rki_row_yes_no(r, "stopped", NULL, found->stopped);
    rki_row_word(r, "limiting_requirement", NULL,
                 found->met ? NULL : rk_require_to_text(found->limiting));
}

static void add_metrics(rk_report *r, const rk_performance *m, const rk_margins *continuous)
{
    rki_row_group(r, "metrics", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "gain_margin", m->margins.gain_margin);
    rki_row_value(r, "phase_margin_deg", m->margins.phase_margin);
    rki_row_value(r, "ms", m->margins.ms);
    rki_row_value(r, "ms_continuous", continuous->ms);
    rki_row_value(r, "overshoot_percent", m->overshoot);
    rki_row_value(r, "settling_time", m->settling);
    rki_row_value(r, "load_iae", m->load_iae);
    rki_row_value(r, "load_peak", m->peak);
    rki_row_value(r, "travel", m->travel);
    rki_row_end(r);
}

static void add_head(rk_report *r, const rk_search_results *results)
{
    const rk_search_result *found = results->found;

    rki_row_yes_no(r, "integral_idle", NULL, found->idle);
    if (!found->met) {
        rki_row_verdict(r, false, "NOT MET",
                        ": closest settings found; limiting requirement: %s",
                        rk_require_to_text(found->limiting));
    } else {
        rki_row_verdict(
            r, true, "MET", ": all requirements met, with the lowest %s",
            results->plan->cost == RK_COST_MS ? "Ms" : rk_cost_to_text(results->plan->cost));
    }
}

/* A setpoint alone is reached by an integrating process without an integral. */
static void say_idle(rk_report *r, const rk_search_results *results)
{
    if (!results->found->idle) return;
    rki_row_note(
        r, "This cost wants no integral action: ti is at the end of what is searched. "
           "Take --mode P or PD, which leave an error under a steady load, or a cost that "
           "counts a load too.");
}

/* Which models the figures stand for. */
static void say_over(rk_report *r, const rk_model_set *set, double model_error)
{

    if (set == NULL) return;
    if (isnan(model_error)) {
        rki_row_say(r, "Figures: the %s over %zu models of the model's 95 %% region",
                    rk_over_to_text(set->over), set->count);
    } else {
        rki_row_say(r, "Figures: the %s over %zu models with each number wrong by %s%.3g %%",
                    rk_over_to_text(set->over), set->count,
                    set->over == RK_OVER_WORST ? "" : "up to ", model_error);
    }
}

/* Without integral action an offset stays. */
static void say_offset(rk_report *r, const rk_search_results *results)
{
    const rk_verdict *v = &results->found->verdict;

    if (!isinf(results->found->settings.ti) || !v->asked[RK_REQUIRE_STEADY_ERROR] ||
        v->line_met[RK_REQUIRE_STEADY_ERROR]) {
        return;
    }
    rki_row_note(r,
                 "%s alone leaves an offset: integral action takes it away. Take --mode PI%s.",
                 rk_settings_mode(&results->found->settings),
                 results->found->settings.td > 0 ? "D" : "");
}

/* What the settings do on the model itself, "-" where there is no figure. */
static void say_measures(rk_report *r, const rk_design *loop, const rk_search_results *results)
{
    const rk_performance *m = &results->found->measures;
    const double sp = fabs(results->plan->sp_step), load = fabs(results->plan->load_step);
    char overshoot[RKI_SHOWN_CHARS], travel[RKI_SHOWN_CHARS], iae[RKI_SHOWN_CHARS],
        peak[RKI_SHOWN_CHARS];

    rki_row_gap(r);
    rki_row_note(r, "Setpoint step: overshoot %s %%, OUT travel %s %s (OUT unlimited)",
                 rki_show(overshoot, m->overshoot, 3), rki_show(travel, m->travel * sp, 4),
                 loop->out_units);
    if (!isnan(loop->ts) && results->found->continuous.stable) {
        const rk_margins *c = &results->found->continuous;

        rki_row_note(r,
                     "Continuous, without the scan: gain margin %.4g, phase margin %.4g deg, "
                     "Ms %.4g",
                     c->gain_margin, c->phase_margin, c->ms);
    }
    rki_row_note(r, "Load step: IAE %s %s s, peak %s %s", rki_show(iae, m->load_iae * load, 4),
                 loop->pv_units, rki_show(peak, m->peak * load, 4), loop->pv_units);
    if (results->at_edge) {
        rki_row_note(r, "CAUTION: the best point lies at the edge of the grid: widen it.");
    }
    say_idle(r, results);
    say_offset(r, results);
    rki_row_note(r, "%zu settings tried%s", results->found->tried,
                 results->found->stopped ? "; stopped: the best so far" : "");
}

static void say_without(rk_report *r, const rk_design *loop, const rk_search_results *results)
{
    const rk_search_result *without = results->without;
    const rk_require limiting = results->found->limiting;
    char is[RKI_SHOWN_CHARS], limit[RKI_SHOWN_CHARS];

    if (without == NULL) return;
    rki_row_gap(r);
    rki_row_say(r, "Without %s %s:", rk_require_to_text(limiting),
                without->met ? "all other requirements are met" : "others are still not met");
    say_settings(r, loop, &without->settings, results->form);
    rki_row_note(r, "%s is then %s instead of %s", rk_require_to_text(limiting),
                 rki_show_requirement(r, loop, limiting, without->verdict.figure[limiting], is),
                 rki_show_requirement(r, loop, limiting,
                                      results->plan->requirements.limit[limiting], limit));
}

/* On which process, and what its figures are judged under. */
static void say_what_is_searched(rk_report *r, const rk_design *loop,
                                 const rk_search_plan *plan, double model_error)
{
    char process[RKI_PROCESS_CHARS];

    rki_process_words(r, loop, process);
    rki_row_say(r, "Process: %s", process);
    rki_reduction(r, loop);
    rki_judged(r, loop);
    rki_conditions(r, loop, &plan->requirements);
    say_over(r, plan->set, model_error);
}

rk_status rk_report_add_search(rk_report *report, const rk_design *loop,
                               const rk_search_results *results)
{
    rk_report *r = report;

    if (loop == NULL || results == NULL || results->found == NULL || results->plan == NULL) {
        return RK_ERR_ARG;
    }
    add_head(r, results);
    say_what_is_searched(r, loop, results->plan, results->model_error);
    add_values(r, results->found);
    rki_row_gap(r);
    say_settings(r, loop, &results->found->settings, results->form);
    rki_row_gap(r);
    rki_requirements(r, loop, &results->plan->requirements, &results->found->verdict, NULL);
    rki_row_value(r, "sp_step", results->plan->requirements.sp_step);
    rki_row_value(r, "load_step", results->plan->requirements.load_step);
    add_metrics(r, &results->found->measures, &results->found->continuous);
    say_measures(r, loop, results);
    say_without(r, loop, results);
    return RK_OK;
}

static void add_weight(rk_report *r, const rk_design *loop, const rk_tradeoff_results *results,
                       size_t at)
{
    const rk_search_result *f = &results->found[at];
    char kc[RKI_UNIT_CHARS], cost[RK_GAIN_UNIT_CHARS], effort[RK_GAIN_UNIT_CHARS];

    rki_kc_unit(loop, kc);
    rk_cost_unit(results->plan, loop, cost);
    rk_effort_unit(results->plan, loop, effort);
    rki_row_group(r, NULL, NULL, RK_LAYOUT_ROW);
    rki_row_number(r, "weight", "weight", results->weight[at], "", 4);
    rki_row_number(r, "kc", "kc", f->settings.kc, kc, 4);
    rki_row_time(r, "ti", "ti", f->settings.ti);
    if (strchr(results->plan->mode, 'D') != NULL || strchr(results->plan->mode, 'd') != NULL) {
        rki_row_time(r, "td", "td", f->settings.td);
    }
    rki_row_value(r, "tf", f->settings.tf);
    rki_row_number(r, "error", rk_cost_to_text(results->plan->cost), f->error, cost, 4);
    rki_row_number(r, "effort", "effort", f->effort, effort, 4);
    rki_row_number(r, "ms", "Ms", f->measures.margins.ms, "", 3);
    rki_row_value(r, "cost", f->cost);
    rki_row_count(r, "tried", NULL, f->tried);
    rki_row_yes_no(r, "met", NULL, f->met);
    rki_row_words(r, NULL, "requirements", "%s%s",
                  f->met ? "met" : "NOT MET: ", f->met ? "" : rk_require_to_text(f->limiting));
    rki_row_end(r);
}

rk_status rk_report_add_tradeoff(rk_report *report, const rk_design *loop,
                                 const rk_tradeoff_results *results)
{
    rk_report *r = report;
    size_t met = 0, i;

    if (loop == NULL || results == NULL || results->weight == NULL || results->found == NULL ||
        results->plan == NULL) {
        return RK_ERR_ARG;
    }
    for (i = 0; i < results->count; i++) {
        met += results->found[i].met;
    }
    rki_row_yes_no(r, "met", NULL, met == results->count);
    rki_row_verdict(r, met == results->count, met == results->count ? "MET" : "NOT MET",
                    ": all requirements, with %zu of %zu weights of the effort", met,
                    results->count);
    say_what_is_searched(r, loop, results->plan, results->model_error);
    rki_row_gap(r);
    rki_row_list(r, "weights");
    for (i = 0; i < results->count; i++) {
        add_weight(r, loop, results, i);
    }
    rki_row_end(r);
    rki_row_gap(r);
    rki_row_note(r,
                 "Made small: the cost plus the weight times the effort, as %s. More weight is "
                 "a calmer OUT and a larger error.",
                 rk_effort_to_text(results->plan->effort));
    return RK_OK;
}
