/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_MARGINS_PREDICTED_H
#define RKI_DESIGN_MARGINS_PREDICTED_H

#include <redkettle/design/margins/margins.h>

/** L(jw) of the loop with a predictor, and of the sampled one at z = exp(jw ts); both models have
 * passed their checks, and so have settings and sampling (NULL: continuous). */
rk_status rki_predicted_response(const rk_model *process, const rk_model *model,
                                 const rk_settings *settings, const rk_sampling *sampling,
                                 double w, double *re, double *im, rk_diag *diag);

#endif
