/* SPDX-License-Identifier: MIT */
/* A clock that holds, whatever the terminal, the machine and the device do meanwhile. */
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <termios.h>
#include <unistd.h>

#include "field.h"

/* A pseudo-terminal of 100 by 30; *other is what a child has. */
static int open_terminal(int *other)
{
    const struct winsize size = {.ws_row = 30, .ws_col = 100};
    const int terminal = posix_openpt(O_RDWR | O_NOCTTY | O_CLOEXEC);

    ck_assert_int_ge(terminal, 0);
    ck_assert_int_eq(grantpt(terminal), 0);
    ck_assert_int_eq(unlockpt(terminal), 0);
    *other = open(ptsname(terminal), O_RDWR | O_NOCTTY | O_CLOEXEC);
    ck_assert_int_ge(*other, 0);
    ck_assert_int_eq(ioctl(terminal, TIOCSWINSZ, &size), 0);
    ck_assert_int_eq(fcntl(terminal, F_SETFL, O_NONBLOCK), 0);
    return terminal;
}

/* What the terminal was sent until it holds these words, so long at most, s; the end of it in text. */
static bool read_until(int terminal, const char *words, double seconds, char *text, size_t room)
{
    const double until = clock_now() + seconds;
    size_t used = 0;

    text[0] = '\0';
    while (clock_now() < until && (words == NULL || strstr(text, words) == NULL)) {
        const ssize_t got = read(terminal, text + used, room - 1 - used);

        if (got > 0) {
            used += (size_t)got;
            text[used] = '\0';
        } else {
            nap(0.01);
        }
        if (used > room / 2) {
            memmove(text, text + (used / 2), used - (used / 2) + 1);
            used -= used / 2;
        }
    }
    return words == NULL || strstr(text, words) != NULL;
}

static void read_screen(int terminal, double seconds, char *text, size_t room)
{
    (void)read_until(terminal, NULL, seconds, text, room);
}

static const struct {
    const char *fact, *command;
    bool plain, stops; /* Ctrl-S, else nobody reads */
    double out;
} frozen[] = {
    {"the view, Ctrl-S", "run", false, true, 17},
    {"the view, nobody reads", "run", false, false, 17},
    {"alarms, Ctrl-S", "run", true, true, 17},
    {"alarms, nobody reads", "run", true, false, 17},
    {"progress, Ctrl-S", "bump", true, true, 42},
    {"progress, nobody reads", "bump", true, false, 42},
};

/* At a terminal, which the child alone has then; it has begun. */
static pid_t start_at(const char *dir, setting *s, int row)
{
    const pid_t child =
        strcmp(frozen[row].command, "run") == 0
            ? START(dir, "t", s, "run", "p.loop", "--real-time", "--for", "1min", "--record",
                    "t.csv", frozen[row].plain ? "--plain" : "--minutes")
            : START(dir, "t", s, "bump", "p.loop", "--real-time", "--move", "5", "--hold",
                    "1min", "--before", "100ms", "--patience", "0", "--record", "t.csv");

    (void)close(s->terminal);
    ck_assert(wait_for_rows(dir, "t.csv", 30, 20));
    return child;
}

/* A terminal that takes nothing more: the scans go on, and a signal still ends it as it should. */
START_TEST(a_frozen_terminal_stops_neither_control_nor_a_signal)
{
    char *dir = scratch_make();
    static char seen[20000];
    setting s = {0};
    const int terminal = open_terminal(&s.terminal);
    size_t rows;
    pid_t child;

    /* A PV that comes and goes, so that there is much to say. */
    put_blend(dir, "10ms", 0, "");
    ck_assert_int_eq(setenv("TERM", "xterm", 1), 0);
    child = start_at(dir, &s, _i);
    if (frozen[_i].stops) {
        ck_assert_int_eq(write(terminal, "\023", 1), 1); /* Ctrl-S */
        read_screen(terminal, 0.2, seen, sizeof seen);
    }
    rows = rows_of(dir, "t.csv");
    nap(1);
    ck_assert_msg(rows_of(dir, "t.csv") > rows + 80, "%s: %zu rows in 1 s", frozen[_i].fact,
                  rows_of(dir, "t.csv") - rows);
    ck_assert_int_eq(kill(child, SIGTERM), 0);
    ck_assert_msg(end_of(child, 10) == 1, "%s", frozen[_i].fact);
    ck_assert_double_eq(valve_of(dir), frozen[_i].out);
    ck_assert(wait_for_words(dir, "t.csv", "# stopped", 1));
    (void)close(terminal);
    scratch_free(dir);
}
END_TEST

