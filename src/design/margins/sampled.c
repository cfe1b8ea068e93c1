/* SPDX-License-Identifier: MIT */
/*
 * Margins of a sampled loop.
 *
 * L(z) on the unit circle, z = e^(j a) with a = w ts from 0 to pi, is a rational part, whose
 * value is computed and whose phase is unwrapped from point to point, times z^-d for the delay,
 * whose phase -d a is known. The walk goes along the upper half of the circle in steps that are
 * short beside a (WALK_PART), beside the turn of the delay's phase (WALK_TURN) and beside the
 * width of the least damped resonance (WALK_RESONANCE). Between two points it looks for
 *
 *   |L| = 1             a gain crossover: phase margin and delay margin,
 *   arg L = -pi - 2 k pi  a crossing of the negative real axis: with the gain multiplied by
 *                       1/|L| a pair of poles is on the circle there, going out if the phase
 *                       falls and coming in if it rises,
 *   a peak of |1/(1+L)| or |L/(1+L)|, refined by golden section: Ms, Mt.
 *
 * Ordered by gain, the crossings say how many poles are outside the circle at every gain, from
 * those that are there for a vanishing gain on (poles_at_start); that gives the stable range of
 * the gain without a root being computed. z = -1 is one real pole and is looked at by itself.
 *
 * The walk may end early: once |L| stays below m < 1/2 for the rest of the circle (make_tail
 * keeps the largest |L| from each angle on), neither peak there exceeds 1/(1-m) and m/(1-m),
 * and only gains above 1/m can change anything. It costs some hundred values of L. A delay of
 * more than CONTINUOUS scans is taken as continuous, with half a scan of dead time for the
 * hold.
 */
#include <redkettle/design/margins/margins.h>

#include <math.h>
#include <stddef.h>

#include <redkettle/design/base/memory.h>

#include "brief.h"
#include "design/base/numeric.h"
#include "openloop.h"
#include "sampled_loop.h"
#include "stable_gain.h"

/* Steps of the walk along the unit circle: this part of the angle, this turn of the delay's
   phase, rad, and this part of a weakly damped resonance's width. */
#define WALK_PART 0.05
#define WALK_TURN 0.15
#define WALK_RESONANCE 0.3
/* The walk begins this far below everything that happens, and below the first gain crossover,
   and ends so much before z = -1, which is looked at by itself. With an integrator nothing is
   seen below: L is large there, and its phase near where it starts. */
#define START 1e-4
#define START_INTEGRATING 1e-2
#define BELOW_CROSSOVER 1e-2
#define END 1e-7
/* More scans of dead time than this are as good as continuous. */
#define CONTINUOUS 1000.0
/* Crossings that are kept; beyond them the loop gain is the smaller the later they come. */
enum { CHANGES = 1024 };

/* A point of the walk. The phase is unwrapped, from -pi/2 an integrator on, less pi if k < 0.
 */
typedef struct place {
    double angle, size, rational, phase; /* rational: the phase without the delay's */
    double ms, mt;                       /* |1/(1+L)| and |L/(1+L)| */
} place;

/* The largest |L| from an angle on: the delay does not count, so that a few points tell. */
typedef struct tail {
    size_t count;
    double *angle, *most;
} tail;

typedef struct walk {
    const rki_sampled_loop *loop;
    rki_change *list;
    size_t count;
    double part, start; /* of the walk: its steps, where it begins */
    tail rest;
    double known; /* gain factors below this have all their changes listed */
    double phase_margin, delay_margin, gain_crossover, ms, mt;
} walk;

/* The place at an angle whose rational phase is that nearest to `near`. */
static place look(const rki_sampled_loop *loop, double angle, double near)
{
    place p = {.angle = angle};
    double re, im, arg, a, b;

    rki_sampled_loop_value(loop, angle, &re, &im);
    p.size = sqrt((re * re) + (im * im));
    arg = atan2(im, re);
    p.rational = arg + (2.0 * RKI_PI * round((near - arg) / (2.0 * RKI_PI)));
    p.phase = p.rational - (loop->delay * angle);
    a = 1.0 + (p.size * cos(p.phase));
    b = p.size * sin(p.phase);
    p.ms = 1.0 / sqrt((a * a) + (b * b));
    p.mt = p.size * p.ms;
    return p;
}

/* What is to be 0 at a crossing: |L| - 1, or the phase less a target. */
typedef struct crossing {
    const rki_sampled_loop *loop;
    double near, target; /* the rational phase nearby */
} crossing;

static double size_off(const void *user, double angle)
{
    const crossing *c = user;

    return look(c->loop, angle, c->near).size - 1.0;
}

