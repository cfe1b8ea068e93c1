/* SPDX-License-Identifier: MIT */
#ifndef REDKETTLE_DEVICE_LOOP_H
#define REDKETTLE_DEVICE_LOOP_H

#include <stdbool.h>
#include <stdint.h>

#include <redkettle/device/filter.h>
#include <redkettle/device/on_off.h>
#include <redkettle/device/pid.h>
#include <redkettle/device/port.h>
#include <redkettle/device/predictor.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What is wrong now, a bit each. */
typedef enum rk_alarm {
    RK_ALARM_PV_BAD = 1U << 0,       /* no PV, or one that is not finite or out of its range */
    RK_ALARM_PV_STALE = 1U << 1,     /* PV has not changed at all for stale_time */
    RK_ALARM_PV_LOW = 1U << 2,       /* below pv_low */
    RK_ALARM_PV_HIGH = 1U << 3,      /* above pv_high */
    RK_ALARM_DEVIATION = 1U << 4,    /* further from sp than deviation */
    RK_ALARM_WRITE_FAILED = 1U << 5, /* OUT could not be written */
    RK_ALARM_SCAN_LATE = 1U << 6,    /* more than 1.5 ts since the last scan */
    RK_ALARM_WATCHDOG = 1U << 7,     /* not fed for watchdog_time */
} rk_alarm;

enum { RK_ALARMS = 8 };

/** Text for an alarm: "PV is bad". */
const char *rk_alarm_text(rk_alarm alarm);

/** Set all fields: start from rk_loop_params_make(). */
typedef struct rk_loop_params {
    rk_pid_params pid;
    rk_real pv_filter;  /* s, >= 0: first-order filter on PV before the controller; 0: none */
    rk_real hold_time;  /* s, >= 0: without a good PV, or with a stale one, hold OUT so long in
                           automatic, then go to the controller's out_safe; infinite: hold on */
    rk_real stale_time; /* s, > 0: a PV that does not change at all so long counts as bad;
                           infinite: it may stand still */
    rk_real
        watchdog_time; /* s, > 0: not fed so long, automatic goes to out_safe; infinite: none */
    rk_real pv_low, pv_high; /* alarms, pv-EU, pv_low < pv_high */
    rk_real deviation;       /* alarm, pv-EU, > 0 */
    rk_real alarm_gap;       /* an alarm goes when PV is back by this, pv-EU, >= 0 */
} rk_loop_params;

/** A controller on a port: the whole control loop in one call a scan. Plain storage. */
typedef struct rk_loop {
    rk_port port;
    rk_pid pid; /* modes are set with rk_pid_set_manual, _tracking and _auto */
    rk_filter filter;
    rk_predictor *predictor; /* before the controller; NULL: none */
    rk_on_off *on_off;       /* decides OUT in automatic instead of the law; NULL: none */
    rk_real sp;              /* the wanted setpoint, pv-EU; set it between scans */
    rk_real pv;              /* the last good PV as measured, pv-EU */
    rk_real out;             /* what stands on the valve as far as is known, out-EU */
    uint32_t alarms;         /* rk_alarm bits that hold now */
    uint32_t alarms_seen;    /* .. that held at any time since rk_loop_acknowledge */

    rk_real ts, hold_time, stale_time, watchdog_time; /* s */
    rk_real pv_low, pv_high, deviation, alarm_gap;    /* pv-EU */
    rk_real without_pv, unchanged, unfed;             /* how long now, s */
} rk_loop;

/** Parameters without filter, alarms, stale PV, watchdog; the pid's from rk_pid_params_make. */
rk_loop_params rk_loop_params_make(void);

/** RK_PARAM_ERROR_NONE, or what rk_loop_init refuses. */
rk_param_error rk_loop_param_error(const rk_loop_params *params, rk_real sp, rk_real out_now);

/**
 * Check the port and *params, and start in automatic from the output on the valve now.
 *
 * Units   sp in pv-EU, out_now in out-EU.
 * Errors  RK_ERR_ARG for a NULL or a port with a service missing; RK_ERR_RANGE for what
 *         rk_loop_param_error names. *loop is written with RK_OK only.
 */
rk_status rk_loop_init(rk_loop *loop, const rk_port *port, const rk_loop_params *params,
                       rk_real sp, rk_real out_now);

/** Put a predictor before the controller, or with NULL take it away; it must outlive the loop.
 */
void rk_loop_set_predictor(rk_loop *loop, rk_predictor *predictor);

/**
 * Two-position control in place of the controller's law, or with NULL the law again; it must
 * outlive the loop. In automatic OUT is then at its high limit or its low one, without regard to
 * its rate; manual, hold and the safe output are as ever.
 */
void rk_loop_set_on_off(rk_loop *loop, rk_on_off *on_off);

/** Take on other parameters while running, without a bump. Errors  as rk_loop_init. */
rk_status rk_loop_set_params(rk_loop *loop, const rk_loop_params *params);

/**
 * One scan: read PV, filter, control, write OUT, set the alarms. Cannot fail. In automatic
 * without a good PV it holds OUT and then goes to the safe output; when PV is back it goes on
 * from there without a bump. An output that could not be written counts as not made.
 *
 * Units   elapsed: s since the scan before by the caller's clock, > 0; the first scan: ts.
 * At a late scan, more than 1.5 ts after the one before, D starts anew; P and I act as always.
 */
void rk_loop_scan(rk_loop *loop, rk_real elapsed);

/** The sign of life that the watchdog waits for. */
void rk_loop_feed(rk_loop *loop);

/** Forget the alarms that are over. */
void rk_loop_acknowledge(rk_loop *loop);

#ifdef __cplusplus
}
#endif

#endif
