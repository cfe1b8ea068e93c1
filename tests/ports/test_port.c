/* SPDX-License-Identifier: MIT */
/* The port against a device that is made by hand, which keeps to the rules or breaks them, and against our
   own. */
#include <arpa/inet.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#include <ports/modbus/modbus.h>

#include "../support/support.h"
#include "peer.h"

static rk_modbus_point place(rk_modbus_table table, int address, rk_modbus_type type)
{
    const rk_modbus_point made = {true, table,        (uint16_t)address,
                                  type, {QNAN, QNAN}, {QNAN, QNAN}};

    return made;
}

/* PV is input 7, which holds 70; OUT is holding 100. */
static rk_modbus_map simple(void)
{
    rk_modbus_map map;

    memset(&map, 0, sizeof map);
    map.point[RK_MODBUS_PV] = place(RK_MODBUS_INPUT, 7, RK_MODBUS_UINT16);
    map.point[RK_MODBUS_OUT] = place(RK_MODBUS_HOLDING, 100, RK_MODBUS_UINT16);
    return map;
}

static rk_modbus_line line_to(int port)
{
    rk_modbus_line line;

    memset(&line, 0, sizeof line);
    strcpy(line.name, "127.0.0.1");
    (void)snprintf(line.service, sizeof line.service, "%d", port);
    line.unit = 1;
    return line;
}

static double now(void)
{
    struct timespec t;

    (void)clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (1e-9 * (double)t.tv_nsec);
}

static void nap(double seconds)
{
    const struct timespec length = {0, (long)(1e9 * seconds)};

    (void)nanosleep(&length, NULL);
}

static rk_modbus_port *open_port(int port, const rk_modbus_map *map, double ts, double timeout)
{
    const rk_modbus_line line = line_to(port);
    rk_modbus_port *made = NULL;

    ck_assert_int_eq(rk_modbus_port_create(&line, map, ts, timeout, &made), RK_OK);
    return made;
}

/* A device on that line, and a port that has reached it. */
static rk_modbus_port *open_pair(const rk_modbus_line *line, const rk_modbus_map *map,
                                 double ts, double timeout, rk_modbus_device **device)
{
    rk_modbus_port *made = NULL;

    ck_assert_int_eq(rk_modbus_device_create(line, map, device), RK_OK);
    ck_assert_int_eq(rk_modbus_port_create(line, map, ts, timeout, &made), RK_OK);
    ck_assert(rk_modbus_port_wait(made, 5));
    return made;
}

START_TEST(pv_is_read_and_out_written_and_read_back)
{
    const rk_modbus_map map = simple();
    rk_modbus_port *port;
    rk_port seam;
    double pv = 0, out = 0;
    peer p;

    peer_start(&p, ANSWERS);
    port = open_port(p.port, &map, 1, 0.5);
    ck_assert(rk_modbus_port_wait(port, 5));
    seam = rk_modbus_port_seam(port);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_OK);
    ck_assert_double_eq(pv, 70);
    ck_assert_int_eq(seam.read_out(port, &out), RK_OK);
    ck_assert_double_eq(out, 0);
    ck_assert_int_eq(p.writes, 0);
    ck_assert(rk_modbus_port_enabled(port));
    ck_assert_int_eq(seam.write_out(port, 41.6), RK_OK);
    ck_assert_int_eq(p.last_write, 42);
    rk_modbus_port_end_scan(port);
    ck_assert_int_eq(p.writes, 1);
    ck_assert_int_eq(seam.read_out(port, &out), RK_OK);
    ck_assert_double_eq(out, 42);
    ck_assert_str_eq(rk_modbus_port_why(port), "");
    rk_modbus_port_free(port);
    peer_stop(&p);
}
END_TEST

/* Registers side by side are one request; across a gap, which may hold none, they are two. */
static const struct {
    const char *fact;
    int pv, pv_good, out_now; /* input registers */
    long reads;
} neighbours[] = {
    {"side by side", 10, 11, 12, 1},
    {"in whatever order", 12, 10, 11, 1},
    {"a gap", 10, 11, 13, 2},
    {"all apart", 10, 20, 30, 3},
};

