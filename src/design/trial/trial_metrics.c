/* SPDX-License-Identifier: MIT */
/*
 * What a run shows. The value that PV settles at is not read off the run's end but computed
 * from the steady state of loop and limits, so that a run cut short is known as such; rise,
 * settling and overshoot are measured against it, entries into bands by linear interpolation
 * between points that are close enough for that. The criteria integrate the plant's response
 * between the scans too, its error taken as linear from point to point, a change of sign within
 * included.
 */
#include "trial_metrics.h"

#include <math.h>

/* A piece of a run: points first..last. */
typedef struct window {
    const double *pv, *sp; /* a point, and a scan of so many points */
    size_t first, last, per_scan;
    double step;
} window;

/* Without integral action: OUT where there is no error. */
static double bias_of(const rk_trial_case *c)
{
    return isnan(c->settings.bias) ? c->plant.out0 : c->settings.bias;
}

static bool has_integral(const rk_trial_case *c)
{
    return isfinite(c->settings.ti) || rk_settings_is_on_off(&c->settings);
}

/* An integrator rests only where OUT takes up the load; NaN: OUT cannot, or nobody lets it. */
static double settled_integrator(const rk_trial_case *c, double sp, double load)
{
    const rk_model *m = &c->plant;
    const rk_settings *s = &c->settings;
    const double out = m->out0 - load;

    if (c->manual) return c->manual_out == out ? m->pv0 : nan("");
    if (!(out >= c->limits.low && out <= c->limits.high)) return nan("");
    if (has_integral(c)) return sp;
    return (s->sp_weight * sp) + ((bias_of(c) - out) / s->kc);
}

double rki_settled_pv(const rk_trial_case *c, double sp, double load, double at_output)
{
    const rk_model *m = &c->plant;
    const rk_settings *s = &c->settings;
    double out;

    if (rk_model_kind_integrates(m->kind)) return settled_integrator(c, sp, load);
    if (c->manual) {
        out = c->manual_out;
    } else if (has_integral(c)) {
        out = m->out0 + ((sp - at_output - m->pv0) / m->gain) - load;
    } else { /* out = bias + kc (b sp - pv) and pv = pv0 + gain (out + load - out0) + at_output */
        const double stands = m->pv0 + (m->gain * (load - m->out0)) + at_output;

        out =
            (bias_of(c) + (s->kc * ((s->sp_weight * sp) - stands))) / (1.0 + (s->kc * m->gain));
    }
    out = rk_clamp(out, c->limits.low, c->limits.high);
    return m->pv0 + (m->gain * (out + load - m->out0)) + at_output;
}

/* Time, from the window's start, at which PV first reaches a level in a direction; NaN if
 * never. */
static double first_reach(const window *w, double level, bool rising)
{
    size_t i;

    for (i = w->first; i <= w->last; i++) {
        if (rising ? w->pv[i] >= level : w->pv[i] <= level) {
            double part = 1.0;

            if (i == w->first) return 0.0;
            part = (level - w->pv[i - 1]) / (w->pv[i] - w->pv[i - 1]);
            return w->step * ((double)(i - 1 - w->first) + part);
        }
    }
    return nan("");
}

/* Time of the last entry into value +- half; NaN if PV is outside at the end. */
static double last_entry(const window *w, double value, double half)
{
    size_t i = w->last;
    double edge;

    if (!(fabs(w->pv[i] - value) <= half)) return nan("");
    while (i > w->first && fabs(w->pv[i - 1] - value) <= half) {
        i--;
    }
    if (i == w->first) return 0.0;
    edge = w->pv[i - 1] > value ? value + half : value - half;
    return w->step *
           ((double)(i - 1 - w->first) + ((edge - w->pv[i - 1]) / (w->pv[i] - w->pv[i - 1])));
}

static double most_beyond(const window *w, double value, bool above)
{
    double most = 0;
    size_t i;

    for (i = w->first; i <= w->last; i++) {
        most = fmax(most, above ? w->pv[i] - value : value - w->pv[i]);
    }
    return most;
}

