/* SPDX-License-Identifier: MIT */
#include "exercise.h"

#include <stddef.h>
#include <stdint.h>

#include <redkettle/device/filter.h>
#include <redkettle/device/loop.h>
#include <redkettle/device/on_off.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/plant.h>
#include <redkettle/device/predictor.h>
#include <redkettle/device/pwm.h>
#include <redkettle/device/ramp.h>
#include <redkettle/device/relay.h>

enum { SCANS = 10000, MEMORY = 16 };

/* Knuth and Lewis's generator; its upper bits are the good ones. */
typedef struct random {
    uint32_t state;
} random;

static uint32_t draw(random *r)
{
    r->state = (r->state * UINT32_C(1664525)) + UINT32_C(1013904223);
    return r->state >> 8;
}

/* 0 to 1, a multiple of 2^-16. */
static rk_real part(random *r)
{
    return (rk_real)(int)(draw(r) >> 8) / RK_C(65536.0);
}

/* -100 to 100, and now and then what no sensor should say. */
static rk_real wild(random *r)
{
    static volatile rk_real none = RK_C(0.0);
    const rk_real zero = none;

    switch (draw(r) % 100U) {
    case 0:
        return zero / zero;
    case 1:
        return RK_C(1.0) / zero;
    case 2:
        return -RK_REAL_MAX;
    default:
        return RK_C(200.0) * (part(r) - RK_C(0.5));
    }
}

/* FNV-1a, 64 bits: G. Fowler, L. C. Noll, K.-P. Vo, 1991. */
typedef struct checksum {
    uint64_t value;
} checksum;

static void add_byte(checksum *sum, unsigned char byte)
{
    sum->value = (sum->value ^ byte) * UINT64_C(1099511628211);
}

static void add_real(checksum *sum, rk_real x)
{
    const unsigned char *bytes = (const unsigned char *)&x;
    size_t i;

    /* A NaN's bits beyond its being one are the machine's own. */
    for (i = 0; i < sizeof x; i++) {
        add_byte(sum, x == x ? bytes[i] : 0xFF);
    }
}

static void tell_sum(void (*tell)(const char *), const char *name, const checksum *sum)
{
    static const char digits[] = "0123456789abcdef";
    char text[18];
    int i;

    for (i = 0; i < 16; i++) {
        text[i] = digits[(sum->value >> (60 - (4 * i))) & 15U];
    }
    text[16] = '\n';
    text[17] = '\0';
    tell(name);
    tell(" ");
    tell(text);
}

static const checksum empty = {UINT64_C(14695981039346656037)};

static rk_pid_params any_params(random *r)
{
    rk_pid_params p = rk_pid_params_make();

    p.ts = RK_C(0.1) + part(r);
    p.kc = RK_C(0.01) + (RK_C(10.0) * part(r));
    p.kc = draw(r) % 2U == 0 ? p.kc : -p.kc;
    p.ti = p.ts * (RK_C(1.0) + (RK_C(30.0) * part(r)));
    p.td = draw(r) % 2U == 0 ? RK_C(0.0) : RK_C(3.0) * part(r);
    p.tf = part(r);
    p.sp_weight = part(r);
    p.d_sp_weight = part(r);
    p.deadband = draw(r) % 2U == 0 ? RK_C(0.0) : RK_C(5.0) * part(r);
    p.out_rate = draw(r) % 2U == 0 ? RK_INFINITY : RK_C(1.0) + (RK_C(20.0) * part(r));
    p.i_lo = RK_C(-100.0) * part(r);
    p.i_hi = RK_C(1.0) + (RK_C(100.0) * part(r));
    p.anti_windup = (rk_anti_windup)(draw(r) % 3U);
    p.tt = p.ts * (RK_C(1.0) + (RK_C(20.0) * part(r)));
    p.sp_rate = draw(r) % 2U == 0 ? RK_INFINITY : RK_C(0.5) + (RK_C(10.0) * part(r));
    p.bad_to_safe = draw(r) % 2U == 0;
    p.out_safe = RK_C(100.0) * part(r);
    return p;
}