/* A terminal that is closed: the line is cut, its window shut. */
START_TEST(a_closed_terminal_ends_it_as_it_should)
{
    char *dir = scratch_make();
    setting s = {0};
    const int terminal = open_terminal(&s.terminal);
    pid_t child;

    put_blend(dir, "10ms", 0, "");
    ck_assert_int_eq(setenv("TERM", "xterm", 1), 0);
    child = start_at(dir, &s, _i);
    (void)close(terminal);
    ck_assert_msg(end_of(child, 10) != -1, "%s", frozen[_i].fact);
    ck_assert_double_eq(valve_of(dir), frozen[_i].out);
    ck_assert(wait_for_words(dir, "t.csv", "# stopped", 1));
    scratch_free(dir);
}
END_TEST

/* Keys are taken, and what they ask for is done. */
START_TEST(the_view_takes_keys_and_shows_the_loop)
{
    static char seen[20000];
    char *dir = scratch_make(), *text;
    setting s = {0};
    const int terminal = open_terminal(&s.terminal);
    pid_t child;

    put_blend(dir, "10ms", 0, "");
    ck_assert_int_eq(setenv("TERM", "xterm", 1), 0);
    child = START(dir, "t", &s, "run", "p.loop", "--real-time", "--for", "1min", "--record",
                  "t.csv");
    (void)close(s.terminal);
    ck_assert(wait_for_rows(dir, "t.csv", 10, 20));
    ck_assert_int_eq(write(terminal, "mo30\n", 5), 5);
    read_screen(terminal, 0.5, seen, sizeof seen);
    ck_assert_ptr_nonnull(strstr(seen, "MANUAL"));
    ck_assert_double_eq(valve_of(dir), 30);
    ck_assert_int_eq(write(terminal, "o300\n", 5), 5);
    read_screen(terminal, 0.5, seen, sizeof seen);
    ck_assert_ptr_nonnull(strstr(seen, "output 300 is beyond 0 to 100"));
    ck_assert_int_eq(write(terminal, "as12.5\n", 7), 7);
    read_screen(terminal, 0.3, seen, sizeof seen);
    ck_assert_int_eq(write(terminal, "q", 1), 1);
    read_screen(terminal, 0.3, seen, sizeof seen);
    ck_assert_int_eq(end_of(child, 10), 0);
    ck_assert_double_eq(cell_of(dir, "t.csv", 3, -1), 12.5);
    text = get_file(path_in(dir, "t.csv"), NULL);
    ck_assert_ptr_nonnull(strstr(text, ",manual,"));
    free(text);
    (void)close(terminal);
    scratch_free(dir);
}
END_TEST

/* A terminal that ncurses knows nothing of: lines instead of a view. */
START_TEST(a_terminal_without_a_view_gets_lines)
{
    static char seen[20000];
    char *dir = scratch_make();
    setting s = {0};
    const int terminal = open_terminal(&s.terminal);
    pid_t child;
    int status;

    put_blend(dir, "10ms", 0, "sensor-bad = 100ms, 100ms\n");
    ck_assert_int_eq(setenv("TERM", "no-such-terminal", 1), 0);
    ck_assert_int_eq(setenv("ASAN_OPTIONS", "detect_leaks=0", 1),
                     0); /* ncurses keeps some then */
    child = START(dir, "t", &s, "run", "p.loop", "--real-time", "--for", "500ms", "--record",
                  "t.csv", "--priority");
    (void)close(s.terminal);
    ck_assert_msg(read_until(terminal, "OUT travel", 20, seen, sizeof seen), "%s", seen);
    status = end_of(child, 10);
    ck_assert_msg(status == 0, "exit %d: %s", status, seen);
    ck_assert_msg(strstr(seen, "PV is bad") != NULL, "%s", seen);
    ck_assert_msg(strstr(seen, "DONE") != NULL, "%s", seen);
    ck_assert_msg(strstr(seen, "priority:") != NULL, "%s", seen); /* granted, or why not */
    ck_assert_uint_ge(rows_of(dir, "t.csv"), 25); /* of 50, where nothing else goes on */
    (void)close(terminal);
    scratch_free(dir);
}
END_TEST

