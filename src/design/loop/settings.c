/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/settings.h>

#include <math.h>
#include <stdbool.h>
#include <stddef.h>
#include <string.h>

#include "design/base/words.h"

static const char *const anti_windup_words[] = {"none", "conditional", "back-calculation",
                                                NULL};
static const char *const scheme_words[] = {"backward", "trapezoid", "forward", NULL};
static const char *const algorithm_words[] = {"position", "velocity", NULL};
static const char *const form_words[] = {"ideal", "series", "parallel", NULL};

const char *rk_anti_windup_to_text(rk_anti_windup way)
{
    return rki_word(anti_windup_words, (int)way);
}

rk_status rk_anti_windup_from_text(const char *text, rk_anti_windup *way, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || way == NULL) return RK_ERR_ARG;
    status = rki_word_find(anti_windup_words, "anti-windup", text, &found, diag);
    if (status == RK_OK) {
        *way = (rk_anti_windup)found;
    }
    return status;
}

const char *rk_scheme_to_text(rk_scheme scheme)
{
    return rki_word(scheme_words, (int)scheme);
}

rk_status rk_scheme_from_text(const char *text, rk_scheme *scheme, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || scheme == NULL) return RK_ERR_ARG;
    status = rki_word_find(scheme_words, "scheme", text, &found, diag);
    if (status == RK_OK) {
        *scheme = (rk_scheme)found;
    }
    return status;
}

const char *rk_algorithm_to_text(rk_algorithm algorithm)
{
    return rki_word(algorithm_words, (int)algorithm);
}

rk_status rk_algorithm_from_text(const char *text, rk_algorithm *algorithm, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || algorithm == NULL) return RK_ERR_ARG;
    status = rki_word_find(algorithm_words, "algorithm", text, &found, diag);
    if (status == RK_OK) {
        *algorithm = (rk_algorithm)found;
    }
    return status;
}

const char *rk_form_to_text(rk_form form)
{
    return rki_word(form_words, (int)form);
}

rk_status rk_form_from_text(const char *text, rk_form *form, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || form == NULL) return RK_ERR_ARG;
    status = rki_word_find(form_words, "controller form", text, &found, diag);
    if (status == RK_OK) {
        *form = (rk_form)found;
    }
    return status;
}

rk_settings rk_settings_make(double kc, double ti, double td, double tf)
{
    const rk_settings made = {.kc = kc,
                              .ti = ti,
                              .td = td,
                              .tf = tf,
                              .sp_weight = 1.0,
                              .bias = nan(""),
                              .sp_rate = HUGE_VAL,
                              .on_off = nan(""),
                              .anti_windup = RK_ANTI_WINDUP_BACK_CALCULATION};

    return made;
}

bool rk_settings_is_on_off(const rk_settings *settings)
{
    return !isnan(settings->on_off);
}

const char *rk_settings_mode(const rk_settings *settings)
{
    if (rk_settings_is_on_off(settings)) return "on/off";
    if (isinf(settings->ti)) return settings->td > 0 ? "PD" : "P";
    return settings->td > 0 ? "PID" : "PI";
}

static rk_status check_more(const rk_settings *s, rk_diag *diag)
{
    if (!(s->d_sp_weight >= 0 && s->d_sp_weight <= 1)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "setpoint weight of the derivative %g: give a number from 0 to 1",
                           s->d_sp_weight);
    }
    if (isinf(s->bias)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "bias %g: give a finite output", s->bias);
    }
    if (!(s->deadband >= 0) || isinf(s->deadband)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "deadband %g: give 0 or more", s->deadband);
    }
    if (!(s->sp_rate > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "setpoint rate %g: give pv units per second above 0", s->sp_rate);
    }
    if (s->on_off < 0 || isinf(s->on_off)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "on-off %g: give a hysteresis of 0 or more",
                           s->on_off);
    }
    if (rk_settings_is_on_off(s) &&
        (s->predictor || s->algorithm != RK_ALGORITHM_POSITION || s->deadband > 0 ||
         isfinite(s->sp_rate) || isfinite(s->bias) || s->sp_weight != 1 ||
         s->d_sp_weight != 0 || s->tt > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "on-off is two-position control: of the other settings it has the "
                           "pv-filter alone; take the others out");
    }
    return RK_OK;
}

