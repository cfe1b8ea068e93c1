/* SPDX-License-Identifier: MIT */
/* Our device, by frames written out by hand. */
#include <arpa/inet.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include <ports/modbus/modbus.h>

#include "../support/support.h"
#include "peer.h"

/* Where the device is: a port that was free. */
static int at_port;

/* PV input 0, OUT holding 0 and 1 (32 bits), heartbeat holding 4, enable coil 2, pv-good discrete 5. */
static rk_modbus_map map_of_all(void)
{
    static const struct {
        rk_modbus_signal signal;
        rk_modbus_table table;
        uint16_t address;
        rk_modbus_type type;
    } all[] = {{RK_MODBUS_PV, RK_MODBUS_INPUT, 0, RK_MODBUS_UINT16},
               {RK_MODBUS_OUT, RK_MODBUS_HOLDING, 0, RK_MODBUS_UINT32},
               {RK_MODBUS_HEARTBEAT, RK_MODBUS_HOLDING, 4, RK_MODBUS_UINT16},
               {RK_MODBUS_ENABLE, RK_MODBUS_COIL, 2, RK_MODBUS_UINT16},
               {RK_MODBUS_PV_GOOD, RK_MODBUS_DISCRETE, 5, RK_MODBUS_UINT16}};
    rk_modbus_map map;
    size_t i;

    memset(&map, 0, sizeof map);
    for (i = 0; i < COUNT(all); i++) {
        map.point[all[i].signal] = (rk_modbus_point){true,        all[i].table, all[i].address,
                                                     all[i].type, {QNAN, QNAN}, {QNAN, QNAN}};
    }
    return map;
}

static rk_modbus_device *start(void)
{
    const rk_modbus_map map = map_of_all();
    rk_modbus_line line = {.name = "127.0.0.1", .unit = 1};
    rk_modbus_device *device = NULL;

    at_port = free_port();
    (void)snprintf(line.service, sizeof line.service, "%d", at_port);
    ck_assert_int_eq(rk_modbus_device_create(&line, &map, &device), RK_OK);
    rk_modbus_device_set(device, RK_MODBUS_PV, 0x1234);
    return device;
}

static int connect_to(void)
{
    struct sockaddr_in at = {.sin_family = AF_INET, .sin_port = htons((uint16_t)at_port)};
    const int made = socket(AF_INET, SOCK_STREAM, 0);

    at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    ck_assert_int_eq(connect(made, (struct sockaddr *)&at, sizeof at), 0);
    return made;
}

/* Bytes from "01 04 ..."; how many. */
static int bytes_of(const char *text, uint8_t *bytes)
{
    int count = 0, used = 0;
    unsigned value;

    for (; sscanf(text, "%x%n", &value, &used) == 1; text += used) {
        bytes[count++] = (uint8_t)value;
    }
    return count;
}

/* Unit, function and data, and what answers them; transaction and length are put before both. */
static const struct {
    const char *fact, *request, *reply;
} talks[] = {
    {"PV is read", "01 04 00 00 00 01", "01 04 02 12 34"},
    {"OUT is read whole", "01 03 00 00 00 02", "01 03 04 00 00 00 00"},
    {"half of it too", "01 03 00 01 00 01", "01 03 02 00 00"},
    {"enable is read", "01 01 00 02 00 01", "01 01 01 01"},
    {"pv-good is read", "01 02 00 05 00 01", "01 02 01 01"},
    {"OUT is written whole", "01 10 00 00 00 02 04 00 01 00 02", "01 10 00 00 00 02"},
    {"the heartbeat", "01 06 00 04 00 07", "01 06 00 04 00 07"},
    {"enable is switched off", "01 05 00 02 00 00", "01 05 00 02 00 00"},
    {"and on, with others of its kind", "01 0F 00 02 00 01 01 01", "01 0F 00 02 00 01"},
    {"whoever is reached", "FF 04 00 00 00 01", "FF 04 02 12 34"},
    {"another unit is not here", "07 04 00 00 00 01", "07 84 0B"},
    {"a register that is none", "01 04 00 01 00 01", "01 84 02"},
    {"one beyond the last", "01 03 00 00 00 03", "01 83 02"},
    {"a gap", "01 03 00 01 00 04", "01 83 02"},
    {"the last address", "01 04 FF FF 00 01", "01 84 02"},
    {"over the last address", "01 04 FF FF 00 02", "01 84 02"},
    {"a coil that is none", "01 05 00 03 FF 00", "01 85 02"},
    {"none at all", "01 04 00 00 00 00", "01 84 03"},
    {"more than a request may have", "01 04 00 00 00 7E", "01 84 03"},
    {"a coil half on", "01 05 00 02 12 00", "01 85 03"},
    {"a count of bytes that lies", "01 10 00 00 00 02 02 00 01", "01 90 03"},
    {"a function that is none", "01 2B 0E 01 00", "01 AB 01"},
    {"one that the library has", "01 16 00 00 00 00 00 00", "01 96 01"},
    {"and another", "01 17 00 00 00 01 00 00 00 01 02 00 01", "01 97 01"},
    {"function 0", "01 00 00 00 00 01", "01 80 01"},
    {"who are you", "01 11", "01 91 01"},
};

