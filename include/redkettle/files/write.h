/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_FILES_WRITE_H
#define REDKETTLE_FILES_WRITE_H

#include <stdbool.h>
#include <stddef.h>

#include <redkettle/design/base/diag.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * Write a whole file, or nothing: the content goes to a new file beside it, to the disk, and
 * then takes the name. An existing file's permissions are kept. Without `replace`, a file that
 * stands there with other content is left alone and is an error; the same content is not.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO, and diag names the file and the reason.
 */
rk_status rk_file_write(const char *path, const char *content, size_t length, bool replace,
                        rk_diag *diag);

/** A file that is to be written. */
typedef struct rk_file_content {
    const char *path, *content;
    size_t length;
} rk_file_content;

/**
 * Write several files, all or none: each is made beside its place and brought to the disk first,
 * and then all take their names at once, in which no signal that can be caught comes between.
 *
 * Errors  as rk_file_write.
 */
rk_status rk_files_write(const rk_file_content *list, size_t count, bool replace,
                         rk_diag *diag);

/** Read a whole file of at most 16 MiB; *content ends with a NUL and is freed by
 * rk_memory_free. */
rk_status rk_file_read(const char *path, char **content, size_t *length, rk_diag *diag);

/** Make a directory and those above it; one that stands there is fine. Errors  RK_ERR_IO. */
rk_status rk_directory_make(const char *path, rk_diag *diag);

#ifdef __cplusplus
}
#endif

#endif
