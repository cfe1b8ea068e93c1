/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_FIT_FIT_COLUMNS_H
#define RKI_DESIGN_FIT_FIT_COLUMNS_H

#include "fit_task.h"

/** The derivatives of what is left, row by row, whitened and weighed. */
typedef struct rki_columns_of {
    size_t rows;
    int count;      /* of parameters; one more column is what is left itself */
    double *number; /* column after column */
} rki_columns_of;

/**
 * By the active parameters but the dead time, in their order, then by the time at which each of
 * OUT's events acts. The caller frees columns->number. Errors  RK_ERR_MEMORY.
 */
rk_status rki_columns_make(const rki_task *task, const double q[RKI_PARAMETERS],
                           rki_columns_of *columns, rk_diag *diag);

#endif
