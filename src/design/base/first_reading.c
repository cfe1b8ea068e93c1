/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/first_reading.h>

#include <math.h>

enum { TRIES = 20 };

bool rk_first_reading(const rk_port *port, rk_status (*read)(void *, rk_real *), rk_real *value)
{
    int tries = 0;

    while (read(port->user, value) != RK_OK || !isfinite(*value)) {
        if (++tries == TRIES) return false;
    }
    return true;
}
