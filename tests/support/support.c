/* SPDX-License-Identifier: MIT */
#include "support.h"

#include <arpa/inet.h>
#include <fcntl.h>
#include <ftw.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

int run_suites(Suite *(*const *makers)(void), size_t count)
{
    SRunner *runner = srunner_create(makers[0]());
    int failed;
    size_t i;

    for (i = 1; i < count; i++) {
        srunner_add_suite(runner, makers[i]());
    }
    srunner_run_all(runner, CK_ENV);
    failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    return failed == 0 ? EXIT_SUCCESS : EXIT_FAILURE;
}

bool close_to(double a, double b, double relative)
{
    if (isnan(a) || isnan(b)) return isnan(a) && isnan(b);
    if (isinf(a) || isinf(b)) return a == b;
    return fabs(a - b) <= relative * fmax(fabs(a), fabs(b));
}

rk_record *cook(const recipe *r)
{
    rng random = {r->seed};
    rk_record *record = NULL;
    double noise = r->sigma * rng_normal(&random);
    double seen[COUNT(r->moves)];
    size_t i;

    for (i = 0; i < COUNT(seen); i++) {
        seen[i] = nan("");
    }
    ck_assert_int_eq(rk_record_create(&record, NULL), RK_OK);
    for (i = 0; i < r->rows; i++) {
        const double shift = i > 0 ? r->jitter * (rng_uniform(&random) - 0.5) : 0.0;
        const double t = r->interval * ((double)i + shift);
        double out = r->out0, pv = r->pv0;
        const move *m;

        for (m = r->moves; m->size != 0; m++) {
            double lag;

            /* OUT is held from the row that shows it, so a move happens at that row's time. */
            if (t < m->at - (1e-9 * r->interval)) break;
            if (isnan(seen[m - r->moves])) {
                seen[m - r->moves] = t;
            }
            lag = t - seen[m - r->moves] - r->theta;
            out += m->size;
            if (lag > 0) {
                pv += r->gain * m->size * (1.0 - exp(-lag / r->tau));
            }
        }
        ck_assert_int_eq(rk_record_add(record, t, out, pv + noise, NULL), RK_OK);
        noise =
            (r->ar * noise) + (r->sigma * sqrt(1.0 - (r->ar * r->ar)) * rng_normal(&random));
    }
    return record;
}

rk_model fopdt(double gain, double tau, double theta)
{
    return (rk_model){RK_MODEL_FOPDT, gain, {tau, 0}, 0, theta, 0, 0};
}

static char *slurp(int file, size_t *length)
{
    size_t used = 0, room = 4096;
    char *chars = malloc(room);
    ssize_t got;

    ck_assert_ptr_nonnull(chars);
    while ((got = read(file, chars + used, room - used - 1)) > 0) {
        used += (size_t)got;
        if (room - used < 2048) {
            room *= 2;
            chars = realloc(chars, room);
            ck_assert_ptr_nonnull(chars);
        }
    }
    chars[used] = '\0';
    *length = used;
    return chars;
}

outcome run_child(const char *directory, child_body *body, const char *const *argv)
{
    char out_name[] = "/tmp/rk-out-XXXXXX", err_name[] = "/tmp/rk-err-XXXXXX";
    const int out = mkstemp(out_name), err = mkstemp(err_name);
    outcome made = {-1, NULL, NULL, 0};
    size_t length;
    int status = 0;
    pid_t child;

    ck_assert_int_ge(out, 0);
    ck_assert_int_ge(err, 0);
    (void)unlink(out_name);
    (void)unlink(err_name);
    (void)fflush(NULL);
    child = fork();
    ck_assert_int_ge(child, 0);
    if (child == 0) {
        const int nothing = open("/dev/null", O_RDONLY);

        (void)dup2(nothing, 0);
        (void)dup2(out, 1);
        (void)dup2(err, 2);
        if (directory != NULL && chdir(directory) != 0) {
            _exit(126);
        }
        exit(body(argv));
    }
    ck_assert_int_eq(waitpid(child, &status, 0), child);
    if (WIFEXITED(status)) {
        made.status = WEXITSTATUS(status);
    }
    (void)lseek(out, 0, SEEK_SET);
    (void)lseek(err, 0, SEEK_SET);
    made.out = slurp(out, &made.out_length);
    made.err = slurp(err, &length);
    (void)close(out);
    (void)close(err);
    return made;
}

static int become_program(const char *const *argv)
{
    (void)execvp(argv[0], (char *const *)(uintptr_t)argv);
    _exit(127);
}

outcome run_program(const char *directory, const char *const *argv)
{
    return run_child(directory, become_program, argv);
}

void add_some(TCase *tcase, const TTest *test, size_t count)
{
    const char *every = getenv("RK_EVERY");
    const int step = every == NULL ? 1 : atoi(every);
    int row;

    for (row = 0; row < (int)count; row += step) {
        tcase_add_loop_test(tcase, test, row, row + 1);
    }
}

bool is_wanted(int row)
{
    const char *every = getenv("RK_EVERY");

    return every == NULL || row % atoi(every) == 0;
}

int free_port(void)
{
    enum { FIRST = 10000, PORTS = 20000 };
    static int next = -1;
    int tries;

    next = next < 0 ? (int)(getpid() * 37) % PORTS : next;
    for (tries = 0; tries < PORTS; tries++) {
        struct sockaddr_in at = {.sin_family = AF_INET};
        const int made = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
        bool is_free;

        next = (next + 1) % PORTS;
        at.sin_port = htons((uint16_t)(FIRST + next));
        at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        is_free = bind(made, (struct sockaddr *)&at, sizeof at) == 0;
        (void)close(made);
        if (is_free) return FIRST + next;
    }
    ck_abort_msg("no port is free");
    return 0;
}

void outcome_free(outcome *o)
{
    free(o->out);
    free(o->err);
}

char *scratch_make(void)
{
    char *name = strdup("/tmp/rk-test-XXXXXX");

    ck_assert_ptr_nonnull(name);
    ck_assert_ptr_nonnull(mkdtemp(name));
    return name;
}

static int remove_entry(const char *path, const struct stat *info, int kind, struct FTW *walk)
{
    (void)info;
    (void)kind;
    (void)walk;
    return remove(path);
}

void scratch_free(char *directory)
{
    (void)nftw(directory, remove_entry, 16, FTW_DEPTH | FTW_PHYS);
    free(directory);
}

const char *path_in(const char *directory, const char *name)
{
    static char rooms[8][1024];
    static int next;
    char *room = rooms[next++ % 8];

    (void)snprintf(room, sizeof rooms[0], "%s/%s", directory, name);
    return room;
}

void put_file(const char *path, const char *content)
{
    FILE *file = fopen(path, "wb");

    ck_assert_ptr_nonnull(file);
    ck_assert_uint_eq(fwrite(content, 1, strlen(content), file), strlen(content));
    ck_assert_int_eq(fclose(file), 0);
}

char *get_file(const char *path, size_t *length)
{
    const int file = open(path, O_RDONLY);
    size_t ignored;
    char *content;

    ck_assert_msg(file >= 0, "%s is not there", path);
    content = slurp(file, length != NULL ? length : &ignored);
    (void)close(file);
    return content;
}
