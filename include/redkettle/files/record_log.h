/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_FILES_RECORD_LOG_H
#define REDKETTLE_FILES_RECORD_LOG_H

#include <stdbool.h>

#include <redkettle/design/loop/design.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A record being written, row by row: whatever ends the program, the file holds whole rows. */
typedef struct rk_record_log rk_record_log;

/**
 * Start a file: its first lines are a comment and the names of the columns, those that the loop
 * gives its record or else time_s, OUT and PV with their units. Without `replace` a file that
 * stands there is left alone and is an error. Each row is in the file before the call returns;
 * or, `beside`, it is written and put on the disk beside the caller, who never waits for the disk: an
 * error comes with a later row then.
 *
 * Errors  RK_ERR_ARG for a NULL; RK_ERR_IO, and diag names the file; RK_ERR_MEMORY.
 */
rk_status rk_record_log_create(const char *path, const rk_design *loop, bool replace,
                               bool beside, rk_record_log **log, rk_diag *diag);

/** The same for a running loop: behind the usual columns come SP, the mode and the alarms. */
rk_status rk_record_log_create_run(const char *path, const rk_design *loop, bool replace,
                                   bool beside, rk_record_log **log, rk_diag *diag);

/** A row: time, s; OUT from then on; PV, NaN for none, which rk_record_read drops. RK_ERR_IO.
 */
rk_status rk_record_log_row(rk_record_log *log, double time, double out, double pv,
                            rk_diag *diag);

/** A row of a running loop; words without separators, alarms "" or joined by blanks. RK_ERR_IO.
 */
rk_status rk_record_log_run_row(rk_record_log *log, double time, double out, double pv,
                                double sp, const char *mode, const char *alarms, rk_diag *diag);

/** A line that starts with #; `text` has no line break. Errors  RK_ERR_IO. */
rk_status rk_record_log_comment(rk_record_log *log, const char *text, rk_diag *diag);

/** Wait until every row is on the disk, so long at most, s; nothing for a NULL. RK_ERR_IO: not all are. */
rk_status rk_record_log_finish(rk_record_log *log, double seconds, rk_diag *diag);

/** Close it. NULL is fine. */
void rk_record_log_free(rk_record_log *log);

#ifdef __cplusplus
}
#endif

#endif
