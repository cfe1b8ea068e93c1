/* SPDX-License-Identifier: MIT */
#include "controllers.h"

#include <math.h>
#include <string.h>

#include "../support/loops.h"

/* Features, one bit each. */
enum {
    PID = 1 << 0,
    P_BIAS = 1 << 1,
    WEIGHTS = 1 << 2,
    DEADBAND = 1 << 3,
    RATES = 1 << 4, /* of setpoint and OUT */
    FILTER = 1 << 5,
    CONDITIONAL = 1 << 6,
    VELOCITY = 1 << 7,
    TRAPEZOID = 1 << 8,
    PREDICTOR = 1 << 9,
    ON_OFF = 1 << 10,
    ALARMS = 1 << 11, /* with hold, stale and safe */
    COUNTS = 1 << 12,
    WARM_MANUAL = 1 << 13,
    WARM_AUTO = 1 << 14,
    NO_MODEL = 1 << 15,
    NO_CONFIGURATION = 1 << 16,
    SHORT_NAMES = 1 << 17,
    PARTS = 1 << 18,
    REVERSE = 1 << 19,
    INTEGRATOR = 1 << 20,
    PORT = 1 << 21,       /* with its other side in the PLC */
    PORT_OTHER = 1 << 22, /* registers of other kinds, and no heartbeat */
};

const controller controllers[CONTROLLERS] = {
    {"PI", 1, 0},
    {"PID", 0.5, PID},
    {"P with a bias", 1, P_BIAS},
    {"weights", 0.2, PID | WEIGHTS},
    {"a deadband", 1, DEADBAND},
    {"rates", 1, RATES},
    {"a PV filter", 0.1, FILTER},
    {"conditional integration", 2, CONDITIONAL},
    {"velocity", 1, VELOCITY},
    {"sums by the trapezoid", 1, PID | TRAPEZOID | FILTER},
    {"a predictor", 1, PREDICTOR},
    {"two-position control", 1, ON_OFF | ALARMS},
    {"alarms, hold and safe", 1, ALARMS},
    {"counts at both ends", 0.05, COUNTS},
    {"manual after a warm start", 1, WARM_MANUAL | ALARMS},
    {"automatic after a warm start", 1, WARM_AUTO},
    {"no model", 1, NO_MODEL},
    {"a project with its own configuration", 1, NO_CONFIGURATION},
    {"names of 24 characters", 1, SHORT_NAMES | ALARMS},
    {"a process of several lags", 1, PARTS},
    {"an integrator, reverse acting", 5, REVERSE | INTEGRATOR},
    {"5 ms", 0.005, PID | ALARMS},
    {"5 s", 5, PID | FILTER | RATES},
    {"all of the law", 0.25, PID | WEIGHTS | DEADBAND | RATES | FILTER | CONDITIONAL | ALARMS},
    {"a port", 1, PORT},
    {"a port of other registers", 0.5, PORT_OTHER | ALARMS},
    {"all of it", 1,
     PID | WEIGHTS | DEADBAND | RATES | FILTER | PREDICTOR | ALARMS | COUNTS | WARM_MANUAL |
         NO_CONFIGURATION | SHORT_NAMES | REVERSE | PORT},
};

static void add_program(rk_design *d, int has)
{
    if (has & COUNTS) {
        d->program.pv_raw[0] = -200;
        d->program.pv_raw[1] = 10000;
        d->program.out_raw[0] = 0;
        d->program.out_raw[1] = 65535;
        strcpy(d->program.pv_at, "%IW4");
    }
    if (has & WARM_MANUAL) {
        d->program.warm_start = RK_WARM_START_MANUAL;
    }
    if (has & WARM_AUTO) {
        d->program.warm_start = RK_WARM_START_AUTOMATIC;
    }
    if (has & NO_CONFIGURATION) {
        d->program.configuration = RK_NO;
    }
    if (has & SHORT_NAMES) {
        strcpy(d->name, "Brix of the blend behind the second dilution valve");
        d->program.name_length = 24;
    }
}

