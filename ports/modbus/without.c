/* SPDX-License-Identifier: MIT */
/* A build without libmodbus: nothing can be reached. */
#include "modbus.h"

#include <errno.h>

bool rk_modbus_is_there(void)
{
    return false;
}

rk_status rk_modbus_port_create(const rk_modbus_line *line, const rk_modbus_map *map, double ts,
                                double timeout, rk_modbus_port **port)
{
    (void)line, (void)map, (void)ts, (void)timeout, (void)port;
    return RK_ERR_IO;
}

bool rk_modbus_port_wait(rk_modbus_port *port, double seconds)
{
    (void)port, (void)seconds;
    return false;
}

rk_port rk_modbus_port_seam(rk_modbus_port *port)
{
    const rk_port none = {port, NULL, NULL, NULL};

    return none;
}

void rk_modbus_port_end_scan(rk_modbus_port *port)
{
    (void)port;
}

bool rk_modbus_port_enabled(const rk_modbus_port *port)
{
    (void)port;
    return false;
}

bool rk_modbus_port_is_reached(const rk_modbus_port *port)
{
    (void)port;
    return false;
}

rk_status rk_modbus_port_write_now(rk_modbus_port *port, double out, double seconds)
{
    (void)port, (void)out, (void)seconds;
    return RK_ERR_IO;
}

const char *rk_modbus_port_why(const rk_modbus_port *port)
{
    (void)port;
    return "built without Modbus";
}

size_t rk_modbus_port_reconnects(rk_modbus_port *port)
{
    (void)port;
    return 0;
}

bool rk_modbus_port_prioritise(rk_modbus_port *port, int priority)
{
    (void)port, (void)priority;
    return false;
}

void rk_modbus_port_free(rk_modbus_port *port)
{
    (void)port;
}

rk_status rk_modbus_device_create(const rk_modbus_line *line, const rk_modbus_map *map,
                                  rk_modbus_device **device)
{
    (void)line, (void)map, (void)device;
    errno = ENOSYS;
    return RK_ERR_IO;
}

void rk_modbus_device_set(rk_modbus_device *device, rk_modbus_signal signal, double value)
{
    (void)device, (void)signal, (void)value;
}

double rk_modbus_device_get(rk_modbus_device *device, rk_modbus_signal signal)
{
    (void)device, (void)signal;
    return 0.0;
}

void rk_modbus_device_set_silent(rk_modbus_device *device, bool silent)
{
    (void)device, (void)silent;
}

size_t rk_modbus_device_requests(rk_modbus_device *device)
{
    (void)device;
    return 0;
}

void rk_modbus_device_serve(rk_modbus_device *device, int socket)
{
    (void)device, (void)socket;
}

void rk_modbus_device_free(rk_modbus_device *device)
{
    (void)device;
}
