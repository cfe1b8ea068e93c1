/* SPDX-License-Identifier: MIT */
#include <redkettle/design/fit.h>

#include <math.h>
#include <string.h>

#include <cminpack.h>

#include <redkettle/design/memory.h>

#include "response.h"

/*
 * The cost as a function of the dead time has several local minima: one a sample interval, and
 * one for each move that could be mistaken for another. Therefore three stages, each on what
 * the one before left over:
 *   1. a grid over dead time and time constant on a thinned record, gain and baseline solved
 *      linearly at each point (variable projection);
 *   2. the grid's best local minima refined there by a shrinking cross of steps;
 *   3. Levenberg-Marquardt on all rows and all four parameters from the best of them, and where
 *      noise may hide it from the neighbouring sample intervals.
 */
enum {
    N_THETA = 48,    /* dead times in the grid, denser towards zero */
    N_TAU = 22,      /* time constants in the grid, evenly spaced in ln tau */
    N_STARTS = 3,    /* local minima that go on to stage 2 */
    N_PARAMETERS = 4 /* gain, ln tau, theta, baseline */
};

/* A start whose cost on the thinned record is this much above the best is not polished. */
#define WORTH_POLISHING 1.2
/* The grid's time constants, as parts of the sampling interval and of the record's length. */
#define TAU_LEAST 0.1
#define TAU_MOST 5.0

typedef struct point {
    double theta, log_tau, cost;
} point;

typedef struct solution {
    double p[N_PARAMETERS]; /* gain, ln tau, theta, baseline less pv_ref */
    double cost;            /* sum of squares over all rows */
} solution;

/* Least squares of pv = base + gain * x at a given response; returns the weighted sum of
 * squares. */
static double solve_linear(const rki_series *series, const double *x, double *gain,
                           double *base)
{
    double w = 0, wx = 0, wy = 0, sxx = 0, sxy = 0, syy = 0;
    double x_mean, y_mean;
    size_t i;

    for (i = 0; i < series->samples; i++) {
        w += series->weight[i];
        wx += series->weight[i] * x[i];
        wy += series->weight[i] * series->pv[i];
    }
    x_mean = wx / w;
    y_mean = wy / w;
    for (i = 0; i < series->samples; i++) {
        const double dx = x[i] - x_mean, dy = series->pv[i] - y_mean;

        sxx += series->weight[i] * dx * dx;
        sxy += series->weight[i] * dx * dy;
        syy += series->weight[i] * dy * dy;
    }
    *gain = sxx > 0 ? sxy / sxx : 0.0;
    *base = y_mean - (*gain * x_mean);
    return fmax(syy - (*gain * sxy), 0.0);
}

/* series_set_tau was called for tau. */
static double profile_cost(const rki_series *series, double tau, double theta, double *x)
{
    double gain, base;

    rki_series_response(series, tau, theta, x, NULL, NULL);
    return solve_linear(series, x, &gain, &base);
}

/* Keep the best few points, best first. */
static void keep_best(point *best, int *count, const point *candidate)
{
    int at = *count;

    if (at == N_STARTS && candidate->cost >= best[N_STARTS - 1].cost) return;
    if (at == N_STARTS) at--;
    for (; at > 0 && best[at - 1].cost > candidate->cost; at--)
        best[at] = best[at - 1];
    best[at] = *candidate;
    if (*count < N_STARTS) ++*count;
}

