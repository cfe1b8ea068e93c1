/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_BASE_FIRST_READING_H
#define REDKETTLE_DESIGN_BASE_FIRST_READING_H

#include <stdbool.h>

#include <redkettle/device/port.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A first reply of a port may be missing once or twice, so it is asked some times. False: none, or no number. */
bool rk_first_reading(const rk_port *port, rk_status (*read)(void *, rk_real *),
                      rk_real *value);

#ifdef __cplusplus
}
#endif

#endif
