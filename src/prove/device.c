/* SPDX-License-Identifier: MIT */
#include "parts.h"

static void scan(const rki_rig *rig, rk_rig *blocks, const rk_rig_settings *settings,
                 const rki_input *in, rki_output *made)
{
    const double twin = rig->twin ? rk_rig_plant_pv(blocks) : 0.0;
    const rk_rig_input given = {
        .sp = in->sp,
        .pv = in->closed != 0 ? rk_rig_sum(blocks, twin, in->pv) : in->pv,
        .pv_good = true,
        .automatic = in->automatic != 0,
        .manual_out = in->manual_out,
        /* What no valve can stand at is taken into its range: a number that is none, to its low. */
        .valve_known = in->start != 0,
        .valve_out = rk_is_finite(in->out_start) ? in->out_start : settings->out_low,
        .restart = in->start != 0};
    rk_rig_output out;

    rk_rig_scan(blocks, settings, &given, &out);
    *made = (rki_output){.out = out.out, .held = out.held};
    if (rig->twin) {
        made->pv = rk_rig_plant_scan(blocks, out.out, in->load);
    }
}

rk_status rki_run_device(const rki_rig *rig, rki_output *outputs, rk_diag *diag)
{
    rk_rig_settings settings;
    rk_rig *blocks = NULL;
    rk_status status = rk_emit_rig_settings(rig->loop, rig->number, true, &settings, diag);
    size_t i;

    if (status == RK_OK) {
        status = rk_emit_rig_create(rig->loop, rig->number, rig->twin, &blocks, diag);
    }
    for (i = 0; i < rig->count && status == RK_OK; i++) {
        if (rig->inputs[i].start != 0 && rig->twin) {
            rk_rig_plant_restart(blocks);
        }
        scan(rig, blocks, &settings, &rig->inputs[i], &outputs[i]);
    }
    rk_rig_free(blocks);
    return status;
}
