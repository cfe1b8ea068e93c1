/* SPDX-License-Identifier: MIT */
#include "field.h"

#include <arpa/inet.h>
#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

double clock_now(void)
{
    struct timespec t;

    (void)clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (1e-9 * (double)t.tv_nsec);
}

void nap(double seconds)
{
    const struct timespec length = {(time_t)seconds, (long)(1e9 * (seconds - floor(seconds)))};

    (void)nanosleep(&length, NULL);
}

/* The test runner's handlers are not for the child. */
static void forget_handlers(void)
{
    int number;

    for (number = 1; number < SIGRTMAX; number++) {
        (void)signal(number, SIG_DFL);
    }
}

static void open_streams(const char *name, const setting *s)
{
    char path[80];
    int at;

    if (s->terminal != 0) {
        (void)setsid();
        (void)ioctl(s->terminal, TIOCSCTTY, 0);
    }
    for (at = 0; at <= 2; at++) {
        (void)snprintf(path, sizeof path, "%s.%s", name, at == 1 ? "out" : "err");
        (void)close(at);
        if (s->no_streams) continue;
        if (s->terminal != 0) {
            (void)dup2(s->terminal, at);
        } else if (at == 0) {
            (void)open("/dev/null", O_RDONLY);
        } else {
            (void)open(path, O_WRONLY | O_CREAT | O_TRUNC, 0666);
        }
    }
}

pid_t start_tool(const char *dir, const char *name, const setting *s,
                 const char *const *arguments)
{
    static const setting plain;
    const char *argv[40] = {RK_CLI};
    pid_t child;
    size_t i;

    s = s != NULL ? s : &plain;
    for (i = 0; arguments[i] != NULL && i + 2 < COUNT(argv); i++) {
        argv[i + 1] = arguments[i];
    }
    child = fork();
    if (child != 0) {
        ck_assert_int_gt(child, 0);
        return child;
    }
    forget_handlers();
    if (chdir(dir) != 0) _exit(99);
    open_streams(name, s);
    if (s->file_limit > 0) {
        const struct rlimit limit = {(rlim_t)s->file_limit, (rlim_t)s->file_limit};

        if (setrlimit(RLIMIT_FSIZE, &limit) != 0) _exit(98);
    }
    (void)execv(RK_CLI, (char *const *)(uintptr_t)argv);
    _exit(97);
}

int end_of(pid_t child, double seconds)
{
    const double until = clock_now() + seconds;
    int status = 0;

    while (waitpid(child, &status, WNOHANG) == 0) {
        if (clock_now() > until) {
            (void)kill(child, SIGKILL);
            (void)waitpid(child, &status, 0);
            return -1;
        }
        nap(0.002);
    }
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

static int loopback(int port, struct sockaddr_in *at)
{
    const int made = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);

    ck_assert_int_ge(made, 0);
    *at = (struct sockaddr_in){.sin_family = AF_INET, .sin_port = htons((uint16_t)port)};
    at->sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    return made;
}

void put_blend(const char *dir, const char *scan, int port, const char *more)
{
    char content[1600], line[400] = "";

    if (port != 0) {
        (void)snprintf(line, sizeof line,
                       "[port]\nkind = modbus-tcp\naddress = 127.0.0.1:%d\n"
                       "pv = input %d uint16 0..20000\nout = holding %d uint16 0..10000\n"
                       "heartbeat = holding %d\nenable = coil %d\npv-good = discrete %d\n",
                       port, PV_AT, OUT_AT, HEARTBEAT_AT, ENABLE_AT, PV_GOOD_AT);
    }
    (void)snprintf(content, sizeof content,
                   "[loop]\nname = Blend Brix\nscan = %s\naction = direct\n"
                   "[pv]\nunits = degBx\nlow = 0\nhigh = 20\n"
                   "[out]\nunits = %%\nlow = 0\nhigh = 100\nsafe = 17\n"
                   "[settings]\nkc = -11.1\nti = 46.5s\n[alarm]\nhold = 2s\n"
                   "[plant]\ngain = -0.118\ntime-constant = 46.5s\ndead-time = 17.4s\n"
                   "out0 = 42\npv0 = 11.8\nnoise = 0.004\n%s%s%s",
                   scan, port == 0 ? "valve-file = place.valve\n" : "", line, more);
    put_file(path_in(dir, "p.loop"), content);
}

