/* SPDX-License-Identifier: MIT */
#ifndef RUN_VIEW_H
#define RUN_VIEW_H

#include <stdbool.h>

#include <redkettle/redkettle.h>

/** Pairs of colours. */
enum { COLOUR_SP = 1, COLOUR_OUT, COLOUR_ALARM };

/** Take the whole terminal, to show this loop until then, s; false if it cannot be had. */
bool run_view_open(const rk_design *design, double until);

/* The scan's side: quick, and without the terminal. */

/** What the last scan came to. */
void run_view_post(const rk_live *live);

/** The next that somebody asked for by keys; false: there is none. */
bool run_view_command(rk_event *event);

/** That changed nothing, and why. */
void run_view_refuse(const char *why);

/** Has somebody asked to end? */
bool run_view_is_left(void);

/* The terminal's side. */

/** Show where the loop stands: numbers, mode, alarms, a trend of SP and PV, and of OUT; and take keys. */
void run_view_show(void *unused);

/** The trend below the numbers: the newest rows at the right. */
void run_trend_show(const rk_design *design, const rk_run_curves *rows);

/** Give the terminal back. */
void run_view_close(void *unused);

#endif
