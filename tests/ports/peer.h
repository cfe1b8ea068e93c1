/* SPDX-License-Identifier: MIT */
#ifndef PEER_H
#define PEER_H

#include <pthread.h>
#include <stdbool.h>
#include <stdint.h>

/** What a device made by hand does with a request. Its registers hold their own address times 10; what is
 * written is kept. */
typedef enum manner {
    ANSWERS,
    KEEPS_SILENT,
    SENDS_SLOWLY,        /* a byte every 20 ms */
    MISTAKES_THE_NUMBER, /* of the transaction */
    REFUSES,             /* exception 4 */
    LEAVES_ON_WRITES,    /* having read half of the request */
    SENDS_HALF,          /* of each reply */
    SENDS_NOISE,         /* random bytes */
    LIES_ABOUT_LENGTH,   /* one register too few, or a wrong count of bytes */
    COMES_AND_GOES,      /* closes after every third request */
    MANNERS,
} manner;

typedef struct peer {
    int listener, port;
    pthread_t thread;
    _Atomic int manner;
    _Atomic bool stop;
    _Atomic long requests, writes;
    _Atomic int last_write; /* of register 100 */
} peer;

/** Listen at a port of the system's choice. */
void peer_start(peer *p, manner how);

void peer_stop(peer *p);

/** Read so many bytes within a time, ms; false: they did not come. */
bool read_all(int socket, uint8_t *bytes, int count, int ms);

#endif
