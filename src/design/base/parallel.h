/* SPDX-License-Identifier: MIT */
#ifndef RKI_DESIGN_BASE_PARALLEL_H
#define RKI_DESIGN_BASE_PARALLEL_H

#include <stddef.h>

/** At most so many threads share work. */
enum { RKI_THREADS_MOST = 64 };

/** Items first..last - 1, as part number `part` of the work. */
typedef void rki_part(void *user, int part, size_t first, size_t last);

/** How many threads to use: as asked, or one a processor if that is not above 0. */
int rki_threads(int asked);

/**
 * Do `count` items in at most so many parts at once, each of whole grains but for the last; a
 * part whose thread cannot be started is done by the caller. Returns when all are done.
 */
void rki_parallel(size_t count, size_t grain, int threads, rki_part *work, void *user);

#endif
