/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/first_reading.h>

#include <math.h>

/* A scan of 10 ms leaves a loaded machine 6 ms for a reply: so many of them are a third of a second. */
enum { TRIES = 50 };

bool rk_first_reading(const rk_port *port, rk_status (*read)(void *, rk_real *), rk_real *value)
{
    int tries = 0;

    while (read(port->user, value) != RK_OK || !isfinite(*value)) {
        if (++tries == TRIES) return false;
    }
    return true;
}
