/* SPDX-License-Identifier: MIT */
#ifndef RKI_FILES_LOOP_PARSE_H
#define RKI_FILES_LOOP_PARSE_H

#include <redkettle/design/loop/design.h>

/** rk_design_read of what stands, or would stand, in the file. */
rk_status rki_design_parse(const char *path, const char *content, size_t length,
                           rk_design *loop, rk_diag *diag);

#endif