START_TEST(neighbours_are_read_in_one_request)
{
    rk_modbus_map map = simple();
    rk_modbus_port *port;
    double pv = 0, out = 0;
    rk_port seam;
    peer p;

    map.point[RK_MODBUS_PV].address = (uint16_t)neighbours[_i].pv;
    map.point[RK_MODBUS_PV_GOOD] =
        place(RK_MODBUS_INPUT, neighbours[_i].pv_good, RK_MODBUS_UINT16);
    map.point[RK_MODBUS_OUT_NOW] =
        place(RK_MODBUS_INPUT, neighbours[_i].out_now, RK_MODBUS_UINT16);
    peer_start(&p, ANSWERS);
    port = open_port(p.port, &map, 1, 0.5);
    ck_assert(rk_modbus_port_wait(port, 5));
    seam = rk_modbus_port_seam(port);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_OK);
    ck_assert_double_eq(pv, 10 * neighbours[_i].pv);
    ck_assert_int_eq(seam.read_out(port, &out), RK_OK);
    ck_assert_double_eq(out, 10 * neighbours[_i].out_now);
    ck_assert_msg(p.requests == neighbours[_i].reads, "%s: %ld requests", neighbours[_i].fact,
                  (long)p.requests);
    rk_modbus_port_free(port);
    peer_stop(&p);
}
END_TEST

/* The heartbeat beside OUT goes out with it, on either side of it, and alone where it stands apart. */
static const struct {
    int heartbeat;
    long requests; /* to write both */
} beats[] = {{101, 1}, {99, 1}, {105, 2}};

START_TEST(the_heartbeat_counts_the_scans)
{
    rk_modbus_map map = simple();
    rk_modbus_line line;
    rk_modbus_device *device = NULL;
    rk_modbus_port *port;
    rk_port seam;
    double pv = 0;
    peer p;
    int i;

    map.point[RK_MODBUS_HEARTBEAT] =
        place(RK_MODBUS_HOLDING, beats[_i].heartbeat, RK_MODBUS_UINT16);
    peer_start(&p, ANSWERS);
    port = open_port(p.port, &map, 1, 0.5);
    ck_assert(rk_modbus_port_wait(port, 5));
    seam = rk_modbus_port_seam(port);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_OK);
    p.requests = 0;
    ck_assert_int_eq(seam.write_out(port, 41), RK_OK);
    ck_assert_int_eq(p.requests, beats[_i].requests);
    rk_modbus_port_free(port);
    peer_stop(&p);

    line = line_to(free_port());
    port = open_pair(&line, &map, 1, 0.5, &device);
    seam = rk_modbus_port_seam(port);
    for (i = 1; i <= 5; i++) {
        ck_assert_int_eq(seam.read_pv(port, &pv), RK_OK);
        if (i % 2 == 0) {
            ck_assert_int_eq(seam.write_out(port, 41), RK_OK);
        }
        rk_modbus_port_end_scan(port);
        ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_HEARTBEAT), i);
    }
    rk_modbus_port_free(port);
    rk_modbus_device_free(device);
}
END_TEST

/* How many scans each breach is kept up for. */
static long scans(void)
{
    const char *asked = getenv("RK_PORT_SCANS");

    return asked != NULL ? strtol(asked, NULL, 10) : 400;
}

/* What may come of a scan, and whether OUT may arrive. */
static const struct {
    manner how;
    bool has_pv;      /* now and then */
    const char *says; /* why not */
} breaches[] = {
    {KEEPS_SILENT, false, "reply in time"},
    {SENDS_SLOWLY, false, "reply in time"},
    {MISTAKES_THE_NUMBER, false, ""},
    {REFUSES, false, "Modbus exception 4"},
    {LEAVES_ON_WRITES, true, ""},
    {SENDS_HALF, false, "reply in time"},
    {SENDS_NOISE, false, ""},
    {LIES_ABOUT_LENGTH, false, ""},
    {COMES_AND_GOES, true, ""},
};

/* Nothing that a device does makes a scan wait, or passes for a PV; and when it is well again, so is the
   loop, on a line made anew. */
