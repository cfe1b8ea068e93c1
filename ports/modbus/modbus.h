/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_PORTS_MODBUS_MODBUS_H
#define REDKETTLE_PORTS_MODBUS_MODBUS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <redkettle/device/port.h>

/*
 * The seam to hardware over Modbus TCP and RTU, both sides of it: a port, which reads PV from a device
 * and writes OUT to it, and a device, which serves the registers of one loop.
 *
 * Source  MODBUS Application Protocol Specification V1.1b3; MODBUS Messaging on TCP/IP Implementation
 *         Guide V1.0b; MODBUS over Serial Line V1.02.
 */

/** The tables of a device. */
typedef enum rk_modbus_table {
    RK_MODBUS_COIL = 0,
    RK_MODBUS_DISCRETE = 1,
    RK_MODBUS_INPUT = 2,
    RK_MODBUS_HOLDING = 3,
} rk_modbus_table;

/** What the bits of a register are; those of a coil or a discrete input are one bit. */
typedef enum rk_modbus_type {
    RK_MODBUS_INT16 = 0,
    RK_MODBUS_UINT16 = 1,
    RK_MODBUS_INT32 = 2,
    RK_MODBUS_UINT32 = 3,
    RK_MODBUS_FLOAT32 = 4,
} rk_modbus_type;

/** What a loop has in a device. */
typedef enum rk_modbus_signal {
    RK_MODBUS_PV = 0,
    RK_MODBUS_OUT,       /* written */
    RK_MODBUS_OUT_NOW,   /* read back; not given: OUT is */
    RK_MODBUS_PV_GOOD,   /* 0: PV is bad; not given: it is good */
    RK_MODBUS_ENABLE,    /* 0: OUT may not be written; not given: it may */
    RK_MODBUS_HEARTBEAT, /* counts the scans */
} rk_modbus_signal;

enum { RK_MODBUS_SIGNALS = 6 };

/** Where a signal stands. */
typedef struct rk_modbus_point {
    bool given;
    rk_modbus_table table;
    uint16_t address;
    rk_modbus_type type;
    double
        raw[2]; /* what stands there at value[0] and value[1]; raw[0] NaN: the value itself */
    double value[2]; /* EU */
} rk_modbus_point;

/** The registers of a loop. */
typedef struct rk_modbus_map {
    rk_modbus_point point[RK_MODBUS_SIGNALS];
    bool low_first; /* the low half of a 32-bit value stands at the lower address */
} rk_modbus_map;

/** A line to a device. */
typedef struct rk_modbus_line {
    char name[128];  /* of the host, or the serial device */
    char service[8]; /* of the host: "502"; "": a serial line */
    int baud, data_bits, stop_bits;
    char parity; /* 'N', 'E', 'O' */
    int unit;    /* the device's address */
} rk_modbus_line;

/** Was this built with libmodbus? Without, nothing can be reached, and why says so. */
bool rk_modbus_is_there(void);

/* ---- the numbers ---- */

/** Registers that a point takes; 1 for a bit. */
int rk_modbus_width(const rk_modbus_point *point);

/**
 * The value that registers hold. NULL, or what is wrong with it: a NaN or infinite number, or one
 * beyond its raw range by more than 1 % of that.
 */
const char *rk_modbus_decode(const rk_modbus_point *point, bool low_first,
                             const uint16_t *words, double *value);

/** Registers that hold a value: rounded to the nearest, within the raw range and the type's; NaN in
 * a float is NaN, else as far beyond the raw range as the type goes. */
void rk_modbus_encode(const rk_modbus_point *point, bool low_first, double value,
                      uint16_t *words);

/* ---- the port ---- */

/** A loop's port over Modbus. A thread of its own holds the line: no call waits for it longer than the
 * scan allows, and a lost line is made anew meanwhile. */
typedef struct rk_modbus_port rk_modbus_port;

/**
 * Start; the line is tried at once. ts: the scan interval, s; timeout: s without a whole reply until
 * the line is dropped and made anew.
 *
 * Errors  RK_ERR_ARG for a NULL, or a map without PV or OUT; RK_ERR_IO without a thread or memory.
 */
rk_status rk_modbus_port_create(const rk_modbus_line *line, const rk_modbus_map *map, double ts,
                                double timeout, rk_modbus_port **port);

/** Wait so long, s, for the line to be there; false: it is not. */
bool rk_modbus_port_wait(rk_modbus_port *port, double seconds);

/**
 * The services. read_pv begins a scan: everything is read, and RK_ERR_IO is a scan without a whole
 * reply in time or with a bad PV. read_out gives what was read in this scan, and reads if nothing was.
 * write_out tells whether the device took it; RK_OK without writing while it is not enabled.
 */
rk_port rk_modbus_port_seam(rk_modbus_port *port);

/** The scan's end: the heartbeat, if write_out did not send it. */
void rk_modbus_port_end_scan(rk_modbus_port *port);

/** May OUT be written, as last read? False if it could not be. */
bool rk_modbus_port_enabled(const rk_modbus_port *port);

/** Did the device answer when it was last asked to be read? */
bool rk_modbus_port_is_reached(const rk_modbus_port *port);

/** Write OUT whatever time it takes, s at most: the line is made anew if it has to be. RK_OK without
 * writing when the device is reached and does not enable it. */
rk_status rk_modbus_port_write_now(rk_modbus_port *port, double out, double seconds);

/** Why the last scan had no PV, or wrote no OUT; "": it did. Stays until the next scan. */
const char *rk_modbus_port_why(const rk_modbus_port *port);

/** Lines made anew since the start. */
size_t rk_modbus_port_reconnects(rk_modbus_port *port);

/** Real-time scheduling (SCHED_FIFO) at that priority for the port's thread; false: refused. */
bool rk_modbus_port_prioritise(rk_modbus_port *port, int priority);

/** End it. NULL is fine. */
void rk_modbus_port_free(rk_modbus_port *port);

/* ---- the device ---- */

/** A device with one loop's registers. */
typedef struct rk_modbus_device rk_modbus_device;

enum { RK_MODBUS_CONNECTIONS = 8 };

/**
 * Serve it: RK_MODBUS_CONNECTIONS lines at once; enable and PV-good read 1, all else 0. Other registers
 * are answered with exception 2, other functions with exception 1.
 *
 * Errors  RK_ERR_ARG for a NULL or a map without PV or OUT; RK_ERR_IO, and errno tells why, for an
 *         address that cannot be had.
 */
rk_status rk_modbus_device_create(const rk_modbus_line *line, const rk_modbus_map *map,
                                  rk_modbus_device **device);

/** What a signal reads from now on. */
void rk_modbus_device_set(rk_modbus_device *device, rk_modbus_signal signal, double value);

/** What stands there. */
double rk_modbus_device_get(rk_modbus_device *device, rk_modbus_signal signal);

/** Does it answer at all? It does at first. */
void rk_modbus_device_set_silent(rk_modbus_device *device, bool silent);

/** Requests that were answered. */
size_t rk_modbus_device_requests(rk_modbus_device *device);

/** Serve one line that is open already, until it ends: for tests. */
void rk_modbus_device_serve(rk_modbus_device *device, int socket);

/** End it. NULL is fine. */
void rk_modbus_device_free(rk_modbus_device *device);

#endif
