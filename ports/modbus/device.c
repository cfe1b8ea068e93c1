/* SPDX-License-Identifier: MIT */
/*
 * The device: one loop's registers, served to a few lines at once, a thread each. A request is looked at
 * in full before the library answers it, so that nothing but our registers is ever touched and nothing
 * that a line sends is trusted: its length, its counts, its values.
 */
#include "modbus.h"

#include <errno.h>
#include <math.h>
#include <poll.h>
#include <pthread.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include <modbus.h>

/* A line that says nothing for so long is closed, s; between the bytes of a request, us. */
enum { IDLE = 60, BYTES_WITHIN = 200000 };
/* The acceptor looks up so often whether to stop, ms. */
enum { LOOK_UP = 100 };
enum { ADDRESSES = 65536 };
/* Lines that may wait to be taken, or to be turned away. */
enum { BACKLOG = 128 };

typedef struct served_line {
    rk_modbus_device *device;
    pthread_t thread;
    int socket; /* -1: a serial line */
    bool in_use, ended;
} served_line;

struct rk_modbus_device {
    rk_modbus_line line;
    rk_modbus_map map;
    int listener;
    pthread_t acceptor;
    bool accepting;
    pthread_mutex_t mutex;

    /* under the mutex */
    uint16_t image[RK_MODBUS_SIGNALS][2];
    bool stop, silent;
    size_t requests;
    served_line lines[RK_MODBUS_CONNECTIONS];
};

/* What a request is about. */
typedef struct request {
    int function, address, count; /* of registers or bits */
    rk_modbus_table table;
    bool writes;
    const uint8_t *values; /* of a write */
} request;

/* ---- the registers ---- */

/* The word of ours at an address, or NULL. */
static uint16_t *word_at(rk_modbus_device *d, rk_modbus_table table, int address,
                         rk_modbus_signal *signal)
{
    int i;

    for (i = 0; i < RK_MODBUS_SIGNALS; i++) {
        const rk_modbus_point *p = &d->map.point[i];

        if (!p->given || p->table != table || address < p->address ||
            address >= p->address + rk_modbus_width(p)) {
            continue;
        }
        *signal = (rk_modbus_signal)i;
        return &d->image[i][address - p->address];
    }
    return NULL;
}

/* What a line may write is what a plant is told; the rest the plant tells. */
static bool is_writable(rk_modbus_signal signal)
{
    return signal != RK_MODBUS_PV && signal != RK_MODBUS_OUT_NOW;
}

static bool has_all(rk_modbus_device *d, const request *r)
{
    rk_modbus_signal signal;
    int i;

    for (i = 0; i < r->count; i++) {
        if (word_at(d, r->table, r->address + i, &signal) == NULL) return false;
        if (r->writes && !is_writable(signal)) return false;
    }
    return true;
}

/* ---- a request ---- */

static int word_of(const uint8_t *at)
{
    return (at[0] << 8) | at[1];
}

/* What its bytes say, or the exception that answers it; 0: it is sound. */
static int read_request(const uint8_t *pdu, int length, request *r)
{
    static const rk_modbus_table tables[] = {
        [MODBUS_FC_READ_COILS] = RK_MODBUS_COIL,
        [MODBUS_FC_READ_DISCRETE_INPUTS] = RK_MODBUS_DISCRETE,
        [MODBUS_FC_READ_HOLDING_REGISTERS] = RK_MODBUS_HOLDING,
        [MODBUS_FC_READ_INPUT_REGISTERS] = RK_MODBUS_INPUT,
        [MODBUS_FC_WRITE_SINGLE_COIL] = RK_MODBUS_COIL,
        [MODBUS_FC_WRITE_SINGLE_REGISTER] = RK_MODBUS_HOLDING,
        [MODBUS_FC_WRITE_MULTIPLE_COILS] = RK_MODBUS_COIL,
        [MODBUS_FC_WRITE_MULTIPLE_REGISTERS] = RK_MODBUS_HOLDING};
    int bytes;

    r->function = pdu[0];
    if (r->function < MODBUS_FC_READ_COILS ||
        (r->function > MODBUS_FC_WRITE_SINGLE_REGISTER &&
         r->function != MODBUS_FC_WRITE_MULTIPLE_COILS &&
         r->function != MODBUS_FC_WRITE_MULTIPLE_REGISTERS)) {
        return MODBUS_EXCEPTION_ILLEGAL_FUNCTION;
    }
    if (length < 5) return MODBUS_EXCEPTION_ILLEGAL_DATA_VALUE;
    r->table = tables[r->function];
    r->writes = r->function >= MODBUS_FC_WRITE_SINGLE_COIL;
    r->address = word_of(pdu + 1);
    r->count = word_of(pdu + 3);
    r->values = pdu + 3;
    switch (r->function) {
    case MODBUS_FC_READ_COILS:
    case MODBUS_FC_READ_DISCRETE_INPUTS:
        if (r->count < 1 || r->count > MODBUS_MAX_READ_BITS) break;
        return 0;
    case MODBUS_FC_READ_HOLDING_REGISTERS:
    case MODBUS_FC_READ_INPUT_REGISTERS:
        if (r->count < 1 || r->count > MODBUS_MAX_READ_REGISTERS) break;
        return 0;
    case MODBUS_FC_WRITE_SINGLE_COIL:
        if (r->count != 0 && r->count != 0xFF00) break;
        r->count = 1;
        return 0;
    case MODBUS_FC_WRITE_SINGLE_REGISTER:
        r->count = 1;
        return 0;
    default:
        bytes =
            r->function == MODBUS_FC_WRITE_MULTIPLE_COILS ? (r->count + 7) / 8 : 2 * r->count;
        if (r->count < 1 || length < 6 + bytes || bytes > 246 || pdu[5] != bytes) break;
        r->values = pdu + 6;
        return 0;
    }
    return MODBUS_EXCEPTION_ILLEGAL_DATA_VALUE;
}

