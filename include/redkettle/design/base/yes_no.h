/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_BASE_YES_NO_H
#define REDKETTLE_DESIGN_BASE_YES_NO_H

#include <redkettle/design/base/diag.h>

#ifdef __cplusplus
extern "C" {
#endif

/** An answer, or a feature that is there or not. */
typedef enum rk_yes_no { RK_NO = 0, RK_YES = 1, RK_NOT_KNOWN = 2 } rk_yes_no;

/** "no", "yes", "not known". */
const char *rk_yes_no_to_text(rk_yes_no value);

/** Errors  RK_ERR_RANGE for another word than yes and no. */
rk_status rk_yes_no_from_text(const char *text, rk_yes_no *value, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
