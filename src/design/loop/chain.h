/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_LOOP_CHAIN_H
#define RKI_DESIGN_LOOP_CHAIN_H

#include <redkettle/design/loop/model.h>

enum { RKI_CHAIN_STATES = RK_LAGS_MAX + 1 };

/**
 * How the state of a process made of parts moves in a time h under a held output u = out - out0,
 * dead time aside: x becomes phi x + gamma u. x[0] is pv - pv0, the others what feeds it, the lag
 * that OUT comes to first being the last; phi is upper triangular.
 */
typedef struct rki_chain {
    int states;
    double phi[RKI_CHAIN_STATES][RKI_CHAIN_STATES], gamma[RKI_CHAIN_STATES];
} rki_chain;

/** Exact, by the matrix exponential. */
void rki_chain_of_process(const rk_model *process, double h, rki_chain *chain);

/** The state that a held u leads to; of an integrator the one with PV at pv0. */
void rki_chain_rest(const rk_model *process, double u, double x[RKI_CHAIN_STATES]);

#endif
