/* SPDX-License-Identifier: MIT */
#ifndef RKI_DEVICE_SCANS_H
#define RKI_DEVICE_SCANS_H

#include <redkettle/device/real.h>

/** A time in scans is at most this, so that a long holds it. */
#define RKI_SCANS_MOST RK_C(1.0e9)

/** A time in scans, not shorter than it; time / ts at most RKI_SCANS_MOST. */
static inline long rki_scans_not_shorter(rk_real time, rk_real ts)
{
    const long whole = (long)(time / ts);

    return (rk_real)whole * ts < time ? whole + 1 : whole;
}

#endif
