/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_PORTS_SIM_SIM_H
#define REDKETTLE_PORTS_SIM_SIM_H

#include <stdbool.h>
#include <stdint.h>

#include <redkettle/device/noise.h>
#include <redkettle/device/plant.h>
#include <redkettle/device/port.h>
#include <redkettle/device/valve.h>

/** From which to which advance something is wrong: from `from` on, before `until`. */
typedef struct rk_sim_stretch {
    unsigned long from, until;
} rk_sim_stretch;

/** What is wrong with the hardware; all zero: nothing. */
typedef struct rk_sim_faults {
    rk_real noise;             /* standard deviation of PV's noise, pv-EU */
    rk_real noise_correlation; /* of it from a reading to the next, 0 to below 1 */
    rk_real noise_innovation;  /* sqrt(1 - noise_correlation^2) */
    uint32_t seed;             /* of the noise: the same seed, the same run */
    rk_real converter_step;    /* what a converter's last bit is worth, pv-EU; 0: exact */
    rk_real pv_low, pv_high;   /* the converter's range, pv-EU */
    rk_valve_params valve;     /* its stroke is that of an advance */
    rk_sim_stretch sticks;     /* PV stays at its last value */
    rk_sim_stretch bad;        /* PV is not a number */
    rk_sim_stretch drops;      /* neither PV nor OUT gets through: RK_ERR_IO */
    rk_real load_step;         /* added to load at the advance load_at, out-EU */
    unsigned long load_at;
} rk_sim_faults;

/**
 * The sim port: a simulated plant behind the seam, its clock moved by hand. What was written
 * last is held while time advances: the valve follows it as well as it can, a load disturbance
 * is added at the plant's input, before the dead time, and the sensor tells what comes out.
 */
typedef struct rk_sim {
    rk_plant plant;
    rk_real out; /* what was written last, out-EU */
    rk_valve valve;
    rk_noise noise;
    rk_real load;    /* added to the valve's place at the plant's input, out-EU; set it between
                        advances */
    rk_status fault; /* RK_OK, or what all services answer instead: a port that drops out */
    unsigned long advances; /* since init */
    rk_sim_faults faults;
    rk_real reading;       /* the last PV that the sensor told, pv-EU */
    unsigned long read_at; /* the advance the noise belongs to: a sensor reads once in each */
} rk_sim;

/** Start at rest at out_now, without faults. Arguments and errors as rk_plant_init. */
rk_status rk_sim_init(rk_sim *sim, const rk_plant_params *params, rk_real *memory, size_t len,
                      rk_real out_now);

/** Take on faults, best before the first advance. Errors  RK_ERR_ARG; RK_ERR_RANGE. */
rk_status rk_sim_set_faults(rk_sim *sim, const rk_sim_faults *faults);

/** The port that serves this plant; valid as long as *sim is. */
rk_port rk_sim_port(rk_sim *sim);

/** Let one interval of the plant pass. */
void rk_sim_advance(rk_sim *sim);

#endif
