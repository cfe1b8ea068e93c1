/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/design/loop/design.h>

#include "parts.h"

/* The device blocks, as a loop's scan calls them. */
typedef struct blocks {
    rk_controller controller;
    rk_model_plant twin;
} blocks;

static rk_status start(const rki_rig *rig, blocks *b, double out_start)
{
    /* What no valve can stand at is taken into its range: a number that is none, to its low. */
    const rk_pid_params *p = &b->controller.params;
    const double wanted = rk_is_finite(out_start) ? out_start : p->out_lo;

    if (rig->twin) {
        rk_model_plant_reset(&b->twin);
    }
    return rk_controller_start(&b->controller, rk_clamp(wanted, p->out_lo, p->out_hi));
}

static rki_output scan(const rki_rig *rig, blocks *b, const rki_input *in)
{
    const double pv = in->closed != 0 ? rk_plant_pv(&b->twin.plant) + in->pv : in->pv;
    rki_output made = {0};

    rk_controller_mode(&b->controller, in->automatic != 0, in->manual_out);
    made.out = rk_controller_scan(&b->controller, in->sp, pv);
    made.held = b->controller.pid.bad;
    if (rig->twin) {
        made.pv = rk_plant_scan(&b->twin.plant, made.out + in->load);
    }
    return made;
}

static rk_status run_double(const rki_rig *rig, rki_output *outputs, rk_diag *diag)
{
    const rk_design *loop = rig->loop;
    const rk_limits limits = rk_design_limits(loop);
    blocks b = {.twin = {.memory = NULL}};
    rk_status status =
        rk_controller_create(&loop->settings, &limits, loop->has_model ? &loop->model : NULL,
                             loop->ts, &b.controller, diag);
    size_t i;

    if (status != RK_OK) return status;
    if (rig->twin) {
        status = rk_model_plant_create(rk_design_process(loop), loop->ts, &b.twin, diag);
    }
    for (i = 0; i < rig->count && status == RK_OK; i++) {
        if (rig->inputs[i].start != 0) {
            status = start(rig, &b, rig->inputs[i].out_start);
        }
        if (status == RK_OK) {
            outputs[i] = scan(rig, &b, &rig->inputs[i]);
        }
    }
    rk_model_plant_free(&b.twin);
    rk_controller_free(&b.controller);
    return status == RK_OK ? RK_OK : rk_diag_set(diag, status, "the device blocks refuse it");
}

static rk_status run_single(const rki_rig *rig, rki_output *outputs, rk_diag *diag)
{
    rk_single *s = NULL;
    const rk_status status = rk_emit_single_create(rig->loop, rig->twin, &s, diag);
    size_t i;

    for (i = 0; i < rig->count && status == RK_OK; i++) {
        const rki_input *in = &rig->inputs[i];

        if (in->start != 0) {
            rk_single_start(s, in->out_start);
        }
        outputs[i] = (rki_output){0};
        outputs[i].out = rk_single_scan(
            s, in->sp, in->closed != 0 ? rk_single_sum(rk_single_pv(s), in->pv) : in->pv,
            in->automatic != 0, in->manual_out);
        outputs[i].held = rk_single_held(s);
        if (rig->twin) {
            outputs[i].pv = rk_single_plant_scan(s, in->load);
        }
    }
    rk_single_free(s);
    return status;
}

rk_status rki_run_device(const rki_rig *rig, rki_output *outputs, rk_diag *diag)
{
    if (rig->number == RK_NUMBER_REAL) return run_single(rig, outputs, diag);
    return run_double(rig, outputs, diag);
}
