/* SPDX-License-Identifier: MIT */
/*
 * Margins of a loop with a predictor (dead-time compensator), continuous or sampled.
 *
 * The controller C sees G (1 - exp(-theta s)) u + F y, where G is the predictor's model without
 * its dead time theta and F the PV filter. Broken where the process is,
 *
 *   L  = C F P / (1 + N),   N = C G (1 - exp(-theta s)),
 *
 * whose margins say what error of the process itself the loop tolerates: its gain, its phase,
 * its dead time. The sampled N is C (Q - W), Q and W being the model without and with its dead
 * time as the block scans them. Broken at the controller instead, kc is a factor on
 *
 *   E  = N + C F P,
 *
 * which has no unstable poles of its own: Nyquist's count on E says for which kc the loop is
 * stable. L has those of the inner loop 1 + N, which are counted on N in the same way, and from
 * which the count on L begins. With a perfect model and no filter E = C G: the margins of L
 * then flatter; the worst over wrong models tells more.
 *
 * None of the three is a product of factors, so that no polynomial tells where something
 * happens: a walk along the frequency looks. Its steps are short beside the frequency, beside
 * the turn of both dead times and beside a resonance, and are halved until neither N + 1, L,
 * L + 1 nor E turns by more than TURN within one. Crossings of the negative real axis and of the unit
 * circle are bisected, peaks refined by golden section. The continuous walk ends where |C F P| + 2
 * |C G| is below SMALL, since beyond |L| is, too; it needs a derivative that is filtered.
 *
 * Source  O. J. M. Smith, Closer control of loops with dead time, 1957, Chemical Engineering
 *         Progress 53(5), 217-219; the count as in margins.c.
 */
#include "predicted.h"

#include <complex.h>
#include <math.h>
#include <stddef.h>

#include <redkettle/design/base/memory.h>

#include "brief.h"
#include "design/base/numeric.h"
#include "openloop.h"
#include "sampled_loop.h"
#include "stable_gain.h"

/* Steps of the walk: this part of the frequency, this turn of the dead times, this part of a
   resonance's width, and no more turn of anything than this, rad. */
#define WALK_PART 0.05
#define WALK_TURN 0.2
#define WALK_RESONANCE 0.3
#define TURN 0.3
/* It begins so far below all that happens, and halves its steps so often at most. */
#define START 1e-5
enum { HALVINGS = 30, BISECTIONS = 60, CHANGES = 8192, POINTS_MOST = 400000 };
/* Where a continuous walk ends: at SMALL if it has seen a crossing, else at NOTHING. */
#define SMALL 0.05
#define NOTHING 1e-3
/* A peak is flat: this part of the frequency off its place costs it less than a part in 1e10. */
#define PLACE 1e-7

typedef double complex cplx;

/* The loop's parts: continuous, or sampled at h. */
typedef struct parts {
    rki_openloop through, quick; /* C F P, and C G without the dead time */
    double theta;                /* the model's */
    bool sampled;
    rki_sampled_loop s_through, s_quick, s_whole; /* C F P, C Q, C W */
    double h;
    double sign; /* -1: kc with its sign turned */
} parts;

/* What is looked at, at a frequency. */
typedef struct place {
    double w;
    cplx n, l, e;
    double ms, mt; /* |1/(1+L)| and |L/(1+L)| */
} place;

enum { OF_N, OF_L, OF_E, LISTS };

/* Where one of them crosses the negative real axis. */
typedef struct list {
    rki_change *change;
    size_t count;
} list;

typedef struct walk {
    const parts *p;
    list list[LISTS];
    long start_of_e; /* unstable poles that the count on E begins with */
    double phase_margin, delay_margin, gain_crossover, ms, mt, bandwidth;
} walk;

static cplx sampled_value(const rki_sampled_loop *loop, double angle)
{
    const double turn = -loop->delay * angle;
    double re, im;

    rki_sampled_loop_value(loop, angle, &re, &im);
    return (re + (im * (cplx)I)) * (cos(turn) + (sin(turn) * (cplx)I));
}

static cplx continuous_value(const rki_openloop *loop, double w)
{
    double re, im;

    rki_openloop_value(loop, w, &re, &im);
    return re + (im * (cplx)I);
}

static double square_of(cplx a)
{
    return (creal(a) * creal(a)) + (cimag(a) * cimag(a));
}

