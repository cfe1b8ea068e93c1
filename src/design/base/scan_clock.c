/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/scan_clock.h>

bool rk_scan_clock_pass(rk_scan_clock *clock, double elapsed)
{
    if (clock->scans == 0 || !(elapsed > 0) || elapsed == clock->ts) return false;
    clock->base = clock->last + elapsed;
    clock->since = 0;
    return true;
}

double rk_scan_clock_due(const rk_scan_clock *clock)
{
    return clock->base + ((double)clock->since * clock->ts);
}

double rk_scan_clock_scan(rk_scan_clock *clock)
{
    clock->last = rk_scan_clock_due(clock);
    clock->since++;
    clock->scans++;
    return clock->last;
}
