/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdbool.h>

#include "fit_stages.h"

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
    N_THETA = 48, /* dead times in the grid, denser towards zero */
    N_TAU = 22    /* time constants in the grid, evenly spaced in ln tau */
};

/* The grid's time constants, as parts of the sampling interval and of the record's length. */
#define TAU_LEAST 0.1
#define TAU_MOST 5.0

/* Keep the best few points, best first. */
static void keep_best(rki_point *best, int *count, const rki_point *candidate)
{
    int at = *count;

    if (at == RKI_STARTS && candidate->cost >= best[RKI_STARTS - 1].cost) return;
    if (at == RKI_STARTS) {
        at--;
    }
    for (; at > 0 && best[at - 1].cost > candidate->cost; at--) {
        best[at] = best[at - 1];
    }
    best[at] = *candidate;
    if (*count < RKI_STARTS) {
        ++*count;
    }
}

/* Stage 1. Returns how many local minima of the grid stand in best. */
static int search_grid(rki_series *thin, double theta_most, rki_point *best)
{
    static const int step[8][2] = {{-1, -1}, {-1, 0}, {-1, 1}, {0, -1},
                                   {0, 1},   {1, -1}, {1, 0},  {1, 1}};
    const double span = thin->time[thin->samples - 1];
    const double low = log(TAU_LEAST * thin->interval), high = log(TAU_MOST * span);
    rki_point grid[N_TAU][N_THETA];
    int count = 0, i, j, n;

    for (i = 0; i < N_TAU; i++) {
        const double log_tau = low + ((high - low) * i / (N_TAU - 1));

        rki_series_set_tau(thin, exp(log_tau));
        for (j = 0; j < N_THETA; j++) {
            const double part = (double)j / N_THETA;

            grid[i][j].theta = theta_most * part * part;
            grid[i][j].log_tau = log_tau;
            grid[i][j].cost = rki_series_cost(thin, exp(log_tau), grid[i][j].theta);
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
            if (lowest) {
                keep_best(best, &count, &grid[i][j]);
            }
        }
    }
    return count;
}

/* Stage 2: steps in dead time and ln tau that halve when none of them helps. */
static void refine(rki_series *thin, double theta_most, rki_point *at)
{
    double theta_step = theta_most / N_THETA, log_step = 0.5;

    while (log_step > 0.01) {
        const double moves[4][2] = {
            {theta_step, 0}, {-theta_step, 0}, {0, log_step}, {0, -log_step}};
        rki_point better = *at;
        int n;

        for (n = 0; n < 4; n++) {
            rki_point trial = {at->theta + moves[n][0], at->log_tau + moves[n][1], 0};

            if (trial.theta < 0 || trial.theta > theta_most) continue;
            rki_series_set_tau(thin, exp(trial.log_tau));
            trial.cost = rki_series_cost(thin, exp(trial.log_tau), trial.theta);
            if (trial.cost < better.cost) {
                better = trial;
            }
        }
        if (better.cost < at->cost) {
            *at = better;
        } else {
            theta_step *= 0.5;
            log_step *= 0.5;
        }
    }
}

double rki_theta_most(const rki_series *series)
{
    return series->time[series->samples - 1] - series->event_time[0];
}

static void search_thin(rki_series *thin, double theta_most, rki_point *starts, int *count)
{
    int i;

    *count = search_grid(thin, theta_most, starts);
    for (i = 0; i < *count; i++) {
        refine(thin, theta_most, &starts[i]);
    }
    for (i = 1; i < *count; i++) {
        if (starts[i].cost < starts[0].cost) {
            const rki_point better = starts[i];

            starts[i] = starts[0];
            starts[0] = better;
        }
    }
}

rk_status rki_fit_search(const rki_series *series, rki_point starts[RKI_STARTS], int *count,
                         rk_diag *diag)
{
    rki_series thin;
    const rk_status status = rki_series_thin(&thin, series, diag);

    if (status != RK_OK) return status;
    search_thin(&thin, rki_theta_most(series), starts, count);
    rki_series_free(&thin);
    return RK_OK;
}