/* A quotient of finite numbers, without the care for infinite ones that costs more than it. */
static cplx over(cplx a, cplx b)
{
    return a * conj(b) * (1.0 / square_of(b));
}

static place look(const parts *p, double w)
{
    place at = {.w = w};
    cplx through;

    if (p->sampled) {
        const double angle = w * p->h;

        through = sampled_value(&p->s_through, angle);
        at.n = sampled_value(&p->s_quick, angle) - sampled_value(&p->s_whole, angle);
    } else { /* 1 - exp(-jx) from half the angle: no digits are lost where x is small */
        const double half = 0.5 * w * p->theta;

        through = continuous_value(&p->through, w);
        at.n = continuous_value(&p->quick, w) * 2.0 * sin(half) *
               (sin(half) + (cos(half) * (cplx)I));
    }
    through *= p->sign;
    at.n *= p->sign;
    at.l = over(through, 1.0 + at.n);
    at.e = at.n + through;
    at.ms = 1.0 / sqrt(square_of(1.0 + at.l));
    at.mt = at.ms * sqrt(square_of(at.l));
    return at;
}

static cplx value_of(const place *at, int which)
{
    return which == OF_N ? at->n : which == OF_L ? at->l : at->e;
}

/* Does the angle between two values stay small? */
static bool near_to(cplx a, cplx b)
{
    const cplx turned = b * conj(a);

    return creal(turned) > 0 && fabs(cimag(turned)) < TURN * creal(turned);
}

/* Where all of them are this small nothing peaks, and crossings alone matter, of which the dead
   times' turn leaves several steps between. */
#define FAINT 0.3
#define FAINT_STRIDE 5.0

static bool is_faint(const place *at)
{
    return fmax(square_of(at->n), fmax(square_of(at->l), square_of(at->e))) < FAINT * FAINT;
}

static bool is_smooth(const place *a, const place *b)
{
    if (is_faint(a) && is_faint(b)) return true;
    return near_to(1.0 + a->n, 1.0 + b->n) && near_to(a->l, b->l) &&
           near_to(1.0 + a->l, 1.0 + b->l) && near_to(a->e, b->e);
}

/* Where a function of the place changes its sign between two. */
static place bisect(const parts *p, place low, place high,
                    double (*value)(const place *at, int which), int which)
{
    const bool rising = value(&high, which) > 0;
    int i;

    for (i = 0; i < BISECTIONS && high.w - low.w > 1e-15 * high.w; i++) {
        const place middle = look(p, 0.5 * (low.w + high.w));

        if ((value(&middle, which) > 0) == rising) {
            high = middle;
        } else {
            low = middle;
        }
    }
    return high;
}

static double imaginary(const place *at, int which)
{
    return cimag(value_of(at, which));
}

static double beyond_one(const place *at, int which)
{
    return square_of(value_of(at, which)) - 1.0;
}

/* |L/(1+L)| less 1/sqrt(2) */
static double beyond_band(const place *at, int which)
{
    (void)which;
    return at->mt - sqrt(0.5);
}

static void add_change(list *all, double factor, long poles, double w)
{
    if (all->count < CHANGES) {
        all->change[all->count++] = (rki_change){factor, poles, w};
    }
}

static void cross_axis(walk *k, int which, const place *from, const place *to)
{
    const double before = imaginary(from, which), after = imaginary(to, which);
    place at;

    if ((before > 0) == (after > 0)) return;
    at = bisect(k->p, *from, *to, imaginary, which);
    if (creal(value_of(&at, which)) < 0) { /* the phase falls where Im comes from below */
        add_change(&k->list[which], 1.0 / cabs(value_of(&at, which)), after > 0 ? 2 : -2, at.w);
    }
}

static void cross_circle(walk *k, const place *from, const place *to)
{
    double left, wrapped;
    place at;

    if ((beyond_one(from, OF_L) > 0) == (beyond_one(to, OF_L) > 0)) return;
    at = bisect(k->p, *from, *to, beyond_one, OF_L);
    left = rki_lag_left(carg(at.l));
    wrapped = fmin(left, (2.0 * RKI_PI) - left) * (180.0 / RKI_PI);
    k->delay_margin = fmin(k->delay_margin, left / at.w);
    if (wrapped < k->phase_margin) {
        k->phase_margin = wrapped;
        k->gain_crossover = at.w;
    }
}

