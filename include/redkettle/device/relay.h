/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_RELAY_H
#define REDKETTLE_DEVICE_RELAY_H

#include <stdbool.h>

#include <redkettle/device/param_error.h>
#include <redkettle/device/real.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A relay test: out is switched to one side of where it stood, and to the other each time pv
 * has crossed sp by the hysteresis, until pv swings evenly. The swing's period is the ultimate
 * period, and its amplitude a gives the ultimate gain,
 *
 *   ku = 4 h / (pi * sqrt(a^2 - hysteresis^2)),   h: the relay's amplitude
 *
 * by the describing function: exact at the phase -180 deg + asin(hysteresis / a), not at -180 deg,
 * and without the higher harmonics. Where the hysteresis is a large part of a it is far off; a
 * model fitted to the test's record tells the point itself. The scan adds about half of itself to
 * the dead time that the swing shows.
 *
 * Source  K. J. Astrom, T. Hagglund, Automatic tuning of simple regulators with specifications
 * on phase and amplitude margins, 1984, Automatica 20(5), 645-651.
 */
typedef struct rk_relay_params {
    rk_real ts;         /* scan interval, s, > 0 */
    rk_real sp;         /* pv-EU; the PV of the start is best */
    rk_real amplitude;  /* h, out-EU, > 0: out goes this far to each side of its start */
    rk_real hysteresis; /* pv-EU, >= 0; above the noise */
    bool direct;        /* out rises with pv (a process with a negative gain); else it falls */
    int cycles;         /* even ones that are averaged, 1..100 */
    rk_real patience;   /* give up after so long, s, > 0 */
    rk_real out_lo;     /* out-EU */
    rk_real out_hi;     /* out-EU */
    rk_real pv_lo, pv_hi; /* a pv beyond these ends the test, pv-EU */
} rk_relay_params;

typedef enum rk_relay_state {
    RK_RELAY_SWINGING = 0,  /* on its way */
    RK_RELAY_DONE = 1,      /* out is back at its start */
    RK_RELAY_TIMED_OUT = 2, /* so it is here and below, without a result */
    RK_RELAY_PV_BAD = 3,
    RK_RELAY_PV_OUT = 4, /* pv left pv_lo..pv_hi */
    RK_RELAY_STOPPED = 5,
} rk_relay_state;

/** Plain storage; only the functions below write it. */
typedef struct rk_relay {
    rk_relay_params params;
    rk_real out_start, out;
    bool high;            /* pv is above, so the next crossing is downwards */
    long scans, patience; /* since the start; at most */
    long since;           /* scans since the last crossing upwards */
    rk_real top, bottom;  /* of pv in this cycle */
    rk_real last_period, last_swing;
    rk_real periods, swings; /* sums over the even cycles */
    int crossings, even;
    rk_relay_state state;
} rk_relay;

/** What the swing says of the process. */
typedef struct rk_relay_result {
    rk_real ultimate_gain;   /* out-EU per pv-EU, negative for direct */
    rk_real ultimate_period; /* s */
    rk_real amplitude;       /* of pv, pv-EU */
    int cycles;
} rk_relay_result;

/** RK_PARAM_ERROR_NONE, or what rk_relay_init refuses. */
rk_param_error rk_relay_param_error(const rk_relay_params *params, rk_real out_now);

/**
 * Start from the output that stands on the valve now.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for what rk_relay_param_error names. *relay is
 * written with RK_OK only.
 */
rk_status rk_relay_init(rk_relay *relay, const rk_relay_params *params, rk_real out_now);

/** One scan; returns out. Once the test has ended, for whatever reason, out is where it
 * started. */
rk_real rk_relay_scan(rk_relay *relay, rk_real pv);

/** End the test; the next scan puts out back. */
void rk_relay_stop(rk_relay *relay);

/**
 * What was found. Errors  RK_ERR_ARG for a NULL; RK_ERR_DATA unless the test is done, or if pv
 * swung no further than the hysteresis.
 */
rk_status rk_relay_get_result(const rk_relay *relay, rk_relay_result *result);

#ifdef __cplusplus
}
#endif

#endif
