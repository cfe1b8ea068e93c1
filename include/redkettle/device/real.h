/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_REAL_H
#define REDKETTLE_DEVICE_REAL_H

#include <float.h>
#include <stdbool.h>

#include <redkettle/device/config.h>

#ifdef __cplusplus
extern "C" {
#endif

#if RK_CFG_FLOAT
typedef float rk_real;
#define RK_C(x) x##f
#define RK_REAL_MAX FLT_MAX
#else
typedef double rk_real;
#define RK_C(x) x
#define RK_REAL_MAX DBL_MAX
#endif

/** No limit, where one may be infinite. */
#define RK_INFINITY (RK_C(1.0) / RK_C(0.0))

/* Wider intermediates would give other bits than the PLC, the Cortex-M and the emitted text. */
#if !defined(FLT_EVAL_METHOD) || FLT_EVAL_METHOD != 0
#error "Red Kettle needs FLT_EVAL_METHOD 0: on 32-bit x86 build with -msse2 -mfpmath=sse."
#endif

/** True unless x is NaN or infinite. Only arithmetic, so that emitted text can say the same. */
static inline bool rk_is_finite(rk_real x)
{
    return (x - x) == RK_C(0.0);
}

/** x held within lo..hi, lo <= hi; a NaN comes back as it is. */
static inline rk_real rk_clamp(rk_real x, rk_real lo, rk_real hi)
{
    if (x < lo) return lo;
    if (x > hi) return hi;
    return x;
}

#ifdef __cplusplus
}
#endif

#endif
