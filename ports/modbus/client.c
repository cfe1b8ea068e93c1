/* SPDX-License-Identifier: MIT */
#include "client.h"

#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <sys/socket.h>

#include <modbus.h>

/* An attempt to connect takes no longer, s. */
#define CONNECT_FOR 0.5
/* Registers of our signals in one request: all of them side by side. */
enum { WORDS_MOST = 2 * RK_MODBUS_SIGNALS };

/* Registers that are read in one request: those that lie side by side. A gap might hold registers that
   the device does not have. */
typedef struct group {
    rk_modbus_table table;
    int first, count;
} group;

struct rki_modbus_client {
    modbus_t *context;
    rk_modbus_line line;
    rk_modbus_map map;
    double timeout;
    group groups[RK_MODBUS_SIGNALS];
    int group_count;
};

static bool is_read(const rk_modbus_map *map, int signal)
{
    if (!map->point[signal].given || signal == RK_MODBUS_HEARTBEAT) return false;
    return signal != RK_MODBUS_OUT || !map->point[RK_MODBUS_OUT_NOW].given;
}

static int most_of(rk_modbus_table table)
{
    return table == RK_MODBUS_COIL || table == RK_MODBUS_DISCRETE ? MODBUS_MAX_READ_BITS
                                                                  : MODBUS_MAX_READ_REGISTERS;
}

/* Join a point's registers to a group that they touch. */
static bool joins(group *g, const rk_modbus_point *p)
{
    const int first = p->address, end = first + rk_modbus_width(p), from = g->first,
              until = g->first + g->count;
    const int start = first < from ? first : from, stop = end > until ? end : until;

    if (g->table != p->table || first > until || end < from) return false;
    if (stop - start > most_of(g->table) || stop - start > WORDS_MOST) return false;
    g->first = start;
    g->count = stop - start;
    return true;
}

/* By rising addresses, so that each point touches the group of the one before or none. */
static void make_groups(rki_modbus_client *c)
{
    const rk_modbus_point *sorted[RK_MODBUS_SIGNALS];
    int count = 0, i, k;

    for (i = 0; i < RK_MODBUS_SIGNALS; i++) {
        const rk_modbus_point *p = &c->map.point[i];

        if (!is_read(&c->map, i)) continue;
        for (k = count++; k > 0 && sorted[k - 1]->address > p->address; k--) {
            sorted[k] = sorted[k - 1];
        }
        sorted[k] = p;
    }
    for (i = 0; i < count; i++) {
        for (k = 0; k < c->group_count && !joins(&c->groups[k], sorted[i]); k++) {
            continue;
        }
        if (k < c->group_count) continue;
        c->groups[c->group_count++] =
            (group){sorted[i]->table, sorted[i]->address, rk_modbus_width(sorted[i])};
    }
}

static void set_timeout(modbus_t *context, double seconds)
{
    const double whole = floor(seconds);

    (void)modbus_set_response_timeout(context, (uint32_t)whole,
                                      (uint32_t)((seconds - whole) * 1e6) | 1U);
    /* The whole reply within the timeout, however slowly its bytes come. */
    (void)modbus_set_byte_timeout(context, 0, 0);
}

rki_modbus_client *rki_modbus_client_create(const rk_modbus_line *line,
                                            const rk_modbus_map *map, double timeout)
{
    rki_modbus_client *c = calloc(1, sizeof *c);

    if (c == NULL) return NULL;
    c->line = *line;
    c->map = *map;
    c->timeout = timeout;
    c->context = line->service[0] != '\0' ? modbus_new_tcp_pi(line->name, line->service)
                                          : modbus_new_rtu(line->name, line->baud, line->parity,
                                                           line->data_bits, line->stop_bits);
    if (c->context == NULL || modbus_set_slave(c->context, line->unit) != 0) {
        rki_modbus_client_free(c);
        return NULL;
    }
    make_groups(c);
    return c;
}

bool rki_modbus_client_connect(rki_modbus_client *c, char why[MODBUS_WHY_CHARS])
{
    set_timeout(c->context, CONNECT_FOR);
    if (modbus_connect(c->context) != 0) {
        (void)snprintf(why, MODBUS_WHY_CHARS, "%.60s%s%s: %.40s", c->line.name,
                       c->line.service[0] != '\0' ? ":" : "", c->line.service,
                       modbus_strerror(errno));
        modbus_close(c->context);
        return false;
    }
    (void)modbus_flush(c->context); /* what came too late for an earlier request */
    set_timeout(c->context, c->timeout);
    return true;
}

void rki_modbus_client_close(rki_modbus_client *c)
{
    modbus_close(c->context);
}

static const char *table_text(rk_modbus_table table)
{
    static const char *const words[] = {"coil", "discrete", "input", "holding"};

    return words[table];
}

/* Of a request that failed: did the device refuse it, or is the line no good any more? */
static bool refused(void)
{
    return errno > MODBUS_ENOBASE && errno < MODBUS_ENOBASE + MODBUS_EXCEPTION_MAX;
}