static void add_port(rk_design *d, int has)
{
    static const char *const keys[][2] = {{"pv", "input 0 uint16 50..20000"},
                                          {"out", "holding 0 uint16 9900..100"},
                                          {"out-now", "input 1 int16 -10000..9000"},
                                          {"pv-good", "discrete 3"},
                                          {"enable", "coil 4"},
                                          {"heartbeat", "holding 9"}};
    static const char *const others[][2] = {{"pv", "input 0 float32"},
                                            {"out", "holding 0 float32 0.25..1"},
                                            {"out-now", "input 2 uint32"},
                                            {"pv-good", "input 4"},
                                            {"enable", "holding 4"}};
    size_t i;

    if ((has & (PORT | PORT_OTHER)) == 0) return;
    d->port.kind = RK_PORT_MODBUS_TCP;
    (void)strcpy(d->port.address, "127.0.0.1:1502");
    d->program.heartbeat_time = 3.5 * d->ts;
    d->program.fallback = has & PORT ? RK_FALLBACK_AUTOMATIC : RK_FALLBACK_MANUAL;
    for (i = 0; (has & PORT) != 0 && i < sizeof keys / sizeof keys[0]; i++) {
        (void)rk_port_register_set(&d->port, keys[i][0], keys[i][1], NULL);
    }
    for (i = 0; (has & PORT_OTHER) != 0 && i < sizeof others / sizeof others[0]; i++) {
        (void)rk_port_register_set(&d->port, others[i][0], others[i][1], NULL);
    }
}

static void add_law(rk_design *d, int has)
{
    rk_settings *s = &d->settings;

    if (has & PID) {
        *s = rk_settings_make(-9.1, 40.7, 7.3, 0.73 + d->ts);
    }
    if (has & P_BIAS) {
        *s = rk_settings_make(-7, HUGE_VAL, 0, 0);
        s->bias = 35;
    }
    if (has & ON_OFF) {
        s->on_off = 0.2;
    }
    if (has & WEIGHTS) {
        s->sp_weight = 0.4;
        s->d_sp_weight = 0.3;
    }
    s->deadband = has & DEADBAND ? 0.05 : 0;
    s->sp_rate = has & RATES ? 0.02 : HUGE_VAL;
    d->out_rate = has & RATES ? 2.5 : HUGE_VAL;
    s->pv_filter = has & FILTER ? 1.5 * d->ts : 0;
    s->anti_windup = has & CONDITIONAL ? RK_ANTI_WINDUP_CONDITIONAL : s->anti_windup;
    s->algorithm = has & VELOCITY ? RK_ALGORITHM_VELOCITY : RK_ALGORITHM_POSITION;
    if (has & TRAPEZOID) {
        s->integral = s->derivative = RK_SCHEME_TRAPEZOID;
    }
    s->predictor = has & PREDICTOR ? RK_YES : RK_NO;
}

rk_design controller_loop(int row)
{
    const int has = controllers[row].features;
    rk_design d = brix_loop();

    d.ts = controllers[row].scan;
    d.pv_low = 0;
    d.pv_high = 20;
    add_law(&d, has);
    add_program(&d, has);
    add_port(&d, has);
    if (has & ALARMS) {
        d.alarms = (rk_alarm_limits){11, 12.5, 0.8, 0.05, 12 * d.ts, 4 * d.ts};
        d.out_safe = 20;
    }
    if (has & PARTS) {
        d.process = (rk_model){RK_MODEL_PROCESS, -0.118, {0}, 0, 9.4, 42, 11.8, 3, {4, 46, 6}};
        d.has_process = true;
    }
    if (has & INTEGRATOR) {
        d.model = (rk_model){RK_MODEL_IPDT, 0.002, {0, 0}, 0, 17.4, 42, 11.8};
        d.settings = rk_settings_make(5, 400, 0, 0);
    }
    if (has & REVERSE) {
        d.action = RK_ACTION_REVERSE;
        d.model.gain = fabs(d.model.gain);
        d.settings.kc = fabs(d.settings.kc);
    }
    d.has_model = !(has & NO_MODEL);
    return d;
}
