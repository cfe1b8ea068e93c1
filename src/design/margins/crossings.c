/* SPDX-License-Identifier: MIT */
/*
 * Every frequency at which the phase of L(jw) is an odd multiple of -180 deg.
 *
 * L is a product of first and second order factors and a dead time, so that its phase is known
 * without unwrapping (openloop.c). The frequencies at which the phase turns are the positive
 * roots of a polynomial; between two of them the phase is monotone, so that each odd multiple
 * of pi within its range is crossed exactly once, and is found by bracketing (regula falsi,
 * Illinois rule). No crossing is missed however close the next one is.
 *
 * Behind the last turn dead time lets the phase fall for ever: crossings are listed until two
 * lie behind the last frequency at which |L| is 1 or turns, where |L| only falls. A section
 * with more than DENSE crossings has only those listed that lie around such frequencies: in
 * between |L| is monotone, and none of them can be the nearest to a limit.
 *
 * Source  the Illinois rule: M. Dowell, P. Jarratt, A modified regula falsi method for
 *         computing the root of an equation, 1971, BIT 11, 168-174.
 */
#include "crossings.h"

#include <math.h>
#include <stdlib.h>

#include <redkettle/design/base/memory.h>

static void add_crossing(rki_crossings *all, const rki_openloop *loop, double w, int downward)
{
    if (all->count == all->room) {
        const size_t room = (2 * all->room) + 16;
        rki_crossing *list = rk_memory_resize(all->list, room, sizeof *list);

        if (list == NULL) {
            all->failed = true;
            return;
        }
        all->list = list;
        all->room = room;
    }
    all->list[all->count++] = (rki_crossing){w, rki_openloop_magnitude(loop, w), downward};
}

/* The phase is monotone between low and high and passes target there. */
static double solve_phase(const rki_openloop *loop, double low, double high, double target)
{
    double at_low = rki_openloop_phase(loop, low) - target;
    double at_high = rki_openloop_phase(loop, high) - target;
    int i, side = 0;

    /* Regula falsi with the Illinois change: never leaves the bracket, nearly secant speed. */
    for (i = 0; i < 200 && high - low > 4e-16 * high; i++) {
        double w = ((low * at_high) - (high * at_low)) / (at_high - at_low);
        double value;

        if (!(w > low) || !(w < high)) {
            w = 0.5 * (low + high);
        }
        value = rki_openloop_phase(loop, w) - target;
        if (value == 0) return w;
        if ((value > 0) == (at_low > 0)) {
            low = w;
            at_low = value;
            if (side == -1) {
                at_high *= 0.5;
            }
            side = -1;
        } else {
            high = w;
            at_high = value;
            if (side == 1) {
                at_low *= 0.5;
            }
            side = 1;
        }
        if (fabs(value) < 1e-15) return w;
    }
    return 0.5 * (low + high);
}

/* The next odd multiple of pi strictly beyond a phase, downward or upward. */
static double next_odd(double phase, bool downward)
{
    const double turns = (phase - RKI_PI) / (2.0 * RKI_PI);
    double whole = downward ? floor(turns) : ceil(turns);

    if (whole == turns) {
        whole += downward ? -1.0 : 1.0;
    }
    return RKI_PI + (2.0 * RKI_PI * whole);
}

/* Frequencies around which crossovers matter: where |L| turns and where it is 1. */
typedef struct marks {
    int count;
    double w[2 * RKI_POLY_MAX];
    double last; /* beyond this |L| is below 1 for good and only falls, unless a direct term
                    holds it */
} marks;

static marks find_marks(const rki_openloop *loop)
{
    marks m = {.last = 0.0};
    int i;

    m.count = rki_openloop_magnitude_turns(loop, m.w);
    m.count += rki_openloop_gain_crossovers(loop, m.w + m.count);
    for (i = 0; i < m.count; i++) {
        m.last = fmax(m.last, m.w[i]);
    }
    return m;
}

/* A section with more crossovers than this has only those around the marks listed. */
enum { DENSE = 200, AROUND = 3, CHOSEN_MAX = (2 * RKI_POLY_MAX + 2) * (2 * AROUND + 1) };

