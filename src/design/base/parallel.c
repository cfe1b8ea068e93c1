/* SPDX-License-Identifier: MIT */
#include "parallel.h"

#include <pthread.h>
#include <stdbool.h>
#include <unistd.h>

typedef struct share {
    rki_part *work;
    void *user;
    size_t first, last;
    pthread_t thread;
    int part;
    bool started;
} share;

int rki_threads(int asked)
{
    const long many = asked > 0 ? asked : sysconf(_SC_NPROCESSORS_ONLN);

    return many < 1 ? 1 : many > RKI_THREADS_MOST ? RKI_THREADS_MOST : (int)many;
}

static void *begin(void *given)
{
    const share *mine = given;

    mine->work(mine->user, mine->part, mine->first, mine->last);
    return NULL;
}

void rki_parallel(size_t count, size_t grain, int threads, rki_part *work, void *user)
{
    const size_t grains = (count + grain - 1) / grain;
    const size_t many = grains < (size_t)threads ? grains : (size_t)threads;
    share shares[RKI_THREADS_MOST];
    size_t i;

    for (i = 0; i < many; i++) {
        share *s = &shares[i];

        *s = (share){.work = work,
                     .user = user,
                     .part = (int)i,
                     .first = grain * (grains * i / many),
                     .last = i + 1 == many ? count : grain * (grains * (i + 1) / many)};
        s->started = i > 0 && pthread_create(&s->thread, NULL, begin, s) == 0;
    }
    for (i = 0; i < many; i++) {
        if (!shares[i].started) {
            (void)begin(&shares[i]);
        }
    }
    for (i = 0; i < many; i++) {
        if (shares[i].started) {
            (void)pthread_join(shares[i].thread, NULL);
        }
    }
}