static void say_failure(const char *what, const group *g, char why[MODBUS_WHY_CHARS])
{
    const int error = errno;

    if (refused()) {
        (void)snprintf(why, MODBUS_WHY_CHARS, "%s %s %d: Modbus exception %d: %.40s", what,
                       table_text(g->table), g->first, error - MODBUS_ENOBASE,
                       modbus_strerror(error));
    } else {
        (void)snprintf(why, MODBUS_WHY_CHARS, "%s %s %d: %.60s", what, table_text(g->table),
                       g->first,
                       error == ETIMEDOUT ? "no reply in time" : modbus_strerror(error));
    }
    errno = error;
}

static int read_group(modbus_t *context, const group *g, uint16_t words[WORDS_MOST])
{
    uint8_t bits[WORDS_MOST] = {0};
    int got, i;

    switch (g->table) {
    case RK_MODBUS_COIL:
    case RK_MODBUS_DISCRETE:
        got = g->table == RK_MODBUS_COIL
                  ? modbus_read_bits(context, g->first, g->count, bits)
                  : modbus_read_input_bits(context, g->first, g->count, bits);
        for (i = 0; i < g->count; i++) {
            words[i] = bits[i];
        }
        return got;
    case RK_MODBUS_INPUT:
        return modbus_read_input_registers(context, g->first, g->count, words);
    default:
        return modbus_read_registers(context, g->first, g->count, words);
    }
}

static bool holds(const group *g, const rk_modbus_point *p)
{
    return g->table == p->table && p->address >= g->first &&
           p->address + rk_modbus_width(p) <= g->first + g->count;
}

/* The signals of a group that was read, or why not. */
static void take_group(const rki_modbus_client *c, const group *g, const uint16_t *words,
                       const char *failure, rki_modbus_reading *reading)
{
    int i;

    for (i = 0; i < RK_MODBUS_SIGNALS; i++) {
        const rk_modbus_point *p = &c->map.point[i];
        const char *flaw = NULL;

        if (!is_read(&c->map, i) || !holds(g, p)) continue;
        if (failure[0] != '\0') {
            (void)snprintf(reading->why[i], MODBUS_WHY_CHARS, "%s", failure);
            continue;
        }
        flaw = rk_modbus_decode(p, c->map.low_first, words + (p->address - g->first),
                                &reading->value[i]);
        if (flaw != NULL) {
            (void)snprintf(reading->why[i], MODBUS_WHY_CHARS, "%s %d %s", table_text(p->table),
                           p->address, flaw);
        }
    }
}

bool rki_modbus_client_read(rki_modbus_client *c, rki_modbus_reading *reading)
{
    bool lost = false;
    char failure[MODBUS_WHY_CHARS] = "";
    int i;

    memset(reading, 0, sizeof *reading);
    for (i = 0; i < c->group_count; i++) {
        uint16_t words[WORDS_MOST] = {0};

        if (!lost) {
            failure[0] = '\0';
            if (read_group(c->context, &c->groups[i], words) != c->groups[i].count) {
                lost = !refused();
                say_failure("reading", &c->groups[i], failure);
            }
        }
        take_group(c, &c->groups[i], words, failure, reading);
    }
    if (!c->map.point[RK_MODBUS_OUT_NOW].given) {
        reading->value[RK_MODBUS_OUT_NOW] = reading->value[RK_MODBUS_OUT];
        memcpy(reading->why[RK_MODBUS_OUT_NOW], reading->why[RK_MODBUS_OUT], MODBUS_WHY_CHARS);
    }
    return !lost;
}

static bool write_words(rki_modbus_client *c, int first, int count, const uint16_t *words,
                        char why[MODBUS_WHY_CHARS])
{
    const group place = {RK_MODBUS_HOLDING, first, count};
    const int done = count == 1 ? modbus_write_register(c->context, first, words[0])
                                : modbus_write_registers(c->context, first, count, words);

    if (done == count) return true;
    say_failure("writing", &place, why);
    return refused();
}

bool rki_modbus_client_write(rki_modbus_client *c, double out, uint16_t heartbeat,
                             char why[MODBUS_WHY_CHARS])
{
    const rk_modbus_point *o = &c->map.point[RK_MODBUS_OUT],
                          *h = &c->map.point[RK_MODBUS_HEARTBEAT];
    const int width = rk_modbus_width(o);
    uint16_t words[3] = {0};
    bool kept = true;

    why[0] = '\0';
    if (isnan(out)) return !h->given || write_words(c, h->address, 1, &heartbeat, why);
    if (h->given && h->address == o->address + width) {
        rk_modbus_encode(o, c->map.low_first, out, words);
        words[width] = heartbeat;
        return write_words(c, o->address, width + 1, words, why);
    }
    if (h->given && h->address + 1 == o->address) {
        words[0] = heartbeat;
        rk_modbus_encode(o, c->map.low_first, out, words + 1);
        return write_words(c, h->address, width + 1, words, why);
    }
    rk_modbus_encode(o, c->map.low_first, out, words);
    kept = write_words(c, o->address, width, words, why);
    if (!kept || why[0] != '\0' || !h->given) return kept;
    return write_words(c, h->address, 1, &heartbeat, why);
}

void rki_modbus_client_interrupt(rki_modbus_client *c)
{
    if (c->line.service[0] != '\0') {
        (void)shutdown(modbus_get_socket(c->context), SHUT_RDWR);
    }
}

void rki_modbus_client_free(rki_modbus_client *c)
{
    if (c == NULL) return;
    if (c->context != NULL) {
        modbus_close(c->context);
        modbus_free(c->context);
    }
    free(c);
}
