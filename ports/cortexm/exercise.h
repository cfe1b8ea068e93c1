/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_PORTS_CORTEXM_EXERCISE_H
#define REDKETTLE_PORTS_CORTEXM_EXERCISE_H

/**
 * Run every block of the device tier for 10,000 scans over the same inputs, bad ones among
 * them, and tell a line for each: its name and a checksum of all the bits that came out. Two
 * machines that tell the same lines compute the same bits.
 */
void exercise_blocks(void (*tell)(const char *text));

#endif
