/* SPDX-License-Identifier: MIT */
#include <redkettle/live/live_port.h>

#include <math.h>
#include <string.h>

#include "modbus_map.h"

static rk_status open_plant(const rk_design *loop, rk_live_port *port, rk_diag *diag)
{
    rk_sim_plant *plant = NULL;
    const rk_status status = rk_sim_plant_create(loop, &plant, diag);

    if (status != RK_OK) return status;
    port->plant = plant;
    port->seam = rk_sim_plant_port(plant);
    return RK_OK;
}

static rk_status open_modbus(const rk_design *loop, rk_live_port *port, rk_diag *diag)
{
    const rk_modbus_map map = rki_modbus_map(loop);
    const rk_port_design *p = &loop->port;
    rk_modbus_line line;
    rk_modbus_port *made = NULL;

    if (!rk_modbus_is_there()) {
        return rk_diag_set(diag, RK_ERR_IO,
                           "[port] kind %s: this redkettle was built without Modbus; install "
                           "libmodbus-dev and build it again",
                           rk_port_kind_to_text(p->kind));
    }
    if (!(loop->ts > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "no scan interval: give [loop] scan");
    }
    if (!rki_modbus_line(p, p->address, &line) ||
        rk_modbus_port_create(&line, &map, loop->ts, p->timeout, &made) != RK_OK) {
        return rk_diag_set(diag, RK_ERR_IO, "[port] address %.80s: the port cannot be opened",
                           p->address);
    }
    if (!rk_modbus_port_wait(made, RK_LIVE_PORT_REACH)) {
        (void)rk_diag_set(diag, RK_ERR_IO,
                          "nobody answers at [port] address: %s; is the device on, and its "
                          "network?",
                          rk_modbus_port_why(made));
        rk_modbus_port_free(made);
        return RK_ERR_IO;
    }
    port->modbus = made;
    port->seam = rk_modbus_port_seam(made);
    return RK_OK;
}

rk_status rk_live_port_open(const rk_design *loop, rk_live_port *port, rk_diag *diag)
{
    rk_live_port made;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || port == NULL) return RK_ERR_ARG;
    memset(&made, 0, sizeof made);
    status = loop->port.kind == RK_PORT_SIM ? open_plant(loop, &made, diag)
                                            : open_modbus(loop, &made, diag);
    if (status == RK_OK) {
        *port = made;
    }
    return status;
}

void rk_live_port_pass(rk_live_port *port, size_t scans)
{
    for (; port->plant != NULL && scans > 0; scans--) {
        rk_sim_plant_advance(port->plant);
    }
}

void rk_live_port_end_scan(rk_live_port *port)
{
    if (port->modbus != NULL) {
        rk_modbus_port_end_scan(port->modbus);
    }
    rk_live_port_pass(port, 1);
}

bool rk_live_port_enabled(const rk_live_port *port)
{
    return port->modbus == NULL || rk_modbus_port_enabled(port->modbus);
}

bool rk_live_port_holds(const rk_live_port *port)
{
    return port->modbus != NULL && rk_modbus_port_is_reached(port->modbus) &&
           !rk_modbus_port_enabled(port->modbus);
}

const char *rk_live_port_why(const rk_live_port *port)
{
    return port->modbus != NULL ? rk_modbus_port_why(port->modbus) : "";
}

size_t rk_live_port_reconnects(const rk_live_port *port)
{
    return port->modbus != NULL ? rk_modbus_port_reconnects(port->modbus) : 0;
}

rk_status rk_live_port_write_now(rk_live_port *port, double out, double seconds)
{
    if (port->modbus != NULL) return rk_modbus_port_write_now(port->modbus, out, seconds);
    return port->seam.write_out(port->seam.user, out);
}

void rk_live_port_prioritise(rk_live_port *port, int priority)
{
    if (port->modbus != NULL) {
        rk_modbus_port_prioritise(port->modbus, priority);
    }
}

void rk_live_port_close(rk_live_port *port)
{
    rk_modbus_port_free(port->modbus);
    rk_sim_plant_free(port->plant);
    memset(port, 0, sizeof *port);
}