static double sensitivity(const void *parts_of, double w)
{
    return look(parts_of, w).ms;
}

static double complementary_sensitivity(const void *parts_of, double w)
{
    return look(parts_of, w).mt;
}

/* Of three neighbours the middle one is the highest: the peak is between the outer two. */
static bool is_peak(double a, double b, double c, double most)
{
    return b >= a && b >= c && b > 0.8 * most;
}

static void see_peaks(walk *k, const place at[3])
{
    k->ms = fmax(k->ms, at[2].ms);
    k->mt = fmax(k->mt, at[2].mt);
    if (is_peak(at[0].ms, at[1].ms, at[2].ms, k->ms)) {
        k->ms = fmax(k->ms, rki_most(sensitivity, k->p, at[0].w, at[2].w, PLACE));
    }
    if (is_peak(at[0].mt, at[1].mt, at[2].mt, k->mt)) {
        k->mt = fmax(k->mt, rki_most(complementary_sensitivity, k->p, at[0].w, at[2].w, PLACE));
    }
}

static void see(walk *k, const place at[3])
{
    int which;

    for (which = 0; which < LISTS; which++) {
        cross_axis(k, which, &at[1], &at[2]);
    }
    cross_circle(k, &at[1], &at[2]);
    see_peaks(k, at);
    if (beyond_band(&at[1], 0) > 0 && beyond_band(&at[2], 0) <= 0) {
        k->bandwidth = bisect(k->p, at[1], at[2], beyond_band, 0).w;
    }
}

/* z = -1, where a real pole leaves the circle. */
static void cross_end(walk *k, const place *last)
{
    const place end = look(k->p, RKI_PI / k->p->h);
    int which;

    for (which = 0; which < LISTS; which++) {
        const double real = creal(value_of(&end, which));

        if (real < 0) {
            add_change(&k->list[which], -1.0 / real, imaginary(last, which) < 0 ? 1 : -1,
                       end.w);
        }
    }
    k->ms = fmax(k->ms, end.ms);
    k->mt = fmax(k->mt, end.mt);
}

/* How many poles are unstable with a factor on the gain of just under 1. */
static long poles_at_one(const list *all, long start)
{
    long poles = start;
    size_t i;

    for (i = 0; i < all->count; i++) {
        poles += all->change[i].factor < 1 ? all->change[i].poles : 0;
    }
    return poles;
}

/* Has a continuous walk seen all that matters? What is still to come needs a factor of 1 / left at
   least: more than the gain margin, or the loop is unstable and has none. */
static bool is_over(const walk *k, double w)
{
    const list *l = &k->list[OF_L];
    const double left = cabs(continuous_value(&k->p->through, w)) +
                        (2.0 * cabs(continuous_value(&k->p->quick, w)));
    size_t i;

    if (left < NOTHING) return true;
    if (!(left < SMALL) || l->count == 0) return false;
    for (i = 0; i < l->count; i++) {
        if (l->change[i].factor > 1 && l->change[i].factor < 0.5 / left) return true;
    }
    return poles_at_one(&k->list[OF_E], k->start_of_e) != 0;
}

/* False: it would take too many points. */
static bool go(walk *k, double start, double part, double turn)
{
    const double end = k->p->sampled ? (RKI_PI / k->p->h) * (1.0 - 1e-9) : HUGE_VAL;
    const place first = look(k->p, start);
    place at[3] = {first, first, first};
    double step;
    long points;

    for (points = 0; points < POINTS_MOST; points++) {
        int halvings;
        place next;

        step = fmin(part * at[2].w, is_faint(&at[2]) ? FAINT_STRIDE * turn : turn);
        for (halvings = 0;; halvings++) {
            next = look(k->p, fmin(at[2].w + step, end));
            if (halvings >= HALVINGS || is_smooth(&at[2], &next)) break;
            step *= 0.5;
        }
        at[0] = at[1];
        at[1] = at[2];
        at[2] = next;
        see(k, at);
        if (k->p->sampled ? at[2].w >= end : is_over(k, at[2].w)) break;
    }
    if (k->p->sampled) {
        cross_end(k, &at[2]);
    }
    return points < POINTS_MOST;
}

