/* SPDX-License-Identifier: MIT */
/* run and bump on a device: ours, and others' that know nothing of us. */
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include <jansson.h>

#include "field.h"

/* How many scans with each of the others; a soak asks for more. */
static const char *times(void)
{
    const char *asked = getenv("RK_FIELD_SCANS");

    return asked != NULL ? asked : "100";
}

static bool says(const char *dir, const char *file, const char *words)
{
    char *text = get_file(path_in(dir, file), NULL);
    const bool there = strstr(text, words) != NULL;

    if (!there) {
        (void)fprintf(stderr, "%s does not say '%s': %s\n", file, words, text);
    }
    free(text);
    return there;
}

/* A device with the blend's plant, and a run on it that has begun. */
typedef struct site {
    char *dir;
    int port;
    pid_t plant, child;
} site;

static site make_site(bool with_run)
{
    site s = {.dir = scratch_make(), .port = free_port()};

    put_blend(s.dir, "10ms", s.port, "");
    s.plant = start_plant(s.dir, s.port);
    if (with_run) {
        s.child = START(s.dir, "t", NULL, "run", "p.loop", "--for", "1min", "--record", "t.csv",
                        "--plain");
        ck_assert(wait_for_rows(s.dir, "t.csv", 30, 20));
    }
    return s;
}

static void leave_site(const site *s)
{
    if (s->plant != 0) {
        end_plant(s->plant);
    }
    scratch_free(s->dir);
}

static void kill_plant(site *s)
{
    ck_assert_int_eq(kill(s->plant, SIGKILL), 0);
    ck_assert_int_eq(end_of(s->plant, 5), 128 + SIGKILL);
    s->plant = 0;
}

/* The device goes away and comes back: OUT is held and goes on from where the valve then stands. */
START_TEST(a_device_that_goes_away_is_a_bad_pv_and_comes_back_without_a_bump)
{
    site s = make_site(true);
    size_t before;
    double out;

    kill_plant(&s);
    ck_assert(wait_for_words(s.dir, "t.csv", "PV is bad + OUT was not written (", 5));
    nap(0.3);
    before = rows_of(s.dir, "t.csv");
    s.plant = start_plant(s.dir, s.port); /* its valve stands at 42 */
    ck_assert(wait_for_words(s.dir, "t.err", "over: PV is bad", 5));
    nap(0.2);
    ck_assert_uint_gt(rows_of(s.dir, "t.csv"), before + 10);
    out = cell_of(s.dir, "t.csv", 1, -1);
    ck_assert_msg(fabs(out - 42) < 1, "OUT %g", out);
    ck_assert_int_eq(kill(s.child, SIGTERM), 0);
    ck_assert_int_eq(end_of(s.child, 10), 1);
    ck_assert_int_eq(peek(s.port, 3, OUT_AT), 1700);
    ck_assert(says(s.dir, "t.out", "made anew 1 time"));
    leave_site(&s);
}
END_TEST

/* Nothing can be written any more: that is status 4, and not for ever. */
START_TEST(a_device_that_stays_away_at_the_end_is_told)
{
    site s = make_site(true);

    kill_plant(&s);
    ck_assert_int_eq(kill(s.child, SIGINT), 0);
    ck_assert_int_eq(end_of(s.child, 15), 4);
    ck_assert(says(s.dir, "t.out", "COULD NOT BE PUT TO THE SAFE OUTPUT"));
    s.child = START(s.dir, "t", NULL, "run", "p.loop", "--for", "1s", "--plain");
    ck_assert_int_eq(end_of(s.child, 15), 4);
    ck_assert(says(s.dir, "t.err", "nobody answers at [port] address"));
    s.child =
        START(s.dir, "t", NULL, "bump", "p.loop", "--move=5", "--hold=1s", "--record=b.csv");
    ck_assert_int_eq(end_of(s.child, 15), 4);
    ck_assert_int_ne(access(path_in(s.dir, "b.csv"), F_OK), 0);
    leave_site(&s);
}
END_TEST

