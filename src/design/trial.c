/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/memory.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>

#include "trial_metrics.h"

/* PV is computed at least this often in a time constant and in a scan: linear between the
   points, a curve is then right to about a part in a million. */
#define POINTS_A_TAU 400.0
#define POINTS_A_SCAN 8.0
#define POINTS_A_SCAN_MAX 2000.0
/* A run of more points than this is a mistake in its units. */
#define POINTS_MAX 50e6

struct rk_trial {
    char name[48];
    rki_curves curves;
    rk_trial_metrics metrics;
    double out_start;
};

double rk_trial_time_to_settle(const rk_trial_case *trial_case)
{
    const rk_model *m = &trial_case->plant;
    const rk_settings *s = &trial_case->settings;
    double slowest = rk_model_slowest(m);

    if (!trial_case->manual && isfinite(s->ti)) {
        slowest = fmax(slowest, s->ti);
        if (!rk_model_kind_integrates(m->kind)) {
            slowest = fmax(slowest, s->ti / fabs(s->kc * m->gain));
        }
    }
    if (!trial_case->manual && rk_model_kind_integrates(m->kind)) {
        slowest = fmax(slowest, 1.0 / fabs(s->kc * m->gain));
    }
    return (6.0 * slowest) + (8.0 * m->dead_time);
}

static rk_status check_plan(const rk_trial_case *c, const rk_trial_plan *p, rk_diag *diag)
{
    if (!isfinite(p->sp_step) || !isfinite(p->load_step)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "setpoint step %g, load step %g: give finite steps", p->sp_step,
                           p->load_step);
    }
    if (!(p->duration > 0) || isinf(p->duration)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a trial of %g s: give a time above 0",
                           p->duration);
    }
    if (p->load_step != 0 && !(p->load_at >= 0 && p->load_at < p->duration)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "load step at %g s: give a time within the trial of %g s",
                           p->load_at, p->duration);
    }
    if (!(p->load_band >= 0) || isinf(p->load_band)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "recovery band %g: give 0 or more",
                           p->load_band);
    }
    if (!(p->band > 0 && p->band < 1)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "settling band %g %%: give 0 to 100 %%",
                           100.0 * p->band);
    }
    if (!(c->plant.out0 >= c->limits.low && c->plant.out0 <= c->limits.high)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "the trial would start at OUT %g, outside the limits %g to %g: give an "
            "operating point (out0, pv0) within them",
            c->plant.out0, c->limits.low, c->limits.high);
    }
    if (c->manual && !isfinite(c->manual_out)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "manual output %g: give a finite value",
                           c->manual_out);
    }
    return RK_OK;
}

/* Everything the scans need, checked. */
typedef struct stage {
    const rk_trial_case *c;
    const rk_trial_plan *plan;
    rk_pid pid;
    rk_plant plant;
    double *memory;
} stage;

static rk_status set_up_plant(stage *st, double step, rk_diag *diag)
{
    rk_plant_params params;
    rk_status status = rk_plant_params_from_model(&st->c->plant, step, &params, diag);

    if (status != RK_OK) return status;
    st->memory = rk_memory_create(params.delay + 1, sizeof(double));
    if (st->memory == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a dead time of %zu points",
                           params.delay);
    }
    status = rk_plant_init(&st->plant, &params, st->memory, params.delay + 1, params.out0);
    if (status != RK_OK) {
        return rk_diag_set(
            diag, status,
            "time constant %g s cannot be simulated in steps of %g s: raise the scan",
            rk_model_quickest(&st->c->plant), step);
    }
    return RK_OK;
}

static rk_status set_up_controller(stage *st, rk_diag *diag)
{
    rk_settings settings = st->c->settings;
    rk_pid_params params;
    rk_status status;

    if (st->c->manual) {
        settings = rk_settings_make(1.0, HUGE_VAL, 0.0, 0.0);
    }
    status = rk_settings_pid_params(&settings, &st->c->limits, st->c->ts, &params, diag);
    if (status != RK_OK) return status;
    status = rk_pid_init(&st->pid, &params, st->c->plant.out0);
    if (status == RK_OK) {
        status = rk_pid_reset(&st->pid, st->c->plant.pv0, st->c->plant.pv0, st->c->plant.out0);
    }
    if (status != RK_OK) {
        return rk_diag_set(diag, status, "the controller refuses its settings");
    }
    if (st->c->manual) {
        rk_pid_set_manual(&st->pid, st->c->manual_out);
    }
    return RK_OK;
}

