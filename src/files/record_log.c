/* SPDX-License-Identifier: MIT */
#include <redkettle/files/record_log.h>

#include <errno.h>
#include <fcntl.h>
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include <csv.h>

#include <redkettle/design/memory.h>
#include <redkettle/design/text.h>

#include "columns.h"

struct rk_record_log {
    int file;
    bool to_disk;
    double time_unit; /* s that the file's numbers count */
    char path[RK_PATH_CHARS];
};

/* Digits of a number in the file: of a measured value all, of a time no rounding dust. */
enum { VALUE_DIGITS = 10, TIME_DIGITS = 12 };

/* One write a line, so that a crash leaves whole lines. */
static rk_status put_line(rk_record_log *log, const char *line, rk_diag *diag)
{
    const size_t length = strlen(line);
    size_t done = 0;

    while (done < length) {
        const ssize_t wrote = write(log->file, line + done, length - done);

        if (wrote > 0) {
            done += (size_t)wrote;
        } else if (errno != EINTR) {
            return rk_diag_set(diag, RK_ERR_IO, "%s: cannot write: %s", log->path,
                               wrote == 0 ? "no room" : strerror(errno));
        }
    }
    if (log->to_disk && fdatasync(log->file) != 0 && errno != EINVAL && errno != EROFS) {
        return rk_diag_set(diag, RK_ERR_IO, "%s: cannot write: %s", log->path, strerror(errno));
    }
    return RK_OK;
}

/* A column's name as the loop's own record has it, or the usual one and its unit. */
static void column_name(char *cell, size_t room, const char *given, const char *usual,
                        const char *units)
{
    char name[RK_NAME_CHARS + RK_UNITS_CHARS + 8];
    size_t length;

    if (given[0] != '\0') {
        (void)snprintf(name, sizeof name, "%s", given);
    } else {
        (void)snprintf(name, sizeof name, "%s [%s]", usual, units);
    }
    if (strpbrk(name, ",\"\r\n") == NULL) {
        (void)snprintf(cell, room, "%s", name);
        return;
    }
    length = csv_write(cell, room - 1, name, strlen(name));
    cell[length < room ? length : room - 1] = '\0';
}

static rk_status put_head(rk_record_log *log, const rk_loop_design *loop, rk_diag *diag)
{
    enum { CELL = 2 * (RK_NAME_CHARS + RK_UNITS_CHARS) + 16 };
    const char *time_name = loop->time_column[0] != '\0' ? loop->time_column : "time_s";
    char time[CELL], out[CELL], pv[CELL], line[(3 * CELL) + 8];
    rk_status status;

    log->time_unit =
        loop->record_time_unit > 0 ? loop->record_time_unit : rki_columns_time_unit(time_name);
    (void)snprintf(line, sizeof line, "step test of %s", loop->name);
    status = rk_record_log_comment(log, line, diag);
    if (status != RK_OK) return status;
    column_name(time, sizeof time, time_name, "", "");
    column_name(out, sizeof out, loop->out_column, "OUT", loop->out_units);
    column_name(pv, sizeof pv, loop->pv_column, "PV", loop->pv_units);
    (void)snprintf(line, sizeof line, "%s,%s,%s\n", time, out, pv);
    return put_line(log, line, diag);
}

rk_status rk_record_log_create(const char *path, const rk_loop_design *loop, bool replace,
                               bool to_disk, rk_record_log **log, rk_diag *diag)
{
    rk_record_log *made;
    rk_status status;

    if (path == NULL || loop == NULL || log == NULL) return RK_ERR_ARG;
    if (strlen(path) >= RK_PATH_CHARS) {
        return rk_diag_set(diag, RK_ERR_IO, "'%.40s...': the path is too long", path);
    }
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a record");
    strcpy(made->path, path);
    made->to_disk = to_disk;
    made->file =
        open(path, O_WRONLY | O_CREAT | O_CLOEXEC | (replace ? O_TRUNC : O_EXCL), 0666);
    if (made->file < 0) {
        status = rk_diag_set(diag, RK_ERR_IO, "%s: %s", path,
                             errno == EEXIST ? "is there already; give another name, or --force"
                                             : strerror(errno));
    } else {
        status = put_head(made, loop, diag);
    }
    if (status != RK_OK) {
        rk_record_log_free(made);
        return status;
    }
    *log = made;
    return RK_OK;
}

rk_status rk_record_log_row(rk_record_log *log, double time, double out, double pv,
                            rk_diag *diag)
{
    char cell[3][RK_REAL_CHARS] = {"", "", ""}, line[(3 * RK_REAL_CHARS) + 8];

    if (log == NULL) return RK_ERR_ARG;
    rk_real_format_rounded(time / log->time_unit, TIME_DIGITS, cell[0]);
    rk_real_format_rounded(out, VALUE_DIGITS, cell[1]);
    if (!isnan(pv)) {
        rk_real_format_rounded(pv, VALUE_DIGITS, cell[2]);
    }
    (void)snprintf(line, sizeof line, "%s,%s,%s\n", cell[0], cell[1], cell[2]);
    return put_line(log, line, diag);
}

rk_status rk_record_log_comment(rk_record_log *log, const char *text, rk_diag *diag)
{
    char line[512];

    if (log == NULL || text == NULL) return RK_ERR_ARG;
    (void)snprintf(line, sizeof line, "# %.500s\n", text);
    return put_line(log, line, diag);
}

void rk_record_log_free(rk_record_log *log)
{
    if (log == NULL) return;
    if (log->file >= 0) {
        (void)close(log->file);
    }
    rk_memory_free(log);
}
