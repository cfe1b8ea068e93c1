/* SPDX-License-Identifier: MIT */
/*
 * From a step test to settings, with the library alone: read a record, fit a model, tune by
 * SIMC, check the margins.
 *
 *   fit_and_tune data/blend-brix.csv timestamp FV210.OUT_pct AT210.PV_degBx
 */
#include <stdio.h>

#include <redkettle/redkettle.h>

static int fit_and_tune(const rk_record *record, rk_diag *diag)
{
    rk_fit fit;
    const rk_knobs knobs = rk_knobs_make();
    rk_tuning tuning;
    rk_margins margins;

    if (rk_fit_compute_kind(record, RK_MODEL_FOPDT, &fit, diag) != RK_OK) return 1;
    if (rk_tuning_compute(&fit.model, "simc", NULL, &knobs, &tuning, diag) != RK_OK) return 1;
    if (rk_margins_compute(&fit.model, &tuning.settings, &margins, diag) != RK_OK) return 1;

    printf("gain %.4g, time constant %.4g s, dead time %.4g s (%.4g to %.4g)\n", fit.model.gain,
           fit.model.time_constant[0], fit.model.dead_time, fit.dead_time95[0],
           fit.dead_time95[1]);
    printf("kc %.4g, ti %.4g s: gain margin %.3g, phase margin %.3g deg\n", tuning.settings.kc,
           tuning.settings.ti, margins.gain_margin, margins.phase_margin);
    return margins.stable ? 0 : 1;
}

int main(int argc, char **argv)
{
    rk_diag diag = {RK_OK, ""};
    rk_record *record = NULL;
    rk_columns columns;
    int result;

    if (argc != 5) {
        fprintf(stderr, "usage: fit_and_tune FILE TIME OUT PV\n");
        return 2;
    }
    columns = (rk_columns){.time = argv[2], .out = argv[3], .pv = argv[4]};
    result = rk_record_read(argv[1], &columns, &record, NULL, &diag) != RK_OK;
    if (result == 0) {
        result = fit_and_tune(record, &diag);
    }
    if (diag.status != RK_OK) {
        fprintf(stderr, "fit_and_tune: %s\n", diag.text);
    }
    rk_record_free(record);
    return result;
}
