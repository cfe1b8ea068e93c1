/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_MODEL_H
#define REDKETTLE_DESIGN_LOOP_MODEL_H

#include <stdbool.h>

#include <redkettle/design/base/diag.h>
#include <redkettle/design/loop/settings.h>
#include <redkettle/device/plant.h>

#ifdef __cplusplus
extern "C" {
#endif

/** The kinds of process model. */
typedef enum rk_model_kind {
    RK_MODEL_FOPDT = 0,     /* gain exp(-theta s) / (T s + 1) */
    RK_MODEL_SOPDT = 1,     /* gain exp(-theta s) / ((T1 s + 1) (T2 s + 1)): two lags */
    RK_MODEL_SOPDT_OSC = 2, /* gain exp(-theta s) / (T^2 s^2 + 2 damping T s + 1) */
    RK_MODEL_IPDT = 3,      /* gain exp(-theta s) / s: an integrator */
    RK_MODEL_IPDT_LAG = 4,  /* gain exp(-theta s) / (s (T s + 1)) */
    /* Not what rules or a fit take, but a whole process as it is made of parts: */
    RK_MODEL_PROCESS = 5, /* gain (1 - V s) exp(-theta s) / ((T1 s + 1) (T2 s + 1) ..) */
    RK_MODEL_PROCESS_INTEGRATING = 6, /* the same behind an integrator, over s */
} rk_model_kind;

/** Lags of a process at most. */
enum { RK_LAGS_MAX = 8 };

/** The kinds that a rule or a fit takes: those below this. */
enum { RK_MODEL_KINDS = 5 };

/** "fopdt", "sopdt", "sopdt-osc", "ipdt", "ipdt-lag"; "process" of both made of parts. */
const char *rk_model_kind_to_text(rk_model_kind kind);

/** Errors  RK_ERR_RANGE for a word that names no kind; diag lists the kinds. */
rk_status rk_model_kind_from_text(const char *text, rk_model_kind *kind, rk_diag *diag);

/** How many time constants a kind has: 0 to 2; a process has lags. */
int rk_model_kind_times(rk_model_kind kind);

/** Does PV keep moving for as long as OUT is off balance? */
bool rk_model_kind_integrates(rk_model_kind kind);

/** A model's numbers, as a covariance counts them. */
enum { RK_MODEL_NUMBERS = 5 }; /* gain, time constants, damping, dead time */

/** The covariance of a model's numbers, in their units; 0 where a kind has no such number, and
 * c[0][0] NaN where nothing is known. */
typedef struct rk_covariance {
    double c[RK_MODEL_NUMBERS][RK_MODEL_NUMBERS];
} rk_covariance;

/** Which of them a kind has, in order; returns how many. */
int rk_model_kind_numbers(rk_model_kind kind, int number[RK_MODEL_NUMBERS]);

/** "first order plus dead time" and so on. */
const char *rk_model_kind_words(rk_model_kind kind);

/** A process model about its operating point: pv - pv0 answers out - out0. */
typedef struct rk_model {
    rk_model_kind kind;
    double gain;             /* pv-EU per out-EU, an integrator's per s too; not 0 */
    double time_constant[2]; /* T, s, > 0, the longer first; 0 where the kind has none */
    double damping;          /* of sopdt-osc, no unit, 0 < damping < 1; else 0 */
    double dead_time;        /* theta, s, >= 0 */
    double out0;             /* operating point, out-EU; an integrator's: where PV stands */
    double pv0;              /* operating point, pv-EU: the PV that out0 holds */
    int lags; /* of a process: how many, 1 to RK_LAGS_MAX; 0 from an integrator on */
    double
        lag[RK_LAGS_MAX]; /* T1, T2, .. in the order in which OUT comes through them, s, > 0 */
    double inverse;       /* V, s, >= 0: PV first goes the wrong way; 0: it does not */
} rk_model;

/** Is it a process made of parts, which has lags in place of time constants? */
bool rk_model_is_process(const rk_model *model);

/**
 * Is the model usable?
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a value out of range, NaN or infinite, and
 * diag names it.
 */
rk_status rk_model_check(const rk_model *model, rk_diag *diag);

/**
 * The model sampled for an output held over each scan, exact for any dead time:
 *
 *   theta = d ts + delta, 0 <= delta < ts;   A = Phi(ts),
 *   b0 = Gamma(ts - delta),   b1 = Phi(ts - delta) Gamma(delta)
 *
 * where Phi(h) carries the state over a time h and Gamma(h) is what a held output of 1 adds to
 * it: for fopdt exp(-h / T) and gain (1 - exp(-h / T)).
 *
 * Units   ts in s.
 * Range   ts > 0, and dead_time / ts at most RK_PLANT_DELAY_MAX.
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check or for ts.
 * Source  K. J. Astrom, B. Wittenmark, Computer-Controlled Systems, 3rd ed., Prentice Hall,
 * 1997, ch. 2.
 */
rk_status rk_plant_params_from_model(const rk_model *model, double ts, rk_plant_params *params,
                                     rk_diag *diag);

/** The model with and without its dead time, for a rk_predictor. Errors  as above. */
rk_status rk_predictor_params_from_model(const rk_model *model, double ts,
                                         rk_plant_params *whole, rk_plant_params *quick,
                                         rk_diag *diag);

/** The longest dead time of a sampled plant, in scans: 80 MB of delay memory. */
#define RK_PLANT_DELAY_MAX 10000000.0

/** The slowest motion of a model, s: its time constants together, a weakly damped one's fading;
 * of an integrator without a lag its dead time. The quickest: its smallest time constant;
 * infinite if it has none. */
double rk_model_slowest(const rk_model *model);
double rk_model_quickest(const rk_model *model);

/** The model with the longer of two lags first, as all have it that use one. */
rk_model rk_model_sorted(const rk_model *model);

/** The model with so much more dead time, s: as a controller sees it whose OUT comes late. */
rk_model rk_model_delayed(const rk_model *model, double delay);

/** What the valve can hold; of an integrator any PV, as long as it can take up the load. */
typedef struct rk_operating {
    double pv_low, pv_high; /* that the limits of OUT reach, pv-EU; an integrator's: infinite */
    double out;             /* that holds the setpoint, out-EU */
    double room_down,
        room_up; /* what OUT has left there for a load, out-EU, >= 0 if it holds */
    bool holds;  /* is `out` within the limits? */
} rk_operating;

/**
 * At a setpoint, from the model's operating point.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check and rk_limits_check, or for a
 *         setpoint not finite.
 */
rk_status rk_operating_compute(const rk_model *model, const rk_limits *limits, double sp,
                               rk_operating *operating, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
