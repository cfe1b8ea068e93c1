/* SPDX-License-Identifier: MIT */
#include "modbus_map.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

static rk_modbus_point point_of(const rk_register *r, double low, double high)
{
    static const rk_modbus_table tables[] = {[RK_TABLE_COIL] = RK_MODBUS_COIL,
                                             [RK_TABLE_DISCRETE] = RK_MODBUS_DISCRETE,
                                             [RK_TABLE_INPUT] = RK_MODBUS_INPUT,
                                             [RK_TABLE_HOLDING] = RK_MODBUS_HOLDING};
    static const rk_modbus_type types[] = {[RK_REGISTER_INT16] = RK_MODBUS_INT16,
                                           [RK_REGISTER_UINT16] = RK_MODBUS_UINT16,
                                           [RK_REGISTER_INT32] = RK_MODBUS_INT32,
                                           [RK_REGISTER_UINT32] = RK_MODBUS_UINT32,
                                           [RK_REGISTER_FLOAT32] = RK_MODBUS_FLOAT32};
    const rk_modbus_point made = {.given = r->given,
                                  .table = tables[r->table],
                                  .address = (uint16_t)r->address,
                                  .type = types[r->type],
                                  .raw = {r->raw[0], r->raw[1]},
                                  .value = {low, high}};

    return made;
}

rk_modbus_map rki_modbus_map(const rk_design *d)
{
    const rk_port_design *p = &d->port;
    const double none = nan("");
    rk_modbus_map map = {.low_first = p->word_order == RK_WORD_ORDER_LOW_FIRST};

    map.point[RK_MODBUS_PV] = point_of(&p->pv, d->pv_low, d->pv_high);
    map.point[RK_MODBUS_OUT] = point_of(&p->out, d->out_low, d->out_high);
    map.point[RK_MODBUS_OUT_NOW] = point_of(&p->out_now, d->out_low, d->out_high);
    map.point[RK_MODBUS_PV_GOOD] = point_of(&p->pv_good, none, none);
    map.point[RK_MODBUS_ENABLE] = point_of(&p->enable, none, none);
    map.point[RK_MODBUS_HEARTBEAT] = point_of(&p->heartbeat, none, none);
    return map;
}

bool rki_modbus_line(const rk_port_design *port, const char *address, rk_modbus_line *line)
{
    rk_modbus_line made;
    rk_serial_line serial;
    rk_host host;

    memset(&made, 0, sizeof made);
    made.unit = (int)port->unit;
    if (rk_serial_line_parse(address, &serial)) {
        (void)snprintf(made.name, sizeof made.name, "%s", serial.device);
        made.baud = serial.baud;
        made.data_bits = serial.data_bits;
        made.stop_bits = serial.stop_bits;
        made.parity = serial.parity;
    } else if (rk_host_parse(address, &host)) {
        (void)snprintf(made.name, sizeof made.name, "%s", host.name);
        (void)snprintf(made.service, sizeof made.service, "%s", host.service);
    } else {
        return false;
    }
    *line = made;
    return true;
}
