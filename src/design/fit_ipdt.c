/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/memory.h>

#include "fit_stages.h"

/* pv = start + slope * t + gain * r(t - theta), where r is the sum of the moves' ramps. The
   dead time is searched, the three others solved linearly at each. */
enum {
    N_GRID = 300, /* dead times on the thinned record, evenly spaced */
    N_STARTS = 3, /* of them that are refined on all rows */
    START = 0,
    SLOPE,
    GAIN,
    LINEAR
};

/* The refinement ends where theta is known to this part of a sample interval. */
#define THETA_FINE 1e-7

typedef struct line_fit {
    double theta, cost;
    double p[LINEAR];
} line_fit;

/* The ramps' sum at every sample, and how many moves act at it times their size. */
static void ramps(const rki_series *s, double theta, double *r, double *acting)
{
    double size = 0, moment = 0; /* r = size * t - moment */
    size_t event = 0, i;

    for (i = 0; i < s->samples; i++) {
        for (; event < s->events && s->event_time[event] + theta < s->time[i]; event++) {
            size += s->event_size[event];
            moment += s->event_size[event] * (s->event_time[event] + theta);
        }
        r[i] = (size * s->time[i]) - moment;
        if (acting != NULL) {
            acting[i] = size;
        }
    }
}

/* Weighted least squares by orthogonal columns: 1, then t, then r. */
static line_fit solve(const rki_series *s, double theta, double *r)
{
    double w = 0, mean[3] = {0}, tt = 0, tr = 0, ty = 0, rr = 0, ry = 0, yy = 0, slope_r;
    line_fit made = {.theta = theta};
    size_t i;

    ramps(s, theta, r, NULL);
    for (i = 0; i < s->samples; i++) {
        const double weight = s->weight != NULL ? s->weight[i] : 1.0;

        w += weight;
        mean[0] += weight * s->time[i];
        mean[1] += weight * r[i];
        mean[2] += weight * s->pv[i];
    }
    for (i = 0; i < s->samples; i++) {
        const double weight = s->weight != NULL ? s->weight[i] : 1.0;
        const double t = s->time[i] - (mean[0] / w), y = s->pv[i] - (mean[2] / w);
        const double x = r[i] - (mean[1] / w);

        tt += weight * t * t;
        tr += weight * t * x;
        ty += weight * t * y;
        rr += weight * x * x;
        ry += weight * x * y;
        yy += weight * y * y;
    }
    slope_r = tr / tt;
    rr -= slope_r * tr;
    ry -= slope_r * ty;
    made.p[GAIN] = rr > 0 ? ry / rr : 0.0;
    made.p[SLOPE] = (ty / tt) - (made.p[GAIN] * slope_r);
    made.p[START] = (mean[2] - (made.p[SLOPE] * mean[0]) - (made.p[GAIN] * mean[1])) / w;
    made.cost = fmax(yy - (ty * ty / tt) - (made.p[GAIN] * ry), 0.0);
    return made;
}

/* Around a local minimum of the grid, on all rows: golden sections. */
static line_fit refine(const rki_series *s, double low, double high, double *r)
{
    const double part = 0.5 * (sqrt(5.0) - 1.0);
    line_fit a, b;

    a = solve(s, high - (part * (high - low)), r);
    b = solve(s, low + (part * (high - low)), r);
    while (high - low > THETA_FINE * s->interval) {
        if (a.cost < b.cost) {
            high = b.theta;
            b = a;
            a = solve(s, high - (part * (high - low)), r);
        } else {
            low = a.theta;
            a = b;
            b = solve(s, low + (part * (high - low)), r);
        }
        if (!(a.theta < b.theta)) break; /* as close as numbers are */
    }
    return a.cost < b.cost ? a : b;
}

static rk_status search(const rki_series *s, double *r, line_fit *best, rk_diag *diag)
{
    const double most = rki_theta_most(s), step = most / N_GRID;
    double cost[N_GRID + 1];
    rki_series thin;
    const rk_status status = rki_series_thin(&thin, s, diag);
    int i, n;

    if (status != RK_OK) return status;
    for (i = 0; i <= N_GRID; i++) {
        cost[i] = solve(&thin, i * step, r).cost;
    }
    rki_series_free(&thin);
    *best = solve(s, 0.0, r);
    for (n = 0; n < N_STARTS; n++) {
        int lowest = 0;
        line_fit found;

        for (i = 1; i <= N_GRID; i++) {
            if (cost[i] < cost[lowest]) {
                lowest = i;
            }
        }
        found = refine(s, fmax((lowest - 1) * step, 0.0), fmin((lowest + 1) * step, most), r);
        if (found.cost < best->cost) {
            *best = found;
        }
        for (i = lowest > 0 ? lowest - 1 : 0; i <= lowest + 1 && i <= N_GRID; i++) {
            cost[i] = HUGE_VAL; /* done with */
        }
    }
    return RK_OK;
}