/* Stage 1. Returns how many local minima of the grid stand in best. */
static int search_grid(rki_series *thin, double theta_most, point *best, double *x)
{
    static const int step[8][2] = {{-1, -1}, {-1, 0}, {-1, 1}, {0, -1},
                                   {0, 1},   {1, -1}, {1, 0},  {1, 1}};
    const double span = thin->time[thin->samples - 1];
    const double low = log(TAU_LEAST * thin->interval), high = log(TAU_MOST * span);
    point grid[N_TAU][N_THETA];
    int count = 0, i, j, n;

    for (i = 0; i < N_TAU; i++) {
        const double log_tau = low + ((high - low) * i / (N_TAU - 1));

        rki_series_set_tau(thin, exp(log_tau));
        for (j = 0; j < N_THETA; j++) {
            const double part = (double)j / N_THETA;

            grid[i][j].theta = theta_most * part * part;
            grid[i][j].log_tau = log_tau;
            grid[i][j].cost = profile_cost(thin, exp(log_tau), grid[i][j].theta, x);
        }
    }
    for (i = 0; i < N_TAU; i++) {
        for (j = 0; j < N_THETA; j++) {
            bool lowest = true;

            for (n = 0; n < 8 && lowest; n++) {
                const int a = i + step[n][0], b = j + step[n][1];

                if (a < 0 || a >= N_TAU || b < 0 || b >= N_THETA) continue;
                lowest = grid[a][b].cost >= grid[i][j].cost;
            }
            if (lowest) keep_best(best, &count, &grid[i][j]);
        }
    }
    return count;
}

/* Stage 2: steps in dead time and ln tau that halve when none of them helps. */
static void refine(rki_series *thin, double theta_most, point *at, double *x)
{
    double theta_step = theta_most / N_THETA, log_step = 0.5;

    while (log_step > 0.01) {
        const double moves[4][2] = {
            {theta_step, 0}, {-theta_step, 0}, {0, log_step}, {0, -log_step}};
        point better = *at;
        int n;

        for (n = 0; n < 4; n++) {
            point trial = {at->theta + moves[n][0], at->log_tau + moves[n][1], 0};

            if (trial.theta < 0 || trial.theta > theta_most) continue;
            rki_series_set_tau(thin, exp(trial.log_tau));
            trial.cost = profile_cost(thin, exp(trial.log_tau), trial.theta, x);
            if (trial.cost < better.cost) better = trial;
        }
        if (better.cost < at->cost) {
            *at = better;
        } else {
            theta_step *= 0.5;
            log_step *= 0.5;
        }
    }
}

typedef struct polish {
    rki_series *series;
    double *x, *by_theta, *by_log_tau; /* room for a response */
} polish;

static void respond(polish *job, const double *p, bool derivatives)
{
    const double tau = exp(p[1]);

    rki_series_set_tau(job->series, tau);
    rki_series_response(job->series, tau, p[2], job->x, derivatives ? job->by_theta : NULL,
                        derivatives ? job->by_log_tau : NULL);
}

/* cminpack's callback: parameters gain, ln tau, baseline, and theta last when it is free. */
static int residuals(void *user, int m, int n, const double *free, double *fvec, double *fjac,
                     int ldfjac, int iflag)
{
    polish *job = user;
    const double *pv = job->series->pv;
    const double p[N_PARAMETERS] = {free[0], free[1], n > 3 ? free[3] : 0.0, free[2]};
    int i;

    respond(job, p, iflag == 2);
    if (iflag == 1) {
        for (i = 0; i < m; i++)
            fvec[i] = p[3] + (p[0] * job->x[i]) - pv[i];
        return 0;
    }
    for (i = 0; i < m; i++) {
        fjac[i] = job->x[i];
        fjac[i + ldfjac] = p[0] * job->by_log_tau[i];
        fjac[i + (2 * ldfjac)] = 1.0;
        if (n > 3) fjac[i + (3 * ldfjac)] = p[0] * job->by_theta[i];
    }
    return 0;
}

/* Work space for Levenberg-Marquardt over all rows. */
typedef struct room {
    double *fvec, *fjac, *wa;
} room;

