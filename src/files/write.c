/* SPDX-License-Identifier: MIT */
#include <redkettle/files/write.h>

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <pthread.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <redkettle/design/base/memory.h>

enum { READ_FIRST = 16 * 1024, READ_MAX = 16 * 1024 * 1024 }; /* bytes */

static rk_status say(rk_diag *diag, const char *path, const char *what)
{
    return rk_diag_set(diag, RK_ERR_IO, "%s: %s: %s", path, what, strerror(errno));
}

static bool write_all(int file, const char *content, size_t length)
{
    while (length > 0) {
        const ssize_t done = write(file, content, length);

        if (done < 0 && errno == EINTR) continue;
        if (done <= 0) return false;
        content += done;
        length -= (size_t)done;
    }
    return true;
}

static bool same_content(const char *path, const char *content, size_t length)
{
    char *standing = NULL;
    size_t stands = 0;
    bool same = false;

    if (rk_file_read(path, &standing, &stands, NULL) == RK_OK) {
        same = standing != NULL && stands == length && memcmp(standing, content, length) == 0;
    }
    rk_memory_free(standing);
    return same;
}

/* A file on its way: made, complete and on the disk, but without its name yet. */
typedef struct pending {
    char *fresh;           /* NULL: nothing is to be written */
    char target[PATH_MAX]; /* a link stays one: what it points to is replaced */
} pending;

static bool fill(int file, const char *path, const rk_file_content *f)
{
    struct stat standing;
    mode_t mode;
    bool done;

    if (stat(path, &standing) == 0) {
        mode = standing.st_mode & 07777;
    } else {
        const mode_t mask = umask(0);

        (void)umask(mask);
        mode = 0666 & ~mask;
    }
    done =
        write_all(file, f->content, f->length) && fsync(file) == 0 && fchmod(file, mode) == 0;
    return close(file) == 0 && done;
}

/* May it be written? */
static rk_status check_file(const rk_file_content *f, bool replace, rk_diag *diag)
{
    struct stat standing;

    if (f->path == NULL || f->content == NULL) return RK_ERR_ARG;
    if (stat(f->path, &standing) != 0) return RK_OK;
    if (S_ISDIR(standing.st_mode)) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: is a directory; give a file name", f->path);
    }
    if (!replace && !same_content(f->path, f->content, f->length)) {
        return rk_diag_set(diag, RK_ERR_IO,
                           "%s: exists with other content; move it away, or give --force",
                           f->path);
    }
    if (replace && access(f->path, W_OK) != 0) return say(diag, f->path, "cannot write");
    return RK_OK;
}

/* The new file, beside its place. */
static rk_status make_beside(const rk_file_content *f, bool replace, pending *p, rk_diag *diag)
{
    struct stat standing;
    size_t room;
    int file;

    if (stat(f->path, &standing) != 0) {
        if (snprintf(p->target, sizeof p->target, "%s", f->path) >= (int)sizeof p->target) {
            return rk_diag_set(diag, RK_ERR_IO, "%s: the path is too long", f->path);
        }
    } else if (!replace) {
        return RK_OK; /* it has this content */
    } else if (realpath(f->path, p->target) == NULL) {
        return say(diag, f->path, "cannot write");
    }
    room = strlen(p->target) + sizeof ".XXXXXX";
    p->fresh = rk_memory_create(room, 1);
    if (p->fresh == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "%s: out of memory", f->path);
    (void)snprintf(p->fresh, room, "%s.XXXXXX", p->target);
    file = mkstemp(p->fresh);
    if (file < 0) {
        const rk_status status = say(diag, f->path, "cannot write");

        rk_memory_free(p->fresh);
        p->fresh = NULL;
        return status;
    }
    return fill(file, p->target, f) ? RK_OK : say(diag, f->path, "cannot write");
}

