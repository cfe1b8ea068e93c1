/* SPDX-License-Identifier: MIT */
#ifndef CLOCK_H
#define CLOCK_H

#include <stdbool.h>

#include <redkettle/redkettle.h>

/** s of a clock that only goes forward. */
double wall_clock(void);

/**
 * From here on a signal that would end the program is only noted: nothing else may end it while
 * OUT is moved. A reader that went away, and Ctrl-Z, do nothing.
 */
void catch_signals(void);

/** Has one come? Its name: "Ctrl-C", or as the system calls it. */
bool is_caught(void);
const char *caught_name(void);

/**
 * From now on at so many times the speed of the wall clock (NaN: a simulated plant's runs
 * ahead), ended by a signal; user is handed to `seen`, which the caller sets. One at a time.
 */
rk_pace real_pace(double times, void *user);

#endif
