/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_MODEL_KINDS_H
#define RKI_DESIGN_MODEL_KINDS_H

#include <redkettle/design/model.h>

/** As rk_model_check, and RK_ERR_RANGE for a kind that `what` does not take: all but fopdt. */
rk_status rki_model_check_fopdt(const rk_model *model, const char *what, rk_diag *diag);

#endif
