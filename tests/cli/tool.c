/* SPDX-License-Identifier: MIT */
#include "tool.h"

outcome run_tool(const char *directory, const char *const *arguments)
{
    const char *argv[40] = {RK_CLI};
    size_t i;

    for (i = 0; arguments[i] != NULL && i < COUNT(argv) - 2; i++) {
        argv[i + 1] = arguments[i];
    }
    return run_program(directory, argv);
}
