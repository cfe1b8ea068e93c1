/* SPDX-License-Identifier: MIT */
/* [port] in a loop file. */
#include <math.h>
#include <string.h>

#include "../support/support.h"

#define HEAD "[loop]\nscan = 1s\n[pv]\nlow = 0\nhigh = 20\n[out]\nlow = 0\nhigh = 100\n[port]\n"
#define TCP HEAD "kind = modbus-tcp\naddress = 10.0.0.7:502\n" /* lines 9 to 11 */
#define PV "pv = input 0 int16 0..10000\n"
#define OUT "out = holding 0 uint16 0..10000\n"

/* What is wrong, where it is told and how. Line 12 is the first behind TCP. */
static const struct {
    const char *content, *says;
} bad[] = {
    {HEAD "kind = profile\n", ":10: unknown kind of port 'profile'; known: sim, modbus-tcp"},
    {HEAD "kind = modbus-tcp\n" PV OUT, ":10: [port] has no address: give one such as 192."},
    {HEAD "kind = modbus-rtu\n" PV OUT, ":10: [port] has no address: give one such as /dev/"},
    {HEAD "kind = modbus-tcp\naddress = no where\n" PV OUT,
     ":11: [port] address 'no where' is not"},
    {HEAD "kind = modbus-tcp\naddress = 10.0.0.7:0\n" PV OUT, ":11: [port] address"},
    {HEAD "kind = modbus-tcp\naddress = 10.0.0.7:70000\n" PV OUT, ":11: [port] address"},
    {HEAD "kind = modbus-tcp\naddress = ::1:502\n" PV OUT, ":11: [port] address"},
    {HEAD "kind = modbus-tcp\naddress = /dev/ttyS0 9600 8N1\n" PV OUT, ":11: [port] address"},
    {HEAD "kind = modbus-rtu\naddress = 10.0.0.7:502\n" PV OUT, ":11: [port] address"},
    {HEAD "kind = modbus-rtu\naddress = /dev/ttyS0 9600 9N1\n" PV OUT, ":11: [port] address"},
    {HEAD "kind = modbus-rtu\naddress = /dev/ttyS0 9600 8X1\n" PV OUT, ":11: [port] address"},
    {HEAD "kind = modbus-rtu\naddress = /dev/ttyS0 9600 8N1 fast\n" PV OUT,
     ":11: [port] address"},
    {TCP OUT, ":10: [port] has no pv"},
    {TCP PV, ":10: [port] has no out"},
    {TCP "pv = inputs 0 int16\n" OUT, ":12: pv 'inputs 0 int16' has none of the tables"},
    {TCP "pv = input 0 int12\n" OUT, ":12: pv 'input 0 int12' has none of the types"},
    {TCP "pv = input 0\n" OUT, ":12: pv 'input 0' is not 'TABLE ADDRESS TYPE [LOW..HIGH]'"},
    {TCP "pv = input 0 int16 0..10 more\n" OUT, ":12: pv"},
    {TCP "pv = input -1 int16\n" OUT,
     ":12: pv 'input -1 int16' has no address from 0 to 65535"},
    {TCP "pv = input 65536 int16\n" OUT, ":12: pv 'input 65536 int16' has no address"},
    {TCP "pv = input 1.5 int16\n" OUT, ":12: pv 'input 1.5 int16' has no address"},
    {TCP "pv = input 65535 int32\n" OUT,
     ":12: pv 'input 65535 int32' ends behind address 65535"},
    {TCP "pv = coil 0 int16\n" OUT, ":12: pv 'coil 0 int16' is a bit, and this is a number"},
    {TCP "pv = input 0 int16 0-10000\n" OUT,
     ":12: pv 'input 0 int16 0-10000' has no raw range"},
    {TCP "pv = input 0 int16 5..5\n" OUT,
     ":12: pv 'input 0 int16 5..5' has an empty raw range"},
    {TCP "pv = input 0 int16 0..40000\n" OUT,
     "a raw int16 is a whole number from -32768 to 32767"},
    {TCP "pv = input 0 uint16 -1..9\n" OUT, "a raw uint16 is a whole number from 0 to 65535"},
    {TCP "pv = input 0 uint16 0..9.5\n" OUT, "a raw uint16 is a whole number from 0 to 65535"},
    {TCP PV "out = input 4 int16\n",
     ":13: out 'input 4 int16' cannot be written: give a holding"},
    {TCP PV "out = discrete 4 int16\n", ":13: out 'discrete 4 int16' is a bit"},
    {TCP PV OUT "heartbeat = input 9\n", ":14: heartbeat 'input 9' cannot be written"},
    {TCP PV OUT "heartbeat = holding 0\n", ":14: heartbeat: holding 0 is used by out already"},
    {TCP PV OUT "pv-good = input 0\n", ":14: pv-good: input 0 is used by pv already"},
    {TCP "pv = holding 1 int16\nout = holding 0 int32\n", ":13: out: holding 0 is used by pv"},
    {TCP "pv = holding 0 int32\nout = holding 1 int16\n", ":13: out: holding 1 is used by pv"},
    {TCP PV OUT "out-now = holding 0 int16 0..10000\n",
     ":14: out-now: holding 0 is used by out"},
    {TCP PV OUT "enable = coil 0 int16\n", ":14: enable 'coil 0 int16' is not 'TABLE ADDRESS'"},
    {TCP PV OUT "enable = coil 3\npv-good = coil 3\n",
     ":15: pv-good: coil 3 is used by enable"},
    {TCP PV OUT "unit = 300\n", ":14: [port] unit: give a whole number from 0 to 247, or 255"},
    {TCP PV OUT "unit = 1.5\n", ":14: [port] unit"},
    {HEAD "kind = modbus-rtu\naddress = /dev/ttyS0 9600 8N1\n" PV OUT "unit = 0\n",
     ":14: [port] unit: give a whole number from 1 to 247"},
    {TCP PV OUT "timeout = 0s\n", ":14: timeout '0s' is out of range"},
    {TCP PV OUT "timeout = 2h\n", ":14: [port] timeout: give a time above 0, an hour at most"},
    {TCP PV OUT "word-order = middle\n", ":14: unknown word order 'middle'"},
    {"[loop]\nscan = 1s\n[port]\nkind = modbus-tcp\naddress = 10.0.0.7\n" PV OUT,
     ":6: [port] pv: a raw range needs [pv] low and high"},
    {"[pv]\nlow = 0\nhigh = 1\n[port]\nkind = modbus-tcp\naddress = 10.0.0.7\n" PV OUT,
     ":8: [port] out: a raw range needs [out] low and high"},
};

