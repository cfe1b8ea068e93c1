/* SPDX-License-Identifier: MIT */
/*
 * Many settings on one plant at once. LANES candidates run side by side, each quantity of all
 * of them in one array, so that the compiler makes vector instructions of the inner loop;
 * groups of lanes are shared among the processors. The arithmetic of a lane is that of
 * rk_pid_scan, rk_filter_scan and rk_plant_scan in their order, so that a sweep gives a trial's
 * bits; every choice is written as a selection between two numbers that both exist, since a
 * branch would part the lanes.
 *
 * Of each run only sums are kept: the criteria as rectangles, the highest and lowest PV, the
 * scans before 10 and 90 % of the way and the last one outside the band, OUT's moves. Noise:
 * the loop is linear without limits, so that one scan's noise of 1, followed through it, gives
 * the sum of the squares of OUT's response, which is what white noise makes of OUT's variance.
 *
 * Cost: some 3 ns a scan and candidate on one processor. What the lanes do not know (a predictor,
 * a deadband, a setpoint's rate, other schemes, the velocity algorithm) is run by the blocks
 * themselves, at some 30 ns a scan, and counted in the same way.
 */
#include <redkettle/design/loop/closed_loop.h>
#include <redkettle/design/trial/sweep.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>

#include "design/base/parallel.h"
#include "trial_metrics.h"

/* So many candidates run side by side, each number of all of them in one vector. */
enum { LANES = 8 };

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

/* What the scans need, a lane each. */
typedef struct lanes {
    double kc[LANES], b[LANES], c[LANES]; /* gain, and the setpoint's weight in P and in D */
    double fade[LANES], bias[LANES];      /* without integral: the way to the bias; 0: none */
    double ki[LANES], kt[LANES];          /* kc ts/ti, and ts/tt of back-calculation, or 0 */
    double ad[LANES], kd[LANES];          /* D = ad D + kd (g - g_last) */
    double part[LANES], filtered[LANES];  /* of the PV filter; part 1: none */
    double conditional[LANES];            /* 1 or 0 */
    double rest[LANES];                   /* how far from the setpoint PV settles */
    double ten[LANES], ninety[LANES];     /* those parts of its way there */
    double i[LANES], d[LANES], g[LANES], out[LANES]; /* the controller's state */
    double x0[LANES], x1[LANES], pv[LANES];          /* the plant's */
} lanes;

/* Sums over the scans. */
typedef struct tally {
    double iae[LANES], ise[LANES], itae[LANES], high[LANES], low[LANES];
    double below_ten[LANES], below_ninety[LANES], outside[LANES];
    double travel[LANES], effort[LANES], largest[LANES], square[LANES];
} tally;

/* A run: the plant of all lanes, its delay memory a vector each. */
typedef struct course {
    const rk_plant_params *plant;
    double (*ring)[LANES];
    double sp, load, low, high, step, band, ts;
    double late; /* of a load: it does not wait for OUT's delay, and is counted from then on */
    size_t scans;
} course;

/* All of a scan for each lane in turn: look at PV, control in the order of rk_pid_scan with
   what a sweep does not use left out, let the plant move. `here` of the delay memory gets what
   OUT is now; `there` has what it was a dead time ago, if there is one. Every choice is between
   two numbers that are there, so that the compiler can make vectors of the lanes. */