/* The device takes OUT, and gives it back: the loop tracks it meanwhile. */
START_TEST(while_the_device_does_not_enable_out_the_loop_tracks_it)
{
    site s = make_site(true);
    int beats;

    ck_assert(poke(s.port, 5, ENABLE_AT, 0));
    ck_assert(wait_for_words(s.dir, "t.err", "the device does not enable OUT", 5));
    ck_assert(poke(s.port, 6, OUT_AT, 3000));
    beats = peek(s.port, 3, HEARTBEAT_AT);
    nap(0.3);
    ck_assert_int_eq(peek(s.port, 3, OUT_AT), 3000);
    ck_assert_int_gt(peek(s.port, 3, HEARTBEAT_AT), beats + 20);
    ck_assert_double_eq(cell_of(s.dir, "t.csv", 1, -1), 30);
    ck_assert(poke(s.port, 5, ENABLE_AT, 1));
    ck_assert(wait_for_words(s.dir, "t.err", "the device enables OUT", 5));
    nap(0.1);
    ck_assert_double_eq_tol(cell_of(s.dir, "t.csv", 1, -1), 30, 1);
    ck_assert(poke(s.port, 5, ENABLE_AT, 0));
    nap(0.1);
    ck_assert(poke(s.port, 6, OUT_AT, 2500));
    ck_assert_int_eq(kill(s.child, SIGTERM), 0);
    ck_assert_int_eq(end_of(s.child, 10), 1);
    ck_assert_int_eq(peek(s.port, 3, OUT_AT), 2500); /* the safe output is not written either */
    ck_assert(says(s.dir, "t.out", "OUT was left to the device"));
    s.child =
        START(s.dir, "t", NULL, "bump", "p.loop", "--move=5", "--hold=1s", "--record=b.csv");
    ck_assert_int_eq(end_of(s.child, 15), 4);
    ck_assert(says(s.dir, "t.err", "the device does not enable OUT"));
    ck_assert_int_eq(peek(s.port, 3, OUT_AT), 2500);
    leave_site(&s);
}
END_TEST

/* Manual stays manual, from where OUT stands when the device gives it back; automatic is not told to go. */
START_TEST(a_loop_comes_back_in_the_mode_that_it_was_in)
{
    static const char *const wants[] = {"100ms manual=33", "100ms auto"};
    site s = make_site(false);
    size_t before;
    char *text;

    s.child = START(s.dir, "t", NULL, "run", "p.loop", "--for", "1min", "--record", "t.csv",
                    "--plain", "--at", wants[_i]);
    ck_assert(wait_for_rows(s.dir, "t.csv", 30, 20));
    ck_assert(poke(s.port, 5, ENABLE_AT, 0));
    ck_assert(wait_for_words(s.dir, "t.err", "the device does not enable OUT", 5));
    ck_assert(poke(s.port, 6, OUT_AT, 2500));
    ck_assert(wait_for_words(s.dir, "t.csv", ",25,", 5));
    ck_assert(poke(s.port, 5, ENABLE_AT, 1));
    ck_assert(wait_for_words(s.dir, "t.err", "the device enables OUT", 5));
    before = rows_of(s.dir, "t.csv");
    ck_assert(wait_for_rows(s.dir, "t.csv", before + 30, 20));
    text = get_file(path_in(s.dir, "t.csv"), NULL);
    ck_assert_msg(strstr(strrchr(text, '\n') - 40, _i == 0 ? ",manual," : ",auto,") != NULL,
                  "%s", strrchr(text, '\n') - 40);
    free(text);
    if (_i == 0) {
        ck_assert_int_eq(peek(s.port, 3, OUT_AT), 2500);
    }
    ck_assert_int_eq(kill(s.child, SIGTERM), 0);
    ck_assert_int_eq(end_of(s.child, 10), 1);
    leave_site(&s);
}
END_TEST

