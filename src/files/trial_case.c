/* SPDX-License-Identifier: MIT */
#include <redkettle/files/trial_case.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <redkettle/files/loop_file.h>

/* Another loop file's controller on this loop's process. */
static rk_status read_file(const char *path, rk_trial_case *made, rk_diag *diag)
{
    rk_design other;
    const rk_status status = rk_design_read(path, &other, diag);

    if (status != RK_OK) return status == RK_ERR_RANGE ? RK_ERR_FORMAT : status;
    if (!other.has_settings) {
        return rk_diag_set(diag, RK_ERR_DATA, "case %s: has no [settings]: tune it and save",
                           path);
    }
    (void)snprintf(made->name, sizeof made->name, "%.40s", other.name);
    made->settings = other.settings;
    made->limits = rk_design_limits(&other);
    if (!isnan(other.ts)) {
        made->ts = other.ts;
        made->delay = rk_design_delay(&other);
    }
    return RK_OK;
}

rk_status rk_trial_case_read(const rk_design *loop, bool on_plant, const char *words,
                             rk_trial_case *made, rk_diag *diag)
{
    rk_diag why = {RK_OK, ""};
    const char *colon;
    rk_trial_case read;
    size_t length;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || words == NULL || made == NULL) return RK_ERR_ARG;
    read = rk_trial_case_of(loop, on_plant);
    colon = strchr(words, ':');
    length = strlen(words);
    if (colon == NULL && length > 5 && strcmp(words + length - 5, ".loop") == 0) {
        status = read_file(words, &read, diag);
    } else if (colon == NULL || colon == words || (size_t)(colon - words) >= sizeof read.name) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "case '%.60s': give \"name: key=value ...\", the name of at most "
                           "%zu letters, or a loop file",
                           words, sizeof read.name - 1);
    } else {
        (void)snprintf(read.name, sizeof read.name, "%.*s", (int)(colon - words), words);
        status = rk_trial_case_change(loop, on_plant, colon + 1, &read, &why);
        if (status != RK_OK) {
            return rk_diag_set(diag, RK_ERR_RANGE, "case '%s': %s", read.name, why.text);
        }
    }
    if (status == RK_OK) {
        *made = read;
    }
    return status;
}
