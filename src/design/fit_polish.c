/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdbool.h>

#include <cminpack.h>

#include <redkettle/design/memory.h>

#include "fit_stages.h"

/* A start whose cost on the thinned record is this much above the best is not polished. */
#define WORTH_POLISHING 1.2
/* Levenberg-Marquardt stops at these relative changes of the cost and of the parameters. */
#define COST_CHANGE 1e-12
#define PARAMETER_CHANGE 1e-9

/* What stage 3 works on, and its work space over all rows. */
typedef struct polish {
    rki_series *series;
    rki_room *room;
    double *fvec, *fjac, *wa;
} polish;

/* The response at these parameters into the room; derivatives if they are wanted. */
static void respond(rki_series *series, rki_room *room, double log_tau, double theta,
                    bool derivatives)
{
    const double tau = exp(log_tau);

    rki_series_set_tau(series, tau);
    rki_series_response(series, tau, theta, room->x, derivatives ? room->by_theta : NULL,
                        derivatives ? room->by_log_tau : NULL);
}

void rki_fit_respond(rki_series *series, rki_room *room, const rki_solution *at)
{
    respond(series, room, at->p[1], at->p[2], true);
}

/* cminpack's callback: parameters gain, ln tau, baseline, and theta last when it is free. */
static int residuals(void *user, int m, int n, const double *p, double *fvec, double *fjac,
                     int ldfjac, int iflag)
{
    polish *job = user;
    const rki_room *room = job->room;
    const double *pv = job->series->pv;
    int i;

    respond(job->series, job->room, p[1], n > 3 ? p[3] : 0.0, iflag == 2);
    if (iflag == 1) {
        for (i = 0; i < m; i++) {
            fvec[i] = p[2] + (p[0] * room->x[i]) - pv[i];
        }
        return 0;
    }
    for (i = 0; i < m; i++) {
        fjac[i] = room->x[i];
        fjac[i + ldfjac] = p[0] * room->by_log_tau[i];
        fjac[i + (2 * ldfjac)] = 1.0;
        if (n > 3) {
            fjac[i + (3 * ldfjac)] = p[0] * room->by_theta[i];
        }
    }
    return 0;
}

/* Least squares of pv = base + gain * x, every row alike. */
static void solve_linear(const rki_series *series, const double *x, double *gain, double *base)
{
    const double rows = (double)series->samples;
    double x_mean = 0, y_mean = 0, sxx = 0, sxy = 0;
    size_t i;

    for (i = 0; i < series->samples; i++) {
        x_mean += x[i] / rows;
        y_mean += series->pv[i] / rows;
    }
    for (i = 0; i < series->samples; i++) {
        const double dx = x[i] - x_mean;

        sxx += dx * dx;
        sxy += dx * (series->pv[i] - y_mean);
    }
    *gain = sxx > 0 ? sxy / sxx : 0.0;
    *base = y_mean - (*gain * x_mean);
}

/* From one start; theta is held at 0 unless theta_free. */
static rki_solution polish_from(polish *job, double log_tau, double theta, bool theta_free)
{
    const int m = (int)job->series->samples, n = theta_free ? 4 : 3;
    double p[RKI_PARAMETERS] = {0.0, log_tau, 0.0, theta_free ? theta : 0.0};
    double diag[RKI_PARAMETERS], qtf[RKI_PARAMETERS];
    double wa1[RKI_PARAMETERS], wa2[RKI_PARAMETERS], wa3[RKI_PARAMETERS];
    int ipvt[RKI_PARAMETERS], nfev = 0, njev = 0;
    double norm;

    respond(job->series, job->room, p[1], p[3], false);
    solve_linear(job->series, job->room->x, &p[0], &p[2]);
    (void)lmder(residuals, job, m, n, p, job->fvec, job->fjac, m, COST_CHANGE, PARAMETER_CHANGE,
                0.0, 60, diag, 1, 100.0, 0, &nfev, &njev, ipvt, qtf, wa1, wa2, wa3, job->wa);
    norm = enorm(m, job->fvec);
    return (rki_solution){{p[0], p[1], p[3], p[2]}, norm * norm};
}

/* A dead time below zero is the same formula but no process: then theta is 0 and the rest free.
 */
static void polish_bounded(polish *job, const rki_point *start, rki_solution *best)
{
    rki_solution found = polish_from(job, start->log_tau, start->theta, true);

    if (found.p[2] < 0) {
        found = polish_from(job, found.p[1], 0.0, false);
    }
    if (!isfinite(found.cost) || found.p[2] > rki_theta_most(job->series)) return;
    if (found.cost < best->cost) {
        *best = found;
    }
}

/*
 * The cost has a kink wherever a sample meets the end of the dead time, 2 |residual| gain
 * move/tau in slope. Only noise of the response's own size can turn one into a minimum: then
 * the neighbouring sample intervals are looked into as well.
 */
