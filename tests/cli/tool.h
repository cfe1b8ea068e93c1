/* SPDX-License-Identifier: MIT */
#ifndef TOOL_H
#define TOOL_H

#include "../support/support.h"

/** Run redkettle in a directory; arguments ended by NULL, without the program's own name. */
outcome run_tool(const char *directory, const char *const *arguments);

Suite *suite_bad_input(void);
Suite *suite_bump_command(void);
Suite *suite_run_command(void);

#endif
