/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/fit.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

rk_status rk_validation_compute(const rk_model *model, const rk_record *record,
                                rk_validation *validation, rk_diag *diag)
{
    rk_validation made = {0, 0, 0};
    double *x, mean = 0, total = 0, left = 0;
    const double *pv;
    rk_status status;
    size_t rows, i;

    rk_diag_clear(diag);
    if (model == NULL || record == NULL || validation == NULL) return RK_ERR_ARG;
    rows = rk_record_rows(record);
    pv = rk_record_pv(record);
    if (rows < 2) {
        return rk_diag_set(diag, RK_ERR_DATA, "%zu row: a validation needs 2 at least", rows);
    }
    x = rk_memory_create(rows, sizeof *x);
    if (x == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to validate");
    status = rk_model_response_compute(model, record, x, diag);
    for (i = 0; i < rows && status == RK_OK; i++) {
        made.offset += (pv[i] - x[i]) / (double)rows;
        mean += pv[i] / (double)rows;
    }
    for (i = 0; i < rows && status == RK_OK; i++) {
        const double r = pv[i] - x[i] - made.offset;

        left += r * r;
        total += (pv[i] - mean) * (pv[i] - mean);
    }
    rk_memory_free(x);
    if (status != RK_OK) return status;
    if (!(total > 0)) {
        return rk_diag_set(diag, RK_ERR_DATA, "PV never moves: it cannot validate a model");
    }
    made.rmse = sqrt(left / (double)rows);
    made.fit_percent = 100.0 * (1.0 - sqrt(left / total));
    *validation = made;
    return RK_OK;
}

rk_status rk_fit_lay_over(const rk_record *record, const rk_model *model, rk_lay_over moves,
                          rk_fit *fit, rk_diag *diag)
{
    rk_validation found = {0};
    rk_model m;
    rk_status status;

    rk_diag_clear(diag);
    if (record == NULL || model == NULL || fit == NULL) return RK_ERR_ARG;
    m = *model;
    if (moves.out0 && !rk_model_kind_integrates(m.kind) && rk_record_rows(record) > 0) {
        m.out0 = rk_record_out(record)[0];
    }
    status = rk_validation_compute(&m, record, &found, diag);
    if (status != RK_OK) return status;
    m.pv0 += moves.pv0 ? found.offset : 0.0;
    memset(fit, 0, sizeof *fit);
    fit->model = m;
    fit->fit_percent = found.fit_percent;
    fit->rmse = found.rmse;
    fit->answers_by = fit->bic = nan(""); /* nothing was sought */
    return RK_OK;
}