static void exercise_pid(void (*tell)(const char *))
{
    random r = {1};
    checksum sum = empty;
    rk_pid_params params = any_params(&r);
    rk_pid pid;
    int i;

    (void)rk_pid_init(&pid, &params, RK_C(40.0));
    for (i = 0; i < SCANS; i++) {
        const rk_real sp = wild(&r), pv = wild(&r);

        switch (draw(&r) % 60U) {
        case 0:
            rk_pid_set_manual(&pid, wild(&r));
            break;
        case 1:
            rk_pid_set_tracking(&pid, wild(&r));
            break;
        case 2:
            rk_pid_set_feedforward(&pid, wild(&r));
            break;
        case 3:
            params = any_params(&r);
            (void)rk_pid_set_params(&pid, &params);
            break;
        case 4:
        case 5:
        case 6:
            rk_pid_set_auto(&pid);
            break;
        case 7:
            rk_pid_take_out(&pid, wild(&r));
            break;
        case 8:
            rk_pid_restart_derivative(&pid);
            break;
        default:
            break;
        }
        add_real(&sum, rk_pid_scan(&pid, sp, pv));
        if (draw(&r) % 4U == 0) {
            rk_pid_applied(&pid, wild(&r));
        }
        add_real(&sum, pid.i);
        add_real(&sum, pid.d);
    }
    tell_sum(tell, "pid", &sum);
}

/* Two lags, dead time of 3.4 scans; and without. */
static rk_plant_params process(void)
{
    const rk_plant_params made = {
        .a = {{RK_C(0.875), RK_C(0.05)}, {RK_C(-0.04), RK_C(0.7)}},
        .b0 = {RK_C(0.03), RK_C(0.2)},
        .b1 = {RK_C(0.02), RK_C(0.1)},
        .delay = 3,
        .out0 = RK_C(42.0),
        .pv0 = RK_C(11.8),
    };

    return made;
}

static void exercise_plant(void (*tell)(const char *))
{
    const rk_plant_params params = process();
    random r = {2};
    checksum sum = empty;
    rk_real memory[MEMORY];
    rk_plant plant;
    int i;

    (void)rk_plant_init(&plant, &params, memory, MEMORY, RK_C(40.0));
    for (i = 0; i < SCANS; i++) {
        const rk_real out = wild(&r);

        add_real(&sum, rk_plant_scan(&plant, out > RK_C(-1000.0) ? out : RK_C(0.0)));
    }
    tell_sum(tell, "plant", &sum);
}

static void exercise_predictor(void (*tell)(const char *))
{
    const rk_plant_params whole = process();
    rk_plant_params quick = whole;
    random r = {3};
    checksum sum = empty;
    rk_real memory[MEMORY];
    rk_predictor predictor;
    int i;

    quick.delay = 0;
    (void)rk_predictor_init(&predictor, &whole, &quick, memory, MEMORY, RK_C(40.0));
    for (i = 0; i < SCANS; i++) {
        const rk_real pv = wild(&r);

        add_real(&sum, rk_predictor_scan(&predictor, pv, RK_C(100.0) * part(&r)));
    }
    tell_sum(tell, "predictor", &sum);
}

static void exercise_ramp_and_filter(void (*tell)(const char *))
{
    random r = {4};
    checksum ramps = empty, filters = empty;
    rk_filter filter;
    rk_ramp ramp;
    int i;

    (void)rk_ramp_init(&ramp, RK_C(3.0), RK_C(7.0), RK_C(0.1), RK_C(5.0));
    (void)rk_filter_init(&filter, RK_C(2.0), RK_C(0.3));
    for (i = 0; i < SCANS; i++) {
        const rk_real x = wild(&r);

        add_real(&ramps, rk_ramp_scan(&ramp, x));
        add_real(&filters, rk_filter_scan(&filter, x));
    }
    tell_sum(tell, "ramp", &ramps);
    tell_sum(tell, "filter", &filters);
}

/* On a process, again and again, each time from another place. */
static void exercise_relay(void (*tell)(const char *))
{
    const rk_plant_params process_params = process();
    rk_relay_params params = {.ts = RK_C(0.5),
                              .sp = RK_C(11.8),
                              .amplitude = RK_C(5.0),
                              .cycles = 3,
                              .patience = RK_C(500.0),
                              .out_hi = RK_C(100.0),
                              .pv_lo = RK_C(-200.0),
                              .pv_hi = RK_C(200.0)};
    random r = {5};
    checksum sum = empty;
    rk_real memory[MEMORY];
    rk_relay_result result;
    rk_relay relay;
    rk_plant plant;
    int i;

    (void)rk_plant_init(&plant, &process_params, memory, MEMORY, RK_C(42.0));
    (void)rk_relay_init(&relay, &params, RK_C(42.0));
    for (i = 0; i < SCANS; i++) {
        const rk_real noise = RK_C(0.01) * part(&r);
        const rk_real out = rk_relay_scan(&relay, rk_plant_pv(&plant) + noise);

        add_real(&sum, rk_plant_scan(&plant, out));
        if (relay.state == RK_RELAY_SWINGING) continue;
        if (rk_relay_get_result(&relay, &result) == RK_OK) {
            add_real(&sum, result.ultimate_gain);
            add_real(&sum, result.ultimate_period);
        }
        params.hysteresis = RK_C(0.1) * part(&r);
        (void)rk_relay_init(&relay, &params, RK_C(42.0));
    }
    tell_sum(tell, "relay", &sum);
}

