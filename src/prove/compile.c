/* SPDX-License-Identifier: MIT */
#include "compile.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>
#ifdef __linux__
#include <sys/prctl.h>
#endif

/* What is started has so long by the clock, s, so much memory and so long files, bytes. */
enum { TIME_MOST = 60 };
#define MEMORY_MOST ((rlim_t)4 << 30)
#define FILE_MOST ((rlim_t)1 << 30)

/* Empty if the name is too long for its room: then the file cannot be opened. */
static const char *path_of(rki_built *b, const char *name)
{
    char *path = b->file[b->files++];
    char whole[sizeof b->file[0]];

    if (snprintf(whole, sizeof whole, "%s/%s", b->dir, name) >= (int)sizeof whole) {
        whole[0] = '\0';
    }
    (void)strcpy(path, whole);
    return path;
}

static bool put_file(const char *path, const void *content, size_t length)
{
    FILE *file = fopen(path, "wb");
    bool done;

    if (file == NULL) return false;
    done = fwrite(content, 1, length, file) == length;
    return fclose(file) == 0 && done;
}

static void ending_signals(sigset_t *set)
{
    static const int all[] = {SIGINT, SIGTERM, SIGHUP, SIGQUIT};
    size_t i;

    (void)sigemptyset(set);
    for (i = 0; i < sizeof all / sizeof all[0]; i++) {
        (void)sigaddset(set, all[i]);
    }
}

/* Has one of them come meanwhile? */
static bool is_ending(void)
{
    sigset_t pending, ending;
    int s;

    ending_signals(&ending);
    (void)sigpending(&pending);
    for (s = 1; s < 32; s++) {
        if (sigismember(&ending, s) == 1 && sigismember(&pending, s) == 1) return true;
    }
    return false;
}

static void limit(int what, rlim_t most)
{
    const struct rlimit both = {most, most};

    (void)setrlimit(what, &both);
}

static bool open_as(int stream, const char *path, int flags)
{
    const int file = open(path, flags, 0600);

    return file >= 0 && dup2(file, stream) == stream;
}

/* In the child: what is safe between fork and exec, and no more. */
static void start(char *const *command, const char *in, const char *out, const char *complaint)
{
    static const char *const environment[] = {"LC_ALL=C", "PATH=/usr/local/bin:/usr/bin:/bin",
                                              "TMPDIR=/tmp", NULL};
    const int write_flags = O_WRONLY | O_CREAT | O_TRUNC;
    sigset_t none;

#ifdef __linux__
    (void)prctl(PR_SET_PDEATHSIG, SIGKILL);
#endif
    (void)sigemptyset(&none);
    (void)sigprocmask(SIG_SETMASK, &none, NULL);
    limit(RLIMIT_CPU, TIME_MOST);
    limit(RLIMIT_AS, MEMORY_MOST);
    limit(RLIMIT_FSIZE, FILE_MOST);
    limit(RLIMIT_CORE, 0);
    if (open_as(0, in, O_RDONLY) && open_as(1, out, write_flags) &&
        open_as(2, complaint, write_flags)) {
        (void)execve(command[0], command, (char *const *)environment);
    }
    _exit(127);
}

/* Until it has ended, or its time is over, or this program is to end. */
static int wait_for(pid_t child)
{
    const struct timespec moment = {0, 2000000};
    struct timespec begun, now;
    int status = 0;

    (void)clock_gettime(CLOCK_MONOTONIC, &begun);
    for (;;) {
        const pid_t ended = waitpid(child, &status, WNOHANG);

        if (ended == child) return status;
        if (ended < 0 && errno != EINTR) return -1;
        (void)clock_gettime(CLOCK_MONOTONIC, &now);
        if (now.tv_sec - begun.tv_sec > TIME_MOST || is_ending()) {
            (void)kill(child, SIGKILL);
        }
        (void)nanosleep(&moment, NULL);
    }
}

/* With files for its streams; its wait status, or -1. */
static int run(char *const *command, const char *in, const char *out, const char *complaint)
{
    const pid_t child = fork();

    if (child == 0) {
        start(command, in, out, complaint);
    }
    return child > 0 ? wait_for(child) : -1;
}

/* The first line of a complaint that says what is wrong. */
static void first_error(const char *path, char line[RKI_REFUSED_CHARS])
{
    FILE *file = fopen(path, "r");

    line[0] = '\0';
    while (file != NULL && fgets(line, RKI_REFUSED_CHARS, file) != NULL &&
           strstr(line, "error") == NULL) {
    }
    if (file != NULL) {
        (void)fclose(file);
    }
    line[strcspn(line, "\r\n")] = '\0';
}