rk_status rk_settings_check(const rk_settings *settings, rk_diag *diag)
{
    const rk_settings *s = settings;

    rk_diag_clear(diag);
    if (s == NULL) return RK_ERR_ARG;
    if (!isfinite(s->kc) || s->kc == 0) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "kc %g: give a finite gain that is not 0, in out units per pv unit",
                           s->kc);
    }
    if (!(s->ti > 0)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "ti %g s: give an integral time above 0; leave ti out for no integral action",
            s->ti);
    }
    if (!(s->td >= 0) || isinf(s->td)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "td %g s: give a derivative time of 0 or more",
                           s->td);
    }
    if (!(s->tf >= 0) || isinf(s->tf)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "tf %g s: give a filter time of 0 or more",
                           s->tf);
    }
    if (!(s->sp_weight >= 0 && s->sp_weight <= 1)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "setpoint weight %g: give a number from 0 to 1",
                           s->sp_weight);
    }
    if (!(s->pv_filter >= 0) || isinf(s->pv_filter)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "PV filter %g s: give a time of 0 or more",
                           s->pv_filter);
    }
    if (!(s->tt >= 0) || isinf(s->tt)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "tracking time %g s: give a time above 0, or leave it out for the default", s->tt);
    }
    return check_more(s, diag);
}

static rk_status to_series(const rk_settings *s, rk_form_values *values, rk_diag *diag)
{
    const double tf = s->td > 0 ? s->tf : 0.0;
    const double sum = s->ti + tf, product = s->ti * (s->td + tf);
    double root = 1.0 - (4.0 * product / (sum * sum));

    values->tf = tf;
    if (isinf(s->ti) || s->td == 0) { /* nothing to convert, but for the lead's numerator */
        values->gain = s->kc;
        values->integral = s->ti;
        values->derivative = s->td > 0 ? s->td + tf : 0.0;
        return RK_OK;
    }
    if (root < -1e-12) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "ti %g s and td %g s have no series form, which needs ti of at least "
            "4 td; nearest: td %g s, or use the ideal or parallel form",
            s->ti, s->td, fmax(((sum * sum) / (4.0 * s->ti)) - tf, 0.0));
    }
    root = sqrt(fmax(root, 0.0));
    values->integral = 0.5 * sum * (1.0 + root);
    values->derivative = product / values->integral; /* the small root, without cancellation */
    values->gain = s->kc * (values->integral / s->ti);
    return RK_OK;
}

rk_status rk_settings_to_form(const rk_settings *settings, rk_form form, rk_form_values *values,
                              rk_diag *diag)
{
    const rk_settings *s = settings;
    rk_form_values made = {form, 0, 0, 0, 0};
    rk_status status = rk_settings_check(s, diag);

    if (status != RK_OK) return status;
    if (values == NULL) return RK_ERR_ARG;
    if (form == RK_FORM_SERIES) {
        status = to_series(s, &made, diag);
    } else {
        const bool ideal = form == RK_FORM_IDEAL;

        made.gain = s->kc;
        made.integral = ideal ? s->ti : s->kc / s->ti;
        made.derivative = ideal ? s->td : s->kc * s->td;
        made.tf = s->tf;
    }
    if (status == RK_OK) {
        *values = made;
    }
    return status;
}

static rk_status from_series(const rk_form_values *v, rk_settings *s, rk_diag *diag)
{
    if (!(v->integral > 0)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "ti %g s: give an integral time above 0; leave ti out for no integral action",
            v->integral);
    }
    if (v->derivative != 0 && !(v->derivative >= v->tf)) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "td %g s is shorter than its filter tf %g s, which makes a lag, not a "
            "derivative: give tf below td",
            v->derivative, v->tf);
    }
    s->tf = v->tf;
    if (isinf(v->integral) || v->derivative == 0) {
        s->kc = v->gain;
        s->ti = v->integral;
        s->td = v->derivative != 0 ? v->derivative - v->tf : 0.0;
        return RK_OK;
    }
    s->ti = v->integral + v->derivative - v->tf;
    s->kc = v->gain * (s->ti / v->integral);
    s->td = (v->integral * v->derivative / s->ti) - v->tf;
    if (s->td < 0) { /* ti' < tf: the filter outweighs the derivative after all */
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "series ti %g s, td %g s, tf %g s: the ideal form would need td below 0; "
            "give a shorter tf",
            v->integral, v->derivative, v->tf);
    }
    return RK_OK;
}

