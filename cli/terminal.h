/* SPDX-License-Identifier: MIT */
#ifndef TERMINAL_H
#define TERMINAL_H

#include <stdbool.h>

/*
 * The terminal while something runs: a thread of its own writes to it, so that one that takes nothing
 * more (Ctrl-S, a line that hangs) makes nobody else wait. One at a time.
 */

/** A view of the whole screen: shown some times a second, while the screen takes it. */
typedef struct terminal_view {
    void (*show)(void *user);
    void (*close)(void *user);
    void *user;
} terminal_view;

/** From here on; view NULL: lines only. False: no thread could be had. */
bool terminal_start(const terminal_view *view);

/** A line on standard error, soon; while there is a view, none. Lines that are too many are dropped. */
void terminal_say(const char *format, ...) __attribute__((format(printf, 1, 2)));

/** How far it is, in one line that is written over and over; on a terminal only. */
void terminal_progress(const char *format, ...) __attribute__((format(printf, 1, 2)));

/** It is over: what was said is written, the view closed, as far as that goes within a second. */
void terminal_end(void);

/** Give the terminal the mode that it had when the program began; safe in a signal's handler. */
void terminal_keep(void);
void terminal_restore(void);

#endif
