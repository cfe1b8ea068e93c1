/* SPDX-License-Identifier: MIT */
/*
 * The simulated plant as a device. It lives in steps that are a tenth of the loop's scan, so that whoever
 * reads it, at whatever moments, meets a plant whose time does not jump by a scan; its noise is as
 * correlated over a scan as the loop file says.
 */
#include <redkettle/live/live_port.h>

#include <errno.h>
#include <math.h>
#include <pthread.h>
#include <signal.h>
#include <string.h>

#include <redkettle/design/base/memory.h>
#include <redkettle/live/clock.h>

#include "modbus_map.h"

/* Steps of the plant in a scan, and at most in one go: what a machine that slept has missed is left out. */
enum { STEPS = 10, STEPS_MOST = 1000000 };

/* The plant lives on so often, s. */
#define LIVE_EVERY 0.001

struct rk_plant_device {
    pthread_t thread;
    pthread_mutex_t mutex; /* of what the thread and the owner both look at */
    bool is_alive, stop;
    rk_design loop; /* scanned at the plant's own step */
    double times, began;
    double steps; /* that were lived */
    double out;   /* that the valve was told, out-EU */
    bool begun, drops;
    rk_sim_plant *plant;
    rk_port seam;
    rk_modbus_device *device;
};

static bool is_loopback(const char *address)
{
    rk_host host;

    return rk_host_parse(address, &host) &&
           (strncmp(host.name, "127.", 4) == 0 || strcmp(host.name, "localhost") == 0 ||
            strcmp(host.name, "::1") == 0);
}

const char *rk_plant_device_address(const rk_design *loop)
{
    const rk_port_design *p = &loop->port;

    return p->kind == RK_PORT_MODBUS_RTU || is_loopback(p->address) ? p->address
                                                                    : "127.0.0.1:1502";
}

/* The plant at its own step. */
static rk_status make_plant(rk_plant_device *d, rk_diag *diag)
{
    rk_plant_design *plant = &d->loop.plant;
    rk_status status;

    d->loop.ts /= STEPS;
    if (plant->noise_correlation > 0) {
        plant->noise_correlation = pow(plant->noise_correlation, 1.0 / STEPS);
    }
    status = rk_sim_plant_create(&d->loop, &d->plant, diag);
    if (status != RK_OK) return status;
    d->seam = rk_sim_plant_port(d->plant);
    return RK_OK;
}

/* What the registers read. */
static void show(rk_plant_device *d)
{
    double pv = 0, out = 0;
    const bool there = d->seam.read_pv(d->seam.user, &pv) == RK_OK;
    const bool good = there && isfinite(pv);

    d->drops = d->seam.read_out(d->seam.user, &out) != RK_OK;
    rk_modbus_device_set_silent(d->device, d->drops);
    if (d->drops) return;
    rk_modbus_device_set(d->device, RK_MODBUS_PV, good ? pv : nan(""));
    if (d->loop.port.pv_good.given && (d->loop.port.pv_good.table == RK_TABLE_DISCRETE ||
                                       d->loop.port.pv_good.table == RK_TABLE_INPUT)) {
        rk_modbus_device_set(d->device, RK_MODBUS_PV_GOOD, good);
    }
    if (d->loop.port.out_now.given) {
        rk_modbus_device_set(d->device, RK_MODBUS_OUT_NOW, out);
    }
}

static rk_status start(rk_plant_device *d, const char *address, rk_diag *diag)
{
    const rk_modbus_map map = rki_modbus_map(&d->loop);
    rk_modbus_line line;
    double out = 0;
    rk_status status;

    if (!rki_modbus_line(&d->loop.port, address, &line)) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "'%.80s' is neither HOST:PORT, such as 127.0.0.1:1502, nor DEVICE "
                           "BAUD FRAME, such as /dev/ttyUSB0 9600 8N1",
                           address);
    }
    status = rk_modbus_device_create(&line, &map, &d->device);
    if (status != RK_OK) {
        return rk_diag_set(diag, status, "cannot listen at %.80s: %s", address,
                           strerror(errno));
    }
    (void)d->seam.read_out(d->seam.user, &out);
    d->out = out;
    rk_modbus_device_set(d->device, RK_MODBUS_OUT, out);
    show(d);
    return RK_OK;
}

/* The valve is told where OUT's register stands; a float that is no number moves none. */
static void take_out(rk_plant_device *d)
{
    const double out =
        fmin(fmax(rk_modbus_device_get(d->device, RK_MODBUS_OUT), d->loop.out_low),
             d->loop.out_high);

    if (isfinite(out) && out != d->out) {
        d->out = d->seam.write_out(d->seam.user, out) == RK_OK ? out : d->out;
    }
}

