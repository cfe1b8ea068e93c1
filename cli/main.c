/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "cli.h"

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
    {"search", cmd_search, "settings that meet requirements at the least cost"},
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
        stream, "\nredkettle COMMAND --help explains a command; redkettle --version tells the "
                "version.\nExit status: 0 done; 1 done, and the verdict is no; 2 wrong usage; "
                "3 bad input;\n4 something could not be read, written or reached.\n");
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
    int i;

    if (argc < 2) {
        print_usage(stderr);
        return EXIT_USAGE;
    }
    if (strcmp(argv[1], "--version") == 0) {
        (void)printf("redkettle %s\n", RK_VERSION);
        return flushed(EXIT_DONE);
    }
    if (strcmp(argv[1], "--help") == 0 || strcmp(argv[1], "help") == 0) {
        print_usage(stdout);
        return flushed(EXIT_DONE);
    }
    for (i = 0; i < COMMANDS; i++) {
        if (strcmp(commands[i].name, argv[1]) == 0) {
            return flushed(commands[i].run(argc - 1, argv + 1));
        }
    }
    (void)fprintf(stderr, "redkettle: unknown command '%s'; see redkettle --help\n", argv[1]);
    return EXIT_USAGE;
}