static uint16_t value_at(const request *r, int i)
{
    switch (r->function) {
    case MODBUS_FC_WRITE_SINGLE_COIL:
        return r->values[0] != 0;
    case MODBUS_FC_WRITE_MULTIPLE_COILS:
        return (uint16_t)((r->values[i / 8] >> (i % 8)) & 1);
    default:
        return (uint16_t)word_of(r->values + (2 * (size_t)i));
    }
}

/* Do it: a write into the registers, or the registers into what is answered from. */
static void carry_out(rk_modbus_device *d, const request *r, modbus_mapping_t *answer)
{
    rk_modbus_signal signal;
    int i;

    for (i = 0; i < r->count; i++) {
        uint16_t *word = word_at(d, r->table, r->address + i, &signal);

        if (r->writes) {
            *word = value_at(r, i);
            continue;
        }
        switch (r->table) {
        case RK_MODBUS_COIL:
            answer->tab_bits[r->address + i] = *word != 0;
            break;
        case RK_MODBUS_DISCRETE:
            answer->tab_input_bits[r->address + i] = *word != 0;
            break;
        case RK_MODBUS_INPUT:
            answer->tab_input_registers[r->address + i] = *word;
            break;
        default:
            answer->tab_registers[r->address + i] = *word;
            break;
        }
    }
}

/* ---- a line ---- */

/* The length that a frame over TCP gives itself, behind its head. */
static int told_length(const uint8_t *frame)
{
    return word_of(frame + 4);
}

/* Over TCP a request has the length that its head tells; what the library left of it is thrown away. False:
   it cannot be made sense of. */
static bool is_whole(int socket, const uint8_t *frame, int length)
{
    uint8_t rest[MODBUS_TCP_MAX_ADU_LENGTH];
    int left = told_length(frame) + 6 - length;

    if (word_of(frame + 2) != 0 || told_length(frame) < 2) return false;
    if (left < 0 || left > (int)sizeof rest) return false;
    while (left > 0) {
        struct pollfd ready = {socket, POLLIN, 0};
        const ssize_t got =
            poll(&ready, 1, BYTES_WITHIN / 1000) > 0 ? recv(socket, rest, (size_t)left, 0) : 0;

        if (got <= 0) return false;
        left -= (int)got;
    }
    return true;
}

/* Over TCP 0 and 255 mean whoever is reached. */
static bool is_for_us(const rk_modbus_device *d, int unit, bool serial)
{
    return unit == d->line.unit || (!serial && (unit == 0 || unit == MODBUS_TCP_SLAVE));
}

/* Answer one request; false: the line is of no use any more. */
static bool answer(rk_modbus_device *d, modbus_t *context, modbus_mapping_t *mapping,
                   const uint8_t *frame, int length)
{
    const int head = modbus_get_header_length(context);
    const bool serial = d->line.service[0] == '\0';
    const int end = length - (serial ? 2 : 0); /* the checksum */
    request r = {0};
    int exception;
    bool silent;

    if (end < head + 1) return false;
    if (!is_for_us(d, frame[head - 1], serial)) {
        return serial ||
               modbus_reply_exception(context, frame, MODBUS_EXCEPTION_GATEWAY_TARGET) > 0;
    }
    exception = read_request(frame + head, end - head, &r);
    (void)pthread_mutex_lock(&d->mutex);
    silent = d->silent;
    if (exception == 0 && !has_all(d, &r)) {
        exception = MODBUS_EXCEPTION_ILLEGAL_DATA_ADDRESS;
    }
    if (exception == 0 && !silent) {
        carry_out(d, &r, mapping);
    }
    d->requests += silent ? 0 : 1;
    (void)pthread_mutex_unlock(&d->mutex);
    if (silent) return true;
    if (exception != 0) {
        return modbus_reply_exception(context, frame, (unsigned)exception) > 0;
    }
    return modbus_reply(context, frame, length, mapping) > 0;
}

