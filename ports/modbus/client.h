/* SPDX-License-Identifier: MIT */
#ifndef PORTS_MODBUS_CLIENT_H
#define PORTS_MODBUS_CLIENT_H

#include "modbus.h"

/*
 * Requests to a device, one at a time, as they come: each may block for the timeout. The port's thread
 * is the only one that calls.
 */

enum { MODBUS_WHY_CHARS = 120 };

/** What a scan reads: each signal, and why it could not be had ("": it was). */
typedef struct rki_modbus_reading {
    double value[RK_MODBUS_SIGNALS];
    char why[RK_MODBUS_SIGNALS][MODBUS_WHY_CHARS];
} rki_modbus_reading;

typedef struct rki_modbus_client rki_modbus_client;

rki_modbus_client *rki_modbus_client_create(const rk_modbus_line *line,
                                            const rk_modbus_map *map, double timeout);

/** Open the line; false, and why. */
bool rki_modbus_client_connect(rki_modbus_client *c, char why[MODBUS_WHY_CHARS]);

/** Close it. */
void rki_modbus_client_close(rki_modbus_client *c);

/** Read what the map has to be read. False: the line is lost. */
bool rki_modbus_client_read(rki_modbus_client *c, rki_modbus_reading *reading);

/** Write OUT unless it is NaN, and the heartbeat where there is one. False: the line is lost; `why` is
 * not empty if the device refused. */
bool rki_modbus_client_write(rki_modbus_client *c, double out, uint16_t heartbeat,
                             char why[MODBUS_WHY_CHARS]);

/** From another thread, on a line that is open: end the request that waits. */
void rki_modbus_client_interrupt(rki_modbus_client *c);

void rki_modbus_client_free(rki_modbus_client *c);

#endif
