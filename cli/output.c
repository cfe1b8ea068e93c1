/* SPDX-License-Identifier: MIT */
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "cli.h"

int fail(const job *j, int exit_status, const char *format, ...)
{
    va_list args;

    (void)fflush(stdout);
    (void)fprintf(stderr, "redkettle %s: ", j->command->name);
    va_start(args, format);
    (void)vfprintf(stderr, format, args);
    va_end(args);
    (void)fputc('\n', stderr);
    return exit_status;
}

int fail_diag(const job *j, rk_status status, const rk_diag *diag)
{
    const bool no_access = status == RK_ERR_IO || status == RK_ERR_MEMORY;
    const char *why =
        diag->text[0] != '\0' ? diag->text : "an internal mistake: please report it";

    return fail(j, no_access ? EXIT_NO_ACCESS : EXIT_BAD_INPUT, "%s", why);
}

int fail_range(const job *j, rk_status status, const rk_diag *diag)
{
    if (status == RK_OK) return EXIT_DONE;
    return status == RK_ERR_RANGE ? fail(j, EXIT_USAGE, "%s", diag->text)
                                  : fail_diag(j, status, diag);
}

rk_report *report_make(const job *j)
{
    const char *no_colour = getenv("NO_COLOR"), *terminal = getenv("TERM");
    const bool plain = (no_colour != NULL && no_colour[0] != '\0') ||
                       (terminal != NULL && strcmp(terminal, "dumb") == 0);

    return rk_report_create((rk_report_style){j->minutes, !plain && isatty(STDOUT_FILENO)});
}

void say(const job *j, const char *format, ...)
{
    va_list args;

    if (j->json || j->piped) return;
    va_start(args, format);
    (void)vprintf(format, args);
    va_end(args);
}

int tell_saved(const job *j, const char *section, rk_status saved, const rk_diag *diag)
{
    if (saved != RK_OK) return fail_diag(j, saved, diag);
    say(j, "\nSaved as [%s] in %s.\n", section, j->input);
    return EXIT_DONE;
}

int save_settings(job *j)
{
    rk_diag diag = {RK_OK, ""};

    if (!j->save) return EXIT_DONE;
    return tell_saved(j, "settings", rk_design_save_settings(j->input, &j->loop, &diag), &diag);
}

int take_table(job *j, const char *option, const char *path)
{
    if (path == NULL || strcmp(path, "-") != 0) return EXIT_DONE;
    if (j->json || (j->figure != NULL && strcmp(j->figure, "-") == 0)) {
        return fail(j, EXIT_USAGE, "--%s - and --%s both want standard output: give one",
                    option, j->json ? "json" : "figure -");
    }
    j->piped = true;
    return EXIT_DONE;
}

int write_text(const job *j, const char *path, rk_text *text, rk_status status,
               const rk_diag *made)
{
    rk_diag diag = *made;

    if (status == RK_OK && strcmp(path, "-") == 0) {
        (void)fwrite(rk_text_chars(text), 1, rk_text_length(text), stdout);
    } else if (status == RK_OK) {
        status = rk_file_write(path, rk_text_chars(text), rk_text_length(text), true, &diag);
    }
    rk_text_free(text);
    return status == RK_OK ? EXIT_DONE : fail_diag(j, status, &diag);
}

int write_curves_file(const job *j, const char *path, bool comma, rk_text *text,
                      rk_status status, rk_diag *diag)
{
    rk_text *other;

    if (!comma || status != RK_OK) return write_text(j, path, text, status, diag);
    other = rk_text_create();
    status = rk_csv_with_comma(text, other, diag);
    rk_text_free(text);
    return write_text(j, path, other, status, diag);
}

static void terminal_size(rk_figure_style *style)
{
    struct winsize size;

    if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0) return;
    style->columns = size.ws_col;
    style->rows = size.ws_row > 12 ? size.ws_row - 2 : 0;
}

int write_figure(const job *j, draw_function *draw)
{
    rk_figure_style style = {RK_FIGURE_PNG, 0, 0, j->minutes};
    rk_diag diag = {RK_OK, ""};
    rk_text *image;
    rk_status status;

    if (j->figure == NULL) return EXIT_DONE;
    if (rk_figure_format_from_name(j->figure, &style.format, &diag) != RK_OK) {
        return fail(j, EXIT_USAGE, "%s", diag.text);
    }
    terminal_size(&style);
    image = rk_text_create();
    status = draw(j, &style, image, &diag);
    if (status == RK_OK) {
        status = rk_text_check(image, &diag);
    }
    if (style.format != RK_FIGURE_TERMINAL)
        return write_text(j, j->figure, image, status, &diag);
    if (status == RK_OK) {
        (void)fwrite(rk_text_chars(image), 1, rk_text_length(image), stdout);
    }
    rk_text_free(image);
    return status == RK_OK ? EXIT_DONE : fail_diag(j, status, &diag);
}

int show_report(const job *j, rk_report *report, rk_status status, draw_function *draw)
{
    rk_text *text = rk_text_create();
    rk_diag diag = {RK_OK, ""};

    if (status == RK_OK) {
        status = (j->json ? rk_report_to_json : rk_report_to_text)(report, text, &diag);
    }
    if (status == RK_OK && !j->piped) {
        (void)fwrite(rk_text_chars(text), 1, rk_text_length(text), stdout);
    }
    rk_text_free(text);
    rk_report_free(report);
    if (status != RK_OK) return fail_diag(j, status, &diag);
    return draw != NULL ? write_figure(j, draw) : EXIT_DONE;
}

void show_progress_line(const char *format, ...)
{
    char words[240] = "";
    va_list args;

    if (!isatty(STDERR_FILENO)) return;
    if (format == NULL) {
        (void)fprintf(stderr, "\r%79s\r", "");
        return;
    }
    va_start(args, format);
    (void)vsnprintf(words, sizeof words, format, args);
    va_end(args);
    (void)fprintf(stderr, "\r%-79.79s", words);
}

bool file_stands(const char *path)
{
    FILE *file = fopen(path, "r");

    if (file == NULL) return false;
    (void)fclose(file);
    return true;
}

void tell_unknown(const char *prefix, const char *what, const char *mark, const char *typed,
                  const char *const *names, const char *see)
{
    const char *nearest = rk_word_nearest(names, typed);

    (void)fprintf(stderr, "%s: %s '%s%s'; %s%s%s%ssee %s --help\n", prefix, what, mark, typed,
                  nearest != NULL ? "did you mean " : "", nearest != NULL ? mark : "",
                  nearest != NULL ? nearest : "", nearest != NULL ? "? " : "", see);
}
