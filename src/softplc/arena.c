/* SPDX-License-Identifier: MIT */
#include <string.h>

#include <redkettle/design/base/memory.h>

#include "parts.h"

/* Most requests are small; a large one has a block of its own. */
enum { BLOCK_BYTES = 16384 };

typedef union unit {
    void *pointer;
    double real;
    int64_t whole;
} unit;

struct rki_block {
    struct rki_block *next;
    size_t units, used;
    unit room[];
};

void *rki_arena_room(rki_arena *arena, size_t count, size_t size)
{
    struct rki_block *block = arena->blocks;
    size_t units;
    void *room;

    if (count > 0 && size > (SIZE_MAX / 4) / count) return NULL;
    units = ((count * size) + sizeof(unit) - 1) / sizeof(unit);
    if (units == 0) {
        units = 1;
    }
    if (block == NULL || block->units - block->used < units) {
        const size_t least = BLOCK_BYTES / sizeof(unit);
        const size_t wanted = units > least ? units : least;

        block = rk_memory_create(1, sizeof *block + (wanted * sizeof(unit)));
        if (block == NULL) return NULL;
        block->units = wanted;
        block->next = arena->blocks;
        arena->blocks = block;
    }
    room = block->room + block->used;
    block->used += units;
    return room;
}

void rki_arena_free(rki_arena *arena)
{
    while (arena->blocks != NULL) {
        struct rki_block *next = arena->blocks->next;

        rk_memory_free(arena->blocks);
        arena->blocks = next;
    }
}

const char *rki_word_keep(rki_arena *arena, const char *chars, size_t length)
{
    char *kept = rki_arena_room(arena, length + 1, 1);

    if (kept != NULL) {
        memcpy(kept, chars, length);
    }
    return kept;
}
