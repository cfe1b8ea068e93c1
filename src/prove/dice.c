/* SPDX-License-Identifier: MIT */
#include "dice.h"

/* Source  G. L. Steele, D. Lea, C. H. Flood, Fast splittable pseudorandom number generators,
   2014, OOPSLA, 453-472. */
double rki_draw(rki_dice *d)
{
    uint64_t z = (d->state += 0x9E3779B97F4A7C15U);

    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9U;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBU;
    return (double)((z ^ (z >> 31)) >> 11) / 9007199254740992.0;
}

bool rki_happens(rki_dice *d, double in_thousand)
{
    return rki_draw(d) < in_thousand / 1000.0;
}

double rki_between(rki_dice *d, double low, double high)
{
    return low + ((high - low) * rki_draw(d));
}
