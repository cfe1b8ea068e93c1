/* SPDX-License-Identifier: MIT */
#include "parts.h"

#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

void rki_kc_unit(const rk_design *loop, char unit[RKI_UNIT_CHARS])
{
    const bool out = strchr(loop->out_units, '/') != NULL,
               pv = strchr(loop->pv_units, '/') != NULL;

    (void)snprintf(unit, RKI_UNIT_CHARS, "%s%.28s%s/%s%.28s%s", out ? "(" : "", loop->out_units,
                   out ? ")" : "", pv ? "(" : "", loop->pv_units, pv ? ")" : "");
}

void rki_model(rk_report *r, const char *key, const rk_model *m)
{
    const double none = nan("");
    int i;

    if (m == NULL) {
        rki_row_word(r, key, NULL, NULL);
        return;
    }
    rki_row_group(r, key, NULL, RK_LAYOUT_HIDDEN);
    rki_row_word(r, "kind", NULL, rk_model_kind_to_text(m->kind));
    rki_row_value(r, "gain", m->gain);
    rki_row_list(r, "time_constant");
    for (i = 0; i < rk_model_kind_times(m->kind); i++) {
        rki_row_value(r, NULL, m->time_constant[i]);
    }
    rki_row_end(r);
    rki_row_value(r, "damping", m->kind == RK_MODEL_SOPDT_OSC ? m->damping : none);
    rki_row_value(r, "dead_time", m->dead_time);
    rki_row_value(r, "out0", m->out0);
    rki_row_value(r, "pv0", m->pv0);
    rki_row_end(r);
}