#define KINKS_MATTER 0.02

static bool kinks_matter(const rki_series *series, const rki_solution *best)
{
    const double noise = sqrt(best->cost / (double)series->samples);
    double largest = 0;
    size_t i;

    if (!isfinite(best->cost)) return false;
    for (i = 0; i < series->events; i++) {
        largest = fmax(largest, fabs(series->event_size[i]));
    }
    return noise > KINKS_MATTER * fabs(best->p[0]) * largest;
}

static void polish_all(polish *job, const rki_point *starts, int count, rki_solution *best)
{
    const double interval = job->series->interval;
    int i;

    for (i = 0; i < count; i++) {
        if (starts[i].cost > WORTH_POLISHING * starts[0].cost) continue;
        polish_bounded(job, &starts[i], best);
    }
    for (i = -1; i <= 1 && kinks_matter(job->series, best); i += 2) {
        const double theta = best->p[2] + (i * interval);
        const rki_point beside = {fmax(theta, 0.0), best->p[1], 0.0};

        if (theta > -interval) {
            polish_bounded(job, &beside, best);
        }
    }
}

rk_status rki_fit_polish(rki_series *series, rki_room *room, const rki_point *starts, int count,
                         rki_solution *best, rk_diag *diag)
{
    const size_t m = series->samples;
    polish job = {series, room, rk_memory_create(m, sizeof(double)),
                  rk_memory_create(m * RKI_PARAMETERS, sizeof(double)),
                  rk_memory_create(m, sizeof(double))};
    rk_status status = RK_OK;

    *best = (rki_solution){{0.0, 0.0, 0.0, 0.0}, HUGE_VAL};
    if (job.fvec == NULL || job.fjac == NULL || job.wa == NULL) {
        status = rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit %zu rows", m);
    } else {
        polish_all(&job, starts, count, best);
        if (!isfinite(best->cost)) {
            status =
                rk_diag_set(diag, RK_ERR_DATA, "no model fits: the search found no minimum");
        }
    }
    rk_memory_free(job.fvec);
    rk_memory_free(job.fjac);
    rk_memory_free(job.wa);
    return status;
}

bool rki_fit_invert(double h[RKI_PARAMETERS][RKI_PARAMETERS])
{
    double scale[RKI_PARAMETERS], inverse[RKI_PARAMETERS][RKI_PARAMETERS] = {{0}};
    int i, j, k;

    for (i = 0; i < RKI_PARAMETERS; i++) {
        if (!(h[i][i] > 0)) return false;
        scale[i] = 1.0 / sqrt(h[i][i]);
    }
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            h[i][j] *= scale[i] * scale[j];
        }
        inverse[i][i] = 1.0;
    }
    /* Gauss-Jordan; the pivots of a positive matrix are > 0. */
    for (i = 0; i < RKI_PARAMETERS; i++) {
        const double pivot = h[i][i];

        if (!(pivot > 1e-14)) return false;
        for (j = 0; j < RKI_PARAMETERS; j++) {
            h[i][j] /= pivot;
            inverse[i][j] /= pivot;
        }
        for (k = 0; k < RKI_PARAMETERS; k++) {
            const double part = h[k][i];

            if (k == i) continue;
            for (j = 0; j < RKI_PARAMETERS; j++) {
                h[k][j] -= part * h[i][j];
                inverse[k][j] -= part * inverse[i][j];
            }
        }
    }
    for (i = 0; i < RKI_PARAMETERS; i++) {
        for (j = 0; j < RKI_PARAMETERS; j++) {
            h[i][j] = inverse[i][j] * scale[i] * scale[j];
        }
    }
    return true;
}

void rki_fit_errors(const rki_series *series, const rki_room *room, const rki_solution *at,
                    double noise, double error[RKI_PARAMETERS])
{
    double h[RKI_PARAMETERS][RKI_PARAMETERS] = {{0}};
    size_t i;
    int a, b;

    for (i = 0; i < series->samples; i++) {
        const double row[RKI_PARAMETERS] = {room->x[i], at->p[0] * room->by_log_tau[i],
                                            at->p[0] * room->by_theta[i], 1.0};

        for (a = 0; a < RKI_PARAMETERS; a++) {
            for (b = 0; b < RKI_PARAMETERS; b++) {
                h[a][b] += row[a] * row[b];
            }
        }
    }
    if (!rki_fit_invert(h)) {
        for (a = 0; a < RKI_PARAMETERS; a++) {
            error[a] = HUGE_VAL;
        }
        return;
    }
    for (a = 0; a < RKI_PARAMETERS; a++) {
        error[a] = noise * sqrt(h[a][a]);
    }
}
