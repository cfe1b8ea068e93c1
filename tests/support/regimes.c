/* SPDX-License-Identifier: MIT */
#include "regimes.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "rng.h"

#define BLEND                                                                                  \
    {                                                                                          \
        RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8                                   \
    }
#define SLOW                                                                                   \
    {                                                                                          \
        RK_MODEL_FOPDT, 0.8, {60, 0}, 0, 20, 42, 60                                            \
    }
#define TWO_LAGS                                                                               \
    {                                                                                          \
        RK_MODEL_SOPDT, 2, {60, 25}, 0, 12, 42, 50                                             \
    }
#define LEVEL                                                                                  \
    {                                                                                          \
        RK_MODEL_IPDT, 0.002, {0, 0}, 0, 9, 42, 40                                             \
    }
#define THERE_AND_BACK                                                                         \
    {                                                                                          \
        {60, 5},                                                                               \
        {                                                                                      \
            330, -5                                                                            \
        }                                                                                      \
    }

#define SIX_MOVES                                                                              \
    {                                                                                          \
        {150, 5}, {550, -5}, {900, 4}, {1250, -6}, {1600, 5},                                  \
        {                                                                                      \
            2000, -3                                                                           \
        }                                                                                      \
    }

const regime regimes[] = {
    {.name = "white noise, 70 times",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.0085},
    {.name = "white noise, 20 times",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.03},
    {.name = "AR noise of 0.8, 70 times",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.0085,
     .ar = 0.8},
    {.name = "AR noise of 0.8, 20 times",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.03,
     .ar = 0.8},
    {.name = "irregular rows",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.0085,
     .jitter = 0.3},
    {.name = "between rows, there and back",
     .m = SLOW,
     .interval = 10,
     .rows = 100,
     .move = {{150, 5}, {550, -5}},
     .noise = 0.03,
     .between = true},
    {.name = "between rows, six moves",
     .m = SLOW,
     .interval = 10,
     .rows = 240,
     .move = SIX_MOVES,
     .noise = 0.03,
     .between = true},
    {.name = "between rows, six, noisier",
     .m = SLOW,
     .interval = 10,
     .rows = 240,
     .move = SIX_MOVES,
     .noise = 0.15,
     .between = true},
    {.name = "between rows, one move",
     .m = SLOW,
     .interval = 10,
     .rows = 60,
     .move = {{150, 5}},
     .noise = 0.03,
     .between = true,
     .doubtful = true},
    {.name = "between rows, AR noise",
     .m = SLOW,
     .interval = 10,
     .rows = 240,
     .move = SIX_MOVES,
     .noise = 0.08,
     .ar = 0.6,
     .between = true},
    {.name = "on rows, six moves",
     .m = SLOW,
     .interval = 10,
     .rows = 240,
     .move = SIX_MOVES,
     .noise = 0.03},
    {.name = "off rest",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = {{150, 5}, {400, -5}},
     .noise = 0.008,
     .off_rest = 3},
    {.name = "two lags off rest",
     .m = TWO_LAGS,
     .interval = 2,
     .rows = 600,
     .move = {{300, 5}, {750, -5}},
     .noise = 0.1,
     .off_rest = -3},
    {.name = "drift",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.0085,
     .drift = 0.0003},
    {.name = "load 20 s behind the answer",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.008,
     .load = 3,
     .load_at = 97.4,
     .doubtful = true},
    {.name = "load right at the answer",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.008,
     .load = 3,
     .load_at = 80,
     .doubtful = true},
    {.name = "load later, two lags",
     .m = TWO_LAGS,
     .interval = 2,
     .rows = 600,
     .move = {{100, 5}, {750, -5}},
     .noise = 0.1,
     .load = 2,
     .load_at = 500,
     .doubtful = true},
    {.name = "integrator, drifting, coloured",
     .m = LEVEL,
     .interval = 2,
     .rows = 500,
     .move = {{200, 5}, {500, -5}},
     .noise = 0.02,
     .ar = 0.6,
     .drift = 0.0005},
    {.name = "coarse transmitter, 8 steps",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.0085,
     .quantum = 0.07375,
     .doubtful = true},
    {.name = "coarse, little noise",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.002,
     .quantum = 0.07375,
     .doubtful = true},
    {.name = "short, AR noise of 0.6",
     .m = SLOW,
     .interval = 10,
     .rows = 30,
     .move = {{50, 5}},
     .noise = 0.05,
     .ar = 0.6,
     .doubtful = true},
    {.name = "short, AR noise of 0.8",
     .m = SLOW,
     .interval = 10,
     .rows = 30,
     .move = {{50, 5}},
     .noise = 0.05,
     .ar = 0.8,
     .doubtful = true},
    {.name = "three bad rows in a row",
     .m = BLEND,
     .interval = 1,
     .rows = 600,
     .move = THERE_AND_BACK,
     .noise = 0.0085,
     .spikes = 3},
    {.name = "PV missing at the move",
     .m = SLOW,
     .interval = 10,
     .rows = 240,
     .move = SIX_MOVES,
     .noise = 0.03,
     .bad_row = true},
    {.name = "two lags",
     .m = TWO_LAGS,
     .interval = 2,
     .rows = 600,
     .move = {{100, 5}, {600, -5}},
     .noise = 0.1,
     .ar = 0.4},
};
const int regime_count = (int)(sizeof regimes / sizeof regimes[0]);

