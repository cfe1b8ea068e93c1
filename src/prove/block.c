/* SPDX-License-Identifier: MIT */
/*
 * The block that is the same for all loops by itself in the stand-in PLC, beside rk_loop on a port
 * that is moved by hand: settings of every sort, at the ends of their ranges and just beyond them,
 * every pin, every way to fail. It is no loop's: what one loop does not use another will.
 */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/softplc/softplc.h>

#include "dice.h"
#include "parts.h"
#include "same.h"

enum { PINS = 64, RUN_SCANS = 400 };

typedef struct bench {
    rk_plc *plc;
    rk_plc_instance *block;
    rk_plc_variable setting[PINS], input[PINS], output[PINS];
    rk_rig *rig;
    rki_dice dice;
    rk_rig_settings sound, settings; /* and as they are in this scan */
    rk_rig_input in;
    double pv;
    int failing, how; /* scans that PV fails on, and in which way */
} bench;

/* Times spread evenly over decades. */
static double decades(rki_dice *d, double from, double count)
{
    return from * pow(10, count * rki_draw(d));
}

static double perhaps(rki_dice *d, double in_thousand, double value, double otherwise)
{
    return rki_happens(d, in_thousand) ? value : otherwise;
}

/* The controller's own; `ts` stays in a run. */
static void draw_law(rki_dice *d, rk_rig_settings *s)
{
    const double ts = s->scan;

    s->kc = perhaps(d, 500, -1, 1) * decades(d, 0.03, 3);
    s->ti = perhaps(d, 250, 0, perhaps(d, 100, ts, decades(d, ts, 2.5)));
    s->td = perhaps(d, 400, 0, ts * rki_between(d, 0, 5));
    s->tf = perhaps(d, 300, 0, ts * rki_between(d, 0.4, 1.5));
    s->sp_weight = perhaps(d, 500, 1, perhaps(d, 200, 0, rki_draw(d)));
    s->d_sp_weight = perhaps(d, 500, 0, perhaps(d, 200, 1, rki_draw(d)));
    s->deadband = perhaps(d, 700, 0, rki_between(d, 0, 3));
    s->tracking_time = perhaps(d, 500, 0, perhaps(d, 100, ts, ts * rki_between(d, 1, 20)));
    s->anti_windup = (int)rki_between(d, 0, 3);
    s->integral_by = rki_happens(d, 600) ? 0 : (int)rki_between(d, 0, 3);
    s->derivative_by = rki_happens(d, 300) && (s->td == 0 || 2 * s->tf >= ts);
    s->velocity = rki_happens(d, 200) && s->ti > 0;
    s->biased = rki_happens(d, 600) && s->tracking_time > 0;
    s->bias = rki_between(d, 30, 70);
    s->two_position = rki_happens(d, 300);
    s->hysteresis = perhaps(d, 200, 0, rki_between(d, 0, s->two_position ? 60 : 3));
    s->pv_filter = perhaps(d, 500, 0, ts * rki_between(d, 0, 5));
    s->kc_low = perhaps(d, 300, 0, perhaps(d, 300, s->kc, rki_between(d, -20, 0)));
    s->kc_high = perhaps(d, 300, 0, perhaps(d, 300, s->kc, rki_between(d, 0, 20)));
}

static void draw_limits(rki_dice *d, rk_rig_settings *s)
{
    const double ts = s->scan;

    s->out_low = perhaps(d, 500, 0, rki_between(d, 0, 20));
    s->out_high = perhaps(d, 500, 100, rki_between(d, 90, 100));
    s->out_rate = perhaps(d, 500, 0, rki_between(d, 0.01, 30) / ts);
    s->out_safe = perhaps(d, 100, s->out_low, perhaps(d, 100, s->out_high, 20));
    s->sp_low = perhaps(d, 700, -1e30, 10);
    s->sp_high = perhaps(d, 700, 1e30, 60);
    s->sp_rate = perhaps(d, 500, 0, rki_between(d, 0.01, 10) / ts);
    s->pv_low = perhaps(d, 500, -50, 2);
    s->pv_high = perhaps(d, 500, 150, 66);
    s->hold_time = perhaps(d, 400, -1, perhaps(d, 100, 0, ts * rki_between(d, 0, 5)));
    s->stale_time = perhaps(d, 500, 0, ts * floor(rki_between(d, 1, 7)));
    s->alarm_low = perhaps(d, 300, -1e30, rki_between(d, 0, 30));
    s->alarm_high = perhaps(d, 300, 1e30, rki_between(d, 30, 60));
    s->alarm_deviation = perhaps(d, 500, 0, rki_between(d, 0.1, 20));
    s->alarm_gap = perhaps(d, 200, 0, rki_between(d, 0, 3));
}