pid_t start_plant(const char *dir, int port)
{
    const pid_t plant = START(dir, "plant", NULL, "plant", "p.loop");
    int tries;

    for (tries = 0; tries < 500 && peek(port, 4, PV_AT) < 0; tries++) {
        nap(0.01);
    }
    ck_assert_int_lt(tries, 500);
    return plant;
}

void end_plant(pid_t plant)
{
    ck_assert_int_eq(kill(plant, SIGTERM), 0);
    ck_assert_int_eq(end_of(plant, 5), 0);
}

/* A request and its reply; how many bytes came. */
static int talk(int port, const uint8_t request[12], uint8_t reply[64])
{
    struct sockaddr_in at;
    const int made = loopback(port, &at);
    struct pollfd ready = {made, POLLIN, 0};
    int got = 0;

    if (connect(made, (struct sockaddr *)&at, sizeof at) == 0 &&
        send(made, request, 12, MSG_NOSIGNAL) == 12 && poll(&ready, 1, 1000) > 0) {
        got = (int)recv(made, reply, 64, 0);
    }
    (void)close(made);
    return got;
}

int peek(int port, int function, int address)
{
    const uint8_t request[12] = {0, 9, 0, 0, 0, 6, 1, (uint8_t)function, 0, (uint8_t)address,
                                 0, 1};
    uint8_t reply[64];
    const int got = talk(port, request, reply);

    if (got < 10 || reply[7] != function) return -1;
    return function <= 2 ? reply[9] : (reply[9] << 8) | reply[10];
}

bool poke(int port, int function, int address, int value)
{
    const int word = function == 5 ? (value != 0 ? 0xFF00 : 0) : value;
    const uint8_t request[12] = {0,
                                 9,
                                 0,
                                 0,
                                 0,
                                 6,
                                 1,
                                 (uint8_t)function,
                                 0,
                                 (uint8_t)address,
                                 (uint8_t)(word >> 8),
                                 (uint8_t)(word & 0xFF)};
    uint8_t reply[64];

    return talk(port, request, reply) == 12;
}

bool wait_for_words(const char *dir, const char *file, const char *words, double seconds)
{
    const double until = clock_now() + seconds;

    for (; clock_now() < until; nap(0.005)) {
        if (access(path_in(dir, file), R_OK) == 0) {
            char *text = get_file(path_in(dir, file), NULL);
            const bool there = strstr(text, words) != NULL;

            free(text);
            if (there) return true;
        }
    }
    return false;
}

static const char *next_line(const char *at)
{
    const char *end = strchr(at, '\n');

    return end != NULL ? end + 1 : at + strlen(at);
}

static bool is_row(const char *at)
{
    return *at >= '0' && *at <= '9' && strchr(at, '\n') != NULL;
}

size_t rows_of(const char *dir, const char *file)
{
    char *text;
    const char *at;
    size_t rows = 0;

    if (access(path_in(dir, file), R_OK) != 0) return 0;
    text = get_file(path_in(dir, file), NULL);
    for (at = text; *at != '\0'; at = next_line(at)) {
        rows += is_row(at);
    }
    free(text);
    return rows;
}

bool wait_for_rows(const char *dir, const char *file, size_t rows, double seconds)
{
    const double until = clock_now() + seconds;

    while (rows_of(dir, file) < rows) {
        if (clock_now() > until) return false;
        nap(0.005);
    }
    return true;
}

double cell_of(const char *dir, const char *file, int column, long row)
{
    char *text = get_file(path_in(dir, file), NULL);
    const long rows = (long)rows_of(dir, file);
    double value = QNAN;
    const char *at;

    row = row < 0 ? rows + row : row;
    for (at = text; *at != '\0'; at = next_line(at)) {
        if (!is_row(at) || row-- != 0) continue;
        for (; column > 0 && at != NULL; column--) {
            at = strchr(at, ',');
            at = at != NULL ? at + 1 : NULL;
        }
        value = at != NULL && *at != ',' ? strtod(at, NULL) : QNAN;
        break;
    }
    free(text);
    return value;
}

double valve_of(const char *dir)
{
    char *text = get_file(path_in(dir, "place.valve"), NULL);
    const double value = strtod(text, NULL);

    free(text);
    return value;
}