static bool must_stop(rk_modbus_device *d)
{
    bool stop;

    (void)pthread_mutex_lock(&d->mutex);
    stop = d->stop;
    (void)pthread_mutex_unlock(&d->mutex);
    return stop;
}

/* Until it ends, falls silent, or sends what cannot be made sense of. */
static void serve(rk_modbus_device *d, modbus_t *context, bool serial)
{
    modbus_mapping_t *mapping = modbus_mapping_new(ADDRESSES, ADDRESSES, ADDRESSES, ADDRESSES);
    uint8_t frame[MODBUS_MAX_ADU_LENGTH];

    /* A serial line that is quiet is looked at again; the thread may have to stop. */
    (void)modbus_set_indication_timeout(context, serial ? 0 : IDLE,
                                        serial ? 1000 * LOOK_UP : 0);
    (void)modbus_set_byte_timeout(context, 0, BYTES_WITHIN);
    while (mapping != NULL && !must_stop(d)) {
        const int length = modbus_receive(context, frame);

        if (length < 0 && serial && errno != EBADF && errno != EIO && errno != ENXIO) {
            if (errno != ETIMEDOUT) {
                (void)modbus_flush(context); /* noise on the line */
            }
            continue;
        }
        if (length < 0) break;
        if (length == 0) continue; /* for another device on the same serial line */
        if (!serial && !is_whole(modbus_get_socket(context), frame, length)) break;
        if (!answer(d, context, mapping, frame, length) && !serial) break;
    }
    modbus_mapping_free(mapping);
}

void rk_modbus_device_serve(rk_modbus_device *d, int socket)
{
    modbus_t *context = modbus_new_tcp_pi("localhost", "502");

    if (context == NULL) return;
    (void)modbus_set_socket(context, socket);
    serve(d, context, false);
    modbus_free(context);
}

static void *serve_socket(void *user)
{
    served_line *line = user;

    rk_modbus_device_serve(line->device, line->socket);
    (void)pthread_mutex_lock(&line->device->mutex);
    (void)close(line->socket);
    line->ended = true;
    (void)pthread_mutex_unlock(&line->device->mutex);
    return NULL;
}

static void *serve_serial(void *user)
{
    rk_modbus_device *d = user;
    const rk_modbus_line *l = &d->line;

    while (!must_stop(d)) {
        modbus_t *context =
            modbus_new_rtu(l->name, l->baud, l->parity, l->data_bits, l->stop_bits);

        if (context != NULL && modbus_set_slave(context, l->unit) == 0 &&
            modbus_connect(context) == 0) {
            serve(d, context, true);
            modbus_close(context);
        }
        modbus_free(context);
        (void)poll(NULL, 0, LOOK_UP); /* unplugged: it may come back */
    }
    return NULL;
}

/* ---- lines come and go ---- */

static bool start_thread(pthread_t *thread, void *(*work)(void *), void *user)
{
    sigset_t all, before;
    bool started;

    (void)sigfillset(&all);
    (void)pthread_sigmask(SIG_SETMASK, &all, &before);
    started = pthread_create(thread, NULL, work, user) == 0;
    (void)pthread_sigmask(SIG_SETMASK, &before, NULL);
    return started;
}

/* Lines that ended make room. */
static void take_line(rk_modbus_device *d, int socket)
{
    served_line *room = NULL;
    int i;

    for (i = 0; i < RK_MODBUS_CONNECTIONS; i++) {
        served_line *l = &d->lines[i];
        bool ended;

        (void)pthread_mutex_lock(&d->mutex);
        ended = l->in_use && l->ended;
        (void)pthread_mutex_unlock(&d->mutex);
        if (ended) {
            (void)pthread_join(l->thread, NULL);
            l->in_use = false;
        }
        room = l->in_use ? room : l;
    }
    if (room == NULL) {
        (void)close(socket);
        return;
    }
    (void)pthread_mutex_lock(&d->mutex);
    *room = (served_line){.device = d, .socket = socket, .in_use = true};
    if (!start_thread(&room->thread, serve_socket, room)) {
        room->in_use = false;
        (void)close(socket);
    }
    (void)pthread_mutex_unlock(&d->mutex);
}