START_TEST(a_device_that_breaks_the_rules_is_a_bad_pv_and_no_more)
{
    const double ts = 0.001;
    const rk_modbus_map map = simple();
    long good = 0, taken = 0, told = 0, n;
    rk_modbus_port *port;
    rk_port seam;
    double pv, began = now(), longest = 0;
    peer p;

    peer_start(&p, ANSWERS);
    port = open_port(p.port, &map, ts, 0.05);
    ck_assert(rk_modbus_port_wait(port, 5));
    seam = rk_modbus_port_seam(port);
    p.manner = breaches[_i].how;
    for (n = 0; n < scans(); n++) {
        const double at = now();

        pv = 777;
        if (seam.read_pv(port, &pv) == RK_OK) {
            must(pv == 70);
            good++;
        } else {
            must(rk_modbus_port_why(port)[0] != '\0');
            told += strstr(rk_modbus_port_why(port), breaches[_i].says) != NULL;
        }
        if (seam.write_out(port, 42) == RK_OK) {
            taken++;
        } else {
            told += strstr(rk_modbus_port_why(port), breaches[_i].says) != NULL;
        }
        rk_modbus_port_end_scan(port);
        longest = fmax(longest, now() - at);
        nap(fmax(ts - (now() - at), 0));
    }
    /* A wait of the timeout, or of a connection being made, would be 50 ms and more, each scan. */
    ck_assert_double_lt(now() - began, (double)scans() * 0.01 + 1);
    ck_assert_msg(breaches[_i].has_pv ? good > 0 : good < scans() / 10, "%ld good of %ld", good,
                  scans());
    ck_assert_int_gt(told, 0);
    ck_assert_int_le(taken, p.writes);
    p.manner = ANSWERS;
    for (n = 0, good = 0; n < 4000 && good < 20; n++) {
        good += seam.read_pv(port, &pv) == RK_OK && seam.write_out(port, 55) == RK_OK;
        nap(ts);
    }
    ck_assert_int_eq(good, 20);
    ck_assert_int_eq(p.last_write, 55);
    rk_modbus_port_free(port);
    peer_stop(&p);
}
END_TEST

/* While the device does not enable OUT nothing is written but the heartbeat, and what stands there is read. */
START_TEST(out_is_written_while_it_is_enabled_and_only_then)
{
    rk_modbus_map map = simple();
    rk_modbus_device *device = NULL;
    rk_modbus_port *port;
    rk_modbus_line line;
    rk_port seam;
    double pv, out = 0;

    map.point[RK_MODBUS_ENABLE] = place(RK_MODBUS_COIL, 3, RK_MODBUS_UINT16);
    map.point[RK_MODBUS_HEARTBEAT] = place(RK_MODBUS_HOLDING, 101, RK_MODBUS_UINT16);
    line = line_to(free_port());
    port = open_pair(&line, &map, 0.1, 0.05, &device);
    seam = rk_modbus_port_seam(port);
    rk_modbus_device_set(device, RK_MODBUS_OUT, 30);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_OK);
    ck_assert_int_eq(seam.write_out(port, 42), RK_OK);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_OUT), 42);
    rk_modbus_port_end_scan(port);

    rk_modbus_device_set(device, RK_MODBUS_ENABLE, 0);
    rk_modbus_device_set(device, RK_MODBUS_OUT, 33);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_OK);
    ck_assert(!rk_modbus_port_enabled(port));
    ck_assert_int_eq(seam.write_out(port, 44), RK_OK);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_OUT), 33);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_HEARTBEAT), 2);
    ck_assert_int_eq(seam.read_out(port, &out), RK_OK);
    ck_assert_double_eq(out, 33);
    ck_assert_int_eq(rk_modbus_port_write_now(port, 10, 1),
                     RK_OK); /* the safe output neither */
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_OUT), 33);

    rk_modbus_device_set(device, RK_MODBUS_ENABLE, 1);
    ck_assert_int_eq(rk_modbus_port_write_now(port, 10, 1), RK_OK);
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_OUT), 10);
    rk_modbus_device_free(device);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_ERR_IO);
    ck_assert(!rk_modbus_port_enabled(port)); /* it cannot be read */
    ck_assert_int_eq(seam.write_out(port, 44), RK_ERR_IO);
    ck_assert_int_eq(rk_modbus_port_write_now(port, 20, 0.3), RK_ERR_IO);

    ck_assert_int_eq(rk_modbus_device_create(&line, &map, &device), RK_OK);
    ck_assert_int_eq(rk_modbus_port_write_now(port, 20, 5), RK_OK); /* it is back */
    ck_assert_double_eq(rk_modbus_device_get(device, RK_MODBUS_OUT), 20);
    ck_assert_uint_ge(rk_modbus_port_reconnects(port), 1);
    rk_modbus_port_free(port);
    rk_modbus_device_free(device);
}
END_TEST