static double phase_off(const void *user, double angle)
{
    const crossing *c = user;

    return look(c->loop, angle, c->near).phase - c->target;
}

static place find(const rki_sampled_loop *loop, const place *from, const place *to,
                  rki_function *off, double target)
{
    const crossing c = {loop, from->rational, target};

    return look(loop, rki_root(off, &c, from->angle, to->angle), from->rational);
}

static void add_change(walk *w, double factor, long poles, double angle)
{
    if (w->count < CHANGES) {
        w->list[w->count++] = (rki_change){factor, poles, angle / w->loop->h};
    }
}

/* The gain crossovers' margins. */
static void cross_gain(walk *w, const place *from, const place *to)
{
    place at;
    double left, wrapped;

    if ((from->size - 1.0) * (to->size - 1.0) > 0 || from->size == to->size) return;
    at = find(w->loop, from, to, size_off, 0.0);
    left = rki_lag_left(at.phase);
    wrapped = fmin(left, (2.0 * RKI_PI) - left) * (180.0 / RKI_PI);
    w->delay_margin = fmin(w->delay_margin, left / (at.angle / w->loop->h));
    if (wrapped < w->phase_margin) {
        w->phase_margin = wrapped;
        w->gain_crossover = at.angle / w->loop->h;
    }
}

/* The crossings of the negative real axis between two points. */
static void cross_axis(walk *w, const place *from, const place *to)
{
    const double turn = 2.0 * RKI_PI;
    const double before = floor((from->phase + RKI_PI) / turn);
    const double after = floor((to->phase + RKI_PI) / turn);
    const bool downward = after < before;
    const double target = ((downward ? before : after) * turn) - RKI_PI;
    place at;

    if (before == after) return;
    at = find(w->loop, from, to, phase_off, target);
    add_change(w, 1.0 / at.size, downward ? 2 : -2, at.angle);
}

static double sensitivity(const void *user, double angle)
{
    return look(user, angle, 0.0).ms;
}

static double complementary_sensitivity(const void *user, double angle)
{
    return look(user, angle, 0.0).mt;
}

/* A peak is flat: this part of the angle off its place costs it less than a part in 1e10. */
#define PLACE 1e-7

static void see_peaks(walk *w, const place at[3])
{
    w->ms = fmax(w->ms, at[2].ms);
    w->mt = fmax(w->mt, at[2].mt);
    if (at[1].ms >= at[0].ms && at[1].ms >= at[2].ms && at[1].ms > 0.8 * w->ms) {
        w->ms = fmax(w->ms, rki_most(sensitivity, w->loop, at[0].angle, at[2].angle, PLACE));
    }
    if (at[1].mt >= at[0].mt && at[1].mt >= at[2].mt && at[1].mt > 0.8 * w->mt) {
        w->mt = fmax(w->mt, rki_most(complementary_sensitivity, w->loop, at[0].angle,
                                     at[2].angle, PLACE));
    }
}

/* z = -1, where a real pole leaves the circle. */
static void cross_end(walk *w, const place *last)
{
    const place end = look(w->loop, RKI_PI, last->rational);
    const double odd = (end.phase + RKI_PI) / (2.0 * RKI_PI);

    w->ms = fmax(w->ms, end.ms);
    w->mt = fmax(w->mt, end.mt);
    if (fabs(odd - round(odd)) < 0.25 && end.size > 0) {
        const double target = (round(odd) * 2.0 * RKI_PI) - RKI_PI;

        add_change(w, 1.0 / end.size, last->phase > target ? 1 : -1, RKI_PI);
    }
}

static double start_phase(const rki_sampled_loop *loop)
{
    return (loop->k < 0 ? -RKI_PI : 0.0) - (0.5 * RKI_PI * loop->integrators);
}

static rk_status make_tail(walk *w)
{
    const size_t room = (size_t)(log(RKI_PI / w->start) / log1p(w->part)) + 3;
    double angle = w->start, most = 0;
    size_t i;

    w->rest.angle = rk_memory_create(2 * room, sizeof *w->rest.angle);
    if (w->rest.angle == NULL) return RK_ERR_MEMORY;
    w->rest.most = w->rest.angle + room;
    while (w->rest.count < room) {
        double re, im;

        angle = fmin(angle, RKI_PI);
        rki_sampled_loop_value(w->loop, angle, &re, &im);
        w->rest.angle[w->rest.count] = angle;
        w->rest.most[w->rest.count++] = sqrt((re * re) + (im * im));
        if (angle >= RKI_PI) break;
        angle *= 1.0 + w->part;
    }
    for (i = w->rest.count; i > 0; i--) {
        most = fmax(most, w->rest.most[i - 1]);
        w->rest.most[i - 1] = most;
    }
    return RK_OK;
}

