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

static const char *const words[RKI_WORDS] = {
    [RKI_SP] = "sp",
    [RKI_AUTOMATIC] = "automatic",
    [RKI_MANUAL_OUT] = "manual_out",
    [RKI_PV_RAW] = "pv_raw",
    [RKI_PV] = "pv",
    [RKI_PV_GOOD] = "pv_good",
    [RKI_VALVE_KNOWN] = "valve_known",
    [RKI_VALVE_OUT] = "valve_out",
    [RKI_TRACKING] = "tracking",
    [RKI_TRACK_OUT] = "track_out",
    [RKI_APPLIED_ON] = "applied_on",
    [RKI_APPLIED] = "applied",
    [RKI_FEEDFORWARD] = "feedforward",
    [RKI_OUT_LOW] = "out_low",
    [RKI_OUT_HIGH] = "out_high",
    [RKI_OUT_SAFE] = "out_safe",
    [RKI_SIMULATE] = "simulate",
    [RKI_LOAD] = "load",
    [RKI_SIM_PV] = "sim_pv",
    [RKI_SIM_OUT] = "sim_out",
    [RKI_OUT_RAW] = "out_raw",
    [RKI_OUT] = "out",
    [RKI_SCAN_WRONG] = "scan_wrong",
    [RKI_RAN] = "ran",
};

static int find(const rki_reference *r, const char *word)
{
    int i;

    for (i = 0; i < r->variables; i++) {
        if (strcmp(r->list[i].word, word) == 0) return i;
    }
    return -1;
}

void rki_reference_places(const rki_reference *r, const rk_rig_pin *pin, int *place)
{
    int i;

    for (; pin->name != NULL; pin++, place++) {
        *place = -1;
        for (i = 0; i < r->variables; i++) {
            if (strcmp(rk_emit_pin_of(r->list[i].word), pin->name) == 0) {
                *place = i;
            }
        }
    }
}

double rki_reference_get(const rki_reference *r, rki_word word)
{
    return r->place[word] >= 0 ? r->variable[r->place[word]] : 0.0;
}

void rki_reference_put(rki_reference *r, rki_word word, double value)
{
    if (r->place[word] >= 0) {
        r->variable[r->place[word]] = value;
    }
}

/* In the text's own precision. A sum, product or quotient of two single precision numbers that is
   rounded to double first is rounded right. */
double rki_in_text(const rki_reference *r, double x)
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
            is_number(&r->list[i]) ? rki_in_text(r, r->list[i].initial) : r->list[i].initial;
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
    int i;

    memset(made, 0, sizeof *made);
    made->loop = loop;
    made->number = number;
    made->has_twin = loop->has_model;
    status = rk_emit_variable_list(loop, number, made->list, &made->variables, diag);
    for (i = 0; i < RKI_WORDS; i++) {
        made->place[i] = find(made, words[i]);
    }
    rki_reference_places(made, rk_rig_setting_pins, made->setting);
    rki_reference_places(made, rk_rig_output_pins, made->output);
    if (status == RK_OK) {
        status = rk_emit_rig_settings(loop, number, false, &made->fixed, diag);
    }
    if (status == RK_OK && made->has_twin) {
        status = rk_plant_params_from_model(rk_design_process(loop), loop->ts, &plant, diag);
        made->out_rest = status == RK_OK ? rki_in_text(made, plant.out0) : 0.0;
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

        rki_reference_put(r, RKI_SCAN_WRONG,
                          took < nanoseconds(written((1.0 - WATCHED_TOLERANCE) * expected)) ||
                              took >
                                  nanoseconds(written((1.0 + WATCHED_TOLERANCE) * expected)));
        r->scans = 0;
    }
    if (since(clock, isnan(r->last) ? clock : r->last, MOST * ts) >
        nanoseconds(written(LATE * ts))) {
        elapsed = rki_in_text(r, COUNTED * ts);
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
    part = rki_in_text(r, span / (raw[1] - raw[0]));
    rki_reference_put(
        r, RKI_PV,
        rki_in_text(
            r,
            rki_in_text(r, r->loop->pv_low) +
                rki_in_text(r, rki_in_text(r, rki_in_text(r, rki_reference_get(r, RKI_PV_RAW)) -
                                                  rki_in_text(r, raw[0])) *
                                   part)));
}