static size_t add_words(char *words, size_t used, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

static size_t add_words(char *words, size_t used, const char *format, ...)
{
    va_list args;
    int more;

    va_start(args, format);
    more = vsnprintf(words + used, RKI_PROCESS_CHARS - used, format, args);
    va_end(args);
    return more < 0 || used + (size_t)more >= RKI_PROCESS_CHARS ? RKI_PROCESS_CHARS - 1
                                                                : used + (size_t)more;
}

static size_t model_words(const rk_report *r, const rk_model *m, char *words, size_t used)
{
    char time[RKI_SHOWN_CHARS];
    int i;

    for (i = 0; i < rk_model_kind_times(m->kind); i++) {
        used = add_words(words, used, "%s%s", i == 0 ? ", time constant " : " and ",
                         rki_show_time(r, time, m->time_constant[i]));
    }
    if (m->kind == RK_MODEL_SOPDT_OSC) {
        used = add_words(words, used, ", damping %.3g", m->damping);
    }
    return add_words(words, used, ", dead time %s", rki_show_time(r, time, m->dead_time));
}

/* The parts, from OUT to PV. */
static size_t parts_words(const rk_report *r, const rk_model *p, char *words, size_t used)
{
    char time[RKI_SHOWN_CHARS];
    int i;

    for (i = 0; i < p->lags; i++) {
        used =
            add_words(words, used, "%s%s", i == 0 ? (p->lags > 1 ? ", lags " : ", lag ") : ", ",
                      rki_show_time(r, time, p->lag[i]));
    }
    if (rk_model_kind_integrates(p->kind)) {
        used = add_words(words, used, ", an integrator");
    }
    if (p->inverse > 0) {
        used =
            add_words(words, used, ", inverse response %s", rki_show_time(r, time, p->inverse));
    }
    return p->dead_time > 0 || p->lags == 0
               ? add_words(words, used, ", dead time %s", rki_show_time(r, time, p->dead_time))
               : used;
}

void rki_model_words(const rk_report *r, const rk_design *loop, char words[RKI_PROCESS_CHARS])
{
    char unit[RK_GAIN_UNIT_CHARS];

    rk_design_gain_unit(loop, loop->model.kind, unit);
    (void)model_words(r, &loop->model, words,
                      add_words(words, 0, "gain %.4g %s", loop->model.gain, unit));
}

void rki_process_words(const rk_report *r, const rk_design *loop, char words[RKI_PROCESS_CHARS])
{
    const rk_model *p = rk_design_process(loop);
    char unit[RK_GAIN_UNIT_CHARS];

    if (!loop->has_process) {
        rki_model_words(r, loop, words);
        return;
    }
    rk_design_gain_unit(loop, p->kind, unit);
    (void)parts_words(r, p, words, add_words(words, 0, "gain %.4g %s", p->gain, unit));
}

void rki_reduction(rk_report *r, const rk_design *loop)
{
    const rk_model *p = &loop->process;
    char words[RKI_PROCESS_CHARS];
    int i;

    if (!loop->has_process) return;
    rki_model_words(r, loop, words);
    if (isnan(loop->reduction_percent)) {
        rki_row_say(r, "Model beside it: %s", words);
    } else {
        rki_row_say(r, "Its model: %s; its step response is off by at most %.2g %%", words,
                    loop->reduction_percent);
    }
    rki_row_group(r, "process", NULL, RK_LAYOUT_HIDDEN);
    rki_row_value(r, "gain", p->gain);
    rki_row_list(r, "lags");
    for (i = 0; i < p->lags; i++) {
        rki_row_value(r, NULL, p->lag[i]);
    }
    rki_row_end(r);
    rki_row_value(r, "inverse_response", p->inverse);
    rki_row_value(r, "dead_time", p->dead_time);
    rki_row_yes_no(r, "integrating", NULL, rk_model_kind_integrates(p->kind));
    rki_row_value(r, "reduction_percent", loop->reduction_percent);
    rki_row_end(r);
}

void rki_features_words(const rk_report *r, const rk_design *loop,
                        char words[RKI_PROCESS_CHARS])
{
    const rk_settings *s = &loop->settings;
    const struct {
        bool there;
        const char *name;
        double value;
        const char *unit, *rate;
    } all[] = {
        {rk_settings_is_on_off(s), "hysteresis", s->on_off, loop->pv_units, " to each side"},
        {s->sp_weight != 1, "setpoint weight", s->sp_weight, "", ""},
        {s->td > 0 && s->d_sp_weight != 0, "its derivative's", s->d_sp_weight, "", ""},
        {s->deadband > 0, "deadband", s->deadband, loop->pv_units, ""},
        {isfinite(s->sp_rate), "setpoint rate", s->sp_rate, loop->pv_units, " per s"},
        {isinf(s->ti) && !isnan(s->bias), "bias", s->bias, loop->out_units, ""},
    };
    char time[RKI_SHOWN_CHARS];
    size_t used = 0, i;

    words[0] = '\0';
    for (i = 0; i < sizeof all / sizeof all[0]; i++) {
        if (!all[i].there) continue;
        used += (size_t)snprintf(words + used, RKI_PROCESS_CHARS - used, "%s%s %.4g%s%s%s",
                                 used > 0 ? ", " : "", all[i].name, all[i].value,
                                 all[i].unit[0] != '\0' ? " " : "", all[i].unit, all[i].rate);
    }
    if (s->pv_filter > 0) {
        used += (size_t)snprintf(words + used, RKI_PROCESS_CHARS - used, "%sPV filter %s",
                                 used > 0 ? ", " : "", rki_show_time(r, time, s->pv_filter));
    }
    if (s->predictor) {
        (void)snprintf(words + used, RKI_PROCESS_CHARS - used, "%spredictor",
                       used > 0 ? ", " : "");
    }
}

void rki_level(rk_report *r, rk_level worst, const char *format, ...)
{
    static const char *const verdicts[] = {"GOOD", "USABLE, with care", "UNFIT"};
    char words[400];
    va_list args;

    va_start(args, format);
    (void)vsnprintf(words, sizeof words, format, args);
    va_end(args);
    rki_row_verdict(r, worst != RK_LEVEL_UNFIT, verdicts[worst], "%s", words);
}

void rki_reason(rk_report *r, const rk_findings *findings)
{
    size_t i;

    for (i = 0; i < findings->count; i++) {
        if (findings->list[i].level != RK_LEVEL_UNFIT) continue;
        rki_row_say(r, "%s", findings->list[i].what);
        return;
    }
}

void rki_findings(rk_report *r, const rk_findings *findings)
{
    size_t i;

    rki_row_list(r, "findings");
    for (i = 0; i < findings->count; i++) {
        const rk_finding *f = &findings->list[i];

        rki_row_group(r, NULL, NULL, RK_LAYOUT_HIDDEN);
        rki_row_word(r, "level", NULL, rk_level_to_text(f->level));
        rki_row_word(r, "what", NULL, f->what);
        rki_row_word(r, "advice", NULL, f->advice);
        rki_row_value(r, "at_s", f->at);
        rki_row_value(r, "until_s", f->until);
        rki_row_end(r);
    }
    rki_row_end(r);
    for (i = 0; i < findings->count; i++) {
        const rk_finding *f = &findings->list[i];

        if (i == 0) {
            rki_row_gap(r);
        }
        rki_row_note(r, "%s: %s. What to do: %s.", rk_level_to_text(f->level), f->what,
                     f->advice);
    }
}

const char *rki_show_requirement(const rk_report *r, const rk_design *loop, rk_require what,
                                 double value, char shown[RKI_SHOWN_CHARS])
{
    const char *unit = rk_design_require_unit(loop, what);

    if (rk_require_quantity(what) == RK_QUANTITY_TIME) return rki_show_time(r, shown, value);
    (void)rki_show(shown, value, 4);
    if (isfinite(value) && unit[0] != '\0') {
        const size_t used = strlen(shown);

        (void)snprintf(shown + used, RKI_SHOWN_CHARS - used, " %s", unit);
    }
    return shown;
}

void rki_requirement(rk_report *r, const char *key, const char *name, const rk_design *loop,
                     rk_require what, double value)
{
    if (rk_require_quantity(what) == RK_QUANTITY_TIME) {
        rki_row_time(r, key, name, value);
    } else {
        rki_row_number(r, key, name, value, rk_design_require_unit(loop, what), 4);
    }
}

/* The remedy for a requirement; null: it is met, or no change of one setting alone does. */
static void add_remedy(rk_report *r, const rk_remedy *m)
{
    if (m == NULL || (!m->by_kc && !m->by_ti)) {
        rki_row_word(r, "remedy", NULL, NULL);
        return;
    }
    rki_row_group(r, "remedy", NULL, RK_LAYOUT_HIDDEN);
    rki_row_word(r, "setting", NULL, m->by_kc ? "kc" : "ti");
    rki_row_value(r, "value", m->value);
    rki_row_yes_no(r, "meets_all", NULL, m->all);
    rki_row_end(r);
}

void rki_requirements(rk_report *r, const rk_design *loop, const rk_requirements *requirements,
                      const rk_verdict *verdict, const rk_remedy *remedies)
{
    char limit[RKI_SHOWN_CHARS];
    int i;

    rki_row_list(r, "requirements");
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        const rk_require what = (rk_require)i;
        const char *sense = rk_require_is_least(what) ? "at least" : "at most";

        if (!verdict->asked[i]) continue;
        rki_row_group(r, NULL, NULL, RK_LAYOUT_ROW);
        rki_row_word(r, "name", "requirement", rk_require_to_text(what));
        rki_row_word(r, "sense", NULL, sense);
        rki_row_value(r, "limit", requirements->limit[i]);
        rki_requirement(r, "figure", "is", loop, what, verdict->figure[i]);
        rki_row_words(r, NULL, "asked", "%s %s%s", sense,
                      rki_show_requirement(r, loop, what, requirements->limit[i], limit),
                      requirements->by_default[i] ? " (default)" : "");
        rki_row_yes_no(r, "met", NULL, verdict->line_met[i]);
        rki_row_word(r, NULL, "verdict", verdict->line_met[i] ? "met" : "NOT MET");
        rki_row_yes_no(r, "default", NULL, requirements->by_default[i]);
        add_remedy(r, remedies != NULL ? &remedies[i] : NULL);
        rki_row_end(r);
    }
    rki_row_end(r);
}

