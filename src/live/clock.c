/* SPDX-License-Identifier: MIT */
#include <redkettle/live/clock.h>

#include <errno.h>
#include <math.h>
#include <pthread.h>
#include <sched.h>
#include <string.h>
#include <sys/mman.h>
#include <time.h>

double rk_clock_now(void)
{
    struct timespec now;

    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (1e-9 * (double)now.tv_nsec);
}

void rk_clock_sleep(double until)
{
    const double whole = floor(until);
    const struct timespec when = {(time_t)whole, (long)((until - whole) * 1e9)};

    (void)clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &when, NULL);
}

rk_status rk_clock_prioritise(rk_diag *diag)
{
    const struct sched_param wanted = {.sched_priority = RK_CLOCK_PRIORITY};
    const int refused = pthread_setschedparam(pthread_self(), SCHED_FIFO, &wanted);
    const int unlocked = mlockall(MCL_CURRENT) == 0 ? 0 : errno;

    rk_diag_clear(diag);
    if (refused == 0 && unlocked == 0) return RK_OK;
    return rk_diag_set(
        diag, RK_ERR_IO, "%s%s%s%s%s", refused != 0 ? "real-time scheduling was refused: " : "",
        refused != 0 ? strerror(refused) : "", refused != 0 && unlocked != 0 ? "; " : "",
        unlocked != 0 ? "locked memory was refused: " : "",
        unlocked != 0 ? strerror(unlocked) : "");
}
