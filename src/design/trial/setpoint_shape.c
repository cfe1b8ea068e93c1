/* SPDX-License-Identifier: MIT */
#include <redkettle/design/trial/trial.h>

#include <math.h>
#include <stddef.h>

#include "design/base/elementary.h"
#include "design/base/words.h"

static const char *const shape_words[] = {"step", "ramp", "train", "sine", NULL};

const char *rk_setpoint_shape_to_text(rk_setpoint_shape shape)
{
    return rki_word(shape_words, (int)shape);
}

rk_status rk_setpoint_shape_from_text(const char *text, rk_setpoint_shape *shape, rk_diag *diag)
{
    int found = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (text == NULL || shape == NULL) return RK_ERR_ARG;
    status = rki_word_find(shape_words, "shape", text, &found, diag);
    if (status == RK_OK) {
        *shape = (rk_setpoint_shape)found;
    }
    return status;
}

/* A train that switches on a scan switches on that scan: 0.3 / 0.1 is 2.9999999999999996. */
#define SNAP 1e-9

double rk_setpoint_shape_value(rk_setpoint_shape shape, double size, double time, double t)
{
    const double turns = t / time;
    double sine, cosine;

    switch (shape) {
    case RK_SETPOINT_SHAPE_RAMP:
        return turns < 1 ? size * turns : size;
    case RK_SETPOINT_SHAPE_TRAIN:
        return turns - floor(turns + SNAP) + SNAP < 0.5 ? size : 0.0;
    case RK_SETPOINT_SHAPE_SINE:
        rki_sin_cos(2.0 * acos(-1.0) * turns, &sine, &cosine);
        return size * sine;
    default:
        return size;
    }
}