/* Stage 3 from one start; theta is held at 0 unless theta_free. */
static void polish_from(polish *job, room *work, const point *start, bool theta_free,
                        solution *found)
{
    const int m = (int)job->series->samples, n = theta_free ? 4 : 3;
    double free[N_PARAMETERS], diag[N_PARAMETERS], qtf[N_PARAMETERS];
    double wa1[N_PARAMETERS], wa2[N_PARAMETERS], wa3[N_PARAMETERS];
    int ipvt[N_PARAMETERS], nfev = 0, njev = 0;
    double norm;

    free[1] = start->log_tau;
    free[3] = theta_free ? start->theta : 0.0;
    rki_series_set_tau(job->series, exp(free[1]));
    rki_series_response(job->series, exp(free[1]), free[3], job->x, NULL, NULL);
    (void)solve_linear(job->series, job->x, &free[0], &free[2]);

    (void)lmder(residuals, job, m, n, free, work->fvec, work->fjac, m, 1e-12, 1e-9, 0.0, 60,
                diag, 1, 100.0, 0, &nfev, &njev, ipvt, qtf, wa1, wa2, wa3, work->wa);
    norm = enorm(m, work->fvec);
    found->p[0] = free[0];
    found->p[1] = free[1];
    found->p[2] = theta_free ? free[3] : 0.0;
    found->p[3] = free[2];
    found->cost = norm * norm;
}

/* A dead time below zero is the same formula but no process: then theta is 0 and the rest
 * refitted. */
static void polish_bounded(polish *job, room *work, const point *start, double theta_most,
                           solution *best)
{
    solution found;

    polish_from(job, work, start, true, &found);
    if (found.p[2] < 0) {
        const point at_zero = {0.0, found.p[1], 0.0};

        polish_from(job, work, &at_zero, false, &found);
    }
    if (!isfinite(found.cost) || found.p[2] > theta_most) return;
    if (found.cost < best->cost) *best = found;
}

/*
 * The cost has a kink wherever a sample meets the end of the dead time, 2 |residual| gain
 * move/tau in slope. Only noise of the response's own size can turn one into a minimum: then
 * the neighbouring sample intervals are looked into as well.
 */
#define KINKS_MATTER 0.02

static bool kinks_matter(const rki_series *series, const solution *best)
{
    const double noise = sqrt(best->cost / (double)series->samples);
    double largest = 0;
    size_t i;

    if (!isfinite(best->cost)) return false;
    for (i = 0; i < series->events; i++)
        largest = fmax(largest, fabs(series->event_size[i]));
    return noise > KINKS_MATTER * fabs(best->p[0]) * largest;
}

static rk_status polish_all(polish *job, const point *starts, int count, double theta_most,
                            solution *best, rk_diag *diag)
{
    const size_t m = job->series->samples;
    const double interval = job->series->interval;
    room work = {rk_memory_create(m, sizeof(double)),
                 rk_memory_create(m * N_PARAMETERS, sizeof(double)),
                 rk_memory_create(m, sizeof(double))};
    rk_status status = RK_OK;
    int i;

    best->cost = INFINITY;
    if (work.fvec == NULL || work.fjac == NULL || work.wa == NULL) {
        status = rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit %zu rows", m);
    } else {
        for (i = 0; i < count; i++) {
            if (starts[i].cost > WORTH_POLISHING * starts[0].cost) continue;
            polish_bounded(job, &work, &starts[i], theta_most, best);
        }
        for (i = -1; i <= 1 && kinks_matter(job->series, best); i += 2) {
            const double theta = best->p[2] + (i * interval);
            const point beside = {fmax(theta, 0.0), best->p[1], 0.0};

            if (theta > -interval) polish_bounded(job, &work, &beside, theta_most, best);
        }
        if (!isfinite(best->cost)) {
            status =
                rk_diag_set(diag, RK_ERR_DATA, "no model fits: the search found no minimum");
        }
    }
    rk_memory_free(work.fvec);
    rk_memory_free(work.fjac);
    rk_memory_free(work.wa);
    return status;
}

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

