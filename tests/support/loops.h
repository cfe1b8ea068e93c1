/* SPDX-License-Identifier: MIT */
#ifndef TEST_LOOPS_H
#define TEST_LOOPS_H

#include <redkettle/redkettle.h>

/** The blend Brix loop, complete: PI by SIMC at a scan of 1 s. */
rk_design brix_loop(void);

/** Every feature of its controller, alone and together. */
typedef struct loop_variant {
    const char *fact;
    double kc, ti, td, tf, b, rate;
    rk_anti_windup way;
    double pv_filter;
    rk_scheme integral, derivative;
    rk_algorithm algorithm;
} loop_variant;

enum { VARIANTS = 18 };
extern const loop_variant variants[VARIANTS];

/** brix_loop with a variant's settings. */
rk_design variant(int row);

#endif
