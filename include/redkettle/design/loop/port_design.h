/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_LOOP_PORT_DESIGN_H
#define REDKETTLE_DESIGN_LOOP_PORT_DESIGN_H

#include <stdbool.h>

#include <redkettle/design/base/diag.h>
#include <redkettle/design/base/text.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What a loop runs on. */
typedef enum rk_port_kind {
    RK_PORT_SIM = 0, /* the simulated plant, in the same program */
    RK_PORT_MODBUS_TCP = 1,
    RK_PORT_MODBUS_RTU = 2,
} rk_port_kind;

/** "sim", "modbus-tcp", "modbus-rtu". */
const char *rk_port_kind_to_text(rk_port_kind kind);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_port_kind_from_text(const char *text, rk_port_kind *kind, rk_diag *diag);

/** Which half of a 32-bit value stands in the register with the lower address. */
typedef enum rk_word_order {
    RK_WORD_ORDER_HIGH_FIRST = 0,
    RK_WORD_ORDER_LOW_FIRST = 1,
} rk_word_order;

/** "high-first", "low-first". */
const char *rk_word_order_to_text(rk_word_order order);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_word_order_from_text(const char *text, rk_word_order *order, rk_diag *diag);

/** The tables of a Modbus device. Source  MODBUS Application Protocol Specification V1.1b3, 4.3. */
typedef enum rk_table {
    RK_TABLE_COIL = 0, /* a bit that can be written */
    RK_TABLE_DISCRETE = 1,
    RK_TABLE_INPUT = 2,
    RK_TABLE_HOLDING = 3, /* a register that can be written */
} rk_table;

/** "coil", "discrete", "input", "holding". */
const char *rk_table_to_text(rk_table table);

/** What the bits of a register are. */
typedef enum rk_register_type {
    RK_REGISTER_INT16 = 0,
    RK_REGISTER_UINT16 = 1,
    RK_REGISTER_INT32 = 2,
    RK_REGISTER_UINT32 = 3,
    RK_REGISTER_FLOAT32 = 4,
} rk_register_type;

/** "int16", "uint16", "int32", "uint32", "float32". */
const char *rk_register_type_to_text(rk_register_type type);

/** What its raw numbers can be; false for a float, which has no bounds. */
bool rk_register_type_range(rk_register_type type, double *low, double *high);

/** Registers that a value of this type takes: 1 or 2. */
int rk_register_type_width(rk_register_type type);

/** Where a device keeps something, and how. */
typedef struct rk_register {
    bool given;
    rk_table table;
    int address;           /* 0 to 65535 */
    rk_register_type type; /* of a number; a flag, and the heartbeat, are RK_REGISTER_UINT16 */
    double raw[2];         /* what it reads at the value's low and high; NaN: it is the value */
} rk_register;

enum { RK_PORT_ADDRESS_CHARS = 128 };

/** What stands at the other end of a loop's port. */
typedef struct rk_port_design {
    rk_port_kind kind;
    char address[RK_PORT_ADDRESS_CHARS]; /* "127.0.0.1:1502", "/dev/ttyUSB0 9600 8N1" */
    double unit;                         /* the device's address, 0 to 255 */
    rk_register pv, out, out_now, pv_good, enable, heartbeat;
    rk_word_order word_order;
    double timeout; /* s without a whole reply until the connection is made anew */
} rk_port_design;

/** The simulated plant. */
rk_port_design rk_port_design_make(void);

/**
 * Read "input 0 int16 0..10000", or for a flag "coil 0", into the register of that key and check
 * it against those that are given already.
 *
 * Errors  RK_ERR_FORMAT for a text that is none, a table that cannot hold it, a raw range that is
 *         empty or beyond the type, or a register that another key has; diag says which.
 */
rk_status rk_port_register_set(rk_port_design *port, const char *key, const char *value,
                               rk_diag *diag);

/** The same text again; nothing for a register that is not given. */
void rk_port_register_get(const rk_port_design *port, const char *key, rk_text *text);

/** A serial line. */
typedef struct rk_serial_line {
    char device[RK_PORT_ADDRESS_CHARS];
    int baud, data_bits, stop_bits;
    char parity; /* 'N', 'E', 'O' */
} rk_serial_line;

/** "/dev/ttyUSB0 9600 8N1"; without the numbers 9600 8N1. False for anything else. */
bool rk_serial_line_parse(const char *address, rk_serial_line *line);

/** A host and its port: "127.0.0.1:1502", "[::1]:1502", "plc-7"; without a port 502. */
typedef struct rk_host {
    char name[RK_PORT_ADDRESS_CHARS], service[8];
} rk_host;

/** False for anything else. */
bool rk_host_parse(const char *address, rk_host *host);

/**
 * Is it whole? A Modbus port needs an address of its kind, pv and out; a raw range needs the range of
 * its value.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE, diag says what to do, and *key, if that is not NULL,
 *         is the key that is wrong, or "" for one that is missing.
 */
rk_status rk_port_design_check(const rk_port_design *port, bool pv_range, bool out_range,
                               const char **key, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
