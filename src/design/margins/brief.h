/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_MARGINS_BRIEF_H
#define RKI_DESIGN_MARGINS_BRIEF_H

#include <redkettle/design/margins/margins.h>

/** As rk_loop_margins_compute, for those who ask by the hundred: without the ultimate point, and
 * with the stable range of kc on its own side of 0 alone. */
rk_status rki_loop_margins_brief(const rk_model *process, const rk_model *model,
                                 const rk_settings *settings, const rk_sampling *sampling,
                                 rk_margins *margins);

/** The sampled loop's, without a predictor; whole or brief. */
rk_status rki_sampled_margins(const rk_model *model, const rk_settings *settings,
                              const rk_sampling *sampling, bool brief, rk_margins *margins,
                              rk_diag *diag);

/** The continuous loop's, likewise. */
rk_status rki_continuous_margins(const rk_model *model, const rk_settings *settings, bool brief,
                                 rk_margins *margins, rk_diag *diag);

/** Those of a loop with a predictor. */
rk_status rki_predicted_margins(const rk_model *process, const rk_model *model,
                                const rk_settings *settings, const rk_sampling *sampling,
                                bool brief, rk_margins *margins, rk_diag *diag);

#endif
