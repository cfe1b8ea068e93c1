/* SPDX-License-Identifier: MIT */
/*
 * The tool's bad and sound input once more, for valgrind: the tool is linked in and runs in
 * forked children, so that valgrind starts once and not once a row.
 */
#include <string.h>

#include "../cli/tool.h"

/* cli/main.c, compiled under this name. */
int redkettle_main(int argc, char **argv);

static int run_inside(const char *const *arguments)
{
    static char words[40][256];
    char *argv[41];
    int argc = 1, i;

    strcpy(words[0], "redkettle");
    for (i = 0; arguments[i] != NULL; i++) {
        ck_assert_uint_lt(strlen(arguments[i]), sizeof words[0]);
        strcpy(words[argc++], arguments[i]); /* the tool may write into its arguments */
    }
    for (i = 0; i < argc; i++) {
        argv[i] = words[i];
    }
    argv[argc] = NULL;
    return redkettle_main(argc, argv);
}

outcome run_tool(const char *directory, const char *const *arguments)
{
    return run_child(directory, run_inside, arguments);
}

int main(void)
{
    static Suite *(*const makers[])(void) = {suite_bad_input};

    return run_suites(makers, COUNT(makers));
}
