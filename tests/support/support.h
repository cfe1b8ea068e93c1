/* SPDX-License-Identifier: MIT */
#ifndef TEST_SUPPORT_H
#define TEST_SUPPORT_H

#include <check.h>
#include <math.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <redkettle/redkettle.h>

#include "rng.h"

/** math.h's NAN is a float. */
#define QNAN ((double)NAN)

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

/** Run suites; the exit status of a test program. */
int run_suites(Suite *(*const *makers)(void), size_t count);

/** Add a test that runs once for each row of a table. */
#define add_table(tcase, test, table) tcase_add_loop_test(tcase, test, 0, (int)COUNT(table))

/** The same for each RK_EVERY-th of so many rows; without that for all of them. */
void add_some(TCase *tcase, const TTest *test, size_t count);

/** a and b agree to a relative tolerance; two infinities of one sign, or two NaN, agree. */
bool close_to(double a, double b, double relative);
#define ck_close(a, b, relative)                                                               \
    ck_assert_msg(close_to(a, b, relative), #a " is %.12g, not %.12g", (double)(a), (double)(b))

/** An assertion for the inside of long loops: it costs nothing while it holds. */
#define must(condition)                                                                        \
    do {                                                                                       \
        if (!(condition)) ck_abort_msg("not so: %s", #condition);                              \
    } while (0)

/** A move of OUT. */
typedef struct move {
    double at, size;
} move;

/** What a made-up record is made of. */
typedef struct recipe {
    double gain, tau, theta, pv0, out0;
    double interval; /* s */
    size_t rows;
    double sigma;  /* white noise */
    double jitter; /* of the sampling times, part of the interval */
    double ar;     /* noise: correlation from a row to the next */
    uint64_t seed;
    move moves[8]; /* ended by size 0 */
} recipe;

/** The record of a first-order process, by its closed-form step response, one sum a row. */
rk_record *cook(const recipe *r);

/** A FOPDT model about (0, 0). */
rk_model fopdt(double gain, double tau, double theta);

/** Of a table's rows, is this one of each RK_EVERY-th? Without that all are. */
bool is_wanted(int row);

/** What a child process did. */
typedef struct outcome {
    int status;      /* its exit status; -1: it was ended by a signal */
    char *out, *err; /* what it printed; freed by outcome_free */
    size_t out_length;
} outcome;

/** Run a function in a child process with its output caught; it returns the exit status. */
typedef int child_body(const char *const *argv);
outcome run_child(const char *directory, child_body *body, const char *const *argv);

/** Run a program with arguments (ended by NULL) in a directory (NULL: here). */
outcome run_program(const char *directory, const char *const *argv);
void outcome_free(outcome *o);

/** A port of 127.0.0.1 that nobody listens at, of those that the system gives to no connection. */
int free_port(void);

/** A new empty directory, removed with everything in it by scratch_free. */
char *scratch_make(void);
void scratch_free(char *directory);

/** directory/name in one of a few rotating buffers. */
const char *path_in(const char *directory, const char *name);

/** Write and read whole files; a failure fails the test. */
void put_file(const char *path, const char *content);
char *get_file(const char *path, size_t *length);

#endif
