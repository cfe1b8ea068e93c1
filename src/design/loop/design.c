/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/design.h>

#include <redkettle/design/loop/closed_loop.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include "design/base/words.h"

static const char *const action_words[] = {"direct", "reverse", NULL};

const char *rk_action_to_text(rk_action action)
{
    return action == RK_ACTION_NOT_SAID ? "not said" : rki_word(action_words, (int)action - 1);
}

rk_status rk_action_from_text(const char *text, rk_action *action, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || action == NULL) return RK_ERR_ARG;
    status = rki_word_find(action_words, "action", text, &found, diag);
    if (status == RK_OK) {
        *action = (rk_action)(found + 1);
    }
    return status;
}

static const char *const order_words[] = {"by-file", "day-first", "month-first", NULL};

const char *rk_date_order_to_text(rk_date_order order)
{
    return rki_word(order_words, (int)order);
}

rk_status rk_date_order_from_text(const char *text, rk_date_order *order, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || order == NULL) return RK_ERR_ARG;
    status = rki_word_find(order_words, "order of dates", text, &found, diag);
    if (status == RK_OK) {
        *order = (rk_date_order)found;
    }
    return status;
}

/* A name of a loop, and what stands behind it. */
#define NAME_LENGTH 53.0
/* A heartbeat may stand still so long, s: longer than a network's hiccup, shorter than a plant's. */
#define HEARTBEAT_TIME 2.0

rk_design rk_design_make(void)
{
    const double none = nan("");
    rk_design made;

    memset(&made, 0, sizeof made);
    strcpy(made.name, "loop");
    strcpy(made.pv_units, "pv-EU");
    strcpy(made.out_units, "out-EU");
    made.ts = none;
    made.pv_low = made.pv_high = made.out_low = made.out_high = none;
    made.out_rate = HUGE_VAL;
    made.out_safe = none;
    made.moved_at = made.move = made.out_start = none;
    made.noise = made.ultimate_gain = made.ultimate_period = none;
    made.alarms = (rk_alarm_limits){none, none, none, none, none, none};
    made.gain95[0] = made.gain95[1] = none;
    made.tau95[0][0] = made.tau95[0][1] = made.tau95[1][0] = made.tau95[1][1] = none;
    made.dead_time95[0] = made.dead_time95[1] = none;
    made.covariance.c[0][0] = none;
    made.lambda = none;
    made.reduction_percent = none;
    made.settings = rk_settings_make(none, HUGE_VAL, 0.0, 0.0);
    made.given = rk_given_settings_make();
    made.requirements = rk_requirements_default();
    made.plant = rk_plant_design_make();
    made.program.configuration = RK_YES;
    made.program.name_length = NAME_LENGTH;
    made.program.heartbeat_time = HEARTBEAT_TIME;
    made.program.pv_raw[0] = made.program.pv_raw[1] = none;
    made.program.out_raw[0] = made.program.out_raw[1] = none;
    made.port = rk_port_design_make();
    return made;
}

static rk_status check_range(const char *what, double low, double high, rk_diag *diag)
{
    if (isnan(low) && isnan(high)) return RK_OK;
    if (isnan(low) || isnan(high)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%s range: give both low and high", what);
    }
    if (!isfinite(low) || !isfinite(high) || !(low < high)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "%s range %g to %g is the wrong way round or empty: low must be below high", what,
            low, high);
    }
    return RK_OK;
}

static rk_status check_signs(const rk_design *loop, rk_diag *diag)
{
    const double kc = loop->settings.kc;

    if (loop->action == RK_ACTION_DIRECT && kc > 0) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "kc %g makes OUT fall as PV rises, but the action is said to be direct: "
            "give kc a minus, or correct the action",
            kc);
    }
    if (loop->action == RK_ACTION_REVERSE && kc < 0) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "kc %g makes OUT rise with PV, but the action is said to be reverse: "
            "give kc without the minus, or correct the action",
            kc);
    }
    return RK_OK;
}

static rk_status check_steps(const rk_design *loop, rk_diag *diag)
{
    const rk_requirements *r = &loop->requirements;

    if (r->sp_step == 0 || isinf(r->sp_step) || r->load_step == 0 || isinf(r->load_step)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "[require] sp-step %g, load-step %g: give steps that are not 0",
                           r->sp_step, r->load_step);
    }
    if (!isnan(loop->noise) && (!(loop->noise > 0) || isinf(loop->noise))) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "noise %g of PV: give a standard deviation above 0", loop->noise);
    }
    return RK_OK;
}