static WITHIN void scan_lanes(lanes *restrict v, const course *c, tally *restrict t,
                              double *restrict here, const double *restrict there, bool prompt,
                              double scan)
{
    const rk_plant_params *p = c->plant;
    const double a00 = p->a[0][0], a01 = p->a[0][1], a10 = p->a[1][0], a11 = p->a[1][1];
    const double b00 = p->b0[0], b01 = p->b0[1], b10 = p->b1[0], b11 = p->b1[1];
    const double out0 = p->out0, pv0 = p->pv0, sp = c->sp, load = c->load;
    const double low = c->low, high = c->high, step = c->step, band = c->band;
    const double sign = sp < pv0 ? -1.0 : 1.0, now = (c->ts * scan) - c->late;
    int l;

    for (l = 0; l < LANES; l++) {
        const double pv = v->pv[l], off = sp - pv, size = fabs(off), last = v->out[l];
        const double stood = v->filtered[l], part = v->part[l];
        const double moved = stood + (part * (pv - stood)), seen = part < 1.0 ? moved : pv;
        const double e = sp - seen;
        const double gone = sign * (pv - pv0), x0 = v->x0[l], x1 = v->x1[l];
        const double later = here[l], stored = there[l], before = v->i[l];
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
        const double late = prompt ? u : stored;
        const double top = t->high[l], bottom = t->low[l], largest = t->largest[l];
        const double new_top = gone > top ? gone : top, outside = t->outside[l];
        const double next0 = (((b00 * late) + (b10 * later)) + (a01 * x1)) + (a00 * x0);
        const double next1 = (((b01 * late) + (b11 * later)) + (a10 * x0)) + (a11 * x1);

        t->high[l] = new_top;
        t->low[l] = gone < bottom ? gone : bottom;
        t->iae[l] += size;
        t->ise[l] += off * off;
        t->itae[l] += now * size;
        t->below_ten[l] += new_top < v->ten[l] ? 1.0 : 0.0;
        t->below_ninety[l] += new_top < v->ninety[l] ? 1.0 : 0.0;
        t->outside[l] = fabs(off - v->rest[l]) > band ? scan + 1.0 : outside;
        t->travel[l] += move;
        t->effort[l] += move * move;
        t->square[l] += (out - out0) * (out - out0);
        t->largest[l] = move > largest ? move : largest;
        v->i[l] = sum + (v->kt[l] * (out - wanted));
        v->d[l] = d;
        v->g[l] = g;
        v->filtered[l] = seen;
        v->out[l] = out;
        here[l] = u;
        v->x0[l] = next0;
        v->x1[l] = next1;
        v->pv[l] = pv0 + next0;
    }
}

WIDEST static void scan_all(lanes *restrict v, const course *c, tally *restrict t)
{
    static const double none[LANES];
    const size_t delay = c->plant->delay;
    size_t oldest = 0, scan;

    for (scan = 0; scan < c->scans && delay == 0; scan++) {
        scan_lanes(v, c, t, c->ring[0], none, true, (double)scan);
    }
    for (; scan < c->scans; scan++) {
        const size_t next = oldest == delay ? 0 : oldest + 1;

        scan_lanes(v, c, t, c->ring[oldest], c->ring[next], false, (double)scan);
        oldest = next;
    }
}

/* What the controller knows of the plant. */
static const rk_model *model_of(const rk_sweep_plan *plan)
{
    return plan->model.gain != 0 ? &plan->model : &plan->plant;
}

/* Lanes from settings; false for one that this scan cannot run: its lane is another's copy. */
static bool load_lane(lanes *v, const rk_settings *s, const rk_sweep_plan *plan, int l)
{
    rk_pid_params params;
    rk_pid pid;

    if (rk_settings_pid_params(s, &plan->limits, model_of(plan), plan->ts, &params, NULL) !=
        RK_OK)
        return false;
    if (rk_pid_init(&pid, &params, plan->plant.out0) != RK_OK ||
        rk_pid_reset(&pid, plan->plant.pv0, plan->plant.pv0, plan->plant.out0) != RK_OK) {
        return false;
    }
    v->kc[l] = params.kc;
    v->b[l] = params.sp_weight;
    v->c[l] = params.d_sp_weight;
    v->fade[l] = pid.fade;
    v->bias[l] = params.bias;
    v->ki[l] = pid.ki_ts;
    v->kt[l] = pid.kt_ts;
    v->ad[l] = pid.ad;
    v->kd[l] = pid.kd;
    v->part[l] = s->pv_filter > 0 ? plan->ts / (s->pv_filter + plan->ts) : 1.0;
    v->filtered[l] = plan->plant.pv0;
    v->conditional[l] = params.anti_windup == RK_ANTI_WINDUP_CONDITIONAL ? 1.0 : 0.0;
    v->i[l] = pid.i;
    v->d[l] = pid.d;
    v->g[l] = (params.d_sp_weight * pid.sp_now) - pid.y;
    v->out[l] = pid.out;
    v->x0[l] = v->x1[l] = 0.0;
    v->pv[l] = plan->plant.pv0;
    return true;
}

static void take_run(const course *c, const lanes *v, const tally *t, int l, double way,
                     rk_sweep_run *run)
{
    const double scans = (double)c->scans;

    run->iae = c->ts * t->iae[l];
    run->ise = c->ts * t->ise[l];
    run->itae = c->ts * t->itae[l];
    run->beyond = way != 0 ? fmax(t->high[l] - fabs(way - v->rest[l]), 0.0)
                           : fmax(t->high[l], -t->low[l]);
    run->rise =
        t->below_ninety[l] < scans ? c->ts * (t->below_ninety[l] - t->below_ten[l]) : nan("");
    run->settling =
        t->outside[l] < scans ? fmax((c->ts * t->outside[l]) - c->late, 0.0) : nan("");
    run->steady_error = c->sp - v->pv[l];
    run->travel = t->travel[l];
    run->effort = t->effort[l];
    run->largest_move = t->largest[l];
}

