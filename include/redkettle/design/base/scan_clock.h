/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_BASE_SCAN_CLOCK_H
#define REDKETTLE_DESIGN_BASE_SCAN_CLOCK_H

#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * The time of scans, told how long passed between them. On its time a scan is a whole number of
 * intervals from the last that was not, so that no sum of intervals drifts.
 */
typedef struct rk_scan_clock {
    double ts;    /* scan interval, s; the rest starts at 0 */
    double base;  /* s: the time of the last scan that was not on its time */
    double last;  /* s: of the last scan */
    size_t since; /* scans since base */
    size_t scans; /* all of them */
} rk_scan_clock;

/** So long, s, passed since the last scan. True: it is not one interval, and the next scan is due then. */
bool rk_scan_clock_pass(rk_scan_clock *clock, double elapsed);

/** When the next scan is due, s. */
double rk_scan_clock_due(const rk_scan_clock *clock);

/** A scan is made: its time, s. */
double rk_scan_clock_scan(rk_scan_clock *clock);

#ifdef __cplusplus
}
#endif

#endif
