/* SPDX-License-Identifier: MIT */
/*
 * What kind of controller is a block of the user's own? It is asked: from rest a step of PV, and one of
 * the setpoint, in an open loop and so small that no limit is met. Of a step d the answer of a
 * controller with backward sums is
 *
 *   -OUT/d = kc + kc ts/ti (k + 1) + kc td/(tf + ts) (tf/(tf + ts))^k
 *
 * in scan k: its late slope is the integral, what is left of it at the start is kc, and what dies away
 * before that the derivative, or with the other sign a filter on PV. How a block sums cannot be told
 * from outside: forward sums are a kc that is larger by kc ts/ti. The numbers are then held against
 * the design's, and against what these are when they are typed in another unit or form.
 */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "parts.h"

/* Manual, automatic at rest, and the step. */
enum {
    BY_HAND = 5,
    AT_REST = 10,
    STEP_SCANS = 240,
    LATE = STEP_SCANS / 2,
    SCANS = AT_REST + STEP_SCANS
};

/* A part of a step is none below this part of the whole, and two numbers are one within that. */
#define NOTHING 1e-6
#define ALIKE 0.02

typedef struct answer {
    double y[STEP_SCANS]; /* OUT's move per step */
    double slope, start;  /* late: start + slope * k */
} answer;

/* Run a step; false: part->refused or *why says why there is no answer. */
static rk_status ask(rki_rig *rig, const rk_program *program, bool of_pv, double size,
                     rki_output *outputs, char why[RKI_REFUSED], rk_diag *diag)
{
    const rk_design *d = rig->loop;
    const double centre = d->has_model ? d->model.pv0 : 0.0;
    static const rki_input nothing = {0};
    rki_input inputs[SCANS];
    size_t done, i;

    for (i = 0; i < SCANS; i++) {
        const double step = i >= AT_REST ? size : 0.0;

        inputs[i] = nothing;
        inputs[i].start = i == 0;
        inputs[i].out_start = d->out_low + (0.5 * (d->out_high - d->out_low));
        inputs[i].manual_out = inputs[i].out_start;
        inputs[i].automatic = i >= BY_HAND;
        inputs[i].sp = centre + (of_pv ? 0.0 : step);
        inputs[i].pv = centre + (of_pv ? step : 0.0);
    }
    rig->inputs = inputs;
    rig->count = SCANS;
    return rki_run_text(rig, program, outputs, &done, why, diag);
}

/* The late half's straight line. */
static void lay_line(answer *a)
{
    const double n = LATE;
    double sum_k = 0, sum_y = 0, sum_kk = 0, sum_ky = 0;
    int k;

    for (k = LATE; k < STEP_SCANS; k++) {
        sum_k += k;
        sum_y += a->y[k];
        sum_kk += (double)k * k;
        sum_ky += k * a->y[k];
    }
    a->slope = ((n * sum_ky) - (sum_k * sum_y)) / ((n * sum_kk) - (sum_k * sum_k));
    a->start = (sum_y - (a->slope * sum_k)) / n;
}

/* A step's answer that met no limit; steps that are too large are made smaller. */
static rk_status find_answer(rki_rig *rig, const rk_program *program, bool of_pv, answer *a,
                             char why[RKI_REFUSED], rk_diag *diag)
{
    const rk_design *d = rig->loop;
    const double span = d->out_high - d->out_low;
    double size = 0.02 * span / fabs(d->settings.kc);
    rki_output outputs[SCANS] = {{0}};
    rk_status status;
    int tries, k;

    for (tries = 0; tries < 12; tries++, size /= 8.0) {
        double base, most = 0;

        status = ask(rig, program, of_pv, size, outputs, why, diag);
        if (status != RK_OK || why[0] != '\0') return status;
        base = outputs[AT_REST - 1].out;
        if (fabs(base - outputs[AT_REST - 2].out) > NOTHING * span) {
            (void)snprintf(why, RKI_REFUSED, "OUT moves without an error");
            return RK_OK;
        }
        for (k = 0; k < STEP_SCANS; k++) {
            const double move = outputs[AT_REST + k].out - base;

            a->y[k] = (of_pv ? -move : move) / size;
            most = fmax(most, fabs(move));
        }
        if (!(most < 0.4 * span)) continue;
        if (most < 1e-12 * span) {
            (void)snprintf(why, RKI_REFUSED, "OUT does not answer a step of %s",
                           of_pv ? "pv" : "sp");
        }
        lay_line(a);
        return RK_OK;
    }
    (void)snprintf(why, RKI_REFUSED, "OUT meets its limits however small a step is");
    return RK_OK;
}

/* What dies away before the line: its first value, and what stays of it in a scan; 0: nothing. */
static double transient(const answer *a, double *stays)
{
    const double first = a->y[0] - a->start, second = a->y[1] - (a->start + a->slope);

    *stays = 0.0;
    if (fabs(first) < NOTHING * fabs(a->start)) return 0.0;
    *stays = second / first;
    return first;
}

