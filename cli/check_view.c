/* SPDX-License-Identifier: MIT */
#include "check_view.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include "show.h"

/* kc from 0 to where the loop ends, a mark where it stands and where each line is reached. */
enum { BAR = 64 };

static void mark(char bar[BAR + 2], double kc, double end, char c)
{
    const double place = kc / end * BAR;

    if (place >= 0 && place <= BAR + 0.5) {
        bar[(int)(place + 0.5)] = c;
    }
}

/* The far end of the bar: where the loop ends, or a little beyond the last mark. */
static double bar_end(const check_job *c)
{
    const rk_gain_limits *g = &c->check.gain;
    const double kc = c->j.loop.settings.kc;
    double end = g->on_off;
    int i;

    for (i = 0; i < RK_REQUIRE_COUNT && isnan(g->on_off); i++) {
        if (!isnan(g->at[i]) && !(fabs(end) > fabs(g->at[i]))) {
            end = 1.1 * g->at[i];
        }
    }
    return fabs(kc) > fabs(end) ? 1.05 * kc : end;
}

static void print_bar(const check_job *c)
{
    const rk_check *k = &c->check;
    const rk_gain_limits *g = &k->gain;
    const double kc = c->j.loop.settings.kc, end = bar_end(c);
    char bar[BAR + 2], limit[SHOWN_CHARS], legend[RK_REQUIRE_COUNT][2 * SHOWN_CHARS];
    int i, marks = 0;

    if (isnan(end)) return;
    memset(bar, '-', BAR + 1);
    bar[BAR + 1] = '\0';
    mark(bar, g->on_off, end, '!');
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (isnan(g->at[i])) continue;
        mark(bar, g->at[i], end, (char)('a' + marks));
        show_requirement(limit, &c->j.loop, (rk_require)i, k->requirements.limit[i],
                         c->j.minutes);
        (void)snprintf(legend[marks], sizeof legend[marks], "%c %s %s at %.4g", 'a' + marks,
                       rk_require_to_text((rk_require)i), limit, g->at[i]);
        marks++;
    }
    mark(bar, kc, end, '#');
    (void)printf("\n  kc 0 |%s| %.4g\n       # where it stands, %.4g", bar, end, kc);
    for (i = 0; i < marks; i++) {
        (void)printf("%s%s", i % 2 == 0 ? "\n       " : ";  ", legend[i]);
    }
    if (!isnan(g->on_off)) {
        (void)printf("\n       ! on/off from %.4g: %s", g->on_off,
                     g->by_noise ? "PV's noise alone fills OUT's range"
                                 : "unstable, OUT swings until the limits stop it");
    }
    (void)printf("\n");
}

static void print_gain_limits(const check_job *c)
{
    const job *j = &c->j;
    const rk_margins *m = &c->check.margins;
    char low[SHOWN_CHARS], high[SHOWN_CHARS], gain[SHOWN_CHARS], period[SHOWN_CHARS];

    if (m->kc_range_exists) {
        show_number(low, m->kc_stable[0], 4);
        show_number(high, m->kc_stable[1], 4);
        if (isinf(m->kc_stable[0])) {
            (void)snprintf(low, sizeof low, "any below");
        }
        if (isinf(m->kc_stable[1])) {
            (void)snprintf(high, sizeof high, "any above");
        }
        (void)printf("\n  kc is %.4g %s/%s; the loop is stable from %s to %s\n",
                     j->loop.settings.kc, j->loop.out_units, j->loop.pv_units, low, high);
    } else {
        (void)printf("\n  no kc makes the loop stable with these times\n");
    }
    print_bar(c);
    show_number(gain, m->ultimate_gain, 4);
    show_time(period, m->ultimate_period, j->minutes);
    if (isfinite(m->ultimate_gain)) {
        (void)printf(
            "  the process alone oscillates at a P-only gain of %s %s/%s, with a period "
            "of %s\n",
            gain, j->loop.out_units, j->loop.pv_units, period);
    } else {
        (void)printf("  the process alone never oscillates: the model has no dead time\n");
    }
}

