/* SPDX-License-Identifier: MIT */
#ifndef RKI_EMIT_PLANT_H
#define RKI_EMIT_PLANT_H

#include <redkettle/device/plant.h>

#include "controller.h"

/** What the texts of a plant twin are made from: the device block's parameters. */
typedef struct rki_twin {
    const rk_design *loop;
    rk_number number;
    char name[RK_BLOCK_NAME_CHARS], upper_name[RK_BLOCK_NAME_CHARS];
    rk_plant_params params;
    int states; /* 1, a pair of 2, or a chain of more */
} rki_twin;

enum { RKI_TWIN_CONSTANTS_MAX = 70 };

/** Errors  RK_ERR_ARG for a NULL; RK_ERR_RANGE for a loop without model or scan, or a dead time
 * that is too long for a controller's memory. */
rk_status rki_twin_make(const rk_design *loop, rk_number number, rki_twin *made, rk_diag *diag);

/** The coefficients that this twin uses, in the order in which they are written. */
int rki_twin_constants(const rki_twin *t, rki_constant list[RKI_TWIN_CONSTANTS_MAX]);

/** The comment lines at its head. */
void rki_add_twin_head(rk_text *text, const rki_twin *t, const char *lead);

#endif