/* One setting at the end of what makes sense, beyond it by little or by much, or no number. */
static void spoil(rki_dice *d, rk_rig_settings *s)
{
    static const struct {
        const char *name;
        double value;
    } odd[] = {
        {"scan", 0},
        {"scan", -1},
        {"kc", 0},
        {"kc", 1e-3},
        {"ti", -1},
        {"ti", 1e-6},
        {"td", -1e-9},
        {"tf", -1e-9},
        {"sp_weight", -1e-7},
        {"sp_weight", 0},
        {"sp_weight", 1},
        {"sp_weight", 1.0000001},
        {"d_sp_weight", -0.1},
        {"d_sp_weight", 1},
        {"d_sp_weight", 1.0000001},
        {"deadband", -1e-9},
        {"anti_windup", -1},
        {"anti_windup", 0},
        {"anti_windup", 2},
        {"anti_windup", 3},
        {"integral_by", -1},
        {"integral_by", 2},
        {"integral_by", 3},
        {"derivative_by", -1},
        {"derivative_by", 1},
        {"derivative_by", 2},
        {"hysteresis", -1e-9},
        {"pv_filter", -1e-9},
        {"out_low", 100},
        {"out_low", 1e6},
        {"out_high", 0},
        {"out_high", -1e6},
        {"out_rate", -1e-9},
        {"out_safe", -1},
        {"out_safe", 101},
        {"out_safe", 100},
        {"sp_low", 2e30},
        {"sp_rate", -1e-9},
        {"pv_low", 150},
        {"stale_time", -1e-9},
        {"hold_time", 1},
        {"alarm_low", 1e30},
        {"alarm_high", -1e30},
        {"alarm_deviation", -1e-9},
        {"alarm_gap", -1e-9},
        {"tracking_time", 1e-9},
        {"tracking_time", 0},
        {"velocity", 1},
        {"biased", 1},
        {"kc", 1e307},
        {"tf", 0},
    };
    enum { KINDS = sizeof odd / sizeof odd[0] };
    const rk_rig_pin *pin = rk_rig_setting_pins;
    const size_t which = (size_t)rki_between(d, 0, KINDS);

    if (rki_happens(d, 400)) { /* NaN or infinite, any of them */
        int skip = (int)rki_between(d, 0, 34);

        while (skip-- > 0 || pin->kind != RK_RIG_REAL) {
            pin++;
        }
        rk_rig_pin_set(pin, s, rki_happens(d, 600) ? nan("") : HUGE_VAL);
        return;
    }
    while (strcmp(pin->name, odd[which].name) != 0) {
        pin++;
    }
    rk_rig_pin_set(pin, s, odd[which].value);
}

static double no_number_at_times(rki_dice *d, double value)
{
    const double u = rki_draw(d);

    return u < 0.01 ? nan("") : u < 0.015 ? HUGE_VAL : u < 0.02 ? -HUGE_VAL : value;
}

/* Of OUT, somewhat beyond its range too. */
static double an_output(rki_dice *d)
{
    return no_number_at_times(d, rki_between(d, -10, 110));
}