START_TEST(a_wrong_port_is_told_with_its_line)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "b.loop");
    rk_design l = rk_design_make();
    rk_diag diag = {RK_OK, ""};

    put_file(path, bad[_i].content);
    ck_assert_int_ne(rk_design_read(path, &l, &diag), RK_OK);
    ck_assert_msg(strstr(diag.text, bad[_i].says) != NULL, "'%s' does not say '%s'", diag.text,
                  bad[_i].says);
    scratch_free(dir);
}
END_TEST

static const struct {
    const char *address;
    rk_port_kind kind;
    const char *name, *service;
    int baud, bits, stop;
    char parity;
} addresses[] = {
    {"127.0.0.1:1502", RK_PORT_MODBUS_TCP, "127.0.0.1", "1502", 0, 0, 0, 0},
    {"10.0.0.7", RK_PORT_MODBUS_TCP, "10.0.0.7", "502", 0, 0, 0, 0},
    {"[::1]:1502", RK_PORT_MODBUS_TCP, "::1", "1502", 0, 0, 0, 0},
    {"[fe80::1%eth0]", RK_PORT_MODBUS_TCP, "fe80::1%eth0", "502", 0, 0, 0, 0},
    {"hall-2.local:65535", RK_PORT_MODBUS_TCP, "hall-2.local", "65535", 0, 0, 0, 0},
    {"/dev/ttyUSB0 9600 8N1", RK_PORT_MODBUS_RTU, "/dev/ttyUSB0", "", 9600, 8, 1, 'N'},
    {"/dev/ttyUSB0", RK_PORT_MODBUS_RTU, "/dev/ttyUSB0", "", 9600, 8, 1, 'N'},
    {"/dev/ttyS1 115200 7e2", RK_PORT_MODBUS_RTU, "/dev/ttyS1", "", 115200, 7, 2, 'E'},
    {"/dev/ttyS1 19200 8O1", RK_PORT_MODBUS_RTU, "/dev/ttyS1", "", 19200, 8, 1, 'O'},
};

