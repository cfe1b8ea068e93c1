/* SPDX-License-Identifier: MIT */
#include <redkettle/files/write.h>

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
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

/* Content into the new file, which then takes the name. */
static rk_status fill_and_rename(int file, const char *fresh, const char *path,
                                 const char *content, size_t length, rk_diag *diag)
{
    struct stat standing;
    mode_t mode;

    if (stat(path, &standing) == 0) {
        mode = standing.st_mode & 07777;
    } else {
        const mode_t mask = umask(0);

        (void)umask(mask);
        mode = 0666 & ~mask;
    }
    if (!write_all(file, content, length) || fsync(file) != 0 || fchmod(file, mode) != 0) {
        const rk_status status = say(diag, path, "cannot write");

        (void)close(file);
        return status;
    }
    if (close(file) != 0 || rename(fresh, path) != 0) return say(diag, path, "cannot write");
    return RK_OK;
}

/* A new file beside `path`, which takes its name when it is complete. */
static rk_status write_beside(const char *path, const char *content, size_t length,
                              rk_diag *diag)
{
    const size_t room = strlen(path) + sizeof ".XXXXXX";
    char *fresh = rk_memory_create(room, 1);
    rk_status status;
    int file;

    if (fresh == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "%s: out of memory", path);
    (void)snprintf(fresh, room, "%s.XXXXXX", path);
    file = mkstemp(fresh);
    if (file < 0) {
        status = say(diag, path, "cannot write");
    } else {
        status = fill_and_rename(file, fresh, path, content, length, diag);
        if (status != RK_OK) {
            (void)unlink(fresh);
        }
    }
    rk_memory_free(fresh);
    return status;
}

rk_status rk_file_may_write(const char *path, const char *content, size_t length, bool replace,
                            rk_diag *diag)
{
    struct stat standing;

    rk_diag_clear(diag);
    if (path == NULL || content == NULL) return RK_ERR_ARG;
    if (stat(path, &standing) != 0) return RK_OK;
    if (S_ISDIR(standing.st_mode)) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: is a directory; give a file name", path);
    }
    if (!replace && !same_content(path, content, length)) {
        return rk_diag_set(diag, RK_ERR_IO,
                           "%s: exists with other content; move it away, or give --force",
                           path);
    }
    if (replace && access(path, W_OK) != 0) return say(diag, path, "cannot write");
    return RK_OK;
}

rk_status rk_file_write(const char *path, const char *content, size_t length, bool replace,
                        rk_diag *diag)
{
    char target[PATH_MAX];
    struct stat standing;
    const rk_status status = rk_file_may_write(path, content, length, replace, diag);

    if (status != RK_OK) return status;
    if (stat(path, &standing) != 0) return write_beside(path, content, length, diag);
    if (!replace) return RK_OK; /* it has this content */
    /* A link stays one: what it points to is replaced. */
    if (realpath(path, target) == NULL) return say(diag, path, "cannot write");
    return write_beside(target, content, length, diag);
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
