/* SPDX-License-Identifier: MIT */
/*
 * Ms = max |1 / (1 + L)|, Mt = max |L / (1 + L)| and the bandwidth, where |T| falls below
 * 1/sqrt 2 for the last time, in one walk over the frequencies.
 *
 * The walk steps by a small part of w, and of the dead time's turn. A local maximum between
 * three neighbouring points is refined by golden section unless it cannot exceed the largest so
 * far: with |L| = m no phase gives more than 1 / |1 - m|, or m / |1 - m|. For the same reason
 * the walk ends when the largest |L| still to come, known from the places where |L| turns,
 * gives less than the peaks found. A loop whose |L| stays near 1 while the dead time turns on
 * (a direct term) meets every phase: its peak is that bound itself.
 */
#include <math.h>

#include "crossings.h"
#include "design/base/numeric.h"

/* The two peaks: of 1/(1+L), and of its complement L/(1+L). */
enum { PEAKS = 2 };

/* Both at w, from L there; returns |L|. */
static double values_at(const rki_openloop *loop, double w, double value[PEAKS])
{
    double re, im, size, below;

    rki_openloop_value(loop, w, &re, &im);
    size = sqrt((re * re) + (im * im));
    below = sqrt(((1.0 + re) * (1.0 + re)) + (im * im));
    value[0] = 1.0 / below;
    value[1] = size / below;
    return size;
}

static double sensitivity(const void *user, double w)
{
    double value[PEAKS];

    (void)values_at(user, w, value);
    return value[0];
}

static double complementary_sensitivity(const void *user, double w)
{
    double value[PEAKS];

    (void)values_at(user, w, value);
    return value[1];
}

/* A peak is flat: this part of w off its place costs it less than a part in 1e10. */
#define PLACE 1e-7

/* The value for w -> 0. */
static double peak_at_zero(const rki_openloop *loop, bool complementary)
{
    if (loop->integrators > 0) return complementary ? 1.0 : 0.0;
    return fabs((complementary ? loop->k : 1.0) / (1.0 + loop->k));
}

/* Steps of the walk: this part of w, and this turn of the dead time's phase, rad. */
#define WALK_PART 0.03
#define WALK_TURN 0.1
/* .. and where poles are weakly damped no more than this part of a resonance's width. */
#define WALK_RESONANCE 0.3
/* After so much turning, rad, the phase has met every angle at every size of |L|. */
#define DENSE_TURN 3000.0
/* Without dead time nothing happens beyond this many times the fastest corner. */
#define FAR 1e6

/* What a turning phase makes of a loop gain of this size. */
static double envelope(double size, bool complementary)
{
    if (!(size < 1)) return HUGE_VAL;
    return (complementary ? size : 1.0) / (1.0 - size);
}

/* Where |L| turns: the places of its extremes, its size there, and what it ends at. */
typedef struct turns {
    int count;
    double w[RKI_POLY_MAX], size[RKI_POLY_MAX], final;
} turns;

static turns find_turns(const rki_openloop *loop)
{
    turns t = {.final = rki_openloop_final_magnitude(loop)};
    int i;

    t.count = rki_openloop_magnitude_turns(loop, t.w);
    for (i = 0; i < t.count; i++) {
        t.size[i] = rki_openloop_magnitude(loop, t.w[i]);
    }
    return t;
}

/* The largest |L| from w on, where it is `size`. */
static double largest_from(const turns *t, double w, double size)
{
    double most = fmax(size, t->final);
    int i;

    for (i = 0; i < t->count; i++) {
        if (t->w[i] > w) {
            most = fmax(most, t->size[i]);
        }
    }
    return most;
}

/* The value for w -> infinity of a loop without dead time. */
static double peak_at_infinity(const rki_openloop *loop, bool complementary)
{
    const double final = copysign(rki_openloop_final_magnitude(loop), loop->k);

    return fabs((complementary ? final : 1.0) / (1.0 + final));
}

static double walk_start(const rki_openloop *loop)
{
    const double w = 1e-3 / rki_openloop_longest(loop);
    double crossover[RKI_POLY_MAX];

    if (rki_openloop_gain_crossovers(loop, crossover) == 0) return w;
    return fmin(w, 1e-2 * crossover[0]);
}

