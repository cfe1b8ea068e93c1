/* SPDX-License-Identifier: MIT */
#ifndef RKI_LIVE_TICKER_H
#define RKI_LIVE_TICKER_H

#include <redkettle/live/pace.h>

/* Lateness is counted in steps of a twelfth of its octave from 1 us on: to within 6 %. */
enum { RKI_TICKER_STEPS = 12, RKI_TICKER_BINS = 400 };

/** The deadlines of a run's scans, and how they were kept. */
typedef struct rki_ticker {
    const rk_pace *pace;
    double ts;
    double began, last; /* by the clock: the first scan, the scan before */
    double due;         /* of this scan, in scans from began */
    size_t bins[RKI_TICKER_BINS];
    rk_timing timing;
} rki_ticker;

rki_ticker rki_ticker_make(const rk_pace *pace, double ts);

/** A scan begins: s since the one before; ts where the clock only sets the pace, and at first. */
double rki_ticker_begin(rki_ticker *t);

/** Until the next scan is due. */
void rki_ticker_wait(rki_ticker *t);

/** How many scans of the plant's went by beyond the one that a scan stands for. */
size_t rki_ticker_missed(const rki_ticker *t, double elapsed);

rk_timing rki_ticker_timing(const rki_ticker *t);

#endif
