/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_LIVE_CLOCK_H
#define REDKETTLE_LIVE_CLOCK_H

#include <stdbool.h>

#include <redkettle/design/base/diag.h>

#ifdef __cplusplus
extern "C" {
#endif

/** s of the machine's clock that only goes forward. */
double rk_clock_now(void);

/** Sleep until it shows that, or a signal has been caught. */
void rk_clock_sleep(double until);

enum { RK_CLOCK_PRIORITY = 50 };

/**
 * Real-time scheduling (SCHED_FIFO) at RK_CLOCK_PRIORITY for this thread, and the program's memory locked,
 * so that neither other programs nor the disk make a scan late.
 *
 * Errors  RK_ERR_IO, and diag says what the system refused; what it granted stays.
 */
rk_status rk_clock_prioritise(rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
