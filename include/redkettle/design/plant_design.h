/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_PLANT_DESIGN_H
#define REDKETTLE_DESIGN_PLANT_DESIGN_H

#include <redkettle/design/model.h>

/** A stretch of time in which something is wrong: from `at` for `length`, s; NaN: never. */
typedef struct rk_stretch {
    double at, length;
} rk_stretch;

/**
 * A simulated plant to try things on, with the faults of real hardware. It may differ from the
 * loop's model: that is its point. What is not given is NaN, and then there is no such fault.
 */
typedef struct rk_plant_design {
    rk_model model;
    double out;               /* where the valve stands at the start, out-EU; NaN: out0 */
    double noise;             /* standard deviation of PV's noise, pv-EU */
    double noise_correlation; /* of it from a scan to the next, 0 to below 1 */
    double seed;              /* of the noise, a whole number */
    double adc_bits;          /* of the converter over PV's range, 4 to 24 */
    double valve_rate;        /* fastest stroke, out-EU per s */
    double backlash;          /* play of the valve when it turns round, out-EU */
    double stiction;          /* a smaller change of OUT does not move the valve, out-EU */
    double load, load_at;     /* a step at the plant's input, out-EU, and when, s */
    rk_stretch sensor_sticks; /* PV stays at its last value */
    rk_stretch sensor_bad;    /* PV is not a number */
    rk_stretch port_drops;    /* neither PV nor OUT gets through */
    char valve_file[512];     /* where the valve's place outlives a run; "": it does not */
} rk_plant_design;

/** A plant without faults, its process not known. */
rk_plant_design rk_plant_design_make(void);

/**
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE as rk_model_check or for a fault out of range,
 * and diag names it. pv_low, pv_high: PV's range, which a converter needs.
 */
rk_status rk_plant_design_check(const rk_plant_design *plant, double pv_low, double pv_high,
                                rk_diag *diag);

#endif
