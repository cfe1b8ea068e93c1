/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/memory.h>

#include "fit_stages.h"

/* Student's t, two-sided 95 %, by the expansion about the normal quantile (error < 0.4 % from
 * 3). */
static double student95(double freedom)
{
    const double z = 1.959963984540054, z2 = z * z;
    const double a = (z2 + 1.0) / 4.0;
    const double b = ((((5.0 * z2) + 16.0) * z2) + 3.0) / 96.0;
    const double c = ((((((3.0 * z2) + 19.0) * z2) + 17.0) * z2) - 15.0) / 384.0;

    return z * (1.0 + ((a + ((b + (c / freedom)) / freedom)) / freedom));
}

double rki_fit_t95(const rki_series *series)
{
    return student95((double)series->samples - RKI_PARAMETERS);
}

/* How much of PV is explained, and whether what is left looks like noise. */
void rki_fit_measure(const rki_series *series, const double *residual, rk_fit *fit)
{
    const double rows = (double)series->samples;
    double mean = 0, total = 0, left = 0, product = 0, before = 0;
    size_t i;

    for (i = 0; i < series->samples; i++) {
        mean += series->pv[i] / rows;
    }
    for (i = 0; i < series->samples; i++) {
        const double off = series->pv[i] - mean;

        total += off * off;
        left += residual[i] * residual[i];
        if (i > 0) {
            product += residual[i] * before;
        }
        before = residual[i];
    }
    fit->rmse = sqrt(left / rows);
    fit->noise = sqrt(left / (rows - RKI_PARAMETERS));
    fit->fit_percent = 100.0 * (1.0 - sqrt(left / total));
    fit->residual_correlation = left > 0 ? product / left : 0.0;
    fit->bic = (rows * log(fmax(left, 1e-300) / rows)) + (RKI_PARAMETERS * log(rows));
}

/* A time constant this many times longer than what was seen is no time constant. */
#define INTEGRATING 5.0

static void add_findings(const rki_series *series, rk_fit *fit)
{
    const double rows = (double)fit->rows, r = fit->residual_correlation;
    const double tau = fit->model.time_constant[0], theta = fit->model.dead_time;
    const double since = series->time[series->samples - 1] - series->event_time[0];

    if (tau > INTEGRATING * since) {
        rk_findings_add(
            &fit->findings, RK_LEVEL_UNFIT,
            "fit it with --kind ipdt; if the process does settle, record until it has",
            "PV keeps moving for as long as OUT is off balance: an integrating process, "
            "which a fopdt model cannot describe");
        return;
    }
    if (!(fit->gain95[0] * fit->gain95[1] > 0)) {
        rk_findings_add(&fit->findings, RK_LEVEL_UNFIT,
                        "make a larger move of OUT, or check that this PV answers this OUT",
                        "the gain could be zero: PV does not answer OUT beyond its noise");
    }
    if (since < theta + (3.0 * tau)) {
        rk_findings_add(
            &fit->findings, since < theta + tau ? RK_LEVEL_UNFIT : RK_LEVEL_CAUTION,
            "let PV settle before the test ends: wait at least dead time + 4 time constants",
            "the record ends %.3g time constants after PV begins to move: gain and time "
            "constant are extrapolated",
            fmax(since - theta, 0.0) / tau);
    }
    if (tau < 0.5 * series->interval) {
        rk_findings_add(
            &fit->findings, RK_LEVEL_CAUTION, "record faster than the process moves",
            "the time constant is below half the sampling interval of %.4g s: only an "
            "upper limit is known",
            series->interval);
    }
    if (fit->dead_time95[0] <= 0.0) {
        rk_findings_add(
            &fit->findings, RK_LEVEL_NOTE,
            "tune for the upper end of its interval; record faster to know it better",
            "the dead time cannot be told from zero; it is below %.3g s", fit->dead_time95[1]);
    }
    /* 4 / sqrt(rows): beyond what independent noise shows by chance in 1 of 10,000 records. */
    if (r > fmax(4.0 / sqrt(rows), 0.1) && fit->fit_percent < 99.9) {
        rk_findings_add(
            &fit->findings, RK_LEVEL_CAUTION,
            "look at the residual: a second lag, an integrator, drift or coloured noise; "
            "widen the intervals by the factor said",
            "what is left is not independent noise (correlation %.2f): the intervals are "
            "too narrow by about %.1f times",
            r, sqrt((1.0 + r) / fmax(1.0 - r, 1e-3)));
    }
    if (fit->fit_percent < 50.0) {
        rk_findings_add(
            &fit->findings, RK_LEVEL_CAUTION,
            "make a larger move of OUT, or look for another disturbance in the record",
            "the model explains only %.0f %% of PV's movement", fit->fit_percent);
    }
}

static void around(double value, double half, double *interval)
{
    interval[0] = value - half;
    interval[1] = value + half;
}

