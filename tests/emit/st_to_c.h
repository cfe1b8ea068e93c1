/* SPDX-License-Identifier: MIT */
#ifndef ST_TO_C_H
#define ST_TO_C_H

#include <redkettle/redkettle.h>

/**
 * Read a Structured Text function block with the eyes of the standard and write the same as C:
 * a struct `block` of all its variables, block_init(), which gives them their initial values,
 * and block_scan(), its body. Knows BOOL, LREAL, assignments, IF and expressions; anything else
 * fails the test.
 */
rk_text *st_to_c(const char *st);

#endif
