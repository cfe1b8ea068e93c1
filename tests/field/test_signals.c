/* SPDX-License-Identifier: MIT */
/* Whatever ends bump and run, or tries to, leaves the valve where it is said. */
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "field.h"

enum { AT_ONCE = 20 };

/* How many of each kind, at moments of their own. */
static int count(void)
{
    const char *asked = getenv("RK_FIELD_SIGNALS");

    return asked != NULL ? atoi(asked) : AT_ONCE;
}

static const int ending[] = {SIGINT,  SIGTERM, SIGHUP,    SIGQUIT, SIGUSR1, SIGUSR2,
                             SIGALRM, SIGXCPU, SIGVTALRM, SIGPROF, SIGIO,   SIGPWR,
                             SIGABRT, SIGSEGV, SIGSTKFLT, SIGBUS,  SIGILL,  SIGFPE};

static const struct {
    const char *command;
    bool device;
} kinds[] = {{"bump", false}, {"bump", true}, {"run", false}, {"run", true}};

static pid_t start_one(const char *dir, const char *command)
{
    if (strcmp(command, "bump") == 0) {
        return START(dir, "t", NULL, "bump", "p.loop", "--move", "5", "--hold", "1min",
                     "--before", "100ms", "--patience", "0", "--real-time", "--record",
                     "t.csv");
    }
    return START(dir, "t", NULL, "run", "p.loop", "--real-time", "--for", "1min", "--record",
                 "t.csv", "--at", "100ms sp=12.5");
}

static double out_of(const char *dir, int port)
{
    return port != 0 ? 0.01 * peek(port, 3, OUT_AT) : valve_of(dir);
}

static void check_end(const char *dir, int port, const char *command, int number, int status)
{
    const bool moved = port != 0 || access(path_in(dir, "place.valve"), R_OK) == 0;
    const double belongs = strcmp(command, "bump") == 0 ? 42 : 17;
    char *text;

    ck_assert_msg(status == 1, "%s, signal %d: exit %d", command, number, status);
    if (moved) {
        ck_assert_msg(out_of(dir, port) == belongs, "%s, signal %d: OUT at %g", command, number,
                      out_of(dir, port));
    }
    text = get_file(path_in(dir, "t.csv"), NULL);
    ck_assert_int_eq(text[strlen(text) - 1], '\n');
    ck_assert_msg(strstr(text, "# stopped") != NULL, "%s, signal %d: %s", command, number,
                  text);
    free(text);
}

/* A batch of them beside each other, each with a plant of its own. */
static void end_some(const char *command, bool device, rng *random, size_t *next)
{
    char *dir[AT_ONCE];
    pid_t child[AT_ONCE], plant[AT_ONCE];
    int port[AT_ONCE], number[AT_ONCE], i;

    for (i = 0; i < AT_ONCE; i++) {
        dir[i] = scratch_make();
        port[i] = device ? free_port() : 0;
        put_blend(dir[i], "10ms", port[i], "");
        plant[i] = device ? start_plant(dir[i], port[i]) : 0;
        child[i] = start_one(dir[i], command);
    }
    for (i = 0; i < AT_ONCE; i++) {
        ck_assert_msg(wait_for_rows(dir[i], "t.csv", 1, 20), "%s",
                      get_file(path_in(dir[i], "t.err"), NULL));
    }
    for (i = 0; i < AT_ONCE; i++) {
        nap(0.03 * rng_uniform(random));
        number[i] = ending[(*next)++ % COUNT(ending)];
        ck_assert_int_eq(kill(child[i], number[i]), 0);
    }
    for (i = 0; i < AT_ONCE; i++) {
        check_end(dir[i], port[i], command, number[i], end_of(child[i], 20));
        if (device) {
            end_plant(plant[i]);
        }
        scratch_free(dir[i]);
    }
}

