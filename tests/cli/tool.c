/* SPDX-License-Identifier: MIT */
#include "tool.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

outcome run_tool(const char *directory, const char *const *arguments)
{
    const char *argv[40] = {RK_CLI};
    size_t i;

    for (i = 0; arguments[i] != NULL && i < COUNT(argv) - 2; i++) {
        argv[i + 1] = arguments[i];
    }
    return run_program(directory, argv);
}

json_t *json_of(outcome o, int status)
{
    json_error_t error;
    json_t *json = json_loads(o.out, 0, &error);

    ck_assert_msg(o.status == status, "exit %d: %s%s", o.status, o.out, o.err);
    ck_assert_msg(json != NULL, "%s in: %s", error.text, o.out);
    outcome_free(&o);
    return json;
}

double number_at(json_t *json, const char *path)
{
    char copy[128], *rest = NULL, *part;

    (void)snprintf(copy, sizeof copy, "%s", path);
    for (part = strtok_r(copy, ".", &rest); part != NULL; part = strtok_r(NULL, ".", &rest)) {
        json = json_is_array(json) ? json_array_get(json, (size_t)atoi(part))
                                   : json_object_get(json, part);
        ck_assert_msg(json != NULL, "no %s in %s", part, path);
    }
    if (json_is_null(json)) return nan("");
    ck_assert_msg(json_is_number(json), "%s is no number", path);
    return json_number_value(json);
}