/* The least time from a row to the next behind a stall, and the longest, s. */
static void intervals(const char *dir, double *least, double *longest)
{
    const size_t rows = rows_of(dir, "t.csv");
    size_t i;

    *least = HUGE_VAL;
    *longest = 0;
    for (i = 1; i < rows; i++) {
        const double gap =
            cell_of(dir, "t.csv", 0, (long)i) - cell_of(dir, "t.csv", 0, (long)i - 1);

        *longest = fmax(*longest, gap);
        if (*longest > 0.5) {
            *least = fmin(*least, gap);
        }
    }
}

/* Stopped for a second: the record's times are true, and no burst makes up for it. */
START_TEST(a_stall_is_told_and_followed_by_no_burst)
{
    char *dir = scratch_make(), *text;
    const bool bump = _i == 1;
    double least, longest;
    pid_t child;
    size_t rows;

    put_blend(dir, "20ms", 0, "");
    child =
        bump ? START(dir, "t", NULL, "bump", "p.loop", "--real-time", "--move", "5", "--hold",
                     "2s", "--before", "100ms", "--patience", "0", "--record", "t.csv")
             : START(dir, "t", NULL, "run", "p.loop", "--real-time", "--for", "2s", "--record",
                     "t.csv");
    ck_assert(wait_for_rows(dir, "t.csv", 20, 20));
    ck_assert_int_eq(kill(child, SIGSTOP), 0);
    nap(1);
    rows = rows_of(dir, "t.csv");
    ck_assert_int_eq(kill(child, SIGCONT), 0);
    ck_assert_int_eq(end_of(child, 20),
                     bump ? 1 : 0); /* this short record is fit for nothing */
    ck_assert_uint_gt(rows_of(dir, "t.csv"), rows + 10);
    ck_assert_uint_lt(rows_of(dir, "t.csv"), 75); /* of 100 and more */
    intervals(dir, &least, &longest);
    ck_assert_double_gt(longest, 0.9);
    ck_assert_double_gt(least, 0.009);
    text = get_file(path_in(dir, "t.csv"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "# stalled: no scan for "));
    free(text);
    text = get_file(path_in(dir, "t.out"), NULL);
    ck_assert_msg(bump ? strstr(text, "STALLED") != NULL : strstr(text, " 0 late") == NULL,
                  "%s", text);
    free(text);
    scratch_free(dir);
}
END_TEST

START_TEST(an_hour_at_10_ms_is_360000_scans_and_whole)
{
    char *dir = scratch_make(), *text;
    pid_t child;

    put_blend(dir, "10ms", 0, "");
    child = START(dir, "t", NULL, "run", "p.loop", "--for", "1h", "--record", "t.csv", "--at",
                  "10min sp=12.2", "--json");
    ck_assert_int_eq(end_of(child, 50), 0);
    text = get_file(path_in(dir, "t.out"), NULL);
    ck_assert_ptr_nonnull(strstr(text, "\"rows\": 360000"));
    ck_assert_ptr_nonnull(strstr(text, "\"late_scans\": 0"));
    free(text);
    ck_assert_uint_eq(rows_of(dir, "t.csv"), 360000);
    ck_assert_double_eq(cell_of(dir, "t.csv", 0, -1), 3599.99);
    scratch_free(dir);
}
END_TEST

Suite *suite_clock(void)
{
    Suite *suite = suite_create("field/clock");
    TCase *t = tcase_create("clock"), *hour = tcase_create("hour");

    add_table(t, a_frozen_terminal_stops_neither_control_nor_a_signal, frozen);
    tcase_add_loop_test(t, a_closed_terminal_ends_it_as_it_should, 1, 2);
    tcase_add_loop_test(t, a_closed_terminal_ends_it_as_it_should, 3, 4);
    tcase_add_loop_test(t, a_closed_terminal_ends_it_as_it_should, 5, 6);
    tcase_add_test(t, the_view_takes_keys_and_shows_the_loop);
    tcase_add_test(t, a_terminal_without_a_view_gets_lines);
    tcase_add_loop_test(t, a_stall_is_told_and_followed_by_no_burst, 0, 2);
    tcase_set_tags(hour, "processes long");
    tcase_add_test(hour, an_hour_at_10_ms_is_360000_scans_and_whole);
    suite_add_tcase(suite, t);
    suite_add_tcase(suite, hour);
    return suite;
}
