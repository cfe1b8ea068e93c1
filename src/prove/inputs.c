/* SPDX-License-Identifier: MIT */
#include <math.h>

#include <redkettle/design/base/memory.h>

#include "dice.h"
#include "parts.h"

static double draw(rki_dice *d)
{
    return rki_draw(d);
}

/* Out of a hundred scans. */
static bool happens(rki_dice *d, double percent)
{
    return rki_draw(d) < percent / 100.0;
}

typedef struct scene {
    rki_dice state;
    double low, span; /* of OUT */
    double centre;    /* PV and setpoint play about it, */
    double reach;     /* .. so far: it takes OUT through its range */
    double sp, pv;    /* of an open loop */
    double manual_out, load;
    bool automatic, closed, sane;
} scene;

/* From within the range, its ends, beyond them, and from nothing. */
static double a_start(scene *s)
{
    const double place = draw(&s->state);

    if (!s->sane && happens(&s->state, 10)) return nan("");
    if (happens(&s->state, 20)) return s->low;
    if (happens(&s->state, 20)) return s->low + s->span;
    if (!s->sane && happens(&s->state, 25)) return s->low + (s->span * ((3.0 * place) - 1.0));
    return s->low + (s->span * place);
}

static double not_a_number(scene *s)
{
    const double which = draw(&s->state);

    if (which < 0.5) return nan("");
    if (which < 0.65) return HUGE_VAL;
    if (which < 0.8) return -HUGE_VAL;
    return (which < 0.9 ? 1.0 : -1.0) * 1e308; /* a number, and yet too large to count with */
}

static void move_on(scene *s)
{
    if (happens(&s->state, 2)) {
        const double size = happens(&s->state, 30) ? 1.0 : 0.1;

        s->sp = s->centre + (size * s->reach * (draw(&s->state) - 0.5));
    }
    if (happens(&s->state, 1)) {
        s->automatic = !s->automatic;
    }
    if (happens(&s->state, s->automatic ? 1 : 6)) {
        s->manual_out = s->low + (s->span * ((1.6 * draw(&s->state)) - 0.3));
    }
    if (happens(&s->state, 1)) {
        s->load = 0.2 * s->span * (draw(&s->state) - 0.5);
    }
    s->pv += 0.05 * (s->sp - s->pv);
}

static rki_input an_input(scene *s)
{
    const double noise = 0.01 * s->reach * (draw(&s->state) - 0.5);
    rki_input in = {.closed = s->closed,
                    .sp = s->sp,
                    .pv = s->closed ? noise : s->pv + noise,
                    .automatic = s->automatic,
                    .manual_out = s->manual_out,
                    .load = s->load};

    if (!s->sane) {
        if (happens(&s->state, 1.5)) {
            in.pv = not_a_number(s);
        }
        if (happens(&s->state, 0.7)) {
            in.sp = not_a_number(s);
        }
        if (happens(&s->state, 0.7)) {
            in.manual_out = not_a_number(s);
        }
        if (happens(&s->state, 0.3)) {
            in.load = nan("");
        }
    }
    return in;
}

/* How many scans go on from one start, at most, and of how many runs one is open. */
enum { RUN_SCANS = 400, OPEN_EVERY = 3 };

static void begin(scene *s, size_t run)
{
    s->closed = run % OPEN_EVERY != OPEN_EVERY - 1;
    s->automatic = true;
    s->sp = s->pv = s->centre;
    s->manual_out = s->low + (0.5 * s->span);
    s->load = 0;
}

/* The first scans of a user's block: at rest, in manual where it has that, so that both stand at the
   same output whatever a block's way to start is. */
enum { REST_SCANS = 5 };

static void stand_at_rest(const scene *s, size_t scan, rki_input *in)
{
    in->sp = s->centre;
    in->pv = s->closed ? 0.0 : s->centre;
    in->automatic = scan >= REST_SCANS - 1;
    in->manual_out = in->out_start;
    in->load = 0;
}

void rki_start_alike(rki_input *inputs, size_t count, const rki_output *got, size_t done)
{
    size_t i;

    for (i = 0; i < count && i < done; i++) {
        if (inputs[i].start != 0) {
            inputs[i].out_start = got[i].out;
        }
    }
}

static void fill(const rki_rig *rig, scene *s, size_t scans, rki_input *inputs)
{
    size_t run = 0, left = 0, since = 0, i;
    double out_start = 0;

    for (i = 0; i < scans; i++) {
        const bool start = left == 0;

        if (start) {
            begin(s, run++);
            s->closed = s->closed && rig->twin;
            left = 20 + (size_t)(draw(&s->state) * RUN_SCANS);
        }
        left--;
        move_on(s);
        inputs[i] = an_input(s);
        inputs[i].start = start;
        inputs[i].out_start = start ? a_start(s) : 0.0;
        since = start ? 0 : since + 1;
        out_start = start ? inputs[i].out_start : out_start;
        if (s->sane && since < REST_SCANS) {
            inputs[i].out_start = out_start;
            stand_at_rest(s, since, &inputs[i]);
        }
    }
}

static rk_status add_vectors(const rki_rig *rig, rki_input **inputs, size_t scans, size_t *used,
                             rk_diag *diag)
{
    rk_vector *rows = NULL;
    size_t count = 0, i;
    const rk_status status = rk_vectors_create(rig->loop, rig->number, &rows, &count, diag);

    if (status != RK_OK) return status;
    *inputs = rk_memory_create(count + scans, sizeof **inputs);
    for (i = 0; i < count && *inputs != NULL; i++) {
        (*inputs)[i] = (rki_input){.start = i == 0,
                                   .out_start = rig->out_start,
                                   .sp = rows[i].sp,
                                   .pv = rows[i].pv,
                                   .automatic = rows[i].automatic,
                                   .manual_out = rows[i].manual_out};
    }
    rk_memory_free(rows);
    *used = count;
    return *inputs != NULL ? RK_OK : rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
}

rk_status rki_inputs_create(const rki_rig *rig, size_t scans, bool sane, rki_input **inputs,
                            size_t *count, rk_diag *diag)
{
    const rk_design *loop = rig->loop;
    scene s = {.state = {2026}, .low = loop->out_low, .sane = sane};
    size_t used = 0;
    rk_status status = RK_OK;

    s.span = loop->out_high - loop->out_low;
    s.centre = loop->has_model ? loop->model.pv0 : 0.0;
    s.reach = fmin(4.0 * s.span / fabs(loop->settings.kc), 1e12);
    if (sane) {
        *inputs = rk_memory_create(scans, sizeof **inputs);
        if (*inputs == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    } else {
        status = add_vectors(rig, inputs, scans, &used, diag);
    }
    if (status == RK_OK && *inputs != NULL) {
        fill(rig, &s, scans, *inputs + used);
        *count = used + scans;
    }
    return status;
}
