/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_INSPECT_PARTS_H
#define RKI_DESIGN_FIT_INSPECT_PARTS_H

#include <redkettle/design/fit/inspect.h>

#include "design/record/facts.h"

/** The next test. Needs the rough model and the noise. */
void rki_inspect_next(const rki_columns_view *view, const rk_inspect_plan *plan,
                      rk_inspection *made);

#endif
