/* SPDX-License-Identifier: MIT */
/* In the place of parallel.c where there are no threads. */
#include "parallel.h"

int rki_threads(int asked)
{
    (void)asked;
    return 1;
}

void rki_parallel(size_t count, size_t grain, int threads, rki_part *work, void *user)
{
    (void)grain;
    (void)threads;
    if (count > 0) {
        work(user, 0, 0, count);
    }
}
