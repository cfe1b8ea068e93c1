/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_CHECK_CHECK_FINDINGS_H
#define RKI_DESIGN_CHECK_CHECK_FINDINGS_H

#include <redkettle/design/check/check.h>

/** Everything doubtful in what a check has found. */
void rki_check_judge(const rk_design *loop, const rk_check_plan *plan, rk_check *check);

#endif
