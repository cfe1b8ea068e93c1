/* SPDX-License-Identifier: MIT */
#include <redkettle/design/loop/model.h>

#include <math.h>
#include <stddef.h>
#include <string.h>

#include "design/base/words.h"

static const char *const kind_words[] = {"fopdt", "sopdt",    "sopdt-osc",
                                         "ipdt",  "ipdt-lag", NULL};

const char *rk_model_kind_to_text(rk_model_kind kind)
{
    return kind >= RK_MODEL_PROCESS ? "process" : rki_word(kind_words, (int)kind);
}

rk_status rk_model_kind_from_text(const char *text, rk_model_kind *kind, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || kind == NULL) return RK_ERR_ARG;
    status = rki_word_find(kind_words, "model kind", text, &found, diag);
    if (status == RK_OK) {
        *kind = (rk_model_kind)found;
    }
    return status;
}

int rk_model_kind_times(rk_model_kind kind)
{
    static const int times[] = {1, 2, 1, 0, 1, 0, 0};

    return times[kind];
}

bool rk_model_kind_integrates(rk_model_kind kind)
{
    return kind == RK_MODEL_IPDT || kind == RK_MODEL_IPDT_LAG ||
           kind == RK_MODEL_PROCESS_INTEGRATING;
}

bool rk_model_is_process(const rk_model *model)
{
    return model->kind >= RK_MODEL_PROCESS;
}

int rk_model_kind_numbers(rk_model_kind kind, int number[RK_MODEL_NUMBERS])
{
    int count = 0, i;

    number[count++] = 0;
    for (i = 0; i < rk_model_kind_times(kind); i++) {
        number[count++] = 1 + i;
    }
    if (kind >= RK_MODEL_PROCESS) { /* all lags together */
        number[count++] = 1;
    }
    if (kind == RK_MODEL_SOPDT_OSC) {
        number[count++] = 3;
    }
    number[count++] = 4;
    return count;
}

const char *rk_model_kind_words(rk_model_kind kind)
{
    static const char *const words[] = {
        "first order plus dead time",         "two lags plus dead time",
        "underdamped plus dead time",         "integrator plus dead time",
        "integrator and lag plus dead time",  "lags in series plus dead time",
        "integrator and lags plus dead time", NULL};

    return rki_word(words, (int)kind);
}

static rk_status check_times(const rk_model *model, rk_diag *diag)
{
    const int times = rk_model_kind_times(model->kind);
    int i;

    for (i = 0; i < 2; i++) {
        const double t = model->time_constant[i];

        if (i < times && (!isfinite(t) || !(t > 0))) {
            return rk_diag_set(diag, RK_ERR_RANGE,
                               "%stime constant %g s: give a time above 0, such as 40s or 2min",
                               i > 0 ? "second " : "", t);
        }
        if (i >= times && t != 0) {
            return rk_diag_set(diag, RK_ERR_RANGE, "a%s %s model has %s time constant%s",
                               strchr("aeiou", rk_model_kind_to_text(model->kind)[0]) ? "n"
                                                                                      : "",
                               rk_model_kind_to_text(model->kind), times == 0 ? "no" : "one",
                               times == 0 ? "" : ", not two");
        }
    }
    if (model->kind == RK_MODEL_SOPDT_OSC && !(model->damping > 0 && model->damping < 1)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "damping %g: a sopdt-osc model has one between 0 and 1; from 1 on "
                           "it is two lags, sopdt",
                           model->damping);
    }
    if (model->kind != RK_MODEL_SOPDT_OSC && model->damping != 0) {
        return rk_diag_set(diag, RK_ERR_RANGE, "damping belongs to kind sopdt-osc, not to %s",
                           rk_model_kind_to_text(model->kind));
    }
    return RK_OK;
}

/* A process of one lag, or an integrator alone, would jump the wrong way at once. */
static rk_status check_parts(const rk_model *model, rk_diag *diag)
{
    const bool integrates = rk_model_kind_integrates(model->kind);
    const int least = integrates ? 0 : 1;
    int i;

    if (!rk_model_is_process(model)) return RK_OK;
    if (model->lags < least || model->lags > RK_LAGS_MAX) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%d lags: give %d to %d", model->lags, least,
                           RK_LAGS_MAX);
    }
    for (i = 0; i < model->lags; i++) {
        if (model->lag[i] > 0 && isfinite(model->lag[i])) continue;
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "lag %d is %g s: give a time above 0, or leave it out", i + 1,
                           model->lag[i]);
    }
    if (!(model->inverse >= 0) || isinf(model->inverse)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "an inverse response of %g s: give a time of 0 or more",
                           model->inverse);
    }
    if (model->inverse > 0 && model->lags + integrates < 2) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "an inverse response behind one lag would make PV jump: give a second "
            "lag, such as the valve's or the sensor's");
    }
    return RK_OK;
}

rk_status rk_model_check(const rk_model *model, rk_diag *diag)
{
    rk_diag_clear(diag);
    if (model == NULL) return RK_ERR_ARG;
    if (!isfinite(model->gain) || model->gain == 0) {
        return rk_diag_set(
            diag, RK_ERR_RANGE,
            "model gain %g: give a finite gain that is not 0, in pv units per out unit",
            model->gain);
    }
    if (check_times(model, diag) != RK_OK || check_parts(model, diag) != RK_OK)
        return RK_ERR_RANGE;
    if (!isfinite(model->dead_time) || !(model->dead_time >= 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "dead time %g s: give a time of 0 or more",
                           model->dead_time);
    }
    if (!isfinite(model->out0) || !isfinite(model->pv0)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "operating point out0 %g, pv0 %g: give finite values", model->out0,
                           model->pv0);
    }
    return RK_OK;
}

/* All of them, the inverse response among them; of an integrator alone its dead time. */
static double sum_of_lags(const rk_model *model)
{
    double sum = model->inverse;
    int i;

    for (i = 0; i < model->lags; i++) {
        sum += model->lag[i];
    }
    return model->lags > 0 ? sum : model->dead_time;
}

double rk_model_slowest(const rk_model *model)
{
    const double *tau = model->time_constant;

    switch (model->kind) {
    case RK_MODEL_SOPDT_OSC:
        return fmax(tau[0], tau[0] / model->damping);
    case RK_MODEL_IPDT:
        return model->dead_time;
    case RK_MODEL_PROCESS:
    case RK_MODEL_PROCESS_INTEGRATING:
        return sum_of_lags(model);
    default:
        return tau[0] + tau[1];
    }
}

rk_model rk_model_sorted(const rk_model *model)
{
    rk_model made = *model;

    made.time_constant[0] = fmax(model->time_constant[0], model->time_constant[1]);
    made.time_constant[1] = fmin(model->time_constant[0], model->time_constant[1]);
    return made;
}

rk_model rk_model_delayed(const rk_model *model, double delay)
{
    rk_model made = *model;

    made.dead_time += delay;
    return made;
}

double rk_model_quickest(const rk_model *model)
{
    double least = HUGE_VAL;
    int i;

    for (i = 0; i < rk_model_kind_times(model->kind); i++) {
        least = fmin(least, model->time_constant[i]);
    }
    for (i = 0; i < model->lags; i++) {
        least = fmin(least, model->lag[i]);
    }
    return least;
}