START_TEST(an_address_is_read)
{
    const char *address = addresses[_i].address;
    rk_serial_line line;
    rk_host host;

    if (addresses[_i].kind == RK_PORT_MODBUS_TCP) {
        ck_assert_msg(rk_host_parse(address, &host), "%s", address);
        ck_assert(!rk_serial_line_parse(address, &line));
        ck_assert_str_eq(host.name, addresses[_i].name);
        ck_assert_str_eq(host.service, addresses[_i].service);
        return;
    }
    ck_assert_msg(rk_serial_line_parse(address, &line), "%s", address);
    ck_assert(!rk_host_parse(address, &host));
    ck_assert_str_eq(line.device, addresses[_i].name);
    ck_assert_int_eq(line.baud, addresses[_i].baud);
    ck_assert_int_eq(line.data_bits, addresses[_i].bits);
    ck_assert_int_eq(line.stop_bits, addresses[_i].stop);
    ck_assert_int_eq(line.parity, addresses[_i].parity);
}
END_TEST

START_TEST(a_whole_port_is_read)
{
    char *dir = scratch_make();
    const char *path = path_in(dir, "b.loop");
    rk_diag diag = {RK_OK, ""};
    rk_design l;
    const rk_port_design *p = &l.port;

    put_file(path, TCP "unit = 7\nPV = x\n");
    ck_assert_int_ne(rk_design_read(path, &l, &diag), RK_OK);
    put_file(path,
             TCP "unit = 7\npv = Input 3 Float32\nout = holding 10 int32 -5..100000\n"
                 "out-now = input 5 uint16 100..0\npv-good = discrete 2\nenable = coil 4\n"
                 "heartbeat = holding 12\nword-order = low-first\ntimeout = 150ms\n");
    ck_assert_msg(rk_design_read(path, &l, &diag) == RK_OK, "%s", diag.text);
    ck_assert_int_eq(p->kind, RK_PORT_MODBUS_TCP);
    ck_assert_double_eq(p->unit, 7);
    ck_assert(p->pv.given && p->pv.table == RK_TABLE_INPUT && p->pv.address == 3);
    ck_assert(p->pv.type == RK_REGISTER_FLOAT32 && isnan(p->pv.raw[0]));
    ck_assert(p->out.type == RK_REGISTER_INT32 && p->out.raw[0] == -5 && p->out.raw[1] == 1e5);
    ck_assert(p->out_now.raw[0] == 100 && p->out_now.raw[1] == 0);
    ck_assert(p->pv_good.table == RK_TABLE_DISCRETE && p->pv_good.address == 2);
    ck_assert(p->enable.table == RK_TABLE_COIL && p->enable.address == 4);
    ck_assert(p->heartbeat.table == RK_TABLE_HOLDING && p->heartbeat.address == 12);
    ck_assert_int_eq(p->word_order, RK_WORD_ORDER_LOW_FIRST);
    ck_assert_double_eq(p->timeout, 0.15);
    /* OUT may be read back at its own register, if it is the same in each way. */
    put_file(path, TCP PV OUT "out-now = holding 0 uint16 0..10000\n");
    ck_assert_msg(rk_design_read(path, &l, &diag) == RK_OK, "%s", diag.text);
    /* The simulated plant needs none of it. */
    put_file(path, "[loop]\nscan = 1s\n");
    ck_assert_int_eq(rk_design_read(path, &l, &diag), RK_OK);
    ck_assert_int_eq(p->kind, RK_PORT_SIM);
    ck_assert_double_eq(p->timeout, 0.2);
    ck_assert_double_eq(p->unit, 1);
    scratch_free(dir);
}
END_TEST

Suite *suite_port_keys(void)
{
    Suite *suite = suite_create("files/port_keys");
    TCase *t = tcase_create("port");

    add_table(t, a_wrong_port_is_told_with_its_line, bad);
    add_table(t, an_address_is_read, addresses);
    tcase_add_test(t, a_whole_port_is_read);
    suite_add_tcase(suite, t);
    return suite;
}