static void report(rki_series *series, rki_room *room, const rki_solution *at, rk_fit *fit)
{
    const double t = rki_fit_t95(series), tau = exp(at->p[1]);
    double error[RKI_PARAMETERS];
    size_t i;

    memset(fit, 0, sizeof *fit);
    fit->model.kind = RK_MODEL_FOPDT;
    fit->model.gain = at->p[0];
    fit->model.time_constant[0] = tau;
    fit->model.dead_time = at->p[2];
    fit->model.out0 = series->out0;
    fit->model.pv0 = series->pv_ref + at->p[3];
    fit->rows = series->samples;
    fit->moves = series->events;

    rki_fit_respond(series, room, at);
    for (i = 0; i < series->samples; i++) {
        room->residual[i] = series->pv[i] - at->p[3] - (at->p[0] * room->x[i]);
    }
    rki_fit_measure(series, room->residual, fit);
    rki_fit_errors(series, room, at, fit->noise, error);
    around(fit->model.gain, t * error[0], fit->gain95);
    fit->tau95[0] = tau * exp(-t * error[1]);
    fit->tau95[1] = tau * exp(t * error[1]);
    around(fit->model.dead_time, t * error[2], fit->dead_time95);
    fit->dead_time95[0] = fmax(fit->dead_time95[0], 0.0);
    around(fit->model.pv0, t * error[3], fit->pv0_95);
    add_findings(series, fit);
}

rk_status rki_fit_check_record(const rk_record *record, rk_diag *diag)
{
    const size_t rows = rk_record_rows(record);
    const double *out = rk_record_out(record), *pv = rk_record_pv(record);
    size_t i, move;

    if (rows < RKI_PARAMETERS + 1) {
        return rk_diag_set(diag, RK_ERR_DATA, "%zu rows are too few: a fit needs at least %d",
                           rows, RKI_PARAMETERS + 1);
    }
    if (rows > 100000000) {
        return rk_diag_set(diag, RK_ERR_DATA, "%zu rows are too many: thin them to 100 million",
                           rows);
    }
    for (move = 1; move < rows && out[move] == out[0]; move++) {
        continue;
    }
    if (move == rows) {
        return rk_diag_set(
            diag, RK_ERR_DATA,
            "OUT never moves (%.6g in all %zu rows): a fit needs at least one move "
            "of OUT; widen the window or check the OUT column",
            out[0], rows);
    }
    if (rows - move < RKI_PARAMETERS) {
        return rk_diag_set(
            diag, RK_ERR_DATA,
            "OUT first moves at row %zu of %zu: too few rows come after the move", move + 1,
            rows);
    }
    for (i = 1; i < rows && pv[i] == pv[0]; i++) {
        continue;
    }
    if (i == rows) {
        return rk_diag_set(
            diag, RK_ERR_DATA,
            "PV never moves (%.6g in all %zu rows): check the PV column and the sensor", pv[0],
            rows);
    }
    return RK_OK;
}

static rk_status search_and_polish(rki_series *series, rki_room *room, rk_fit *fit,
                                   rk_diag *diag)
{
    rki_point starts[RKI_STARTS] = {{0.0, 0.0, 0.0}};
    rki_solution best;
    int count = 0;
    rk_status status = rki_fit_search(series, starts, &count, diag);

    if (status == RK_OK) {
        status = rki_fit_polish(series, room, starts, count, &best, diag);
    }
    if (status == RK_OK) {
        report(series, room, &best, fit);
    }
    return status;
}

rk_status rk_fit_fopdt(const rk_record *record, rk_fit *fit, rk_diag *diag)
{
    rki_series series;
    rki_room room;
    rk_status status;

    if (record == NULL || fit == NULL) return RK_ERR_ARG;
    status = rki_fit_check_record(record, diag);
    if (status == RK_OK) {
        status = rki_series_create(&series, record, diag);
    }
    if (status != RK_OK) return status;

    room.x = rk_memory_create(series.samples, sizeof(double));
    room.by_theta = rk_memory_create(series.samples, sizeof(double));
    room.by_log_tau = rk_memory_create(series.samples, sizeof(double));
    room.residual = rk_memory_create(series.samples, sizeof(double));
    if (room.x == NULL || room.by_theta == NULL || room.by_log_tau == NULL ||
        room.residual == NULL) {
        status =
            rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit %zu rows", series.samples);
    } else {
        status = search_and_polish(&series, &room, fit, diag);
    }
    rk_memory_free(room.x);
    rk_memory_free(room.by_theta);
    rk_memory_free(room.by_log_tau);
    rk_memory_free(room.residual);
    rki_series_free(&series);
    return status;
}

rk_status rk_fit_kind(const rk_record *record, rk_model_kind kind, rk_fit *fit, rk_diag *diag)
{
    if (kind == RK_MODEL_FOPDT) return rk_fit_fopdt(record, fit, diag);
    if (kind == RK_MODEL_IPDT) return rk_fit_ipdt(record, fit, diag);
    return rk_diag_set(diag, RK_ERR_RANGE, "a %s model cannot be fitted; fopdt and ipdt can",
                       rk_model_kind_to_text(kind));
}
