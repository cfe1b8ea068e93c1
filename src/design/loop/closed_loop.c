/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/closed_loop.h>

#include <math.h>
#include <string.h>

#include <redkettle/design/base/memory.h>

/* What the block needs for its modes and limits where a switch decides in automatic. */
static rk_status on_off_params(const rk_settings *s, const rk_limits *limits, double ts,
                               rk_pid_params *params, rk_diag *diag)
{
    const rk_limits none = rk_limits_none();

    if (!(limits->low > none.low) || !(limits->high < none.high)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "on-off needs the output limits that it switches between: give low "
                           "and high of [out]");
    }
    *params = rk_pid_params_make();
    params->ts = ts;
    params->kc = s->kc < 0 ? -1.0 : 1.0;
    params->ti = HUGE_VAL;
    params->out_lo = params->out_safe = limits->low;
    params->out_hi = limits->high;
    params->out_rate = limits->rate;
    return RK_OK;
}

/* Without integral action: where OUT stands without an error, and how fast it goes there. */
static rk_status take_bias(const rk_settings *s, const rk_model *model, rk_pid_params *params,
                           rk_diag *diag)
{
    double tt = s->tt;

    if ((isnan(s->bias) || !(tt > 0)) && model == NULL) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "without integral action the controller needs a bias, and a "
                           "tracking-time with which OUT goes there: give them, or a model");
    }
    if (!(tt > 0)) {
        tt = rk_model_slowest(model) + model->dead_time;
        if (rk_model_kind_integrates(model->kind)) {
            tt += 1.0 / fabs(s->kc * model->gain);
        }
    }
    params->biased = true;
    params->bias = isnan(s->bias) ? model->out0 : s->bias;
    params->tt = fmax(tt, params->ts);
    return RK_OK;
}

rk_status rk_settings_pid_params(const rk_settings *settings, const rk_limits *limits,
                                 const rk_model *model, double ts, rk_pid_params *params,
                                 rk_diag *diag)
{
    const rk_settings *s = settings;
    rk_pid_params made;
    rk_status status = rk_settings_check(s, diag);

    if (status == RK_OK) {
        status = rk_limits_check(limits, diag);
    }
    if (status != RK_OK) return status;
    if (params == NULL) return RK_ERR_ARG;
    if (!(ts > 0) || isinf(ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "scan %g s: give a scan interval above 0", ts);
    }
    if (s->predictor && (model == NULL || rk_model_kind_integrates(model->kind))) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            model == NULL ? "the predictor needs a model: fit a record, or give one"
                          : "the predictor refuses an integrating model: it would leave an "
                            "offset after a load");
    }
    if (rk_settings_is_on_off(s)) return on_off_params(s, limits, ts, params, diag);
    if (!(s->ti >= ts)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "ti %g s is shorter than the scan of %g s: scan faster or raise ti",
                           s->ti, ts);
    }
    if (s->tt > 0 && s->tt < ts) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "tracking time %g s is shorter than the scan of %g s: raise it",
                           s->tt, ts);
    }
    if (s->algorithm == RK_ALGORITHM_VELOCITY && isinf(s->ti)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "the velocity algorithm needs integral action: give ti, or take the "
                           "position algorithm");
    }
    if (s->derivative == RK_SCHEME_FORWARD) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "the derivative by forward differences needs the next scan's value: "
                           "take backward or trapezoid");
    }
    if (s->derivative == RK_SCHEME_TRAPEZOID && s->td > 0 && 2.0 * s->tf < ts) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "the derivative by the trapezoid swings with a tf of %g s below half the "
            "scan of %g s: raise tf, or take backward",
            s->tf, ts);
    }
    made = rk_pid_params_make();
    made.ts = ts;
    made.kc = s->kc;
    made.ti = s->ti;
    made.td = s->td;
    made.tf = s->tf;
    made.sp_weight = s->sp_weight;
    made.d_sp_weight = s->d_sp_weight;
    made.deadband = s->deadband;
    made.sp_rate = s->sp_rate;
    made.out_lo = limits->low;
    made.out_hi = limits->high;
    made.out_rate = limits->rate;
    made.out_safe = limits->low;
    made.anti_windup = s->anti_windup;
    made.integral = s->integral;
    made.derivative = s->derivative;
    made.algorithm = s->algorithm;
    made.tt = fmax(rk_settings_tracking_time(s), ts);
    if (isinf(s->ti)) {
        status = take_bias(s, model, &made, diag);
    }
    if (status == RK_OK) {
        *params = made;
    }
    return status;
}

static rk_status make_predictor(rk_controller *c, const rk_model *model, rk_diag *diag)
{
    rk_param_error error;
    rk_status status;

    status = rk_predictor_params_from_model(model, c->params.ts, &c->whole, &c->quick, diag);
    if (status != RK_OK) return status;
    error = rk_predictor_param_error(&c->whole, &c->quick, model->out0);
    if (error != RK_PARAM_ERROR_NONE) {
        return rk_diag_set(diag, RK_ERR_RANGE, "the predictor refuses its model: %s",
                           rk_param_error_text(error));
    }
    c->memory = rk_memory_create(c->whole.delay + 2, sizeof *c->memory);
    if (c->memory != NULL) return RK_OK;
    return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a predictor");
}

