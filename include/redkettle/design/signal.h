/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_SIGNAL_H
#define REDKETTLE_DESIGN_SIGNAL_H

#include <redkettle/design/diag.h>

/** How a setpoint moves. */
typedef enum rk_shape {
    RK_SHAPE_STEP = 0, /* to its size at once */
    RK_SHAPE_RAMP,     /* to its size, evenly over `time` */
    RK_SHAPE_TRAIN,    /* to its size and back, a whole swing every `time` */
    RK_SHAPE_SINE,     /* to its size to both sides, a whole swing every `time` */
} rk_shape;

/** "step", "ramp", "train", "sine". */
const char *rk_shape_to_text(rk_shape shape);

/** Errors  RK_ERR_RANGE for another word; diag lists them. */
rk_status rk_shape_from_text(const char *text, rk_shape *shape, rk_diag *diag);

/** What is added at a time t >= 0, s; `time` is not read for a step. */
double rk_shape_value(rk_shape shape, double size, double time, double t);

#endif
