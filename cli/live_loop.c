/* SPDX-License-Identifier: MIT */
#include "live_loop.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "sim_port.h"

/* The scans of a run. */
typedef struct run_rows {
    double *time, *sp, *pv, *out;
    size_t count, room;
} run_rows;

struct live_loop {
    const rk_design *design;
    sim_port *port;
    rk_loop block;
    double out_safe;
    unsigned long scans;
    run_rows rows;
};

bool event_parse(const char *words, event *made)
{
    static const struct {
        const char *word;
        event_kind kind;
        bool value_needed;
    } kinds[] = {{"sp", EVENT_SP, true},
                 {"auto", EVENT_AUTO, false},
                 {"manual", EVENT_MANUAL, false},
                 {"load", EVENT_LOAD, true}};
    const size_t width = strcspn(words, "=");
    size_t i;

    for (i = 0; i < sizeof kinds / sizeof kinds[0]; i++) {
        if (width != strlen(kinds[i].word) || memcmp(words, kinds[i].word, width) != 0)
            continue;
        made->kind = kinds[i].kind;
        made->value = nan("");
        if (words[width] == '\0') return !kinds[i].value_needed;
        return kinds[i].kind != EVENT_AUTO &&
               rk_number_parse(words + width + 1, strlen(words + width + 1), &made->value) &&
               isfinite(made->value);
    }
    return false;
}

/* Where plant and valve stand now; a first PV may be bad for a moment, but not for long. */
static rk_status find_start(const rk_port *port, double *pv, double *out, rk_diag *diag)
{
    if (port->read_pv(port->user, pv) != RK_OK || !isfinite(*pv)) {
        return rk_diag_set(diag, RK_ERR_IO, "the port has no PV to start from");
    }
    if (port->read_out(port->user, out) != RK_OK || !isfinite(*out)) {
        return rk_diag_set(diag, RK_ERR_IO, "the port does not say where OUT stands");
    }
    return RK_OK;
}

static rk_status start_block(live_loop *live, double sp_rate, rk_diag *diag)
{
    const rk_design *d = live->design;
    const rk_port port = sim_port_seam(live->port);
    rk_loop_params params;
    double pv = 0, out = 0;
    rk_status status = rk_design_block_params(d, &params, diag);

    if (status == RK_OK) {
        status = find_start(&port, &pv, &out, diag);
    }
    if (status != RK_OK) return status;
    params.pid.sp_rate = sp_rate;
    live->out_safe = isnan(d->out_safe) ? out : d->out_safe;
    if (!(out >= params.pid.out_lo && out <= params.pid.out_hi)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "OUT stands at %.6g %s, beyond its limits %.6g to %.6g: move it by "
                           "hand first",
                           out, d->out_units, params.pid.out_lo, params.pid.out_hi);
    }
    status = rk_loop_init(&live->block, &port, &params, pv, out);
    return status == RK_OK ? RK_OK
                           : rk_diag_set(diag, status, "the loop block refuses to start");
}

rk_status live_loop_create(const rk_design *design, double sp_rate, live_loop **made,
                           rk_diag *diag)
{
    live_loop *live = rk_memory_create(1, sizeof *live);
    rk_status status;

    if (live == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a run");
    live->design = design;
    status = sim_port_create(design, &live->port, diag);
    if (status == RK_OK) {
        status = start_block(live, sp_rate, diag);
    }
    if (status != RK_OK) {
        live_loop_free(live);
        return status;
    }
    *made = live;
    return RK_OK;
}

bool live_loop_do(live_loop *live, const event *what)
{
    const rk_design *d = live->design;

    switch (what->kind) {
    case EVENT_SP:
        if (what->value < d->pv_low || what->value > d->pv_high) return false;
        live->block.sp = what->value;
        return true;
    case EVENT_MANUAL:
        if (what->value < d->out_low || what->value > d->out_high) return false;
        rk_pid_set_manual(&live->block.pid, what->value);
        return true;
    case EVENT_AUTO:
        rk_pid_set_auto(&live->block.pid);
        return true;
    default:
        sim_port_set_load(live->port, what->value);
        return true;
    }
}

static rk_status keep_row(live_loop *live, rk_diag *diag)
{
    run_rows *r = &live->rows;

    if (r->count == r->room) {
        const size_t room = r->room > 0 ? 2 * r->room : 1024;
        double **columns[] = {&r->time, &r->sp, &r->pv, &r->out};
        size_t i;

        for (i = 0; i < 4; i++) {
            double *grown = rk_memory_resize(*columns[i], room, sizeof(double));

            if (grown == NULL) {
                return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory after %zu scans",
                                   r->count);
            }
            *columns[i] = grown;
        }
        r->room = room;
    }
    r->time[r->count] = live_loop_time(live);
    r->sp[r->count] = live->block.pid.mode == RK_PID_AUTO && !live->block.pid.fresh
                          ? live->block.pid.sp_now
                          : live->block.sp;
    r->pv[r->count] = (live->block.alarms & RK_ALARM_PV_BAD) != 0 ? nan("") : live->block.pv;
    r->out[r->count++] = live->block.out;
    return RK_OK;
}

rk_status live_loop_scan(live_loop *live, double elapsed, rk_diag *diag)
{
    rk_status status;

    rk_loop_scan(&live->block, elapsed);
    status = keep_row(live, diag);
    live->scans++;
    sim_port_advance(live->port);
    return status;
}

bool live_loop_make_safe(live_loop *live)
{
    const rk_port port = sim_port_seam(live->port);

    if (port.write_out(port.user, live->out_safe) != RK_OK) return false;
    live->block.out = live->out_safe;
    return true;
}

rk_loop *live_loop_block(live_loop *live)
{
    return &live->block;
}

double live_loop_time(const live_loop *live)
{
    return (double)live->scans * live->design->ts;
}

rk_run_curves live_loop_curves(const live_loop *live)
{
    const run_rows *r = &live->rows;
    const rk_run_curves made = {"", r->count, r->time, r->sp, r->pv, r->out};

    return made;
}

const char *live_loop_mode(const live_loop *live)
{
    return live->block.pid.mode == RK_PID_AUTO ? "auto" : "manual";
}

void alarm_words(uint32_t alarms, const char *between, char *words, size_t room)
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

void live_loop_free(live_loop *live)
{
    if (live == NULL) return;
    sim_port_free(live->port);
    rk_memory_free(live->rows.time);
    rk_memory_free(live->rows.sp);
    rk_memory_free(live->rows.pv);
    rk_memory_free(live->rows.out);
    rk_memory_free(live);
}