rk_status rk_design_check(const rk_design *loop, rk_diag *diag)
{
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL) return RK_ERR_ARG;
    if (!isnan(loop->ts) && (!(loop->ts > 0) || isinf(loop->ts))) {
        return rk_diag_set(diag, RK_ERR_RANGE, "scan %g s: give a scan interval above 0",
                           loop->ts);
    }
    if (!(loop->delay_scans >= 0) || isinf(loop->delay_scans)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "a delay of %g scans: give 0 or more",
                           loop->delay_scans);
    }
    if (!(loop->out_rate > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "output rate %g: give out units per second above 0", loop->out_rate);
    }
    status = check_steps(loop, diag);
    if (status != RK_OK) return status;
    status = check_range("PV", loop->pv_low, loop->pv_high, diag);
    if (status == RK_OK) {
        status = check_range("OUT", loop->out_low, loop->out_high, diag);
    }
    if (status == RK_OK && loop->has_model) {
        status = rk_model_check(&loop->model, diag);
    }
    if (status == RK_OK && loop->has_process) {
        status = rk_model_check(&loop->process, diag);
    }
    if (status == RK_OK && loop->has_process && loop->has_model &&
        (loop->process.gain < 0) != (loop->model.gain < 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "[process] gain %g and [model] gain %g have different signs: one of "
                           "them is wrong",
                           loop->process.gain, loop->model.gain);
    }
    if (status == RK_OK && loop->has_process && loop->settings.predictor && isnan(loop->ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "a predictor beside a [process] is judged as it is scanned: give "
                           "[loop] scan");
    }
    if (status == RK_OK) {
        status = rk_program_design_check(loop, diag);
    }
    if (status == RK_OK) {
        status = rk_port_design_check(&loop->port, !isnan(loop->pv_low), !isnan(loop->out_low),
                                      NULL, diag);
    }
    if (status == RK_OK && loop->has_plant) {
        status = rk_plant_design_check(&loop->plant, loop->pv_low, loop->pv_high, diag);
    }
    if (status == RK_OK && loop->has_settings) {
        status = rk_settings_check(&loop->settings, diag);
        if (status == RK_OK) {
            status = check_signs(loop, diag);
        }
    }
    return status;
}

const rk_model *rk_design_process(const rk_design *loop)
{
    return loop->has_process ? &loop->process : &loop->model;
}

bool rk_design_has_out_range(const rk_design *loop)
{
    return !isnan(loop->out_low) && !isnan(loop->out_high);
}

rk_limits rk_design_limits(const rk_design *loop)
{
    rk_limits limits = rk_limits_none();

    limits.rate = loop->out_rate;
    if (!isnan(loop->out_low)) {
        limits.low = loop->out_low;
    }
    if (!isnan(loop->out_high)) {
        limits.high = loop->out_high;
    }
    return limits;
}

/* Steps to judge by, and the noise that OUT may show, as parts of a range. */
#define STEP_PART 0.05
#define NOISE_PART 0.01

/* The step that was said; else a part of the range, to the side where OUT, which moves by so
   much per unit of it, has more room. */
static double step_of(const rk_design *loop, double said, double low, double high, double moves)
{
    const double step = isnan(low) || isnan(high) ? 1.0 : STEP_PART * (high - low);
    const rk_limits limits = rk_design_limits(loop);
    const double out = loop->model.out0 + (moves * step),
                 back = loop->model.out0 - (moves * step);

    if (!isnan(said)) return said;
    return (out < limits.low || out > limits.high) && back >= limits.low && back <= limits.high
               ? -step
               : step;
}

rk_requirements rk_design_requirements(const rk_design *loop)
{
    const bool integrates = rk_model_kind_integrates(rk_design_process(loop)->kind);
    const double gain = loop->has_model ? rk_design_process(loop)->gain : 1.0;
    rk_requirements r = loop->requirements;

    r.sp_step =
        step_of(loop, r.sp_step, loop->pv_low, loop->pv_high, integrates ? 0.0 : 1.0 / gain);
    r.load_step = step_of(loop, r.load_step, loop->out_low, loop->out_high, -1.0);
    if (isnan(r.limit[RK_REQUIRE_OUT_NOISE]) && loop->noise > 0 && !isnan(loop->ts) &&
        rk_design_has_out_range(loop)) {
        r.limit[RK_REQUIRE_OUT_NOISE] = NOISE_PART * (loop->out_high - loop->out_low);
    }
    return r;
}

