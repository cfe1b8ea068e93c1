/* SPDX-License-Identifier: MIT */
#include <redkettle/live/live.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/first_reading.h>
#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/number.h>
#include <redkettle/design/base/scan_clock.h>
#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/design/loop/keys.h>

void rk_events_sort(rk_event *events, size_t count)
{
    size_t i, k;

    for (i = 1; i < count; i++) {
        const rk_event moved = events[i];

        for (k = i; k > 0 && events[k - 1].at > moved.at; k--) {
            events[k] = events[k - 1];
        }
        events[k] = moved;
    }
}

double rk_events_largest_change(const rk_event *events, size_t count, double sp)
{
    double largest = 0;
    size_t i;

    for (i = 0; i < count; i++) {
        if (events[i].kind != RK_EVENT_SETPOINT) continue;
        largest = fmax(largest, fabs(events[i].value - sp));
        sp = events[i].value;
    }
    return largest;
}

struct rk_live {
    rk_design design; /* its settings as they are now */
    rk_live_port *port;
    rk_loop block;
    bool held;        /* the device does not enable OUT, */
    rk_pid_mode mode; /* and this is the mode that the loop goes back to */
    rk_scan_clock clock;
    rk_controller parts; /* its predictor and its switch are the block's */
    double out_safe, sp_rate;
    rk_live_row last;
    rk_run_meter meter;
    rk_run_rows rows;
    rk_live_engine engine; /* scan NULL: there is none */
    char failure[200];
};

static rk_status no_event(const char *words, rk_diag *diag)
{
    return rk_diag_set(diag, RK_ERR_FORMAT,
                       "'%.80s' is none of sp=VALUE, manual=OUT, manual, auto, load=OUT, or "
                       "KEY=VALUE of [settings]",
                       words);
}

/* Set each "key=value" of [settings]; RK_ERR_ARG for a word that is none, and nothing is said.
 */
static rk_status set_keys(rk_design *d, const char *keys, rk_diag *diag)
{
    char copy[RK_EVENT_KEYS_CHARS], *rest = NULL, *word;
    rk_status status = RK_OK;

    (void)snprintf(copy, sizeof copy, "%s", keys);
    for (word = strtok_r(copy, " \t", &rest); word != NULL && status == RK_OK;
         word = strtok_r(NULL, " \t", &rest)) {
        char *equals = strchr(word, '=');

        if (equals == NULL) return RK_ERR_ARG;
        *equals = '\0';
        if (rk_key_place("settings", word) == rk_key_count()) return RK_ERR_ARG;
        status = rk_design_set(d, "settings", word, equals + 1, diag);
    }
    return status;
}

/* Each key is looked at alone; whether they go together shows when they are laid over those
   that stand. */
static rk_status take_settings(const char *words, rk_event *event, rk_diag *diag)
{
    rk_design scratch = rk_design_make();
    rk_status status;

    if (strlen(words) >= RK_EVENT_KEYS_CHARS || strchr(words, '=') == NULL) {
        return no_event(words, diag);
    }
    status = set_keys(&scratch, words, diag);
    if (status == RK_ERR_ARG) {
        rk_diag_clear(diag);
        return no_event(words, diag);
    }
    if (status != RK_OK) return status;
    event->kind = RK_EVENT_SETTINGS;
    event->value = nan("");
    (void)snprintf(event->keys, sizeof event->keys, "%s", words);
    return RK_OK;
}