static rk_sweep_result nothing(void)
{
    const double none = nan("");
    const rk_sweep_run run = {none, none, none, none, none, none, none, none, none, none};

    return (rk_sweep_result){run, run, {none, none}, none, none};
}

/* A sweep under way: who runs what. */
typedef struct sweep {
    const rk_sweep_plan *plan;
    const rk_settings *settings;
    rk_sweep_result *results;
    course c;
} sweep;

/* The scans of a course for a group of lanes, from the start of all of them. */
static void run_course(course *c, lanes *v, tally *t)
{
    size_t i;
    int l;

    memset(t, 0, sizeof *t);
    for (i = 0; i <= c->plant->delay; i++) {
        for (l = 0; l < LANES; l++) {
            c->ring[i][l] = 0.0;
        }
    }
    scan_all(v, c, t);
}

/* Where each lane is bound for, after a load where it came from. NaN, nowhere, makes every scan
   one outside. */
static void aim(const rk_sweep_plan *plan, const course *c, const rk_settings *settings,
                const bool *runs, lanes *v)
{
    int l;

    for (l = 0; l < LANES; l++) {
        const rk_trial_case one = {.plant = plan->plant,
                                   .limits = plan->limits,
                                   .settings = settings[runs[l] ? l : 0]};
        const double value = runs[l] ? rki_settled_pv(&one, c->sp, 0.0, 0.0) : c->sp;
        const double way = fabs(value - plan->plant.pv0);

        v->rest[l] = isnan(value) ? HUGE_VAL : c->sp - value;
        v->ten[l] = 0.1 * way;
        v->ninety[l] = 0.9 * way;
    }
}

/* One group of lanes through one of the two steps. */
static void run_step(const rk_sweep_plan *plan, course c, const lanes *start, bool setpoint,
                     const rk_settings *settings, const bool *runs, rk_sweep_result *results)
{
    const double way = setpoint ? plan->sp_step : 0.0;
    lanes v = *start;
    tally t;
    int l;

    c.sp = plan->plant.pv0 + way;
    c.load = setpoint ? 0.0 : plan->load_step;
    c.late = setpoint ? 0.0 : plan->delay;
    c.band = plan->band * fabs(plan->sp_step);
    aim(plan, &c, settings, runs, &v);
    run_course(&c, &v, &t);
    for (l = 0; l < LANES; l++) {
        if (!runs[l]) continue;
        take_run(&c, &v, &t, l, way, setpoint ? &results[l].setpoint : &results[l].load);
        results[l].last_pv = v.pv[l];
        results[l].last_out = v.out[l];
    }
}

/* Noise of 1 in the first scan alone, no limit being met. */
static void run_noise(const rk_sweep_plan *plan, course c, const lanes *start, const bool *runs,
                      rk_sweep_result *results)
{
    const rk_limits none = rk_limits_none();
    lanes v = *start;
    tally t;
    int l;

    c.sp = plan->plant.pv0;
    c.load = c.band = 0.0;
    c.low = none.low;
    c.high = none.high;
    c.step = none.rate;
    for (l = 0; l < LANES; l++) {
        v.pv[l] += 1.0;
    }
    run_course(&c, &v, &t);
    for (l = 0; l < LANES; l++) {
        if (!runs[l]) continue;
        results[l].noise =
            (rk_sweep_noise){plan->noise * sqrt(t.square[l]), plan->noise * sqrt(t.effort[l])};
    }
}

/* Do the lanes know all that these settings have? */
static bool fits_lanes(const rk_settings *s)
{
    return s->integral == RK_SCHEME_BACKWARD && s->algorithm == RK_ALGORITHM_POSITION &&
           (s->derivative == RK_SCHEME_BACKWARD || s->td == 0) && !s->predictor &&
           s->deadband == 0 && isinf(s->sp_rate) && !rk_settings_is_on_off(s);
}