/* Between two points of the tail the size may be this much above both. */
#define TAIL_SPARE 1.05

/* Is all known? Neither peak can exceed the envelope of what is still to come, the band's gain
   crossovers lie behind, and changes still to come need a higher gain than those that have made
   the loop unstable. */
static bool is_known(walk *w, double most, long poles)
{
    double least = HUGE_VAL;
    size_t i;

    if (!(most < 0.5) || 1.0 / (1.0 - most) > w->ms || most / (1.0 - most) > w->mt)
        return false;
    for (i = 0; i < w->count; i++) {
        poles += w->list[i].poles;
        least = fmin(least, w->list[i].factor);
    }
    if (poles <= 0 || !(least < 1.0 / most)) return false;
    w->known = 1.0 / most;
    return true;
}

/* From near z = 1 along the upper half of the circle. */
static void go_round(walk *w, const place *first, long poles)
{
    const double turn = WALK_TURN / (w->loop->delay + 1.5), end = RKI_PI - END;
    place at[3] = {*first, *first, *first};
    size_t next = 0;

    w->ms = first->ms;
    w->mt = fmax(first->mt, w->loop->integrators > 0 ? 1.0 : 0.0); /* T -> 1 for z -> 1 */
    while (at[2].angle < end) {
        const double angle = fmin(at[2].angle + fmin(w->part * at[2].angle, turn), end);

        at[0] = at[1];
        at[1] = at[2];
        at[2] = look(w->loop, angle, at[1].rational);
        cross_gain(w, &at[1], &at[2]);
        cross_axis(w, &at[1], &at[2]);
        see_peaks(w, at);
        while (next + 1 < w->rest.count && w->rest.angle[next + 1] <= angle) {
            next++;
        }
        if (is_known(w, TAIL_SPARE * w->rest.most[next], poles)) return;
    }
    cross_end(w, &at[2]);
}

/* As of the continuous loop: a wrong sign makes an integrator run away; two of them leave z = 1
   to both sides of the circle, as the phase there lags or leads. */
static long poles_at_start(const rki_sampled_loop *loop, double began)
{
    if (loop->integrators == 0) return 0;
    if (loop->k < 0) return 1;
    if (loop->integrators == 1) return 0;
    return began > -RKI_PI ? 0 : 2;
}

/* Walk with a gain of this sign; what poles there are for a vanishing gain. w->list is the
   caller's to free, with RK_OK only. */
static rk_status survey(const rki_sampled_loop *loop, const rki_openloop *shape, walk *w,
                        long *poles)
{
    const double first_part = loop->integrators > 0 ? START_INTEGRATING : START;
    double crossover[RKI_POLY_MAX];
    place first;

    *w = (walk){.loop = loop,
                .part = fmin(WALK_PART, WALK_RESONANCE * rki_openloop_least_damping(shape)),
                .start = fmin(first_part * loop->h / rki_openloop_longest(shape), START),
                .known = HUGE_VAL,
                .phase_margin = HUGE_VAL,
                .delay_margin = HUGE_VAL,
                .gain_crossover = HUGE_VAL};
    if (rki_openloop_gain_crossovers(shape, crossover) > 0) {
        w->start = fmin(w->start, BELOW_CROSSOVER * crossover[0] * loop->h);
    }
    if (make_tail(w) != RK_OK) return RK_ERR_MEMORY;
    w->list = rk_memory_create(CHANGES + 1, sizeof *w->list);
    if (w->list != NULL) {
        first = look(loop, w->start, start_phase(loop));
        *poles = poles_at_start(loop, first.phase);
        if (loop->k < 0 && loop->integrators == 0) {
            w->list[w->count++] = (rki_change){1.0 / fabs(loop->k), 1, 0.0};
        }
        go_round(w, &first, *poles);
    }
    rk_memory_free(w->rest.angle);
    return w->list != NULL ? RK_OK : RK_ERR_MEMORY;
}

/* How far the gain may go with its sign turned, as a factor; 0 if not at all. */
static rk_status turned_limit(const rki_sampled_loop *loop, const rki_openloop *shape,
                              double *limit)
{
    rki_sampled_loop mirrored = *loop;
    double low = 0, high = 0;
    long poles;
    walk w;

    mirrored.kc = -loop->kc;
    mirrored.k = -loop->k;
    if (survey(&mirrored, shape, &w, &poles) != RK_OK) return RK_ERR_MEMORY;
    if (!rki_stable_interval(w.list, w.count, poles, w.known, &low, &high) || low > 0) {
        high = 0;
    }
    rk_memory_free(w.list);
    *limit = high;
    return RK_OK;
}