static void *accept_lines(void *user)
{
    rk_modbus_device *d = user;

    while (!must_stop(d)) {
        struct pollfd ready = {d->listener, POLLIN, 0};
        const int socket = poll(&ready, 1, LOOK_UP) > 0 ? accept(d->listener, NULL, NULL) : -1;

        if (socket >= 0) {
            take_line(d, socket);
        }
    }
    return NULL;
}

static bool listen_at(rk_modbus_device *d)
{
    modbus_t *context = modbus_new_tcp_pi(d->line.name, d->line.service);

    if (context == NULL) return false;
    d->listener = modbus_tcp_pi_listen(context, BACKLOG);
    modbus_free(context);
    return d->listener >= 0 && start_thread(&d->acceptor, accept_lines, d);
}

/* A serial line that is not there, or is taken, is told at once. */
static bool open_serial(rk_modbus_device *d)
{
    const rk_modbus_line *l = &d->line;
    modbus_t *context = modbus_new_rtu(l->name, l->baud, l->parity, l->data_bits, l->stop_bits);
    const bool there = context != NULL && modbus_connect(context) == 0;
    const int error = errno;

    if (there) {
        modbus_close(context);
    }
    modbus_free(context);
    errno = error;
    return there && start_thread(&d->acceptor, serve_serial, d);
}

rk_status rk_modbus_device_create(const rk_modbus_line *line, const rk_modbus_map *map,
                                  rk_modbus_device **device)
{
    rk_modbus_device *made;

    if (line == NULL || map == NULL || device == NULL) return RK_ERR_ARG;
    if (!map->point[RK_MODBUS_PV].given || !map->point[RK_MODBUS_OUT].given) return RK_ERR_ARG;
    made = calloc(1, sizeof *made);
    if (made == NULL) return RK_ERR_IO;
    made->line = *line;
    made->map = *map;
    made->listener = -1;
    (void)pthread_mutex_init(&made->mutex, NULL);
    made->image[RK_MODBUS_ENABLE][0] = 1;
    made->image[RK_MODBUS_PV_GOOD][0] = 1;
    made->accepting = line->service[0] != '\0' ? listen_at(made) : open_serial(made);
    if (!made->accepting) {
        const int error = errno;

        rk_modbus_device_free(made);
        errno = error;
        return RK_ERR_IO;
    }
    *device = made;
    return RK_OK;
}

void rk_modbus_device_set(rk_modbus_device *d, rk_modbus_signal signal, double value)
{
    (void)pthread_mutex_lock(&d->mutex);
    rk_modbus_encode(&d->map.point[signal], d->map.low_first, value, d->image[signal]);
    (void)pthread_mutex_unlock(&d->mutex);
}

double rk_modbus_device_get(rk_modbus_device *d, rk_modbus_signal signal)
{
    double value = 0;
    const char *flaw;

    (void)pthread_mutex_lock(&d->mutex);
    flaw = rk_modbus_decode(&d->map.point[signal], d->map.low_first, d->image[signal], &value);
    (void)pthread_mutex_unlock(&d->mutex);
    return flaw == NULL ? value : nan("");
}

void rk_modbus_device_set_silent(rk_modbus_device *d, bool silent)
{
    (void)pthread_mutex_lock(&d->mutex);
    d->silent = silent;
    (void)pthread_mutex_unlock(&d->mutex);
}

size_t rk_modbus_device_requests(rk_modbus_device *d)
{
    size_t requests;

    (void)pthread_mutex_lock(&d->mutex);
    requests = d->requests;
    (void)pthread_mutex_unlock(&d->mutex);
    return requests;
}

/* Lines that wait for a request wake up and end. */
static void end_lines(rk_modbus_device *d)
{
    int i;

    (void)pthread_mutex_lock(&d->mutex);
    for (i = 0; i < RK_MODBUS_CONNECTIONS; i++) {
        if (d->lines[i].in_use && !d->lines[i].ended) {
            (void)shutdown(d->lines[i].socket, SHUT_RDWR);
        }
    }
    (void)pthread_mutex_unlock(&d->mutex);
    for (i = 0; i < RK_MODBUS_CONNECTIONS; i++) {
        if (d->lines[i].in_use) {
            (void)pthread_join(d->lines[i].thread, NULL);
        }
    }
}

void rk_modbus_device_free(rk_modbus_device *d)
{
    if (d == NULL) return;
    (void)pthread_mutex_lock(&d->mutex);
    d->stop = true;
    (void)pthread_mutex_unlock(&d->mutex);
    if (d->listener >= 0) {
        (void)shutdown(d->listener, SHUT_RDWR); /* the acceptor wakes up */
    }
    if (d->accepting) {
        (void)pthread_join(d->acceptor, NULL);
    }
    end_lines(d);
    if (d->listener >= 0) {
        (void)close(d->listener);
    }
    (void)pthread_mutex_destroy(&d->mutex);
    free(d);
}