static void measure(bench *b)
{
    rki_dice *d = &b->dice;
    const double last = b->in.pv;

    if (rki_happens(d, 800)) {
        b->pv += rki_between(d, -2, 2);
    } else if (rki_happens(d, 200)) {
        b->pv = rki_between(d, -60, 160);
    }
    if (b->failing == 0 && rki_happens(d, 30)) {
        b->failing = 1 + (int)(10 * rki_draw(d));
        b->how = (int)(7 * rki_draw(d));
    }
    b->in.pv = no_number_at_times(d, b->pv);
    b->in.pv_good = true;
    if (b->failing == 0) return;
    b->failing--;
    if (b->how == 0) {
        b->in.pv_good = false;
    } else if (b->how == 1) {
        b->in.pv = b->settings.pv_low; /* just within */
    } else if (b->how == 2) {
        b->in.pv = b->settings.pv_high;
    } else if (b->how == 3) {
        b->in.pv = b->settings.pv_low - 1e-4;
    } else if (b->how == 4) {
        b->in.pv = b->settings.pv_high + 1e-4;
    } else if (isfinite(last)) {
        b->in.pv = last; /* it stands still */
    }
}

static void draw_scan(bench *b)
{
    rki_dice *d = &b->dice;
    rk_rig_input *in = &b->in;

    if (rki_happens(d, 40)) {
        draw_law(d, &b->sound);
        draw_limits(d, &b->sound);
    }
    b->settings = b->sound;
    in->restart = rki_happens(d, 25);
    if (rki_happens(d, in->restart ? 400 : 40)) {
        spoil(d, &b->settings);
    }
    if (rki_happens(d, 30)) {
        in->automatic = rki_happens(d, 500);
        in->tracking = rki_happens(d, 200);
    }
    if (rki_happens(d, 50)) {
        in->manual_out = an_output(d);
    }
    if (rki_happens(d, 50)) {
        in->track_out = an_output(d);
    }
    if (rki_happens(d, 50)) {
        in->sp = no_number_at_times(d, rki_between(d, 0, 80));
    }
    if (rki_happens(d, in->restart ? 500 : 50)) {
        in->feedforward =
            in->restart ? nan("") : no_number_at_times(d, rki_between(d, -10, 10));
    }
    in->valve_known = rki_happens(d, in->restart ? 500 : 100);
    in->valve_out = an_output(d);
    in->applied_known = rki_happens(d, 100);
    in->applied = an_output(d);
    in->pv_undelayed = rki_between(d, 0, 80);
    in->pv_delayed = rki_between(d, 0, 80);
    in->elapsed =
        perhaps(d, 50,
                b->sound.scan *
                    perhaps(d, 200, 1.5, perhaps(d, 200, 1.5000001, rki_between(d, -0.1, 3))),
                0);
    measure(b);
    if (in->restart && b->sound.two_position && isfinite(b->pv)) {
        /* within the hysteresis, from about the middle of OUT's range: at which end is it? */
        in->automatic = in->valve_known = true;
        in->valve_out = 50 + rki_between(d, -10, 10);
        in->sp = in->pv;
    }
}

static void put_pins(const rk_rig_pin *list, const void *of, const rk_plc_variable *pins)
{
    for (; list->name != NULL; list++, pins++) {
        const double value = rk_rig_pin_get(list, of);

        if (list->kind == RK_RIG_REAL) {
            pins->at->real = pins->kind == RK_PLC_REAL ? (double)(float)value : value;
        } else {
            pins->at->whole = (int64_t)value;
        }
    }
}

static rk_status find_pins(bench *b, const rk_rig_pin *list, rk_plc_variable *found,
                           rk_number number, rk_diag *why)
{
    const rk_plc_kind real = number == RK_NUMBER_REAL ? RK_PLC_REAL : RK_PLC_LREAL;

    for (; list->name != NULL; list++, found++) {
        const rk_plc_kind kind = list->kind == RK_RIG_REAL  ? real
                                 : list->kind == RK_RIG_INT ? RK_PLC_INT
                                                            : RK_PLC_BOOL;

        if (rk_plc_find(b->plc, b->block, list->name, found, NULL) != RK_OK ||
            found->kind != kind) {
            return rk_diag_set(why, RK_ERR_FORMAT, "no pin '%s' of the right type", list->name);
        }
    }
    return RK_OK;
}

