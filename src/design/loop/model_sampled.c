/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/model.h>

#include <math.h>
#include <string.h>

#include "chain.h"
#include "state_transition.h"

/* How near a whole number of scans a dead time counts as one: 0.3 / 0.1 is 2.9999999999999996.
 */
#define DELAY_SNAP 1e-9

static void sample_model(const rk_model *model, double ts, double rest, rk_plant_params *params)
{
    const rki_transition all = rki_transition_of_model(model, ts);
    /* while the older output still acts, and from then on */
    const rki_transition before = rki_transition_of_model(model, rest);
    const rki_transition after = rki_transition_of_model(model, ts - rest);
    int i;

    for (i = 0; i < 2; i++) {
        params->a[i][0] = all.phi[i][0];
        params->a[i][1] = all.phi[i][1];
        params->b0[i] = after.gamma[i];
        params->b1[i] =
            (after.phi[i][0] * before.gamma[0]) + (after.phi[i][1] * before.gamma[1]);
    }
}

/* A chain of one or two states, sampled, is a pair as well. */
static void sample_process(const rk_model *model, double ts, double rest,
                           rk_plant_params *params)
{
    rki_chain all, before, after;
    int i, j;

    rki_chain_of_process(model, ts, &all);
    rki_chain_of_process(model, rest, &before);
    rki_chain_of_process(model, ts - rest, &after);
    params->states = all.states;
    for (i = 0; i < all.states; i++) {
        double sum = 0;

        for (j = i; j < all.states; j++) {
            params->a[i][j] = all.phi[i][j];
            sum += after.phi[i][j] * before.gamma[j];
        }
        params->b0[i] = after.gamma[i];
        params->b1[i] = sum;
    }
}

rk_status rk_plant_params_from_model(const rk_model *model, double ts, rk_plant_params *params,
                                     rk_diag *diag)
{
    const rk_status status = rk_model_check(model, diag);
    double scans, whole, rest;

    if (status != RK_OK) return status;
    if (params == NULL) return RK_ERR_ARG;
    if (!(ts > 0) || !isfinite(ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "scan %g s: give a scan interval above 0", ts);
    }
    scans = model->dead_time / ts;
    if (!(scans <= RK_PLANT_DELAY_MAX)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "dead time %g s is %g scans of %g s; at most %g can be simulated",
                           model->dead_time, scans, ts, RK_PLANT_DELAY_MAX);
    }
    whole = floor(scans + DELAY_SNAP);
    rest = fmax(model->dead_time - (whole * ts), 0.0);
    if (scans - whole < DELAY_SNAP) {
        rest = 0.0;
    }
    memset(params, 0, sizeof *params);
    if (rk_model_is_process(model)) {
        sample_process(model, ts, rest, params);
    } else {
        sample_model(model, ts, rest, params);
    }
    params->delay = (size_t)whole;
    params->out0 = model->out0;
    params->pv0 = model->pv0;
    return RK_OK;
}

rk_status rk_predictor_params_from_model(const rk_model *model, double ts,
                                         rk_plant_params *whole, rk_plant_params *quick,
                                         rk_diag *diag)
{
    rk_plant_params made;
    rk_status status = rk_plant_params_from_model(model, ts, &made, diag);
    rk_model prompt;

    if (status != RK_OK) return status;
    if (whole == NULL || quick == NULL) return RK_ERR_ARG;
    prompt = *model;
    prompt.dead_time = 0.0;
    status = rk_plant_params_from_model(&prompt, ts, quick, diag);
    if (status == RK_OK) {
        *whole = made;
    }
    return status;
}
