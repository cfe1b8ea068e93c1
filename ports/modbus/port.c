/* SPDX-License-Identifier: MIT */
/*
 * The port: a thread holds the line and works off one request at a time; a scan asks it and waits, but
 * never beyond its own time. What is asked and not begun when that is over is taken back; a reply that
 * comes later is thrown away.
 */
#include "modbus.h"

#include <math.h>
#include <pthread.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "client.h"

/* Of a scan: until then it waits for what it reads, and for what it writes. */
#define READ_UNTIL 0.6
#define WRITE_UNTIL 0.9
/* From an attempt to connect to the next, s. */
#define RETRY 0.25
/* From a refused write that must be made to the next try, s. */
#define AGAIN 0.05

typedef enum want { WANT_NOTHING, WANT_READ, WANT_WRITE } want;

struct rk_modbus_port {
    rki_modbus_client *client; /* the thread's */
    double ts, timeout;
    pthread_t thread;
    pthread_mutex_t mutex;
    pthread_cond_t asked, done;
    rk_modbus_map map;

    /* shared, under the mutex */
    unsigned long ticket, served; /* of what is asked, and of the last that was answered */
    double out;                   /* to be written; NaN: the heartbeat alone */
    size_t connects;
    rki_modbus_reading reading;     /* the last answer: what was read, */
    char refusal[MODBUS_WHY_CHARS]; /* why nothing was read, or OUT not taken, */
    char no_line[MODBUS_WHY_CHARS]; /* and why there is no line */
    want want;
    uint16_t heartbeat;  /* to be written */
    bool stop, up, lost; /* lost: the line, over the last answer */

    /* the scan's own */
    bool fresh;   /* read in this scan */
    bool reached; /* by the last read */
    bool beaten;  /* the heartbeat went out in this scan */
    bool enabled, is_serial;
    uint16_t beat;
    char why[MODBUS_WHY_CHARS];
    double began; /* monotonic clock, s */
    rki_modbus_reading seen;
};

static double now(void)
{
    struct timespec t;

    (void)clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (1e-9 * (double)t.tv_nsec);
}

static struct timespec time_of(double seconds)
{
    const double whole = floor(seconds);
    const struct timespec t = {(time_t)whole, (long)((seconds - whole) * 1e9)};

    return t;
}

/* False when that time has come. */
static bool wait_for(pthread_cond_t *what, pthread_mutex_t *mutex, double until)
{
    const struct timespec t = time_of(until);

    return pthread_cond_timedwait(what, mutex, &t) == 0;
}

/* ---- the thread ---- */

static void connect_line(rk_modbus_port *p)
{
    char why[MODBUS_WHY_CHARS] = "";
    bool up;

    (void)pthread_mutex_unlock(&p->mutex);
    up = rki_modbus_client_connect(p->client, why);
    (void)pthread_mutex_lock(&p->mutex);
    p->up = up;
    if (up) {
        p->connects++;
        p->no_line[0] = '\0';
        (void)pthread_cond_broadcast(&p->done);
        return;
    }
    (void)snprintf(p->no_line, sizeof p->no_line, "%s", why);
    if (!p->stop) {
        (void)wait_for(&p->asked, &p->mutex, now() + RETRY);
    }
}

static void lose_line(rk_modbus_port *p)
{
    p->up = false;
    (void)pthread_cond_broadcast(&p->done);
    (void)pthread_mutex_unlock(&p->mutex);
    rki_modbus_client_close(p->client);
    (void)pthread_mutex_lock(&p->mutex);
    if (p->is_serial && !p->stop) { /* what is still on the line would be taken for a reply */
        (void)wait_for(&p->asked, &p->mutex, now() + RETRY);
    }
}

/* What a reading met that lost the line. */
static void say_lost(const rki_modbus_reading *reading, char why[MODBUS_WHY_CHARS])
{
    int i;

    for (i = 0; i < RK_MODBUS_SIGNALS && why[0] == '\0'; i++) {
        (void)snprintf(why, MODBUS_WHY_CHARS, "%s", reading->why[i]);
    }
}

static void work_off(rk_modbus_port *p)
{
    const want what = p->want;
    const unsigned long ticket = p->ticket;
    const double out = p->out;
    const uint16_t heartbeat = p->heartbeat;
    rki_modbus_reading reading;
    char why[MODBUS_WHY_CHARS] = "";
    bool kept;

    p->want = WANT_NOTHING;
    (void)pthread_mutex_unlock(&p->mutex);
    kept = what == WANT_READ ? rki_modbus_client_read(p->client, &reading)
                             : rki_modbus_client_write(p->client, out, heartbeat, why);
    (void)pthread_mutex_lock(&p->mutex);
    if (what == WANT_READ) {
        p->reading = reading;
        if (!kept) {
            say_lost(&reading, why);
        }
    }
    (void)snprintf(p->refusal, sizeof p->refusal, "%s", why);
    p->lost = !kept;
    p->served = ticket;
    (void)pthread_cond_broadcast(&p->done);
    if (!kept) {
        lose_line(p);
    }
}

