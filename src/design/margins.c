/* SPDX-License-Identifier: MIT */
#include <redkettle/design/margins.h>

#include <math.h>
#include <stddef.h>
#include <stdlib.h>

#include <redkettle/design/memory.h>

#include "openloop.h"

#define PI 3.14159265358979323846

/* Where L(jw) meets the negative real axis. */
typedef struct crossing {
    double w;         /* rad/s */
    double magnitude; /* |L| */
    int downward; /* +1 where the phase falls through -180 deg (mod 360), -1 where it rises */
} crossing;

typedef struct crossings {
    size_t count, room;
    crossing *list;
    bool failed;
} crossings;

/* No loop that anyone would run has more: the dead time is then a million filter times long. */
enum { CROSSINGS_MAX = 1000000 };

static void add_crossing(crossings *all, const rki_openloop *loop, double w, int downward)
{
    if (all->count == all->room) {
        const size_t room = (2 * all->room) + 16;
        crossing *list = rk_memory_resize(all->list, room, sizeof *list);

        if (list == NULL) {
            all->failed = true;
            return;
        }
        all->list = list;
        all->room = room;
    }
    all->list[all->count++] = (crossing){w, exp(rki_openloop_log_magnitude(loop, w)), downward};
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
    const double turns = (phase - PI) / (2.0 * PI);
    double whole = downward ? floor(turns) : ceil(turns);

    if (whole == turns) {
        whole += downward ? -1.0 : 1.0;
    }
    return PI + (2.0 * PI * whole);
}

static void cross_section(crossings *all, const rki_openloop *loop, double low, double high)
{
    const double from = rki_openloop_phase(loop, low), to = rki_openloop_phase(loop, high);
    const bool downward = to < from;
    double target = next_odd(from, downward);

    while ((downward ? target > to : target < to) && all->count < CROSSINGS_MAX &&
           !all->failed) {
        add_crossing(all, loop, solve_phase(loop, low, high, target), downward ? 1 : -1);
        target += downward ? -2.0 * PI : 2.0 * PI;
    }
}

/* From `low` on the phase is monotone: cross until the loop gain is below 1 and only falls. */
static void cross_tail(crossings *all, const rki_openloop *loop, double low, double falls_from)
{
    const double final = rki_openloop_final_magnitude(loop);
    double target = next_odd(rki_openloop_phase(loop, low), true);

    if (loop->theta == 0) {
        const double end = rki_openloop_final_phase(loop);
        const bool downward = end < rki_openloop_phase(loop, low);
        double high = low;

        target = next_odd(rki_openloop_phase(loop, low), downward);
        if (downward ? target <= end + 1e-9 : target >= end - 1e-9) return;
        while (downward ? rki_openloop_phase(loop, high) > target
                        : rki_openloop_phase(loop, high) < target) {
            high *= 2.0;
        }
        add_crossing(all, loop, solve_phase(loop, low, high, target), downward ? 1 : -1);
        return;
    }
    while (all->count < CROSSINGS_MAX && !all->failed) {
        double high = 2.0 * low;
        const crossing *last;

        while (rki_openloop_phase(loop, high) > target) {
            high *= 2.0;
        }
        low = solve_phase(loop, low, high, target);
        add_crossing(all, loop, low, 1);
        if (all->failed) return;
        last = &all->list[all->count - 1];
        if (low > falls_from && (last->magnitude < 1 || final >= 1)) return;
        target -= 2.0 * PI;
    }
}

/* All phase crossovers that can matter for a gain factor near 1, ascending in w. */
static void find_crossings(crossings *all, const rki_openloop *loop)
{
    double turn[RKI_POLY_MAX], fall[RKI_POLY_MAX];
    const int turns = rki_openloop_phase_turns(loop, turn);
    const int falls = rki_openloop_magnitude_turns(loop, fall);
    /* Below this the phase is its limit at 0 to a millionth: no crossover but one at w = 0. */
    double low = 1e-6 / rki_openloop_longest(loop);
    int i;

    for (i = 0; i < turns; i++) {
        if (!(turn[i] > low)) continue;
        cross_section(all, loop, low, turn[i]);
        low = turn[i];
    }
    cross_tail(all, loop, low, falls > 0 ? fall[falls - 1] : 0.0);
}

