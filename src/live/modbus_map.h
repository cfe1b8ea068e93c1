/* SPDX-License-Identifier: MIT */
#ifndef RKI_LIVE_MODBUS_MAP_H
#define RKI_LIVE_MODBUS_MAP_H

#include <ports/modbus/modbus.h>
#include <redkettle/design/loop/design.h>

/** The registers of a loop's [port] as the port takes them. */
rk_modbus_map rki_modbus_map(const rk_design *loop);

/** The line to an address; false if it is none of its kind. */
bool rki_modbus_line(const rk_port_design *port, const char *address, rk_modbus_line *line);

#endif