rk_status rk_event_parse(const char *words, rk_event *event, rk_diag *diag)
{
    static const struct {
        const char *word;
        rk_event_kind kind;
        bool takes_value, needs_value;
    } kinds[] = {{"sp", RK_EVENT_SETPOINT, true, true},
                 {"auto", RK_EVENT_AUTO, false, false},
                 {"manual", RK_EVENT_MANUAL, true, false},
                 {"load", RK_EVENT_LOAD, true, true}};
    size_t width, i;

    rk_diag_clear(diag);
    if (words == NULL || event == NULL) return RK_ERR_ARG;
    width = strcspn(words, "=");
    for (i = 0; i < sizeof kinds / sizeof kinds[0]; i++) {
        const bool has_value = words[width] == '=';
        double value = nan("");

        if (width != strlen(kinds[i].word) || memcmp(words, kinds[i].word, width) != 0)
            continue;
        if (has_value ? !kinds[i].takes_value : kinds[i].needs_value)
            return no_event(words, diag);
        if (has_value &&
            !rk_number_parse(words + width + 1, strlen(words + width + 1), &value)) {
            return no_event(words, diag);
        }
        event->kind = kinds[i].kind;
        event->value = value;
        event->keys[0] = '\0';
        return RK_OK;
    }
    return take_settings(words, event, diag);
}

static void keep_unless_given(double *given, double now)
{
    *given = isnan(*given) ? now : *given;
}

/* The keys over the settings that stand, which are in the ideal form; another form's numbers
   stand for themselves. */
static rk_status lay_settings(rk_design *d, const char *keys, rk_diag *diag)
{
    const double none = nan("");
    const rk_settings now = d->settings;
    rk_status status;

    d->given = rk_given_settings_make();
    status = set_keys(d, keys, diag);
    if (status != RK_OK) return status;
    if (d->given.form == RK_FORM_IDEAL) {
        keep_unless_given(&d->given.kc, now.kc);
        keep_unless_given(&d->given.ti, isfinite(now.ti) ? now.ti : none);
        keep_unless_given(&d->given.td, now.td > 0 ? now.td : none);
        keep_unless_given(&d->given.tf, now.td > 0 ? now.tf : none);
    }
    return rk_design_settle(d, diag);
}

static rk_status settings_after(const rk_design *design, const rk_event *event,
                                rk_design *after, rk_loop_params *params, rk_diag *diag)
{
    rk_status status;

    *after = *design;
    status = lay_settings(after, event->keys, diag);
    if (status == RK_OK) {
        status = rk_design_check(after, diag);
    }
    return status == RK_OK ? rk_design_block_params(after, params, diag) : status;
}

rk_status rk_event_settings(const rk_design *design, const rk_event *event, rk_design *after,
                            rk_diag *diag)
{
    rk_loop_params params;

    rk_diag_clear(diag);
    if (design == NULL || event == NULL || after == NULL) return RK_ERR_ARG;
    return settings_after(design, event, after, &params, diag);
}

rk_status rk_event_check(const rk_design *d, const rk_event *e, rk_diag *diag)
{
    rk_loop_params params;
    rk_design after;

    rk_diag_clear(diag);
    if (d == NULL || e == NULL) return RK_ERR_ARG;
    if (e->kind == RK_EVENT_SETPOINT && (e->value < d->pv_low || e->value > d->pv_high)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "setpoint %g is beyond %g to %g %s", e->value,
                           d->pv_low, d->pv_high, d->pv_units);
    }
    if (e->kind == RK_EVENT_MANUAL && (e->value < d->out_low || e->value > d->out_high)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "output %g is beyond %g to %g %s", e->value,
                           d->out_low, d->out_high, d->out_units);
    }
    if (e->kind == RK_EVENT_LOAD && d->port.kind != RK_PORT_SIM) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "load: only the simulated plant can be loaded, and [port] kind is %s",
            rk_port_kind_to_text(d->port.kind));
    }
    if (e->kind == RK_EVENT_SETTINGS) return settings_after(d, e, &after, &params, diag);
    return RK_OK;
}

/* The block's own seam: what the port does, and what the device makes of it. */