/* A gain factor where the number of unstable closed-loop poles changes, and by how much. */
typedef struct change {
    double factor;
    long poles;
} change;

static int by_factor(const void *left, const void *right)
{
    const double a = ((const change *)left)->factor, b = ((const change *)right)->factor;

    return (a > b) - (a < b);
}

/* Does the gain start on the negative real axis: a wrong sign, and no integrator? */
static bool starts_on_axis(const rki_openloop *loop)
{
    return loop->k < 0 && loop->integrators == 0;
}

/* Unstable poles at a vanishing gain: the wrong sign makes the integrator run away. */
static long poles_at_start(const rki_openloop *loop)
{
    return (loop->k < 0 && loop->integrators > 0) ? 1 : 0;
}

static size_t list_changes(const rki_openloop *loop, const crossings *all, change *list)
{
    size_t count = 0, i;

    for (i = 0; i < all->count; i++) {
        list[count++] = (change){1.0 / all->list[i].magnitude, 2L * all->list[i].downward};
    }
    if (starts_on_axis(loop)) {
        list[count++] = (change){1.0 / fabs(loop->k), 1};
    }
    qsort(list, count, sizeof *list, by_factor);
    return count;
}

/*
 * The stable interval of the gain factor that holds 1, or else the lowest one above 0. With a
 * direct term the loop gain never falls below final: then 1/final is a limit too.
 */
static bool stable_interval(const rki_openloop *loop, const crossings *all, double *low,
                            double *high, rk_status *status)
{
    const double final = rki_openloop_final_magnitude(loop);
    const double limit = (final > 0 && loop->theta > 0) ? 1.0 / final : HUGE_VAL;
    change *list = rk_memory_create(all->count + 1, sizeof *list);
    long poles = poles_at_start(loop);
    double from = 0.0;
    bool found = false;
    size_t count, i;

    if (list == NULL) {
        *status = RK_ERR_MEMORY;
        return false;
    }
    count = list_changes(loop, all, list);
    for (i = 0; i <= count && from < limit; i++) {
        const double to = fmin(i < count ? list[i].factor : HUGE_VAL, limit);

        if (poles == 0 && to > from && (!found || (from < 1 && to > 1))) {
            *low = from;
            *high = to;
            found = true;
        }
        if (i < count) {
            poles += list[i].poles;
        }
        from = to;
    }
    rk_memory_free(list);
    return found;
}

static double gain_margin(const rki_openloop *loop, const crossings *all, double *w)
{
    const double final = rki_openloop_final_magnitude(loop);
    double margin = HUGE_VAL;
    size_t i;

    *w = HUGE_VAL;
    for (i = 0; i < all->count; i++) {
        const double factor = 1.0 / all->list[i].magnitude;

        if (factor > 1 && factor < margin) {
            margin = factor;
            *w = all->list[i].w;
        }
    }
    if (final > 0 && loop->theta > 0 && 1.0 / final < margin) {
        margin = 1.0 / final;
    }
    if (starts_on_axis(loop) && 1.0 / fabs(loop->k) < margin) {
        margin = 1.0 / fabs(loop->k);
        *w = 0.0;
    }
    return margin;
}

static void phase_and_delay_margin(const rki_openloop *loop, rk_margins *margins)
{
    double w[RKI_POLY_MAX];
    const int count = rki_openloop_gain_crossovers(loop, w);
    int i;

    margins->phase_margin = HUGE_VAL;
    margins->delay_margin = HUGE_VAL;
    margins->gain_crossover = HUGE_VAL;
    for (i = 0; i < count; i++) {
        const double above = rki_openloop_phase(loop, w[i]) + PI;
        const double turns = above - (2.0 * PI * floor(above / (2.0 * PI))); /* 0 .. 2 pi */
        const double wrapped = turns > PI ? (2.0 * PI) - turns : turns;

        margins->delay_margin = fmin(margins->delay_margin, turns / w[i]);
        if (wrapped * (180.0 / PI) < margins->phase_margin) {
            margins->phase_margin = wrapped * (180.0 / PI);
            margins->gain_crossover = w[i];
        }
    }
}

