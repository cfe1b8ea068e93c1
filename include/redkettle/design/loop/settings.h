/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_SETTINGS_H
#define REDKETTLE_DESIGN_LOOP_SETTINGS_H

#include <stdbool.h>

#include <redkettle/design/base/diag.h>
#include <redkettle/design/base/yes_no.h>
#include <redkettle/device/pid.h>

#ifdef __cplusplus
extern "C" {
#endif

struct rk_model;

/** How a loop is sampled. */
typedef struct rk_sampling {
    double ts;    /* scan, s */
    double delay; /* from PV's sample to OUT's change, s: computing and communication */
    rk_scheme integral;
    const struct rk_model *known; /* what a predictor takes the process for; NULL: what it is */
} rk_sampling;

/** "none", "conditional", "back-calculation". */
const char *rk_anti_windup_to_text(rk_anti_windup way);

/** Errors  RK_ERR_RANGE for a word that names no way; diag lists them. */
rk_status rk_anti_windup_from_text(const char *text, rk_anti_windup *way, rk_diag *diag);

/** "backward", "forward", "trapezoid". */
const char *rk_scheme_to_text(rk_scheme scheme);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_scheme_from_text(const char *text, rk_scheme *scheme, rk_diag *diag);

/** "position", "velocity". */
const char *rk_algorithm_to_text(rk_algorithm algorithm);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_algorithm_from_text(const char *text, rk_algorithm *algorithm, rk_diag *diag);

/** How a controller writes its three terms. */
typedef enum rk_form {
    RK_FORM_IDEAL = 0,    /* kc (1 + 1/(ti s) + td s/(1 + tf s)) */
    RK_FORM_SERIES = 1,   /* kc (1 + 1/(ti s)) (1 + td s)/(1 + tf s) */
    RK_FORM_PARALLEL = 2, /* kp + ki/s + kd s/(1 + tf s) */
} rk_form;

/** "ideal", "series", "parallel". */
const char *rk_form_to_text(rk_form form);

/** Errors  RK_ERR_RANGE for a word that names no form; diag lists them. */
rk_status rk_form_from_text(const char *text, rk_form *form, rk_diag *diag);

/** A controller's numbers in the ideal form: all that decides what it does but its limits. */
typedef struct rk_settings {
    double kc; /* controller gain, out-EU per pv-EU, not 0; the sign of the process gain */
    double ti; /* integral time, s, > 0; infinite: no integral action */
    double td; /* derivative time, s, >= 0 */
    double tf; /* derivative filter time, s, >= 0 */
    double sp_weight;   /* setpoint weight on P, 0..1 */
    double d_sp_weight; /* setpoint weight on D, 0..1; 0: the derivative acts on PV alone */
    double bias;     /* OUT without an error, out-EU, of a controller without integral action;
                        NaN: the operating point's OUT */
    double deadband; /* errors within it count as none, pv-EU, >= 0 */
    double sp_rate;  /* the setpoint's ramp, pv-EU per s, > 0; infinite: it steps */
    rk_anti_windup anti_windup;
    double tt; /* tracking time, s, > 0; 0: ti without and sqrt(ti td) with derivative action */
    double pv_filter; /* first-order filter on PV before the controller, s, >= 0; 0: none */
    rk_scheme integral, derivative; /* of its sums and differences, as rk_pid_params */
    rk_algorithm algorithm;
    rk_yes_no
        predictor; /* a dead-time compensator with the loop's model before the controller */
    double on_off; /* two-position control instead, of this hysteresis to each side, pv-EU, >=
                       0: of kc the sign counts alone, of the others nothing; NaN: none */
} rk_settings;

/** Settings with these four and all else at its default: weight 1, back-calculation. */
rk_settings rk_settings_make(double kc, double ti, double td, double tf);

/** Is it two-position control? */
bool rk_settings_is_on_off(const rk_settings *settings);

/** "P", "PI", "PD", "PID" or "on/off", by what acts. */
const char *rk_settings_mode(const rk_settings *settings);

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a value out of range, which diag names. */
rk_status rk_settings_check(const rk_settings *settings, rk_diag *diag);

/** The same controller written in one of the forms. gain is kc, or kp in the parallel form. */
typedef struct rk_form_values {
    rk_form form;
    double gain;       /* kc of ideal and series, kp of parallel; out-EU per pv-EU */
    double integral;   /* ti, s; in parallel ki, out-EU per pv-EU per s */
    double derivative; /* td, s; in parallel kd, out-EU s per pv-EU */
    double tf;         /* derivative filter time, s, the same in all three */
} rk_form_values;

/**
 * Write settings in another form; exact, the derivative filter included.
 *
 *   series: kc'/ti' = kc/ti,  ti' + td' = ti + tf,  ti' td' = ti (td + tf),  ti' >= td'
 *   parallel: kp = kc,  ki = kc/ti,  kd = kc td
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_settings_check, or for settings with
 *         (ti + tf)^2 < 4 ti (td + tf), which have no series form.
 * Source  K. J. Astrom, T. Hagglund, PID Controllers, 2nd ed., ISA, 1995, ch. 3; the filter by
 *         comparing coefficients.
 */
rk_status rk_settings_to_form(const rk_settings *settings, rk_form form, rk_form_values *values,
                              rk_diag *diag);

/**
 * Read settings given in a form; the fields the form does not hold are left as they are.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for values that make no controller of the ideal
 * form: a gain of 0, ti not above 0, a filter that outweighs the derivative.
 */
rk_status rk_settings_from_form(const rk_form_values *values, rk_settings *settings,
                                rk_diag *diag);

/** Settings as a user typed them: NaN where nothing was given. */
typedef struct rk_given_settings {
    rk_form form;
    double kc, ti, td, tf; /* of the ideal and the series form; tf of all three, and where it is
                              not given a tenth of the derivative time */
    double kp, ki, kd;     /* of the parallel form */
} rk_given_settings;

/**
 * The derivative filter time where none is given, s: a tenth of the derivative time, so that a
 * derivative is never unfiltered by accident.
 *
 * Source  K. J. Astrom, T. Hagglund, PID Controllers, 2nd ed., ISA, 1995, ch. 3.
 */
double rk_filter_default(double td);

/** Nothing given, ideal form. */
rk_given_settings rk_given_settings_make(void);

/** Settings as they are typed in the ideal form; of two-position control nothing is. */
rk_given_settings rk_given_settings_of(const rk_settings *settings);

/** Was any of the numbers given? */
bool rk_given_settings_any(const rk_given_settings *given);

/**
 * Read what a user typed; the fields of *settings that no form holds are left as they are.
 * Numbers of another form than the one named are refused: ki is no ti. `mark` stands before a
 * name in a message: "--" on a command line, "" in a file.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a missing gain, a number of another form, or
 * as rk_settings_from_form.
 */
rk_status rk_settings_from_given(const rk_given_settings *given, const char *mark,
                                 rk_settings *settings, rk_diag *diag);

/** Take kc, ti, td and tf from other settings; the rest stays. */
void rk_settings_take_numbers(rk_settings *settings, const rk_settings *from);

/** The tracking time that back-calculation runs with, s: as set, or ti, and with derivative
 * sqrt(ti td). Source  K. J. Astrom, T. Hagglund, PID Controllers, 2nd ed., ISA, 1995, ch. 3. */
double rk_settings_tracking_time(const rk_settings *settings);

/** What the final control element can do. */
typedef struct rk_limits {
    double low, high; /* out-EU, low < high */
    double rate;      /* out-EU per s, > 0; infinite: none */
} rk_limits;

/** Limits that are none: no plant has an output of 1e12, and sums of it stay finite. */
rk_limits rk_limits_none(void);

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for limits the wrong way round or a rate not >
 * 0. */
rk_status rk_limits_check(const rk_limits *limits, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
