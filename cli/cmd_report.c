/* SPDX-License-Identifier: MIT */
#include <string.h>
#include <sys/stat.h>
#include <time.h>

#include "cli.h"

enum { DAY_CHARS = 32 };

typedef struct report_job {
    job j;
    const char *out;
    char path[RK_PATH_CHARS];
    rk_record *validation;
    bool record_is_lost;
} report_job;

static int check_options(job *j)
{
    report_job *r = (report_job *)j;
    const char *slash, *dot;

    if (!j->is_loop_file) {
        return fail(j, EXIT_USAGE, "give a loop file (.loop)");
    }
    if (r->out == NULL) { /* the loop file's name, here */
        slash = strrchr(j->input, '/');
        slash = slash != NULL ? slash + 1 : j->input;
        dot = strrchr(slash, '.');
        (void)snprintf(r->path, sizeof r->path, "%.*s.html", (int)(dot - slash), slash);
        r->out = r->path;
    }
    if (j->json && strcmp(r->out, "-") == 0) {
        return fail(j, EXIT_USAGE, "--json and --out - both want standard output: give one");
    }
    return EXIT_DONE;
}

static int read_records(job *j)
{
    report_job *r = (report_job *)j;
    rk_import import;
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (j->loop.record_path[0] != '\0') {
        const int read = need_record(j);

        if (read != EXIT_DONE && !j->loop.has_model) return read;
        r->record_is_lost = read != EXIT_DONE; /* which was said */
    }
    if (j->loop.validate_path[0] == '\0') return EXIT_DONE;
    status = read_record(j, j->loop.validate_path, &r->validation, &import, &diag);
    return status == RK_OK ? EXIT_DONE : fail_diag(j, status, &diag);
}

/* A time as the clock on the wall has it. */
static const char *day_of(time_t when, char day[DAY_CHARS])
{
    struct tm parts;

    if (localtime_r(&when, &parts) == NULL ||
        strftime(day, DAY_CHARS, "%Y-%m-%d %H:%M", &parts) == 0) {
        day[0] = '\0';
    }
    return day;
}

static int tell(const report_job *r, const rk_page_result *made, size_t length)
{
    rk_report *report;

    if (strcmp(r->out, "-") == 0) return EXIT_DONE;
    report = report_make(&r->j);
    return show_report(&r->j, report, rk_report_add_page(report, r->out, length, made), NULL);
}

static int report(job *j)
{
    report_job *r = (report_job *)j;
    char made_on[DAY_CHARS], saved_on[DAY_CHARS] = "";
    struct stat file;
    rk_text *html = rk_text_create();
    rk_page_result made;
    rk_diag diag = {RK_OK, ""};
    rk_page page = {.loop = &j->loop,
                    .loop_file = j->input,
                    .made = day_of(time(NULL), made_on),
                    .record = j->record,
                    .import = &j->import,
                    .record_is_lost = r->record_is_lost,
                    .validation = r->validation,
                    .validation_file = j->loop.validate_path,
                    .minutes = j->minutes};
    rk_status status;
    size_t length;
    int result;

    if (stat(j->input, &file) == 0) {
        page.loop_saved = day_of(file.st_mtime, saved_on);
    }
    status = rk_page_compute(&page, html, &made, &diag);
    length = rk_text_length(html);
    result = write_text(j, r->out, html, status, &diag);
    if (result == EXIT_DONE) {
        result = tell(r, &made, length);
    }
    if (result != EXIT_DONE) return result;
    return made.judged && !made.met ? EXIT_VERDICT_NO : EXIT_DONE;
}

static void free_records(job *j)
{
    rk_record_free(((report_job *)j)->validation);
}

#define TO(field) offsetof(report_job, field)

static const command_option options[] = {
    {"out", "FILE.html", 1,
     "where to write it (default: the loop file's name, here; - is standard output)", TAKE_TEXT,
     TO(out)},
    {0},
};
static const struct argp_child groups[] = {
    {&column_options, 0, "The record:", 2}, {&output_options, 0, "Output:", 3}, {0}};

const command command_report = {
    .name = "report",
    .what = "one HTML page with everything, and settings to try in it",
    .input = "LOOP.loop",
    .help =
        "All about a loop in one HTML file that needs nothing else, to be mailed, read in a browser and "
        "printed: the verdict, the record and its model, rules and settings, margins, the program text; "
        "and a workbench, in which sliders turn the settings and the loop is tried at once, by the code "
        "that trial and check run.\v"
        "Exit status 1: it is written, and a requirement is not met. Example: redkettle report "
        "blend-brix.loop --out blend-brix.html",
    .options = options,
    .groups = groups,
    .size = sizeof(report_job),
    .steps = (step_function *const[]){check_options, read_records, report, NULL},
    .free = free_records,
};