START_TEST(a_signal_at_any_moment_leaves_out_where_it_belongs)
{
    rng random = {(uint64_t)(11 + _i)};
    size_t next = 5 * (size_t)_i;
    int done;

    for (done = 0; done < count(); done += AT_ONCE) {
        end_some(kinds[_i].command, kinds[_i].device, &random, &next);
    }
}
END_TEST

static const int harmless[] = {SIGPIPE, SIGTSTP, SIGTTIN,  SIGTTOU, SIGXFSZ,
                               SIGCHLD, SIGURG,  SIGWINCH, SIGCONT};

START_TEST(a_signal_that_ends_nothing_changes_nothing)
{
    char *dir = scratch_make();
    pid_t child;
    size_t i, rows;

    put_blend(dir, "10ms", 0, "");
    child = start_one(dir, kinds[_i].command);
    ck_assert(wait_for_rows(dir, "t.csv", 20, 20));
    for (i = 0; i < COUNT(harmless); i++) {
        ck_assert_int_eq(kill(child, harmless[i]), 0);
        nap(0.02);
    }
    rows = rows_of(dir, "t.csv");
    ck_assert(wait_for_rows(dir, "t.csv", rows + 20, 20)); /* it goes on */
    ck_assert_int_eq(kill(child, SIGTERM), 0);
    check_end(dir, 0, kinds[_i].command, SIGTERM, end_of(child, 20));
    scratch_free(dir);
}
END_TEST

/* The device counts the scans: the record has all of them but the last, at most. */
START_TEST(kill_9_loses_a_row_at_most_and_the_heartbeat_stops)
{
    char *dir = scratch_make();
    const int port = free_port();
    pid_t plant, child;
    int beats, i;

    put_blend(dir, "10ms", port, "");
    plant = start_plant(dir, port);
    for (i = 0; i < 5; i++) {
        child =
            START(dir, "t", NULL, i % 2 == 0 ? "run" : "bump", "p.loop",
                  i % 2 == 0 ? "--safe-at-end" : "--back", i % 2 == 0 ? "--plain" : "--move=5",
                  i % 2 == 0 ? "--for=1min" : "--hold=1min", "--record", "t.csv", "--force");
        ck_assert(wait_for_rows(dir, "t.csv", 30, 20));
        nap(0.013 * i);
        ck_assert_int_eq(kill(child, SIGKILL), 0);
        ck_assert_int_eq(end_of(child, 20), 128 + SIGKILL);
        beats = peek(port, 3, HEARTBEAT_AT);
        ck_assert_msg((long)rows_of(dir, "t.csv") >= beats - 1 &&
                          (long)rows_of(dir, "t.csv") <= beats + 1,
                      "%zu rows, %d beats", rows_of(dir, "t.csv"), beats);
        nap(0.05);
        ck_assert_int_eq(peek(port, 3, HEARTBEAT_AT), beats);
        ck_assert_int_eq(unlink(path_in(dir, "t.csv")), 0);
    }
    end_plant(plant);
    scratch_free(dir);
}
END_TEST