enum { ROWS_MOST = 1000 };

static void must_be(bool so)
{
    if (!so) abort();
}

/* One move of OUT at its true time, of a plant at rest: PV at the rows, added up. */
static void add_response(const rk_model *m, double at, double size, const double *time,
                         int rows, double *pv)
{
    rk_model still = *m;
    rk_record *record = NULL;
    double answer[ROWS_MOST + 2];
    int i, before = 0;

    still.out0 = still.pv0 = 0;
    must_be(rk_record_create(&record, NULL) == RK_OK);
    must_be(rk_record_add(record, fmin(at, time[0]) - 1, 0, 0, NULL) == RK_OK);
    before++;
    for (i = 0; i < rows && time[i] < at; i++) {
        must_be(rk_record_add(record, time[i], 0, 0, NULL) == RK_OK);
    }
    if (i == rows || time[i] > at) {
        must_be(rk_record_add(record, at, size, 0, NULL) == RK_OK);
        before++; /* a row that the others come behind */
    }
    for (; i < rows; i++) {
        must_be(rk_record_add(record, time[i], size, 0, NULL) == RK_OK);
    }
    must_be(rk_model_response_compute(&still, record, answer, NULL) == RK_OK);
    for (i = 0; i < rows; i++) {
        pv[i] += answer[i + (time[i] < at ? 1 : before)];
    }
    rk_record_free(record);
}

/* PV at the rows, without noise, and OUT as it stands at each. */
static void respond(const regime *r, const rk_model *m, const double *time, rng *random,
                    double *out, double *pv)
{
    int i, k;

    for (i = 0; i < r->rows; i++) {
        out[i] = m->out0;
        pv[i] = m->pv0 + (r->drift * time[i]);
    }
    for (k = 0; k < REGIME_MOVES && r->move[k].size != 0; k++) {
        const double back = r->between ? rng_uniform(random) * r->interval : 0.0;
        const double at = r->move[k].at - back;

        for (i = 0; i < r->rows; i++) {
            out[i] += time[i] >= at - 1e-9 ? r->move[k].size : 0.0;
        }
        add_response(m, at, r->move[k].size, time, r->rows, pv);
    }
    if (r->load != 0) {
        add_response(m, r->load_at - m->dead_time, r->load, time, r->rows, pv);
    }
    if (r->off_rest != 0) {
        /* It stood off for long, and was put back just long enough ago to act by now. */
        add_response(m, -m->dead_time - 1e6, r->off_rest, time, r->rows, pv);
        add_response(m, -m->dead_time - (0.2 * m->time_constant[0]), -r->off_rest, time,
                     r->rows, pv);
    }
}