rk_conditions rk_design_conditions(const rk_design *loop)
{
    const rk_requirements r = rk_design_requirements(loop);
    const double out0 = loop->model.out0;
    rk_conditions c = {.limits = rk_design_limits(loop),
                       .ts = loop->ts,
                       .delay = rk_design_delay(loop),
                       .sp_step = r.sp_step,
                       .load_step = r.load_step,
                       .noise = loop->noise,
                       .known = loop->has_process ? &loop->model : NULL};

    if (!(out0 > c.limits.low && out0 < c.limits.high)) {
        c.limits = rk_limits_none();
        c.limits.rate = loop->out_rate;
    }
    return c;
}

double rk_design_delay(const rk_design *loop)
{
    return isnan(loop->ts) ? 0.0 : loop->delay_scans * loop->ts;
}

const rk_sampling *rk_design_sampling(const rk_design *loop, rk_sampling *room)
{
    const rk_conditions c = {.ts = loop->ts,
                             .delay = rk_design_delay(loop),
                             .known = loop->has_process ? &loop->model : NULL};

    return rk_conditions_sampling(&c, &loop->settings, room);
}

const char *rk_design_require_unit(const rk_design *loop, rk_require what)
{
    switch (rk_require_quantity(what)) {
    case RK_QUANTITY_DEGREES:
        return "deg";
    case RK_QUANTITY_PERCENT:
        return "%";
    case RK_QUANTITY_TIME:
        return "s";
    case RK_QUANTITY_PV:
        return loop->pv_units;
    case RK_QUANTITY_OUT:
        return loop->out_units;
    default:
        return "";
    }
}

double rk_design_gain_pct(const rk_design *loop, double gain)
{
    return gain * (loop->out_high - loop->out_low) / (loop->pv_high - loop->pv_low);
}

double rk_design_kc_pct(const rk_design *loop, double kc)
{
    return kc * (loop->pv_high - loop->pv_low) / (loop->out_high - loop->out_low);
}

void rk_design_gain_unit(const rk_design *loop, rk_model_kind kind,
                         char unit[RK_GAIN_UNIT_CHARS])
{
    const bool fraction = strchr(loop->pv_units, '/') != NULL;
    const bool integrates = rk_model_kind_integrates(kind);

    (void)snprintf(unit, RK_GAIN_UNIT_CHARS, "%s%s%s/%s%s%s", fraction ? "(" : "",
                   loop->pv_units, fraction ? ")" : "", integrates ? "(" : "", loop->out_units,
                   integrates ? " s)" : "");
}

/* Beyond these parts of its range a transmitter says that it has failed (NE 43). */
#define FAILED_LOW 0.025
#define FAILED_HIGH 0.0625

static void take_alarms(const rk_design *loop, rk_loop_params *p)
{
    const rk_alarm_limits *a = &loop->alarms;

    p->pv_low = isnan(a->low) ? p->pv_low : a->low;
    p->pv_high = isnan(a->high) ? p->pv_high : a->high;
    p->deviation = isnan(a->deviation) ? p->deviation : a->deviation;
    p->alarm_gap = isnan(a->gap) ? p->alarm_gap : a->gap;
    p->stale_time = isnan(a->stale) ? p->stale_time : a->stale;
    p->hold_time = isnan(a->hold) ? p->hold_time : a->hold;
    if (!isnan(loop->pv_low)) {
        const double span = loop->pv_high - loop->pv_low;

        p->pid.pv_lo = loop->pv_low - (FAILED_LOW * span);
        p->pid.pv_hi = loop->pv_high + (FAILED_HIGH * span);
    }
}