static void errors(const rki_series *s, const rki_room *room, const line_fit *at, double noise,
                   double error[RKI_PARAMETERS])
{
    double h[RKI_PARAMETERS][RKI_PARAMETERS] = {{0}};
    bool solved;
    size_t i;
    int a, b;

    for (i = 0; i < s->samples; i++) {
        const double row[RKI_PARAMETERS] = {1.0, s->time[i], room->x[i],
                                            -at->p[GAIN] * room->by_theta[i]};

        for (a = 0; a < RKI_PARAMETERS; a++) {
            for (b = 0; b < RKI_PARAMETERS; b++) {
                h[a][b] += row[a] * row[b];
            }
        }
    }
    solved = rki_fit_invert(h);
    for (a = 0; a < RKI_PARAMETERS; a++) {
        error[a] = solved ? noise * sqrt(h[a][a]) : HUGE_VAL;
    }
}

static void add_findings(const rki_series *s, rk_fit *fit)
{
    const double r = fit->residual_correlation;

    if (!(fit->gain95[0] * fit->gain95[1] > 0)) {
        rk_findings_add(&fit->findings, RK_LEVEL_UNFIT,
                        "make a larger move of OUT, or check that this PV answers this OUT",
                        "the gain could be zero: PV does not answer OUT beyond its noise");
    }
    if (fit->dead_time95[0] <= 0.0) {
        rk_findings_add(
            &fit->findings, RK_LEVEL_NOTE,
            "tune for the upper end of its interval; record faster to know it better",
            "the dead time cannot be told from zero; it is below %.3g s", fit->dead_time95[1]);
    }
    if (r > fmax(4.0 / sqrt((double)s->samples), 0.1) && fit->fit_percent < 99.9) {
        rk_findings_add(&fit->findings, RK_LEVEL_CAUTION,
                        "look at the residual: PV may settle after all (--kind fopdt), or "
                        "drift; widen the intervals by the factor said",
                        "what is left is not independent noise (correlation %.2f): the "
                        "intervals are too narrow by about %.1f times",
                        r, sqrt((1.0 + r) / fmax(1.0 - r, 1e-3)));
    }
}

static void report(const rki_series *s, rki_room *room, const line_fit *at, rk_fit *fit)
{
    const double t = rki_fit_t95(s);
    double error[RKI_PARAMETERS];
    size_t i;

    memset(fit, 0, sizeof *fit);
    ramps(s, at->theta, room->x, room->by_theta);
    for (i = 0; i < s->samples; i++) {
        room->residual[i] =
            s->pv[i] - at->p[START] - (at->p[SLOPE] * s->time[i]) - (at->p[GAIN] * room->x[i]);
    }
    rki_fit_measure(s, room->residual, fit);
    errors(s, room, at, fit->noise, error);

    fit->model.kind = RK_MODEL_IPDT;
    fit->model.gain = at->p[GAIN];
    fit->model.dead_time = at->theta;
    fit->model.out0 = s->out0 - (at->p[SLOPE] / at->p[GAIN]);
    fit->model.pv0 = s->pv_ref + at->p[START];
    fit->rows = s->samples;
    fit->moves = s->events;
    for (i = 0; i < 2; i++) {
        const double side = i == 0 ? -t : t;

        fit->pv0_95[i] = fit->model.pv0 + (side * error[0]);
        fit->gain95[i] = at->p[GAIN] + (side * error[2]);
        fit->dead_time95[i] = fmax(at->theta + (side * error[3]), 0.0);
    }
    add_findings(s, fit);
}

rk_status rk_fit_ipdt(const rk_record *record, rk_fit *fit, rk_diag *diag)
{
    rki_room room = {NULL, NULL, NULL, NULL};
    line_fit best = {0, 0, {0}};
    rki_series series;
    rk_status status;

    if (record == NULL || fit == NULL) return RK_ERR_ARG;
    status = rki_fit_check_record(record, diag);
    if (status == RK_OK) {
        status = rki_series_create(&series, record, diag);
    }
    if (status != RK_OK) return status;

    room.x = rk_memory_create(series.samples, sizeof(double));
    room.by_theta = rk_memory_create(series.samples, sizeof(double));
    room.residual = rk_memory_create(series.samples, sizeof(double));
    if (room.x == NULL || room.by_theta == NULL || room.residual == NULL) {
        status = RK_ERR_MEMORY;
        (void)rk_diag_set(diag, status, "out of memory to fit %zu rows", series.samples);
    } else {
        status = search(&series, room.x, &best, diag);
    }
    if (status == RK_OK && best.p[GAIN] == 0) {
        status = rk_diag_set(diag, RK_ERR_DATA, "PV's slope does not answer OUT at all");
    }
    if (status == RK_OK) {
        report(&series, &room, &best, fit);
    }
    rk_memory_free(room.x);
    rk_memory_free(room.by_theta);
    rk_memory_free(room.residual);
    rki_series_free(&series);
    return status;
}
