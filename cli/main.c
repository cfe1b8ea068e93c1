/* SPDX-License-Identifier: MIT */
#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

#include "cli.h"

static const command *const commands[] = {
    &command_inspect, &command_bump,   &command_fit,  &command_tune,  &command_search,
    &command_check,   &command_trial,  &command_emit, &command_prove, &command_run,
    &command_plant,   &command_report, &command_demo};

enum { COMMANDS = sizeof commands / sizeof commands[0] };

static void print_usage(FILE *stream)
{
    int i;

    (void)fprintf(stream,
                  "Usage: redkettle COMMAND [FILE] [OPTIONS]\n\n"
                  "From a step test to a tuned, checked controller in the PLC, in the order of "
                  "the work:\n\n");
    for (i = 0; i < COMMANDS; i++) {
        (void)fprintf(stream, "  %-7s  %s\n", commands[i]->name, commands[i]->what);
    }
    (void)fprintf(
        stream,
        "\nredkettle help COMMAND explains a command, redkettle help loop-file every key of "
        "a loop file;\nredkettle --version tells the version.\nExit status: 0 done; 1 done, "
        "and the verdict is no; 2 wrong usage; "
        "3 bad input;\n4 something could not be read, written or reached.\n");
}

static int find_command(const char *name)
{
    int i;

    for (i = 0; i < COMMANDS; i++) {
        if (strcmp(commands[i]->name, name) == 0) return i;
    }
    return -1;
}

static int unknown_command(const char *name)
{
    const char *names[COMMANDS + 1] = {NULL};
    int i;

    for (i = 0; i < COMMANDS; i++) {
        names[i] = commands[i]->name;
    }
    tell_unknown("redkettle", "unknown command", "", name, names, "redkettle");
    return EXIT_USAGE;
}

/* help, help COMMAND, help loop-file. */
static int help(const char *about)
{
    char name[16], ask[] = "--help", *argv[] = {name, ask, NULL};
    int at;

    if (about == NULL) {
        print_usage(stdout);
        return EXIT_DONE;
    }
    if (strcmp(about, "loop-file") == 0) {
        rk_text *text = rk_text_create();

        rk_keys_help(text);
        (void)fputs(rk_text_check(text, NULL) == RK_OK ? rk_text_chars(text) : "", stdout);
        rk_text_free(text);
        return EXIT_DONE;
    }
    at = find_command(about);
    if (at < 0) return unknown_command(about);
    (void)snprintf(name, sizeof name, "%s", commands[at]->name);
    return run_command(commands[at], 2, argv);
}

/* What was printed must have arrived. */
static int flushed(int status)
{
    if (fflush(stdout) == 0 && !ferror(stdout)) return status;
    (void)fprintf(stderr, "redkettle: cannot write to standard output\n");
    return EXIT_NO_ACCESS;
}

/* A standard stream that is closed would be the next file that is opened: a record, with lines meant for
   the terminal in it. Now they go, and what is written to them fails, as it would have. */
static void fill_streams(void)
{
    int at;

    for (at = 0; at <= STDERR_FILENO; at++) {
        if (fcntl(at, F_GETFD) < 0 && errno == EBADF) {
            (void)open("/dev/null", at == STDIN_FILENO ? O_WRONLY : O_RDONLY);
        }
    }
}

int main(int argc, char **argv)
{
    int at;

    fill_streams();
    if (argc < 2) {
        print_usage(stderr);
        return EXIT_USAGE;
    }
    if (strcmp(argv[1], "--version") == 0) {
        (void)printf("redkettle %s\n", RK_VERSION);
        return flushed(EXIT_DONE);
    }
    if (strcmp(argv[1], "--help") == 0 || strcmp(argv[1], "-h") == 0 ||
        strcmp(argv[1], "help") == 0) {
        return flushed(help(argv[2]));
    }
    at = find_command(argv[1]);
    return at >= 0 ? flushed(run_command(commands[at], argc - 1, argv + 1))
                   : unknown_command(argv[1]);
}
