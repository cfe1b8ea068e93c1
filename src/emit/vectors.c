/* SPDX-License-Identifier: MIT */
#include <math.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/loop/closed_loop.h>

#include "plant.h"

/* A phase of the test lasts until the process has settled, within these. */
enum { SCANS_LEAST = 20, SCANS_MOST = 300, BAD_SCANS = 3 };

/* What happens, in order. */
typedef enum phase {
    AT_REST,
    SMALL_STEP, /* a setpoint step */
    TO_HIGH,    /* one that drives OUT to its high limit */
    TO_LOW,     /* and to its low */
    BACK,       /* to the operating point */
    IN_MANUAL,  /* by hand, in the middle of the range */
    BEYOND,     /* and beyond it */
    AUTOMATIC,  /* back without a bump */
    PV_BAD,     /* no number */
    SETPOINT_BAD,
    RECOVERED,
    PHASES
} phase;

/* The loop under test: controller, filter, and a process to control. */
typedef struct rig {
    const rki_controller *c;
    rk_controller controller;
    rk_single *single; /* NULL: in double */
    rk_model_plant plant;
    bool has_plant;
    double pv; /* of a process that is not known: it follows the setpoint */
} rig;

/* Without a model PV goes a part of the way to the setpoint each scan. */
#define FOLLOWS 0.1

static rk_status set_up(rig *r, const rki_controller *c, rk_diag *diag)
{
    const rk_limits limits = rk_design_limits(c->loop);
    rk_status status;

    *r = (rig){.c = c, .has_plant = c->loop->has_model};
    status = rk_controller_create(&c->loop->settings, &limits,
                                  c->loop->has_model ? &c->loop->model : NULL, c->loop->ts,
                                  &r->controller, diag);
    if (status != RK_OK) return status;
    status = rk_controller_start(&r->controller, c->out_start);
    if (status == RK_OK && c->number == RK_NUMBER_REAL) {
        status = rk_emit_single_create(c->loop, false, &r->single, diag);
        if (status != RK_OK) return status;
        rk_single_start(r->single, c->out_start);
    }
    if (status == RK_OK && r->has_plant) {
        status =
            rk_model_plant_create(rk_design_process(c->loop), c->loop->ts, &r->plant, diag);
        if (status != RK_OK) return status;
        r->pv = rk_plant_pv(&r->plant.plant);
    }
    return status == RK_OK ? RK_OK : rk_diag_set(diag, status, "the loop cannot be run");
}

/* So many ranges beyond a limit: a weight on the setpoint takes most of it. */
#define FAR 4.0

/* The setpoint that drives OUT so far beyond a limit. */
static double far_setpoint(const rki_controller *c, double start, bool high)
{
    const double span = c->params.out_hi - c->params.out_lo;

    return start + ((high ? 1.0 : -1.0) * FAR * span / c->params.kc);
}

static double setpoint(const rki_controller *c, double start, phase at)
{
    switch (at) {
    case SMALL_STEP:
        return start + rk_design_requirements(c->loop).sp_step;
    case TO_HIGH:
        return far_setpoint(c, start, true);
    case TO_LOW:
        return far_setpoint(c, start, false);
    case SETPOINT_BAD:
        return nan("");
    default:
        return start;
    }
}

static double by_hand(const rki_controller *c, phase at)
{
    const double low = c->params.out_lo, high = c->params.out_hi;

    return at == BEYOND ? high + (0.1 * (high - low)) : low + (0.5 * (high - low));
}

static void answer(rig *r, rk_vector *row)
{
    if (r->single != NULL) {
        row->out = rk_single_scan(r->single, row->sp, row->pv, row->automatic, row->manual_out);
        row->held = rk_single_held(r->single);
        return;
    }
    rk_controller_mode(&r->controller, row->automatic, row->manual_out);
    row->out = rk_controller_scan(&r->controller, row->sp, row->pv);
    row->held = r->controller.pid.bad;
}

/* A number that the text's own type holds. */
static double held_by(const rig *r, double value)
{
    return r->single != NULL ? (double)(float)value : value;
}

static void scan(rig *r, phase at, double sp, rk_vector *row)
{
    row->sp = held_by(r, sp);
    row->pv = at == PV_BAD ? nan("") : held_by(r, r->pv);
    row->automatic = at != IN_MANUAL && at != BEYOND;
    row->manual_out = held_by(r, by_hand(r->c, at));
    answer(r, row);
    if (r->has_plant) {
        r->pv = rk_plant_scan(&r->plant.plant, row->out);
    } else if (!isnan(sp)) {
        r->pv += FOLLOWS * (sp - r->pv);
    }
}

/* How long a phase is: until the process has settled, and the valve moved all its way. */
static size_t phase_scans(const rig *r, const rk_design *loop)
{
    const rk_model *plant = rk_design_process(loop);
    const double settle = r->has_plant
                              ? (3.0 * rk_model_slowest(plant)) + (2.0 * plant->dead_time)
                              : SCANS_LEAST * loop->ts;
    const double stroke = 1.5 * (loop->out_high - loop->out_low) / loop->out_rate;

    return (size_t)fmin(fmax(fmax(settle, stroke) / loop->ts, SCANS_LEAST), SCANS_MOST);
}

rk_status rk_vectors_create(const rk_design *loop, rk_number number, rk_vector **rows,
                            size_t *count, rk_diag *diag)
{
    rk_vector *made = NULL;
    rki_controller c;
    size_t length, used = 0, i;
    double start;
    phase at;
    rig r;
    rk_status status = rki_controller_make(loop, number, &c, diag);

    if (status != RK_OK) return status;
    status = set_up(&r, &c, diag);
    if (status == RK_OK) {
        length = phase_scans(&r, loop);
        made = rk_memory_create(length * PHASES, sizeof *made);
        start = r.pv;
        for (at = AT_REST; at < PHASES && made != NULL; at = (phase)(at + 1)) {
            const bool bad = at == PV_BAD || at == SETPOINT_BAD;
            const double sp = setpoint(&c, start, at);

            for (i = 0; i < (bad ? BAD_SCANS : length); i++) {
                scan(&r, at, sp, &made[used++]);
            }
        }
        if (made == NULL) {
            status = rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
        } else {
            *rows = made;
            *count = used;
        }
    }
    rk_model_plant_free(&r.plant);
    rk_controller_free(&r.controller);
    rk_single_free(r.single);
    return status;
}

static void add_number(rk_text *text, double value)
{
    rk_text_add(text, ",");
    if (isnan(value)) {
        rk_text_add(text, "NaN");
    } else {
        rk_text_add_real(text, value);
    }
}

rk_status rk_emit_vectors(const rk_design *loop, rk_number number, rk_text *text, rk_diag *diag)
{
    rk_vector *rows = NULL;
    size_t count = 0, i;
    const rk_status status = rk_vectors_create(loop, number, &rows, &count, diag);

    if (status != RK_OK) return status;
    rk_text_add(text, "scan,sp,pv,automatic,manual_out,out,held\r\n");
    for (i = 0; i < count; i++) {
        rk_text_add(text, "%zu", i);
        add_number(text, rows[i].sp);
        add_number(text, rows[i].pv);
        rk_text_add(text, ",%d", rows[i].automatic);
        add_number(text, rows[i].manual_out);
        add_number(text, rows[i].out);
        rk_text_add(text, ",%d\r\n", rows[i].held);
    }
    rk_memory_free(rows);
    return rk_text_check(text, diag);
}