START_TEST(what_the_device_says_of_pv_is_believed)
{
    rk_modbus_map map = simple();
    rk_modbus_device *device = NULL;
    rk_modbus_port *port;
    rk_modbus_line line;
    rk_port seam;
    double pv = 0;

    map.point[RK_MODBUS_PV] = place(RK_MODBUS_INPUT, 0, RK_MODBUS_FLOAT32);
    map.point[RK_MODBUS_PV_GOOD] = place(RK_MODBUS_DISCRETE, 0, RK_MODBUS_UINT16);
    line = line_to(free_port());
    port = open_pair(&line, &map, 0.1, 0.05, &device);
    seam = rk_modbus_port_seam(port);
    rk_modbus_device_set(device, RK_MODBUS_PV, 12.25);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_OK);
    ck_assert_double_eq(pv, 12.25);
    rk_modbus_device_set(device, RK_MODBUS_PV_GOOD, 0);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_ERR_IO);
    ck_assert_str_eq(rk_modbus_port_why(port), "pv-good reads 0");
    ck_assert(rk_modbus_port_enabled(port));
    ck_assert_int_eq(seam.write_out(port, 1), RK_OK); /* OUT is held, and that is written */
    rk_modbus_device_set(device, RK_MODBUS_PV_GOOD, 1);
    rk_modbus_device_set(device, RK_MODBUS_PV, QNAN);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_ERR_IO);
    ck_assert_str_eq(rk_modbus_port_why(port), "input 0 reads NaN");
    rk_modbus_device_set(device, RK_MODBUS_PV, -3);
    ck_assert_int_eq(seam.read_pv(port, &pv), RK_OK);
    ck_assert_double_eq(pv, -3);
    rk_modbus_port_free(port);
    rk_modbus_device_free(device);
}
END_TEST

START_TEST(a_port_that_cannot_be_is_refused)
{
    const rk_modbus_line line = line_to(1502);
    rk_modbus_map map = simple();
    rk_modbus_port *port = NULL;

    ck_assert_int_eq(rk_modbus_port_create(NULL, &map, 1, 1, &port), RK_ERR_ARG);
    ck_assert_int_eq(rk_modbus_port_create(&line, NULL, 1, 1, &port), RK_ERR_ARG);
    ck_assert_int_eq(rk_modbus_port_create(&line, &map, 0, 1, &port), RK_ERR_ARG);
    ck_assert_int_eq(rk_modbus_port_create(&line, &map, 1, 0, &port), RK_ERR_ARG);
    map.point[RK_MODBUS_OUT].given = false;
    ck_assert_int_eq(rk_modbus_port_create(&line, &map, 1, 1, &port), RK_ERR_ARG);
    ck_assert_ptr_null(port);
    rk_modbus_port_free(NULL);
    rk_modbus_device_free(NULL);
}
END_TEST

Suite *suite_port(void)
{
    Suite *suite = suite_create("ports/port");
    TCase *t = tcase_create("port");

    add_table(t, a_device_that_breaks_the_rules_is_a_bad_pv_and_no_more, breaches);
    tcase_add_test(t, pv_is_read_and_out_written_and_read_back);
    add_table(t, neighbours_are_read_in_one_request, neighbours);
    add_table(t, the_heartbeat_counts_the_scans, beats);
    tcase_add_test(t, out_is_written_while_it_is_enabled_and_only_then);
    tcase_add_test(t, what_the_device_says_of_pv_is_believed);
    tcase_add_test(t, a_port_that_cannot_be_is_refused);
    suite_add_tcase(suite, t);
    return suite;
}
