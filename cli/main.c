/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "cli.h"
#include "loop_file_help.h"

static const struct {
    const char *name;
    int (*run)(int argc, char **argv);
    const char *what;
} commands[] = {
    {"inspect", cmd_inspect,
     "is a record fit for fitting; what the next test should do better"},
    {"bump", cmd_bump, "a step test, made and recorded through a port"},
    {"fit", cmd_fit, "a process model from a step test, with its certainty"},
    {"tune", cmd_tune, "settings by published rules, side by side"},
    {"search", cmd_search, "settings that meet requirements at the lowest cost"},
    {"check", cmd_check, "margins, gain limits and a verdict"},
    {"trial", cmd_trial, "the loop run on paper, cases side by side, with a figure"},
    {"emit", cmd_emit, "the controller as program text for a PLC"},
    {"prove", cmd_prove, "the emitted text runs and gives the design's numbers, bit for bit"},
    {"run", cmd_run, "the loop live through a port, manual and automatic"},
    {"demo", cmd_demo, "the whole job on the demo plant"},
};

enum { COMMANDS = sizeof commands / sizeof commands[0] };

static void print_usage(FILE *stream)
{
    int i;

    (void)fprintf(stream,
                  "Usage: redkettle COMMAND [FILE] [OPTIONS]\n\n"
                  "From a step test to a tuned, checked controller in the PLC, in the order of "
                  "the work:\n\n");
    for (i = 0; i < COMMANDS; i++) {
        (void)fprintf(stream, "  %-7s  %s\n", commands[i].name, commands[i].what);
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
        if (strcmp(commands[i].name, name) == 0) return i;
    }
    return -1;
}

static int unknown_command(const char *name)
{
    const char *names[COMMANDS + 1] = {NULL}, *nearest;
    int i;

    for (i = 0; i < COMMANDS; i++) {
        names[i] = commands[i].name;
    }
    nearest = rk_word_nearest(names, name);
    (void)fprintf(stderr, "redkettle: unknown command '%s'; %s%s%ssee redkettle --help\n", name,
                  nearest != NULL ? "did you mean " : "", nearest != NULL ? nearest : "",
                  nearest != NULL ? "? " : "");
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
        print_loop_file_help();
        return EXIT_DONE;
    }
    at = find_command(about);
    if (at < 0) return unknown_command(about);
    (void)snprintf(name, sizeof name, "%s", commands[at].name);
    return commands[at].run(2, argv);
}

/* What was printed must have arrived. */
static int flushed(int status)
{
    if (fflush(stdout) == 0 && !ferror(stdout)) return status;
    (void)fprintf(stderr, "redkettle: cannot write to standard output\n");
    return EXIT_NO_ACCESS;
}

int main(int argc, char **argv)
{
    int at;

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
    return at >= 0 ? flushed(commands[at].run(argc - 1, argv + 1)) : unknown_command(argv[1]);
}
