/* SPDX-License-Identifier: MIT */
#include "reference.h"

#include <math.h>
#include <string.h>

#include <redkettle/design/loop/closed_loop.h>

/* The watch on the task's interval: over so many scans, within this part; a scan is late after
   LATE intervals and counts as COUNTED. */
enum { WATCHED_SCANS = 16 };
#define WATCHED_TOLERANCE 0.1
#define LATE 1.5
#define COUNTED 2.0
#define MOST 4.0 /* times what is watched: timers stand still there */

int rki_reference_find(const rki_reference *r, const char *word)
{
    int i;

    for (i = 0; i < r->variables; i++) {
        if (strcmp(r->list[i].word, word) == 0) return i;
    }
    return -1;
}

double rki_reference_get(const rki_reference *r, const char *word)
{
    const int at = rki_reference_find(r, word);

    return at >= 0 ? r->variable[at] : 0.0;
}

void rki_reference_put(rki_reference *r, const char *word, double value)
{
    const int at = rki_reference_find(r, word);

    if (at >= 0) {
        r->variable[at] = value;
    }
}

/* In the text's own precision. A sum, product or quotient of two single precision numbers that is
   rounded to double first is rounded right. */
static double in_text(const rki_reference *r, double x)
{
    return r->number == RK_NUMBER_REAL ? (double)(float)x : x;
}

static bool is_number(const rk_variable *v)
{
    return strcmp(v->type, "LREAL") == 0;
}

rk_status rki_reference_restart(rki_reference *r, bool warm, rk_diag *diag)
{
    int i;

    for (i = 0; i < r->variables; i++) {
        if (warm && r->list[i].retain) continue;
        r->variable[i] =
            is_number(&r->list[i]) ? in_text(r, r->list[i].initial) : r->list[i].initial;
    }
    r->begun = r->simulated = r->started = false;
    r->scans = 0;
    r->last = nan("");
    r->out = 0.0;
    rk_rig_free(r->rig);
    r->rig = NULL;
    return rk_emit_rig_create(r->loop, r->number, r->has_twin, &r->rig, diag);
}

rk_status rki_reference_make(const rk_design *loop, rk_number number, rki_reference *made,
                             rk_diag *diag)
{
    rk_plant_params plant;
    rk_status status;

    memset(made, 0, sizeof *made);
    made->loop = loop;
    made->number = number;
    made->has_twin = loop->has_model;
    status = rk_emit_variable_list(loop, number, made->list, &made->variables, diag);
    if (status == RK_OK) {
        status = rk_emit_rig_settings(loop, number, false, &made->fixed, diag);
    }
    if (status == RK_OK && made->has_twin) {
        status = rk_plant_params_from_model(rk_design_process(loop), loop->ts, &plant, diag);
        made->out_rest = status == RK_OK ? in_text(made, plant.out0) : 0.0;
    }
    return status == RK_OK ? rki_reference_restart(made, false, diag) : status;
}

void rki_reference_free(rki_reference *r)
{
    rk_rig_free(r->rig);
    r->rig = NULL;
}

/* A time as the text writes it, s. */
static double written(double seconds)
{
    return floor((seconds * 1e6) + 0.5) / 1e6;
}

/* Nanoseconds, as a timer counts. */
static double nanoseconds(double seconds)
{
    return nearbyint(seconds * 1e9);
}

/* A timer's time. */
static double since(double clock, double from, double most)
{
    return fmin(nanoseconds(clock) - nanoseconds(from), nanoseconds(written(most)));
}

/* Is the task's interval the scan? And how long was this one? */
static double watch(rki_reference *r, double clock)
{
    const double ts = r->loop->ts, expected = WATCHED_SCANS * ts;
    double elapsed = 0.0;

    if (r->scans == 0) {
        r->watch_from = clock;
    }
    if (r->scans < WATCHED_SCANS) {
        r->scans++;
    } else {
        const double took = since(clock, r->watch_from, MOST * expected);

        rki_reference_put(r, "scan_wrong",
                          took < nanoseconds(written((1.0 - WATCHED_TOLERANCE) * expected)) ||
                              took >
                                  nanoseconds(written((1.0 + WATCHED_TOLERANCE) * expected)));
        r->scans = 0;
    }
    if (since(clock, isnan(r->last) ? clock : r->last, MOST * ts) >
        nanoseconds(written(LATE * ts))) {
        elapsed = in_text(r, COUNTED * ts);
    }
    r->last = clock;
    return elapsed;
}

static void take_counts(rki_reference *r)
{
    const double *raw = r->loop->program.pv_raw;
    const double span = r->loop->pv_high - r->loop->pv_low;
    double part;

    if (isnan(raw[0])) return;
    part = in_text(r, span / (raw[1] - raw[0]));
    rki_reference_put(
        r, "pv",
        in_text(r, in_text(r, r->loop->pv_low) +
                       in_text(r, in_text(r, in_text(r, rki_reference_get(r, "pv_raw")) -
                                                 in_text(r, raw[0])) *
                                      part)));
}