rk_status rk_design_block_params(const rk_design *loop, rk_loop_params *params, rk_diag *diag)
{
    rk_loop_params made = rk_loop_params_make();
    rk_limits limits;
    rk_param_error error;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || params == NULL) return RK_ERR_ARG;
    if (isnan(loop->ts) || !loop->has_settings || !rk_design_has_out_range(loop)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "no %s: a loop needs it to run",
                           isnan(loop->ts)       ? "scan interval ([loop] scan)"
                           : !loop->has_settings ? "settings ([settings])"
                                                 : "output range ([out] low and high)");
    }
    limits = rk_design_limits(loop);
    status =
        rk_settings_pid_params(&loop->settings, &limits, loop->has_model ? &loop->model : NULL,
                               loop->ts, &made.pid, diag);
    if (status != RK_OK) return status;
    made.pv_filter = loop->settings.pv_filter;
    made.pid.out_safe = isnan(loop->out_safe) ? limits.low : loop->out_safe;
    take_alarms(loop, &made);
    if (made.hold_time < RK_REAL_MAX && isnan(loop->out_safe)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "[alarm] hold needs a safe output to go to: give [out] safe");
    }
    error = rk_loop_param_error(&made, 0.0, limits.low);
    if (error == RK_PARAM_ERROR_NONE && !isnan(loop->out_safe) &&
        !(loop->out_safe >= limits.low && loop->out_safe <= limits.high)) {
        error = RK_PARAM_ERROR_OUT_SAFE;
    }
    if (error != RK_PARAM_ERROR_NONE) {
        return rk_diag_set(diag, RK_ERR_RANGE, "the loop cannot run: %s",
                           rk_param_error_text(error));
    }
    *params = made;
    return RK_OK;
}

rk_other_settings rk_other_settings_make(void)
{
    const double none = nan("");
    const rk_other_settings made = {none, none, none, none};

    return made;
}

static rk_status check_other(const rk_design *loop, const rk_other_settings *o,
                             const char *mark, const rk_given_settings *given, rk_diag *diag)
{
    const bool of_span = !isnan(o->band) || !isnan(o->kc_percent);

    if (of_span && (!isnan(given->kc) || (!isnan(o->band) && !isnan(o->kc_percent)))) {
        return rk_diag_set(diag, RK_ERR_RANGE, "give one of %skc, %sband and %skc-percent",
                           mark, mark, mark);
    }
    if (!isnan(o->repeats) && !isnan(given->ti)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "give %sti or %srepeats, not both", mark, mark);
    }
    if (!isnan(o->filter_ratio) && !isnan(given->tf)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "give %stf or %stf-ratio, not both", mark, mark);
    }
    if (of_span && (isnan(loop->pv_low) || isnan(loop->out_low))) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "percent needs both ranges: give [pv] and [out] low and high in a loop file");
    }
    if (!isnan(o->band) && !(o->band > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%sband %g: give a value above 0", mark,
                           o->band);
    }
    if (!isnan(o->repeats) && !(o->repeats > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%srepeats %g: give a value above 0", mark,
                           o->repeats);
    }
    if (!isnan(o->filter_ratio) && (!(o->filter_ratio > 0) || isnan(given->td))) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%stf-ratio: give a value above 0, and %std",
                           mark, mark);
    }
    return RK_OK;
}

rk_status rk_design_convert_given(const rk_design *loop, const rk_other_settings *other,
                                  const char *mark, rk_given_settings *given, rk_diag *diag)
{
    double span, sign = 1.0;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || other == NULL || mark == NULL || given == NULL) return RK_ERR_ARG;
    status = check_other(loop, other, mark, given, diag);
    if (status != RK_OK) return status;
    if (!isnan(other->band) && loop->action == RK_ACTION_NOT_SAID && !loop->has_model) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "%sband has no sign: give [loop] action, or a model whose gain tells it", mark);
    }
    if (loop->action == RK_ACTION_DIRECT) {
        sign = -1.0;
    } else if (loop->action == RK_ACTION_NOT_SAID) {
        sign = copysign(1.0, loop->model.gain);
    }
    span = (loop->out_high - loop->out_low) / (loop->pv_high - loop->pv_low);
    if (!isnan(other->band)) {
        given->kc = sign * 100.0 / other->band * span;
    }
    if (!isnan(other->kc_percent)) {
        given->kc = other->kc_percent * span;
    }
    if (!isnan(other->repeats)) {
        given->ti = 60.0 / other->repeats;
    }
    if (!isnan(other->filter_ratio)) {
        given->tf = given->td / other->filter_ratio;
    }
    return RK_OK;
}
