/* SPDX-License-Identifier: MIT */
/*
 * LANES candidates scanned side by side, each quantity of all of them in one array, so that the
 * compiler makes vector instructions of the inner loops. The arithmetic of a lane is that of
 * rk_pid_scan, rk_filter_scan and rk_plant_scan in their order; every choice is written as a
 * selection between two numbers that both exist, since a branch would part the lanes.
 */
#include "sweep_lanes.h"

#include <math.h>
#include <stdbool.h>
#include <string.h>

/* The widest vectors that the machine has; the arithmetic is the same, only more at a time. */
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && defined(__linux__)
#define WIDEST __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define WIDEST
#endif
/* Within it, or the lanes are scanned one by one. */
#if defined(__GNUC__)
#define WITHIN inline __attribute__((always_inline))
#else
#define WITHIN inline
#endif

/* Remember that a level was passed between two points: where is told at the end, by rki_lanes_passed. */
static WITHIN void mark(rki_passage *p, int l, bool passed, double time, double from, double to)
{
    const double old_time = p->time[l], old_from = p->from[l], old_to = p->to[l];

    p->time[l] = passed ? time : old_time;
    p->from[l] = passed ? from : old_from;
    p->to[l] = passed ? to : old_to;
}

/* A run that may end once it rests is looked at so often, in scans and its dead time; it rests when
   nothing moves by this part of the most that it did. */
enum { LOOK = 40 };
#define RESTS 1e-9

#define THIRD (1.0 / 3.0)

/* From one point to the next, `a` and `b` being the error there, `t` and `h` s: the criteria's
   integrals of a straight line, a change of its sign included; how far PV has gone; when it comes
   into the band for good. */
static WITHIN void count_points(const rki_lanes *restrict v, const rki_course *c,
                                rki_tally *restrict t, double sign, double time, double h,
                                int l, double a, double b)
{
    const double size_a = fabs(a), size_b = fabs(b), both = size_a + size_b;
    const double product = a * b, across = product < 0 ? product : 0.0;
    const double iae = 0.5 * h * (both + (2.0 * across / (both + 1e-300)));
    const double itae = ((time + (0.5 * h)) * iae) + (h * h / 12.0 * (size_b - size_a));
    const double from = c->sp - c->plant->pv0, gone_a = sign * (from - a);
    const double gone_b = sign * (from - b);
    const double off_a = fabs(a - v->rest[l]), off_b = fabs(b - v->rest[l]);
    const double top = t->high[l], bottom = t->low[l];

    const double ten = t->ten.time[l], ninety = t->ninety.time[l];
    const double at_ten = v->ten[l], at_ninety = v->ninety[l], band = c->band;
    const double furthest = off_a > off_b ? off_a : off_b;
    const double entry = off_b > band ? HUGE_VAL : time;

    t->iae[l] += iae;
    t->itae[l] += itae;
    t->ise[l] += THIRD * h * ((a * a) + product + (b * b));
    t->high[l] = gone_b > top ? gone_b : top;
    t->low[l] = gone_b < bottom ? gone_b : bottom;
    mark(&t->ten, l, (gone_b >= at_ten) & !(ten < HUGE_VAL), time, gone_a, gone_b);
    mark(&t->ninety, l, (gone_b >= at_ninety) & !(ninety < HUGE_VAL), time, gone_a, gone_b);
    mark(&t->entry, l, furthest > band, entry, a, b);
}

/* PV's way from v->pv to the next scan's, from point to point; x, late and later are what the
   scan began with. */
static WITHIN void watch_lanes(const rki_lanes *restrict v, const rki_course *c,
                               rki_tally *restrict t, const double (*restrict x)[RKI_LANES],
                               const double *restrict late, const double *restrict later,
                               double scan, int lanes, int states)
{
    const double pv0 = c->plant->pv0, h = c->ts / c->points, sp = c->sp;
    const double sign = sp < pv0 ? -1.0 : 1.0;
    double from[RKI_LANES];
    int l, k;

    for (l = 0; l < lanes; l++) {
        from[l] = sp - v->pv[l];
    }
    for (k = 0; k < c->points; k++) {
        const rki_between *at = &c->between[k];
        const double time = (c->ts * scan) + (h * k) - c->late;

        for (l = 0; l < lanes; l++) {
            double gone = (at->late * late[l]) + (at->later * later[l]), to;
            int i;

            for (i = states - 1; i >= 0; i--) {
                gone = gone + (at->x[i] * x[i][l]);
            }
            to = sp - (pv0 + gone);

            count_points(v, c, t, sign, time, h, l, from[l], to);
            from[l] = to;
        }
    }
}

