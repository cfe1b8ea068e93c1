/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit.h>

#include <math.h>

#include "motion.h"

/* A walk along the record: the state at a time, and the output that acts there, theta late. */
typedef struct walk {
    const rk_model *model;
    rki_motion motion; /* of the step last taken, which is often the next one's too */
    double step;
    double x[2], u;
} walk;

static void go(walk *w, double step)
{
    const double x0 = w->x[0], x1 = w->x[1];
    const rki_motion *m = &w->motion;

    if (!(step > 0)) return;
    if (step != w->step) {
        w->motion = rki_motion_of_model(w->model, step);
        w->step = step;
    }
    w->x[0] = (m->phi[0][0] * x0) + (m->phi[0][1] * x1) + (m->gamma[0] * w->u);
    w->x[1] = (m->phi[1][0] * x0) + (m->phi[1][1] * x1) + (m->gamma[1] * w->u);
}

rk_status rk_model_response(const rk_model *model, const rk_record *record, double *pv,
                            rk_diag *diag)
{
    const rk_status status = rk_model_check(model, diag);
    walk w = {.model = model};
    const double *time, *out;
    size_t rows, row, move = 1;
    double now;

    if (status != RK_OK) return status;
    if (record == NULL || pv == NULL) return RK_ERR_ARG;
    rows = rk_record_rows(record);
    time = rk_record_time(record);
    out = rk_record_out(record);
    if (rows == 0) return RK_OK;

    w.u = out[0] - model->out0;
    rki_motion_rest(model, w.u, w.x);
    now = time[0];
    for (row = 0; row < rows; row++) {
        for (; move < rows; move++) {
            const double acts = time[move] + model->dead_time;

            if (out[move] == out[move - 1]) continue;
            if (acts > time[row]) break;
            go(&w, acts - now);
            now = acts;
            w.u = out[move] - model->out0;
        }
        go(&w, time[row] - now);
        now = time[row];
        pv[row] = model->pv0 + w.x[0];
    }
    return RK_OK;
}