/* Continuous, as it is scanned, and at its worst: a line each margin. */
static void print_margins(const check_job *c)
{
    enum { COLUMNS = 6, LINES = 7 };
    const rk_check *k = &c->check;
    const rk_margins *m = &k->margins, *s = &k->sampled;
    const rk_worst *r = &k->region, *b = &k->box;
    const double none = nan("");
    const struct {
        const char *name;
        rk_require unit;
        double figure[COLUMNS - 2];
    } lines[LINES - 1] = {
        {"gain margin",
         RK_REQUIRE_GAIN_MARGIN,
         {m->gain_margin, s->gain_margin, r->gain_margin, b->gain_margin}},
        {"phase margin",
         RK_REQUIRE_PHASE_MARGIN,
         {m->phase_margin, s->phase_margin, r->phase_margin, b->phase_margin}},
        {"delay margin",
         RK_REQUIRE_DELAY_MARGIN,
         {m->delay_margin, s->delay_margin, r->delay_margin, b->delay_margin}},
        {"Ms", RK_REQUIRE_MS, {m->ms, s->ms, r->ms, b->ms}},
        {"Mt", RK_REQUIRE_MS, {m->mt, s->mt, none, none}},
        {"bandwidth, rad/s", RK_REQUIRE_MS, {m->bandwidth, none, none, none}},
    };
    const bool shown[COLUMNS - 2] = {true, k->has_sampled, k->has_region, k->has_box};
    const bool stable[COLUMNS - 2] = {m->stable, s->stable, r->stable, b->stable};
    char cells[LINES * COLUMNS][SHOWN_CHARS], scan[SHOWN_CHARS];
    size_t columns = 1, line, i;

    show_time(scan, c->j.loop.ts, c->j.minutes);
    for (i = 0; i < COLUMNS - 2; i++) {
        columns += shown[i] ? 1 : 0;
    }
    cells[0][0] = '\0';
    for (line = 0; line < LINES; line++) {
        size_t at = (line * columns) + 1;

        if (line > 0) {
            (void)snprintf(cells[line * columns], SHOWN_CHARS, "%s", lines[line - 1].name);
        }
        for (i = 0; i < COLUMNS - 2; i++) {
            if (!shown[i]) continue;
            if (line > 0) {
                show_requirement(cells[at], &c->j.loop, lines[line - 1].unit,
                                 lines[line - 1].figure[i], c->j.minutes);
            } else if (i == 1) {
                (void)snprintf(cells[at], SHOWN_CHARS, "scan %.30s%s", scan,
                               stable[i] ? "" : " UNSTABLE");
            } else if (i == 3) {
                (void)snprintf(cells[at], SHOWN_CHARS, "%.3g %% wrong%s",
                               100.0 * c->plan.model_error, stable[i] ? "" : " UNSTABLE");
            } else {
                (void)snprintf(cells[at], SHOWN_CHARS, "%s%s",
                               i == 0 ? "continuous" : "95 % region",
                               stable[i] ? "" : " UNSTABLE");
            }
            at++;
        }
    }
    (void)printf("\n");
    show_table(cells, LINES, columns, 1);
}

/* "gain +20 %, dead time -20 %": how a model differs from the loop's. */
static void describe_corner(const check_job *c, const rk_model *corner, char *text, size_t room)
{
    const rk_model *m = &c->j.loop.model;
    const struct {
        const char *name;
        double is, was;
    } numbers[] = {{"gain", corner->gain, m->gain},
                   {"time constant", corner->time_constant[0], m->time_constant[0]},
                   {"2nd time constant", corner->time_constant[1], m->time_constant[1]},
                   {"damping", corner->damping, m->damping},
                   {"dead time", corner->dead_time, m->dead_time}};
    size_t used = 0, i;

    text[0] = '\0';
    for (i = 0; i < sizeof numbers / sizeof numbers[0]; i++) {
        if (numbers[i].was == 0 || used >= room) continue;
        used +=
            (size_t)snprintf(text + used, room - used, "%s%s %+.3g %%", used > 0 ? ", " : "",
                             numbers[i].name, 100.0 * ((numbers[i].is / numbers[i].was) - 1.0));
    }
}

static void print_models(const check_job *c)
{
    const rk_check *k = &c->check;
    char corner[200];

    if (k->has_region) {
        describe_corner(c, &k->region.corner, corner, sizeof corner);
        (void)printf("  95 %% region of the fit, worst at: %s\n", corner);
    }
    if (k->has_box) {
        describe_corner(c, &k->box.corner, corner, sizeof corner);
        (void)printf("  each number wrong by %.3g %%, worst at: %s\n",
                     100.0 * c->plan.model_error, corner);
        (void)printf("  stable with all numbers wrong by up to %.3g %% at once\n",
                     100.0 * k->survived);
    }
}

