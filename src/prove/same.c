/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <string.h>

#include "same.h"

bool rki_same(double a, double b)
{
    uint64_t a_bits, b_bits;

    if (isnan(a) || isnan(b)) return isnan(a) && isnan(b);
    memcpy(&a_bits, &a, sizeof a_bits);
    memcpy(&b_bits, &b, sizeof b_bits);
    return a_bits == b_bits;
}