START_TEST(each_request_has_its_answer)
{
    rk_modbus_device *device = start();
    uint8_t frame[300] = {0x12, 0x34}, wanted[300] = {0x12, 0x34}, got[300];
    const int asked = bytes_of(talks[_i].request, frame + 6),
              answered = bytes_of(talks[_i].reply, wanted + 6);
    const int socket = connect_to();

    frame[5] = (uint8_t)asked;
    wanted[5] = (uint8_t)answered;
    ck_assert_int_eq(send(socket, frame, (size_t)asked + 6, 0), asked + 6);
    ck_assert_msg(read_all(socket, got, answered + 6, 2000), "%s: no answer", talks[_i].fact);
    ck_assert_msg(memcmp(got, wanted, (size_t)answered + 6) == 0, "%s: %02x %02x %02x",
                  talks[_i].fact, got[6], got[7], got[8]);
    ck_assert(!read_all(socket, got, 1, 20)); /* and no more */
    /* The line goes on. */
    ck_assert_int_eq(send(socket, "\0\7\0\0\0\6\1\4\0\0\0\1", 12, 0), 12);
    ck_assert(read_all(socket, got, 11, 2000));
    ck_assert_mem_eq(got, "\0\7\0\0\0\5\1\4\2\x12\x34", 11);
    (void)close(socket);
    rk_modbus_device_free(device);
}
END_TEST

START_TEST(what_is_written_is_there_at_once_and_nothing_else_is)
{
    rk_modbus_device *device = start();
    const int socket = connect_to();
    uint8_t got[300];

    ck_assert_int_eq(send(socket, "\0\1\0\0\0\13\1\20\0\0\0\2\4\0\1\0\2", 17, 0), 17);
    ck_assert(read_all(socket, got, 12, 2000));
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_OUT), 65538);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_HEARTBEAT), 0);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_PV), 0x1234);
    ck_assert_int_eq(send(socket, "\0\1\0\0\0\6\1\5\0\2\0\0", 12, 0), 12);
    ck_assert(read_all(socket, got, 12, 2000));
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_ENABLE), 0);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_PV_GOOD), 1);
    ck_assert_uint_eq(rk_modbus_device_requests(device), 2);
    rk_modbus_device_set_silent(device, true);
    ck_assert_int_eq(send(socket, "\0\1\0\0\0\6\1\5\0\2\377\0", 12, 0), 12);
    ck_assert(!read_all(socket, got, 1, 50));
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_ENABLE), 0);
    (void)close(socket);
    rk_modbus_device_free(device);
}
END_TEST

/* What the plant tells cannot be written, whatever table it is in; and one write that touches it does
   nothing at all. */
START_TEST(what_is_read_only_cannot_be_written)
{
    static const char *const requests[] = {
        "00 01 00 00 00 06 01 06 00 05 00 63", "00 01 00 00 00 06 01 06 00 06 00 63",
        "00 01 00 00 00 0B 01 10 00 06 00 02 04 00 63 00 63"};
    rk_modbus_map map = map_of_all();
    rk_modbus_line line = {.name = "127.0.0.1", .unit = 1};
    rk_modbus_device *device = NULL;
    uint8_t frame[40], got[20];
    size_t i;
    int socket;

    map.point[RK_MODBUS_PV] = (rk_modbus_point){
        true, RK_MODBUS_HOLDING, 5, RK_MODBUS_UINT16, {QNAN, QNAN}, {QNAN, QNAN}};
    map.point[RK_MODBUS_OUT_NOW] = (rk_modbus_point){
        true, RK_MODBUS_HOLDING, 6, RK_MODBUS_UINT16, {QNAN, QNAN}, {QNAN, QNAN}};
    map.point[RK_MODBUS_HEARTBEAT].address = 7;
    at_port = free_port();
    (void)snprintf(line.service, sizeof line.service, "%d", at_port);
    ck_assert_int_eq(rk_modbus_device_create(&line, &map, &device), RK_OK);
    rk_modbus_device_set(device, RK_MODBUS_PV, 11);
    rk_modbus_device_set(device, RK_MODBUS_OUT_NOW, 12);
    socket = connect_to();
    for (i = 0; i < COUNT(requests); i++) {
        const int length = bytes_of(requests[i], frame);

        ck_assert_int_eq(send(socket, frame, (size_t)length, 0), length);
        ck_assert(read_all(socket, got, 9, 2000));
        ck_assert_int_eq(got[7], frame[7] | 0x80);
        ck_assert_int_eq(got[8], 2);
    }
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_PV), 11);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_OUT_NOW), 12);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_HEARTBEAT), 0);
    (void)close(socket);
    rk_modbus_device_free(device);
}
END_TEST