static void print_sampling(const check_job *c)
{
    const rk_check *k = &c->check;
    char slowest[SHOWN_CHARS], scan[SHOWN_CHARS];

    if (!k->has_sampled) return;
    show_time(scan, c->j.loop.ts, c->j.minutes);
    show_time(slowest, k->slowest_scan, c->j.minutes);
    if (isnan(k->slowest_scan)) {
        (void)printf("  no scan keeps the margins that the continuous loop has");
    } else {
        (void)printf("  scans of up to %s keep the margins asked%s", slowest,
                     k->verdict.met ? "" : " that the continuous loop has");
    }
    (void)printf(
        "; delay %.3g scans;\n  nothing above %.3g Hz, half the sampling frequency, can "
        "be told from what is below it\n",
        c->plan.delay_scans, 0.5 / c->j.loop.ts);
    if (isfinite(k->stall_error)) {
        (void)printf("  in single precision the integral stalls at errors below %.2g %s\n",
                     k->stall_error, c->j.loop.pv_units);
    }
}

static void print_valve(const check_job *c)
{
    const rk_check *k = &c->check;
    const rk_design *d = &c->j.loop;
    size_t i;

    if (!k->has_operating) return;
    (void)printf("\nThe valve: OUT %.4g %s holds %.5g %s", k->start.out, d->out_units,
                 d->model.pv0, d->pv_units);
    if (isfinite(k->start.pv_low)) {
        (void)printf("; its limits reach %.5g to %.5g %s", k->start.pv_low, k->start.pv_high,
                     d->pv_units);
    }
    (void)printf("\n  headroom for a load: %.4g %s down, %.4g %s up\n", k->start.room_down,
                 d->out_units, k->start.room_up, d->out_units);
    for (i = 0; i < c->plan.setpoints; i++) {
        (void)printf("  setpoint %.5g %s: OUT %.4g %s, %s\n", c->plan.setpoint[i], d->pv_units,
                     k->held[i].out, d->out_units,
                     k->held[i].holds ? "within the limits" : "CANNOT BE HELD");
    }
}

static void windup_row(char (*row)[SHOWN_CHARS], const char *name, const rk_windup_run *r,
                       bool minutes)
{
    (void)snprintf(row[0], SHOWN_CHARS, "%s", name);
    (void)snprintf(row[1], SHOWN_CHARS, "%.3g %%", r->overshoot);
    show_time(row[2], r->stuck, minutes);
    show_time(row[3], r->settling, minutes);
}

static void print_windup(const check_job *c)
{
    enum { COLUMNS = 4, ROWS = 8 };
    const rk_windup *w = &c->check.windup;
    const bool minutes = c->j.minutes;
    char cells[ROWS * COLUMNS][SHOWN_CHARS], name[SHOWN_CHARS], time[SHOWN_CHARS];
    size_t rows = 0;
    int way;

    if (!c->check.has_windup) return;
    (void)printf("\nA setpoint step of %.4g %s", w->sp_step, c->j.loop.pv_units);
    if (!w->saturates) {
        (void)printf(", most of the valve's range, meets no limit: nothing can wind up\n");
        return;
    }
    (void)printf(" meets the valve's limits:\n\n");
    (void)snprintf(cells[0], SHOWN_CHARS, "anti-windup");
    (void)snprintf(cells[1], SHOWN_CHARS, "overshoot");
    (void)snprintf(cells[2], SHOWN_CHARS, "saturated");
    (void)snprintf(cells[3], SHOWN_CHARS, "settling");
    windup_row(cells + (++rows * COLUMNS), "(no limits)", &w->ideal, minutes);
    for (way = 0; way < 3; way++) {
        (void)snprintf(name, sizeof name, "%s%s", rk_anti_windup_to_text((rk_anti_windup)way),
                       way == (int)c->j.loop.settings.anti_windup ? ", as set" : "");
        windup_row(cells + (++rows * COLUMNS), name, &w->ways[way], minutes);
    }
    if (!isnan(w->best_tt)) {
        show_time(time, w->best_tt, minutes);
        (void)snprintf(name, sizeof name, "tracking time %.30s", time);
        windup_row(cells + (++rows * COLUMNS), name, &w->best, minutes);
    }
    if (!isnan(w->ramp_time)) {
        show_time(time, w->ramp_time, minutes);
        (void)snprintf(name, sizeof name, "setpoint ramp of %.28s", time);
        windup_row(cells + (++rows * COLUMNS), name, &w->ramp, minutes);
    }
    show_table(cells, rows + 1, COLUMNS, 1);
}

