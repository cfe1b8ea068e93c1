/* SPDX-License-Identifier: MIT */
#include "clock.h"

#include <math.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "terminal.h"

static volatile sig_atomic_t caught, final_status;

/* A fault of the program's own cannot be gone on from; the same signal sent by somebody can. */
static bool is_fault(int number, const siginfo_t *info)
{
    return info->si_code > 0 && (number == SIGSEGV || number == SIGBUS || number == SIGFPE ||
                                 number == SIGILL || number == SIGTRAP || number == SIGSYS);
}

static void on_signal(int number, siginfo_t *info, void *context)
{
    (void)context;
    if (is_fault(number, info)) {
        (void)signal(number, SIG_DFL);
    } else if (caught == 0) {
        caught = number;
    }
}

static void on_late_signal(int number)
{
    (void)number;
    terminal_restore();
    _exit(final_status);
}

static bool ends_a_program(int number)
{
    static const int ending[] = {SIGHUP,    SIGINT,  SIGQUIT, SIGILL,    SIGTRAP,
                                 SIGABRT,   SIGBUS,  SIGFPE,  SIGUSR1,   SIGSEGV,
                                 SIGUSR2,   SIGALRM, SIGTERM, SIGSTKFLT, SIGXCPU,
                                 SIGVTALRM, SIGPROF, SIGIO,   SIGPWR,    SIGSYS};
    size_t i;

    for (i = 0; i < sizeof ending / sizeof ending[0]; i++) {
        if (ending[i] == number) return true;
    }
    return number >= SIGRTMIN && number <= SIGRTMAX;
}

void catch_signals(void)
{
    static const int ignored[] = {SIGPIPE, SIGTSTP, SIGTTIN, SIGTTOU, SIGXFSZ};
    struct sigaction action;
    size_t i;
    int number;

    caught = 0;
    memset(&action, 0, sizeof action);
    action.sa_sigaction = on_signal;
    action.sa_flags = SA_SIGINFO;
    for (number = 1; number <= SIGRTMAX; number++) {
        if (ends_a_program(number)) {
            (void)sigaction(number, &action, NULL);
        }
    }
    action.sa_flags = 0;
    action.sa_handler = SIG_IGN;
    for (i = 0; i < sizeof ignored / sizeof ignored[0]; i++) {
        (void)sigaction(ignored[i], &action, NULL);
    }
}

bool is_caught(void)
{
    return caught != 0;
}

const char *caught_name(void)
{
    return caught == SIGINT ? "Ctrl-C" : strsignal(caught);
}

void release_signals(int status, unsigned seconds)
{
    struct sigaction action;
    int number;

    final_status = status;
    memset(&action, 0, sizeof action);
    action.sa_handler = on_late_signal;
    for (number = 1; number <= SIGRTMAX; number++) {
        if (ends_a_program(number)) {
            (void)sigaction(number, &action, NULL);
        }
    }
    if (caught != 0) {
        (void)alarm(seconds);
    }
}

/* A signal that comes between looking for one and sleeping is seen after this, s. */
#define NAP 0.1

/* The start and the speed of the run under way: one at a time. */
static double began, speed;

static double now_at_speed(void *user)
{
    (void)user;
    return (rk_clock_now() - began) * speed;
}

static void wait_at_speed(void *user, double when)
{
    const double until = began + (when / speed);
    double now = rk_clock_now();

    (void)user;
    for (; now < until && caught == 0; now = rk_clock_now()) {
        rk_clock_sleep(fmin(until, now + NAP));
    }
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

    began = rk_clock_now();
    speed = times;
    if (!isnan(times)) {
        made.now = now_at_speed;
        made.wait_until = wait_at_speed;
        made.keeps_time =
            times == 1.0; /* a clock that runs faster says nothing about lateness */
    }
    return made;
}

void prioritise(const char *command, rk_live_port *port, rk_diag *refusal)
{
    const bool given = rk_clock_prioritise(refusal) == RK_OK;

    rk_live_port_prioritise(port, RK_CLOCK_PRIORITY);
    if (!given) {
        terminal_say("redkettle %s: --priority: %s; it runs without", command, refusal->text);
    }
}
