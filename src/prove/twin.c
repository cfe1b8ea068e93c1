/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/softplc/softplc.h>

#include "parts.h"

/* A twin in the stand-in PLC. */
typedef struct twin {
    rk_plc *plc;
    rk_plc_instance *instance;
    rk_plc_variable out, pv;
} twin;

static rk_status set_up(twin *t, const char *text, rk_diag *diag)
{
    rk_status status;

    t->plc = rk_plc_create();
    if (t->plc == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    status = rk_plc_load(t->plc, "the plant", text, strlen(text), diag);
    if (status == RK_OK) {
        status = rk_plc_instance_create(t->plc, rk_plc_last_block(t->plc), &t->instance, diag);
    }
    if (status == RK_OK) {
        status = rk_plc_find(t->plc, t->instance, "out", &t->out, diag);
    }
    if (status == RK_OK) {
        status = rk_plc_find(t->plc, t->instance, "pv", &t->pv, diag);
    }
    return status == RK_ERR_DATA ? RK_ERR_FORMAT : status;
}

/* The rows' mean PV before OUT moves. */
static double rest(const rk_record *record, double *out)
{
    const double *outs = rk_record_out(record), *pvs = rk_record_pv(record);
    const size_t rows = rk_record_rows(record);
    double sum = 0;
    size_t i;

    *out = outs[0];
    for (i = 0; i < rows && outs[i] == outs[0]; i++) {
        sum += pvs[i];
    }
    return sum / (double)i;
}

/* OUT and PV of a record that rests elsewhere are moved to the model's operating point. */
static rk_status run_rows(const twin *t, double ts, const rk_record *record,
                          const rk_model *model, rk_twin_run *run, rk_diag *diag)
{
    const double *times = rk_record_time(record), *outs = rk_record_out(record);
    double out_rest, shift = rest(record, &out_rest) - model->pv0;
    const double out_shift = model->out0 - out_rest;
    double now = times[0], last = model->pv0, sum = 0;
    rk_status status = RK_OK;
    size_t i, held = 0;

    if (out_shift == 0) {
        shift = 0.0; /* the fit's own rest is the better one */
    }
    for (i = 0; i < run->rows && status == RK_OK; i++) {
        /* Scans up to the row; each holds the OUT that stood at its start. */
        while (now + (0.5 * ts) < times[i] && status == RK_OK) {
            while (held + 1 < run->rows && times[held + 1] <= now + (1e-9 * ts)) {
                held++;
            }
            t->out.at->real = outs[held] + out_shift;
            status = rk_plc_scan(t->plc, t->instance, diag);
            last = t->pv.at->real;
            now += ts;
        }
        run->time[i] = times[i];
        run->out[i] = outs[i];
        run->measured[i] = rk_record_pv(record)[i];
        run->twin[i] = last + shift;
        sum += (run->measured[i] - run->twin[i]) * (run->measured[i] - run->twin[i]);
        if (fabs(run->measured[i] - run->twin[i]) > run->worst) {
            run->worst = fabs(run->measured[i] - run->twin[i]);
            run->worst_at = times[i];
        }
    }
    run->rms = sqrt(sum / (double)run->rows);
    return status;
}

rk_status rk_twin_run_compute(const rk_design *loop, const char *plant_st,
                              const rk_record *record, rk_twin_run *run, rk_diag *diag)
{
    twin t = {.plc = NULL};
    double *columns;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || plant_st == NULL || record == NULL || run == NULL) return RK_ERR_ARG;
    memset(run, 0, sizeof *run);
    run->rows = rk_record_rows(record);
    if (run->rows < 2) return rk_diag_set(diag, RK_ERR_DATA, "a record of fewer than 2 rows");
    if (!loop->has_model || !(loop->ts > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a twin's run needs a model and a scan");
    }
    columns = rk_memory_create(4 * run->rows, sizeof *columns);
    if (columns == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    run->time = columns;
    run->out = columns + run->rows;
    run->measured = columns + (2 * run->rows);
    run->twin = columns + (3 * run->rows);
    status = set_up(&t, plant_st, diag);
    if (status == RK_OK && t.out.at != NULL && t.pv.at != NULL) {
        status = run_rows(&t, loop->ts, record, rk_design_process(loop), run, diag);
    }
    rk_plc_free(t.plc);
    if (status != RK_OK) {
        rk_twin_run_free(run);
    }
    return status;
}

void rk_twin_run_free(rk_twin_run *run)
{
    if (run == NULL) return;
    rk_memory_free(run->time);
    run->time = run->out = run->measured = run->twin = NULL;
}

rk_status rk_twin_run_to_csv(const rk_twin_run *run, rk_text *text, rk_diag *diag)
{
    size_t i, k;

    rk_diag_clear(diag);
    if (run == NULL || text == NULL) return RK_ERR_ARG;
    rk_text_add(text, "time_s,out,pv,twin\r\n");
    for (i = 0; i < run->rows; i++) {
        const double row[] = {run->time[i], run->out[i], run->measured[i], run->twin[i]};

        for (k = 0; k < 4; k++) {
            rk_text_add(text, k > 0 ? "," : "");
            rk_text_add_real(text, row[k]);
        }
        rk_text_add(text, "\r\n");
    }
    return rk_text_check(text, diag);
}