/* A file that may not grow further: the record ends with a whole row, OUT is where it belongs. */
START_TEST(a_full_disk_ends_it_with_whole_rows_and_out_where_it_belongs)
{
    const setting s = {.file_limit = 900 + (17 * _i)};
    char *dir = scratch_make(), *text;
    const char *command = kinds[_i].command;
    const int port = kinds[_i].device ? free_port() : 0;
    pid_t plant, child;
    const char *at;

    put_blend(dir, "10ms", port, "");
    plant = port != 0 ? start_plant(dir, port) : 0;
    child =
        strcmp(command, "bump") == 0
            ? START(dir, "t", &s, "bump", "p.loop", "--move", "5", "--hold", "1min", "--before",
                    "100ms", "--patience", "0", "--real-time", "--record", "t.csv")
            : START(dir, "t", &s, "run", "p.loop", "--real-time", "--for", "1min", "--record",
                    "t.csv");
    ck_assert_int_eq(end_of(child, 20), 4);
    ck_assert_double_eq(out_of(dir, port), strcmp(command, "bump") == 0 ? 42 : 17);
    text = get_file(path_in(dir, "t.csv"), NULL);
    ck_assert_uint_gt(strlen(text), 700);
    ck_assert_int_eq(text[strlen(text) - 1], '\n');
    at = strrchr(text, '#');
    ck_assert_ptr_nonnull(at);
    free(text);
    ck_assert_uint_gt(rows_of(dir, "t.csv"), 10);
    ck_assert(!isnan(cell_of(dir, "t.csv", 2, -1)));
    text = get_file(path_in(dir, "t.err"), NULL);
    ck_assert_msg(strstr(text, "t.csv: cannot write: File too large") != NULL, "%s", text);
    free(text);
    if (port != 0) {
        end_plant(plant);
    }
    scratch_free(dir);
}
END_TEST

/* The same on a disk that is full: a small one in memory, where that may be had. */
START_TEST(a_disk_without_room_too)
{
    char *dir = scratch_make(), *text;
    pid_t child;

    put_blend(dir, "10ms", 0, "");
    ck_assert_int_eq(mkdir(path_in(dir, "disk"), 0777), 0);
    if (mount("none", path_in(dir, "disk"), "tmpfs", 0, "size=4k") == 0) {
        child =
            START(dir, "t", NULL, "bump", "p.loop", "--move", "5", "--hold", "1min", "--before",
                  "100ms", "--patience", "0", "--real-time", "--record", "disk/t.csv");
        ck_assert_int_eq(end_of(child, 20), 4);
        ck_assert_double_eq(valve_of(dir), 42);
        text = get_file(path_in(dir, "disk/t.csv"), NULL);
        ck_assert_int_eq(text[strlen(text) - 1], '\n');
        ck_assert_uint_gt(strlen(text), 3900);
        free(text);
        text = get_file(path_in(dir, "t.err"), NULL);
        ck_assert_ptr_nonnull(strstr(text, "No space left on device"));
        free(text);
        ck_assert_int_eq(umount(path_in(dir, "disk")), 0);
    }
    scratch_free(dir);
}
END_TEST

/* Nothing that is meant for the terminal lands in a file. */
START_TEST(closed_streams_leave_the_record_alone)
{
    const setting s = {.no_streams = true};
    char *dir = scratch_make(), *text;
    pid_t child;

    put_blend(dir, "10ms", 0, "sensor-bad = 50ms, 50ms\n");
    child =
        START(dir, "t", &s, "run", "p.loop", "--for", "1s", "--real-time", "--record", "t.csv");
    ck_assert_int_eq(end_of(child, 20), 4); /* its report could not be written */
    text = get_file(path_in(dir, "t.csv"), NULL);
    ck_assert_ptr_null(strstr(text, "redkettle"));
    ck_assert_ptr_null(strstr(text, "DONE"));
    free(text);
    ck_assert_uint_ge(rows_of(dir, "t.csv"), 50); /* of 100, where nothing else goes on */
    scratch_free(dir);
}
END_TEST

Suite *suite_signals(void)
{
    Suite *suite = suite_create("field/signals");
    TCase *t = tcase_create("signals");

    add_table(t, a_signal_at_any_moment_leaves_out_where_it_belongs, kinds);
    tcase_add_loop_test(t, a_signal_that_ends_nothing_changes_nothing, 1, 3);
    tcase_add_test(t, kill_9_loses_a_row_at_most_and_the_heartbeat_stops);
    add_table(t, a_full_disk_ends_it_with_whole_rows_and_out_where_it_belongs, kinds);
    tcase_add_test(t, a_disk_without_room_too);
    tcase_add_test(t, closed_streams_leave_the_record_alone);
    suite_add_tcase(suite, t);
    return suite;
}
