/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/memory.h>
#include <redkettle/design/loop/design.h>
#include <redkettle/device/filter.h>

#include "parts.h"

/* The device blocks, as a loop's scan calls them. */
typedef struct blocks {
    rk_pid_params params;
    rk_pid pid;
    rk_filter filter;
    rk_plant_params plant_params;
    rk_plant plant;
    rk_real *memory;
} blocks;

static rk_status start(const rki_rig *rig, blocks *b, double out_start)
{
    /* What no valve can stand at is taken into its range: a number that is none, to its low. */
    const double wanted = rk_is_finite(out_start) ? out_start : b->params.out_lo;
    rk_status status =
        rk_pid_init(&b->pid, &b->params, rk_clamp(wanted, b->params.out_lo, b->params.out_hi));

    if (status == RK_OK) {
        status = rk_filter_init(&b->filter, rig->loop->settings.pv_filter, rig->loop->ts);
    }
    if (status == RK_OK && rig->twin) {
        status = rk_plant_init(&b->plant, &b->plant_params, b->memory,
                               b->plant_params.delay + 1, b->plant_params.out0);
    }
    return status;
}

static rki_output scan(const rki_rig *rig, blocks *b, const rki_input *in)
{
    const double pv = in->closed != 0 ? rk_plant_pv(&b->plant) + in->pv : in->pv;
    rki_output made = {0};

    if (in->automatic != 0) {
        rk_pid_set_auto(&b->pid);
    } else {
        rk_pid_set_manual(&b->pid, in->manual_out);
    }
    made.out =
        rk_pid_scan(&b->pid, in->sp, rk_is_finite(pv) ? rk_filter_scan(&b->filter, pv) : pv);
    made.held = b->pid.bad;
    if (rig->twin) {
        made.pv = rk_plant_scan(&b->plant, made.out + in->load);
    }
    return made;
}

static rk_status run_double(const rki_rig *rig, rki_output *outputs, rk_diag *diag)
{
    const rk_limits limits = rk_design_limits(rig->loop);
    blocks b = {.memory = NULL};
    rk_status status =
        rk_settings_pid_params(&rig->loop->settings, &limits, rig->loop->ts, &b.params, diag);
    size_t i;

    if (status == RK_OK && rig->twin) {
        status =
            rk_plant_params_from_model(&rig->loop->model, rig->loop->ts, &b.plant_params, diag);
        if (status != RK_OK) return status;
        b.memory = rk_memory_create(b.plant_params.delay + 1, sizeof *b.memory);
        if (b.memory == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    }
    for (i = 0; i < rig->count && status == RK_OK; i++) {
        if (rig->inputs[i].start != 0) {
            status = start(rig, &b, rig->inputs[i].out_start);
        }
        if (status == RK_OK) {
            outputs[i] = scan(rig, &b, &rig->inputs[i]);
        }
    }
    rk_memory_free(b.memory);
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