/* Integrals of |e|, e^2 and t |e| over a window, e linear between the points. */
static void integrate(const window *w, double *iae, double *ise, double *itae)
{
    const double h = w->step;
    size_t i;

    *iae = *ise = *itae = 0;
    for (i = w->first; i < w->last; i++) {
        const double sp = w->sp[i / w->per_scan];
        const double a = sp - w->pv[i], b = sp - w->pv[i + 1];
        const double t = h * (double)(i - w->first);

        *ise += h * ((a * a) + (a * b) + (b * b)) / 3.0;
        if (a * b >= 0) {
            *iae += h * 0.5 * fabs(a + b);
            *itae += h * ((t * 0.5 * fabs(a + b)) + (h * fabs(a + (2.0 * b)) / 6.0));
        } else { /* two triangles that meet where e is 0 */
            const double cut = h * a / (a - b), rest = h - cut;

            *iae += 0.5 * ((cut * fabs(a)) + (rest * fabs(b)));
            *itae += (0.5 * cut * fabs(a) * (t + (cut / 3.0))) +
                     (0.5 * rest * fabs(b) * (t + h - (rest / 3.0)));
        }
    }
}

/* Who has just come into the band may leave it again: PV's own time must pass. */
static bool is_cut_short(const window *w, const rk_trial_case *c, double since)
{
    const double own = c->plant.dead_time + c->delay + rk_model_slowest(&c->plant);

    return since > 0 && (w->step * (double)(w->last - w->first)) - since < own;
}

/* With a deadband PV may rest anywhere within it: where it ends is where it rests, if it rests.
 */
static double resting_pv(const window *w, const rk_trial_case *c, double sp)
{
    return c->settings.deadband > 0 && !c->manual ? w->pv[w->last]
                                                  : rki_settled_pv(c, sp, 0.0, 0.0);
}

static void measure_setpoint(const window *w, const rk_trial_case *c, const rk_trial_plan *plan,
                             rk_setpoint_metrics *m)
{
    const double start = w->pv[w->first], sp = c->plant.pv0 + plan->sp_step;
    const double value = resting_pv(w, c, sp), way = value - start;
    const bool up = way > 0;
    const double ten = first_reach(w, start + (0.1 * way), up);

    integrate(w, &m->iae, &m->ise, &m->itae);
    m->steady_error = sp - value;
    m->rise_time = m->overshoot_percent = m->settling_time = nan("");
    if (plan->shape == RK_SETPOINT_SHAPE_SINE) {
        m->steady_error = nan("");
        return;
    }
    m->rise_time = first_reach(w, start + (0.9 * way), up) - ten;
    m->overshoot_percent = way != 0 ? 100.0 * most_beyond(w, value, up) / fabs(way) : 0.0;
    m->settling_time = last_entry(w, value, plan->band * fabs(way));
    m->cut_short = is_cut_short(w, c, m->settling_time);
    if (m->cut_short) {
        m->settling_time = nan("");
    }
    if (m->cut_short && c->settings.deadband > 0) { /* it does not rest yet */
        m->steady_error = m->overshoot_percent = m->rise_time = nan("");
    }
}

static void measure_load(const window *w, const rk_trial_case *c, const rk_trial_plan *plan,
                         rk_load_metrics *m)
{
    const bool moves =
        plan->shape == RK_SETPOINT_SHAPE_TRAIN || plan->shape == RK_SETPOINT_SHAPE_SINE;
    const double before = w->pv[w->first];
    const double value = rki_settled_pv(c, w->sp[w->first / w->per_scan], 0.0, 0.0);
    double ise, itae, way, half;

    m->peak_deviation = fmax(most_beyond(w, before, true), most_beyond(w, before, false));
    way = plan->sp_step != 0 ? fabs(plan->sp_step) : m->peak_deviation;
    half = plan->load_band > 0 ? plan->load_band : plan->band * way;
    m->recovery_time = last_entry(w, value, half + c->settings.deadband);
    m->cut_short = is_cut_short(w, c, m->recovery_time);
    if (m->cut_short || moves) {
        m->recovery_time = nan("");
    }
    integrate(w, &m->iae, &ise, &itae);
}

