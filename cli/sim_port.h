/* SPDX-License-Identifier: MIT */
#ifndef SIM_PORT_H
#define SIM_PORT_H

#include <ports/sim/sim.h>
#include <redkettle/redkettle.h>

/** The simulated plant of a loop file behind a port, a clock that stands until it is advanced.
 */
typedef struct sim_port sim_port;

/**
 * Make it from the loop's [plant], at rest with the valve where it was left or where the loop
 * file has it. Errors  RK_ERR_RANGE; RK_ERR_IO for the valve's file; RK_ERR_MEMORY.
 */
rk_status sim_port_create(const rk_design *loop, sim_port **port, rk_diag *diag);

/** The seam; valid as long as the sim port is. */
rk_port sim_port_seam(sim_port *port);

/** A load at the plant's input from now on, out-EU. */
void sim_port_set_load(sim_port *port, double load);

/** Let one scan of the loop pass. */
void sim_port_advance(sim_port *port);

void sim_port_free(sim_port *port);

#endif
