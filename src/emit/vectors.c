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

/* The loop under test, and a process to control. */
typedef struct rig {
    const rki_controller *c;
    rk_rig *blocks;
    rk_rig_settings settings;
    rk_model_plant plant;
    bool has_plant;
    double pv; /* of a process that is not known: it follows the setpoint */
} rig;

/* Without a model PV goes a part of the way to the setpoint each scan. */
#define FOLLOWS 0.1

static rk_status set_up(rig *r, const rki_controller *c, rk_diag *diag)
{
    rk_status status;

    *r = (rig){.c = c, .has_plant = c->loop->has_model};
    status = rk_emit_rig_settings(c->loop, c->number, true, &r->settings, diag);
    if (status == RK_OK) {
        status = rk_emit_rig_create(c->loop, c->number, false, &r->blocks, diag);
    }
    if (status == RK_OK && r->has_plant) {
        status =
            rk_model_plant_create(rk_design_process(c->loop), c->loop->ts, &r->plant, diag);
        if (status != RK_OK) return status;
        r->pv = rk_plant_pv(&r->plant.plant);
    }
    return status;
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

static void answer(rig *r, bool first, rk_vector *row)
{
    const rk_rig_input in = {.sp = row->sp,
                             .pv = row->pv,
                             .pv_good = true,
                             .automatic = row->automatic,
                             .manual_out = row->manual_out,
                             .valve_known = first,
                             .valve_out = r->c->out_start};
    rk_rig_output out;

    rk_rig_scan(r->blocks, &r->settings, &in, &out);
    row->out = out.out;
    row->held = out.held;
}

/* A number that the text's own type holds. */
static double held_by(const rig *r, double value)
{
    return r->c->number == RK_NUMBER_REAL ? (double)(float)value : value;
}

static void scan(rig *r, phase at, double sp, bool first, rk_vector *row)
{
    row->sp = held_by(r, sp);
    row->pv = at == PV_BAD ? nan("") : held_by(r, r->pv);
    row->automatic = at != IN_MANUAL && at != BEYOND;
    row->manual_out = held_by(r, by_hand(r->c, at));
    answer(r, first, row);
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
                scan(&r, at, sp, used == 0, &made[used]);
                used++;
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
    rk_rig_free(r.blocks);
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
