/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_STATUS_H
#define REDKETTLE_DEVICE_STATUS_H

#ifdef __cplusplus
extern "C" {
#endif

/** What every call that can fail returns. Outputs are valid with RK_OK only. Numbers are never
 * reused. */
typedef enum rk_status {
    RK_OK = 0,
    RK_ERR_ARG = -1,    /* a NULL pointer or a missing service: a mistake of the caller */
    RK_ERR_RANGE = -2,  /* a number out of its documented range, NaN or infinite */
    RK_ERR_MEMORY = -3, /* no memory left, or the caller's is too small */
    RK_ERR_DATA = -4,   /* the data cannot give what was asked */
    RK_ERR_FORMAT = -5, /* text that cannot be read */
    RK_ERR_IO = -6,     /* a file, program or device could not be reached, read or written */
    RK_ERR_UNSUPPORTED = -7, /* a valid request that this build or function does not serve */
} rk_status;

#ifdef __cplusplus
}
#endif

#endif