static void *hold_line(void *user)
{
    rk_modbus_port *p = user;

    (void)pthread_mutex_lock(&p->mutex);
    while (!p->stop) {
        if (!p->up) {
            connect_line(p);
        } else if (p->want == WANT_NOTHING) {
            (void)pthread_cond_wait(&p->asked, &p->mutex);
        } else {
            work_off(p);
        }
    }
    (void)pthread_mutex_unlock(&p->mutex);
    return NULL;
}

/* ---- the scan's side; why: of the answer ---- */

/* Ask, and wait until then: true if it was answered. */
static bool ask(rk_modbus_port *p, want what, double out, double until)
{
    unsigned long ticket;
    bool answered;

    (void)pthread_mutex_lock(&p->mutex);
    if (!p->up) {
        (void)snprintf(p->why, sizeof p->why, "%s",
                       p->no_line[0] != '\0' ? p->no_line : "no connection");
        (void)pthread_mutex_unlock(&p->mutex);
        return false;
    }
    ticket = ++p->ticket;
    p->want = what;
    p->out = out;
    p->heartbeat = p->beat;
    (void)pthread_cond_broadcast(&p->asked);
    while (p->served != ticket && p->up && now() < until) {
        (void)wait_for(&p->done, &p->mutex, until);
    }
    answered = p->served == ticket;
    if (answered) {
        p->seen = what == WANT_READ ? p->reading : p->seen;
        (void)snprintf(p->why, sizeof p->why, "%s", p->refusal);
        answered = !p->lost;
    } else {
        p->want = WANT_NOTHING; /* not begun, it is not wanted any more */
        (void)snprintf(p->why, sizeof p->why, "no reply in time");
    }
    (void)pthread_mutex_unlock(&p->mutex);
    return answered;
}

static bool read_flag(const rk_modbus_port *p, rk_modbus_signal signal)
{
    return !p->map.point[signal].given ||
           (p->seen.why[signal][0] == '\0' && p->seen.value[signal] != 0);
}

/* Everything, once a scan. */
static bool read_all(rk_modbus_port *p, double until)
{
    p->fresh = ask(p, WANT_READ, 0.0, until);
    p->reached = p->fresh;
    p->enabled = p->fresh && read_flag(p, RK_MODBUS_ENABLE);
    return p->fresh;
}

static void say(rk_modbus_port *p, rk_modbus_signal signal)
{
    (void)snprintf(p->why, sizeof p->why, "%s", p->seen.why[signal]);
}

static rk_status read_pv(void *user, rk_real *pv)
{
    rk_modbus_port *p = user;

    p->began = now();
    p->beaten = false;
    if (!read_all(p, p->began + (READ_UNTIL * p->ts))) return RK_ERR_IO;
    say(p, RK_MODBUS_PV);
    if (p->why[0] != '\0') return RK_ERR_IO;
    if (!read_flag(p, RK_MODBUS_PV_GOOD)) {
        say(p, RK_MODBUS_PV_GOOD);
        if (p->why[0] == '\0') {
            (void)snprintf(p->why, sizeof p->why, "pv-good reads 0");
        }
        return RK_ERR_IO;
    }
    *pv = (rk_real)p->seen.value[RK_MODBUS_PV];
    return RK_OK;
}

static rk_status read_out(void *user, rk_real *out)
{
    rk_modbus_port *p = user;

    if (!p->fresh && !read_all(p, now() + (READ_UNTIL * p->ts))) return RK_ERR_IO;
    if (p->seen.why[RK_MODBUS_OUT_NOW][0] != '\0') {
        say(p, RK_MODBUS_OUT_NOW);
        return RK_ERR_IO;
    }
    *out = (rk_real)p->seen.value[RK_MODBUS_OUT_NOW];
    return RK_OK;
}

static rk_status put(rk_modbus_port *p, double out, double until)
{
    p->beat = (uint16_t)(p->beat + (p->beaten ? 0U : 1U));
    p->beaten = true;
    return ask(p, WANT_WRITE, out, until) && p->why[0] == '\0' ? RK_OK : RK_ERR_IO;
}

static double write_until(const rk_modbus_port *p)
{
    const double at = now();

    return (at - p->began < WRITE_UNTIL * p->ts ? p->began : at) + (WRITE_UNTIL * p->ts);
}

static rk_status write_out(void *user, rk_real out)
{
    rk_modbus_port *p = user;
    char why[MODBUS_WHY_CHARS];
    rk_status status;

    if (p->enabled) return put(p, (double)out, write_until(p));
    if (!p->fresh) return RK_ERR_IO; /* and why was said */
    memcpy(why, p->why, sizeof why);
    status = put(p, nan(""), write_until(p));
    if (status == RK_OK) {
        memcpy(p->why, why, sizeof why);
    }
    return status;
}

/* ---- the rest ---- */

bool rk_modbus_is_there(void)
{
    return true;
}