/* The states at the next scan, those of this one kept in x; the order of the sums is rk_plant_scan's. */
static WITHIN void move_plant(rki_lanes *restrict v, const rk_plant_params *p,
                              double (*restrict x)[RKI_LANES], const double *restrict late,
                              const double *restrict later, int lanes, int states)
{
    int l, i, j;

    for (i = 0; i < states; i++) {
        for (l = 0; l < lanes; l++) {
            x[i][l] = v->x[i][l];
        }
    }
    for (i = 0; i < states; i++) {
        double sum[RKI_LANES];

        for (l = 0; l < lanes; l++) {
            sum[l] = (p->b0[i] * late[l]) + (p->b1[i] * later[l]);
        }
        for (j = states - 1; j >= (states > 2 ? i + 1 : 0); j--) {
            for (l = 0; l < lanes && j != i; l++) {
                sum[l] = sum[l] + (p->a[i][j] * x[j][l]);
            }
        }
        for (l = 0; l < lanes; l++) {
            v->x[i][l] = sum[l] + (p->a[i][i] * x[i][l]);
        }
    }
}

/* All of a scan for each lane in turn: look at PV, control in the order of rk_pid_scan with
   what a sweep does not use left out, let the plant move. `here` of the delay memory gets what
   OUT is now; `there` has what it was a dead time ago, if there is one. Every choice is between
   two numbers that are there, so that the compiler can make vectors of the lanes. */
static WITHIN void scan_lanes(rki_lanes *restrict v, const rki_course *c, rki_tally *restrict t,
                              double *restrict here, const double *restrict there, bool prompt,
                              double scan, int lanes, int states)
{
    const rk_plant_params *p = c->plant;
    const double out0 = p->out0, pv0 = p->pv0, sp = c->sp, load = c->load;
    const double low = c->low, high = c->high, step = c->step;
    double x[RK_PLANT_STATES][RKI_LANES], late[RKI_LANES], later[RKI_LANES];
    int l;

    for (l = 0; l < lanes; l++) {
        const double pv = v->pv[l], last = v->out[l];
        const double stood = v->filtered[l], part = v->part[l];
        const double moved = stood + (part * (pv - stood)), seen = part < 1.0 ? moved : pv;
        const double e = sp - seen, stored = there[l], before = v->i[l];
        const double g = (v->c[l] * sp) - seen, pp = v->kc[l] * ((v->b[l] * sp) - seen);
        const double d = (v->ad[l] * v->d[l]) + (v->kd[l] * (g - v->g[l]));
        /* One of the two is 0: there is an integral, or a way to the bias. */
        const double inc = (v->ki[l] * e) + (v->fade[l] * (v->bias[l] - before));
        const double free_sum = before + inc;
        const double free_v = ((pp + free_sum) + d) + 0.0;
        const double down = last - step, up = last + step;
        const double floor_ = down < low ? low : down, ceiling = up > high ? high : up;
        const double over = free_v > ceiling ? inc : 0.0, under = free_v < floor_ ? -inc : 0.0;
        const double pushed = over > under ? over : under;
        const double sum = pushed * v->conditional[l] > 0.0 ? before : free_sum;
        const double wanted = ((pp + sum) + d) + 0.0;
        const double raised = wanted < floor_ ? floor_ : wanted;
        const double out = raised > ceiling ? ceiling : raised;
        const double move = fabs(out - last), u = (out + load) - out0;
        const double largest = t->largest[l];

        late[l] = prompt ? u : stored;
        later[l] = here[l];
        t->travel[l] += move;
        t->effort[l] += move * move;
        t->square[l] += (out - v->out_rest[l]) * (out - v->out_rest[l]);
        t->largest[l] = move > largest ? move : largest;
        v->i[l] = sum + (v->kt[l] * (out - wanted));
        v->d[l] = d;
        v->g[l] = g;
        v->filtered[l] = seen;
        v->out[l] = out;
        here[l] = u;
    }
    move_plant(v, p, x, late, later, lanes, states);
    watch_lanes(v, c, t, (const double(*)[RKI_LANES])x, late, later, scan, lanes, states);
    for (l = 0; l < lanes; l++) {
        v->pv[l] = pv0 + v->x[0][l];
    }
}

/* Scans until `until`, from a place in the ring on. */
static WITHIN void scan_course(rki_lanes *restrict v, const rki_course *c,
                               rki_tally *restrict t, size_t until, int lanes, int states)
{
    static const double none[RKI_LANES];
    const size_t delay = c->plant->delay;

    for (; t->scans < until && delay == 0; t->scans++) {
        scan_lanes(v, c, t, c->ring[0], none, true, (double)t->scans, lanes, states);
    }
    for (; t->scans < until; t->scans++) {
        const size_t next = t->oldest == delay ? 0 : t->oldest + 1;

        scan_lanes(v, c, t, c->ring[t->oldest], c->ring[next], false, (double)t->scans, lanes,
                   states);
        t->oldest = next;
    }
}

