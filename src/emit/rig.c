/* SPDX-License-Identifier: MIT */
/* What a loop's program text is held to: its device blocks, in the text's precision. */
#include <float.h>
#include <math.h>
#include <string.h>

#include <redkettle/design/loop/closed_loop.h>

#include "controller.h"

/* Numbers that no signal reaches, in the text's own type. */
#define BEYOND 1e30

static double or_zero(double x)
{
    return x < DBL_MAX ? x : 0.0;
}

static double within(double x)
{
    return fmax(fmin(x, BEYOND), -BEYOND);
}

rk_status rk_emit_rig_settings(const rk_design *loop, rk_number number, bool slim,
                               rk_rig_settings *settings, rk_diag *diag)
{
    bool over_region;

    return rki_settings_make(loop, number, slim, settings, &over_region, diag);
}

rk_status rki_settings_make(const rk_design *loop, rk_number number, bool slim,
                            rk_rig_settings *settings, bool *over_region, rk_diag *diag)
{
    double kc[2];
    const double most = number == RK_NUMBER_REAL ? (double)FLT_MAX : DBL_MAX;
    rk_loop_params all;
    const rk_pid_params *p = &all.pid;
    rk_status status = rk_design_block_params(loop, &all, diag);

    if (status != RK_OK) return status;
    *settings = (rk_rig_settings){
        .scan = p->ts,
        .kc = p->kc,
        .ti = or_zero(p->ti),
        .td = p->td,
        .tf = p->tf,
        .sp_weight = p->sp_weight,
        .d_sp_weight = p->d_sp_weight,
        .deadband = p->deadband,
        /* as ti, also when ti is changed later */
        .tracking_time = p->tt == p->ti && !p->biased ? 0.0 : p->tt,
        .anti_windup = (int)p->anti_windup,
        .integral_by = (int)p->integral,
        .derivative_by = (int)p->derivative,
        .velocity = p->algorithm == RK_ALGORITHM_VELOCITY,
        .biased = p->biased,
        .bias = p->bias,
        .two_position = rk_settings_is_on_off(&loop->settings),
        .hysteresis = rk_settings_is_on_off(&loop->settings) ? loop->settings.on_off : 0.0,
        .pv_filter = all.pv_filter,
        .out_low = p->out_lo,
        .out_high = p->out_hi,
        .out_rate = or_zero(p->out_rate),
        .out_safe = p->out_safe,
        .sp_low = slim ? -most : within(p->sp_lo),
        .sp_high = slim ? most : within(p->sp_hi),
        .sp_rate = or_zero(p->sp_rate),
        .pv_low = slim ? -most : within(p->pv_lo),
        .pv_high = slim ? most : within(p->pv_hi),
        .hold_time = -1.0,
        .alarm_low = -BEYOND,
        .alarm_high = BEYOND,
    };
    if (slim) return RK_OK;
    settings->hold_time = all.hold_time < DBL_MAX ? all.hold_time : -1.0;
    settings->stale_time = or_zero(all.stale_time);
    settings->alarm_low = within(all.pv_low);
    settings->alarm_high = within(all.pv_high);
    settings->alarm_deviation = or_zero(all.deviation);
    settings->alarm_gap = all.alarm_gap;
    status = rki_kc_range(loop, kc, over_region, diag);
    if (status == RK_OK && kc[0] < kc[1]) {
        settings->kc_low = within(kc[0]);
        settings->kc_high = within(kc[1]);
    }
    return status;
}

static rk_rig_plant numbers_of(const rk_plant_params *p)
{
    rk_rig_plant made;

    memcpy(made.a, p->a, sizeof made.a);
    memcpy(made.b0, p->b0, sizeof made.b0);
    memcpy(made.b1, p->b1, sizeof made.b1);
    made.states = p->states;
    made.delay = p->delay;
    made.out0 = p->out0;
    made.pv0 = p->pv0;
    return made;
}

rk_status rk_emit_rig_create(const rk_design *loop, rk_number number, bool twin, rk_rig **made,
                             rk_diag *diag)
{
    rk_rig_params p = {.single = number == RK_NUMBER_REAL, .twin = twin};
    rk_plant_params plant, quick;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || made == NULL) return RK_ERR_ARG;
    p.predictor = loop->has_settings && loop->settings.predictor == RK_YES;
    if (p.predictor) {
        status = rk_predictor_params_from_model(&loop->model, loop->ts, &plant, &quick, diag);
        if (status != RK_OK) return status;
        p.whole = numbers_of(&plant);
        p.quick = numbers_of(&quick);
    }
    if (twin) {
        status = rk_plant_params_from_model(rk_design_process(loop), loop->ts, &plant, diag);
        if (status != RK_OK) return status;
        p.plant = numbers_of(&plant);
    }
    status = rk_rig_create(&p, made);
    return status == RK_OK
               ? RK_OK
               : rk_diag_set(
                     diag, status,
                     "single precision cannot hold this loop at a scan of %g s: take lreal",
                     loop->ts);
}