static void run(stage *st, rki_curves *curves)
{
    const size_t per_scan = (curves->points - 1) / curves->scans;
    const double sp = st->c->plant.pv0 + st->plan->sp_step;
    size_t scan, i, point = 0;

    curves->pv[0] = rk_plant_pv(&st->plant);
    for (scan = 0; scan < curves->scans; scan++) {
        const double out = rk_pid_scan(&st->pid, sp, curves->pv[point]);

        curves->sp[scan] = sp;
        curves->out[scan] = out;
        for (i = 0; i < per_scan; i++) {
            const double load = point >= curves->load_point ? st->plan->load_step : 0.0;

            curves->pv[++point] = rk_plant_scan(&st->plant, out + load);
        }
    }
}

static rk_status make_curves(const rk_trial_case *c, const rk_trial_plan *plan,
                             rki_curves *curves, rk_diag *diag)
{
    const double wanted = ceil(POINTS_A_TAU * c->ts / rk_model_quickest(&c->plant));
    const double per_scan = fmin(fmax(wanted, POINTS_A_SCAN), POINTS_A_SCAN_MAX);
    const double scans = ceil((plan->duration / c->ts) - 1e-9);

    if (!(scans * per_scan < POINTS_MAX)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "a trial of %g s is %.3g scans of %g s: shorten it or scan more slowly",
            plan->duration, scans, c->ts);
    }
    curves->ts = c->ts;
    curves->step = c->ts / per_scan;
    curves->scans = (size_t)scans;
    curves->points = (size_t)(scans * per_scan) + 1;
    curves->load_point = curves->points;
    if (plan->load_step != 0) {
        curves->load_point = (size_t)ceil((plan->load_at / curves->step) - 1e-6);
    }
    curves->sp = rk_memory_create(curves->scans, sizeof(double));
    curves->out = rk_memory_create(curves->scans, sizeof(double));
    curves->pv = rk_memory_create(curves->points, sizeof(double));
    if (curves->sp == NULL || curves->out == NULL || curves->pv == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a trial of %zu scans",
                           curves->scans);
    }
    return RK_OK;
}

rk_status rk_trial_create(const rk_trial_case *trial_case, const rk_trial_plan *plan,
                          rk_trial **trial, rk_diag *diag)
{
    stage st = {.c = trial_case, .plan = plan};
    rk_trial *made;
    rk_status status;

    if (trial_case == NULL || plan == NULL || trial == NULL) return RK_ERR_ARG;
    status = rk_model_check(&trial_case->plant, diag);
    if (status == RK_OK) {
        status = rk_limits_check(&trial_case->limits, diag);
    }
    if (status == RK_OK) {
        status = check_plan(trial_case, plan, diag);
    }
    if (status == RK_OK) {
        status = set_up_controller(&st, diag);
    }
    if (status != RK_OK) return status;

    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a trial");
    memcpy(made->name, trial_case->name, sizeof made->name);
    made->name[sizeof made->name - 1] = '\0';
    made->out_start = trial_case->plant.out0;
    status = make_curves(trial_case, plan, &made->curves, diag);
    if (status == RK_OK) {
        status = set_up_plant(&st, made->curves.step, diag);
    }
    if (status == RK_OK) {
        run(&st, &made->curves);
        rki_trial_measure(&made->curves, trial_case, plan, &made->metrics);
        *trial = made;
    } else {
        rk_trial_free(made);
    }
    rk_memory_free(st.memory);
    return status;
}

const rk_trial_metrics *rk_trial_results(const rk_trial *trial)
{
    return &trial->metrics;
}

const char *rk_trial_name(const rk_trial *trial)
{
    return trial->name;
}

size_t rk_trial_scans(const rk_trial *trial)
{
    return trial->curves.scans;
}

double rk_trial_scan_interval(const rk_trial *trial)
{
    return trial->curves.ts;
}

const double *rk_trial_sp(const rk_trial *trial)
{
    return trial->curves.sp;
}

const double *rk_trial_out(const rk_trial *trial)
{
    return trial->curves.out;
}

double rk_trial_out_start(const rk_trial *trial)
{
    return trial->out_start;
}

size_t rk_trial_points(const rk_trial *trial)
{
    return trial->curves.points;
}

double rk_trial_step(const rk_trial *trial)
{
    return trial->curves.step;
}

const double *rk_trial_pv(const rk_trial *trial)
{
    return trial->curves.pv;
}

void rk_trial_free(rk_trial *trial)
{
    if (trial == NULL) return;
    rk_memory_free(trial->curves.sp);
    rk_memory_free(trial->curves.out);
    rk_memory_free(trial->curves.pv);
    rk_memory_free(trial);
}