/* A scan's count in lane 0, as scan_lanes does it. */
static void count_scan(const course *c, lanes *v, tally *t, double out, double next_pv,
                       double scan)
{
    const double pv0 = c->plant->pv0, off = c->sp - v->pv[0], size = fabs(off);
    const double gone = (c->sp < pv0 ? -1.0 : 1.0) * (v->pv[0] - pv0);
    const double move = fabs(out - v->out[0]), from0 = out - c->plant->out0;

    t->high[0] = fmax(t->high[0], gone);
    t->low[0] = fmin(t->low[0], gone);
    t->iae[0] += size;
    t->ise[0] += off * off;
    t->itae[0] += ((c->ts * scan) - c->late) * size;
    t->below_ten[0] += t->high[0] < v->ten[0] ? 1.0 : 0.0;
    t->below_ninety[0] += t->high[0] < v->ninety[0] ? 1.0 : 0.0;
    t->outside[0] = fabs(off - v->rest[0]) > c->band ? scan + 1.0 : t->outside[0];
    t->travel[0] += move;
    t->effort[0] += move * move;
    t->square[0] += from0 * from0;
    t->largest[0] = fmax(t->largest[0], move);
    v->out[0] = out;
    v->pv[0] = next_pv;
}

/* A run by the blocks; `impulse` is added to the PV that is seen first. */
static rk_status run_blocks(rk_controller *k, rk_model_plant *plant, const course *c,
                            double impulse, lanes *v, tally *t)
{
    const double pv0 = c->plant->pv0, out0 = c->plant->out0;
    size_t scan;

    memset(t, 0, sizeof *t);
    rk_model_plant_reset(plant);
    v->pv[0] = pv0 + impulse;
    v->out[0] = out0;
    if (rk_controller_reset(k, pv0, out0) != RK_OK) return RK_ERR_RANGE;
    for (scan = 0; scan < c->scans; scan++) {
        const double out = rk_controller_scan(k, c->sp, v->pv[0]);

        count_scan(c, v, t, out, rk_plant_scan(&plant->plant, out + c->load), (double)scan);
    }
    return RK_OK;
}

/* One of the two steps. */
static void step_blocks(const rk_sweep_plan *plan, course c, const rk_settings *settings,
                        bool setpoint, rk_controller *k, rk_model_plant *plant,
                        rk_sweep_result *result)
{
    const double way = setpoint ? plan->sp_step : 0.0;
    bool runs[LANES] = {true};
    lanes v;
    tally t;

    memset(&v, 0, sizeof v);
    c.sp = plan->plant.pv0 + way;
    c.load = setpoint ? 0.0 : plan->load_step;
    c.late = setpoint ? 0.0 : plan->delay;
    c.band = plan->band * fabs(plan->sp_step);
    aim(plan, &c, settings, runs, &v);
    if (!setpoint) {
        c.band += settings->deadband;
    }
    if (run_blocks(k, plant, &c, 0.0, &v, &t) != RK_OK) return;
    if (setpoint && settings->deadband > 0) { /* within which PV rests, only the end tells */
        const double end = fabs(v.pv[0] - plan->plant.pv0);

        v.rest[0] = c.sp - v.pv[0];
        v.ten[0] = 0.1 * end;
        v.ninety[0] = 0.9 * end;
        if (run_blocks(k, plant, &c, 0.0, &v, &t) != RK_OK) return;
    }
    take_run(&c, &v, &t, 0, way, setpoint ? &result->setpoint : &result->load);
    result->last_pv = v.pv[0];
    result->last_out = v.out[0];
}

/* As run_noise; a deadband would hide so small a move, and takes no part. */
static void noise_blocks(const rk_sweep_plan *plan, course c, const rk_settings *settings,
                         rk_model_plant *plant, rk_sweep_result *result)
{
    const rk_limits none = rk_limits_none();
    rk_settings linear = *settings;
    rk_controller k;
    lanes v;
    tally t;

    memset(&v, 0, sizeof v);
    linear.deadband = 0.0;
    linear.sp_rate = HUGE_VAL;
    c.sp = plan->plant.pv0;
    c.load = c.band = 0.0;
    if (rk_controller_create(&linear, &none, model_of(plan), plan->ts, &k, NULL) != RK_OK)
        return;
    if (run_blocks(&k, plant, &c, 1.0, &v, &t) == RK_OK) {
        result->noise =
            (rk_sweep_noise){plan->noise * sqrt(t.square[0]), plan->noise * sqrt(t.effort[0])};
    }
    rk_controller_free(&k);
}

static void sweep_blocks(const rk_sweep_plan *plan, const course *c,
                         const rk_settings *settings, rk_sweep_result *result)
{
    const rk_model late = rk_model_delayed(&plan->plant, plan->delay);
    rk_controller k;
    rk_model_plant plant;

    if (rk_controller_create(settings, &plan->limits, model_of(plan), plan->ts, &k, NULL) !=
        RK_OK) {
        return;
    }
    if (rk_model_plant_create(&late, plan->ts, &plant, NULL) == RK_OK) {
        if (plan->sp_step != 0) {
            step_blocks(plan, *c, settings, true, &k, &plant, result);
        }
        if (plan->load_step != 0) {
            step_blocks(plan, *c, settings, false, &k, &plant, result);
        }
        if (plan->noise > 0) {
            noise_blocks(plan, *c, settings, &plant, result);
        }
        rk_model_plant_free(&plant);
    }
    rk_controller_free(&k);
}

