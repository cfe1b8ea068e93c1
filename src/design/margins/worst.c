/* SPDX-License-Identifier: MIT */
/*
 * Margins at their worst over a set of models: each figure at its own worst model, the corner
 * named by Ms. The largest error that the loop survives is bisected: for each part p the
 * corners of a box with every number of the model wrong by p either way are tried.
 */
#include <redkettle/design/margins/margins.h>

#include <math.h>
#include <stddef.h>

#include "brief.h"

rk_status rk_worst_compute(const rk_model_set *set, const rk_settings *settings,
                           const rk_sampling *sampling, rk_worst *worst, rk_diag *diag)
{
    const double none = nan("");
    rk_worst made = {true, HUGE_VAL, HUGE_VAL, HUGE_VAL, 0.0, {0}};
    const rk_model *known;
    size_t i;

    rk_diag_clear(diag);
    if (set == NULL || settings == NULL || worst == NULL) return RK_ERR_ARG;
    /* The predictor has its model, or the nominal one, whatever the process is. */
    known = sampling != NULL && sampling->known != NULL ? sampling->known : &set->model[0];
    for (i = 0; i < set->count; i++) {
        rk_margins m;
        const rk_status status =
            rki_loop_margins_brief(&set->model[i], known, settings, sampling, &m);

        if (status == RK_ERR_MEMORY) return rk_diag_set(diag, status, "out of memory");
        if (status != RK_OK) { /* once more, to be told why */
            (void)rk_loop_margins_compute(&set->model[i], known, settings, sampling, &m, diag);
            return status;
        }
        if (!m.stable) {
            *worst = (rk_worst){false, none, none, none, none, set->model[i]};
            return RK_OK;
        }
        made.gain_margin = fmin(made.gain_margin, m.gain_margin);
        made.phase_margin = fmin(made.phase_margin, m.phase_margin);
        made.delay_margin = fmin(made.delay_margin, m.delay_margin);
        if (m.ms > made.ms) {
            made.ms = m.ms;
            made.corner = set->model[i];
        }
    }
    *worst = made;
    return RK_OK;
}

rk_status rk_worst_kc_compute(const rk_model_set *set, const rk_settings *settings,
                              const rk_sampling *sampling, double kc[2], rk_diag *diag)
{
    double low = -HUGE_VAL, high = HUGE_VAL;
    const rk_model *known;
    size_t i;

    rk_diag_clear(diag);
    if (set == NULL || settings == NULL || kc == NULL) return RK_ERR_ARG;
    known = sampling != NULL && sampling->known != NULL ? sampling->known : &set->model[0];
    kc[0] = kc[1] = nan("");
    for (i = 0; i < set->count; i++) {
        rk_margins m;
        const rk_status status =
            rk_loop_margins_compute(&set->model[i], known, settings, sampling, &m, diag);

        if (status != RK_OK) return status;
        if (!m.kc_range_exists) return RK_OK;
        low = fmax(low, m.kc_stable[0]);
        high = fmin(high, m.kc_stable[1]);
    }
    if (low < high) {
        kc[0] = low;
        kc[1] = high;
    }
    return RK_OK;
}

/* The largest part that is looked at, and how near its border is found. */
#define MOST 0.95
enum { HALVINGS = 10 };

rk_status rk_worst_survived_compute(const rk_model *model, const rk_settings *settings,
                                    const rk_sampling *sampling, double *part, rk_diag *diag)
{
    double stable = 0.0, not_stable = MOST;
    int i;

    rk_diag_clear(diag);
    if (part == NULL) return RK_ERR_ARG;
    for (i = 0; i <= HALVINGS; i++) {
        const double tried = i == 0 ? MOST : 0.5 * (stable + not_stable);
        rk_model_set corners;
        rk_worst worst = {.stable = false};
        rk_status status = rk_model_set_from_part(model, tried, RK_OVER_WORST, &corners, diag);

        if (status == RK_OK) {
            status = rk_worst_compute(&corners, settings, sampling, &worst, diag);
        }
        if (status != RK_OK) return status;
        if (worst.stable) {
            stable = tried;
        } else {
            not_stable = tried;
        }
        if (stable >= MOST) break;
    }
    *part = stable;
    return RK_OK;
}