static rk_status measure(const rki_sampled_loop *loop, const rki_openloop *shape, bool brief,
                         rk_margins *m)
{
    double low = 0, high = 0, turned = 0;
    rk_status status;
    long poles;
    walk w;

    status = survey(loop, shape, &w, &poles);
    if (status != RK_OK) return status;
    m->kc_range_exists = rki_stable_interval(w.list, w.count, poles, w.known, &low, &high);
    m->stable = m->kc_range_exists && low < 1 && high > 1;
    if (m->stable) {
        m->gain_margin = rki_gain_margin(w.list, w.count, &m->phase_crossover);
        m->phase_margin = w.phase_margin;
        m->delay_margin = w.delay_margin;
        m->gain_crossover = w.gain_crossover;
        m->ms = w.ms;
        m->mt = w.mt;
    }
    rk_memory_free(w.list);
    if (!brief && loop->integrators == 0 && (low == 0 || !m->kc_range_exists)) {
        status = turned_limit(loop, shape, &turned);
        low = turned > 0 ? -turned : low;
        m->kc_range_exists = m->kc_range_exists || turned > 0;
    }
    if (status == RK_OK && m->kc_range_exists) { /* adding 0 turns -0 into 0 */
        m->kc_stable[0] = (loop->kc > 0 ? loop->kc * low : loop->kc * high) + 0.0;
        m->kc_stable[1] = (loop->kc > 0 ? loop->kc * high : loop->kc * low) + 0.0;
    }
    return status;
}

/* The P-only limit of the process alone, at this scan. */
static rk_status ultimate_point(const rk_model *model, const rk_sampling *sampling,
                                rk_margins *m)
{
    const rk_settings alone = rk_settings_make(0.5 / model->gain, HUGE_VAL, 0.0, 0.0);
    const rki_openloop shape = rki_openloop_make(model, &alone);
    rki_sampled_loop loop;
    double low = 0, high = HUGE_VAL;
    long poles;
    size_t i;
    walk w;

    m->ultimate_gain = m->ultimate_period = HUGE_VAL;
    if (rki_sampled_loop_make(model, &alone, sampling, &loop, NULL) != RK_OK) return RK_OK;
    if (survey(&loop, &shape, &w, &poles) != RK_OK) return RK_ERR_MEMORY;
    (void)rki_stable_interval(w.list, w.count, poles, w.known, &low, &high);
    for (i = 0; i < w.count && w.list[i].factor < high; i++) {
        continue;
    }
    if (i < w.count) {
        m->ultimate_gain = alone.kc * high;
        m->ultimate_period = 2.0 * RKI_PI / w.list[i].w;
    }
    rk_memory_free(w.list);
    return RK_OK;
}

/* So many scans that the sampling is half a scan more of dead time and nothing else. */
static rk_status as_continuous(const rk_model *model, const rk_settings *settings,
                               const rk_sampling *sampling, rk_margins *margins, rk_diag *diag)
{
    rk_model late = *model;

    late.dead_time += sampling->delay + (0.5 * sampling->ts);
    return rk_margins_compute(&late, settings, margins, diag);
}

rk_status rki_sampled_margins(const rk_model *model, const rk_settings *settings,
                              const rk_sampling *sampling, bool brief, rk_margins *margins,
                              rk_diag *diag)
{
    rk_margins made = rk_margins_none();
    rki_sampled_loop loop;
    rki_openloop shape;
    rk_status status = rki_sampled_loop_make(model, settings, sampling, &loop, diag);

    if (status != RK_OK) return status;
    if (loop.delay > CONTINUOUS) {
        return as_continuous(model, settings, sampling, margins, diag);
    }
    shape = rki_openloop_make(model, settings);
    status = measure(&loop, &shape, brief, &made);
    if (status == RK_OK && !brief) {
        status = ultimate_point(model, sampling, &made);
    }
    if (status != RK_OK) return rk_diag_set(diag, status, "out of memory for the margins");
    *margins = made;
    return RK_OK;
}

rk_status rk_sampled_margins_compute(const rk_model *model, const rk_settings *settings,
                                     const rk_sampling *sampling, rk_margins *margins,
                                     rk_diag *diag)
{
    if (settings != NULL && settings->predictor && !rk_settings_is_on_off(settings)) {
        return rk_predicted_margins_compute(model, model, settings, sampling, margins, diag);
    }
    rk_diag_clear(diag);
    if (margins == NULL) return RK_ERR_ARG;
    return rki_sampled_margins(model, settings, sampling, false, margins, diag);
}
