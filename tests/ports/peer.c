/* SPDX-License-Identifier: MIT */
/* A Modbus device made by hand, from the specification alone, that can break each of its rules. */
#include "peer.h"

#include <arpa/inet.h>
#include <poll.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include "../support/support.h"

bool read_all(int socket, uint8_t *bytes, int count, int ms)
{
    while (count > 0) {
        struct pollfd ready = {socket, POLLIN, 0};
        ssize_t got;

        if (poll(&ready, 1, ms) <= 0) return false;
        got = recv(socket, bytes, (size_t)count, 0);
        if (got <= 0) return false;
        bytes += got;
        count -= (int)got;
    }
    return true;
}

static int put_word(uint8_t *at, int word)
{
    at[0] = (uint8_t)(word >> 8);
    at[1] = (uint8_t)(word & 0xFF);
    return 2;
}

static int word_at(const uint8_t *at)
{
    return (at[0] << 8) | at[1];
}

/* The reply to a sound request; its length. */
static int answer(peer *p, const uint8_t *pdu, uint8_t *reply)
{
    const int address = word_at(pdu + 1), count = word_at(pdu + 3);
    int i, length = 0;

    reply[length++] = pdu[0];
    switch (pdu[0]) {
    case 3:
    case 4:
        reply[length++] = (uint8_t)(2 * count);
        for (i = 0; i < count; i++) {
            length += put_word(reply + length, address + i == 100 && pdu[0] == 3
                                                   ? p->last_write
                                                   : 10 * (address + i));
        }
        return length;
    case 1:
    case 2:
        reply[length++] = (uint8_t)((count + 7) / 8);
        reply[length++] = 0xFF;
        return length;
    case 6:
    case 16:
        if (address == 100) {
            p->last_write = word_at(pdu + (pdu[0] == 6 ? 3 : 6));
            p->writes++;
        }
        memcpy(reply + length, pdu + 1, 4);
        return length + 4;
    default:
        reply[0] |= 0x80;
        reply[length++] = 1;
        return length;
    }
}

static bool send_all(int socket, const uint8_t *bytes, int count)
{
    return send(socket, bytes, (size_t)count, MSG_NOSIGNAL) == count;
}

static bool send_slowly(peer *p, int socket, const uint8_t *bytes, int count)
{
    for (; count > 0 && !p->stop && p->manner == SENDS_SLOWLY; bytes++, count--) {
        if (!send_all(socket, bytes, 1)) return false;
        (void)poll(NULL, 0, 20);
    }
    return count == 0;
}

/* One request; false: this connection is over. */
static bool serve_one(peer *p, int socket, rng *random)
{
    uint8_t frame[300], reply[300] = {0};
    int length, i;

    if (!read_all(socket, frame, 7, 50)) return false;
    length = word_at(frame + 4) - 1;
    if (length < 1 || length > 253) return false;
    if (p->manner == LEAVES_ON_WRITES) {
        if (!read_all(socket, frame + 7, 1, 50)) return false;
        if (frame[7] == 6 || frame[7] == 16) return false;
        length--;
        if (!read_all(socket, frame + 8, length, 50)) return false;
    } else if (!read_all(socket, frame + 7, length, 50)) {
        return false;
    }
    p->requests++;
    memcpy(reply, frame, 7);
    length = answer(p, frame + 7, reply + 7);
    switch ((manner)p->manner) {
    case KEEPS_SILENT:
        return true;
    case MISTAKES_THE_NUMBER:
        reply[1]++;
        break;
    case REFUSES:
        reply[7] = frame[7] | 0x80;
        reply[8] = 4;
        length = 2;
        break;
    case SENDS_HALF:
        (void)put_word(reply + 4, length + 1);
        return send_all(socket, reply, (7 + length) / 2);
    case SENDS_NOISE:
        for (i = 0; i < 40; i++) {
            reply[i] = (uint8_t)(256 * rng_uniform(random));
        }
        return send_all(socket, reply, 40);
    case LIES_ABOUT_LENGTH:
        reply[8] = (uint8_t)(reply[8] + 2);
        break;
    default:
        break;
    }
    (void)put_word(reply + 4, length + 1);
    if (p->manner == SENDS_SLOWLY) return send_slowly(p, socket, reply, 7 + length);
    if (!send_all(socket, reply, 7 + length)) return false;
    return p->manner != COMES_AND_GOES || p->requests % 3 != 0;
}

static void *serve(void *user)
{
    peer *p = user;
    rng random = {77};

    while (!p->stop) {
        struct pollfd ready = {p->listener, POLLIN, 0};
        int socket;

        if (poll(&ready, 1, 10) <= 0) continue;
        socket = accept(p->listener, NULL, NULL);
        while (socket >= 0 && !p->stop) {
            struct pollfd more = {socket, POLLIN, 0};

            if (poll(&more, 1, 10) > 0 && !serve_one(p, socket, &random)) break;
        }
        (void)close(socket);
    }
    return NULL;
}

void peer_start(peer *p, manner how)
{
    struct sockaddr_in at = {.sin_family = AF_INET};
    socklen_t length = sizeof at;
    const int yes = 1;

    memset(p, 0, sizeof *p);
    p->manner = (int)how;
    at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    p->listener = socket(AF_INET, SOCK_STREAM, 0);
    ck_assert_int_ge(p->listener, 0);
    (void)setsockopt(p->listener, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
    ck_assert_int_eq(bind(p->listener, (struct sockaddr *)&at, sizeof at), 0);
    ck_assert_int_eq(listen(p->listener, 8), 0);
    ck_assert_int_eq(getsockname(p->listener, (struct sockaddr *)&at, &length), 0);
    p->port = ntohs(at.sin_port);
    ck_assert_int_eq(pthread_create(&p->thread, NULL, serve, p), 0);
}

void peer_stop(peer *p)
{
    p->stop = true;
    (void)pthread_join(p->thread, NULL);
    (void)close(p->listener);
}