/* While the device does not enable OUT the loop follows what stands there; then it goes on from that. */
static void follow_device(rk_live *live)
{
    rk_pid *pid = &live->block.pid;
    double stands = nan("");

    if (rk_live_port_enabled(live->port)) {
        if (live->held && live->mode == RK_PID_MANUAL) {
            rk_pid_set_manual(pid, nan(""));
        } else if (live->held) {
            rk_pid_set_auto(pid);
        }
        live->held = false;
        return;
    }
    if (!live->held) {
        live->mode = pid->mode;
        live->held = true;
    }
    if (live->port->seam.read_out(live->port->seam.user, &stands) != RK_OK) {
        stands = nan("");
    }
    rk_pid_set_tracking(pid, stands);
}

/* An OUT that was not taken, and the device that has come back may have moved the valve meanwhile. */
static void find_valve(rk_live *live)
{
    double stands = nan("");

    if ((live->block.alarms & RK_ALARM_WRITE_FAILED) == 0) return;
    if (live->port->seam.read_out(live->port->seam.user, &stands) != RK_OK) return;
    if (!isfinite(stands)) return;
    live->block.out =
        fmin(fmax(stands, live->block.pid.params.out_lo), live->block.pid.params.out_hi);
    rk_pid_take_out(&live->block.pid, stands);
}

static rk_status read_pv(void *user, rk_real *pv)
{
    rk_live *live = user;
    const rk_status status = live->port->seam.read_pv(live->port->seam.user, pv);

    find_valve(live);
    follow_device(live);
    return status;
}

static rk_status write_out(void *user, rk_real out)
{
    rk_live *live = user;

    return live->port->seam.write_out(live->port->seam.user, out);
}

static rk_status read_out(void *user, rk_real *out)
{
    rk_live *live = user;

    return live->port->seam.read_out(live->port->seam.user, out);
}

/* Where plant and valve stand now. */
static rk_status find_start(const rk_port *port, double *pv, double *out, rk_diag *diag)
{
    if (!rk_first_reading(port, port->read_pv, pv)) {
        return rk_diag_set(diag, RK_ERR_IO, "the port has no PV to start from");
    }
    if (!rk_first_reading(port, port->read_out, out)) {
        return rk_diag_set(diag, RK_ERR_IO, "the port does not tell OUT's present value");
    }
    return RK_OK;
}

/* The predictor and the switch of a loop, which stand at OUT; the block uses them. */
static rk_status take_parts(rk_live *live, const rk_design *d, double out, rk_diag *diag)
{
    const rk_limits limits = rk_design_limits(d);
    rk_controller made;
    rk_status status = rk_controller_create(
        &d->settings, &limits, d->has_model ? &d->model : NULL, d->ts, &made, diag);

    if (status != RK_OK) return status;
    status = rk_controller_start(&made, out);
    if (status != RK_OK) {
        rk_controller_free(&made);
        return rk_diag_set(diag, status, "the loop block refuses to start");
    }
    rk_controller_free(&live->parts);
    live->parts = made;
    rk_loop_set_predictor(&live->block, made.memory != NULL ? &live->parts.predictor : NULL);
    rk_loop_set_on_off(&live->block, made.two_position ? &live->parts.on_off : NULL);
    return RK_OK;
}

static rk_status start_block(rk_live *live, double sp_rate, rk_diag *diag)
{
    const rk_port seam = {live, read_pv, write_out, read_out};
    const rk_design *d = &live->design;
    rk_loop_params params;
    double pv = 0, out = 0;
    rk_status status = rk_design_block_params(d, &params, diag);

    if (status == RK_OK) {
        status = find_start(&live->port->seam, &pv, &out, diag);
    }
    if (status != RK_OK) return status;
    params.pid.sp_rate = fmin(params.pid.sp_rate, sp_rate);
    live->out_safe = isnan(d->out_safe) ? out : d->out_safe;
    if (!(out >= params.pid.out_lo && out <= params.pid.out_hi)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "OUT is at %.6g %s, beyond its limits %.6g to %.6g: move it by "
                           "hand first",
                           out, d->out_units, params.pid.out_lo, params.pid.out_hi);
    }
    status = rk_loop_init(&live->block, &seam, &params, pv, out);
    if (status != RK_OK) return rk_diag_set(diag, status, "the loop block refuses to start");
    return take_parts(live, d, out, diag);
}