/* One change that mends all there is: then it is said once. */
static const rk_remedy *remedy_for_all(const check_job *c, int *missed)
{
    const rk_check *k = &c->check;
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

static void print_remedy(const check_job *c, const char *what, const rk_remedy *m)
{
    const rk_settings *s = &c->j.loop.settings;
    const double now = m->by_kc ? s->kc : s->ti;
    char value[SHOWN_CHARS], from[SHOWN_CHARS];

    if (!m->by_kc && !m->by_ti) {
        (void)printf("  %s: no change of kc or ti alone meets it: search for other settings\n",
                     what);
        return;
    }
    show_number(value, m->value, 4);
    show_number(from, now, 4);
    if (m->by_ti) {
        show_time(value, m->value, c->j.minutes);
        show_time(from, now, c->j.minutes);
    }
    (void)printf("  remedy for %s: a %s of %s instead of %s (%+.3g %%)%s\n", what,
                 m->by_kc ? "kc" : "ti", value, from, 100.0 * (fabs(m->value / now) - 1.0),
                 m->all ? "; all requirements are then met"
                        : "; another requirement is then not met");
}

/* The remedy for each requirement that is not met. */
static void print_remedies(const check_job *c)
{
    const rk_check *k = &c->check;
    int missed, i;
    const rk_remedy *all = remedy_for_all(c, &missed);

    if (missed == 0) return;
    (void)printf("\n");
    if (all != NULL) {
        print_remedy(c, "all of them", all);
        return;
    }
    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        if (k->verdict.asked[i] && !k->verdict.line_met[i]) {
            print_remedy(c, rk_require_to_text((rk_require)i), &k->remedies[i]);
        }
    }
}

static void print_head(const check_job *c)
{
    const job *j = &c->j;
    const rk_check *check = &c->check;
    const rk_settings *s = &j->loop.settings;
    char ti[SHOWN_CHARS], td[SHOWN_CHARS], process[200];
    size_t i, missed = 0;

    for (i = 0; i < RK_REQUIRE_COUNT; i++) {
        missed += check->verdict.asked[i] && !check->verdict.line_met[i];
    }
    show_verdict(check->verdict.met ? "MET" : "MISSED", check->verdict.met);
    if (!check->margins.stable) {
        (void)printf(": the loop is UNSTABLE; margins mean nothing\n");
    } else if (check->has_sampled && !check->sampled.stable) {
        (void)printf(": the loop is UNSTABLE at its scan\n");
    } else if (check->verdict.met) {
        (void)printf(": all requirements met\n");
    } else if (missed > 0) {
        (void)printf(": %zu of the requirements %s missed\n", missed,
                     missed == 1 ? "is" : "are");
    } else {
        (void)printf(": see the findings below\n");
    }
    show_time(ti, s->ti, j->minutes);
    show_time(td, s->td, j->minutes);
    describe_model(j, process, sizeof process);
    (void)printf("Process: %s\n", process);
    (void)printf("%s, ideal form: kc %.4g %s/%s, ti %s%s%s%s%s\n", rk_settings_mode(s), s->kc,
                 j->loop.out_units, j->loop.pv_units, ti, s->td > 0 ? ", td " : "",
                 s->td > 0 ? td : "", j->loop.rule[0] != '\0' ? "; rule " : "", j->loop.rule);
}

void print_check(const check_job *c)
{
    const job *j = &c->j;
    const rk_check *check = &c->check;

    print_head(c);
    if (check->margins.stable) {
        if (rk_requirements_need_trial(&check->requirements)) {
            show_conditions(&j->loop, &check->requirements);
        }
        (void)printf("\n");
        show_verdict_lines(&j->loop, &check->requirements, &check->verdict, false, j->minutes);
    }
    print_remedies(c);
    show_findings(&check->findings);
    if (check->margins.stable) {
        print_margins(c);
        print_models(c);
        print_sampling(c);
    }
    print_gain_limits(c);
    print_valve(c);
    print_windup(c);
}