/* Where the walk may stop at the latest: beyond it the envelope tells, or nothing happens. */
static double walk_end(const rki_openloop *loop)
{
    return loop->theta > 0 ? DENSE_TURN / loop->theta : FAR / rki_openloop_shortest(loop);
}

/* Three neighbouring points of the walk, the newest last. */
typedef struct walk {
    double w[3], size[3], value[PEAKS][3];
} walk;

static void step_to(walk *at, const rki_openloop *loop, double w)
{
    double value[PEAKS];
    int i, k;

    for (i = 0; i < 2; i++) {
        at->w[i] = at->w[i + 1];
        at->size[i] = at->size[i + 1];
        for (k = 0; k < PEAKS; k++) {
            at->value[k][i] = at->value[k][i + 1];
        }
    }
    at->w[2] = w;
    at->size[2] = values_at(loop, w, value);
    for (k = 0; k < PEAKS; k++) {
        at->value[k][2] = value[k];
    }
}

/* A local maximum that may hide more than `best` between its points: no angle of an L of this
   size gives more than size/|1 - size|. */
static bool may_hide(const walk *at, double best, bool complementary)
{
    const double *value = at->value[complementary];
    int i;

    if (!(value[1] >= value[0] && value[1] >= value[2])) return false;
    if ((at->size[0] - 1.0) * (at->size[2] - 1.0) <= 0) return true;
    for (i = 0; i < 3; i++) {
        if ((complementary ? at->size[i] : 1.0) > best * fabs(1.0 - at->size[i])) return true;
    }
    return false;
}

/* One peak at the newest point of the walk. Returns whether it is known: neither can exceed the
   envelope of what is still to come. */
static bool look(const rki_openloop *loop, const walk *at, double most, bool complementary,
                 double *best)
{
    if (may_hide(at, *best, complementary)) {
        *best = fmax(*best, rki_most(complementary ? complementary_sensitivity : sensitivity,
                                     loop, at->w[0], at->w[2], PLACE));
    }
    *best = fmax(*best, at->value[complementary][2]);
    return envelope(most, complementary) <= *best * (1.0 + 1e-7);
}

/* |T| at which the bandwidth ends, and |L| below which it never gets there. */
#define BAND_EDGE 0.70710678118654752
#define BAND_OVER 0.4142

/* Where |T| falls to the band's edge between two points of the walk. */
static double edge_between(const rki_openloop *loop, double low, double high)
{
    while (high - low > PLACE * high) {
        const double middle = 0.5 * (low + high);

        if (complementary_sensitivity(loop, middle) > BAND_EDGE) {
            low = middle;
        } else {
            high = middle;
        }
    }
    return 0.5 * (low + high);
}

void rki_peaks(const rki_openloop *loop, double *ms, double *mt, double *bandwidth)
{
    const double end = walk_end(loop);
    const double turn = loop->theta > 0 ? WALK_TURN / loop->theta : HUGE_VAL;
    const double part = fmin(WALK_PART, WALK_RESONANCE * rki_openloop_least_damping(loop));
    const turns t = find_turns(loop);
    double w = walk_start(loop), most = HUGE_VAL;
    bool known[PEAKS] = {false, false};
    walk at = {{0}, {0}, {{0}}};
    double *const best[PEAKS] = {ms, mt};
    int k;

    *ms = peak_at_zero(loop, false);
    *mt = peak_at_zero(loop, true);
    *bandwidth = nan("");
    while (w < end && !(known[0] && known[1] && most < BAND_OVER)) {
        step_to(&at, loop, w);
        if (at.value[1][1] > BAND_EDGE && at.value[1][2] <= BAND_EDGE) {
            *bandwidth = edge_between(loop, at.w[1], w);
        }
        most = largest_from(&t, w, at.size[2]);
        for (k = 0; k < PEAKS; k++) {
            known[k] = known[k] || look(loop, &at, most, k == 1, best[k]);
        }
        w += fmin(part * w, turn);
    }
    for (k = 0; k < PEAKS; k++) {
        if (known[k]) continue;
        *best[k] = fmax(*best[k], loop->theta > 0 ? envelope(most, k == 1)
                                                  : peak_at_infinity(loop, k == 1));
    }
}