/* A turn smaller than this part of OUT's largest excursion is no movement that a valve would
 * make. */
#define STILL 1e-3

static void measure_out(const rki_curves *curves, const rk_trial_case *c, rk_trial_metrics *m)
{
    double last = c->plant.out0, turn = last, excursion = 0;
    int direction = 0;
    size_t i;

    for (i = 0; i < curves->scans; i++) {
        excursion = fmax(excursion, fabs(curves->out[i] - c->plant.out0));
    }
    for (i = 0; i < curves->scans; i++) {
        const double out = curves->out[i];

        m->travel += fabs(out - last);
        m->largest_move = fmax(m->largest_move, fabs(out - last));
        if (out <= c->limits.low || out >= c->limits.high) {
            m->saturated_time += curves->ts;
        }
        if (direction * (out - turn) >= 0) { /* going on, or the first move */
            if (direction == 0 && out != turn) {
                direction = out > turn ? 1 : -1;
            }
            turn = out;
        } else if (fabs(out - turn) > STILL * excursion) {
            direction = -direction;
            m->reversals++;
            turn = out;
        }
        last = out;
    }
}

/* A controller alone: what it does at once, in all, and where it is going at the end. */
static void measure_alone(const rki_curves *curves, const rk_trial_case *c, rk_trial_metrics *m)
{
    const size_t per_scan = (curves->points - 1) / curves->scans;
    const size_t first = curves->sp_point / per_scan, last = curves->scans - 1;
    const double before = first > 0 ? curves->out[first - 1] : c->plant.out0;

    m->first_move = curves->out[first] - before;
    m->last_move = curves->out[last] - before;
    m->slope = last > first ? (curves->out[last] - curves->out[last - 1]) / curves->ts : 0.0;
}

/* A train's first swing ends where the setpoint goes back. */
static size_t first_window_end(const rki_curves *curves, const rk_trial_plan *plan, size_t end)
{
    const double swing = (double)curves->sp_point + (0.5 * plan->sp_time / curves->step);

    return plan->shape == RK_SETPOINT_SHAPE_TRAIN && swing < (double)end ? (size_t)swing : end;
}

void rki_trial_measure(const rki_curves *curves, const rk_trial_case *trial_case,
                       const rk_trial_plan *plan, rk_trial_metrics *metrics)
{
    const bool load =
        plan->load_step != 0 && curves->load_point < curves->points && !plan->alone;
    const bool setpoint =
        plan->sp_step != 0 && curves->sp_point < curves->points && !plan->alone;
    const size_t end = curves->points - 1, per_scan = end / curves->scans;
    const bool load_last = load && (!setpoint || curves->load_point >= curves->sp_point);
    const window moved = {
        curves->pv,       curves->sp,
        curves->sp_point, first_window_end(curves, plan, load_last ? curves->load_point : end),
        per_scan,         curves->step};
    const window loaded = {curves->pv,         curves->sp,
                           curves->load_point, setpoint && !load_last ? curves->sp_point : end,
                           per_scan,           curves->step};
    rk_trial_metrics made = {.settling_needs = nan("")};
    double shown = HUGE_VAL;

    made.has_setpoint = setpoint;
    made.has_load = load;
    if (setpoint) {
        measure_setpoint(&moved, trial_case, plan, &made.setpoint);
        shown = curves->step * (double)(moved.last - moved.first);
    }
    if (load) {
        measure_load(&loaded, trial_case, plan, &made.load);
        shown = fmin(shown, curves->step * (double)(loaded.last - loaded.first));
    }
    if (shown < rk_trial_time_to_settle(trial_case) &&
        ((setpoint && isnan(made.setpoint.settling_time)) ||
         (load && isnan(made.load.recovery_time)))) {
        made.settling_needs = rk_trial_time_to_settle(trial_case);
    }
    measure_out(curves, trial_case, &made);
    if (plan->alone) {
        measure_alone(curves, trial_case, &made);
    }
    *metrics = made;
}
