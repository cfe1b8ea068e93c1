/* SPDX-License-Identifier: MIT */
#ifndef RKI_PROVE_SCENE_H
#define RKI_PROVE_SCENE_H

#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/emit/emit.h>

#include "dice.h"

/** How a scan begins. */
typedef enum rki_start {
    RKI_RUNS = 0,
    RKI_COLD, /* a cold start */
    RKI_WARM
} rki_start;

/**
 * What happens to a running loop, scan by scan, the same each time: setpoints, modes, hands on the
 * valve, loads, settings that are changed, sensible or not, a PV that fails in each way, reads of
 * the valve, late scans, simulation, restarts. A process answers OUT, with noise.
 */
typedef struct rki_scene {
    rki_dice dice;
    const rk_design *loop;
    rk_rig_settings own, sound; /* the loop's; and as they were last changed */
    double centre, reach;       /* PV and setpoint play about it, so far */
    double low, span;           /* of OUT */
    rk_model_plant process;
    bool has_process;
    double pv;            /* of the process */
    double disturbance;   /* at its input */
    int failing, failure; /* scans that PV fails on, and how */

    /* What the scan is given. */
    rki_start start;
    bool late, simulate;
    double load; /* of the twin */
    rk_rig_settings settings;
    rk_rig_input in;
} rki_scene;

/** Errors  as rk_emit_st; RK_ERR_MEMORY. */
rk_status rki_scene_make(const rk_design *loop, rk_number number, uint64_t seed,
                         rki_scene *made, rk_diag *diag);
void rki_scene_free(rki_scene *s);

/** The next scan; out: what the last one wrote. */
void rki_scene_next(rki_scene *s, double out);

#endif