static void lay_times(const regime *r, rng *random, double *time)
{
    int i, k;

    for (i = 0; i < r->rows; i++) {
        bool moves = i == 0;

        time[i] = i * r->interval;
        for (k = 0; k < REGIME_MOVES && r->move[k].size != 0; k++) {
            moves = moves || fabs(r->move[k].at - time[i]) < 0.5 * r->interval;
        }
        if (r->jitter > 0 && !moves) {
            time[i] += r->jitter * r->interval * (rng_uniform(random) - 0.5);
        }
    }
}

/* The first row of a move. */
static int row_of(const regime *r, const double *time, int move)
{
    int i = 0;

    while (i + 1 < r->rows && time[i] < r->move[move].at - 1e-9) {
        i++;
    }
    return i;
}

rk_record *regime_record(const regime *r, uint64_t seed)
{
    double time[ROWS_MOST], out[ROWS_MOST], pv[ROWS_MOST], e, shift;
    rng random = {seed};
    rk_record *record = NULL;
    int first, spike, i;

    must_be(r->rows <= ROWS_MOST);
    lay_times(r, &random, time);
    respond(r, &r->m, time, &random, out, pv);
    first = row_of(r, time, 0);
    spike = row_of(r, time, 1) - 30;
    must_be(rk_record_create(&record, NULL) == RK_OK);
    e = r->noise * rng_normal(&random);
    shift = r->quantum * rng_uniform(&random); /* where PV stands between two of its steps */
    for (i = 0; i < r->rows; i++) {
        double value = pv[i] + e + shift;

        value = r->quantum > 0 ? r->quantum * nearbyint(value / r->quantum) : value;
        value = i >= spike && i < spike + r->spikes ? 0.0 : value;
        value = r->bad_row && i == first ? nan("") : value;
        must_be(rk_record_add(record, time[i], out[i], value, NULL) == RK_OK);
        e = (r->ar * e) + (r->noise * sqrt(1 - (r->ar * r->ar)) * rng_normal(&random));
    }
    return record;
}

static bool holds(const double interval[2], double truth)
{
    return interval[0] <= truth && truth <= interval[1];
}

/* What is claimed that is not there, and what is there and is not found. An integrator's drift is
   an imbalance, which its model has. */
static void score_extras(const regime *r, const rk_fit *fit, regime_score *s)
{
    s->extras += (fit->drift != 0 && r->drift == 0) || (fit->load != 0 && r->load == 0) ||
                 (fit->initial != 0 && r->off_rest == 0);
    s->missed += (fit->drift == 0 && r->drift != 0 && !rk_model_kind_integrates(r->m.kind)) ||
                 (fit->load == 0 && r->load != 0) || (fit->initial == 0 && r->off_rest != 0);
}

