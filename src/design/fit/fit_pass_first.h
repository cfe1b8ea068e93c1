/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_PASS_FIRST_H
#define RKI_DESIGN_FIT_FIT_PASS_FIRST_H

#include "fit_task.h"

/** Is this the commonest problem, for which rki_pass takes the pass below? */
bool rki_pass_is_first(const rki_task *task);

/** The same as rki_pass for it, several times as fast. */
void rki_pass_first(const rki_task *task, const double q[RKI_PARAMETERS], rki_normal *normal,
                    double *residual);

#endif
