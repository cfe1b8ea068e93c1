/* SPDX-License-Identifier: MIT */
#include "terminal.h"

#include <pthread.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include "cli.h"

/* Lines that may wait for the terminal; a view is shown so often, ms; nobody waits longer for a terminal at
   the end, ms. */
enum { LINES_MOST = 64, LINE_CHARS = 480, FRAME = 50, PATIENCE = 1000 };

static struct {
    pthread_t thread;
    pthread_mutex_t mutex;
    pthread_cond_t changed;
    bool running, stop, ended;
    const terminal_view *view;
    char line[LINES_MOST][LINE_CHARS];
    size_t said, written, dropped;
    char progress[LINE_CHARS];
    bool has_progress, shows_progress;
} t = {.mutex = PTHREAD_MUTEX_INITIALIZER, .changed = PTHREAD_COND_INITIALIZER};

static struct termios mode;
static volatile sig_atomic_t has_mode;

void terminal_keep(void)
{
    has_mode = tcgetattr(STDOUT_FILENO, &mode) == 0;
}

void terminal_restore(void)
{
    if (has_mode) {
        (void)tcsetattr(STDOUT_FILENO, TCSANOW, &mode);
    }
}

static struct timespec in(long ms)
{
    struct timespec when;

    (void)clock_gettime(CLOCK_REALTIME, &when);
    when.tv_nsec += ms * 1000000L;
    when.tv_sec += when.tv_nsec / 1000000000L;
    when.tv_nsec %= 1000000000L;
    return when;
}

/* One line of those that wait, or the progress; unlocks while it is written. False: there is none. */
static bool write_next(void)
{
    char text[LINE_CHARS];
    const bool line = t.written < t.said;
    const size_t dropped = t.dropped;

    if (!line && !t.has_progress) return false;
    (void)snprintf(text, sizeof text, "%s", line ? t.line[t.written % LINES_MOST] : t.progress);
    if (line) {
        t.written++;
        t.dropped = 0;
    } else {
        t.has_progress = false;
        t.shows_progress = true;
    }
    (void)pthread_mutex_unlock(&t.mutex);
    if (line) {
        if (t.shows_progress) {
            show_progress_line(NULL);
        }
        if (dropped > 0) {
            (void)fprintf(stderr, "(%zu lines that the terminal did not take are left out)\n",
                          dropped);
        }
        (void)fprintf(stderr, "%s\n", text);
    } else {
        show_progress_line("%s", text);
    }
    (void)pthread_mutex_lock(&t.mutex);
    return true;
}

static void *work(void *user)
{
    const terminal_view *view = t.view;
    struct timespec when;

    (void)user;
    (void)pthread_mutex_lock(&t.mutex);
    while (!t.stop) {
        if (view != NULL) {
            (void)pthread_mutex_unlock(&t.mutex);
            view->show(view->user);
            (void)pthread_mutex_lock(&t.mutex);
        } else if (write_next()) {
            continue;
        }
        if (t.stop) break;
        when = in(FRAME);
        (void)pthread_cond_timedwait(&t.changed, &t.mutex, &when);
    }
    if (view != NULL) {
        (void)pthread_mutex_unlock(&t.mutex);
        view->close(view->user);
        (void)pthread_mutex_lock(&t.mutex);
    }
    t.has_progress = false;
    while (write_next()) {
        continue;
    }
    (void)pthread_mutex_unlock(&t.mutex);
    if (t.shows_progress) {
        show_progress_line(NULL);
    }
    (void)pthread_mutex_lock(&t.mutex);
    t.ended = true;
    (void)pthread_cond_broadcast(&t.changed);
    (void)pthread_mutex_unlock(&t.mutex);
    return NULL;
}

bool terminal_start(const terminal_view *view)
{
    sigset_t all, before;

    t.view = view;
    t.stop = t.ended = t.has_progress = t.shows_progress = false;
    t.said = t.written = t.dropped = 0;
    (void)sigfillset(&all);
    (void)pthread_sigmask(SIG_SETMASK, &all, &before);
    t.running = pthread_create(&t.thread, NULL, work, NULL) == 0;
    (void)pthread_sigmask(SIG_SETMASK, &before, NULL);
    return t.running;
}

void terminal_say(const char *format, ...)
{
    va_list args;

    (void)pthread_mutex_lock(&t.mutex);
    if (t.said - t.written == LINES_MOST) {
        t.dropped++;
    } else {
        va_start(args, format);
        (void)vsnprintf(t.line[t.said++ % LINES_MOST], LINE_CHARS, format, args);
        va_end(args);
    }
    (void)pthread_cond_broadcast(&t.changed);
    (void)pthread_mutex_unlock(&t.mutex);
}

void terminal_progress(const char *format, ...)
{
    va_list args;

    (void)pthread_mutex_lock(&t.mutex);
    va_start(args, format);
    (void)vsnprintf(t.progress, sizeof t.progress, format, args);
    va_end(args);
    t.has_progress = true;
    (void)pthread_cond_broadcast(&t.changed);
    (void)pthread_mutex_unlock(&t.mutex);
}

void terminal_end(void)
{
    const struct timespec until = in(PATIENCE);
    bool in_time = true;

    if (!t.running) return;
    (void)pthread_mutex_lock(&t.mutex);
    t.stop = true;
    (void)pthread_cond_broadcast(&t.changed);
    while (in_time && !t.ended) {
        in_time = pthread_cond_timedwait(&t.changed, &t.mutex, &until) == 0;
    }
    in_time = t.ended;
    (void)pthread_mutex_unlock(&t.mutex);
    if (in_time) {
        (void)pthread_join(t.thread, NULL);
    }
    t.running = false;
}