/* |1/(1+L)| or |L/(1+L)| at w. */
static double peak_value(const rki_openloop *loop, double w, bool complementary)
{
    const double size = exp(rki_openloop_log_magnitude(loop, w));
    const double phase = rki_openloop_phase(loop, w);
    const double below = hypot(1.0 + (size * cos(phase)), size * sin(phase));

    return (complementary ? size : 1.0) / below;
}

/* The largest value between low and high, where it rises and falls once. */
static double climb(const rki_openloop *loop, double low, double high, bool complementary)
{
    const double part = 0.3819660112501051; /* golden section */
    double a = low + (part * (high - low)), b = high - (part * (high - low));
    double at_a = peak_value(loop, a, complementary), at_b = peak_value(loop, b, complementary);

    while (high - low > 1e-9 * high) {
        if (at_a > at_b) {
            high = b;
            b = a;
            at_b = at_a;
            a = low + (part * (high - low));
            at_a = peak_value(loop, a, complementary);
        } else {
            low = a;
            a = b;
            at_a = at_b;
            b = high - (part * (high - low));
            at_b = peak_value(loop, b, complementary);
        }
    }
    return fmax(at_a, at_b);
}

/* The value for w -> 0. */
static double peak_at_zero(const rki_openloop *loop, bool complementary)
{
    if (loop->integrators > 0) return complementary ? 1.0 : 0.0;
    return fabs((complementary ? loop->k : 1.0) / (1.0 + loop->k));
}

/* Steps of the walk: this part of w, and this turn of the dead time's phase. */
#define WALK_PART 0.03
#define WALK_TURN 0.1

/* The supremum over w > 0 of a stable loop. */
static double peak(const rki_openloop *loop, bool complementary)
{
    const double final = rki_openloop_final_magnitude(loop);
    double turn[RKI_POLY_MAX], crossover[RKI_POLY_MAX];
    const int turns = rki_openloop_magnitude_turns(loop, turn);
    const int crossovers = rki_openloop_gain_crossovers(loop, crossover);
    const double falls_from = turns > 0 ? turn[turns - 1] : 0.0;
    double w = 1e-3 / rki_openloop_longest(loop);
    double best = peak_at_zero(loop, complementary);
    double before[2] = {0, 0}, at_before[2] = {0, 0};

    if (crossovers > 0) {
        w = fmin(w, 1e-2 * crossover[0]);
    }
    /* A direct term turns for ever at this size, if there is dead time to turn it. */
    if (loop->theta > 0) {
        best = fmax(best, (complementary ? final : 1.0) / (1.0 - final));
    }
    for (;;) {
        const double value = peak_value(loop, w, complementary);
        const double size = exp(rki_openloop_log_magnitude(loop, w));

        if (at_before[1] >= at_before[0] && at_before[1] >= value &&
            at_before[1] > 0.9 * best) {
            best = fmax(best, climb(loop, before[0], w, complementary));
        }
        best = fmax(best, value);
        /* Where |L| only falls, neither peak can exceed this any more. */
        if (w > falls_from && size < 1 &&
            (complementary ? size : 1.0) / (1.0 - size) <= best * (1.0 + 1e-7)) {
            return best;
        }
        if (!isfinite(value)) return HUGE_VAL;
        before[0] = before[1];
        at_before[0] = at_before[1];
        before[1] = w;
        at_before[1] = value;
        w += fmin(WALK_PART * w, loop->theta > 0 ? WALK_TURN / loop->theta : HUGE_VAL);
    }
}