START_TEST(lines_are_limited_and_one_that_hangs_takes_no_other_with_it)
{
    rk_modbus_device *device = start();
    int socket[RK_MODBUS_CONNECTIONS], one_more, i;
    uint8_t got[20];

    for (i = 0; i < RK_MODBUS_CONNECTIONS; i++) {
        socket[i] = connect_to();
        if (i > 0) {
            ck_assert_int_eq(send(socket[i], "\0\1\0\0", 4, 0), 4); /* and hangs */
        }
    }
    ck_assert_int_eq(send(socket[0], "\0\7\0\0\0\6\1\4\0\0\0\1", 12, 0), 12);
    ck_assert(read_all(socket[0], got, 11, 2000));
    one_more = connect_to();
    ck_assert_int_eq(recv(one_more, got, 1, 0), 0); /* closed at once */
    (void)close(one_more);
    (void)close(socket[3]);
    for (i = 0; i < 100; i++) { /* its place is free in a moment */
        one_more = connect_to();
        (void)send(one_more, "\0\7\0\0\0\6\1\4\0\0\0\1", 12, MSG_NOSIGNAL);
        if (read_all(one_more, got, 11, 2000)) break;
        (void)close(one_more);
        (void)poll(NULL, 0, 20);
    }
    ck_assert_int_lt(i, 100);
    rk_modbus_device_free(device); /* with lines that hang */
    for (i = 0; i < RK_MODBUS_CONNECTIONS; i++) {
        (void)close(socket[i]);
    }
    (void)close(one_more);
}
END_TEST

/* Frames of random bytes, sound ones with a byte changed, and pieces of both, thousands on a line. */
START_TEST(nothing_that_a_line_sends_does_harm)
{
    static const char *const sound[] = {"00 01 00 00 00 06 01 04 00 00 00 01",
                                        "00 02 00 00 00 0B 01 10 00 00 00 02 04 00 01 00 02",
                                        "00 03 00 00 00 08 01 0F 00 02 00 01 01 01",
                                        "00 04 00 00 00 06 01 06 00 04 00 07"};
    const char *asked = getenv("RK_PORT_FRAMES");
    const long frames = asked != NULL ? strtol(asked, NULL, 10) : 3000;
    rk_modbus_device *device = start();
    rng random = {4711};
    int line = connect_to();
    uint8_t frame[300], got[4096];
    long n;

    for (n = 0; n < frames; n++) {
        int length = bytes_of(sound[n % (long)COUNT(sound)], frame), changes = 0, i;

        if (n % 7 == 0) {
            length = 1 + (int)(260 * rng_uniform(&random));
            for (i = 0; i < length; i++) {
                frame[i] = (uint8_t)(256 * rng_uniform(&random));
            }
        } else {
            for (changes = (int)(4 * rng_uniform(&random)); changes > 0; changes--) {
                frame[(int)(length * rng_uniform(&random))] =
                    (uint8_t)(256 * rng_uniform(&random));
            }
            length = n % 5 == 0 ? 1 + (int)((length - 1) * rng_uniform(&random)) : length;
        }
        (void)send(line, frame, (size_t)length, MSG_NOSIGNAL);
        while (recv(line, got, sizeof got, MSG_DONTWAIT) > 0) {
            continue;
        }
        if (n % 20 == 19) { /* most lines are closed for what was said on them */
            (void)close(line);
            line = connect_to();
        }
    }
    (void)close(line);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_PV), 0x1234);
    line = connect_to();
    for (n = 0; n < 100; n++) {
        (void)send(line, "\0\7\0\0\0\6\1\4\0\0\0\1", 12, MSG_NOSIGNAL);
        if (read_all(line, got, 11, 2000)) break;
        (void)close(line);
        (void)poll(NULL, 0, 20);
        line = connect_to();
    }
    ck_assert_mem_eq(got, "\0\7\0\0\0\5\1\4\2\x12\x34", 11);
    (void)close(line);
    rk_modbus_device_free(device);
}
END_TEST

START_TEST(a_device_that_cannot_be_is_refused)
{
    rk_modbus_map map = map_of_all();
    rk_modbus_line line = {.name = "127.0.0.1", .unit = 1};
    rk_modbus_device *device = start(), *other = NULL;

    (void)snprintf(line.service, sizeof line.service, "%d", at_port);
    ck_assert_int_eq(rk_modbus_device_create(&line, &map, &other), RK_ERR_IO); /* it is taken */
    ck_assert_int_eq(rk_modbus_device_create(NULL, &map, &other), RK_ERR_ARG);
    map.point[RK_MODBUS_PV].given = false;
    ck_assert_int_eq(rk_modbus_device_create(&line, &map, &other), RK_ERR_ARG);
    ck_assert_ptr_null(other);
    rk_modbus_device_free(device);
}
END_TEST

Suite *suite_device(void)
{
    Suite *suite = suite_create("ports/device");
    TCase *t = tcase_create("device");

    add_table(t, each_request_has_its_answer, talks);
    tcase_add_test(t, what_is_written_is_there_at_once_and_nothing_else_is);
    tcase_add_test(t, what_is_read_only_cannot_be_written);
    tcase_add_test(t, lines_are_limited_and_one_that_hangs_takes_no_other_with_it);
    tcase_add_test(t, nothing_that_a_line_sends_does_harm);
    tcase_add_test(t, a_device_that_cannot_be_is_refused);
    suite_add_tcase(suite, t);
    return suite;
}