static int by_number(const void *left, const void *right)
{
    const long a = *(const long *)left, b = *(const long *)right;

    return (a > b) - (a < b);
}

/* Which of a falling section's crossovers, counted from 0 at phase `first` to count - 1, lie
   around the marks and the ends. */
static int choose(const rki_openloop *loop, const marks *m, double low, double high,
                  double first, long count, long chosen[CHOSEN_MAX])
{
    int many = 0, i;
    long k;

    for (i = -2; i < m->count; i++) {
        const double w = i == -2 ? low : (i == -1 ? high : m->w[i]);
        long middle;

        if (!(w >= low && w <= high)) continue;
        middle = (long)floor((first - rki_openloop_phase(loop, w)) / (2.0 * RKI_PI));
        for (k = middle - AROUND; k <= middle + AROUND; k++) {
            if (k >= 0 && k < count) {
                chosen[many++] = k;
            }
        }
    }
    qsort(chosen, (size_t)many, sizeof *chosen, by_number);
    return many;
}

static void cross_dense(rki_crossings *all, const rki_openloop *loop, const marks *m,
                        double low, double high, double first, long count)
{
    long chosen[CHOSEN_MAX];
    const int many = choose(loop, m, low, high, first, count, chosen);
    int i;

    for (i = 0; i < many && !all->failed; i++) {
        const double target = first - (2.0 * RKI_PI * (double)chosen[i]);

        if (i > 0 && chosen[i] == chosen[i - 1]) continue;
        add_crossing(all, loop, solve_phase(loop, low, high, target), 1);
    }
}

/* All crossovers of a section in which the phase is monotone. */
static void cross_section(rki_crossings *all, const rki_openloop *loop, const marks *m,
                          double low, double high)
{
    const double from = rki_openloop_phase(loop, low), to = rki_openloop_phase(loop, high);
    const bool downward = to < from;
    double target = next_odd(from, downward);

    if (downward && target - to > 2.0 * RKI_PI * DENSE) {
        cross_dense(all, loop, m, low, high, target,
                    (long)ceil((target - to) / (2.0 * RKI_PI)));
        return;
    }
    while ((downward ? target > to : target < to) && !all->failed) {
        add_crossing(all, loop, solve_phase(loop, low, high, target), downward ? 1 : -1);
        target += downward ? -2.0 * RKI_PI : 2.0 * RKI_PI;
    }
}

/* Without dead time the phase has a limit: at most one more crossover before it. */
static void cross_last(rki_crossings *all, const rki_openloop *loop, double low)
{
    const double at_low = rki_openloop_phase(loop, low), end = rki_openloop_final_phase(loop);
    const bool downward = end < at_low;
    const double target = next_odd(at_low, downward);
    double high = low;

    if (downward ? target <= end + 1e-9 : target >= end - 1e-9) return;
    while (downward ? rki_openloop_phase(loop, high) > target
                    : rki_openloop_phase(loop, high) < target) {
        high *= 2.0;
    }
    add_crossing(all, loop, solve_phase(loop, low, high, target), downward ? 1 : -1);
}

/* From `low` on the phase only falls: go on until two crossovers behind the last mark. */
static void cross_tail(rki_crossings *all, const rki_openloop *loop, const marks *m, double low)
{
    double high = fmax(low, m->last);
    const double enough = rki_openloop_phase(loop, high) - (4.0 * RKI_PI);

    while (rki_openloop_phase(loop, high) > enough) {
        high *= 2.0;
    }
    cross_section(all, loop, m, low, high);
}

void rki_crossings_find(rki_crossings *all, const rki_openloop *loop)
{
    const marks m = find_marks(loop);
    double turn[RKI_POLY_MAX];
    const int turns = rki_openloop_phase_turns(loop, turn);
    /* Below this the phase is its limit at 0 to a millionth: no crossover but one at w = 0. */
    double low = 1e-6 / rki_openloop_longest(loop);
    int i;

    for (i = 0; i < turns; i++) {
        if (!(turn[i] > low)) continue;
        cross_section(all, loop, &m, low, turn[i]);
        low = turn[i];
    }
    if (loop->theta > 0) {
        cross_tail(all, loop, &m, low);
    } else {
        cross_last(all, loop, low);
    }
}
