/* SPDX-License-Identifier: MIT */
#ifndef RKI_PROVE_DICE_H
#define RKI_PROVE_DICE_H

#include <stdbool.h>
#include <stdint.h>

/** A row of numbers without a pattern, the same each time. */
typedef struct rki_dice {
    uint64_t state;
} rki_dice;

/** From 0 to below 1; out of a thousand; between two numbers. */
double rki_draw(rki_dice *d);
bool rki_happens(rki_dice *d, double in_thousand);
double rki_between(rki_dice *d, double low, double high);

#endif
