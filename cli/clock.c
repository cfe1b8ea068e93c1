/* SPDX-License-Identifier: MIT */
#include "clock.h"

#include <math.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <time.h>

static volatile sig_atomic_t caught;

static void on_signal(int number)
{
    caught = number;
}

void catch_signals(void)
{
    static const int ending[] = {SIGINT, SIGTERM, SIGHUP, SIGQUIT};
    struct sigaction action;
    size_t i;

    caught = 0;
    memset(&action, 0, sizeof action);
    action.sa_handler = on_signal;
    for (i = 0; i < sizeof ending / sizeof ending[0]; i++) {
        (void)sigaction(ending[i], &action, NULL);
    }
    action.sa_handler = SIG_IGN;
    (void)sigaction(SIGPIPE, &action, NULL);
    (void)sigaction(SIGTSTP, &action, NULL);
}

bool is_caught(void)
{
    return caught != 0;
}

const char *caught_name(void)
{
    return caught == SIGINT ? "Ctrl-C" : strsignal(caught);
}

double wall_clock(void)
{
    struct timespec now;

    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (1e-9 * (double)now.tv_nsec);
}

/* A signal that comes between looking for one and sleeping is seen after this, s. */
#define NAP 0.1

/* Until that time of the wall clock, or a signal. */
static void sleep_until(double when)
{
    double now = wall_clock();

    for (; now < when && caught == 0; now = wall_clock()) {
        const double nap = fmin(when - now, NAP);
        const struct timespec length = {0, (long)(nap * 1e9)};

        (void)nanosleep(&length, NULL);
    }
}

/* The start and the speed of the run under way: one at a time. */
static double began, speed;

static void wait_real(void *user, double time)
{
    (void)user;
    sleep_until(began + (time / speed));
}

static double now_real(void *user)
{
    (void)user;
    return wall_clock();
}

static const char *stopped_by(void *user)
{
    static char words[80];

    (void)user;
    (void)snprintf(words, sizeof words, "stopped by %s", caught_name());
    return caught != 0 ? words : NULL;
}

rk_pace real_pace(double times, void *user)
{
    rk_pace made = {.stopped = stopped_by, .user = user};

    began = wall_clock();
    speed = times;
    if (!isnan(times)) {
        made.wait_until = wait_real;
    }
    if (times == 1.0) { /* a clock that runs faster says nothing about lateness */
        made.now = now_real;
    }
    return made;
}
