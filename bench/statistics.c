/* SPDX-License-Identifier: MIT */
/*
 * How good the fit is: over many seeded records the scatter of each number against the bound of
 * Cramer and Rao, with the noise's colour known, beside plain least squares; and how often the
 * 95 % intervals hold. Usage: redkettle-statistics [RECORDS]
 */
#include <math.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <redkettle/redkettle.h>

enum { ROWS = 600, NUMBERS = 4 }; /* gain, ln time constant, dead time, baseline */

typedef struct process {
    const char *name;
    rk_model model;
    double interval, sigma, at[2], size;
} process;

static const process processes[] = {
    {"blend Brix, PV moves 20 times the noise",
     {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     1,
     0.03,
     {60, 330},
     5},
    {"blend Brix, PV moves 70 times the noise",
     {RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8},
     1,
     0.0085,
     {60, 330},
     5},
    {"a quick loop", {RK_MODEL_FOPDT, 2, {10, 0}, 0, 4, 30, 50}, 1, 0.5, {50, 150}, 5},
};

static uint64_t state;

static double uniform(void)
{
    state ^= state << 13;
    state ^= state >> 7;
    state ^= state << 17;
    return (double)(state >> 11) / 9007199254740992.0;
}

static double normal(void)
{
    const double radius = sqrt(-2.0 * log(uniform() + 1e-300));

    return radius * cos(6.283185307179586 * uniform());
}

/* OUT of the test with a model's PV, and noise of a colour. */
static rk_record *make(const process *p, const rk_model *model, double sigma, double colour)
{
    rk_record *still = NULL, *record = NULL;
    double pv[ROWS], noise = sigma * normal();
    int i;

    if (rk_record_create(&still, NULL) != RK_OK || rk_record_create(&record, NULL) != RK_OK) {
        abort();
    }
    for (i = 0; i < ROWS; i++) {
        const double t = i * p->interval;

        (void)rk_record_add(
            still, t, p->model.out0 + (t >= p->at[0] && t < p->at[1] ? p->size : 0), 0, NULL);
    }
    if (rk_model_response_compute(model, still, pv, NULL) != RK_OK) abort();
    for (i = 0; i < ROWS; i++) {
        (void)rk_record_add(record, i * p->interval, rk_record_out(still)[i], pv[i] + noise,
                            NULL);
        noise = (colour * noise) + (sigma * sqrt(1.0 - (colour * colour)) * normal());
    }
    rk_record_free(still);
    return record;
}

/* Derivative of PV by a number, by central differences, whitened. */
static void derivative(const process *p, int number, double colour, double *by)
{
    const double step = 1e-4;
    rk_model model[2] = {p->model, p->model};
    rk_record *record[2];
    int side, i;

    for (side = 0; side < 2; side++) {
        const double h = side == 0 ? step : -step;

        model[side].gain += number == 0 ? h : 0.0;
        model[side].time_constant[0] *= number == 1 ? exp(h) : 1.0;
        model[side].dead_time += number == 2 ? h : 0.0;
        model[side].pv0 += number == 3 ? h : 0.0;
        record[side] = make(p, &model[side], 0.0, 0.0);
    }
    for (i = ROWS - 1; i >= 0; i--) {
        by[i] = (rk_record_pv(record[0])[i] - rk_record_pv(record[1])[i]) / (2.0 * step);
    }
    for (i = ROWS - 1; i > 0; i--) {
        by[i] = (by[i] - (colour * by[i - 1])) / sqrt(1.0 - (colour * colour));
    }
    rk_record_free(record[0]);
    rk_record_free(record[1]);
}

/* Standard deviations that no unbiased estimate can be below. */
static void bound(const process *p, double colour, double *sd)
{
    double by[NUMBERS][ROWS], h[NUMBERS][2 * NUMBERS];
    int a, b, i, k;

    for (a = 0; a < NUMBERS; a++) {
        derivative(p, a, colour, by[a]);
    }
    for (a = 0; a < NUMBERS; a++) {
        for (b = 0; b < NUMBERS; b++) {
            h[a][b] = 0;
            h[a][NUMBERS + b] = a == b ? 1.0 : 0.0;
            for (i = 0; i < ROWS; i++) {
                h[a][b] += by[a][i] * by[b][i] / (p->sigma * p->sigma);
            }
        }
    }
    for (a = 0; a < NUMBERS; a++) {
        const double pivot = h[a][a];

        for (b = 0; b < 2 * NUMBERS; b++) {
            h[a][b] /= pivot;
        }
        for (k = 0; k < NUMBERS; k++) {
            const double part = h[k][a];

            for (b = 0; b < 2 * NUMBERS && k != a; b++) {
                h[k][b] -= part * h[a][b];
            }
        }
    }
    for (a = 0; a < NUMBERS; a++) {
        sd[a] = sqrt(h[a][NUMBERS + a]);
    }
}

static void run(const process *p, double colour, int records)
{
    double sd[NUMBERS], square[2][3] = {{0}};
    int holds[3] = {0}, i, way, k;
    rk_fit_plan plan = rk_fit_plan_make();

    plan.any_kind = false;
    bound(p, colour, sd);
    for (i = 0; i < records; i++) {
        rk_record *record;

        state = 88172645463325252U + ((uint64_t)i * 7919U);
        record = make(p, &p->model, p->sigma, colour);
        for (way = 0; way < 2; way++) {
            rk_fit fit;
            double off[3];

            plan.plain = way == 1;
            if (rk_fit_compute(record, &plan, &fit, NULL) != RK_OK) abort();
            off[0] = fit.model.gain - p->model.gain;
            off[1] = log(fit.model.time_constant[0] / p->model.time_constant[0]);
            off[2] = fit.model.dead_time - p->model.dead_time;
            for (k = 0; k < 3; k++) {
                square[way][k] += off[k] * off[k];
            }
            if (way == 1) continue;
            holds[0] += fit.gain95[0] <= p->model.gain && p->model.gain <= fit.gain95[1];
            holds[1] += fit.tau95[0][0] <= p->model.time_constant[0] &&
                        p->model.time_constant[0] <= fit.tau95[0][1];
            holds[2] += fit.dead_time95[0] <= p->model.dead_time &&
                        p->model.dead_time <= fit.dead_time95[1];
        }
        rk_record_free(record);
    }
    printf("%s, %s:\n", p->name, colour > 0 ? "AR(1) noise of 0.8" : "white noise");
    for (k = 0; k < 3; k++) {
        static const char *const names[] = {"gain", "time constant", "dead time"};

        printf("  %-14s scatter %.3f of the bound (plain least squares %.3f); 95 %% "
               "intervals hold in %.1f %%\n",
               names[k], sqrt(square[0][k] / records) / sd[k],
               sqrt(square[1][k] / records) / sd[k], 100.0 * holds[k] / records);
    }
}

int main(int argc, char **argv)
{
    const int records = argc > 1 ? atoi(argv[1]) : 400;
    size_t i;

    printf("Over %d seeded records of %d rows:\n", records, ROWS);
    for (i = 0; i < sizeof processes / sizeof processes[0]; i++) {
        run(&processes[i], 0.0, records);
        run(&processes[i], 0.8, records);
    }
    return 0;
}
