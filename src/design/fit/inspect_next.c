/* SPDX-License-Identifier: MIT */
/*
 * The next test, from the noise and a rough model: the smallest move, and the shortest pattern
 * of moves, with which gain and dead time would be known as well as is wanted.
 *
 * For unit moves and unit white noise the information matrix J'J of gain, shape, dead time and
 * start is summed over the samples of the test; the standard errors are the roots of its
 * inverse's diagonal, and scale as noise / move. From the simplest pattern on (one step, there
 * and back, doublets) and the shortest wait the move is sized so that 1.96 errors are what is
 * wanted, rounded up to a plain number, and taken if OUT has room for it.
 *
 * Source  G. C. Goodwin, R. L. Payne, Dynamic System Identification: Experiment Design and Data
 *         Analysis, Academic Press, 1977.
 */
#include <math.h>
#include <stdio.h>

#include "fit_stages.h"
#include "inspect_parts.h"

/* More samples than this of a test are thinned: its information is scaled. */
#define SAMPLES_MOST 4000.0
/* Half a 95 % interval in standard errors. */
#define SURE 1.96
/* A dead time shorter than this part of dead time and time constant together is not asked for
   more exactly than one of that length: no tuning depends on it. */
#define SHORT_DEAD_TIME 0.05
/* Without limits, and without noise, a move is still this part of OUT's range. */
#define MOVE_LEAST 0.01
/* A move of up to this part of OUT's range, or twice this record's, is gentle. */
#define GENTLE 0.05
/* Nobody makes more moves than this. */
enum { MOVES_MOST = 17 };

/* Moves of one size, alternating, with equal waits; the doublet's second is twice as large. */
typedef struct pattern {
    int moves;
    double wait; /* s after each; half of it before the first */
} pattern;

/* OUT after move k, in units of the move's size. */
static double level(int moves, int k)
{
    if (moves == 1 || k == 0) return k > 0 ? 1.0 : 0.0;
    if (moves == 2) return k == 1 ? 1.0 : 0.0;
    if (k == moves) return 0.0; /* a doublet, and longer ones like it, end where they began */
    return k % 2 == 1 ? 1.0 : -1.0;
}

/* Standard errors of gain and dead time for unit noise and unit moves, both times the gain's
   size: from the information matrix of gain, ln tau (an integrator's: slope), theta, start. */
static bool errors_of(const rk_model *m, const pattern *p, double interval, double *gain,
                      double *theta)
{
    enum { NUMBERS = 4 };
    static const int place[NUMBERS] = {RKI_GAIN, RKI_SHAPE, RKI_THETA, RKI_START};
    const double total = p->wait * (p->moves + 0.5), tau = m->time_constant[0];
    const double step = interval * fmax(1.0, ceil(total / interval / SAMPLES_MOST));
    const int samples = (int)fmin(ceil(total / step), 2.0 * SAMPLES_MOST);
    double h[RKI_PARAMETERS][RKI_PARAMETERS] = {{0}}, inverse[RKI_PARAMETERS][RKI_PARAMETERS];
    unsigned active = 0;
    int a, b, k, i;

    for (i = 0; i < samples; i++) {
        const double t = i * step;
        double row[NUMBERS] = {0, 0, 0, 1.0};

        for (k = 1; k <= p->moves; k++) {
            const double size = level(p->moves, k) - level(p->moves, k - 1);
            const double since = t - (p->wait * (k - 0.5)) - m->dead_time;

            if (!(since > 0)) continue;
            if (m->kind == RK_MODEL_IPDT) {
                row[0] += size * since;
                row[2] -= size;
            } else {
                const double fade = exp(-since / tau);

                row[0] += size * (1.0 - fade);
                row[1] -= size * (since / tau) * fade;
                row[2] -= size * fade / tau;
            }
        }
        if (m->kind == RK_MODEL_IPDT) {
            row[1] = t; /* the imbalance, in the shape's place */
        }
        for (a = 0; a < NUMBERS; a++) {
            for (b = 0; b < NUMBERS; b++) {
                h[place[a]][place[b]] += row[a] * row[b] * (step / interval);
            }
        }
    }
    for (a = 0; a < NUMBERS; a++) {
        active |= 1U << place[a];
    }
    if (!rki_invert(active, h[0], inverse)) return false;
    *gain = sqrt(inverse[RKI_GAIN][RKI_GAIN]);
    *theta = sqrt(inverse[RKI_THETA][RKI_THETA]);
    return true;
}

/* A plain number not below x: 1, 1.5, 2, 2.5, 3, 4, 5, 6, 8 times a power of ten. */
static double plain_above(double x)
{
    static const double plain[] = {1, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10};
    const double power = pow(10.0, floor(log10(x)));
    size_t i;

    for (i = 0; plain[i] * power < x * (1 - 1e-9); i++) {
        continue;
    }
    return plain[i] * power;
}

/* Where the time goes: what is wanted, and the room that OUT has from where it stands. */
typedef struct wish {
    const rk_model *model;
    double noise, interval;
    double gain_wanted, theta_wanted; /* part of the gain; s */
    double up, down;                  /* room of OUT, out-EU */
    double least;                     /* the smallest move worth making, out-EU */
    double way;                       /* 1 or -1: this record's first move */
} wish;

