/* SPDX-License-Identifier: MIT */
#ifndef RKI_DEVICE_PID_TRACK_H
#define RKI_DEVICE_PID_TRACK_H

#include <redkettle/device/pid.h>

/** The part of a difference that a scan pays back with the tracking time. */
static inline rk_real rki_pid_track(const rk_pid_params *p)
{
    return p->ts / (p->tt == 0 ? p->ti : p->tt);
}

#endif