static rk_status make_walk(const parts *p, walk *k)
{
    rki_change *room = rk_memory_create((size_t)LISTS * (CHANGES + 1), sizeof *room);
    int i;

    *k = (walk){.p = p,
                .phase_margin = HUGE_VAL,
                .delay_margin = HUGE_VAL,
                .gain_crossover = HUGE_VAL,
                .bandwidth = nan("")};
    if (room == NULL) return RK_ERR_MEMORY;
    for (i = 0; i < LISTS; i++) {
        k->list[i].change = room + ((size_t)i * (CHANGES + 1));
    }
    return RK_OK;
}

/* What the three begin with at the lowest frequency: whether there is an integrator, and each
   one's value there, which is real but for an integrator's. */
static void begin(walk *k, bool integral, const place *at, long start[LISTS])
{
    int which;

    for (which = 0; which < LISTS; which++) {
        const cplx value = value_of(at, which);

        start[which] = 0;
        if (which != OF_N && integral) { /* -j times its residue */
            start[which] = cimag(value) > 0 ? 1 : 0;
        } else if (creal(value) < 0) {
            add_change(&k->list[which], -1.0 / creal(value), 1, 0.0);
        }
    }
}

/* How far kc may go, as a factor: the interval that holds 1, or the lowest one. */
static bool range_of(walk *k, const long start[LISTS], double *low, double *high)
{
    return rki_stable_interval(k->list[OF_E].change, k->list[OF_E].count, start[OF_E], HUGE_VAL,
                               low, high);
}

/* All of a walk; false: too many points. */
static bool survey(walk *k, const rk_settings *s, long start[LISTS])
{
    const parts *p = k->p;
    const double longest =
        fmax(rki_openloop_longest(&p->through), rki_openloop_longest(&p->quick) + p->theta);
    const double delays = p->through.theta + p->theta + (p->sampled ? 2.0 * p->h : 0.0);
    const double part =
        fmin(WALK_PART, WALK_RESONANCE * rki_openloop_least_damping(&p->through));
    const double lowest = START / longest;
    const place at = look(p, lowest);

    begin(k, isfinite(s->ti), &at, start);
    k->start_of_e = start[OF_E];
    return go(k, lowest, part, delays > 0 ? WALK_TURN / delays : HUGE_VAL);
}

/* Without integral action the gain may have the other sign, too, up to a limit. */
static rk_status turned_limit(const parts *p, const rk_settings *s, double *limit)
{
    parts turned = *p;
    double low = 0, high = 0;
    long start[LISTS];
    walk k;

    turned.sign = -p->sign;
    if (make_walk(&turned, &k) != RK_OK) return RK_ERR_MEMORY;
    *limit = survey(&k, s, start) && range_of(&k, start, &low, &high) && !(low > 0) ? high : 0;
    rk_memory_free(k.list[0].change);
    return RK_OK;
}

static rk_status measure(const parts *p, const rk_settings *s, rk_margins *made, rk_diag *diag)
{
    double low = 0, high = 0, back = 0;
    long start[LISTS];
    walk k;

    if (make_walk(p, &k) != RK_OK) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    if (!survey(&k, s, start)) {
        rk_memory_free(k.list[0].change);
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "the dead time of the predictor's loop is too long beside its other "
                           "times: check the units");
    }
    made->stable = poles_at_one(&k.list[OF_E], start[OF_E]) == 0;
    made->kc_range_exists = range_of(&k, start, &low, &high);
    if (isinf(s->ti) && !(low > 0) && turned_limit(p, s, &back) != RK_OK) {
        rk_memory_free(k.list[0].change);
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    }
    if (made->kc_range_exists || back > 0) {
        const double least = low > 0 ? low : -back, most = made->kc_range_exists ? high : 0.0;

        made->kc_range_exists = true;
        made->kc_stable[0] = (s->kc > 0 ? s->kc * least : s->kc * most) + 0.0;
        made->kc_stable[1] = (s->kc > 0 ? s->kc * most : s->kc * least) + 0.0;
    }
    if (made->stable) {
        made->gain_margin =
            rki_gain_margin(k.list[OF_L].change, k.list[OF_L].count, &made->phase_crossover);
        made->phase_margin = k.phase_margin;
        made->delay_margin = k.delay_margin;
        made->gain_crossover = k.gain_crossover;
        made->ms = k.ms;
        made->mt = k.mt;
        made->bandwidth = k.bandwidth;
    }
    rk_memory_free(k.list[0].change);
    return RK_OK;
}

