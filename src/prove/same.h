/* SPDX-License-Identifier: MIT */
#ifndef RKI_PROVE_SAME_H
#define RKI_PROVE_SAME_H

#include <stdbool.h>
#include <stdint.h>

/** The same bits; all values that are no numbers count as one. */
bool rki_same(double a, double b);

#endif