/* Inverse of a symmetric positive matrix in place, scaled first; false if it is singular. */
static bool invert(double h[N_PARAMETERS][N_PARAMETERS])
{
    double scale[N_PARAMETERS], inverse[N_PARAMETERS][N_PARAMETERS] = {{0}};
    int i, j, k;

    for (i = 0; i < N_PARAMETERS; i++) {
        if (!(h[i][i] > 0)) return false;
        scale[i] = 1.0 / sqrt(h[i][i]);
    }
    for (i = 0; i < N_PARAMETERS; i++) {
        for (j = 0; j < N_PARAMETERS; j++)
            h[i][j] *= scale[i] * scale[j];
        inverse[i][i] = 1.0;
    }
    for (i = 0; i < N_PARAMETERS;
         i++) { /* Gauss-Jordan; the pivots of a positive matrix are > 0 */
        const double pivot = h[i][i];

        if (!(pivot > 1e-14)) return false;
        for (j = 0; j < N_PARAMETERS; j++) {
            h[i][j] /= pivot;
            inverse[i][j] /= pivot;
        }
        for (k = 0; k < N_PARAMETERS; k++) {
            const double part = h[k][i];

            if (k == i) continue;
            for (j = 0; j < N_PARAMETERS; j++) {
                h[k][j] -= part * h[i][j];
                inverse[k][j] -= part * inverse[i][j];
            }
        }
    }
    for (i = 0; i < N_PARAMETERS; i++) {
        for (j = 0; j < N_PARAMETERS; j++)
            h[i][j] = inverse[i][j] * scale[i] * scale[j];
    }
    return true;
}

/* Standard errors of gain, ln tau, theta, baseline; infinite where the record does not tell. */
static void standard_errors(polish *job, const solution *at, double noise, double *error)
{
    double h[N_PARAMETERS][N_PARAMETERS] = {{0}};
    size_t i;
    int a, b;

    respond(job, at->p, true);
    for (i = 0; i < job->series->samples; i++) {
        const double row[N_PARAMETERS] = {job->x[i], at->p[0] * job->by_log_tau[i],
                                          at->p[0] * job->by_theta[i], 1.0};

        for (a = 0; a < N_PARAMETERS; a++) {
            for (b = 0; b < N_PARAMETERS; b++)
                h[a][b] += row[a] * row[b];
        }
    }
    if (!invert(h)) {
        for (a = 0; a < N_PARAMETERS; a++)
            error[a] = INFINITY;
        return;
    }
    for (a = 0; a < N_PARAMETERS; a++)
        error[a] = noise * sqrt(h[a][a]);
}

