/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_PORTS_SIM_SIM_H
#define REDKETTLE_PORTS_SIM_SIM_H

#include <redkettle/device/plant.h>
#include <redkettle/device/port.h>

/**
 * The sim port: a simulated plant behind the seam, its clock moved by hand. What was written
 * last is held while time advances. A load disturbance enters at the plant's input, before the
 * dead time.
 */
typedef struct rk_sim {
    rk_plant plant;
    rk_real out;     /* what stands on the valve, out-EU */
    rk_real load;    /* added to out at the plant's input, out-EU; set it between scans */
    rk_status fault; /* RK_OK, or what both services answer instead: a port that drops out */
    unsigned long scans; /* scans advanced since init */
} rk_sim;

/** Start at rest at out_now. Arguments and errors as rk_plant_init. */
rk_status rk_sim_init(rk_sim *sim, const rk_plant_params *params, rk_real *memory, size_t len,
                      rk_real out_now);

/** The port that serves this plant; valid as long as *sim is. */
rk_port rk_sim_port(rk_sim *sim);

/** Let one scan of the plant's interval pass. */
void rk_sim_advance(rk_sim *sim);

#endif