static void compare(const bench *b, const rk_rig_output *out, rk_proof_part *part)
{
    const rk_plc_variable *at = b->output;
    const rk_rig_pin *pin;
    bool differs = false;

    for (pin = rk_rig_output_pins; pin->name != NULL; pin++, at++) {
        const double wanted = rk_rig_pin_get(pin, out);
        const double got = pin->kind == RK_RIG_REAL ? at->at->real : (double)at->at->whole;

        if (rki_same(wanted, got)) continue;
        if (pin->offset == offsetof(rk_rig_output, out)) {
            const double apart = fabs(wanted - got);

            part->worst = fmax(part->worst, isnan(apart) ? HUGE_VAL : apart);
        }
        if (!differs && part->mismatches == 0) {
            part->first = part->scans;
            (void)snprintf(part->pin, sizeof part->pin, "%s", pin->name);
            part->wanted = wanted;
            part->got = got;
            part->sp = b->in.sp;
            part->pv = b->in.pv;
            part->automatic = b->in.automatic;
        }
        differs = true;
    }
    part->mismatches += differs;
    part->scans++;
}

static rk_status begin_run(bench *b, rk_number number, rk_diag *diag)
{
    const rk_rig_params params = {.single = number == RK_NUMBER_REAL};
    rk_status status;

    rk_plc_instance_restart(b->block, false);
    rk_rig_free(b->rig);
    b->rig = NULL;
    status = rk_rig_create(&params, &b->rig);
    if (status != RK_OK) return rk_diag_set(diag, status, "out of memory");
    b->sound = (rk_rig_settings){.scan = decades(&b->dice, 0.01, 3)};
    b->in = (rk_rig_input){.sp = 20, .manual_out = 50, .track_out = 50};
    b->in.predicting = rki_happens(&b->dice, 200);
    b->pv = 20;
    b->failing = 0;
    draw_law(&b->dice, &b->sound);
    draw_limits(&b->dice, &b->sound);
    return RK_OK;
}

static rk_status run_scans(bench *b, rk_number number, const rk_prove_plan *plan,
                           rk_proof_part *part, rk_diag *why)
{
    rk_status status = RK_OK;
    size_t i;

    for (i = 0; i < plan->scans && status == RK_OK; i++) {
        rk_rig_output out;

        if (plan->brief && part->mismatches > 0) return RK_OK;
        if (i % RUN_SCANS == 0) {
            status = begin_run(b, number, why);
            if (status != RK_OK) return status;
        }
        draw_scan(b);
        put_pins(rk_rig_setting_pins, &b->settings, b->setting);
        put_pins(rk_rig_input_pins, &b->in, b->input);
        status = rk_plc_scan(b->plc, b->block, why);
        rk_rig_scan(b->rig, &b->settings, &b->in, &out);
        compare(b, &out, part);
    }
    return status;
}

static rk_status load(bench *b, const char *text, rk_number number, rk_diag *why)
{
    rk_status status;

    b->plc = rk_plc_create();
    if (b->plc == NULL) return rk_diag_set(why, RK_ERR_MEMORY, "out of memory");
    status = rk_plc_load(b->plc, "loop_controller.st", text, strlen(text), why);
    if (status == RK_OK) {
        status = rk_plc_instance_create(b->plc, rk_plc_last_block(b->plc), &b->block, why);
    }
    if (status == RK_OK) {
        status = find_pins(b, rk_rig_setting_pins, b->setting, number, why);
    }
    if (status == RK_OK) {
        status = find_pins(b, rk_rig_input_pins, b->input, number, why);
    }
    return status == RK_OK ? find_pins(b, rk_rig_output_pins, b->output, number, why) : status;
}

rk_status rki_run_block(const rk_program *program, const rk_prove_plan *plan,
                        rk_proof_part *part, rk_diag *diag)
{
    const char *text = program->text[RK_PROGRAM_GENERAL_ST];
    bench b = {.dice = {2028}};
    rk_diag why = {RK_OK, ""};
    rk_status status;

    part->number = rki_number_of_program(text);
    status = load(&b, text, part->number, &why);
    if (status == RK_OK) {
        status = run_scans(&b, part->number, plan, part, &why);
    }
    part->ran = status == RK_OK;
    rk_rig_free(b.rig);
    rk_plc_free(b.plc);
    if (status == RK_ERR_MEMORY) return rk_diag_set(diag, status, "out of memory");
    if (status != RK_OK) {
        (void)snprintf(part->refused, sizeof part->refused, "%s", why.text);
    }
    return RK_OK;
}