/* How much of PV is explained, and whether what is left looks like noise. job->x holds x. */
static void measure(const polish *job, const solution *at, rk_fit *fit)
{
    const rki_series *series = job->series;
    const double rows = (double)series->samples;
    double mean = 0, total = 0, left = 0, product = 0, before = 0;
    size_t i;

    for (i = 0; i < series->samples; i++)
        mean += series->pv[i] / rows;
    for (i = 0; i < series->samples; i++) {
        const double off = series->pv[i] - mean;
        const double residual = series->pv[i] - at->p[3] - (at->p[0] * job->x[i]);

        total += off * off;
        left += residual * residual;
        if (i > 0) product += residual * before;
        before = residual;
    }
    fit->rmse = sqrt(left / rows);
    fit->noise = sqrt(left / (rows - N_PARAMETERS));
    fit->fit_percent = 100.0 * (1.0 - sqrt(left / total));
    fit->residual_correlation = left > 0 ? product / left : 0.0;
    fit->bic = (rows * log(fmax(left, 1e-300) / rows)) + (N_PARAMETERS * log(rows));
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
            "do not tune from this model; if the process does settle, record until it has",
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

static void report(polish *job, const solution *at, rk_fit *fit)
{
    const rki_series *series = job->series;
    const double t = student95((double)series->samples - N_PARAMETERS);
    const double tau = exp(at->p[1]);
    double error[N_PARAMETERS];

    memset(fit, 0, sizeof *fit);
    fit->model.kind = RK_MODEL_FOPDT;
    fit->model.gain = at->p[0];
    fit->model.time_constant[0] = tau;
    fit->model.dead_time = at->p[2];
    fit->model.out0 = series->out0;
    fit->model.pv0 = series->pv_ref + at->p[3];
    fit->rows = series->samples;
    fit->moves = series->events;

    respond(job, at->p, false);
    measure(job, at, fit);
    standard_errors(job, at, fit->noise, error);
    around(fit->model.gain, t * error[0], fit->gain95);
    fit->tau95[0] = tau * exp(-t * error[1]);
    fit->tau95[1] = tau * exp(t * error[1]);
    around(fit->model.dead_time, t * error[2], fit->dead_time95);
    fit->dead_time95[0] = fmax(fit->dead_time95[0], 0.0);
    around(fit->model.pv0, t * error[3], fit->pv0_95);
    add_findings(series, fit);
}

static rk_status check_record(const rk_record *record, rk_diag *diag)
{
    const size_t rows = rk_record_rows(record);
    const double *out = rk_record_out(record), *pv = rk_record_pv(record);
    size_t i, move;

    if (rows < N_PARAMETERS + 1) {
        return rk_diag_set(diag, RK_ERR_DATA, "%zu rows are too few: a fit needs at least %d",
                           rows, N_PARAMETERS + 1);
    }
    if (rows > 100000000) {
        return rk_diag_set(diag, RK_ERR_DATA, "%zu rows are too many: thin them to 100 million",
                           rows);
    }
    for (move = 1; move < rows && out[move] == out[0]; move++)
        continue;
    if (move == rows) {
        return rk_diag_set(
            diag, RK_ERR_DATA,
            "OUT never moves (%.6g in all %zu rows): a fit needs at least one move "
            "of OUT; widen the window or check the OUT column",
            out[0], rows);
    }
    if (rows - move < N_PARAMETERS) {
        return rk_diag_set(
            diag, RK_ERR_DATA,
            "OUT first moves at row %zu of %zu: too few rows come after the move", move + 1,
            rows);
    }
    for (i = 1; i < rows && pv[i] == pv[0]; i++)
        continue;
    if (i == rows) {
        return rk_diag_set(
            diag, RK_ERR_DATA,
            "PV never moves (%.6g in all %zu rows): check the PV column and the sensor", pv[0],
            rows);
    }
    return RK_OK;
}

static rk_status search_and_polish(polish *job, rk_fit *fit, rk_diag *diag)
{
    const rki_series *series = job->series;
    const double theta_most = series->time[series->samples - 1] - series->event_time[0];
    rki_series thin;
    point starts[N_STARTS];
    solution best;
    int count, i;
    rk_status status = rki_series_thin(&thin, series, diag);

    if (status != RK_OK) return status;
    count = search_grid(&thin, theta_most, starts, job->x);
    for (i = 0; i < count; i++)
        refine(&thin, theta_most, &starts[i], job->x);
    for (i = 1; i < count; i++) {
        if (starts[i].cost < starts[0].cost) {
            const point better = starts[i];

            starts[i] = starts[0];
            starts[0] = better;
        }
    }
    rki_series_free(&thin);

    status = polish_all(job, starts, count, theta_most, &best, diag);
    if (status == RK_OK) report(job, &best, fit);
    return status;
}

rk_status rk_fit_fopdt(const rk_record *record, rk_fit *fit, rk_diag *diag)
{
    rki_series series;
    polish job = {&series, NULL, NULL, NULL};
    rk_status status;

    if (record == NULL || fit == NULL) return RK_ERR_ARG;
    status = check_record(record, diag);
    if (status == RK_OK) status = rki_series_create(&series, record, diag);
    if (status != RK_OK) return status;

    job.x = rk_memory_create(series.samples, sizeof(double));
    job.by_theta = rk_memory_create(series.samples, sizeof(double));
    job.by_log_tau = rk_memory_create(series.samples, sizeof(double));
    if (job.x == NULL || job.by_theta == NULL || job.by_log_tau == NULL) {
        status =
            rk_diag_set(diag, RK_ERR_MEMORY, "out of memory to fit %zu rows", series.samples);
    } else {
        status = search_and_polish(&job, fit, diag);
    }
    rk_memory_free(job.x);
    rk_memory_free(job.by_theta);
    rk_memory_free(job.by_log_tau);
    rki_series_free(&series);
    return status;
}