/* The smallest move that gives what is wanted; sets *next if there is room for it. */
static bool try_pattern(const wish *w, const pattern *p, rk_next_test *next)
{
    const double k = fabs(w->model->gain);
    double gain, theta, size, way = w->way, room;

    if (!errors_of(w->model, p, w->interval, &gain, &theta)) return false;
    /* A pattern that goes both ways needs room both ways. */
    room = p->moves > 2 ? fmin(w->up, w->down) : way > 0 ? w->up : w->down;
    size = fmax(SURE * w->noise * gain / (k * w->gain_wanted),
                SURE * w->noise * theta / (k * w->theta_wanted));
    size = fmax(size, w->least);
    if (size > room && p->moves <= 2) {
        way = -way;
        room = way > 0 ? w->up : w->down;
    }
    if (!(size <= room)) return false;
    size = fmin(plain_above(size), room);
    next->possible = true;
    next->moves = p->moves;
    next->wait = p->wait;
    next->out_move = way * size;
    next->gain_percent = 100.0 * SURE * w->noise * gain / (k * size);
    next->dead_time_error = SURE * w->noise * theta / (k * size);
    return true;
}

/* The simplest pattern of at most `most` moves with the shortest wait. */
static bool search(const wish *w, int most, rk_next_test *next)
{
    static const double waits[] = {4, 5, 6, 8, 10, 15};
    static const int moves[] = {1, 2, 3, 5, 9, 17};
    const rk_model *m = w->model;
    const bool integrates = rk_model_kind_integrates(m->kind);
    size_t i, n;

    /* An integrator must not be left off balance: there and back at least. */
    for (n = integrates ? 1 : 0; n < sizeof moves / sizeof moves[0] && moves[n] <= most; n++) {
        for (i = 0; i < sizeof waits / sizeof waits[0]; i++) {
            const double unit =
                integrates ? 2.0 * fmax(m->dead_time, 4.0 * w->interval) : m->time_constant[0];
            const pattern p = {moves[n], plain_above(m->dead_time + (waits[i] * unit))};

            if (try_pattern(w, &p, next)) return true;
        }
    }
    return false;
}

static double largest_move(const rk_inspection *made)
{
    double largest = 0;
    size_t i;

    for (i = 0; i < made->facts.moves && i < RK_MOVES_MAX; i++) {
        largest = fmax(largest, fabs(made->facts.move[i].to - made->facts.move[i].from));
    }
    return largest;
}

void rki_inspect_next(const rki_columns_view *v, const rk_inspect_plan *plan,
                      rk_inspection *made)
{
    const rk_model *m = &made->rough.model;
    const double r = made->facts.noise_correlation, out = v->out[v->rows - 1];
    const double whole = m->dead_time + m->time_constant[0];
    const bool ranged = !isnan(plan->out_low) && !isnan(plan->out_high);
    double modest;
    wish gentle,
        w = {.model = m, .interval = made->facts.interval, .gain_wanted = plan->gain_wanted};

    if (!made->has_model) return;
    w.noise = made->facts.noise * sqrt((1 + r) / (1 - r));
    w.theta_wanted = plan->dead_time_wanted * fmax(m->dead_time, SHORT_DEAD_TIME * whole);
    w.up = isnan(plan->out_high) ? HUGE_VAL : plan->out_high - out;
    w.down = isnan(plan->out_low) ? HUGE_VAL : out - plan->out_low;
    w.way =
        made->facts.moves > 0 && made->facts.move[0].to < made->facts.move[0].from ? -1.0 : 1.0;
    w.least = ranged ? MOVE_LEAST * (plan->out_high - plan->out_low)
              : made->facts.moves > 0
                  ? 0.1 * fabs(made->facts.move[0].to - made->facts.move[0].from)
                  : 0.0;
    made->next.known = true;
    made->next.dead_time_wanted = w.theta_wanted;
    made->next.needed = made->gain_percent > 100.0 * plan->gain_wanted ||
                        made->dead_time_error > w.theta_wanted;

    /* A gentle move if one will do; then the whole room; then many moves. */
    gentle = w;
    modest =
        fmax(2.0 * largest_move(made), ranged ? GENTLE * (plan->out_high - plan->out_low) : 0);
    gentle.up = fmin(w.up, modest);
    gentle.down = fmin(w.down, modest);
    if (search(&gentle, 3, &made->next) || search(&w, 3, &made->next)) return;
    (void)search(&w, MOVES_MOST, &made->next);
}

static void time_words(char *words, size_t room, double seconds)
{
    if (seconds >= 600) {
        (void)snprintf(words, room, "%.3g min", seconds / 60.0);
    } else {
        (void)snprintf(words, room, "%.3g s", seconds);
    }
}

void rk_next_test_words(const rk_inspection *inspection, const char *out_units, char *text,
                        size_t room)
{
    static const char *const patterns[] = {"", "once", "there and back",
                                           "there, to the other side and back (a doublet)"};
    const rk_next_test *n = &inspection->next;
    char wait[32], before[32], many[64];

    if (!n->known) {
        (void)snprintf(text, room,
                       "Make a larger move of OUT and wait until PV has settled: this record "
                       "shows no response to plan by.");
        return;
    }
    if (!n->possible) {
        (void)snprintf(
            text, room,
            "No test within OUT's limits gives what is wanted, not even %d moves: make "
            "PV less noisy, record faster, or ask for less.",
            MOVES_MOST);
        return;
    }
    time_words(wait, sizeof wait, n->wait);
    time_words(before, sizeof before, 0.5 * n->wait);
    (void)snprintf(many, sizeof many, "%d times to and fro and back", n->moves);
    (void)snprintf(text, room,
                   "%s%s %s, move OUT by %+.3g %s, %s, and wait %s after %s: that "
                   "would give the gain to +-%.2g %% and the dead time to +-%.2g s (95 %%).",
                   n->needed
                       ? ""
                       : "None is needed: this record gives what is wanted. A gentle one that "
                         "would do: ",
                   n->needed ? "Record for" : "record for", before, n->out_move, out_units,
                   n->moves <= 3 ? patterns[n->moves] : many, wait,
                   n->moves == 1 ? "it" : "each move", n->gain_percent, n->dead_time_error);
}
