/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_MARGINS_CROSSINGS_H
#define RKI_DESIGN_MARGINS_CROSSINGS_H

#include <stdbool.h>
#include <stddef.h>

#include "openloop.h"

/** Where L(jw) meets the negative real axis. */
typedef struct rki_crossing {
    double w;         /* rad/s */
    double magnitude; /* |L| */
    int downward; /* +1 where the phase falls through -180 deg (mod 360), -1 where it rises */
} rki_crossing;

typedef struct rki_crossings {
    size_t count, room;
    rki_crossing *list;
    bool failed; /* out of memory */
} rki_crossings;

/**
 * The phase crossovers, ascending in w, as far as they can matter for a gain factor near 1. A
 * long dead time makes them dense: then only those around the extremes of |L| and around |L| =
 * 1 are listed. *all starts as zero; free its list with rk_memory_free.
 */
void rki_crossings_find(rki_crossings *all, const rki_openloop *loop);

/**
 * The suprema over w > 0 of |1/(1+L)| and of |L/(1+L)|, of a stable loop. Where the dead time's
 * phase turns more than 500 times before |L| is small, the envelope 1/(1 - |L|) stands for it.
 * And the bandwidth, rad/s: the highest w at which |L/(1+L)| falls to 1/sqrt(2); NaN if it is
 * never above.
 */
void rki_peaks(const rki_openloop *loop, double *ms, double *mt, double *bandwidth);

#endif
