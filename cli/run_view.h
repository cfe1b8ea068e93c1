/* SPDX-License-Identifier: MIT */
#ifndef RUN_VIEW_H
#define RUN_VIEW_H

#include <stdbool.h>

#include <redkettle/redkettle.h>

/** Pairs of colours. */
enum { COLOUR_SP = 1, COLOUR_OUT, COLOUR_ALARM };

/** Take the whole terminal; false if it cannot be had. */
bool run_view_open(void);

/** Show where the loop stands: numbers, mode, alarms, a trend of SP and PV, and of OUT. */
void run_view_show(const rk_design *design, rk_live *live, double until);

/** The trend below the numbers: the newest rows at the right. */
void run_trend_show(const rk_design *design, const rk_run_curves *rows);

/** Do what keys ask for; false when they ask to end. */
bool run_view_keys(const rk_design *design, rk_live *live);

/** Give the terminal back. */
void run_view_close(void);

#endif
