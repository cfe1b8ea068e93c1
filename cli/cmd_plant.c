/* SPDX-License-Identifier: MIT */
#include <math.h>
#include <unistd.h>

#include "clock.h"
#include "terminal.h"

#include "cli.h"

typedef struct plant_job {
    job j;
    const char *listen;
    double times;
    rk_plant_device *device;
} plant_job;

/* How often the terminal is told, s. */
#define SHOW_EVERY 0.2
enum { TELL_FOR = 3 };

static void make(job *j)
{
    ((plant_job *)j)->times = 1.0;
}

static int open_device(job *j)
{
    plant_job *p = (plant_job *)j;
    rk_diag diag = {RK_OK, ""};
    rk_status status;

    if (!(p->times > 0 && p->times <= 1e6)) {
        return fail(j, EXIT_USAGE, "--times: give 0.001 to 1000000");
    }
    if (!j->loop.has_plant) {
        return fail(j, EXIT_USAGE, "no plant: give a loop file with [plant]");
    }
    catch_signals();
    status = rk_plant_device_create(&j->loop, p->listen, p->times, &p->device, &diag);
    return fail_range(j, status, &diag);
}

static void show(const plant_job *p)
{
    const rk_plant_device_state s = rk_plant_device_get_state(p->device);
    char heartbeat[40] = "";

    if (s.has_heartbeat) {
        (void)snprintf(heartbeat, sizeof heartbeat, ", heartbeat %.0f", s.heartbeat);
    }
    terminal_progress("  %.1f s, PV %.5g %s%s, OUT %.4g %s%s, %zu requests%s", s.time, s.pv,
                      p->j.loop.pv_units, s.pv_good ? "" : " (bad)", s.out, p->j.loop.out_units,
                      s.enable ? "" : " (not enabled)", s.requests, heartbeat);
}

static int serve(job *j)
{
    plant_job *p = (plant_job *)j;

    if (!terminal_start(NULL)) {
        return fail(j, EXIT_NO_ACCESS, "no thread to write to the terminal with");
    }
    terminal_say("redkettle plant: %s at %s, unit %.0f, until Ctrl-C", j->loop.name,
                 p->listen != NULL ? p->listen : rk_plant_device_address(&j->loop),
                 j->loop.port.unit);
    while (!is_caught()) {
        rk_clock_sleep(rk_clock_now() + SHOW_EVERY);
        show(p);
    }
    release_signals(EXIT_DONE, TELL_FOR);
    terminal_end();
    return EXIT_DONE;
}

static void free_plant(job *j)
{
    rk_plant_device_free(((plant_job *)j)->device);
}

#define TO(field) offsetof(plant_job, field)

static const command_option options[] = {
    {NULL, NULL, 1, "The device:", TAKE_HEADING},
    {"listen", "ADDRESS", 1,
     "where it is reached: HOST:PORT, or DEVICE BAUD FRAME of a serial line (default: [port]'s "
     "address if that is this machine or a serial line, else 127.0.0.1:1502)",
     TAKE_TEXT, TO(listen)},
    {"times", "N", 1, "the plant lives N times as fast as the wall clock", TAKE_NUMBER,
     TO(times)},
    {0},
};
static const struct argp_child groups[] = {
    {&scan_options, 0, "The loop:", 2},
    {0},
};

const command command_plant = {
    .name = "plant",
    .what = "the simulated plant as a device on the network",
    .input = "LOOP.loop",
    .help =
        "The simulated plant of the loop file's [plant] as a Modbus device, with its noise, "
        "its valve and its faults, for run and bump to act on: the registers of the loop "
        "file's [port], over TCP or a serial line, in real time. Ctrl-C ends it.\v"
        "Example: redkettle plant blend-brix.loop --listen 127.0.0.1:1502",
    .options = options,
    .groups = groups,
    .size = sizeof(plant_job),
    .make = make,
    .steps = (step_function *const[]){need_scan, open_device, serve, NULL},
    .free = free_plant,
};
