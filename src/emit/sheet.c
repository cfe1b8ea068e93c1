/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/version.h>

#include "controller.h"

/* Room for two units and the words between. */
enum { UNIT_CHARS = (2 * RK_UNITS_CHARS) + 16 };

/* A line of the sheet: name, number or word, unit. */
typedef struct line {
    const char *group;
    char name[48], word[64], unit[UNIT_CHARS];
    double value; /* NaN: the word counts */
} line;

enum { LINES_MOST = 64 };

typedef struct sheet {
    line list[LINES_MOST];
    size_t count;
    const char *group;
} sheet;

static void add(sheet *s, const char *name, double value, const char *unit)
{
    line *l = &s->list[s->count++];

    l->group = s->group;
    l->value = value;
    l->word[0] = '\0';
    (void)snprintf(l->name, sizeof l->name, "%s", name);
    (void)snprintf(l->unit, sizeof l->unit, "%s", unit);
}

static void add_word(sheet *s, const char *name, const char *word)
{
    add(s, name, nan(""), "");
    (void)snprintf(s->list[s->count - 1].word, sizeof s->list[0].word, "%s", word);
}

/* An integral time in all that it is asked in. */
static void add_integral(sheet *s, double ti)
{
    if (isinf(ti)) {
        add_word(s, "ti", "none: no integral action");
        return;
    }
    add(s, "ti", ti, "s");
    add(s, "ti", ti / 60.0, "min");
    add(s, "integral action", 60.0 / ti, "repeats per minute");
}

static void add_derivative(sheet *s, double td, double tf)
{
    if (!(td > 0)) return;
    add(s, "td", td, "s");
    add(s, "td", td / 60.0, "min");
    add(s, "tf", tf, "s");
    if (tf > 0) {
        add(s, "td / tf", td / tf, "");
    }
}

/* A gain in units, in percent of span, and as a proportional band. */
static void add_gain(sheet *s, const rk_design *loop, const char *name, double gain)
{
    char unit[UNIT_CHARS];

    (void)snprintf(unit, sizeof unit, "%s per %s", loop->out_units, loop->pv_units);
    add(s, name, gain, unit);
    if (isnan(loop->pv_low)) return;
    {
        const double percent = rk_design_kc_pct(loop, gain);

        add(s, name, percent, "% of OUT's span per % of PV's");
        add(s, "proportional band", 100.0 / fabs(percent), "% of PV's span");
    }
}

static void add_forms(sheet *s, const rk_design *loop)
{
    const rk_settings *set = &loop->settings;
    rk_diag why = {RK_OK, ""};
    rk_form_values v;

    s->group = "Ideal form, kc (1 + 1/(ti s) + td s/(1 + tf s))";
    add_gain(s, loop, "kc", set->kc);
    add_integral(s, set->ti);
    add_derivative(s, set->td, set->tf);
    s->group = "Series form, kc (1 + 1/(ti s)) (1 + td s)/(1 + tf s)";
    if (rk_settings_to_form(set, RK_FORM_SERIES, &v, &why) == RK_OK) {
        add_gain(s, loop, "kc", v.gain);
        add_integral(s, v.integral);
        add_derivative(s, v.derivative, v.tf);
    } else {
        add_word(s, "none", "these settings have no series form");
    }
    s->group = "Parallel form, kp + ki/s + kd s/(1 + tf s)";
    if (rk_settings_to_form(set, RK_FORM_PARALLEL, &v, NULL) == RK_OK) {
        char unit[UNIT_CHARS];

        add_gain(s, loop, "kp", v.gain);
        (void)snprintf(unit, sizeof unit, "%s per %s and s", loop->out_units, loop->pv_units);
        add(s, "ki", v.integral, unit);
        (void)snprintf(unit, sizeof unit, "%s s per %s", loop->out_units, loop->pv_units);
        if (set->td > 0) {
            add(s, "kd", v.derivative, unit);
            add(s, "tf", v.tf, "s");
        }
    }
}

static void add_rest(sheet *s, const rki_controller *c)
{
    const rk_design *loop = c->loop;
    const rk_settings *set = &loop->settings;

    s->group = "Loop";
    add(s, "scan", loop->ts, "s");
    add_word(s, "action",
             set->kc < 0 ? "direct: OUT rises with PV"
                         : "reverse: OUT falls as PV "
                           "rises");
    if (!isnan(loop->pv_low)) {
        add(s, "PV low", loop->pv_low, loop->pv_units);
        add(s, "PV high", loop->pv_high, loop->pv_units);
    }
    add(s, "OUT low", loop->out_low, loop->out_units);
    add(s, "OUT high", loop->out_high, loop->out_units);
    if (isfinite(loop->out_rate)) {
        char unit[UNIT_CHARS];

        (void)snprintf(unit, sizeof unit, "%s per s", loop->out_units);
        add(s, "OUT rate", loop->out_rate, unit);
    }
    add(s, "setpoint weight of P", set->sp_weight, "");
    if (set->td > 0) {
        add(s, "setpoint weight of D", 0.0, "");
    }
    if (set->pv_filter > 0) {
        add(s, "PV filter", set->pv_filter, "s");
    }
    add_word(s, "anti-windup", rk_anti_windup_to_text(set->anti_windup));
    if (set->anti_windup == RK_ANTI_WINDUP_BACK_CALCULATION && isfinite(set->ti)) {
        add(s, "tracking time", c->params.tt, "s");
    }
}

