/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_PORTS_TEMPLATE_BOARD_H
#define REDKETTLE_PORTS_TEMPLATE_BOARD_H

#include <stdbool.h>
#include <stdint.h>

#include <redkettle/device/port.h>

/*
 * A port to fill in. What the board has, to be written for it: each returns at once, and false where
 * there is nothing to return. docs/port.md goes through it.
 */
bool board_read_counts(uint16_t *counts); /* of the transmitter's converter */
bool board_write_counts(uint16_t counts); /* to the valve's converter */

/** A channel: what its converter counts at the range's ends, and what that is in EU. */
typedef struct board_channel {
    rk_real counts_low, counts_high;
    rk_real low, high;
} board_channel;

/** A loop's two channels, and what was written last. */
typedef struct board {
    board_channel pv, out;
    rk_real written; /* out-EU; set it to where the valve stands before the loop starts */
} board;

/** The seam; valid as long as *b is. */
rk_port board_port(board *b);

#endif