START_TEST(a_device_that_takes_out_ends_a_step_test)
{
    site s = make_site(false);
    pid_t child;

    child = START(s.dir, "t", NULL, "bump", "p.loop", "--move=5", "--hold=1min",
                  "--before=100ms", "--patience=0", "--record=b.csv");
    ck_assert(wait_for_words(s.dir, "b.csv", ",47,", 20));
    ck_assert(poke(s.port, 5, ENABLE_AT, 0));
    ck_assert_int_eq(end_of(child, 10), 1);
    ck_assert_int_eq(peek(s.port, 3, OUT_AT), 4700);
    ck_assert(says(s.dir, "b.csv", "OUT was left to it"));
    leave_site(&s);
}
END_TEST

/* At the end OUT stays, or goes to the safe output; the heartbeat stops either way. */
START_TEST(at_the_end_out_stays_unless_it_shall_be_safe)
{
    site s = make_site(false);
    pid_t child;
    int tries = 0, beats;

    do { /* on a machine with other things to do the last scans' writes may come too late */
        child = START(s.dir, "t", NULL, "run", "p.loop", "--for", "500ms", "--plain", "--at",
                      "100ms manual=33");
        ck_assert_int_eq(end_of(child, 15), 0);
    } while (peek(s.port, 3, OUT_AT) != 3300 && ++tries < 10);
    ck_assert_int_eq(peek(s.port, 3, OUT_AT), 3300);
    beats = peek(s.port, 3, HEARTBEAT_AT);
    ck_assert(beats > 20 && beats <= 51);
    nap(0.1);
    ck_assert_int_eq(peek(s.port, 3, HEARTBEAT_AT), beats);
    child = START(s.dir, "t", NULL, "run", "p.loop", "--for", "500ms", "--plain",
                  "--safe-at-end", "--json");
    ck_assert_int_eq(end_of(child, 15), 0);
    ck_assert_int_eq(peek(s.port, 3, OUT_AT), 1700);
    ck_assert(says(s.dir, "t.out", "\"safe_output\": true"));
    ck_assert(says(s.dir, "t.out", "\"late_scans\": "));
    ck_assert(says(s.dir, "t.out", "\"scan_jitter_s\": "));
    leave_site(&s);
}
END_TEST

/* What does not go with a device. */
static const struct {
    const char *option, *value, *says;
} refused[] = {
    {"--times", "10", "--times: the time of [port] kind modbus-tcp is real"},
    {"--with", "plc", "--with plc goes with the simulated plant"},
    {"--soft-start", "10s", "--soft-start goes with the simulated plant"},
    {"--at", "1s load=3", "load: only the simulated plant can be loaded"},
};

START_TEST(what_does_not_go_with_a_device_is_refused)
{
    char *dir = scratch_make();

    put_blend(dir, "1s", 1, ""); /* nobody is asked */
    ck_assert_int_eq(
        end_of(START(dir, "t", NULL, "run", "p.loop", refused[_i].option, refused[_i].value),
               10),
        2);
    ck_assert(says(dir, "t.err", refused[_i].says));
    scratch_free(dir);
}
END_TEST

START_TEST(the_plant_listens_on_this_machine_alone_unless_it_is_told)
{
    char *dir = scratch_make();
    pid_t plant;
    char *text;

    put_blend(dir, "1s", 1, "");
    put_file(path_in(dir, "q.loop"), "[loop]\nscan = 1s\n");
    ck_assert_int_eq(end_of(START(dir, "t", NULL, "plant", "q.loop"), 10), 2);
    ck_assert(says(dir, "t.err", "no plant"));
    ck_assert_int_eq(
        end_of(START(dir, "t", NULL, "plant", "p.loop", "--listen", "no where"), 10), 2);
    ck_assert(says(dir, "t.err", "neither HOST:PORT"));
    ck_assert_int_eq(
        end_of(START(dir, "t", NULL, "plant", "p.loop", "--listen", "192.0.2.1:1502"), 10),
        4); /* not an address of this machine */
    ck_assert(says(dir, "t.err", "cannot listen at 192.0.2.1:1502"));
    put_blend(
        dir, "1s", 0,
        "[port]\nkind = modbus-tcp\naddress = 192.0.2.1:502\npv = input 0 uint16 0..20000\n"
        "out = holding 0 uint16 0..10000\n");
    plant = START(dir, "t", NULL, "plant", "p.loop");
    ck_assert(wait_for_words(dir, "t.err", " at 127.0.0.1:1502", 5));
    text = get_file(path_in(dir, "t.err"), NULL);
    if (strstr(text, "cannot listen") != NULL) { /* another test is there just now */
        ck_assert_int_eq(end_of(plant, 5), 4);
    } else {
        end_plant(plant);
    }
    free(text);
    scratch_free(dir);
}
END_TEST

