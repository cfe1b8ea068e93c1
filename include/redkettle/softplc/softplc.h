/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_SOFTPLC_SOFTPLC_H
#define REDKETTLE_SOFTPLC_SOFTPLC_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <redkettle/design/base/diag.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A stand-in PLC that reads IEC 61131-3 Structured Text and runs it scan by scan.
 *
 * It knows BOOL, SINT, INT, DINT, LINT, USINT, UINT, UDINT, REAL, LREAL, TIME, ARRAY and
 * STRUCT; FUNCTION, FUNCTION_BLOCK and PROGRAM with all their VAR sections; all statements of
 * the language; the standard's numeric, selection, comparison and conversion functions, its
 * bistables, edge triggers, counters and timers; and a CONFIGURATION with cyclic tasks, or
 * VAR_GLOBAL alone. Not strings, dates, bit strings, references, classes, and addresses in
 * statements.
 *
 * Where the standard leaves a choice: what a text uses is declared above it (so there is no
 * recursion, as the standard demands); a variable AT an address is one like any other; a boolean operator evaluates both sides; an integer or
 * TIME result that its type cannot hold, an integer division by zero and an index beyond its
 * array stop the scan with an error; REAL and LREAL are IEC 60559's binary32 and binary64 and
 * go on with infinities and NaN; TIME counts nanoseconds.
 *
 * Source  IEC 61131-3, Programmable controllers, part 3: Programming languages, 3rd ed., 2013.
 */
typedef struct rk_plc rk_plc;

/** An instance of a function block or program; its PLC owns it. */
typedef struct rk_plc_instance rk_plc_instance;

typedef enum rk_plc_kind {
    RK_PLC_BOOL,
    RK_PLC_SINT,
    RK_PLC_INT,
    RK_PLC_DINT,
    RK_PLC_LINT,
    RK_PLC_USINT,
    RK_PLC_UINT,
    RK_PLC_UDINT,
    RK_PLC_TIME, /* whole: nanoseconds */
    RK_PLC_REAL,
    RK_PLC_LREAL,
} rk_plc_kind;

/** A variable's content: `real` of REAL and LREAL, `whole` of all else (BOOL: 0 or 1). */
typedef union rk_plc_value {
    int64_t whole;
    double real; /* of REAL: a number that single precision holds */
    union rk_plc_value *at;
} rk_plc_value;

/** Where a variable stands; read and write *at. */
typedef struct rk_plc_variable {
    rk_plc_kind kind;
    rk_plc_value *at;
} rk_plc_variable;

/** A PLC that knows the standard's functions and function blocks, or NULL if there is no
 * memory. */
rk_plc *rk_plc_create(void);

/** Frees it with all its instances; NULL does nothing. */
void rk_plc_free(rk_plc *plc);

/**
 * Read program text: data types, functions, function blocks, programs, a configuration. It may
 * use what was loaded before it. `name` stands in messages: "NAME, line 3, column 7: ..".
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_FORMAT for text that the standard does not allow or
 * that is beyond this PLC; RK_ERR_MEMORY. After an error load no further.
 */
rk_status rk_plc_load(rk_plc *plc, const char *name, const char *text, size_t length,
                      rk_diag *diag);

/**
 * An instance of a function block or a program (its name in any case) with its initial values.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_DATA if nothing of that name was loaded, or a global
 *         variable that it uses was not; RK_ERR_MEMORY.
 */
rk_status rk_plc_instance_create(rk_plc *plc, const char *type, rk_plc_instance **made,
                                 rk_diag *diag);

/**
 * A variable of an instance, or NULL for a program of the configuration or a global variable:
 * "out", "ring[3]", "loop.out", "blend.loop.out". Names in any case.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_DATA if there is no such variable or it is not
 * elementary.
 */
rk_status rk_plc_find(rk_plc *plc, rk_plc_instance *instance, const char *path,
                      rk_plc_variable *found, rk_diag *diag);

/** A value as the standard writes it: TRUE, -5, 1.5, T#1s500ms. Room: RK_PLC_VALUE_CHARS. */
enum { RK_PLC_VALUE_CHARS = 64 };
void rk_plc_format(const rk_plc_variable *variable, char *chars);

/**
 * Call an instance once.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE and diag says where: what the standard calls an
 *         error of the program, such as an overflow, or a loop that does not end.
 */
rk_status rk_plc_scan(rk_plc *plc, rk_plc_instance *instance, rk_diag *diag);

/** Initial values again: a cold restart; a warm one leaves what is declared RETAIN. */
void rk_plc_instance_restart(rk_plc_instance *instance, bool warm);

/** The PLC's clock, seconds since its start, which timers read. rk_plc_run moves it. */
void rk_plc_set_clock(rk_plc *plc, double seconds);

/**
 * Run the configuration's tasks for so many seconds, each program at its task's interval and
 * the lower PRIORITY number first; programs without a task once in between. The first call
 * starts all at once, at time 0. Returns after the scans that fall before the end.
 *
 * Errors  as rk_plc_scan; RK_ERR_DATA if no configuration was loaded.
 */
rk_status rk_plc_run(rk_plc *plc, double seconds, rk_diag *diag);

/** The interval of the task that runs a program of this type, s. Errors  RK_ERR_ARG for a NULL;
 * RK_ERR_DATA if there is none. */
rk_status rk_plc_interval(const rk_plc *plc, const char *program, double *seconds);

/** All programs and global variables of the configuration, as rk_plc_instance_restart. */
void rk_plc_restart(rk_plc *plc, bool warm);

/** What the loaded texts declare last: the name of the last FUNCTION_BLOCK (or PROGRAM), or "".
 */
const char *rk_plc_last_block(const rk_plc *plc);

#ifdef __cplusplus
}
#endif

#endif