rk_status rk_controller_create(const rk_settings *settings, const rk_limits *limits,
                               const rk_model *model, double ts, rk_controller *c,
                               rk_diag *diag)
{
    rk_controller made;
    rk_status status;

    rk_diag_clear(diag);
    if (settings == NULL || limits == NULL || c == NULL) return RK_ERR_ARG;
    memset(&made, 0, sizeof made);
    status = rk_settings_pid_params(settings, limits, model, ts, &made.params, diag);
    if (status != RK_OK) return status;
    made.pv_filter = settings->pv_filter;
    made.two_position = rk_settings_is_on_off(settings);
    made.switching = (rk_on_off_params){
        .ts = ts, .hysteresis = settings->on_off, .direct = settings->kc < 0};
    if (settings->predictor) {
        status = make_predictor(&made, model, diag);
        if (status != RK_OK) return status;
    }
    *c = made;
    return RK_OK;
}

rk_status rk_controller_start(rk_controller *c, double out)
{
    rk_status status = c != NULL ? rk_pid_init(&c->pid, &c->params, out) : RK_ERR_ARG;

    if (status == RK_OK) {
        status = rk_filter_init(&c->filter, c->pv_filter, c->params.ts);
    }
    if (status == RK_OK && c->memory != NULL) {
        status = rk_predictor_init(&c->predictor, &c->whole, &c->quick, c->memory,
                                   c->whole.delay + 2, out);
    }
    if (status == RK_OK && c->two_position) { /* it is on where the valve is nearer to that */
        status = rk_on_off_init(&c->on_off, &c->switching,
                                out - c->params.out_lo > c->params.out_hi - out);
    }
    return status;
}

rk_status rk_controller_reset(rk_controller *c, double pv, double out)
{
    rk_status status = rk_controller_start(c, out);

    if (status == RK_OK) {
        status = rk_pid_reset(&c->pid, pv, pv, out);
    }
    if (status == RK_OK) {
        (void)rk_filter_scan(&c->filter, pv);
    }
    return status;
}

/* In automatic the switch leads the block. */
static double switched(rk_controller *c, double sp, double pv)
{
    const double wanted =
        rk_on_off_scan(&c->on_off, sp, pv) ? c->params.out_hi : c->params.out_lo;
    double out;

    rk_pid_set_tracking(&c->pid, wanted);
    out = rk_pid_scan(&c->pid, sp, pv);
    rk_pid_set_auto(&c->pid);
    return out;
}

double rk_controller_scan(rk_controller *c, double sp, double pv)
{
    double seen = rk_is_finite(pv) ? rk_filter_scan(&c->filter, pv) : pv;

    if (c->memory != NULL) {
        seen = rk_predictor_scan(&c->predictor, seen, c->pid.out);
    }
    if (c->two_position && c->pid.mode == RK_PID_AUTO && rk_is_finite(sp) &&
        rk_is_finite(seen)) {
        return switched(c, sp, seen);
    }
    return rk_pid_scan(&c->pid, sp, seen);
}

void rk_controller_free(rk_controller *c)
{
    rk_memory_free(c->memory);
    c->memory = NULL;
}

void rk_controller_mode(rk_controller *c, bool automatic, double manual_out)
{
    if (automatic) {
        rk_pid_set_auto(&c->pid);
    } else {
        rk_pid_set_manual(&c->pid, manual_out);
    }
}

rk_status rk_model_plant_create(const rk_model *model, double step, rk_model_plant *plant,
                                rk_diag *diag)
{
    rk_model_plant made = {.memory = NULL};
    rk_plant_params params;
    rk_status status;

    rk_diag_clear(diag);
    if (plant == NULL) return RK_ERR_ARG;
    status = rk_plant_params_from_model(model, step, &params, diag);
    if (status != RK_OK) return status;
    made.memory = rk_memory_create(params.delay + 1, sizeof *made.memory);
    if (made.memory == NULL) {
        return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a dead time of %zu steps",
                           params.delay);
    }
    status = rk_plant_init(&made.plant, &params, made.memory, params.delay + 1, params.out0);
    if (status != RK_OK) {
        rk_memory_free(made.memory);
        return rk_diag_set(
            diag, status,
            "time constant %g s cannot be simulated in steps of %g s: raise the scan",
            rk_model_quickest(model), step);
    }
    *plant = made;
    return RK_OK;
}

void rk_model_plant_reset(rk_model_plant *plant)
{
    const rk_plant_params params = plant->plant.params;

    (void)rk_plant_init(&plant->plant, &params, plant->memory, params.delay + 1, params.out0);
}

void rk_model_plant_free(rk_model_plant *plant)
{
    rk_memory_free(plant->memory);
    plant->memory = NULL;
}
