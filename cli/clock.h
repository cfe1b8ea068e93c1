/* SPDX-License-Identifier: MIT */
#ifndef CLOCK_H
#define CLOCK_H

#include <stdbool.h>

#include <redkettle/redkettle.h>

/**
 * From here on a signal that would end the program is only noted: nothing else may end it while
 * OUT is moved. A reader that went away, Ctrl-Z, a terminal that is somebody else's and a file that may
 * not grow do nothing.
 */
void catch_signals(void);

/** Has one come? Its name: "Ctrl-C", or as the system calls it. */
bool is_caught(void);
const char *caught_name(void);

/**
 * OUT is where it belongs and the program is about to end with this status: now any signal ends it at
 * once, with that. One that was caught before leaves it `seconds` to tell the rest, for a terminal may
 * take no more.
 */
void release_signals(int status, unsigned seconds);

/**
 * From now on at so many times the speed of the wall clock (NaN: a simulated plant's runs
 * ahead), ended by a signal; user is handed to what the caller sets. One at a time.
 */
rk_pace real_pace(double times, void *user);

/** Real-time scheduling of what moves OUT; why the system does not give it, which is told, or "". */
void prioritise(const char *command, rk_live_port *port, rk_diag *refusal);

#endif