/* The test, the fit and the run over the wire, ten times as fast as real. */
START_TEST(the_job_over_the_wire_finds_the_plant_again)
{
    char *dir = scratch_make();
    const int port = free_port();
    json_t *fit, *model;
    pid_t plant;

    put_blend(dir, "20ms", port, "[record]\nfile = b.csv\n");
    plant = START(dir, "plant", NULL, "plant", "p.loop", "--times", "100");
    while (peek(port, 4, PV_AT) < 0) {
        nap(0.01);
    }
    ck_assert_int_eq(end_of(START(dir, "t", NULL, "bump", "p.loop", "--move=5", "--back",
                                  "--hold=4s", "--before=1s", "--patience=0"),
                            20),
                     0);
    ck_assert_int_eq(
        end_of(START(dir, "t", NULL, "fit", "p.loop", "--json", "--out-moves", "on-rows"), 20),
        0);
    fit = json_load_file(path_in(dir, "t.out"), 0, NULL);
    ck_assert_ptr_nonnull(fit);
    model = json_object_get(fit, "model");
    ck_close(json_number_value(json_object_get(model, "gain")), -0.118, 0.05);
    ck_close(100 * json_number_value(json_object_get(model, "dead_time")), 17.4, 0.2);
    json_decref(fit);
    end_plant(plant);
    scratch_free(dir);
}
END_TEST

/* The second demo, as the README has it. */
START_TEST(the_network_demo_goes_to_its_end)
{
    char *dir = scratch_make();

    ck_assert_int_eq(end_of(START(dir, "t", NULL, "demo", "--network", "--dir", "d"), 55), 0);
    ck_assert(says(dir, "t.out", "DONE: 150 rows"));
    ck_assert(says(dir, "t.out", "GOOD: first order plus dead time"));
    ck_assert(says(dir, "t.out", "160 scans of 0.1 s, real time"));
    ck_assert(says(dir, "t.out", "Alarms: none."));
    ck_assert_int_eq(access(path_in(dir, "d/run.png"), R_OK), 0);
    scratch_free(dir);
}
END_TEST

/* ---- others ---- */

static pid_t start_other(const char *dir, const char *const *argv)
{
    const pid_t child = fork();

    if (child == 0) {
        if (chdir(dir) != 0 || freopen("other.out", "w", stdout) == NULL ||
            freopen("other.err", "w", stderr) == NULL) {
            _exit(99);
        }
        (void)execvp(argv[0], (char *const *)(uintptr_t)argv);
        _exit(98);
    }
    ck_assert_int_gt(child, 0);
    return child;
}

#define OTHER(dir, ...) start_other(dir, (const char *const[]){__VA_ARGS__, NULL})

static double longer(const char *of)
{
    return 20 + (0.2 * atof(of));
}

