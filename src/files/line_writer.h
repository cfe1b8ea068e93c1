/* SPDX-License-Identifier: MIT */
#ifndef RKI_FILES_LINE_WRITER_H
#define RKI_FILES_LINE_WRITER_H

#include <stdbool.h>

#include <redkettle/design/base/diag.h>

/** Lines to a new file, in order and each whole or absent. */
typedef struct rki_line_writer rki_line_writer;

enum { RKI_LINE_CHARS = 1024 };

/**
 * Open a new file. Without `replace` one that stands there is an error.
 *
 * Errors  RK_ERR_IO, and diag names the file; RK_ERR_MEMORY.
 */
rk_status rki_line_writer_open(const char *path, bool replace, rki_line_writer **writer,
                               rk_diag *diag);

/**
 * From now on lines are written beside the caller, who never waits for the disk: one thread writes them,
 * another makes the system put them on the disk.
 *
 * Errors  RK_ERR_MEMORY for threads that cannot be had.
 */
rk_status rki_line_writer_go_beside(rki_line_writer *writer, rk_diag *diag);

/** A line with its end, shorter than RKI_LINE_CHARS. RK_ERR_IO: it, or one before it, could not be
 * written, or the disk is too far behind. */
rk_status rki_line_writer_put(rki_line_writer *writer, const char *line, rk_diag *diag);

/**
 * Wait until everything is on the disk, so long at most, s.
 *
 * Errors  RK_ERR_IO: not everything is.
 */
rk_status rki_line_writer_finish(rki_line_writer *writer, double seconds, rk_diag *diag);

/** Close it. What a disk does not take by then is left behind. NULL is fine. */
void rki_line_writer_free(rki_line_writer *writer);

#endif
