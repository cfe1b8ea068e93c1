/* SPDX-License-Identifier: MIT */
#include "line_writer.h"

#include <errno.h>
#include <fcntl.h>
#include <math.h>
#include <pthread.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/types.h>
#include <time.h>
#include <unistd.h>

#include <redkettle/design/base/memory.h>

/* Lines that may wait for the disk: at a scan of 10 ms more than half a minute. */
enum { QUEUE = 4096 };
/* Nobody waits longer for a disk that takes nothing, s. */
#define PATIENCE 2.0
/* Threads that have nothing left to do end within this, s. */
#define GRACE 0.2
enum { PATH_CHARS = 512, FAILURE_CHARS = 256 };

typedef struct line {
    char text[RKI_LINE_CHARS];
} line;

struct rki_line_writer {
    int file;
    off_t whole; /* bytes of whole lines */
    char path[PATH_CHARS];

    bool beside; /* the rest is used then, under the mutex */
    pthread_t writer, syncer;
    pthread_mutex_t mutex;
    pthread_cond_t changed;
    line *queue;
    size_t put, written, synced; /* lines */
    bool stop, left;             /* left behind by its owner: the threads give it back */
    bool has_writer, has_syncer, was_finished;
    int running;                 /* threads */
    char failure[FAILURE_CHARS]; /* "": none */
};

/* One write a line, so that a crash leaves whole lines; of one that did not fit nothing stays. */
static bool write_line(rki_line_writer *w, const char *text, char failure[FAILURE_CHARS])
{
    const size_t length = strlen(text);
    size_t done = 0;

    while (done < length) {
        const ssize_t wrote = write(w->file, text + done, length - done);

        if (wrote > 0) {
            done += (size_t)wrote;
        } else if (wrote == 0 || errno != EINTR) {
            (void)snprintf(failure, FAILURE_CHARS, "%.200s: cannot write: %s", w->path,
                           wrote == 0 ? "no room" : strerror(errno));
            if (done > 0 && ftruncate(w->file, w->whole) == 0) {
                (void)lseek(w->file, w->whole, SEEK_SET);
            }
            return false;
        }
    }
    w->whole += (off_t)length;
    return true;
}

rk_status rki_line_writer_open(const char *path, bool replace, rki_line_writer **writer,
                               rk_diag *diag)
{
    rki_line_writer *made;

    if (strlen(path) >= PATH_CHARS) {
        return rk_diag_set(diag, RK_ERR_IO, "'%.40s...': the path is too long", path);
    }
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a record");
    strcpy(made->path, path);
    made->file =
        open(path, O_WRONLY | O_CREAT | O_CLOEXEC | (replace ? O_TRUNC : O_EXCL), 0666);
    if (made->file < 0) {
        (void)rk_diag_set(diag, RK_ERR_IO, "%s: %s", path,
                          errno == EEXIST ? "is there already; give another name, or --force"
                                          : strerror(errno));
        rk_memory_free(made);
        return RK_ERR_IO;
    }
    *writer = made;
    return RK_OK;
}

/* ---- beside ---- */

static void fail(rki_line_writer *w, const char *failure)
{
    if (w->failure[0] == '\0') {
        (void)snprintf(w->failure, sizeof w->failure, "%s", failure);
    }
    (void)pthread_cond_broadcast(&w->changed);
}

static void give_back(rki_line_writer *w)
{
    (void)close(w->file);
    if (w->beside) {
        (void)pthread_cond_destroy(&w->changed);
        (void)pthread_mutex_destroy(&w->mutex);
    }
    rk_memory_free(w->queue);
    rk_memory_free(w);
}

/* A thread ends; the last one gives back what its owner has left. Unlocks. */
static void leave(rki_line_writer *w)
{
    const bool last = --w->running == 0 && w->left;

    (void)pthread_cond_broadcast(&w->changed);
    (void)pthread_mutex_unlock(&w->mutex);
    if (last) {
        give_back(w);
    }
}

static void *write_lines(void *user)
{
    rki_line_writer *w = user;
    char failure[FAILURE_CHARS] = "";

    (void)pthread_mutex_lock(&w->mutex);
    while (w->failure[0] == '\0') {
        const line *next = &w->queue[w->written % QUEUE];
        bool done;

        if (w->written == w->put) {
            if (w->stop) break;
            (void)pthread_cond_wait(&w->changed, &w->mutex);
            continue;
        }
        (void)pthread_mutex_unlock(&w->mutex);
        done = write_line(w, next->text, failure);
        (void)pthread_mutex_lock(&w->mutex);
        if (done) {
            w->written++;
            (void)pthread_cond_broadcast(&w->changed);
        } else {
            fail(w, failure);
        }
    }
    leave(w);
    return NULL;
}

static void *sync_lines(void *user)
{
    rki_line_writer *w = user;
    char failure[FAILURE_CHARS];

    (void)pthread_mutex_lock(&w->mutex);
    while (w->failure[0] == '\0') {
        const size_t written = w->written;
        bool done;

        if (w->synced == written) {
            if (w->stop && written == w->put) break;
            (void)pthread_cond_wait(&w->changed, &w->mutex);
            continue;
        }
        (void)pthread_mutex_unlock(&w->mutex);
        done = fdatasync(w->file) == 0 || errno == EINVAL || errno == EROFS;
        (void)snprintf(failure, sizeof failure, "%.200s: cannot write: %s", w->path,
                       strerror(errno));
        (void)pthread_mutex_lock(&w->mutex);
        if (done) {
            w->synced = written;
            (void)pthread_cond_broadcast(&w->changed);
        } else {
            fail(w, failure);
        }
    }
    leave(w);
    return NULL;
}