rk_status rk_settings_from_form(const rk_form_values *values, rk_settings *settings,
                                rk_diag *diag)
{
    rk_settings made;
    rk_status status = RK_OK;

    rk_diag_clear(diag);
    if (values == NULL || settings == NULL) return RK_ERR_ARG;
    made = *settings;
    made.kc = values->gain;
    made.ti = values->integral;
    made.td = values->derivative;
    made.tf = values->tf;
    if (values->form == RK_FORM_SERIES) {
        status = from_series(values, &made, diag);
    }
    if (values->form == RK_FORM_PARALLEL) {
        if (!isfinite(values->gain) || values->gain == 0) {
            return rk_diag_set(diag, RK_ERR_RANGE, "kp %g: give a finite gain that is not 0",
                               values->gain);
        }
        if (values->integral != 0 && !(values->integral / values->gain > 0)) {
            return rk_diag_set(diag, RK_ERR_RANGE, "kp %g and ki %g: both need the same sign",
                               values->gain, values->integral);
        }
        made.ti = values->integral != 0 ? values->gain / values->integral : HUGE_VAL;
        made.td = values->derivative / values->gain;
    }
    if (status == RK_OK) {
        status = rk_settings_check(&made, diag);
    }
    if (status == RK_OK) {
        *settings = made;
    }
    return status;
}

rk_given_settings rk_given_settings_make(void)
{
    const double none = nan("");

    return (rk_given_settings){RK_FORM_IDEAL, none, none, none, none, none, none, none};
}

rk_given_settings rk_given_settings_of(const rk_settings *settings)
{
    rk_given_settings made = rk_given_settings_make();

    if (rk_settings_is_on_off(settings)) return made;
    made.kc = settings->kc;
    made.ti = settings->ti;
    if (settings->td > 0) {
        made.td = settings->td;
        made.tf = settings->tf;
    }
    return made;
}

double rk_filter_default(double td)
{
    return td > 0 ? td / 10.0 : 0.0;
}

bool rk_given_settings_any(const rk_given_settings *given)
{
    return !isnan(given->kc) || !isnan(given->ti) || !isnan(given->td) || !isnan(given->tf) ||
           !isnan(given->kp) || !isnan(given->ki) || !isnan(given->kd);
}

static double or_else(double given, double otherwise)
{
    return isnan(given) ? otherwise : given;
}

rk_status rk_settings_from_given(const rk_given_settings *given, const char *mark,
                                 rk_settings *settings, rk_diag *diag)
{
    const rk_given_settings *g = given;
    rk_form_values values;
    double gain;

    rk_diag_clear(diag);
    if (g == NULL || mark == NULL || settings == NULL) return RK_ERR_ARG;
    values = (rk_form_values){.form = g->form};
    if (g->form == RK_FORM_PARALLEL) {
        if (!isnan(g->kc) || !isnan(g->ti) || !isnan(g->td)) {
            return rk_diag_set(diag, RK_ERR_RANGE,
                               "%skc, %sti and %std belong to the ideal and series forms: the "
                               "parallel form takes %skp, %ski and %skd",
                               mark, mark, mark, mark, mark, mark);
        }
        gain = g->kp;
        values.integral = or_else(g->ki, 0.0);
        values.derivative = or_else(g->kd, 0.0);
    } else {
        if (!isnan(g->kp) || !isnan(g->ki) || !isnan(g->kd)) {
            return rk_diag_set(
                diag, RK_ERR_RANGE,
                "%skp, %ski and %skd belong to the parallel form: add %sform%sparallel, "
                "or give %skc, %sti and %std",
                mark, mark, mark, mark, mark[0] != '\0' ? " " : " = ", mark, mark, mark);
        }
        gain = g->kc;
        values.integral = or_else(g->ti, HUGE_VAL);
        values.derivative = or_else(g->td, 0.0);
    }
    if (isnan(gain)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "no controller gain: give %s%s", mark,
                           g->form == RK_FORM_PARALLEL ? "kp" : "kc");
    }
    values.gain = gain;
    values.tf = or_else(g->tf, rk_filter_default(g->form == RK_FORM_PARALLEL && gain != 0
                                                     ? values.derivative / gain
                                                     : values.derivative));
    return rk_settings_from_form(&values, settings, diag);
}

rk_limits rk_limits_none(void)
{
    const rk_limits none = {-1e12, 1e12, HUGE_VAL};

    return none;
}

rk_status rk_limits_check(const rk_limits *limits, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (limits == NULL) return RK_ERR_ARG;
    if (!isfinite(limits->low) || !isfinite(limits->high) || !(limits->low < limits->high)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "output limits %g to %g: give finite limits, the low below the high",
                           limits->low, limits->high);
    }
    if (!(limits->rate > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "output rate %g: give out units per second above 0", limits->rate);
    }
    return RK_OK;
}

void rk_settings_take_numbers(rk_settings *settings, const rk_settings *from)
{
    settings->kc = from->kc;
    settings->ti = from->ti;
    settings->td = from->td;
    settings->tf = from->tf;
}

double rk_settings_tracking_time(const rk_settings *settings)
{
    const rk_settings *s = settings;

    if (s->tt > 0) return s->tt;
    return s->td > 0 ? sqrt(s->ti * s->td) : s->ti;
}
