/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_BASE_DIAG_H
#define REDKETTLE_DESIGN_BASE_DIAG_H

#include <redkettle/device/config.h>
#include <redkettle/device/status.h>

#ifdef __cplusplus
extern "C" {
#endif

#if RK_CFG_FLOAT
#error "The design tier computes in double: build it with RK_CFG_FLOAT 0."
#endif

/**
 * Why a call failed: what is wrong, where, and what to do. Each public call clears it on entry;
 * within a call the first error wins. A text that does not fit ends in "...".
 */
typedef struct rk_diag {
    rk_status status; /* RK_OK while nothing is wrong */
    char text[256];
} rk_diag;

/** Nothing is wrong; diag may be NULL. */
void rk_diag_clear(rk_diag *diag);

/** Record an error if none stands yet; diag may be NULL. Returns status, for the caller to
 * return. */
rk_status rk_diag_set(rk_diag *diag, rk_status status, const char *format, ...)
#if defined(__GNUC__)
    __attribute__((format(printf, 3, 4)))
#endif
    ;

#ifdef __cplusplus
}
#endif

#endif
