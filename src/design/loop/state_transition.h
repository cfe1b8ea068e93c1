/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_LOOP_STATE_TRANSITION_H
#define RKI_DESIGN_LOOP_STATE_TRANSITION_H

#include <redkettle/design/loop/model.h>

/**
 * How a model's state moves in a time h under a held output u = out - out0, dead time aside: x
 * becomes phi x + gamma u. The states are those of rk_plant: x[0] is pv - pv0; x[1] is what
 * feeds it, the quick lag's output or a rate.
 */
typedef struct rki_transition {
    double phi[2][2], gamma[2];
} rki_transition;

rki_transition rki_transition_of_model(const rk_model *model, double h);

/** The state that a held u leads to; of an integrator the one with PV at pv0. */
void rki_transition_rest(const rk_model *model, double u, double x[2]);

#endif
