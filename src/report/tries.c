/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>

#include "parts.h"

rk_status rk_report_add_try_verdict(rk_report *report, const rk_try *tried)
{
    const rk_try *t = tried;
    char missed[240];

    if (tried == NULL) return RK_ERR_ARG;
    if (!t->margins.stable) {
        rki_row_verdict(report, false, "NOT MET", ": the loop is UNSTABLE%s",
                        t->loop->settings.kc * t->loop->model.gain < 0
                            ? "; kc has the wrong sign for this process"
                            : "");
        return RK_OK;
    }
    rki_missed_words(&t->verdict, missed, sizeof missed);
    rki_row_verdict(report, t->verdict.met, t->verdict.met ? "MET" : "NOT MET", ": %s",
                    t->verdict.met ? "all requirements met" : missed);
    return RK_OK;
}

rk_status rk_report_add_try_requirements(rk_report *report, const rk_try *tried)
{
    if (tried == NULL) return RK_ERR_ARG;
    if (tried->margins.stable) {
        rki_requirements(report, tried->loop, &tried->asked, &tried->verdict, NULL);
    }
    return RK_OK;
}

static void add_settings(rk_report *r, const rk_design *loop)
{
    const rk_settings *s = &loop->settings;
    char unit[RKI_UNIT_CHARS];

    rki_kc_unit(loop, unit);
    rki_row_number(r, "kc", "kc", s->kc, unit, 4);
    rki_row_time(r, "ti", "ti", s->ti);
    rki_row_time(r, "td", "td", s->td);
    rki_row_number(r, "sp_weight", "setpoint weight", s->sp_weight, "", 3);
    rki_row_time(r, "scan_s", "scan", loop->ts);
    rki_row_number(r, "delay_scans", "delay, scans", loop->delay_scans, "", 3);
}

/* What the process is taken for; a model's numbers, of parts in series those that are one number. */
static void add_process(rk_report *r, const rk_try *t)
{
    const rk_model *m = t->process;
    const int times = rk_model_kind_times(m->kind);
    char unit[RK_GAIN_UNIT_CHARS];

    rk_design_gain_unit(t->loop, m->kind, unit);
    rki_row_number(r, "process_gain", "process gain", m->gain, unit, 4);
    if (times > 0) {
        rki_row_time(r, "process_time_constant", "time constant", m->time_constant[0]);
    }
    if (times > 1) {
        rki_row_time(r, "process_time_constant_2", "second time constant", m->time_constant[1]);
    }
    rki_row_time(r, "process_dead_time", "dead time", m->dead_time);
}

static void add_margins(rk_report *r, const rk_margins *m)
{
    const double none = nan("");

    rki_row_number(r, "gain_margin", "gain margin", m->stable ? m->gain_margin : none, "", 4);
    rki_row_number(r, "phase_margin_deg", "phase margin", m->stable ? m->phase_margin : none,
                   "deg", 4);
    rki_row_time(r, "delay_margin_s", "delay margin", m->stable ? m->delay_margin : none);
    rki_row_number(r, "ms", "Ms", m->stable ? m->ms : none, "", 4);
    rki_row_number(r, "kc_low", "stable from kc", m->kc_range_exists ? m->kc_stable[0] : none,
                   "", 4);
    rki_row_number(r, "kc_high", "to kc", m->kc_range_exists ? m->kc_stable[1] : none, "", 4);
}

static void add_column(rk_report *r, const rk_try *t)
{
    rki_row_group(r, NULL, t->name, RK_LAYOUT_COLUMN);
    add_settings(r, t->loop);
    add_process(r, t);
    rki_row_word(r, "verdict", "requirements", t->verdict.met ? "met" : "NOT MET");
    add_margins(r, &t->margins);
    if (t->trial != NULL) {
        rki_trial_metrics(r, t->loop, rk_trial_results(t->trial));
    }
    rki_row_end(r);
}

rk_status rk_report_add_tries(rk_report *report, const rk_try *tries, size_t count)
{
    size_t i;

    if (tries == NULL && count > 0) return RK_ERR_ARG;
    rki_row_list(report, "tries");
    for (i = 0; i < count; i++) {
        add_column(report, &tries[i]);
    }
    rki_row_end(report);
    return RK_OK;
}