rk_status rk_live_create(const rk_design *design, rk_live_port *port, double sp_rate,
                         rk_live **live, rk_diag *diag)
{
    const double none = nan("");
    rk_live *made;
    rk_status status;

    rk_diag_clear(diag);
    if (design == NULL || port == NULL || live == NULL) return RK_ERR_ARG;
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a run");
    made->design = *design;
    made->clock.ts = design->ts;
    made->sp_rate = sp_rate;
    made->port = port;
    made->last = (rk_live_row){none, none, none, none};
    made->meter = rk_run_meter_make();
    status = start_block(made, sp_rate, diag);
    if (status != RK_OK) {
        rk_live_free(made);
        return status;
    }
    *live = made;
    return RK_OK;
}

/* Predictor and switch of a loop, made anew where the settings want others; the model is the
   loop's all along. */
static rk_status change_parts(rk_live *live, const rk_design *after, rk_diag *diag)
{
    const rk_settings *was = &live->design.settings, *is = &after->settings;
    const bool same_switch =
        was->on_off == is->on_off || (isnan(was->on_off) && isnan(is->on_off));

    if (was->predictor == is->predictor && same_switch) return RK_OK;
    return take_parts(live, after, live->block.out, diag);
}

static rk_status change_settings(rk_live *live, const rk_event *event, rk_diag *diag)
{
    rk_loop_params params;
    rk_design after;
    rk_status status = settings_after(&live->design, event, &after, &params, diag);

    if (status == RK_OK && live->engine.scan != NULL) {
        status = live->engine.take_settings(live->engine.user, &after, diag);
    }
    if (status != RK_OK) return status;
    params.pid.sp_rate = fmin(params.pid.sp_rate, live->sp_rate);
    status = change_parts(live, &after, diag);
    if (status != RK_OK) return status;
    status = rk_loop_set_params(&live->block, &params);
    if (status != RK_OK)
        return rk_diag_set(diag, status, "the loop block refuses these settings");
    live->design = after;
    return RK_OK;
}

/* A loop that its device holds goes to the mode when it is let go, from where OUT stands then. */
static void take_mode(rk_live *live, const rk_event *event)
{
    live->mode = event->kind == RK_EVENT_MANUAL ? RK_PID_MANUAL : RK_PID_AUTO;
    if (live->held) return;
    if (event->kind == RK_EVENT_MANUAL) {
        rk_pid_set_manual(&live->block.pid, event->value);
    } else {
        rk_pid_set_auto(&live->block.pid);
    }
}

rk_status rk_live_do(rk_live *live, const rk_event *event, rk_diag *diag)
{
    rk_status status;

    if (event->kind == RK_EVENT_SETTINGS) return change_settings(live, event, diag);
    status = rk_event_check(&live->design, event, diag);
    if (status != RK_OK) return status;
    switch (event->kind) {
    case RK_EVENT_SETPOINT:
        live->block.sp = event->value;
        return RK_OK;
    case RK_EVENT_MANUAL:
    case RK_EVENT_AUTO:
        take_mode(live, event);
        return RK_OK;
    case RK_EVENT_ACKNOWLEDGE:
        rk_loop_acknowledge(&live->block);
        return RK_OK;
    default:
        if (live->port->plant == NULL) {
            return rk_diag_set(diag, RK_ERR_RANGE, "load: there is no simulated plant to load");
        }
        rk_sim_plant_set_load(live->port->plant, event->value);
        return RK_OK;
    }
}

/* Read, scan and write as the block does, by what stands in its place. */
static void scan_engine(rk_live *live, double elapsed)
{
    rk_loop *b = &live->block;
    double pv = b->pv;
    const bool there = b->port.read_pv(b->port.user, &pv) == RK_OK;

    if (!live->engine.scan(live->engine.user, b, pv, there, elapsed, live->failure)) return;
    if (b->port.write_out(b->port.user, b->out) != RK_OK) {
        b->alarms |= (uint32_t)RK_ALARM_WRITE_FAILED;
    }
    b->alarms_seen |= b->alarms;
}

