/* SPDX-License-Identifier: MIT */
#ifndef FIELD_H
#define FIELD_H

#include <stdbool.h>
#include <stdint.h>
#include <sys/types.h>

#include <redkettle/redkettle.h>

#include "../support/support.h"

/*
 * bump, run and plant as processes: beside each other, on a device or the simulated plant, at a terminal
 * or none.
 */

/** What a child is started with beside its arguments. */
typedef struct setting {
    int terminal;    /* a pseudo-terminal's other end for all three streams; 0: files */
    bool no_streams; /* all three are closed */
    long file_limit; /* bytes that a file may have; 0: no limit */
} setting;

/** Start redkettle in a directory; what it prints is in NAME.out and NAME.err there. */
pid_t start_tool(const char *dir, const char *name, const setting *s,
                 const char *const *arguments);

#define START(dir, name, s, ...)                                                               \
    start_tool(dir, name, s, (const char *const[]){__VA_ARGS__, NULL})

/** Wait for its end, so long at most, s: its exit status, 128 and the signal that ended it, or -1: it has
 * not ended, and is killed. */
int end_of(pid_t child, double seconds);

/** The blend loop in p.loop, scanned so often: on a device at that port, or, with 0, on the simulated
 * plant. Its safe output is 17. `more` goes to its end. */
void put_blend(const char *dir, const char *scan, int port, const char *more);

/** Its plant as a device, ready to be asked; ends with end_plant, which takes SIGTERM. */
pid_t start_plant(const char *dir, int port);
void end_plant(pid_t plant);

/** A register of the device by function 1, 2, 3 or 4; -1: nobody answers. And a write, by 5 or 6. */
int peek(int port, int function, int address);
bool poke(int port, int function, int address, int value);

/** Where its registers are. */
enum { PV_AT = 0, OUT_AT = 0, HEARTBEAT_AT = 1, ENABLE_AT = 0, PV_GOOD_AT = 0 };

/** s */
double clock_now(void);
void nap(double seconds);

/** Wait until a file of the directory holds these words, so long at most, s. */
bool wait_for_words(const char *dir, const char *file, const char *words, double seconds);

/** Wait until a record has so many rows. */
bool wait_for_rows(const char *dir, const char *file, size_t rows, double seconds);

/** Rows of numbers in a record. */
size_t rows_of(const char *dir, const char *file);

/** A number of a record's rows: column from 0, row from 0 or, below 0, from the end. NaN: there is none. */
double cell_of(const char *dir, const char *file, int column, long row);

/** Where the simulated valve stands that keeps its place in place.valve. */
double valve_of(const char *dir);

#endif