static bool start(rki_line_writer *w, pthread_t *thread, void *(*work)(void *))
{
    if (pthread_create(thread, NULL, work, w) != 0) return false;
    w->running++;
    return true;
}

rk_status rki_line_writer_go_beside(rki_line_writer *w, rk_diag *diag)
{
    sigset_t all, before;
    bool started = false;

    w->queue = rk_memory_create(QUEUE, sizeof *w->queue);
    if (w->queue == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a record");
    (void)pthread_mutex_init(&w->mutex, NULL);
    (void)pthread_cond_init(&w->changed, NULL);
    w->beside = true;
    (void)sigfillset(&all);
    (void)pthread_sigmask(SIG_SETMASK, &all, &before);
    (void)pthread_mutex_lock(&w->mutex);
    w->has_writer = start(w, &w->writer, write_lines);
    w->has_syncer = w->has_writer && start(w, &w->syncer, sync_lines);
    started = w->has_syncer;
    (void)pthread_mutex_unlock(&w->mutex);
    (void)pthread_sigmask(SIG_SETMASK, &before, NULL);
    if (started) return RK_OK;
    return rk_diag_set(diag, RK_ERR_MEMORY, "no thread to write %.200s with", w->path);
}

static rk_status put_beside(rki_line_writer *w, const char *text, rk_diag *diag)
{
    rk_status status = RK_OK;

    (void)pthread_mutex_lock(&w->mutex);
    if (w->failure[0] == '\0' && w->put - w->written == QUEUE) {
        char failure[FAILURE_CHARS];

        (void)snprintf(failure, sizeof failure,
                       "%.200s: cannot write: the disk is %d rows behind", w->path, QUEUE);
        fail(w, failure);
    }
    if (w->failure[0] != '\0') {
        status = rk_diag_set(diag, RK_ERR_IO, "%s", w->failure);
    } else {
        (void)snprintf(w->queue[w->put % QUEUE].text, sizeof(line), "%s", text);
        w->put++;
        (void)pthread_cond_broadcast(&w->changed);
    }
    (void)pthread_mutex_unlock(&w->mutex);
    return status;
}

rk_status rki_line_writer_put(rki_line_writer *w, const char *text, rk_diag *diag)
{
    char failure[FAILURE_CHARS] = "";

    if (w->beside) return put_beside(w, text, diag);
    if (write_line(w, text, failure)) return RK_OK;
    return rk_diag_set(diag, RK_ERR_IO, "%s", failure);
}

/* The clock that conditions wait by. */
static struct timespec in(double seconds)
{
    struct timespec t;
    const double whole = floor(seconds);

    (void)clock_gettime(CLOCK_REALTIME, &t);
    t.tv_sec += (time_t)whole;
    t.tv_nsec += (long)((seconds - whole) * 1e9);
    t.tv_sec += t.tv_nsec / 1000000000L;
    t.tv_nsec %= 1000000000L;
    return t;
}

rk_status rki_line_writer_finish(rki_line_writer *w, double seconds, rk_diag *diag)
{
    const struct timespec until = in(seconds);
    rk_status status = RK_OK;
    bool in_time = true;

    if (!w->beside) return RK_OK;
    w->was_finished = true;
    (void)pthread_mutex_lock(&w->mutex);
    while (in_time && w->failure[0] == '\0' && w->synced < w->put) {
        in_time = pthread_cond_timedwait(&w->changed, &w->mutex, &until) == 0;
    }
    if (w->failure[0] != '\0') {
        status = rk_diag_set(diag, RK_ERR_IO, "%s", w->failure);
    } else if (w->synced < w->put) {
        status =
            rk_diag_set(diag, RK_ERR_IO, "%.200s: the disk has not taken the last %zu rows",
                        w->path, w->put - w->synced);
    }
    (void)pthread_mutex_unlock(&w->mutex);
    return status;
}

/* Its threads end, or hang in the system: then they give it back if they ever return. */
static bool is_left(rki_line_writer *w)
{
    const struct timespec until = in(GRACE);
    bool in_time = true;

    (void)pthread_mutex_lock(&w->mutex);
    w->stop = true;
    (void)pthread_cond_broadcast(&w->changed);
    while (in_time && w->running > 0) {
        in_time = pthread_cond_timedwait(&w->changed, &w->mutex, &until) == 0;
    }
    w->left = w->running > 0;
    (void)pthread_mutex_unlock(&w->mutex);
    return w->left;
}

void rki_line_writer_free(rki_line_writer *w)
{
    if (w == NULL) return;
    if (w->beside) {
        if (!w->was_finished) {
            (void)rki_line_writer_finish(w, PATIENCE, NULL);
        }
        if (is_left(w)) return;
        if (w->has_writer) {
            (void)pthread_join(w->writer, NULL);
        }
        if (w->has_syncer) {
            (void)pthread_join(w->syncer, NULL);
        }
    }
    give_back(w);
}