START_TEST(a_device_of_pymodbus_is_run_on)
{
    char *dir = scratch_make(), port_text[12], duration[24];
    const int port = free_port();
    pid_t device;
    int tries;

    (void)snprintf(port_text, sizeof port_text, "%d", port);
    (void)snprintf(duration, sizeof duration, "%gs", 0.02 * atof(times()));
    put_blend(dir, "20ms", port, "");
    device =
        OTHER(dir, "/usr/bin/python3", RK_SOURCE "/tests/field/their_device.py", port_text);
    for (tries = 0; tries < 1000 && peek(port, 4, PV_AT) < 0; tries++) {
        nap(0.02);
    }
    ck_assert_int_eq(peek(port, 4, PV_AT), 11800);
    ck_assert_int_eq(end_of(START(dir, "t", NULL, "run", "p.loop", "--for", duration, "--plain",
                                  "--record", "t.csv", "--at", "200ms sp=12", "--safe-at-end"),
                            longer(times())),
                     0);
    ck_assert_uint_ge(rows_of(dir, "t.csv"), (size_t)(0.9 * atof(times())));
    ck_assert_double_eq(cell_of(dir, "t.csv", 2, -1), 11.8);
    ck_assert_double_lt(cell_of(dir, "t.csv", 1, -1), 42); /* 11.1 * 0.2 below, and on */
    ck_assert_int_eq(peek(port, 3, OUT_AT), 1700);
    ck_assert_int_gt(peek(port, 3, HEARTBEAT_AT), 0);
    (void)kill(device, SIGKILL);
    (void)waitpid(device, NULL, 0);
    scratch_free(dir);
}
END_TEST

START_TEST(a_client_of_pymodbus_is_served)
{
    char *dir = scratch_make(), more[400], port_text[12];
    const int port = free_port();
    pid_t plant;

    (void)snprintf(port_text, sizeof port_text, "%d", port);
    (void)snprintf(more, sizeof more,
                   "[port]\nkind = modbus-tcp\naddress = 127.0.0.1:%d\nword-order = low-first\n"
                   "pv = input 0 float32\nout = holding 0 int32\nenable = coil 0\n",
                   port);
    put_blend(dir, "1s", 0, more);
    plant = start_plant(dir, port);
    ck_assert_int_eq(end_of(OTHER(dir, "/usr/bin/python3",
                                  RK_SOURCE "/tests/field/their_client.py", port_text, times()),
                            longer(times())),
                     0);
    ck_assert(says(dir, "other.out", "all as it should be"));
    end_plant(plant);
    scratch_free(dir);
}
END_TEST

START_TEST(mbpoll_is_served)
{
    char *dir = scratch_make(), port_text[12];
    const int port = free_port();
    pid_t plant, client;

    (void)snprintf(port_text, sizeof port_text, "%d", port);
    put_blend(dir, "1s", port, "");
    plant = start_plant(dir, port);
    ck_assert_int_eq(end_of(OTHER(dir, "mbpoll", "-m", "tcp", "-p", port_text, "-a", "1", "-0",
                                  "-r", "0", "-t", "4", "127.0.0.1", "3100"),
                            20),
                     0);
    ck_assert_int_eq(peek(port, 3, OUT_AT), 3100);
    ck_assert_int_eq(end_of(OTHER(dir, "mbpoll", "-m", "tcp", "-p", port_text, "-a", "1", "-0",
                                  "-r", "0", "-c", "2", "-t", "4", "-1", "127.0.0.1"),
                            20),
                     0);
    ck_assert(says(dir, "other.out", "[0]: \t3100"));
    ck_assert_int_ne(end_of(OTHER(dir, "mbpoll", "-m", "tcp", "-p", port_text, "-a", "1", "-0",
                                  "-r", "40", "-t", "4", "-1", "127.0.0.1"),
                            20),
                     0);
    ck_assert(says(dir, "other.err", "Illegal data address"));
    client = OTHER(dir, "mbpoll", "-m", "tcp", "-p", port_text, "-a", "1", "-0", "-r", "0",
                   "-t", "3", "-l", "11", "127.0.0.1"); /* as fast as it can be told to */
    nap(0.5 + (0.0115 * atof(times())));
    ck_assert_int_eq(kill(client, SIGINT), 0);
    ck_assert_int_ge(end_of(client, 10), 0);
    ck_assert(says(dir, "other.out", " 0 errors"));
    end_plant(plant);
    scratch_free(dir);
}
END_TEST