static void sweep_group(const rk_sweep_plan *plan, const course *c, const rk_settings *settings,
                        size_t count, rk_sweep_result *results)
{
    bool runs[LANES];
    lanes start;
    size_t l, usable = LANES;

    memset(&start, 0, sizeof start);
    for (l = 0; l < LANES; l++) {
        runs[l] = l < count && fits_lanes(&settings[l]) &&
                  load_lane(&start, &settings[l], plan, (int)l);
        usable = runs[l] ? l : usable;
        if (l < count) {
            results[l] = nothing();
        }
        if (l < count && !fits_lanes(&settings[l])) {
            sweep_blocks(plan, c, &settings[l], &results[l]);
        }
    }
    if (usable == LANES) return;
    for (l = 0; l < LANES; l++) {
        if (!runs[l]) {
            (void)load_lane(&start, &settings[usable], plan, (int)l);
        }
    }
    if (plan->sp_step != 0) {
        run_step(plan, *c, &start, true, settings, runs, results);
    }
    if (plan->load_step != 0) {
        run_step(plan, *c, &start, false, settings, runs, results);
    }
    if (plan->noise > 0) {
        run_noise(plan, *c, &start, runs, results);
    }
}

/* Each part has delay memory of its own. */
static void sweep_part(void *user, int part, size_t first, size_t last)
{
    const sweep *s = user;
    course c = s->c;
    size_t i;

    c.ring += (size_t)part * (c.plant->delay + 1);
    for (i = first; i < last; i += LANES) {
        sweep_group(s->plan, &c, &s->settings[i], last - i < LANES ? last - i : LANES,
                    &s->results[i]);
    }
}

/* A run of more scans than this is a mistake in its units. */
#define SCANS_MOST 1e7

static rk_status check_plan(const rk_sweep_plan *p, rk_diag *diag)
{
    rk_status status = rk_model_check(&p->plant, diag);

    if (status == RK_OK) {
        status = rk_limits_check(&p->limits, diag);
    }
    if (status != RK_OK) return status;
    if (!(p->ts > 0) || !(p->duration > 0) || !(p->duration / p->ts <= SCANS_MOST)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "a sweep of %g s at a scan of %g s: give times above 0, at most %g scans",
            p->duration, p->ts, SCANS_MOST);
    }
    if (!(p->delay >= 0) || isinf(p->delay)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a delay of %g s: give 0 or more", p->delay);
    }
    if (!isfinite(p->sp_step) || !isfinite(p->load_step) || !(p->band > 0) ||
        !(p->noise >= 0) || isinf(p->noise)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a sweep's steps, band and noise: give finite numbers, the last two "
                           "not negative");
    }
    if (!(p->plant.out0 >= p->limits.low && p->plant.out0 <= p->limits.high)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "OUT %g to start from is beyond its limits %g to %g", p->plant.out0,
                           p->limits.low, p->limits.high);
    }
    return RK_OK;
}

rk_status rk_sweep_compute(const rk_sweep_plan *plan, const rk_settings *settings, size_t count,
                           rk_sweep_result *results, rk_diag *diag)
{
    rk_plant_params params;
    sweep s = {.plan = plan, .settings = settings, .results = results};
    int threads;
    rk_status status;

    rk_diag_clear(diag);
    if (plan == NULL || settings == NULL || results == NULL) return RK_ERR_ARG;
    status = check_plan(plan, diag);
    if (status == RK_OK) {
        const rk_model late = rk_model_delayed(&plan->plant, plan->delay);

        status = rk_plant_params_from_model(&late, plan->ts, &params, diag);
    }
    if (status != RK_OK) return status;
    threads = rki_threads(plan->threads);
    s.c = (course){.plant = &params,
                   .low = plan->limits.low,
                   .high = plan->limits.high,
                   .step = plan->limits.rate * plan->ts,
                   .ts = plan->ts,
                   .scans = (size_t)ceil((plan->duration / plan->ts) - 1e-9)};
    s.c.ring = rk_memory_create((size_t)threads * (params.delay + 1), sizeof *s.c.ring);
    if (s.c.ring == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a sweep");
    rki_parallel(count, LANES, threads, sweep_part, &s);
    rk_memory_free(s.c.ring);
    return RK_OK;
}