static rk_status make(const rk_design *loop, rki_controller *c, sheet *s, rk_diag *diag)
{
    const rk_status status = rki_controller_make(loop, RK_NUMBER_LREAL, c, diag);

    if (status != RK_OK) return status;
    memset(s, 0, sizeof *s);
    add_rest(s, c);
    add_forms(s, loop);
    return RK_OK;
}

rk_status rk_emit_sheet(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    rk_diag_clear(diag);
    return rk_emit_sheet_proven(loop, NULL, 0, text, diag);
}

rk_status rk_emit_sheet_proven(const rk_design *loop, const char *const *proof, int lines,
                               rk_text *text, rk_diag *diag)
{
    rki_controller c;
    sheet s;
    size_t i;
    rk_status status = make(loop, &c, &s, diag);

    if (status != RK_OK) return status;
    status = rki_add_provenance(text, &c, "", diag);
    if (status != RK_OK) return status;
    for (i = 0; i < s.count; i++) {
        const line *l = &s.list[i];

        if (i == 0 || l->group != s.list[i - 1].group) {
            rk_text_add(text, "\n%s\n", l->group);
        }
        if (isnan(l->value)) {
            rk_text_add(text, "  %-22s %s\n", l->name, l->word);
        } else {
            rk_text_add(text, l->unit[0] != '\0' ? "  %-22s %-12.7g %s\n" : "  %-22s %.7g%s\n",
                        l->name, l->value, l->unit);
        }
    }
    for (i = 0; i < (size_t)lines; i++) {
        rk_text_add(text, "%s  %s\n", i == 0 ? "\nProof of the program text\n" : "", proof[i]);
    }
    return rk_text_check(text, diag);
}

/* The next cell of a line. */
static void add_cell(rk_text *text, const char *words)
{
    rk_text_add(text, ",");
    rk_text_add_csv(text, words);
}

rk_status rk_emit_sheet_csv(const rk_design *loop, rk_text *text, rk_diag *diag)
{
    rk_diag_clear(diag);
    return rk_emit_sheet_csv_proven(loop, NULL, 0, text, diag);
}

rk_status rk_emit_sheet_csv_proven(const rk_design *loop, const char *const *proof, int lines,
                                   rk_text *text, rk_diag *diag)
{
    rki_controller c;
    sheet s;
    size_t i;
    const rk_status status = make(loop, &c, &s, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "group,name,value,unit\r\n");
    for (i = 0; i < s.count; i++) {
        const line *l = &s.list[i];

        rk_text_add_csv(text, l->group);
        add_cell(text, l->name);
        if (isnan(l->value)) {
            add_cell(text, l->word);
        } else {
            rk_text_add(text, ",");
            rk_text_add_real(text, l->value);
        }
        add_cell(text, l->unit);
        rk_text_add(text, "\r\n");
    }
    for (i = 0; i < (size_t)lines; i++) {
        rk_text_add(text, "proof,");
        rk_text_add(text, "%zu", i + 1);
        add_cell(text, proof[i]);
        rk_text_add(text, ",\r\n");
    }
    return rk_text_check(text, diag);
}

/* How the output comes of its parts. */
static void add_sums(rk_text *text, const rki_controller *c)
{
    rk_text_add(text, "  inc  = ki_ts (sp - %s)%s\n", c->pv,
                c->last ? " + ki_last (the same a scan ago)" : "");
    if (c->velocity) {
        rk_text_add(text, "  v    = out + (p - p_last) + inc%s\n",
                    c->derivative ? " + (d - d_last)" : "");
    } else {
        rk_text_add(text, "  v    = p + (i + inc)%s\n", c->derivative ? " + d" : "");
    }
    if (c->conditional) {
        rk_text_add(text,
                    "  v above out_hi and inc > 0, or below out_lo and inc < 0:  inc = 0, v "
                    "again\n");
    }
    rk_text_add(text, "  out  = v within out_lo .. out_hi%s\n%s",
                c->rate ? ", and within out_step of the last out" : "",
                c->velocity ? "\n" : "  i    = i + inc + kt_ts (out - v)\n\n");
}

/* The same equations that the texts compute, with their coefficients. */
rk_status rk_emit_equations(const rk_design *loop, rk_number number, rk_text *text,
                            rk_diag *diag)
{
    rki_constant list[RKI_CONSTANTS_MAX];
    rki_controller c;
    int count, i;
    const rk_status status = rki_controller_make(loop, number, &c, diag);

    if (status != RK_OK) return status;
    count = rki_controller_constants(&c, list);
    rk_text_add(text, "Each scan of %.6g s:\n\n", loop->ts);
    if (c.filter) {
        rk_text_add(text, "  seen = seen + pv_part (pv - seen)\n");
    }
    rk_text_add(text, "  p    = kc (p_weight sp - %s)\n", c.pv);
    if (c.derivative) {
        rk_text_add(text, "  d    = ad d + kd (g - g_last),   g = d_weight sp - %s\n", c.pv);
    }
    add_sums(text, &c);
    for (i = 0; i < count; i++) {
        char chars[RK_REAL_CHARS];

        rki_format(list[i].value, number, chars);
        rk_text_add(text, "  %-8s = %-24s %s\n", list[i].name, chars, list[i].comment);
    }
    return rk_text_check(text, diag);
}