/* The same over a serial line: two ends of a pair of pseudo-terminals. */
START_TEST(a_serial_line_is_as_good)
{
    char *dir = scratch_make(), more[700], *text;
    pid_t pair, plant, child;
    int tries;

    pair = OTHER(dir, "socat", "pty,raw,echo=0,link=here", "pty,raw,echo=0,link=there");
    for (tries = 0; tries < 500 && access(path_in(dir, "there"), R_OK) != 0; tries++) {
        nap(0.01);
    }
    (void)snprintf(more, sizeof more,
                   "[port]\nkind = modbus-rtu\naddress = %s/here 115200 8E1\nunit = 17\n"
                   "pv = input 0 int16 0..10000\nout = holding 0 uint16 0..10000\n"
                   "heartbeat = holding 1\nenable = coil 0\n",
                   dir);
    put_blend(dir, "50ms", 0, more);
    (void)snprintf(more, sizeof more, "%s/there 115200 8E1", dir);
    plant = START(dir, "plant", NULL, "plant", "p.loop", "--listen", more);
    ck_assert(wait_for_words(dir, "plant.err", "until Ctrl-C", 5));
    ck_assert_int_eq(end_of(START(dir, "t", NULL, "run", "p.loop", "--for", "2s", "--plain",
                                  "--record", "t.csv", "--at", "1s manual=33"),
                            20),
                     0);
    text = get_file(path_in(dir, "t.out"), NULL);
    ck_assert_msg(strstr(text, "OUT 33 %, manual") != NULL, "%s", text);
    free(text);
    ck_assert_uint_ge(rows_of(dir, "t.csv"), 20);
    child =
        START(dir, "t", NULL, "run", "p.loop", "--for", "1min", "--plain", "--record", "u.csv");
    ck_assert(wait_for_rows(dir, "u.csv", 5, 20));
    ck_assert_double_eq_tol(cell_of(dir, "u.csv", 1, 0), 33, 0.5); /* read back */
    ck_assert_int_eq(kill(plant, SIGSTOP), 0);                     /* it falls silent */
    ck_assert(wait_for_words(dir, "u.csv", "PV is bad", 10));
    ck_assert_int_eq(kill(plant, SIGCONT), 0);
    ck_assert(wait_for_words(dir, "t.err", "over: PV is bad", 10));
    ck_assert_int_eq(kill(child, SIGTERM), 0);
    ck_assert_int_eq(end_of(child, 20), 1);
    ck_assert_int_eq(kill(plant, SIGTERM), 0);
    ck_assert_int_eq(end_of(plant, 5), 0);
    (void)kill(pair, SIGTERM);
    (void)waitpid(pair, NULL, 0);
    scratch_free(dir);
}
END_TEST

Suite *suite_field_device(void)
{
    Suite *suite = suite_create("field/device");
    TCase *t = tcase_create("device"), *others = tcase_create("others"),
          *demo = tcase_create("demo");

    tcase_add_test(t, a_device_that_goes_away_is_a_bad_pv_and_comes_back_without_a_bump);
    tcase_add_test(t, a_device_that_stays_away_at_the_end_is_told);
    tcase_add_test(t, while_the_device_does_not_enable_out_the_loop_tracks_it);
    tcase_add_loop_test(t, a_loop_comes_back_in_the_mode_that_it_was_in, 0, 2);
    tcase_add_test(t, a_device_that_takes_out_ends_a_step_test);
    tcase_add_test(t, at_the_end_out_stays_unless_it_shall_be_safe);
    add_table(t, what_does_not_go_with_a_device_is_refused, refused);
    tcase_add_test(t, the_plant_listens_on_this_machine_alone_unless_it_is_told);
    tcase_add_test(t, the_job_over_the_wire_finds_the_plant_again);
    tcase_add_test(others, a_device_of_pymodbus_is_run_on);
    tcase_add_test(others, a_client_of_pymodbus_is_served);
    tcase_add_test(others, mbpoll_is_served);
    tcase_add_test(others, a_serial_line_is_as_good);
    tcase_set_tags(
        others, "processes long"); /* of others, and of the clock: sanitizers see nothing new */
    tcase_set_tags(demo, "processes long");
    tcase_add_test(demo, the_network_demo_goes_to_its_end);
    suite_add_tcase(suite, t);
    suite_add_tcase(suite, others);
    suite_add_tcase(suite, demo);
    return suite;
}