static void exercise_switches(void (*tell)(const char *))
{
    const rk_on_off_params on_off_params = {.ts = RK_C(0.1),
                                            .hysteresis = RK_C(20.0),
                                            .least_on = RK_C(0.35),
                                            .least_off = RK_C(0.2)};
    const rk_pwm_params duty_params = {
        .ts = RK_C(0.1), .period = RK_C(2.3), .least_on = RK_C(0.3), .least_off = RK_C(0.2)};
    random r = {6};
    checksum switched = empty, proportioned = empty;
    rk_on_off on_off;
    rk_pwm duty;
    int i;

    (void)rk_on_off_init(&on_off, &on_off_params, false);
    (void)rk_pwm_init(&duty, &duty_params);
    for (i = 0; i < SCANS; i++) {
        const rk_real sp = wild(&r);

        add_byte(&switched, rk_on_off_scan(&on_off, sp, wild(&r)));
        add_byte(&proportioned, rk_pwm_scan(&duty, part(&r)));
    }
    tell_sum(tell, "on_off", &switched);
    tell_sum(tell, "duty", &proportioned);
}

/* A port to a simulated process whose sensor and line fail now and then. */
typedef struct rig {
    rk_plant plant;
    random r;
    rk_real out;
} rig;

static rk_status read_pv(void *user, rk_real *pv)
{
    rig *g = user;
    const uint32_t fate = draw(&g->r) % 200U;

    *pv = fate == 0 ? wild(&g->r) : rk_plant_pv(&g->plant) + (RK_C(0.01) * part(&g->r));
    return fate == 1 ? RK_ERR_IO : RK_OK;
}

static rk_status write_out(void *user, rk_real out)
{
    rig *g = user;

    if (draw(&g->r) % 200U == 0) return RK_ERR_IO;
    g->out = out;
    return RK_OK;
}

static rk_status read_out(void *user, rk_real *out)
{
    const rig *g = user;

    *out = g->out;
    return RK_OK;
}

static void exercise_loop(void (*tell)(const char *))
{
    const rk_plant_params whole = process();
    rk_plant_params quick = whole;
    rk_loop_params params = rk_loop_params_make();
    rig g = {.r = {7}, .out = RK_C(42.0)};
    const rk_port port = {&g, read_pv, write_out, read_out};
    rk_real memory[MEMORY], model_memory[MEMORY];
    rk_predictor predictor;
    checksum sum = empty;
    rk_loop loop;
    int i;

    quick.delay = 0;
    params.pid.ts = RK_C(0.5);
    params.pid.kc = RK_C(1.5);
    params.pid.ti = RK_C(4.0);
    params.pid.td = RK_C(0.5);
    params.pid.tf = RK_C(0.1);
    params.pid.anti_windup = RK_ANTI_WINDUP_CONDITIONAL;
    params.pid.out_rate = RK_C(10.0);
    params.pid.pv_lo = RK_C(-50.0);
    params.pid.pv_hi = RK_C(90.0);
    params.pid.out_safe = RK_C(20.0);
    params.pv_filter = RK_C(0.7);
    params.hold_time = RK_C(1.0);
    params.stale_time = RK_C(60.0);
    params.deviation = RK_C(5.0);
    (void)rk_plant_init(&g.plant, &whole, memory, MEMORY, RK_C(42.0));
    (void)rk_predictor_init(&predictor, &whole, &quick, model_memory, MEMORY, RK_C(42.0));
    (void)rk_loop_init(&loop, &port, &params, RK_C(11.8), RK_C(42.0));
    for (i = 0; i < SCANS; i++) {
        if (i == SCANS / 2) {
            rk_loop_set_predictor(&loop, &predictor);
        }
        if (draw(&g.r) % 100U == 0) {
            loop.sp = RK_C(30.0) * part(&g.r);
        }
        rk_loop_scan(&loop, draw(&g.r) % 100U == 0 ? RK_C(2.0) : RK_C(0.5));
        add_real(&sum, rk_plant_scan(&g.plant, g.out));
        add_byte(&sum, (unsigned char)loop.alarms);
    }
    tell_sum(tell, "loop", &sum);
}

void exercise_blocks(void (*tell)(const char *))
{
    exercise_pid(tell);
    exercise_plant(tell);
    exercise_predictor(tell);
    exercise_ramp_and_filter(tell);
    exercise_relay(tell);
    exercise_switches(tell);
    exercise_loop(tell);
}
