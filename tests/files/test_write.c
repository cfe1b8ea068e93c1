/* SPDX-License-Identifier: MIT */
#include <dirent.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include <redkettle/files/write.h>

#include "../support/support.h"

enum { FILES = 5 };
static const char *const names[FILES] = {"a.st", "b.st", "c.csv", "d.xml", "e.txt"};

/* What stands in a directory, without what is hidden in every one. */
static int entries(const char *dir)
{
    DIR *d = opendir(dir);
    const struct dirent *e;
    int count = 0;

    ck_assert_ptr_nonnull(d);
    while ((e = readdir(d)) != NULL) {
        count += strcmp(e->d_name, ".") != 0 && strcmp(e->d_name, "..") != 0;
    }
    (void)closedir(d);
    return count;
}

static rk_status write_all(char path[FILES][256], const char *content, bool replace,
                           rk_diag *diag)
{
    rk_file_content list[FILES];
    size_t i;

    for (i = 0; i < FILES; i++) {
        list[i] = (rk_file_content){path[i], content, strlen(content)};
    }
    return rk_files_write(list, FILES, replace, diag);
}

static void check_all(const char *dir, const char *content)
{
    size_t i;

    for (i = 0; i < FILES; i++) {
        char *text = get_file(path_in(dir, names[i]), NULL);

        ck_assert_msg(strcmp(text, content) == 0, "%s: %.20s, not %.20s", names[i], text,
                      content);
        free(text);
    }
    ck_assert_int_eq(entries(dir), FILES); /* and nothing is left lying about */
}

static void paths_in(const char *dir, char path[FILES][256])
{
    size_t i;

    for (i = 0; i < FILES; i++) {
        (void)snprintf(path[i], sizeof path[i], "%s/%s", dir, names[i]);
    }
}

START_TEST(several_files_are_written_and_replaced)
{
    char *dir = scratch_make(), path[FILES][256];
    rk_diag diag = {RK_OK, ""};

    paths_in(dir, path);
    ck_assert_msg(write_all(path, "old\n", false, &diag) == RK_OK, "%s", diag.text);
    check_all(dir, "old\n");
    ck_assert_int_eq(write_all(path, "old\n", false, NULL),
                     RK_OK); /* the same may stand there */
    ck_assert_int_eq(write_all(path, "new\n", false, &diag), RK_ERR_IO);
    check_all(dir, "old\n");
    ck_assert_int_eq(write_all(path, "new\n", true, NULL), RK_OK);
    check_all(dir, "new\n");
    ck_assert_int_eq(rk_files_write(NULL, 1, true, NULL), RK_ERR_ARG);
    scratch_free(dir);
}
END_TEST

/* One that cannot be written, wherever it stands in the list. */
static const struct {
    const char *fact;
    int which;
    bool folder; /* a folder is in the way; else its own folder is missing */
} refused[] = {
    {"the first is a folder", 0, true},         {"one between is a folder", 2, true},
    {"the last is a folder", 4, true},          {"the first's folder is missing", 0, false},
    {"the last's folder is missing", 4, false},
};

START_TEST(one_that_cannot_be_written_leaves_all_as_they_were)
{
    char *dir = scratch_make(), path[FILES][256];
    rk_diag diag = {RK_OK, ""};
    const char *name;

    paths_in(dir, path);
    ck_assert_int_eq(write_all(path, "old\n", false, NULL), RK_OK);
    name = refused[_i].folder ? "folder" : "missing/file";
    if (refused[_i].folder) ck_assert_int_eq(mkdir(path_in(dir, name), 0700), 0);
    (void)snprintf(path[refused[_i].which], sizeof path[0], "%s/%s", dir, name);
    ck_assert_msg(write_all(path, "new\n", true, &diag) == RK_ERR_IO, "%s", refused[_i].fact);
    ck_assert_msg(strstr(diag.text, name) != NULL, "%s: %s", refused[_i].fact, diag.text);
    if (refused[_i].folder) ck_assert_int_eq(rmdir(path_in(dir, name)), 0);
    check_all(dir, "old\n");
    scratch_free(dir);
}
END_TEST

/* A child that writes one generation after another, ended at any moment by a signal that can be
   caught: what stands there is of one generation. */
START_TEST(a_signal_between_two_files_is_not_possible)
{
    char *dir = scratch_make(), path[FILES][256];
    char first[32] = "";
    int round;

    (void)signal(SIGTERM, SIG_DFL); /* not the test runner's own, which end it all */
    (void)signal(SIGINT, SIG_DFL);
    paths_in(dir, path);
    ck_assert_int_eq(write_all(path, "0\n", true, NULL), RK_OK);
    for (round = 0; round < 40; round++) {
        const struct timespec wait = {0, 500000L + (700000L * (round % 17))};
        pid_t child = fork();
        int status, i;

        ck_assert_int_ge(child, 0);
        if (child == 0) {
            char content[32];

            for (i = 0;; i++) {
                (void)snprintf(content, sizeof content, "%d %d\n", round, i);
                if (write_all(path, content, true, NULL) != RK_OK) _exit(3);
            }
        }
        (void)nanosleep(&wait, NULL);
        ck_assert_int_eq(kill(child, round % 2 == 0 ? SIGTERM : SIGINT), 0);
        ck_assert_int_eq(waitpid(child, &status, 0), child);
        ck_assert(WIFSIGNALED(status));
        for (i = 0; i < FILES; i++) {
            char *text = get_file(path[i], NULL);

            if (i == 0) (void)snprintf(first, sizeof first, "%s", text);
            ck_assert_msg(strcmp(text, first) == 0, "round %d: %s beside %s", round, text,
                          first);
            free(text);
        }
    }
    scratch_free(dir);
}
END_TEST

Suite *suite_write(void);

Suite *suite_write(void)
{
    Suite *suite = suite_create("files/write");
    TCase *t = tcase_create("write"), *killed = tcase_create("killed");

    tcase_add_test(t, several_files_are_written_and_replaced);
    add_table(t, one_that_cannot_be_written_leaves_all_as_they_were, refused);
    suite_add_tcase(suite, t);
    tcase_set_tags(killed, "processes");
    tcase_add_test(killed, a_signal_between_two_files_is_not_possible);
    suite_add_tcase(suite, killed);
    return suite;
}
