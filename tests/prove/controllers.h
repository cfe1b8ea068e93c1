/* SPDX-License-Identifier: MIT */
#ifndef TEST_PROVE_CONTROLLERS_H
#define TEST_PROVE_CONTROLLERS_H

#include <redkettle/redkettle.h>

/** Each feature of a controller and its program alone, and all together. */
typedef struct controller {
    const char *fact;
    double scan;
    int features;
} controller;

enum { CONTROLLERS = 27 };
extern const controller controllers[CONTROLLERS];

/** The blend Brix loop with a row's features. */
rk_design controller_loop(int row);

#endif
