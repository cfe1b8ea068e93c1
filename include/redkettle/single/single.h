/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_SINGLE_SINGLE_H
#define REDKETTLE_SINGLE_SINGLE_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/** States of a plant, as RK_PLANT_STATES. */
enum { RK_SINGLE_STATES = 9 };

/** The parameters of a rk_plant. */
typedef struct rk_single_plant {
    double a[RK_SINGLE_STATES][RK_SINGLE_STATES], b0[RK_SINGLE_STATES], b1[RK_SINGLE_STATES];
    int states;
    size_t delay;
    double out0, pv0;
} rk_single_plant;

/**
 * The device blocks of a loop in single precision, in a host library that counts in double:
 * what text with REAL and C with float is held to. Numbers pass as double; what goes in is
 * rounded to single precision, what comes out is a single precision number.
 */
typedef struct rk_single_params {
    double ts, kc, ti, td, tf; /* as rk_pid_params */
    double sp_weight, d_sp_weight, out_lo, out_hi, out_rate;
    int anti_windup;                     /* rk_anti_windup */
    int integral, derivative, algorithm; /* rk_scheme, rk_algorithm */
    double tt, pv_filter, deadband, sp_rate, bias;
    bool biased;
    bool predictor; /* before the controller, of these models: */
    rk_single_plant whole, quick;
    bool two_position, direct; /* rk_on_off in its place, of this hysteresis */
    double hysteresis;
    bool twin; /* with a rk_plant, of these parameters: */
    rk_single_plant plant;
} rk_single_params;

/** The coefficients of the blocks, as rk_pid and rk_filter say. */
typedef struct rk_single_coefficients {
    double kc, ki_ts, ki_last, kt_ts, ad, kd, d_weight, p_weight, out_lo, out_hi, out_step,
        sp_step, deadband, bias, fade, pv_part;
} rk_single_coefficients;

typedef struct rk_single rk_single;

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for what the blocks refuse in single precision
 * (a ti that rounds to nothing, a twin that grows); RK_ERR_MEMORY. */
rk_status rk_single_create(const rk_single_params *params, rk_single **made);

void rk_single_free(rk_single *single);

void rk_single_coefficients_get(const rk_single *single, rk_single_coefficients *c);

/** Start anew: the controller from an output, taken into its range (a number that is none: its
 * low limit), the twin at rest. */
void rk_single_start(rk_single *single, double out_start);

/** One scan of the controller behind its PV filter; manual_out is read if not automatic. */
double rk_single_scan(rk_single *single, double sp, double pv, bool automatic,
                      double manual_out);

/** Had the last scan no good sp and pv? */
bool rk_single_held(const rk_single *single);

/** The twin's PV now, and after a scan with the last output and a load at its input. */
double rk_single_pv(const rk_single *single);
double rk_single_plant_scan(rk_single *single, double load);

/** The sum of two numbers, each in single precision. */
double rk_single_sum(double a, double b);

#ifdef __cplusplus
}
#endif

#endif
