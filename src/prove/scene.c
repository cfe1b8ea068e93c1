/* SPDX-License-Identifier: MIT */
#include "scene.h"

#include <math.h>
#include <string.h>

static double draw(rki_scene *s)
{
    return rki_draw(&s->dice);
}

static bool happens(rki_scene *s, double in_thousand)
{
    return rki_happens(&s->dice, in_thousand);
}

static double between(rki_scene *s, double low, double high)
{
    return rki_between(&s->dice, low, high);
}

static double no_number(rki_scene *s)
{
    const double which = draw(s);

    return which < 0.6 ? nan("") : which < 0.8 ? HUGE_VAL : -HUGE_VAL;
}

/* Of OUT, and somewhat beyond. */
static double an_output(rki_scene *s)
{
    const double place = between(s, -0.2, 1.2);

    if (happens(s, 30)) return no_number(s);
    if (happens(s, 50)) return s->low + (1e-4 * s->span * draw(s));
    return happens(s, 200) ? s->low + (place < 0.5 ? 0 : s->span) : s->low + (s->span * place);
}

static void change_settings(rki_scene *s)
{
    rk_rig_settings *t = &s->sound;
    const double ts = s->own.scan;

    *t = s->own;
    if (happens(s, 150)) return;
    t->kc = s->own.kc * between(s, 0.6, 1.5);
    if (s->own.kc_low < s->own.kc_high && happens(s, 200)) { /* at an end of the stable range */
        t->kc = (happens(s, 500) ? s->own.kc_low : s->own.kc_high) *
                between(s, 0.99999995, 1.00000005);
    }
    if (s->own.ti > 0) {
        t->ti = fmax(s->own.ti * between(s, 0.5, 2.0), ts);
    }
    if (s->own.td > 0 || happens(s, 100)) {
        t->td = between(s, 0, 4) * (s->own.td > 0 ? s->own.td : ts);
        t->tf = fmax(t->td * between(s, 0.05, 0.2), ts);
    }
    t->sp_weight = happens(s, 500) ? s->own.sp_weight : draw(s);
    t->d_sp_weight = happens(s, 500) ? s->own.d_sp_weight : draw(s);
    t->deadband = happens(s, 700) ? s->own.deadband : 0.02 * s->reach * draw(s);
    t->pv_filter = happens(s, 600) ? s->own.pv_filter : ts * between(s, 0, 4);
    t->sp_rate = happens(s, 600) ? s->own.sp_rate : 0.05 * s->reach * draw(s) / ts;
    t->out_rate = happens(s, 600) ? s->own.out_rate : 0.1 * s->span * draw(s) / ts;
    t->out_low = s->low + (happens(s, 600) ? 0.0 : s->span * between(s, -0.05, 0.1));
    t->out_high = s->low + (happens(s, 600) ? s->span : s->span * between(s, 0.8, 1.05));
    t->out_safe = between(s, t->out_low, t->out_high);
    t->bias = between(s, t->out_low, t->out_high);
    t->hysteresis = s->own.hysteresis * between(s, 0.5, 2.0);
    t->hold_time = happens(s, 300) ? -1.0 : ts * between(s, 0, 12);
    t->stale_time = happens(s, 500) ? s->own.stale_time : ts * between(s, 2, 9);
    if (s->own.tracking_time > 0) {
        t->tracking_time = fmax(s->own.tracking_time * between(s, 0.5, 2.0), ts);
    }
    t->alarm_low = s->centre - (0.2 * s->reach * draw(s));
    t->alarm_high = s->centre + (0.2 * s->reach * draw(s));
    t->alarm_deviation = 0.2 * s->reach * draw(s);
    t->alarm_gap = 0.02 * s->reach * draw(s);
}

/* One of them out of its range, or no number. */
static void spoil(rki_scene *s)
{
    static const struct {
        const char *name;
        double value;
    } nonsense[] = {{"kc", 0},          {"ti", 1e-9},      {"td", -1},
                    {"tf", -1},         {"sp_weight", 2},  {"sp_weight", -1},
                    {"deadband", -1},   {"out_low", 1e29}, {"out_high", -1e29},
                    {"out_rate", -1},   {"out_safe", 1e9}, {"sp_rate", -1},
                    {"hysteresis", -1}, {"kc", HUGE_VAL},  {"pv_filter", -1}};
    enum { KINDS = sizeof nonsense / sizeof nonsense[0] };
    const rk_rig_pin *pin = rk_rig_setting_pins;
    const size_t which = (size_t)between(s, 0, KINDS);

    while (strcmp(pin->name, nonsense[which].name) != 0) {
        pin++;
    }
    rk_rig_pin_set(pin, &s->settings, happens(s, 300) ? nan("") : nonsense[which].value);
}