static void live_on(rk_plant_device *d, double now)
{
    double until;
    int steps = 0;

    if (!d->begun) {
        d->begun = true;
        d->began = now;
    }
    until = floor((now - d->began) * d->times / d->loop.ts);
    take_out(d);
    for (; d->steps < until && steps < STEPS_MOST; d->steps++, steps++) {
        rk_sim_plant_advance(d->plant);
    }
    if (steps == STEPS_MOST) {
        d->began = now - (d->steps * d->loop.ts / d->times);
    }
    show(d);
}

static void *live(void *user)
{
    rk_plant_device *d = user;
    double next = rk_clock_now();
    bool stop = false;

    while (!stop) {
        const double now = rk_clock_now();

        (void)pthread_mutex_lock(&d->mutex);
        live_on(d, now);
        stop = d->stop;
        (void)pthread_mutex_unlock(&d->mutex);
        next = fmax(next + LIVE_EVERY, now);
        rk_clock_sleep(next);
    }
    return NULL;
}

static rk_status start_living(rk_plant_device *d, rk_diag *diag)
{
    sigset_t all, before;

    (void)sigfillset(&all); /* signals are for who started it */
    (void)pthread_sigmask(SIG_SETMASK, &all, &before);
    d->is_alive = pthread_create(&d->thread, NULL, live, d) == 0;
    (void)pthread_sigmask(SIG_SETMASK, &before, NULL);
    if (d->is_alive) return RK_OK;
    return rk_diag_set(diag, RK_ERR_MEMORY, "no thread for the plant to live on");
}

rk_status rk_plant_device_create(const rk_design *loop, const char *address, double times,
                                 rk_plant_device **device, rk_diag *diag)
{
    rk_plant_device *made;
    rk_status status;

    rk_diag_clear(diag);
    if (loop == NULL || device == NULL) return RK_ERR_ARG;
    if (!rk_modbus_is_there()) {
        return rk_diag_set(diag, RK_ERR_IO,
                           "this redkettle was built without Modbus; install libmodbus-dev and "
                           "build it again");
    }
    if (!loop->port.pv.given || !loop->port.out.given) {
        return rk_diag_set(diag, RK_ERR_RANGE,
                           "no registers to serve: give [port] pv and out, such as "
                           "input 0 int16 0..10000");
    }
    if (!(times > 0)) {
        return rk_diag_set(diag, RK_ERR_RANGE, "%g times real time: give a number above 0",
                           times);
    }
    made = rk_memory_create(1, sizeof *made);
    if (made == NULL) return rk_diag_set(diag, RK_ERR_MEMORY, "out of memory for the plant");
    (void)pthread_mutex_init(&made->mutex, NULL);
    made->loop = *loop;
    made->times = times;
    status = make_plant(made, diag);
    if (status == RK_OK) {
        status = start(made, address != NULL ? address : rk_plant_device_address(loop), diag);
    }
    if (status == RK_OK) {
        status = start_living(made, diag);
    }
    if (status != RK_OK) {
        rk_plant_device_free(made);
        return status;
    }
    *device = made;
    return RK_OK;
}

rk_plant_device_state rk_plant_device_get_state(rk_plant_device *d)
{
    const rk_port_design *p = &d->loop.port;
    rk_plant_device_state s = {
        .pv = rk_modbus_device_get(d->device, RK_MODBUS_PV),
        .out = rk_modbus_device_get(d->device, RK_MODBUS_OUT),
        .has_heartbeat = p->heartbeat.given,
        .enable = true,
        .pv_good = true,
        .requests = rk_modbus_device_requests(d->device),
    };

    (void)pthread_mutex_lock(&d->mutex);
    s.time = d->steps * d->loop.ts;
    (void)pthread_mutex_unlock(&d->mutex);
    if (p->heartbeat.given) {
        s.heartbeat = rk_modbus_device_get(d->device, RK_MODBUS_HEARTBEAT);
    }
    if (p->enable.given) {
        s.enable = rk_modbus_device_get(d->device, RK_MODBUS_ENABLE) != 0;
    }
    if (p->pv_good.given) {
        s.pv_good = rk_modbus_device_get(d->device, RK_MODBUS_PV_GOOD) != 0;
    }
    return s;
}

void rk_plant_device_free(rk_plant_device *d)
{
    if (d == NULL) return;
    if (d->is_alive) {
        (void)pthread_mutex_lock(&d->mutex);
        d->stop = true;
        (void)pthread_mutex_unlock(&d->mutex);
        (void)pthread_join(d->thread, NULL);
    }
    (void)pthread_mutex_destroy(&d->mutex);
    rk_modbus_device_free(d->device);
    rk_sim_plant_free(d->plant);
    rk_memory_free(d);
}
