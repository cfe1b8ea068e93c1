/* SPDX-License-Identifier: MIT */
#ifndef TOOL_H
#define TOOL_H

#include <jansson.h>

#include "../support/support.h"

/** Run redkettle in a directory; arguments ended by NULL, without the program's own name. */
outcome run_tool(const char *directory, const char *const *arguments);

/** The same, the arguments one after the other. */
#define TOOL(directory, ...) run_tool(directory, (const char *const[]){__VA_ARGS__, NULL})

/** What a command printed as JSON; it must have ended with this exit status. Frees o. */
json_t *json_of(outcome o, int status);

/** A number at a path such as "model.gain" or "time_constant.0"; NaN for a null. */
double number_at(json_t *json, const char *path);

Suite *suite_bad_input(void);
Suite *suite_bump_command(void);
Suite *suite_run_command(void);
Suite *suite_settings_kept(void);
Suite *suite_slips(void);
Suite *suite_cli_search(void);
Suite *suite_report_command(void);

#endif