static void move_hands(rki_scene *s)
{
    if (happens(s, 20)) {
        const double size = happens(s, 300) ? 1.0 : 0.1;

        s->in.sp = s->centre + (size * s->reach * (draw(s) - 0.5));
    }
    if (happens(s, 5)) {
        s->in.sp = no_number(s);
    } else if (!isfinite(s->in.sp) && happens(s, 300)) {
        s->in.sp = s->centre;
    }
    if (happens(s, s->in.automatic ? 10 : 40)) {
        s->in.automatic = !s->in.automatic;
    }
    if (happens(s, s->in.tracking ? 100 : 4)) {
        s->in.tracking = !s->in.tracking;
    }
    if (happens(s, s->in.automatic ? 10 : 60)) {
        s->in.manual_out = an_output(s);
    }
    if (happens(s, s->in.tracking ? 200 : 10)) {
        s->in.track_out = an_output(s);
    }
    if (happens(s, 10)) {
        s->in.feedforward = happens(s, 30) ? no_number(s) : 0.1 * s->span * (draw(s) - 0.5);
    }
    if (happens(s, 10)) {
        s->load = happens(s, 30) ? no_number(s) : 0.2 * s->span * (draw(s) - 0.5);
    }
    if (happens(s, 10)) {
        s->disturbance = 0.2 * s->span * (draw(s) - 0.5);
    }
    s->in.applied_known = happens(s, s->in.applied_known ? 800 : 10);
    s->in.applied = an_output(s);
}

/* The valve is read back for a while, where it is or elsewhere. */
static void read_valve(rki_scene *s, double out)
{
    s->in.valve_known = happens(s, s->in.valve_known ? 950 : 10);
    s->in.valve_out = out;
    if (happens(s, 100)) {
        s->in.valve_out = an_output(s);
    }
}

/* PV as it is, or for some scans: no number, beyond its range, flagged bad, or standing still. */
static void measure(rki_scene *s)
{
    const double last = s->in.pv, noise = 0.002 * s->reach * (draw(s) - 0.5);

    if (s->failing == 0 && happens(s, 8)) {
        s->failing = 1 + (int)(draw(s) * 14);
        s->failure = (int)(draw(s) * 5);
    }
    s->in.pv = s->pv + noise;
    s->in.pv_good = true;
    if (s->failing == 0) return;
    s->failing--;
    switch (s->failure) {
    case 0:
        s->in.pv = no_number(s);
        break;
    case 1: /* by much, and within and beyond by next to nothing */
        s->in.pv = s->own.pv_high + (s->failing % 2 == 0 ? 1.0 : between(s, -1e-6, 1e-6));
        break;
    case 2:
        s->in.pv = s->own.pv_low - (s->failing % 2 == 0 ? 1.0 : between(s, -1e-6, 1e-6));
        break;
    case 3:
        s->in.pv_good = false;
        break;
    default:
        s->in.pv = isfinite(last) ? last : s->pv;
    }
}

static void run_process(rki_scene *s, double out)
{
    if (s->has_process) {
        s->pv = rk_plant_scan(&s->process.plant, out + s->disturbance);
    } else if (isfinite(s->in.sp)) {
        s->pv += 0.05 * (s->in.sp - s->pv);
    }
    if (!isfinite(s->pv) || fabs(s->pv - s->centre) > 100.0 * s->reach) { /* it ran away */
        s->pv = s->centre;
        if (s->has_process) {
            rk_model_plant_reset(&s->process);
        }
    }
}

void rki_scene_next(rki_scene *s, double out)
{
    run_process(s, out);
    move_hands(s);
    read_valve(s, out);
    measure(s);
    if (happens(s, 10)) {
        change_settings(s);
    }
    s->settings = s->sound;
    s->late = happens(s, 10);
    s->start = happens(s, 2) ? RKI_COLD : happens(s, 3) ? RKI_WARM : RKI_RUNS;
    if (happens(s, s->start != RKI_RUNS ? 300 : 10)) {
        spoil(s); /* at a start, too, whose settings were kept */
    }
    if (happens(s, s->simulate ? 15 : 4)) {
        s->simulate = !s->simulate;
        s->load = happens(s, 200) ? no_number(s) : s->load;
    }
    if (s->start != RKI_RUNS) {
        s->simulate = false;
    }
}

rk_status rki_scene_make(const rk_design *loop, rk_number number, uint64_t seed,
                         rki_scene *made, rk_diag *diag)
{
    rk_status status;

    memset(made, 0, sizeof *made);
    made->dice.state = seed;
    made->loop = loop;
    status = rk_emit_rig_settings(loop, number, false, &made->own, diag);
    if (status == RK_OK && loop->has_model) {
        status = rk_model_plant_create(rk_design_process(loop), loop->ts, &made->process, diag);
    }
    if (status != RK_OK) return status;
    made->has_process = loop->has_model;
    made->sound = made->settings = made->own;
    made->low = loop->out_low;
    made->span = loop->out_high - loop->out_low;
    made->centre = loop->has_model        ? rk_plant_pv(&made->process.plant)
                   : !isnan(loop->pv_low) ? 0.5 * (loop->pv_low + loop->pv_high)
                                          : 0.0;
    made->reach = fmin(4.0 * made->span / fabs(made->own.kc), 1e12);
    made->pv = made->in.pv = made->in.sp = made->centre;
    made->in.pv_good = true;
    made->in.manual_out = made->in.track_out = made->low + (0.5 * made->span);
    return RK_OK;
}

void rki_scene_free(rki_scene *s)
{
    if (s->has_process) {
        rk_model_plant_free(&s->process);
    }
}
