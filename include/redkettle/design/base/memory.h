/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DESIGN_BASE_MEMORY_H
#define REDKETTLE_DESIGN_BASE_MEMORY_H

#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/*
 * The one place where the host tiers allocate. Linking other definitions of these three gives
 * the library another allocator, or one that fails on purpose.
 */

/** Room for count items of size bytes, set to zero; NULL if there is none or the product
 * overflows. */
void *rk_memory_create(size_t count, size_t size);

/** Resize to count > 0 items of size bytes; new room is not set. NULL leaves the old block as
 * it is. */
void *rk_memory_resize(void *block, size_t count, size_t size);

/** Give back; NULL does nothing. */
void rk_memory_free(void *block);

#ifdef __cplusplus
}
#endif

#endif
