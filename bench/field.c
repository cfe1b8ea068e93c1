/* SPDX-License-Identifier: MIT */
/* How well a run over Modbus keeps its clock on this machine, and what a scan costs, the wire on loopback
   included. Usage: redkettle-field [SECONDS] */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <redkettle/redkettle.h>

enum { COSTED = 3000 };

static double now(void *user)
{
    (void)user;
    return rk_clock_now();
}

static void wait_until(void *user, double when)
{
    (void)user;
    rk_clock_sleep(when);
}

static rk_design blend(void)
{
    static const char *const keys[][3] = {{"port", "kind", "modbus-tcp"},
                                          {"port", "address", "127.0.0.1:15020"},
                                          {"port", "pv", "input 0 uint16 0..20000"},
                                          {"port", "out", "holding 0 uint16 0..10000"},
                                          {"port", "heartbeat", "holding 1"},
                                          {"port", "enable", "coil 0"},
                                          {"port", "pv-good", "discrete 0"}};
    rk_design d = rk_design_make();
    rk_diag diag;
    size_t i;

    d.ts = 0.01;
    d.pv_low = d.out_low = 0;
    d.pv_high = 20;
    d.out_high = 100;
    d.has_settings = d.has_plant = true;
    d.settings = rk_settings_make(-11.1, 46.5, 0, 0);
    d.plant.model = (rk_model){RK_MODEL_FOPDT, -0.118, {46.5, 0}, 0, 17.4, 42, 11.8, 0, {0}};
    for (i = 0; i < sizeof keys / sizeof keys[0]; i++) {
        if (rk_design_set(&d, keys[i][0], keys[i][1], keys[i][2], &diag) != RK_OK) abort();
    }
    return d;
}

static int by_size(const void *a, const void *b)
{
    const double x = *(const double *)a, y = *(const double *)b;

    return (x > y) - (x < y);
}

/* Scans without a pause. */
static void cost(rk_live *live)
{
    static double took[COSTED];
    int i;

    for (i = 0; i < COSTED; i++) {
        const double began = rk_clock_now();

        rk_live_scan(live, 0.01);
        took[i] = rk_clock_now() - began;
    }
    qsort(took, COSTED, sizeof *took, by_size);
    printf(
        "  a scan over the wire, 3 reads and a write   %7.1f us median, %7.1f us 99th percentile\n",
        1e6 * took[COSTED / 2], 1e6 * took[COSTED * 99 / 100]);
}

int main(int argc, char **argv)
{
    const rk_pace pace = {.now = now, .wait_until = wait_until, .keeps_time = true};
    const double seconds = argc > 1 ? atof(argv[1]) : 20.0;
    const rk_design loop = blend();
    rk_plant_device *device = NULL;
    rk_diag diag = {RK_OK, ""};
    rk_live *live = NULL;
    rk_live_port port;
    rk_timing timing;

    if (rk_plant_device_create(&loop, NULL, 1.0, &device, &diag) != RK_OK) {
        printf("No device: %s\n", diag.text);
        return 0;
    }
    if (rk_live_port_open(&loop, &port, &diag) != RK_OK ||
        rk_live_create(&loop, &port, HUGE_VAL, &live, &diag) != RK_OK) {
        abort();
    }
    printf("A run over Modbus TCP on loopback:\n");
    cost(live);
    rk_live_free(live);
    if (rk_live_create(&loop, &port, HUGE_VAL, &live, &diag) != RK_OK ||
        rk_live_run(live, NULL, 0, seconds, NULL, &pace, &timing, &diag) != RK_OK) {
        abort();
    }
    printf(
        "  scans of 10 ms for %g s: %zu, 99.9 %% within %.3f ms of their time, the latest by "
        "%.3f ms, %zu late; alarms: %s\n",
        seconds, timing.scans, 1e3 * timing.usual, 1e3 * timing.latest, timing.late,
        rk_live_block(live)->alarms_seen == 0 ? "none" : "some");
    rk_live_free(live);
    rk_live_port_close(&port);
    rk_plant_device_free(device);
    return 0;
}
