/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_TUNE_H
#define REDKETTLE_DESIGN_TUNE_H

#include <stdbool.h>

#include <redkettle/design/model.h>
#include <redkettle/design/settings.h>

/** Settings by a published rule, and whether the model is one the rule was made for. */
typedef struct rk_tuning {
    const char *rule;   /* its name: "simc" */
    const char *mode;   /* "PI" */
    const char *source; /* author, title, year, place */
    rk_settings settings;
    double lambda; /* the closed-loop time constant that was asked for, s */
    bool in_range;
    char note[160]; /* what to know about it; may be empty */
} rk_tuning;

/** How many rules there are, and the name and source of each (0 .. count - 1). */
int rk_rule_count(void);
const char *rk_rule_name(int rule);
const char *rk_rule_source(int rule);

/** Errors  RK_ERR_RANGE for a name that is no rule's; diag lists the names. */
rk_status rk_rule_from_name(const char *name, int *rule, rk_diag *diag);

/**
 * The lambda that is used when none is given: the dead time (the tight choice of the SIMC
 * paper), but at least a tenth of the time constant, since a dead time near zero would ask for
 * a gain that no valve and no noisy transmitter stands.
 */
double rk_lambda_default(const rk_model *model);

/**
 * Settings by one rule, in the ideal form.
 *
 *   simple  kc = 1/gain,                           ti = tau
 *   lambda  kc = tau/(gain (lambda + theta)),      ti = tau
 *   simc    kc = tau/(gain (lambda + theta)),      ti = min(tau, 4 (lambda + theta))
 *
 * Units   lambda in s, > 0; 0: rk_lambda_default.
 * Errors  RK_ERR_ARG for a NULL or a rule number out of range; RK_ERR_RANGE as rk_model_check,
 * or for a lambda below 0 or not finite. Source  simple: the lambda rule with lambda + theta =
 * tau. lambda: E. B. Dahlin, Designing and tuning digital controllers, 1968, Instruments and
 * Control Systems 41; D. E. Rivera, M. Morari, S. Skogestad, Internal model control: PID
 * controller design, 1986, Ind. Eng. Chem. Process Des. Dev. 25. simc: S. Skogestad, Simple
 * analytic rules for model reduction and PID controller tuning, 2003, J. Process Control 13(4),
 * 291-309.
 */
rk_status rk_tune(const rk_model *model, int rule, double lambda, rk_tuning *tuning,
                  rk_diag *diag);

#endif
