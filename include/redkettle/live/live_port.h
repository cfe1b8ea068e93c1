/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_LIVE_PORT_H
#define REDKETTLE_LIVE_LIVE_PORT_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/loop/design.h>
#include <redkettle/device/port.h>
#include <redkettle/live/sim_plant.h>

#ifdef __cplusplus
extern "C" {
#endif

struct rk_modbus_port;

/** What a loop runs on: a seam, and what stands behind it. Behind hardware of your own both others are
 * NULL. */
typedef struct rk_live_port {
    rk_port seam;
    rk_sim_plant *plant;           /* the simulated plant, which lives from scan to scan */
    struct rk_modbus_port *modbus; /* a device over Modbus */
} rk_live_port;

/**
 * Open what the loop's [port] says, the simulated plant without one. A device is waited for for
 * RK_LIVE_PORT_REACH s.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a loop without scan or plant; RK_ERR_IO for a device
 *         that cannot be reached; RK_ERR_MEMORY.
 */
rk_status rk_live_port_open(const rk_design *loop, rk_live_port *port, rk_diag *diag);

#define RK_LIVE_PORT_REACH 3.0

/** A scan is over: the heartbeat goes out, the simulated plant lives on for a scan. */
void rk_live_port_end_scan(rk_live_port *port);

/** So many more scans went by without one. */
void rk_live_port_pass(rk_live_port *port, size_t scans);

/** May OUT be written? As the last scan read it. */
bool rk_live_port_enabled(const rk_live_port *port);

/** Does the device answer, and not enable OUT? */
bool rk_live_port_holds(const rk_live_port *port);

/** Why the last scan had no PV, or could not write OUT; "": it could, or it is not known. */
const char *rk_live_port_why(const rk_live_port *port);

/** Connections made anew. */
size_t rk_live_port_reconnects(const rk_live_port *port);

/** Write OUT outside of the scans, tried for so long, s, where it can be lost. RK_ERR_IO: it was not
 * taken. While the device does not enable it nothing is written, and that is RK_OK. */
rk_status rk_live_port_write_now(rk_live_port *port, double out, double seconds);

/** Real-time scheduling for whatever the port does on a thread of its own. */
void rk_live_port_prioritise(rk_live_port *port, int priority);

/** Close it; an empty one is fine. */
void rk_live_port_close(rk_live_port *port);

/** The device that the loop's [port] describes, with the loop's simulated plant in it. */
typedef struct rk_plant_device rk_plant_device;

/**
 * Serve the loop's [plant] on the registers of its [port], at `address` or, with NULL, as
 * rk_plant_device_address has it. It lives on a thread of its own, `times` as fast as the clock.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a loop without plant, scan or registers, or an
 *         address that is none; RK_ERR_IO for one that cannot be had; RK_ERR_MEMORY.
 */
rk_status rk_plant_device_create(const rk_design *loop, const char *address, double times,
                                 rk_plant_device **device, rk_diag *diag);

/** [port]'s own address where that is a serial line or this machine itself, else 127.0.0.1:1502. */
const char *rk_plant_device_address(const rk_design *loop);

/** What it stands at. */
typedef struct rk_plant_device_state {
    double time;               /* the plant's, s */
    double pv, out, heartbeat; /* pv-EU, out-EU, counts; a pv of NaN: there is none */
    bool enable, pv_good, has_heartbeat;
    size_t requests; /* answered */
} rk_plant_device_state;

rk_plant_device_state rk_plant_device_get_state(rk_plant_device *device);

/** NULL is fine. */
void rk_plant_device_free(rk_plant_device *device);

#ifdef __cplusplus
}
#endif

#endif
