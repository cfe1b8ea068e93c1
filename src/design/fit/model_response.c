/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit/fit.h>

#include <math.h>

#include "design/loop/chain.h"
#include "design/loop/state_transition.h"

/* A walk along the record: the state at a time, and the output that acts there, theta late. */
typedef struct walk {
    const rk_model *model;
    rki_transition motion; /* of the step last taken, which is often the next one's too */
    rki_chain chain;       /* of a process made of parts in its place */
    double step;
    double x[RKI_CHAIN_STATES], u;
} walk;

static void go_chain(walk *w, double step)
{
    int i, j;

    if (step != w->step) {
        rki_chain_of_process(w->model, step, &w->chain);
        w->step = step;
    }
    for (i = 0; i < w->chain.states; i++) {
        double sum = w->chain.gamma[i] * w->u;

        for (j = i; j < w->chain.states; j++) {
            sum += w->chain.phi[i][j] * w->x[j];
        }
        w->x[i] = sum;
    }
}

static void go(walk *w, double step)
{
    const double x0 = w->x[0], x1 = w->x[1];
    const rki_transition *m = &w->motion;

    if (!(step > 0)) return;
    if (rk_model_is_process(w->model)) {
        go_chain(w, step);
        return;
    }
    if (step != w->step) {
        w->motion = rki_transition_of_model(w->model, step);
        w->step = step;
    }
    w->x[0] = (m->phi[0][0] * x0) + (m->phi[0][1] * x1) + (m->gamma[0] * w->u);
    w->x[1] = (m->phi[1][0] * x0) + (m->phi[1][1] * x1) + (m->gamma[1] * w->u);
}

/* The same with each move so much before its row; NULL: on it. */
static rk_status respond(const rk_model *model, const rk_record *record, const double *early,
                         double *pv, rk_diag *diag)
{
    const rk_status status = rk_model_check(model, diag);
    walk w = {.model = model};
    const double *time, *out;
    size_t rows, row, move = 1, moves = 0;
    double now;

    if (status != RK_OK) return status;
    if (record == NULL || pv == NULL) return RK_ERR_ARG;
    rows = rk_record_rows(record);
    time = rk_record_time(record);
    out = rk_record_out(record);
    if (rows == 0) return RK_OK;

    w.u = out[0] - model->out0;
    if (rk_model_is_process(model)) {
        rki_chain_rest(model, w.u, w.x);
    } else {
        rki_transition_rest(model, w.u, w.x);
    }
    now = time[0];
    for (row = 0; row < rows; row++) {
        for (; move < rows; move++) {
            double acts = time[move] + model->dead_time;

            if (out[move] == out[move - 1]) continue;
            acts -= early != NULL && moves < RK_FIT_MOVES ? early[moves] : 0.0;
            if (acts > time[row]) break;
            moves++;
            if (acts > now) { /* else before the record */
                go(&w, acts - now);
                now = acts;
            }
            w.u = out[move] - model->out0;
        }
        go(&w, time[row] - now);
        now = time[row];
        pv[row] = model->pv0 + w.x[0];
    }
    return RK_OK;
}

rk_status rk_model_response_compute(const rk_model *model, const rk_record *record, double *pv,
                                    rk_diag *diag)
{
    return respond(model, record, NULL, pv, diag);
}

/* Add what a state that starts off rest, or a load from a time on, adds at every row. */
static void add_walk(walk w, const rk_record *record, double load, double load_at, double *pv)
{
    const double *time = rk_record_time(record);
    double now = time[0];
    size_t row;

    for (row = 0; row < rk_record_rows(record); row++) {
        if (load != 0 && w.u == 0 && time[0] + load_at < time[row]) {
            go(&w, time[0] + load_at - now);
            now = time[0] + load_at;
            w.u = load;
        }
        go(&w, time[row] - now);
        now = time[row];
        pv[row] += w.x[0];
    }
}

rk_status rk_fit_response_compute(const rk_fit *fit, const rk_record *record, double *pv,
                                  rk_diag *diag)
{
    const double *time;
    walk w = {.model = NULL};
    rk_status status;
    size_t row;

    rk_diag_clear(diag);
    if (fit == NULL) return RK_ERR_ARG;
    status = respond(&fit->model, record, fit->early, pv, diag);
    if (status != RK_OK) return status;
    time = rk_record_time(record);
    w.model = &fit->model;
    for (row = 0; row < rk_record_rows(record); row++) {
        pv[row] += fit->drift * (time[row] - time[0]);
    }
    if (fit->initial != 0) {
        w.x[fit->model.kind == RK_MODEL_IPDT_LAG ? 1 : 0] = fit->initial;
        if (fit->model.kind == RK_MODEL_SOPDT) {
            /* The slower lag stands last: the other is off by so much that PV moves so fast. */
            w.x[1] = fit->initial + (fit->initial_rate * fit->model.time_constant[0]);
        } else if (fit->model.kind == RK_MODEL_SOPDT_OSC) {
            w.x[1] = fit->initial_rate * fit->model.time_constant[0];
        }
        add_walk(w, record, 0, 0, pv);
        w.x[0] = w.x[1] = 0;
    }
    if (fit->load != 0) {
        add_walk(w, record, fit->load, fit->load_at, pv);
    }
    return RK_OK;
}
