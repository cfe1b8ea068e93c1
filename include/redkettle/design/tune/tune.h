/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_TUNE_TUNE_H
#define REDKETTLE_DESIGN_TUNE_TUNE_H

#include <stdbool.h>

#include <redkettle/design/loop/model.h>
#include <redkettle/design/loop/settings.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What a rule leaves to the user; NaN: its default. */
typedef struct rk_knobs {
    double lambda; /* the closed-loop time constant, s, > 0; arrest time of an integrator */
    double omega, zeta;   /* pole placement: rad/s, > 0 (default 1 / time constant, or a quarter
                             of the dead time's inverse), and damping, > 0 (default 0.8) */
    double ultimate_gain; /* of a relay test, out-EU per pv-EU; default: the model's */
    double ultimate_period; /* s */
    double deviation,
        load; /* averaging level: PV may move by so much, pv-EU, > 0, for a load step
                               of so much at the process's input, out-EU, not 0 */
} rk_knobs;

/** All at their defaults. */
rk_knobs rk_knobs_make(void);

/** Settings by a published rule, and whether the model is one the rule was made for. */
typedef struct rk_tuning {
    const char *rule;   /* its name: "simc" */
    const char *mode;   /* "P", "PI", "PD", "PID" */
    const char *source; /* author, title, year, place */
    rk_settings settings;
    double lambda;  /* that was used, s; NaN: the rule has none */
    bool usable;    /* false: the rule gives no controller for this model; note says why */
    bool in_range;  /* the model is in the range that the rule was made for */
    char note[200]; /* what to know about it; may be empty */
} rk_tuning;

/** How many rules there are, by name, and the name of each (0 .. count - 1). */
int rk_rule_count(void);
const char *rk_rule_name(int rule);

/** Errors  RK_ERR_RANGE for a name that is no rule's; diag lists the names. */
rk_status rk_rule_from_name(const char *name, int *rule, rk_diag *diag);

/**
 * The lambda that is used when none is given: the dead time (the tight choice of the SIMC
 * paper), but at least a tenth of the time constant, since a dead time near zero would ask for
 * a gain that no valve and no noisy transmitter stands.
 */
double rk_lambda_default(const rk_model *model);

enum { RK_TUNINGS_MAX = 64 };

/**
 * Settings by every rule, or by one (rule, by name) and in one mode; NULL: all of them. In
 * range first, then out of range, then those that give no controller here. A rule for
 * first-order models takes a model of two lags reduced by the half rule, and says so; likewise
 * an integrator's with a lag. Rules of the reaction curve and the ultimate point, the IMC, SIMC
 * and AMIGO families, pole placement and the integral criteria: `source` of each names the
 * literature.
 *
 * Units   as rk_knobs; model NULL: only a measured ultimate point is known, and the rules that
 *         need no more.
 * Errors  RK_ERR_ARG for another NULL; RK_ERR_RANGE as rk_model_check, for a name or a mode that is
 * none, a knob out of range, or when nothing was made for this kind of model; RK_ERR_MEMORY.
 */
rk_status rk_tunings_compute(const rk_model *model, const char *rule, const char *mode,
                             const rk_knobs *knobs, rk_tuning list[RK_TUNINGS_MAX],
                             size_t *count, rk_diag *diag);

/**
 * Settings by one rule; mode NULL: PI where the rule has it, or else its richest.
 *
 * Errors  as rk_tunings_compute, and RK_ERR_RANGE if the rule gives no controller for this
 * model.
 */
rk_status rk_tuning_compute(const rk_model *model, const char *rule, const char *mode,
                            const rk_knobs *knobs, rk_tuning *tuning, rk_diag *diag);

/** Put a rule's kc, ti, td and tf, and its setpoint weight if it has one, into settings whose
 * rest stays. */
void rk_tuning_apply(const rk_tuning *tuning, rk_settings *settings);

/** How many speeds a rule with a lambda is shown at. */
enum { RK_TUNING_SPEEDS = 9 };

/**
 * Settings by one rule with a lambda from a quarter to eight times rk_lambda_default: fast to
 * slow.
 *
 * Errors  as rk_tuning_compute, and RK_ERR_RANGE for a rule without lambda.
 */
rk_status rk_tunings_compute_speeds(const rk_model *model, const char *rule, const char *mode,
                                    const rk_knobs *knobs, rk_tuning list[RK_TUNING_SPEEDS],
                                    rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