/* The usual numbers of states are known where the loops are made. */
static WITHIN void scan_states(rki_lanes *restrict v, const rki_course *c,
                               rki_tally *restrict t, size_t until, int lanes)
{
    switch (c->states) {
    case 2:
        scan_course(v, c, t, until, lanes, 2);
        break;
    case 3:
        scan_course(v, c, t, until, lanes, 3);
        break;
    case 4:
        scan_course(v, c, t, until, lanes, 4);
        break;
    default:
        scan_course(v, c, t, until, lanes, c->states);
        break;
    }
}

WIDEST static void scan_all(rki_lanes *restrict v, const rki_course *c, rki_tally *restrict t,
                            size_t until)
{
    scan_states(v, c, t, until, RKI_LANES);
}

/* The first lane alone: a search asks for one candidate after the other. */
static void scan_one(rki_lanes *restrict v, const rki_course *c, rki_tally *restrict t,
                     size_t until)
{
    rki_lanes lane = *v; /* of its own, so that its numbers stay in registers */
    rki_tally tally = *t;
    const rki_course course = *c;

    scan_states(&lane, &course, &tally, until, 1);
    *v = lane;
    *t = tally;
}

/* Nothing is counted yet. */
static void clear_tally(rki_tally *t)
{
    int l;

    memset(t, 0, sizeof *t);
    for (l = 0; l < RKI_LANES; l++) {
        t->ten.time[l] = t->ninety.time[l] = HUGE_VAL;
        t->entry.time[l] = -HUGE_VAL;
    }
}

/* The delay memory at rest. */
static void clear_ring(rki_course *c)
{
    size_t i;
    int l;

    for (i = 0; i <= c->plant->delay; i++) {
        for (l = 0; l < RKI_LANES; l++) {
            c->ring[i][l] = 0.0;
        }
    }
}

void rki_lanes_clear(rki_course *c, rki_tally *t)
{
    clear_tally(t);
    clear_ring(c);
}

double rki_lanes_passed(const rki_passage *p, const rki_course *c, int l, double level)
{
    const double way = p->to[l] - p->from[l];

    if (!(p->time[l] < HUGE_VAL)) return nan("");
    return p->time[l] + (c->ts / c->points * (level - p->from[l]) / way);
}

/* Are two numbers the same beside a scale? */
static bool same(double a, double b, double scale)
{
    return fabs(a - b) <= RESTS * scale;
}

/* Does nothing move any more? `before` is a scan ago. */
static bool rests(const rki_lanes *v, const rki_lanes *before, const rki_course *c,
                  const rki_tally *t, int lanes)
{
    size_t i;
    int l;

    for (l = 0; l < lanes; l++) {
        const double pv = fmax(t->high[l], -t->low[l]), out = t->largest[l];
        const double u = v->out[l] + c->load - c->plant->out0;

        for (i = 0; i < (size_t)c->states; i++) {
            if (!same(v->x[i][l], before->x[i][l], pv)) return false;
        }
        if (!same(v->filtered[l], before->filtered[l], pv) ||
            !same(v->i[l], before->i[l], out) || !same(v->d[l], before->d[l], out)) {
            return false;
        }
        for (i = 0; i <= c->plant->delay; i++) {
            if (!same(c->ring[i][l], u, out)) return false;
        }
    }
    return true;
}

/* What the error at rest adds until the run's end. */
static void add_rest(const rki_lanes *v, const rki_course *c, rki_tally *t, int lanes)
{
    const double from = (c->ts * (double)t->scans) - c->late;
    const double until = (c->ts * (double)c->scans) - c->late;
    int l;

    for (l = 0; l < lanes; l++) {
        const double off = c->sp - v->pv[l], size = fabs(off);
        const double from_rest = v->out[l] - v->out_rest[l];

        t->square[l] += from_rest * from_rest * (until - from) / c->ts;
        t->iae[l] += size * (until - from);
        t->ise[l] += off * off * (until - from);
        t->itae[l] += 0.5 * size * ((until * until) - (from * from));
    }
}

void rki_lanes_run(rki_lanes *v, rki_course *c, rki_tally *t, bool one)
{
    const int lanes = one ? 1 : RKI_LANES;
    const size_t turn = c->plant->delay + LOOK;

    rki_lanes_clear(c, t);
    while (t->scans < c->scans) {
        const bool looks = c->to_rest && t->scans + turn < c->scans;
        const size_t until = looks ? t->scans + turn : c->scans;
        rki_lanes before;

        if (one) {
            scan_one(v, c, t, until - 1);
        } else {
            scan_all(v, c, t, until - 1);
        }
        before = *v;
        if (one) {
            scan_one(v, c, t, until);
        } else {
            scan_all(v, c, t, until);
        }
        if (looks && rests(v, &before, c, t, lanes)) {
            add_rest(v, c, t, lanes);
            return;
        }
    }
}

void rki_lanes_watch(const rki_lanes *v, const rki_course *c, rki_tally *t,
                     const double (*x)[RKI_LANES], const double *late, const double *later,
                     double scan)
{
    watch_lanes(v, c, t, x, late, later, scan, 1, c->states);
}
