/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial/trial.h>

#include <math.h>

#include "trial_metrics.h"

/* Two significant digits, rounded up: a time that reads well. */
static double round_up(double seconds)
{
    double factor = 1.0;

    if (!(seconds > 0) || isinf(seconds)) return seconds;
    for (; seconds / factor >= 100.0; factor *= 10.0) {
        continue;
    }
    if (factor > 1.0) return factor * ceil(seconds / factor);
    for (; seconds * factor < 10.0; factor *= 10.0) {
        continue;
    }
    return ceil(seconds * factor) / factor;
}

/* Whole swings of a train or a sine that are shown. */
#define SWINGS 3.0

/* The slowest case is shown in so many times the quickest one's length, and no case has more
   points than this. */
#define SLOWEST 20.0
#define POINTS_MOST 4e6

/* Of a controller alone: until its integral has repeated P so often, or its derivative faded. */
#define REPEATS 3.0
#define FADED 10.0
enum { SCANS_LEAST = 20 };

static double time_alone(const rk_trial_case *c)
{
    const rk_settings *s = &c->settings;
    const double slow = isfinite(s->ti) ? REPEATS * s->ti : FADED * fmax(s->tf, s->pv_filter);

    return fmax(slow, SCANS_LEAST * c->ts);
}

/* Long enough for all of it. */
static double time_needed(const rk_trial_plan *plan, const rk_trial_case *cases, size_t count)
{
    double settle = 0, quickest = HUGE_VAL, most = HUGE_VAL;
    size_t i;

    for (i = 0; i < count; i++) {
        const double time =
            plan->alone ? time_alone(&cases[i]) : rk_trial_time_to_settle(&cases[i]);

        settle = fmax(settle, time);
        quickest = fmin(quickest, time);
        most = fmin(most, POINTS_MOST * rki_trial_step(&cases[i]));
    }
    settle = fmin(fmin(settle, SLOWEST * quickest), most);
    settle = round_up(settle + (plan->shape == RK_SETPOINT_SHAPE_RAMP ? plan->sp_time : 0.0));
    if (plan->shape == RK_SETPOINT_SHAPE_TRAIN || plan->shape == RK_SETPOINT_SHAPE_SINE) {
        settle = fmax(settle, SWINGS * plan->sp_time);
    }
    return plan->sp_step != 0 && plan->load_step != 0 ? 2.0 * settle : settle;
}

rk_trial_plan rk_trial_plan_make(void)
{
    const double none = nan("");

    return (rk_trial_plan){.sp_step = none,
                           .sp_at = none,
                           .load_step = none,
                           .load_at = none,
                           .noise = none,
                           .duration = none,
                           .band = none};
}

void rk_trial_plan_complete(rk_trial_plan *plan, const rk_design *loop,
                            const rk_trial_case *cases, size_t count)
{
    const bool said = !isnan(plan->sp_step) || !isnan(plan->load_step);
    const double usual = isnan(loop->pv_low) ? 1.0 : 0.05 * (loop->pv_high - loop->pv_low);

    if (isnan(plan->sp_step)) {
        plan->sp_step = said ? 0.0 : usual;
    }
    if (isnan(plan->load_step)) {
        plan->load_step = said ? 0.0 : -usual / fabs(loop->model.gain);
    }
    if (isnan(plan->noise)) {
        plan->noise = 0.0;
    }
    if (isnan(plan->band)) {
        plan->band = 0.02;
    }
    if (isnan(plan->sp_at)) {
        plan->sp_at = 0.0;
    }
    if (isnan(plan->duration)) {
        plan->duration = plan->sp_at + time_needed(plan, cases, count);
    }
    if (isnan(plan->load_at)) {
        plan->load_at = plan->sp_step != 0 ? 0.5 * (plan->sp_at + plan->duration) : 0.0;
    }
}