static void measure(const answer *pv, const answer *sp, double ts, rk_block_probe *p)
{
    double stays, first = transient(pv, &stays), ignored;

    p->kc = pv->start - pv->slope;
    if (first != 0 && (first > 0) != (p->kc > 0) && stays > 0 && stays < 1) {
        /* With less than P: PV comes late, and so does its integral. */
        p->pv_filter = ts * stays / (1.0 - stays);
        p->kc += pv->slope * p->pv_filter / ts;
    }
    p->ti = fabs(pv->slope) > NOTHING * fabs(p->kc) ? p->kc * ts / pv->slope : HUGE_VAL;
    if (first != 0 && (first > 0) == (p->kc > 0)) { /* with more than P: the derivative */
        p->tf = stays > NOTHING ? stays * ts / (1.0 - stays) : 0.0;
        p->td = first * (p->tf + ts) / p->kc;
        p->d_sp_weight = transient(sp, &ignored) / first;
    }
    p->sp_weight = (sp->start - sp->slope) / p->kc;
}

static bool alike(double a, double b)
{
    if (isinf(a) || isinf(b)) return isinf(a) && isinf(b);
    return fabs(a - b) <= ALIKE * fabs(b);
}

static void say(rk_block_probe *p, const char *words)
{
    if (p->looks < RK_BLOCK_LOOKS) {
        (void)snprintf(p->look[p->looks++], RK_BLOCK_LOOK_CHARS, "%s", words);
    }
}

/* What a number would be, had the design's been typed so. */
static void look_at_gain(const rk_design *d, rk_block_probe *p)
{
    const double kc = d->settings.kc, percent = rk_design_kc_pct(d, kc);

    if ((p->kc > 0) != (kc > 0)) {
        say(p, "it acts the other way round: OUT would run away");
    }
    if (alike(fabs(p->kc), fabs(kc))) return;
    if (!isnan(d->pv_low) && alike(fabs(p->kc), fabs(percent))) {
        say(p, "its gain is the design's in percent of span, taken for units");
    } else if (!isnan(d->pv_low) && alike(fabs(p->kc), fabs(kc * kc / percent))) {
        say(p, "it takes gains in percent of span, and was given one in units");
    } else if (!isnan(d->pv_low) && alike(fabs(p->kc), 100.0 / fabs(percent))) {
        say(p, "its gain is the design's proportional band, taken for a gain");
    }
}

static void look_at_time(const char *name, double is, double wanted, rk_block_probe *p)
{
    char words[RK_BLOCK_LOOK_CHARS];

    if (!(wanted > 0) || isinf(wanted) || alike(is, wanted)) return;
    if (alike(is, 60.0 * wanted)) {
        (void)snprintf(words, sizeof words, "it takes %s in minutes, and was given seconds",
                       name);
    } else if (alike(is, wanted / 60.0)) {
        (void)snprintf(words, sizeof words, "it takes %s in seconds, and was given minutes",
                       name);
    } else {
        return;
    }
    say(p, words);
}

static void look_at_integral(const rk_design *d, rk_block_probe *p)
{
    const double kc = fabs(d->settings.kc), ti = d->settings.ti;

    look_at_time("ti", p->ti, ti, p);
    if (isinf(ti) || alike(p->ti, ti)) return;
    if (alike(p->ti, kc / ti)) say(p, "ki stands where ti belongs");
    if (alike(p->ti, 60.0 / ti)) say(p, "repeats per minute stand where ti belongs");
    if (alike(p->ti, ti * d->ts)) say(p, "its integral does not count with the scan");
}

/* The series form of the same numbers, in the ideal form. */
static void look_at_form(const rk_design *d, rk_block_probe *p)
{
    const rk_settings *s = &d->settings;
    const double together = isfinite(s->ti) ? 1.0 + (s->td / s->ti) : 1.0;

    if (s->td > 0 && isfinite(s->ti) && alike(p->ti, s->ti * together) &&
        alike(fabs(p->kc), fabs(s->kc) * together)) {
        say(p, "it is of the series form, and was given the numbers of the ideal one");
    }
    if (!(p->td > 0) && s->td > 0) say(p, "it has no derivative");
    if (p->td > 0 && !(s->td > 0)) say(p, "it has a derivative, and the design has none");
    if (p->td > 0 && fabs(p->d_sp_weight - s->d_sp_weight) > 0.05) {
        say(p, p->d_sp_weight > 0.5
                   ? "its derivative acts on the error: a setpoint step kicks OUT"
                   : "its derivative acts on pv alone");
    }
    look_at_time("td", p->td, s->td, p);
    if (p->pv_filter > 0 && !(s->pv_filter > 0))
        say(p, "it filters pv, and the design does not");
}

rk_status rk_block_probe_compute(const rk_design *loop, const char *text,
                                 const rk_block_pins *pins, rk_block_probe *probe,
                                 rk_diag *diag)
{
    const rk_program program = {.text = {[RK_PROGRAM_SLIM_ST] = text}};
    rki_rig rig = {.loop = loop, .pins = pins};
    answer of_pv = {.slope = 0}, of_sp = {.slope = 0};
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || text == NULL || probe == NULL) return RK_ERR_ARG;
    memset(probe, 0, sizeof *probe);
    status =
        rk_emit_out_start(loop, &rig.out_start, diag); /* is it a loop to hold it against? */
    if (status != RK_OK) return status;
    rig.number = rki_number_of_block(text, pins);
    status = find_answer(&rig, &program, true, &of_pv, probe->why, diag);
    if (status == RK_OK && probe->why[0] == '\0') {
        status = find_answer(&rig, &program, false, &of_sp, probe->why, diag);
    }
    if (status != RK_OK || probe->why[0] != '\0') return status;
    measure(&of_pv, &of_sp, loop->ts, probe);
    look_at_gain(loop, probe);
    look_at_integral(loop, probe);
    look_at_form(loop, probe);
    return RK_OK;
}