regime_score regime_run(const regime *r, int records)
{
    const rk_fit_plan plan = rk_fit_plan_make();
    const rk_model *m = &r->m;
    regime_score s = {.records = records};
    clock_t took = 0;
    int i, k;

    for (i = 0; i < records; i++) {
        rk_record *record = regime_record(r, (uint64_t)i);
        const int times = rk_model_kind_times(m->kind);
        double off[3] = {0};
        clock_t from = clock();
        bool gain, tau = true, theta;
        rk_fit fit;

        must_be(rk_fit_compute(record, &plan, &fit, NULL) == RK_OK);
        took += clock() - from;
        rk_record_free(record);
        gain = holds(fit.gain95, m->gain);
        theta = holds(fit.dead_time95, m->dead_time);
        for (k = 0; k < times; k++) {
            tau = tau && holds(fit.tau95[k], m->time_constant[k]);
        }
        s.gain += gain;
        s.tau += tau;
        s.theta += theta;
        s.kind += fit.model.kind == m->kind;
        s.good += rk_fit_level(&fit) <= RK_LEVEL_NOTE;
        s.sure += rk_fit_level(&fit) <= RK_LEVEL_NOTE && !(gain && tau && theta);
        score_extras(r, &fit, &s);
        off[0] = fit.model.gain - m->gain;
        off[1] = times > 0 && fit.model.kind == m->kind
                     ? log(fit.model.time_constant[0] / m->time_constant[0])
                     : 0.0;
        off[2] = fit.model.dead_time - m->dead_time;
        for (k = 0; k < 3; k++) {
            s.error[k] += off[k] * off[k] / records;
        }
        s.width += (fit.dead_time95[1] - fit.dead_time95[0]) / records;
    }
    for (k = 0; k < 3; k++) {
        s.error[k] = sqrt(s.error[k]);
    }
    s.fitted = (double)took / CLOCKS_PER_SEC / records;
    return s;
}

/* gain, ln of the time constants, dead time, baseline, drift */
enum { NUMBERS = 7 };

/* Derivative of PV by a number, by central differences, whitened. */
static void derivative(const regime *r, int number, double *by)
{
    const double step = 1e-4;
    double time[ROWS_MOST], out[ROWS_MOST], pv[2][ROWS_MOST];
    int side, i;

    for (side = 0; side < 2; side++) {
        const double h = side == 0 ? step : -step;
        rng random = {1};
        regime plain = *r;

        plain.between = false;
        lay_times(&plain, &random, time);
        plain.m.gain *= number == 0 ? 1 + h : 1;
        plain.m.time_constant[0] *= number == 1 ? exp(h) : 1.0;
        plain.m.time_constant[1] *= number == 2 ? exp(h) : 1.0;
        plain.m.dead_time += number == 3 ? h : 0.0;
        plain.m.pv0 += number == 4 ? h : 0.0;
        plain.drift += number == 5 ? h : 0.0;
        plain.load += number == 6 ? h : 0.0;
        respond(&plain, &plain.m, time, &random, out, pv[side]);
    }
    for (i = 0; i < r->rows; i++) {
        by[i] = (pv[0][i] - pv[1][i]) / (2.0 * step);
    }
    for (i = r->rows - 1; i > 0; i--) {
        by[i] = (by[i] - (r->ar * by[i - 1])) / sqrt(1.0 - (r->ar * r->ar));
    }
}

static bool is_used(const regime *r, int number)
{
    const int times = rk_model_kind_times(r->m.kind);

    return !((number == 1 && times < 1) || (number == 2 && times < 2) ||
             (number == 5 && r->drift == 0 && !rk_model_kind_integrates(r->m.kind)) ||
             (number == 6 && r->load == 0));
}

void regime_bound(const regime *r, double sd[3])
{
    static const int asked[3] = {0, 1, 3};
    static double by[NUMBERS][ROWS_MOST];
    const double variance = (r->noise * r->noise) + (r->quantum * r->quantum / 12);
    double h[NUMBERS][2 * NUMBERS];
    int a, b, i, k;

    for (a = 0; a < NUMBERS; a++) {
        derivative(r, a, by[a]);
    }
    for (a = 0; a < NUMBERS; a++) {
        for (b = 0; b < NUMBERS; b++) {
            const bool both = is_used(r, a) && is_used(r, b);

            h[a][b] = !both && a == b ? 1.0 : 0.0;
            h[a][NUMBERS + b] = a == b ? 1.0 : 0.0;
            for (i = 0; i < r->rows && both; i++) {
                h[a][b] += by[a][i] * by[b][i] / variance;
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
    for (a = 0; a < 3; a++) {
        sd[a] = sqrt(h[asked[a]][NUMBERS + asked[a]]);
    }
    sd[0] *= fabs(r->m.gain);
}