static rk_status check(const rk_model *process, const rk_model *model,
                       const rk_settings *settings, rk_diag *diag)
{
    rk_status status = rk_model_check(process, diag);

    if (status == RK_OK) {
        status = rk_model_check(model, diag);
    }
    if (status == RK_OK) {
        status = rk_settings_check(settings, diag);
    }
    if (status != RK_OK) return status;
    if (rk_model_kind_integrates(process->kind) || rk_model_kind_integrates(model->kind)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "the predictor refuses an integrating model: it would leave an "
                           "offset after a load");
    }
    return RK_OK;
}

static rk_status make_parts(const rk_model *process, const rk_model *model,
                            const rk_settings *settings, const rk_sampling *sampling, parts *p,
                            rk_diag *diag)
{
    rk_settings bare = *settings;
    rk_model prompt = *model;
    rk_sampling at_once;
    rk_status status;

    bare.pv_filter = 0.0;
    bare.predictor = RK_NO;
    prompt.dead_time = 0.0;
    *p = (parts){.theta = model->dead_time, .sign = 1.0};
    p->through = rki_openloop_make(process, settings);
    p->quick = rki_openloop_make(&prompt, &bare);
    if (sampling == NULL) {
        if (rki_openloop_final_magnitude(&p->quick) > 0) {
            return rk_diag_set(diag, RK_ERR_RANGE,
                               "with a predictor the derivative needs a filter: give tf");
        }
        return RK_OK;
    }
    p->sampled = true;
    p->h = sampling->ts;
    at_once = *sampling; /* the predictor knows what was written, whenever it gets there */
    at_once.delay = 0.0;
    status = rki_sampled_loop_make(process, settings, sampling, &p->s_through, diag);
    if (status == RK_OK) {
        status = rki_sampled_loop_make(&prompt, &bare, &at_once, &p->s_quick, diag);
    }
    if (status == RK_OK) {
        status = rki_sampled_loop_make(model, &bare, &at_once, &p->s_whole, diag);
    }
    return status;
}

/* The limit of P alone, which has nothing to do with the predictor. */
static rk_status ultimate_point(const rk_model *process, const rk_sampling *sampling,
                                rk_margins *made, rk_diag *diag)
{
    const rk_settings alone = rk_settings_make(0.5 / process->gain, HUGE_VAL, 0.0, 0.0);
    rk_margins m;
    const rk_status status =
        sampling == NULL ? rk_margins_compute(process, &alone, &m, diag)
                         : rk_sampled_margins_compute(process, &alone, sampling, &m, diag);

    if (status == RK_OK) {
        made->ultimate_gain = m.ultimate_gain;
        made->ultimate_period = m.ultimate_period;
    }
    return status;
}

rk_status rki_predicted_margins(const rk_model *process, const rk_model *model,
                                const rk_settings *settings, const rk_sampling *sampling,
                                bool brief, rk_margins *margins, rk_diag *diag)
{
    rk_margins made = rk_margins_none();
    rk_status status;
    parts p;

    rk_diag_clear(diag);
    if (process == NULL || model == NULL || settings == NULL || margins == NULL)
        return RK_ERR_ARG;
    status = check(process, model, settings, diag);
    if (status == RK_OK) {
        status = make_parts(process, model, settings, sampling, &p, diag);
    }
    if (status == RK_OK) {
        status = measure(&p, settings, &made, diag);
    }
    if (status == RK_OK && !brief) {
        status = ultimate_point(process, sampling, &made, diag);
    }
    if (status == RK_OK) {
        *margins = made;
    }
    return status;
}

rk_status rk_predicted_margins_compute(const rk_model *process, const rk_model *model,
                                       const rk_settings *settings, const rk_sampling *sampling,
                                       rk_margins *margins, rk_diag *diag)
{
    return rki_predicted_margins(process, model, settings, sampling, false, margins, diag);
}

rk_status rki_predicted_response(const rk_model *process, const rk_model *model,
                                 const rk_settings *settings, const rk_sampling *sampling,
                                 double w, double *re, double *im, rk_diag *diag)
{
    parts p;
    place at;
    rk_status status = check(process, model, settings, diag);

    if (status == RK_OK) {
        status = make_parts(process, model, settings, sampling, &p, diag);
    }
    if (status != RK_OK) return status;
    at = look(&p, w);
    *re = creal(at.l);
    *im = cimag(at.l);
    return RK_OK;
}