static void give_counts(rki_reference *r)
{
    const double *raw = r->loop->program.out_raw;
    const double span = r->loop->out_high - r->loop->out_low;
    double counts;

    if (isnan(raw[0])) return;
    counts = in_text(r, rki_reference_get(r, "out") - in_text(r, r->loop->out_low));
    counts = in_text(r, counts * in_text(r, (raw[1] - raw[0]) / span));
    counts = in_text(r, in_text(r, raw[0]) + counts);
    counts = fmax(fmin(counts, in_text(r, raw[1])), in_text(r, raw[0]));
    rki_reference_put(r, "out_raw", nearbyint(counts));
}

static void begin(rki_reference *r)
{
    const rk_warm_start warm = r->loop->program.warm_start;

    if (r->begun) return;
    if (rki_reference_get(r, "ran") == 0) {
        rki_reference_put(r, "out", rki_reference_get(r, "out_safe"));
        rki_reference_put(r, "automatic", 0);
    } else if (warm != RK_WARM_START_AS_IT_WAS) {
        rki_reference_put(r, "automatic", warm == RK_WARM_START_AUTOMATIC);
    }
    rki_reference_put(r, "ran", 1);
}

static rk_rig_settings settings_now(const rki_reference *r)
{
    rk_rig_settings s = r->fixed;
    const rk_rig_pin *pin;
    int i;

    for (i = 0; i < r->variables; i++) {
        const char *name = rk_emit_pin_of(r->list[i].word);

        for (pin = rk_rig_setting_pins; pin->name != NULL; pin++) {
            if (strcmp(pin->name, name) == 0) {
                rk_rig_pin_set(pin, &s, r->variable[i]);
            }
        }
    }
    return s;
}

static double clamp(double x, double low, double high)
{
    if (x < low) {
        x = low;
    }
    return x > high ? high : x;
}

/* Where OUT stands, and whether that is known of the valve; true: the controller begins anew. */
static bool find_start(rki_reference *r, bool *known, double *stands)
{
    const bool simulate = rki_reference_get(r, "simulate") != 0;
    const bool turned = simulate != r->simulated;
    bool anew;

    *known =
        rki_reference_get(r, "valve_known") != 0 && isfinite(rki_reference_get(r, "valve_out"));
    *stands = rki_reference_get(r, *known ? "valve_out" : "out");
    r->simulated = simulate;
    if (turned && !simulate) {
        rki_reference_put(r, "automatic", 0);
    }
    anew = turned || !r->begun || !r->started;
    r->begun = true;
    if (simulate) {
        *known = false;
        if (turned) {
            rk_rig_plant_restart(r->rig);
        }
        if (anew) {
            *stands = r->out_rest;
        }
    }
    if (anew) {
        const double low = rki_reference_get(r, "out_low"),
                     high = rki_reference_get(r, "out_high");

        *stands = low < high ? clamp(*stands, low, high) : *stands;
        rki_reference_put(r, "manual_out", *stands);
    }
    return anew;
}

static void answer(rki_reference *r, const rk_rig_output *out)
{
    const rk_rig_pin *pin;

    r->started = out->started;
    r->out = out->out;
    if (out->mode != 0) {
        rki_reference_put(r, "manual_out", out->out);
    }
    if (r->simulated) {
        rki_reference_put(r, "sim_pv",
                          rk_rig_plant_scan(r->rig, out->out, rki_reference_get(r, "load")));
        rki_reference_put(r, "sim_out", out->out);
    } else {
        rki_reference_put(r, "out", out->out);
    }
    give_counts(r);
    for (pin = rk_rig_output_pins; pin->name != NULL; pin++) {
        if (strcmp(pin->name, "out") != 0) {
            rki_reference_put(r, pin->name, rk_rig_pin_get(pin, out));
        }
    }
}

void rki_reference_scan(rki_reference *r, double clock)
{
    rk_rig_input in = {.elapsed = watch(r, clock)};
    rk_rig_settings settings;
    rk_rig_output out;

    take_counts(r);
    begin(r);
    in.restart = find_start(r, &in.valve_known, &in.valve_out);
    in.valve_known = in.valve_known || in.restart;
    in.sp = rki_reference_get(r, "sp");
    in.pv = r->simulated ? rk_rig_plant_pv(r->rig) : rki_reference_get(r, "pv");
    in.pv_good = r->simulated || rki_reference_get(r, "pv_good") != 0;
    in.automatic = rki_reference_get(r, "automatic") != 0;
    in.manual_out = rki_reference_get(r, "manual_out");
    in.tracking = rki_reference_get(r, "tracking") != 0;
    in.track_out = rki_reference_get(r, "track_out");
    in.applied_known = rki_reference_get(r, "applied_on") != 0;
    in.applied = rki_reference_get(r, "applied");
    in.feedforward = rki_reference_get(r, "feedforward");
    settings = settings_now(r);
    rk_rig_scan(r->rig, &settings, &in, &out);
    answer(r, &out);
}
