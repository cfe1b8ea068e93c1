/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_SIM_PLANT_H
#define REDKETTLE_LIVE_SIM_PLANT_H

#include <redkettle/design/loop/design.h>
#include <redkettle/device/port.h>

#ifdef __cplusplus
extern "C" {
#endif

/** The simulated plant of a loop file behind a port; its clock stands until it is advanced. */
typedef struct rk_sim_plant rk_sim_plant;

/**
 * Make it from the loop's [plant], at rest with the valve where it was left or where the loop
 * file has it. The caller frees *plant.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a loop without [plant] or scan, or a plant
 *         that cannot be simulated at this scan; RK_ERR_IO or RK_ERR_FORMAT for the valve's
 *         file; RK_ERR_MEMORY.
 */
rk_status rk_sim_plant_create(const rk_design *loop, rk_sim_plant **plant, rk_diag *diag);

/** The port; valid as long as the plant is. */
rk_port rk_sim_plant_port(rk_sim_plant *plant);

/** A load at the plant's input from now on, out-EU. */
void rk_sim_plant_set_load(rk_sim_plant *plant, double load);

/** Let one scan of the loop pass. */
void rk_sim_plant_advance(rk_sim_plant *plant);

/** NULL does nothing. */
void rk_sim_plant_free(rk_sim_plant *plant);

#ifdef __cplusplus
}
#endif

#endif