void rki_missed_words(const rk_verdict *v, char *words, size_t room)
{
    size_t used = 0, i;

    for (i = 0; i < RK_REQUIRE_COUNT && used < room; i++) {
        if (!v->asked[i] || v->line_met[i]) continue;
        used += (size_t)snprintf(words + used, room - used, "%s%s", used > 0 ? ", " : "",
                                 rk_require_to_text((rk_require)i));
    }
}

void rki_conditions(rk_report *r, const rk_design *loop, const rk_requirements *requirements)
{
    char noise[80] = "";

    if (loop->noise > 0) {
        (void)snprintf(noise, sizeof noise, "; PV noise %.3g %s", loop->noise, loop->pv_units);
    }
    rki_row_say(r, "Conditions: setpoint step %.4g %s, load step %.4g %s%s",
                requirements->sp_step, loop->pv_units, requirements->load_step, loop->out_units,
                noise);
}

void rki_judged(rk_report *r, const rk_design *loop)
{
    char scan[RKI_SHOWN_CHARS], delay[64] = "";

    rki_row_word(r, "judged", NULL, isnan(loop->ts) ? "continuous" : "sampled");
    if (isnan(loop->ts)) {
        rki_row_say(r, "Judged in continuous time: give the scan to judge the loop as it runs");
        return;
    }
    if (loop->delay_scans > 0) {
        (void)snprintf(delay, sizeof delay, ", OUT %.3g scan%s late", loop->delay_scans,
                       loop->delay_scans == 1 ? "" : "s");
    }
    rki_row_say(r, "Judged as it is scanned: every %s%s", rki_show_time(r, scan, loop->ts),
                delay);
}
