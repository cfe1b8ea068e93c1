/* SPDX-License-Identifier: MIT */
#include <redkettle/design/tune.h>

#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

#include "model_kinds.h"
#include "words.h"

typedef void rule_function(const rk_model *model, double lambda, rk_tuning *tuning);

static void simple_pi(const rk_model *model, double lambda, rk_tuning *tuning)
{
    const double ratio = model->dead_time / model->time_constant[0];

    (void)lambda;
    tuning->settings = rk_settings_make(1.0 / model->gain, model->time_constant[0], 0.0, 0.0);
    tuning->lambda = model->time_constant[0] - model->dead_time;
    tuning->in_range = ratio <= 0.5;
    if (ratio > 0.5) {
        (void)snprintf(tuning->note, sizeof tuning->note,
                       "made for dead time / time constant up to 0.5, here %.3g%s", ratio,
                       ratio >= 1.57079632679489662 ? ": the loop is unstable" : "");
    }
}

static void lambda_pi(const rk_model *model, double lambda, rk_tuning *tuning)
{
    const double tau = model->time_constant[0], theta = model->dead_time;

    tuning->settings = rk_settings_make(tau / (model->gain * (lambda + theta)), tau, 0.0, 0.0);
    tuning->in_range = true;
    if (tau > 8.0 * (lambda + theta)) {
        (void)snprintf(tuning->note, sizeof tuning->note,
                       "slow to recover from a load: ti is %.0f times lambda + dead time",
                       tau / (lambda + theta));
    }
}

static void simc_pi(const rk_model *model, double lambda, rk_tuning *tuning)
{
    const double tau = model->time_constant[0], theta = model->dead_time;
    const double ti = fmin(tau, 4.0 * (lambda + theta));

    tuning->settings = rk_settings_make(tau / (model->gain * (lambda + theta)), ti, 0.0, 0.0);
    tuning->in_range = true;
    if (ti < tau) {
        (void)snprintf(tuning->note, sizeof tuning->note,
                       "ti is capped below the time constant, for quick recovery from a load");
    }
}

/* The published rules: one row each feeds the library, the CLI and the tests. */
static const struct {
    const char *name;
    rule_function *apply;
    const char *source;
} rules[] = {
    {"simple", simple_pi, "the lambda rule with lambda + dead time = time constant"},
    {"lambda", lambda_pi,
     "E. B. Dahlin, Designing and tuning digital controllers, 1968, Instruments and Control "
     "Systems 41"},
    {"simc", simc_pi,
     "S. Skogestad, Simple analytic rules for model reduction and PID controller tuning, 2003, "
     "J. Process Control 13(4), 291-309"},
};

enum { RULES = sizeof rules / sizeof rules[0] };

int rk_rule_count(void)
{
    return RULES;
}

const char *rk_rule_name(int rule)
{
    return rule >= 0 && rule < RULES ? rules[rule].name : "unknown";
}

const char *rk_rule_source(int rule)
{
    return rule >= 0 && rule < RULES ? rules[rule].source : "unknown";
}

rk_status rk_rule_from_name(const char *name, int *rule, rk_diag *diag)
{
    const char *names[RULES + 1];
    int i;

    if (name == NULL || rule == NULL) return RK_ERR_ARG;
    for (i = 0; i < RULES; i++) {
        names[i] = rules[i].name;
    }
    names[RULES] = NULL;
    return rki_word_find(names, "rule", name, rule, diag);
}

double rk_lambda_default(const rk_model *model)
{
    return fmax(model->dead_time, 0.1 * model->time_constant[0]);
}

rk_status rk_tune(const rk_model *model, int rule, double lambda, rk_tuning *tuning,
                  rk_diag *diag)
{
    rk_status status = rki_model_check_fopdt(model, "the tuning rules", diag);
    rk_tuning made;

    if (status != RK_OK) return status;
    if (tuning == NULL || rule < 0 || rule >= RULES) return RK_ERR_ARG;
    if (!(lambda >= 0) || isinf(lambda)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "lambda %g s: give a time above 0", lambda);
    }

    memset(&made, 0, sizeof made);
    made.rule = rules[rule].name;
    made.source = rules[rule].source;
    made.lambda = lambda > 0 ? lambda : rk_lambda_default(model);
    rules[rule].apply(model, made.lambda, &made);
    made.mode = rk_settings_mode(&made.settings);
    status = rk_settings_check(&made.settings, diag);
    if (status == RK_OK) {
        *tuning = made;
    }
    return status;
}
