/* SPDX-License-Identifier: MIT */
#include <redkettle/design/model.h>

#include <math.h>
#include <stddef.h>

#include "words.h"

static const char *const kind_words[] = {"fopdt", NULL};

const char *rk_model_kind_to_text(rk_model_kind kind)
{
    return rki_word(kind_words, (int)kind);
}

rk_status rk_model_kind_from_text(const char *text, rk_model_kind *kind, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    if (text == NULL || kind == NULL) return RK_ERR_ARG;
    status = rki_word_find(kind_words, "model kind", text, &found, diag);
    if (status == RK_OK) {
        *kind = (rk_model_kind)found;
    }
    return status;
}

rk_status rk_model_check(const rk_model *model, rk_diag *diag)
{
    if (model == NULL) return RK_ERR_ARG;
    if (!isfinite(model->gain) || model->gain == 0) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "model gain %g: give a finite gain that is not 0, in pv units per out unit",
            model->gain);
    }
    if (!isfinite(model->time_constant[0]) || !(model->time_constant[0] > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "time constant %g s: give a time above 0, such as 40s or 2min",
                           model->time_constant[0]);
    }
    if (model->time_constant[1] != 0) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a fopdt model has one time constant, not two");
    }
    if (!isfinite(model->dead_time) || !(model->dead_time >= 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "dead time %g s: give a time of 0 or more",
                           model->dead_time);
    }
    if (!isfinite(model->out0) || !isfinite(model->pv0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "operating point out0 %g, pv0 %g: give finite values", model->out0,
                           model->pv0);
    }
    return RK_OK;
}

/* How near a whole number of scans a dead time counts as one: 0.3 / 0.1 is 2.9999999999999996.
 */
#define DELAY_SNAP 1e-9

rk_status rk_plant_params_from_model(const rk_model *model, double ts, rk_plant_params *params,
                                     rk_diag *diag)
{
    const rk_status status = rk_model_check(model, diag);
    double scans, whole, rest, tau;

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
    tau = model->time_constant[0];

    params->a = exp(-ts / tau);
    params->b0 = -model->gain * expm1(-(ts - rest) / tau);
    params->b1 =
        (rest == 0.0) ? 0.0 : -model->gain * exp(-(ts - rest) / tau) * expm1(-rest / tau);
    params->delay = (size_t)whole;
    params->out0 = model->out0;
    params->pv0 = model->pv0;
    return RK_OK;
}
