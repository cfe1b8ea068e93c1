/* SPDX-License-Identifier: MIT */
#ifndef RKI_RIG_CALLS_H
#define RKI_RIG_CALLS_H

#include <redkettle/rig/rig.h>

/** A rig of one precision: rig.c is compiled in both. */
typedef struct rki_rig_calls {
    rk_status (*create)(const rk_rig_params *params, void **made);
    void (*free)(void *rig);
    rk_status (*coefficients)(const rk_rig_settings *settings, rk_rig_coefficients *c);
    void (*scan)(void *rig, const rk_rig_settings *settings, const rk_rig_input *in,
                 rk_rig_output *out);
    void (*plant_restart)(void *rig);
    double (*plant_pv)(const void *rig);
    double (*plant_scan)(void *rig, double out, double load);
    double (*sum)(double a, double b);
} rki_rig_calls;

extern const rki_rig_calls rki_rig_calls_double, rki_rig_calls_single;

#endif