static bool start_thread(rk_modbus_port *p)
{
    sigset_t all, before;
    pthread_condattr_t attributes;
    bool started;

    (void)pthread_condattr_init(&attributes);
    (void)pthread_condattr_setclock(&attributes, CLOCK_MONOTONIC);
    (void)pthread_mutex_init(&p->mutex, NULL);
    (void)pthread_cond_init(&p->asked, &attributes);
    (void)pthread_cond_init(&p->done, &attributes);
    (void)pthread_condattr_destroy(&attributes);
    (void)sigfillset(&all); /* signals are for who started it */
    (void)pthread_sigmask(SIG_SETMASK, &all, &before);
    started = pthread_create(&p->thread, NULL, hold_line, p) == 0;
    (void)pthread_sigmask(SIG_SETMASK, &before, NULL);
    return started;
}

rk_status rk_modbus_port_create(const rk_modbus_line *line, const rk_modbus_map *map, double ts,
                                double timeout, rk_modbus_port **port)
{
    rk_modbus_port *made;

    if (line == NULL || map == NULL || port == NULL) return RK_ERR_ARG;
    if (!map->point[RK_MODBUS_PV].given || !map->point[RK_MODBUS_OUT].given) return RK_ERR_ARG;
    if (!(ts > 0) || !(timeout > 0)) return RK_ERR_ARG;
    made = calloc(1, sizeof *made);
    if (made == NULL) return RK_ERR_IO;
    made->map = *map;
    made->ts = ts;
    made->timeout = timeout;
    made->is_serial = line->service[0] == '\0';
    made->client = rki_modbus_client_create(line, map, timeout);
    if (made->client == NULL || !start_thread(made)) {
        rki_modbus_client_free(made->client);
        free(made);
        return RK_ERR_IO;
    }
    *port = made;
    return RK_OK;
}

bool rk_modbus_port_wait(rk_modbus_port *p, double seconds)
{
    const double until = now() + seconds;
    bool up;

    (void)pthread_mutex_lock(&p->mutex);
    while (!p->up && now() < until) {
        (void)wait_for(&p->done, &p->mutex, until);
    }
    up = p->up;
    if (!up) {
        (void)snprintf(p->why, sizeof p->why, "%s", p->no_line);
    }
    (void)pthread_mutex_unlock(&p->mutex);
    return up;
}

rk_port rk_modbus_port_seam(rk_modbus_port *port)
{
    const rk_port seam = {port, read_pv, write_out, read_out};

    return seam;
}

void rk_modbus_port_end_scan(rk_modbus_port *p)
{
    char why[MODBUS_WHY_CHARS];

    if (p->map.point[RK_MODBUS_HEARTBEAT].given && !p->beaten) {
        memcpy(why, p->why, sizeof why);
        if (put(p, nan(""), write_until(p)) == RK_OK) {
            memcpy(p->why, why, sizeof why);
        }
    }
    p->fresh = false;
}

bool rk_modbus_port_enabled(const rk_modbus_port *port)
{
    return port->enabled;
}

bool rk_modbus_port_is_reached(const rk_modbus_port *port)
{
    return port->reached;
}

rk_status rk_modbus_port_write_now(rk_modbus_port *p, double out, double seconds)
{
    const double until = now() + seconds;

    p->beaten = true; /* no scan, no heartbeat */
    while (rk_modbus_port_wait(p, until - now())) {
        if (read_all(p, fmin(now() + p->timeout, until))) {
            if (!p->enabled) return RK_OK;
            if (put(p, out, fmin(now() + p->timeout, until)) == RK_OK) return RK_OK;
        }
        if (!(now() < until)) break;
        (void)pthread_mutex_lock(&p->mutex); /* refused: again in a moment */
        (void)wait_for(&p->done, &p->mutex, fmin(now() + AGAIN, until));
        (void)pthread_mutex_unlock(&p->mutex);
    }
    return RK_ERR_IO;
}

const char *rk_modbus_port_why(const rk_modbus_port *port)
{
    return port->why;
}

size_t rk_modbus_port_reconnects(rk_modbus_port *p)
{
    size_t connects;

    (void)pthread_mutex_lock(&p->mutex);
    connects = p->connects;
    (void)pthread_mutex_unlock(&p->mutex);
    return connects > 0 ? connects - 1 : 0;
}

bool rk_modbus_port_prioritise(rk_modbus_port *p, int priority)
{
    const struct sched_param wanted = {.sched_priority = priority};

    return pthread_setschedparam(p->thread, SCHED_FIFO, &wanted) == 0;
}

void rk_modbus_port_free(rk_modbus_port *p)
{
    if (p == NULL) return;
    (void)pthread_mutex_lock(&p->mutex);
    p->stop = true;
    if (p->up) {
        rki_modbus_client_interrupt(p->client);
    }
    (void)pthread_cond_broadcast(&p->asked);
    (void)pthread_mutex_unlock(&p->mutex);
    (void)pthread_join(p->thread, NULL);
    rki_modbus_client_free(p->client);
    (void)pthread_cond_destroy(&p->asked);
    (void)pthread_cond_destroy(&p->done);
    (void)pthread_mutex_destroy(&p->mutex);
    free(p);
}