/* The P-only limit of the process alone: its largest |P| on the negative real axis. */
static rk_status ultimate_point(const rk_model *model, rk_margins *margins)
{
    /* A gain this small leaves every crossover in view; only the ratio matters. */
    const rk_settings alone = rk_settings_make(0.5 / model->gain, HUGE_VAL, 0.0, 0.0);
    const rki_openloop loop = rki_openloop_make(model, &alone);
    crossings all = {0};
    size_t i;

    margins->ultimate_gain = HUGE_VAL;
    margins->ultimate_period = HUGE_VAL;
    find_crossings(&all, &loop);
    for (i = 0; i < all.count; i++) {
        const double gain = alone.kc / all.list[i].magnitude;

        if (fabs(gain) < fabs(margins->ultimate_gain)) {
            margins->ultimate_gain = gain;
            margins->ultimate_period = 2.0 * PI / all.list[i].w;
        }
    }
    rk_memory_free(all.list);
    return all.failed ? RK_ERR_MEMORY : RK_OK;
}

/* How far the gain may go from 0 with its sign turned, as a factor; 0 if not at all. */
static double turned_limit(const rki_openloop *loop, rk_status *status)
{
    rki_openloop mirrored = *loop;
    crossings all = {0};
    double low = 0, high = 0;

    mirrored.k = -loop->k;
    find_crossings(&all, &mirrored);
    if (all.failed) {
        *status = RK_ERR_MEMORY;
    }
    if (!stable_interval(&mirrored, &all, &low, &high, status) || low > 0) {
        high = 0;
    }
    rk_memory_free(all.list);
    return high;
}

/* The stable interval in kc itself; a wrong sign gives that of the right one. */
static rk_status measure_range(const rki_openloop *loop, double kc, const crossings *all,
                               rk_margins *margins)
{
    rk_status status = RK_OK;
    double low = 0, high = 0;

    margins->kc_range_exists = stable_interval(loop, all, &low, &high, &status);
    margins->stable = margins->kc_range_exists && low < 1 && high > 1;
    if (low == 0 && loop->integrators == 0) {
        low = -turned_limit(loop, &status);
    }
    if (!margins->kc_range_exists && loop->k < 0) {
        low = -turned_limit(loop, &status);
        margins->kc_range_exists = low < 0;
    }
    if (margins->kc_range_exists) { /* adding 0 turns -0 into 0 */
        margins->kc_stable[0] = (kc > 0 ? kc * low : kc * high) + 0.0;
        margins->kc_stable[1] = (kc > 0 ? kc * high : kc * low) + 0.0;
    }
    return status;
}

static rk_status measure(const rki_openloop *loop, double kc, const crossings *all,
                         rk_margins *margins)
{
    rk_status status = RK_ERR_MEMORY;

    if (!all->failed) {
        status = measure_range(loop, kc, all, margins);
    }
    if (status != RK_OK || !margins->stable) return status;

    margins->gain_margin = gain_margin(loop, all, &margins->phase_crossover);
    phase_and_delay_margin(loop, margins);
    margins->ms = peak(loop, false);
    margins->mt = peak(loop, true);
    return RK_OK;
}

rk_status rk_margins_check(const rk_model *model, const rk_settings *settings,
                           rk_margins *margins, rk_diag *diag)
{
    const double none = nan("");
    rk_margins made = {.gain_margin = none,
                       .phase_margin = none,
                       .delay_margin = none,
                       .ms = none,
                       .mt = none,
                       .gain_crossover = none,
                       .phase_crossover = none,
                       .kc_stable = {none, none}};
    crossings all = {0};
    rki_openloop loop;
    rk_status status = rk_model_check(model, diag);

    if (status == RK_OK) {
        status = rk_settings_check(settings, diag);
    }
    if (status != RK_OK) return status;
    if (margins == NULL) return RK_ERR_ARG;

    loop = rki_openloop_make(model, settings);
    find_crossings(&all, &loop);
    status = measure(&loop, settings->kc, &all, &made);
    rk_memory_free(all.list);
    if (status == RK_OK) {
        status = ultimate_point(model, &made);
    }
    if (status != RK_OK) return rk_diag_set(diag, status, "out of memory for the margins");
    *margins = made;
    return RK_OK;
}