static void give_counts(rki_reference *r)
{
    const double *raw = r->loop->program.out_raw;
    const double span = r->loop->out_high - r->loop->out_low;
    double counts;

    if (isnan(raw[0])) return;
    counts = rki_in_text(r, rki_reference_get(r, RKI_OUT) - rki_in_text(r, r->loop->out_low));
    counts = rki_in_text(r, counts * rki_in_text(r, (raw[1] - raw[0]) / span));
    counts = rki_in_text(r, rki_in_text(r, raw[0]) + counts);
    counts = fmax(fmin(counts, rki_in_text(r, raw[1])), rki_in_text(r, raw[0]));
    rki_reference_put(r, RKI_OUT_RAW, nearbyint(counts));
}

static void begin(rki_reference *r)
{
    const rk_warm_start warm = r->loop->program.warm_start;

    if (r->begun) return;
    if (rki_reference_get(r, RKI_RAN) == 0) {
        rki_reference_put(r, RKI_OUT, rki_reference_get(r, RKI_OUT_SAFE));
        rki_reference_put(r, RKI_AUTOMATIC, 0);
    } else if (warm != RK_WARM_START_AS_IT_WAS) {
        rki_reference_put(r, RKI_AUTOMATIC, warm == RK_WARM_START_AUTOMATIC);
    }
    rki_reference_put(r, RKI_RAN, 1);
}

static rk_rig_settings settings_now(const rki_reference *r)
{
    rk_rig_settings s = r->fixed;
    const int *place = r->setting;
    const rk_rig_pin *pin;

    for (pin = rk_rig_setting_pins; pin->name != NULL; pin++, place++) {
        if (*place >= 0) {
            rk_rig_pin_set(pin, &s, r->variable[*place]);
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
    const bool simulate = rki_reference_get(r, RKI_SIMULATE) != 0;
    const bool turned = simulate != r->simulated;
    bool anew;

    *known = rki_reference_get(r, RKI_VALVE_KNOWN) != 0 &&
             isfinite(rki_reference_get(r, RKI_VALVE_OUT));
    *stands = rki_reference_get(r, *known ? RKI_VALVE_OUT : RKI_OUT);
    r->simulated = simulate;
    if (turned && !simulate) {
        rki_reference_put(r, RKI_AUTOMATIC, 0);
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
        const double low = rki_reference_get(r, RKI_OUT_LOW),
                     high = rki_reference_get(r, RKI_OUT_HIGH);

        *stands = low < high ? clamp(*stands, low, high) : *stands;
        rki_reference_put(r, RKI_MANUAL_OUT, *stands);
    }
    return anew;
}

static void answer(rki_reference *r, const rk_rig_output *out)
{
    const int *place = r->output;
    const rk_rig_pin *pin;

    r->started = out->started;
    r->out = out->out;
    if (out->mode != 0) {
        rki_reference_put(r, RKI_MANUAL_OUT, out->out);
    }
    if (r->simulated) {
        rki_reference_put(r, RKI_SIM_PV,
                          rk_rig_plant_scan(r->rig, out->out, rki_reference_get(r, RKI_LOAD)));
        rki_reference_put(r, RKI_SIM_OUT, out->out);
    } else {
        rki_reference_put(r, RKI_OUT, out->out);
    }
    give_counts(r);
    for (pin = rk_rig_output_pins; pin->name != NULL; pin++, place++) {
        /* OUT is written above, or it is frozen. */
        if (*place >= 0 && *place != r->place[RKI_OUT]) {
            r->variable[*place] = rk_rig_pin_get(pin, out);
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
    in.sp = rki_reference_get(r, RKI_SP);
    in.pv = r->simulated ? rk_rig_plant_pv(r->rig) : rki_reference_get(r, RKI_PV);
    in.pv_good = r->simulated || rki_reference_get(r, RKI_PV_GOOD) != 0;
    in.automatic = rki_reference_get(r, RKI_AUTOMATIC) != 0;
    in.manual_out = rki_reference_get(r, RKI_MANUAL_OUT);
    in.tracking = rki_reference_get(r, RKI_TRACKING) != 0;
    in.track_out = rki_reference_get(r, RKI_TRACK_OUT);
    in.applied_known = rki_reference_get(r, RKI_APPLIED_ON) != 0;
    in.applied = rki_reference_get(r, RKI_APPLIED);
    in.feedforward = rki_reference_get(r, RKI_FEEDFORWARD);
    settings = settings_now(r);
    rk_rig_scan(r->rig, &settings, &in, &out);
    answer(r, &out);
}
