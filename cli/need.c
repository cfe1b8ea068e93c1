/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <stdarg.h>
#include <string.h>

#include "cli.h"

/* A loop that says no units takes those of its record. */
static void take_units(char *units, const char *unknown, const char *found)
{
    if (strcmp(units, unknown) == 0 && found[0] != '\0') {
        (void)snprintf(units, RK_UNITS_CHARS, "%s", found);
    }
}

void note(const job *j, const char *about, const char *format, ...)
{
    va_list args;

    (void)fprintf(stderr, "redkettle %s: %s%s", j->command->name, about != NULL ? about : "",
                  about != NULL ? ": " : "");
    va_start(args, format);
    (void)vfprintf(stderr, format, args);
    va_end(args);
    (void)fputc('\n', stderr);
}

/* What the engineer should know of how the file was read. */
static void tell_import(const job *j)
{
    rk_text *text = rk_text_create();
    const char *line, *end;

    rk_import_words(&j->import, text);
    if (rk_text_check(text, NULL) == RK_OK) {
        for (line = rk_text_chars(text); (end = strchr(line, '\n')) != NULL; line = end + 1) {
            note(j, j->loop.record_path, "%.*s", (int)(end - line), line);
        }
    }
    rk_text_free(text);
}

rk_columns record_columns(const job *j)
{
    const rk_design *d = &j->loop;

    return (rk_columns){.time = d->time_column,
                        .out = d->out_column,
                        .pv = d->pv_column,
                        .quality = d->quality_column,
                        .time_unit = d->record_time_unit,
                        .order = d->record_order};
}

rk_status read_record(const job *j, const char *path, rk_record **record, rk_import *import,
                      rk_diag *diag)
{
    rk_columns columns = record_columns(j);

    columns.moved_at = j->loop.moved_at;
    columns.move = j->loop.move;
    columns.out_start = isnan(j->loop.out_start) ? 0.0 : j->loop.out_start;
    return rk_record_read(path, &columns, record, import, diag);
}

int need_record(job *j)
{
    const rk_design nothing = rk_design_make();
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (j->record != NULL) return EXIT_DONE;
    if (j->loop.record_path[0] == '\0') {
        return fail(j, EXIT_USAGE,
                    "no record: give a .csv file, or a loop file with [record] file");
    }
    status = read_record(j, j->loop.record_path, &j->record, &j->import, &diag);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    take_units(j->loop.pv_units, nothing.pv_units, j->import.pv_units);
    take_units(j->loop.out_units, nothing.out_units, j->import.out_units);
    tell_import(j);
    return EXIT_DONE;
}

/* A record that is wrong for this loop gives no model to go on with. */
static int refuse_slips(const job *j)
{
    const rk_inspect_plan plan = rk_inspect_plan_of(&j->loop);
    rk_findings found = {.count = 0};
    size_t i;

    rk_record_slips(j->record, &plan, &found);
    for (i = 0; i < found.count; i++) {
        const rk_finding *f = &found.list[i];

        if (f->level == RK_LEVEL_UNFIT) {
            return fail(j, EXIT_VERDICT_NO, "%s: %s: %s", j->loop.record_path, f->what,
                        f->advice);
        }
    }
    return EXIT_DONE;
}

int need_model(job *j)
{
    rk_diag diag = {RK_OK, ""};
    rk_status status;
    int result;

    if (j->loop.has_model && (is_given(j, "record", "time") || is_given(j, "record", "out") ||
                              is_given(j, "record", "pv"))) {
        return fail(j, EXIT_USAGE,
                    "--time, --out and --pv name a record's columns, but the model is "
                    "given and no record is read");
    }
    if (j->loop.has_model) return EXIT_DONE;
    if (j->loop.record_path[0] == '\0') {
        return fail(j, EXIT_USAGE,
                    "no model: give --gain, --time-constant and --dead-time, or a loop "
                    "file with [model] or [record]");
    }
    result = need_record(j);
    if (result != EXIT_DONE) return result;
    status = rk_fit_compute(j->record, &j->fit_plan, &j->fit, &diag);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    rk_fit_to_loop(&j->fit, &j->loop);
    if (j->command != &command_fit && refuse_slips(j) != EXIT_DONE) return EXIT_VERDICT_NO;
    if (rk_fit_level(&j->fit) == RK_LEVEL_UNFIT && j->command != &command_fit) {
        char input[SHELL_WORD_CHARS];

        return fail(j, EXIT_VERDICT_NO,
                    "the record gives no usable model: see redkettle fit %s",
                    rk_shell_word(j->input, input, sizeof input));
    }
    if (j->command != &command_fit) {
        note(j, j->loop.record_path, "no model given: fitted one to this record");
    }
    return EXIT_DONE;
}

void within_loop(const job *j, rk_tuning *tuning)
{
    rk_settings all = j->loop.settings;

    rk_tuning_apply(tuning, &all);
    if (is_given(j, "settings", "sp-weight")) { /* who types one wants it */
        all.sp_weight = j->typed.settings.sp_weight;
    }
    tuning->settings = all;
}

int need_settings(job *j)
{
    rk_diag diag = {RK_OK, ""};
    rk_tuning tuning;

    if (j->rule == NULL) {
        if (j->loop.has_settings) return EXIT_DONE;
        return fail(j, EXIT_USAGE,
                    "no settings: give --kc and --ti, --rule NAME, or a loop file with "
                    "[settings]");
    }
    if (rk_tuning_compute(j->loop.has_model ? &j->loop.model : NULL, j->rule, j->mode,
                          &j->knobs, &tuning, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "--rule %s: %s", j->rule, diag.text);
    }
    within_loop(j, &tuning);
    j->loop.settings = tuning.settings;
    j->loop.has_settings = true;
    (void)snprintf(j->loop.rule, sizeof j->loop.rule, "%s", tuning.rule);
    j->loop.lambda = tuning.lambda;
    return EXIT_DONE;
}

int need_port(job *j)
{
    if (j->loop.has_plant || j->loop.port.kind != RK_PORT_SIM) return EXIT_DONE;
    return fail(j, EXIT_USAGE,
                "no port: give a loop file with [port], or with [plant], the simulated plant");
}

int need_scan(job *j)
{
    if (!isnan(j->loop.ts)) return EXIT_DONE;
    return fail(j, EXIT_USAGE,
                "no scan interval: give --scan, or a loop file with [loop] scan");
}
