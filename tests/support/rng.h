/* SPDX-License-Identifier: MIT */
#ifndef TEST_RNG_H
#define TEST_RNG_H

#include <stdint.h>

/** Seeded random numbers: uniform in 0..1, and normal with variance 1. */
typedef struct rng {
    uint64_t state;
} rng;
double rng_uniform(rng *r);
double rng_normal(rng *r);

#endif