/* All take their names; a rename within a directory fails only where it would for the first. */
static rk_status name_all(pending *list, size_t count, rk_diag *diag)
{
    rk_status status = RK_OK;
    sigset_t all, before;
    size_t i;

    (void)sigfillset(&all);
    (void)pthread_sigmask(SIG_BLOCK, &all, &before);
    for (i = 0; i < count && status == RK_OK; i++) {
        if (list[i].fresh == NULL) continue;
        if (rename(list[i].fresh, list[i].target) != 0) {
            status = say(diag, list[i].target, "cannot write");
        } else {
            rk_memory_free(list[i].fresh);
            list[i].fresh = NULL;
        }
    }
    (void)pthread_sigmask(SIG_SETMASK, &before, NULL);
    return status;
}

rk_status rk_files_write(const rk_file_content *list, size_t count, bool replace, rk_diag *diag)
{
    rk_status status = RK_OK;
    pending *files;
    size_t i;

    rk_diag_clear(diag);
    if (list == NULL) return RK_ERR_ARG;
    files = rk_memory_create(count + 1, sizeof *files);
    if (files == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory");
    for (i = 0; i < count && status == RK_OK; i++) {
        status = check_file(&list[i], replace, diag);
    }
    for (i = 0; i < count && status == RK_OK; i++) {
        status = make_beside(&list[i], replace, &files[i], diag);
    }
    if (status == RK_OK) {
        status = name_all(files, count, diag);
    }
    for (i = 0; i < count; i++) {
        if (files[i].fresh != NULL) {
            (void)unlink(files[i].fresh);
            rk_memory_free(files[i].fresh);
        }
    }
    rk_memory_free(files);
    return status;
}

rk_status rk_file_write(const char *path, const char *content, size_t length, bool replace,
                        rk_diag *diag)
{
    return rk_files_write(&(rk_file_content){path, content, length}, 1, replace, diag);
}

/* The rest of a file, in room that doubles as it fills; what is read so far goes with *content,
 * also when it fails. */
static rk_status read_rest(FILE *file, const char *path, char **content, size_t *length,
                           rk_diag *diag)
{
    size_t room = READ_FIRST;

    for (;;) {
        char *grown = rk_memory_resize(*content, room + 1, 1);

        if (grown == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "%s: out of memory", path);
        *content = grown;
        *length += fread(grown + *length, 1, room - *length, file);
        grown[*length] = '\0';
        if (ferror(file)) return say(diag, path, "cannot read");
        if (*length > READ_MAX) {
            return rk_diag_set(diag, RK_ERR_FORMAT, "%s: longer than 16 MiB", path);
        }
        if (*length < room) return RK_OK;
        room *= 2;
    }
}

rk_status rk_file_read(const char *path, char **content, size_t *length, rk_diag *diag)
{
    FILE *file;
    char *made = NULL;
    size_t got = 0;
    rk_status status;

    rk_diag_clear(diag);
    if (path == NULL || content == NULL || length == NULL) return RK_ERR_ARG;
    file = fopen(path, "rb");
    if (file == NULL) return say(diag, path, "cannot open");
    status = read_rest(file, path, &made, &got, diag);
    (void)fclose(file);
    if (status != RK_OK) {
        rk_memory_free(made);
        return status;
    }
    *content = made;
    *length = got;
    return RK_OK;
}

rk_status rk_directory_make(const char *path, rk_diag *diag)
{
    struct stat standing;
    const size_t length = path != NULL ? strlen(path) : 0;
    char *part;
    size_t i;

    rk_diag_clear(diag);
    if (length == 0) return rk_diag_set(diag, RK_ERR_IO, "the directory's name is empty");
    part = rk_memory_create(length + 1, 1);
    if (part == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "%s: out of memory", path);
    for (i = 1; i <= length; i++) {
        if (path[i] != '/' && path[i] != '\0') continue;
        memcpy(part, path, i);
        part[i] = '\0';
        (void)mkdir(part, 0777);
    }
    rk_memory_free(part);
    if (stat(path, &standing) != 0) return say(diag, path, "cannot make the directory");
    if (!S_ISDIR(standing.st_mode)) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: is a file, not a directory", path);
    }
    return RK_OK;
}