void rk_live_set_engine(rk_live *live, const rk_live_engine *engine)
{
    live->engine = *engine;
}

const char *rk_live_failure(const rk_live *live)
{
    return live->failure;
}

void rk_live_pass(rk_live *live, double elapsed)
{
    const double scans = round(elapsed / live->clock.ts);

    if (rk_scan_clock_pass(&live->clock, elapsed) && scans > 1) {
        rk_live_port_pass(live->port, (size_t)scans - 1);
    }
}

void rk_live_scan(rk_live *live, double elapsed)
{
    const rk_loop *b = &live->block;
    rk_live_row row = {.time = rk_live_time(live)};

    if (live->engine.scan != NULL) {
        scan_engine(live, elapsed);
    } else {
        rk_loop_scan(&live->block, elapsed);
    }
    row.sp = b->pid.mode == RK_PID_AUTO && !b->pid.fresh ? b->pid.sp_now : b->sp;
    row.pv = (b->alarms & RK_ALARM_PV_BAD) != 0 ? nan("") : b->pv;
    row.out = b->out;
    rk_run_rows_add(&live->rows, &row);
    rk_run_meter_add(&live->meter, row.sp, row.pv, row.out);
    live->last = row;
    (void)rk_scan_clock_scan(&live->clock);
    rk_live_port_end_scan(live->port);
}

bool rk_live_make_safe(rk_live *live, double seconds)
{
    if (rk_live_port_write_now(live->port, live->out_safe, seconds) != RK_OK) return false;
    live->held = rk_live_port_holds(live->port);
    if (!live->held) {
        live->block.out = live->out_safe;
    }
    return true;
}

bool rk_live_is_held(const rk_live *live)
{
    return live->held && rk_live_port_holds(live->port);
}

const rk_loop *rk_live_block(const rk_live *live)
{
    return &live->block;
}

double rk_live_time(const rk_live *live)
{
    return rk_scan_clock_due(&live->clock);
}

double rk_live_scan_interval(const rk_live *live)
{
    return live->design.ts;
}

size_t rk_live_scans(const rk_live *live)
{
    return live->clock.scans;
}

rk_live_row rk_live_last(const rk_live *live)
{
    return live->last;
}

rk_run_curves rk_live_curves(const rk_live *live)
{
    return rk_run_rows_curves(&live->rows);
}

rk_run_figures rk_live_figures(const rk_live *live)
{
    return live->meter.figures;
}

const char *rk_live_mode(const rk_live *live)
{
    if (live->held) return "tracking";
    return live->block.pid.mode == RK_PID_AUTO ? "auto" : "manual";
}

void rk_alarm_words(uint32_t alarms, const char *between, char *words, size_t room)
{
    size_t used = 0;
    int i;

    words[0] = '\0';
    for (i = 0; i < RK_ALARMS; i++) {
        if ((alarms & (1U << i)) == 0 || used >= room) continue;
        used += (size_t)snprintf(words + used, room - used, "%s%s", used > 0 ? between : "",
                                 rk_alarm_text((rk_alarm)(1U << i)));
    }
}

void rk_live_alarms(const rk_live *live, const char *between, char *words, size_t room)
{
    const uint32_t with_why = RK_ALARM_PV_BAD | RK_ALARM_WRITE_FAILED;
    const char *why = rk_live_port_why(live->port);
    size_t used;

    rk_alarm_words(live->block.alarms, between, words, room);
    used = strlen(words);
    if ((live->block.alarms & with_why) == 0 || why[0] == '\0' || used + 1 >= room) return;
    (void)snprintf(words + used, room - used, " (%s)", why);
}

void rk_live_free(rk_live *live)
{
    if (live == NULL) return;
    rk_controller_free(&live->parts);
    rk_memory_free(live);
}
