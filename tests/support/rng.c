/* SPDX-License-Identifier: MIT */
#include "rng.h"

#include <math.h>

double rng_uniform(rng *r)
{
    /* splitmix64, by S. Vigna: every seed is a good one. */
    uint64_t z = (r->state += UINT64_C(0x9E3779B97F4A7C15));

    z = (z ^ (z >> 30)) * UINT64_C(0xBF58476D1CE4E5B9);
    z = (z ^ (z >> 27)) * UINT64_C(0x94D049BB133111EB);
    return (double)((z ^ (z >> 31)) >> 11) / 9007199254740992.0;
}

double rng_normal(rng *r)
{
    const double radius = sqrt(-2.0 * log(1.0 - rng_uniform(r)));

    return radius * cos(6.283185307179586 * rng_uniform(r));
}
