/* SPDX-License-Identifier: MIT */
#include <redkettle/files/record_log.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

#include <csv.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/design/base/text.h>

#include "columns.h"
#include "line_writer.h"
#include "rows.h"

struct rk_record_log {
    rki_line_writer *writer;
    double time_unit; /* s that the file's numbers count */
};

/* Digits of a number in the file: of a measured value all, of a time no rounding dust. */
enum { VALUE_DIGITS = 10, TIME_DIGITS = 12 };

static rk_status put_line(rk_record_log *log, const char *line, rk_diag *diag)
{
    return rki_line_writer_put(log->writer, line, diag);
}

/* A cell, quoted if it has to be. */
static void as_cell(char *cell, size_t room, const char *text)
{
    size_t length;

    if (strpbrk(text, ",\"\r\n") == NULL) {
        (void)snprintf(cell, room, "%s", text);
        return;
    }
    length = csv_write(cell, room - 1, text, strlen(text));
    cell[length < room ? length : room - 1] = '\0';
}

/* A column's name as the loop's own record has it, or the usual one and its unit. */
static void column_name(char *cell, size_t room, const char *given, const char *usual,
                        const char *units)
{
    char name[RK_NAME_CHARS + RK_UNITS_CHARS + 8];

    if (given[0] != '\0') {
        (void)snprintf(name, sizeof name, "%s", given);
    } else {
        (void)snprintf(name, sizeof name, "%s [%s]", usual, units);
    }
    as_cell(cell, room, name);
}

static rk_status put_head(rk_record_log *log, const rk_design *loop, bool of_run, rk_diag *diag)
{
    enum { CELL = 2 * (RK_NAME_CHARS + RK_UNITS_CHARS) + 16 };
    const char *time_name = loop->time_column[0] != '\0' ? loop->time_column : "time_s";
    char time[CELL], out[CELL], pv[CELL], sp[CELL + 16] = "", line[(4 * CELL) + 32];
    rk_status status;

    log->time_unit =
        loop->record_time_unit > 0 ? loop->record_time_unit : rki_columns_time_unit(time_name);
    (void)snprintf(line, sizeof line, "%s of %s", of_run ? "run" : "step test", loop->name);
    status = rk_record_log_comment(log, line, diag);
    if (status == RK_OK) {
        status = rk_record_log_comment(log, RKI_ON_ROWS, diag);
    }
    if (status != RK_OK) return status;
    column_name(time, sizeof time, time_name, "", "");
    column_name(out, sizeof out, loop->out_column, "OUT", loop->out_units);
    column_name(pv, sizeof pv, loop->pv_column, "PV", loop->pv_units);
    if (of_run) {
        char name[CELL];

        column_name(name, sizeof name, "", "SP", loop->pv_units);
        (void)snprintf(sp, sizeof sp, ",%s,mode,alarms", name);
    }
    (void)snprintf(line, sizeof line, "%s,%s,%s%s\n", time, out, pv, sp);
    return put_line(log, line, diag);
}

static rk_status create(const char *path, const rk_design *loop, bool of_run, bool replace,
                        bool beside, rk_record_log **log, rk_diag *diag)
{
    rk_record_log *made;
    rk_status status;

    if (path == NULL || loop == NULL || log == NULL) return RK_ERR_ARG;
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for a record");
    status = rki_line_writer_open(path, replace, &made->writer, diag);
    if (status == RK_OK) {
        status = put_head(made, loop, of_run, diag);
    }
    if (status == RK_OK && beside) {
        status = rki_line_writer_go_beside(made->writer, diag);
    }
    if (status != RK_OK) {
        rk_record_log_free(made);
        return status;
    }
    *log = made;
    return RK_OK;
}

rk_status rk_record_log_create(const char *path, const rk_design *loop, bool replace,
                               bool beside, rk_record_log **log, rk_diag *diag)
{
    rk_diag_clear(diag);
    return create(path, loop, false, replace, beside, log, diag);
}

rk_status rk_record_log_create_run(const char *path, const rk_design *loop, bool replace,
                                   bool beside, rk_record_log **log, rk_diag *diag)
{
    rk_diag_clear(diag);
    return create(path, loop, true, replace, beside, log, diag);
}

/* "time,out,pv"; an empty PV where there is none. */
static void format_row(const rk_record_log *log, double time, double out, double pv, char *line,
                       size_t room)
{
    char cell[3][RK_REAL_CHARS] = {"", "", ""};

    rk_real_format_rounded(time / log->time_unit, TIME_DIGITS, cell[0]);
    rk_real_format_rounded(out, VALUE_DIGITS, cell[1]);
    if (!isnan(pv)) {
        rk_real_format_rounded(pv, VALUE_DIGITS, cell[2]);
    }
    (void)snprintf(line, room, "%s,%s,%s", cell[0], cell[1], cell[2]);
}

rk_status rk_record_log_row(rk_record_log *log, double time, double out, double pv,
                            rk_diag *diag)
{
    char line[(3 * RK_REAL_CHARS) + 8];

    rk_diag_clear(diag);
    if (log == NULL) return RK_ERR_ARG;
    format_row(log, time, out, pv, line, sizeof line - 1);
    strcat(line, "\n");
    return put_line(log, line, diag);
}

rk_status rk_record_log_run_row(rk_record_log *log, double time, double out, double pv,
                                double sp, const char *mode, const char *alarms, rk_diag *diag)
{
    enum { ALARMS = 400 };
    char row[(3 * RK_REAL_CHARS) + 8], cell[RK_REAL_CHARS], words[ALARMS + 1],
        quoted[(2 * ALARMS) + 8], line[RKI_LINE_CHARS];

    rk_diag_clear(diag);
    if (log == NULL || mode == NULL || alarms == NULL) return RK_ERR_ARG;
    format_row(log, time, out, pv, row, sizeof row);
    rk_real_format_rounded(sp, VALUE_DIGITS, cell);
    (void)snprintf(words, sizeof words, "%.*s", (int)ALARMS, alarms);
    as_cell(quoted, sizeof quoted, words);
    (void)snprintf(line, sizeof line, "%s,%s,%.20s,%.800s\n", row, cell, mode, quoted);
    return put_line(log, line, diag);
}

rk_status rk_record_log_comment(rk_record_log *log, const char *text, rk_diag *diag)
{
    char line[512];

    rk_diag_clear(diag);
    if (log == NULL || text == NULL) return RK_ERR_ARG;
    (void)snprintf(line, sizeof line, "# %.500s\n", text);
    return put_line(log, line, diag);
}

rk_status rk_record_log_finish(rk_record_log *log, double seconds, rk_diag *diag)
{
    rk_diag_clear(diag);
    return log == NULL ? RK_OK : rki_line_writer_finish(log->writer, seconds, diag);
}

void rk_record_log_free(rk_record_log *log)
{
    if (log == NULL) return;
    rki_line_writer_free(log->writer);
    rk_memory_free(log);
}
