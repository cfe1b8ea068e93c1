/* SPDX-License-Identifier: MIT */
#include <redkettle/design/base/memory.h>

#include <stdint.h>
#include <stdlib.h>

void *rk_memory_create(size_t count, size_t size)
{
    return calloc(count > 0 ? count : 1, size);
}

void *rk_memory_resize(void *block, size_t count, size_t size)
{
    if (count == 0 || size == 0 || count > SIZE_MAX / size) return NULL;
    return realloc(block, count * size);
}

void rk_memory_free(void *block)
{
    free(block);
}