/* The compiler by its name; NULL: there is none. */
static const char *compiler(void)
{
    static const char *const places[] = {"/usr/local/bin/cc", "/usr/bin/cc", "/bin/cc"};
    size_t i;

    for (i = 0; i < sizeof places / sizeof places[0]; i++) {
        if (access(places[i], X_OK) == 0) return places[i];
    }
    return NULL;
}

/* Files that are there once for all runs, at the ends of the list. */
typedef struct streams {
    const char *program, *complaint, *inputs, *outputs;
} streams;

static streams streams_of(const rki_built *b)
{
    return (streams){b->file[0], b->file[1], b->file[2], b->file[3]};
}

static void build(rki_built *b, const rki_source *sources, size_t count)
{
    const char *cc = compiler();
    char *command[RKI_SOURCES_MAX + 12] = {
        (char *)cc,        (char[]){"-std=c99"},          (char[]){"-pedantic"},
        (char[]){"-O2"},   (char[]){"-ffp-contract=off"}, (char[]){"-o"},
        (char *)b->file[0]};
    const streams s = streams_of(b);
    size_t used = 7, i;
    int status;

    if (cc == NULL) {
        b->excused = true;
        (void)snprintf(b->refused, sizeof b->refused, "there is no C compiler (cc) here");
        return;
    }
    for (i = 0; i < count; i++) {
        const size_t length = strlen(sources[i].name);

        if (length > 2 && strcmp(sources[i].name + length - 2, ".c") == 0) {
            command[used++] = b->file[4 + i];
        }
    }
    status = run(command, "/dev/null", s.outputs, s.complaint);
    if (status == 0) return;
    first_error(s.complaint, b->refused);
    if (b->refused[0] == '\0') {
        (void)snprintf(b->refused, sizeof b->refused, "cc refuses it");
    }
}

rk_status rki_built_make(const rki_source *sources, size_t count, rki_built *made,
                         rk_diag *diag)
{
    static const char *const names[] = {"program", "complaint", "inputs", "outputs"};
    sigset_t ending;
    size_t i;

    memset(made, 0, sizeof *made);
    ending_signals(&ending);
    made->holds = sigprocmask(SIG_BLOCK, &ending, &made->before) == 0;
    (void)strcpy(made->dir, "/tmp/redkettle-prove-XXXXXX");
    if (mkdtemp(made->dir) == NULL) {
        const rk_status status = rk_diag_set(diag, RK_ERR_IO, "no temporary directory %s: %s",
                                             made->dir, strerror(errno));

        made->dir[0] = '\0';
        return status;
    }
    for (i = 0; i < 4; i++) {
        (void)path_of(made, names[i]);
    }
    for (i = 0; i < count; i++) {
        const char *path = path_of(made, sources[i].name);

        if (!put_file(path, sources[i].text, strlen(sources[i].text))) {
            return rk_diag_set(diag, RK_ERR_IO, "%s cannot be written: %s", path,
                               strerror(errno));
        }
    }
    build(made, sources, count);
    return RK_OK;
}

void rki_built_free(rki_built *b)
{
    while (b->files > 0) {
        (void)unlink(b->file[--b->files]);
    }
    if (b->dir[0] != '\0') {
        (void)rmdir(b->dir);
    }
    b->dir[0] = '\0';
    if (b->holds) {
        (void)sigprocmask(SIG_SETMASK, &b->before, NULL); /* one that came meanwhile acts now */
    }
    b->holds = false;
}

size_t rki_built_run(rki_built *b, const double *in, size_t numbers_in, double *out,
                     size_t numbers_out)
{
    const streams s = streams_of(b);
    char *const command[] = {(char *)s.program, NULL};
    size_t done = 0;
    FILE *file;
    int status;

    if (b->refused[0] != '\0') return 0;
    if (!put_file(s.inputs, in, numbers_in * sizeof *in)) {
        (void)snprintf(b->refused, sizeof b->refused, "%.200s cannot be written", s.inputs);
        return 0;
    }
    status = run(command, s.inputs, s.outputs, s.complaint);
    file = fopen(s.outputs, "rb");
    if (file != NULL) {
        done = fread(out, sizeof *out, numbers_out, file);
        (void)fclose(file);
    }
    if (status != 0 || done < numbers_out) {
        (void)snprintf(b->refused, sizeof b->refused, "the program breaks off");
    }
    return done;
}
